"""The list of alignments: each with a small freedom dial, its kind, its rms, and whether it is in force."""

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QListWidget, QListWidgetItem, QWidget

from truegauge.app.stages.align.model import AlignModel
from truegauge.app.widgets.dial import draw_dial
from truegauge.app.widgets.row_delegate import RowDelegate
from truegauge.app.widgets.text_size import grow_to
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import KIND_NAMES
from truegauge.core.registration.alignment import Alignment
from truegauge.drawing.units import NumberFormat

ROW = 50
_RMS = " · rms "
_ID = Qt.ItemDataRole.UserRole


class AlignmentList(QListWidget):
    """Selecting a row chooses the alignment."""

    def __init__(self, align: AlignModel, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._align, self.theme = align, theme
        self.setItemDelegate(RowDelegate(self, self, ROW))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Alignments")
        self.currentItemChanged.connect(self._on_current)

    def _on_current(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self._align.choose(item.data(_ID))

    def refresh(self) -> None:
        """Show the alignments of the plan."""
        plan, own = self._align.session.plan, self._align.own
        self.blockSignals(True)
        ids = [self.item(i).data(_ID) for i in range(self.count())]
        if ids != [a.id for a in plan.alignments]:
            self.clear()
            for a in plan.alignments:
                item = QListWidgetItem(a.name)
                item.setData(_ID, a.id)
                self.addItem(item)
        for i, a in enumerate(plan.alignments):
            self.item(i).setText(f"{a.name}, {self.line(a.id)}")
            if a.id == own.id:
                self.setCurrentRow(i)
        self.blockSignals(False)
        grow_to(self, ROW * self.count() + 4, ROW * 3 + 4)
        self.viewport().update()

    def line(self, alignment_id: str) -> str:
        """Return the second line of a row: kind and rms, or what is missing."""
        plan = self._align.session.plan
        result = self._align.result_of(alignment_id)
        kind = KIND_NAMES[plan.alignment(alignment_id).kind]
        if isinstance(result, NotComputed) and self._align.session.sample is None:
            return kind  # nothing is measured yet: nothing is missing
        if isinstance(result, NotComputed):
            return f"{kind} · {'in this run' if self._align.session.in_run else result.reason}"
        if result is None:
            return kind
        numbers = NumberFormat(plan.unit, plan.decimals)
        return f"{kind}{_RMS}{numbers.fine(result.rms)}"

    def paint_row(self, painter: QPainter, box: QRectF, key: str, *, selected: bool) -> None:
        """Draw one row."""
        align, theme = self._align, self.theme
        plan = align.session.plan
        if not plan.has_alignment(key):
            return
        result = align.result_of(key)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if selected:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(theme.accent_soft))
            painter.drawRoundedRect(box.adjusted(0, 1, -2, -1), 6, 6)
        draw_dial(painter, QPointF(box.x() + 24, box.center().y()), 17, align.freedoms_of(key), theme)
        in_force = key == plan.in_force
        left, width = box.x() + 46, box.width() - 52
        painter.setFont(font(13, bold=True))
        painter.setPen(QColor(theme.ink))
        said = self.line(key)
        kind, _, rms = said.partition(_RMS)
        room = width - (58 if in_force else 0)
        called = plan.alignment(key).name
        name = painter.fontMetrics().elidedText(called, Qt.TextElideMode.ElideRight, int(room))
        painter.drawText(QRectF(left, box.y() + 6, room, 18), Qt.AlignmentFlag.AlignVCenter, name)
        painter.setFont(font(11.5))
        session = align.session
        # Before anything is measured, and while it is, nothing is wrong yet.
        missing = isinstance(result, NotComputed) and session.sample is not None and not session.in_run
        bad = missing or (isinstance(result, Alignment) and not result.trusted)
        painter.setPen(QColor(theme.outside if bad else theme.soft))
        below = QRectF(left, box.y() + 25, width, 18)
        text = painter.fontMetrics().elidedText(kind, Qt.TextElideMode.ElideRight, int(width - (64 if rms else 0)))
        painter.drawText(below, Qt.AlignmentFlag.AlignVCenter, text)
        at_right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        painter.drawText(below, at_right, rms)
        if in_force:
            painter.setPen(QPen(QColor(theme.accent), 1))
            painter.setFont(font(11.5, bold=True))
            painter.drawText(QRectF(left, box.y() + 6, width, 18), at_right, "in force")
        painter.restore()
