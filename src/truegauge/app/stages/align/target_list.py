"""The targets of an alignment: datums in their order, points, guide targets; each with what it holds and its deviation.

Rows are dragged into another order where the order matters.
"""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QListWidget,
    QListWidgetItem,
    QWidget,
)

from truegauge.app.widgets.painting import draw_marker
from truegauge.app.widgets.row_delegate import RowDelegate
from truegauge.app.widgets.text_size import grow_to
from truegauge.app.widgets.theme import Theme, font
from truegauge.drawing.gauge_bar import DISC, RING, TRIANGLE_RIGHT

ROW = 25
_KEY = Qt.ItemDataRole.UserRole
_LEAST_SHOWN = 6


@dataclass(frozen=True, slots=True)
class TargetRow:
    """One row: `state` is used, poor, excluded or missing."""

    key: str
    name: str
    held: str
    value: str
    state: str = "used"


class TargetList(QListWidget):
    """Selecting a row chooses the target; dragging calls `reordered` with the keys in their new order."""

    def __init__(
        self, theme: Theme, chosen: Callable[[str], None], reordered: Callable[[list[str]], None],
        parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self.theme, self._chosen, self._reordered = theme, chosen, reordered
        self.rows: dict[str, TargetRow] = {}
        self.setItemDelegate(RowDelegate(self, self, ROW))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Targets of the alignment")
        self.currentItemChanged.connect(lambda item: self._chosen(item.data(_KEY)) if item is not None else None)
        self.model().rowsMoved.connect(lambda *_: self._reordered(self.keys()))

    def keys(self) -> list[str]:
        """Return the keys in the order shown."""
        return [str(self.item(i).data(_KEY)) for i in range(self.count())]

    def show_rows(self, rows: list[TargetRow], chosen: str, *, draggable: bool) -> None:
        """Show these rows."""
        self.setDragDropMode(
            QAbstractItemView.DragDropMode.InternalMove if draggable else QAbstractItemView.DragDropMode.NoDragDrop
        )
        self.blockSignals(True)
        self.model().blockSignals(True)
        if self.keys() != [r.key for r in rows]:
            self.model().blockSignals(False)
            self.clear()
            for row in rows:
                item = QListWidgetItem()
                item.setData(_KEY, row.key)
                self.addItem(item)
        self.model().blockSignals(False)
        self.rows = {r.key: r for r in rows}
        for i, row in enumerate(rows):
            self.item(i).setText(" ".join(filter(None, (row.name, row.held, row.value))))
            if row.key == chosen:
                self.setCurrentRow(i)
        if chosen not in self.rows:
            self.setCurrentRow(-1)
        self.blockSignals(False)
        grow_to(self, ROW * max(1, len(rows)) + 4, ROW * _LEAST_SHOWN + 4)
        self.setVisible(bool(rows))
        self.viewport().update()

    def paint_row(self, painter: QPainter, box: QRectF, key: str, *, selected: bool) -> None:
        """Draw one row: marker, name, what it holds, deviation."""
        row = self.rows.get(key)
        if row is None:
            return
        t = self.theme
        painter.save()
        if selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.accent_soft))
            painter.drawRoundedRect(box.adjusted(0, 1, -2, -1), 4, 4)
        marker = {"poor": TRIANGLE_RIGHT, "used": DISC}.get(row.state, RING)
        color = {"poor": t.outside, "used": t.within}.get(row.state, t.soft)
        draw_marker(painter, marker, QPointF(box.x() + 11, box.center().y()), 4.5, color)
        painter.setFont(font(12.5, bold=True))
        value_width = painter.fontMetrics().horizontalAdvance(row.value) + 4
        right = box.right() - 8
        painter.setPen(QColor(t.outside if row.state == "poor" else t.ink))
        painter.drawText(QRectF(right - value_width, box.y(), value_width, box.height()),
                         Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, row.value)  # fmt: skip
        painter.setFont(font(12))
        held_width = painter.fontMetrics().horizontalAdvance(row.held)
        left, room = box.x() + 23, right - value_width - box.x() - 30
        painter.setPen(QPen(QColor(t.soft if row.state == "excluded" else t.ink)))
        name = painter.fontMetrics().elidedText(row.name, Qt.TextElideMode.ElideRight,
                                                int(max(40, room - held_width - 8)))  # fmt: skip
        painter.drawText(QRectF(left, box.y(), room, box.height()), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setPen(QColor(t.soft))
        at = left + painter.fontMetrics().horizontalAdvance(name) + 8
        held = painter.fontMetrics().elidedText(row.held, Qt.TextElideMode.ElideRight, int(max(0, left + room - at)))
        painter.drawText(QRectF(at, box.y(), room, box.height()), Qt.AlignmentFlag.AlignVCenter, held)
        painter.restore()
