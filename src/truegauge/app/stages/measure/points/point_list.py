"""The points of the sample in a list: what each is called, what it serves or would serve, how far it is off."""

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QItemSelectionModel, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QAbstractItemView, QListWidget, QListWidgetItem, QWidget

from truegauge.app.widgets.painting import draw_marker
from truegauge.app.widgets.row_delegate import RowDelegate
from truegauge.app.widgets.text_size import grow_to
from truegauge.app.widgets.theme import Theme, font
from truegauge.drawing.gauge_bar import DISC, RING

ROW = 24
_KEY = Qt.ItemDataRole.UserRole
_LEAST_SHOWN, _MOST_SHOWN = 6, 14


@dataclass(frozen=True, slots=True)
class PointRow:
    """One row; `offered` is what the point would serve."""

    name: str
    serves: str
    offered: str
    off: str


class PointList(QListWidget):
    """Several rows can be chosen, with Shift and Ctrl; their numbers are told."""

    def __init__(self, theme: Theme, chosen: Callable[[list[int]], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme, self._chosen = theme, chosen
        self.rows: list[PointRow] = []
        self.setItemDelegate(RowDelegate(self, self, ROW))
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setUniformItemSizes(True)
        self.setAccessibleName("Points of the sample")
        self.itemSelectionChanged.connect(lambda: self._chosen(self.chosen_rows()))

    def chosen_rows(self) -> list[int]:
        """Return the numbers of the rows that are chosen."""
        return sorted(i.row() for i in self.selectedIndexes())

    def show_rows(self, rows: list[PointRow], chosen: list[int]) -> None:
        """Show these rows."""
        self.blockSignals(True)
        if self.count() != len(rows):
            self.clear()
            for k in range(len(rows)):
                item = QListWidgetItem()
                item.setData(_KEY, str(k))
                self.addItem(item)
        self.rows = rows
        for k, row in enumerate(rows):
            words = " ".join(filter(None, (row.name, row.serves or "serves nothing", row.off)))
            if self.item(k).text() != words:
                self.item(k).setText(words)
                self.item(k).setToolTip(words)
        if chosen != self.chosen_rows():
            self.clearSelection()
            for k in chosen:
                self.item(k).setSelected(True)
            if chosen:
                self.setCurrentRow(chosen[0], QItemSelectionModel.SelectionFlag.NoUpdate)
                self.scrollToItem(self.item(chosen[0]))
        self.blockSignals(False)
        shown = min(max(1, len(rows)), _MOST_SHOWN)
        grow_to(self, ROW * shown + 4, ROW * min(shown, _LEAST_SHOWN) + 4)
        self.viewport().update()

    def paint_row(self, painter: QPainter, box: QRectF, key: str, *, selected: bool) -> None:
        """Draw one row: marker, name, what it serves, how far off the part."""
        if int(key) >= len(self.rows):
            return
        row, t = self.rows[int(key)], self.theme
        painter.save()
        if selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.accent_soft))
            painter.drawRoundedRect(box.adjusted(0, 1, -2, -1), 4, 4)
        draw_marker(painter, DISC if row.serves else RING, QPointF(box.x() + 11, box.center().y()), 4.0,
                    t.ink if row.serves else t.soft)  # fmt: skip
        painter.setFont(font(12, bold=True))
        wide = painter.fontMetrics().horizontalAdvance(row.off)
        right, middle = box.right() - 8, Qt.AlignmentFlag.AlignVCenter
        painter.setPen(QColor(t.ink))
        painter.drawText(QRectF(right - wide, box.y(), wide, box.height()), middle, row.off)
        right -= wide + 8 if wide else 0
        left = box.x() + 23
        painter.setFont(font(12, bold=bool(row.offered)))
        words = f"to {row.offered}" if row.offered else row.serves
        wanted = painter.fontMetrics().horizontalAdvance(words) + 10 if words else 0
        painter.setFont(font(12.5))
        # Both are seen whole where there is room for them; else each gets about half of it.
        room = int(max(0.45 * (right - left), right - left - wanted))
        name = painter.fontMetrics().elidedText(row.name, Qt.TextElideMode.ElideRight, room)
        painter.drawText(QRectF(left, box.y(), right - left, box.height()), middle, name)
        left += painter.fontMetrics().horizontalAdvance(name) + 10
        painter.setFont(font(12, bold=bool(row.offered)))
        painter.setPen(QColor(t.accent if row.offered else t.soft))
        words = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(max(0, right - left)))
        painter.drawText(QRectF(left, box.y(), right - left, box.height()), middle, words)
        painter.restore()
