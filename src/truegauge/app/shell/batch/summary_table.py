"""The summary of a batch: characteristics by samples, each cell with its value and where it stands in its tolerance."""

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QTableWidget, QTableWidgetItem

from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import at_100, enlarge, sized, sized_size
from truegauge.app.widgets.theme import Theme, font, state_color
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.gauge_bar import BarColors, draw_bar, gauge_bar
from truegauge.jobs.summary import Summary, SummaryCell, SummaryRow

_CELL = Qt.ItemDataRole.UserRole
_HEADS, _FIRST = ("No.", "Characteristic", "Nominal", "Lower", "Upper"), 5
_TAIL = ("Mean", "Std. dev.", "Outside")
_WIDE, _HIGH = 112, 40
_WORDS = {"near": "near a limit", "not_measured": "not measured", "undecided": "not decided yet"}


class SummaryTable(QTableWidget):
    """Opening a cell asks to see why it is so."""

    wanted = Signal(str, int)  # the scan of a sample, the number of a characteristic

    def __init__(self, theme: Theme) -> None:
        super().__init__()
        self._theme = theme
        self._shown: Summary | None = None
        self.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.verticalHeader().hide()
        self.setShowGrid(False)
        self.setAccessibleName("summary: characteristics by samples")
        self.setItemDelegate(_Cell(theme, self))
        self.cellActivated.connect(self._on_cell)
        self.cellDoubleClicked.connect(self._on_cell)

    def _on_cell(self, row: int, column: int) -> None:
        if self._shown is not None and 0 <= column - _FIRST < len(self._shown.samples):
            sample = self._shown.samples[column - _FIRST]
            if not sample.reason:
                self.wanted.emit(sample.scan, self._shown.rows[row].number)

    def show_summary(self, summary: Summary) -> None:
        """Show it."""
        self._shown = summary
        heads = [*_HEADS, *(s.name for s in summary.samples), *_TAIL]
        self.clear()
        self.setColumnCount(len(heads))
        self.setHorizontalHeaderLabels(heads)
        self.setRowCount(len(summary.rows))
        for k, r in enumerate(summary.rows):
            texts = [str(r.number), r.name, *("" if v is None else f"{v:.3f}" for v in (r.nominal, r.lower, r.upper))]
            for column, text in enumerate(texts):
                self._put(k, column, text, left=column == 1)
            for column, cell in enumerate(r.cells, _FIRST):
                item = self._put(k, column, _spoken(cell))
                item.setData(_CELL, (r, cell))
                item.setToolTip(f"{cell.reason or _spoken(cell)}\nDouble-click to see why")
            tail = [*("" if v is None else f"{v:.4f}" for v in (r.mean, r.deviation)), str(r.outside)]
            for column, text in enumerate(tail, _FIRST + len(r.cells)):
                item = self._put(k, column, text)
                if column == len(heads) - 1 and r.outside:
                    item.setForeground(QColor(self._theme.outside))
            self.setRowHeight(k, sized(_HIGH))
        self.resizeColumnsToContents()

    def _put(self, row: int, column: int, text: str, *, left: bool = False) -> QTableWidgetItem:
        item = QTableWidgetItem(text)
        side = Qt.AlignmentFlag.AlignLeft if left else Qt.AlignmentFlag.AlignRight
        item.setTextAlignment(side | Qt.AlignmentFlag.AlignVCenter)
        self.setItem(row, column, item)
        return item


def _spoken(cell: SummaryCell) -> str:
    if cell.measured is None:
        return "not measured"
    bonus = f" ({cell.bonus:+.3f} bonus)" if cell.bonus else ""
    return f"{cell.measured:.3f}{bonus} {_WORDS.get(cell.state, cell.state)}"


class _Cell(QStyledItemDelegate):
    """Paints the value over its gauge bar."""

    def __init__(self, theme: Theme, parent: QTableWidget) -> None:
        super().__init__(parent)
        self._theme = theme

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        """Cells of samples are as wide as a gauge bar."""
        if index.data(_CELL) is None:
            return super().sizeHint(option, index) + QSize(sized(8), 0)
        return sized_size(_WIDE, _HIGH)

    def paint(
        self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex
    ) -> None:
        """Draw a cell."""
        held: tuple[SummaryRow, SummaryCell] | None = index.data(_CELL)
        if held is None:
            super().paint(painter, option, index)
            return
        (row, cell), t = held, self._theme
        painter.save()
        enlarge(painter)
        box = at_100(QRectF(option.rect))  # type: ignore[attr-defined]
        if option.state & QStyle.StateFlag.State_Selected:  # type: ignore[attr-defined]
            painter.fillRect(box, QColor(t.accent_soft))
        outside = cell.state == "outside"
        painter.setFont(font(12, bold=True))
        painter.setPen(QColor(t.outside if outside else t.soft if cell.measured is None else t.ink))
        text = "not measured" if cell.measured is None else f"{cell.measured:.3f}"
        if cell.measured is None:
            painter.setFont(font(11))
        painter.drawText(QPointF(box.x() + 8, box.y() + 15), text)
        upper = None if row.upper is None else row.upper + cell.bonus
        bar = gauge_bar(cell.measured, row.nominal or 0.0, row.lower, upper, State(cell.state))
        with PainterSurface(painter) as surface:
            where = (box.x() + 6, box.y() + 20, box.width() - 12, 16)
            draw_bar(surface, where, bar, BarColors(t.band, t.tick, state_color(t, cell.state)))
        painter.restore()
