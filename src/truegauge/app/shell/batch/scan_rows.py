"""The scans of a batch or an inbox: a row each, with its progress in numbers, then its worst gauge bar."""

from dataclasses import dataclass
from pathlib import Path
from typing import Any

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QPainter
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.painting import draw_marker
from truegauge.app.widgets.row_delegate import RowDelegate
from truegauge.app.widgets.theme import Theme, font, state_color
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.gauge_bar import (
    DIAMOND,
    DISC,
    RING,
    TRIANGLE_RIGHT,
    BarColors,
    GaugeBar,
    draw_bar,
    gauge_bar,
)
from truegauge.jobs.records import Record

_ROW = 48
_BAR, _VALUE = 150.0, 118.0  # pixels: of the bar, of the words before it
_MARKERS = {"outside": TRIANGLE_RIGHT, "near": DIAMOND, "undecided": RING, "within": DISC, "": RING}
_WORST = ("outside", "near", "undecided", "within")


@dataclass(frozen=True, slots=True)
class ScanRow:
    """A scan: how far it is (None: not begun), what is said of it, and its record once it is done."""

    name: str
    words: str = ""
    fraction: float | None = None
    record: Record | None = None
    is_wrong: bool = False  # left where it is, say

    @property
    def state(self) -> str:
        """The worst state of its characteristics; empty without results."""
        counts = {} if self.record is None else self.record.counts
        return next((s for s in _WORST if counts.get(s)), "")

    @property
    def is_bad(self) -> bool:
        """Whether there are no results where there should be some."""
        return self.is_wrong or (self.record is not None and self.record.failed)


def worst_of(record: Record | None) -> dict[str, Any] | None:
    """Return the characteristic of a results document that is the farthest out of its tolerance; None of none."""
    if record is None or record.results is None:
        return None
    judged = [c for c in record.results["characteristics"] if c["measured"] is not None and c["state"] in _WORST]
    return max(judged, key=_share, default=None)


def _share(c: dict[str, Any]) -> float:
    """Return how much of the tolerance is used, above 1 is outside: from its middle, or to its one limit."""
    measured, nominal, lower, upper = c["measured"], c["nominal"] or 0.0, c["lower"], c["upper"]
    if lower is None and upper is None:
        return 0.0
    middle = nominal if lower is None or upper is None else (lower + upper) / 2
    reach = (upper - middle) if upper is not None else (lower - middle)
    off = float(measured - middle)
    if reach == 0:
        return float("inf") if off else 0.0
    return abs(off / reach) if lower is not None and upper is not None else float(off / reach)


def bar_of_entry(c: dict[str, Any]) -> GaugeBar:
    """Return the gauge bar of a characteristic in a results document."""
    return gauge_bar(c["measured"], c["nominal"] or 0.0, c["lower"], c["upper"], State(c["state"]))


class ScanRows(QListWidget):
    """Opening a row asks to see the scan in the window."""

    wanted = Signal(str)  # the path of a scan

    def __init__(self, theme: Theme, name: str) -> None:
        super().__init__()
        self._theme = theme
        self.rows: list[ScanRow] = []
        self.setItemDelegate(RowDelegate(self, self, _ROW))
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(name)
        self.itemActivated.connect(self._on_activated)

    def _on_activated(self, item: QListWidgetItem) -> None:
        record = self.rows[int(item.data(Qt.ItemDataRole.UserRole))].record
        if record is not None and not record.failed:
            self.wanted.emit(record.scan)

    def show_rows(self, rows: list[ScanRow]) -> None:
        """Show these rows."""
        while self.count() > len(rows):
            self.takeItem(self.count() - 1)
        while self.count() < len(rows):
            item = QListWidgetItem()
            item.setData(Qt.ItemDataRole.UserRole, str(self.count()))
            self.addItem(item)
        for k, row in enumerate(rows):
            if k >= len(self.rows) or self.rows[k] != row:
                said = row.words or (row.record.words if row.record is not None else "")
                self.item(k).setToolTip(f"{row.name}\n{said}")
                self.item(k).setData(Qt.ItemDataRole.AccessibleTextRole, f"{row.name}, {_progress(row)} {said}")
        self.rows = rows
        self.viewport().update()

    def paint_row(self, painter: QPainter, box: QRectF, key: str, *, selected: bool) -> None:
        """Draw one row."""
        if int(key) >= len(self.rows):
            return
        row, t = self.rows[int(key)], self._theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if selected:
            painter.fillRect(box, QColor(t.accent_soft))
        painter.setPen(QColor(t.rule))
        painter.drawLine(QPointF(box.x(), box.bottom() - 0.5), QPointF(box.right(), box.bottom() - 0.5))
        color = t.outside if row.is_bad else state_color(t, row.state) if row.state else t.soft
        marker = TRIANGLE_RIGHT if row.is_bad else _MARKERS[row.state]
        draw_marker(painter, marker, QPointF(box.x() + 16, box.center().y()), 5.5, color)
        end = self._right(painter, box, row)
        room = end - box.x() - 44
        painter.setFont(font(13, bold=True))
        painter.setPen(QColor(t.ink))
        self._say(painter, QPointF(box.x() + 34, box.y() + 20), row.name, room)
        painter.setFont(font(12))
        painter.setPen(QColor(t.outside if row.is_bad else t.soft))
        said = row.words or (row.record.words if row.record is not None else "")
        self._say(painter, QPointF(box.x() + 34, box.y() + 38), said, room)

    def _say(self, painter: QPainter, at: QPointF, text: str, room: float) -> None:
        painter.drawText(at, QFontMetricsF(painter.font()).elidedText(text, Qt.TextElideMode.ElideMiddle, room))

    def _right(self, painter: QPainter, box: QRectF, row: ScanRow) -> float:
        """Draw progress or the worst characteristic at the right; returns how far left it comes."""
        t, left = self._theme, box.right() - _BAR - 14
        worst = worst_of(row.record)
        painter.setFont(font(13, bold=True))
        if worst is not None:
            bar, state = bar_of_entry(worst), str(worst["state"])
            with PainterSurface(painter) as surface:
                draw_bar(surface, (left, box.y() + 16, _BAR, 18), bar, BarColors(t.band, t.tick, state_color(t, state)))
            painter.setPen(QColor(t.outside if state == "outside" else t.ink))
            value = f"{worst['measured']:.3f}"
            painter.drawText(QRectF(left - _VALUE, box.y() + 5, _VALUE - 10, 20), Qt.AlignmentFlag.AlignRight, value)
            painter.setFont(font(11))
            painter.setPen(QColor(t.soft))
            where = QRectF(left - _VALUE, box.y() + 26, _VALUE - 10, 18)
            painter.drawText(where, Qt.AlignmentFlag.AlignRight, f"worst: no. {worst['number']}")
            return left - _VALUE
        if row.record is None and row.fraction is not None and not row.is_wrong:
            rail = QRectF(left, box.center().y() - 3, _BAR, 6)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.band))
            painter.drawRoundedRect(rail, 3, 3)
            painter.setBrush(QColor(t.accent))
            painter.drawRoundedRect(QRectF(rail.x(), rail.y(), rail.width() * row.fraction, rail.height()), 3, 3)
            painter.setPen(QColor(t.ink))
            where = QRectF(left - _VALUE, box.y(), _VALUE - 12, box.height())
            middle = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
            painter.drawText(where, middle, _progress(row))
            return left - 60
        return box.right() - 10


def _progress(row: ScanRow) -> str:
    return "" if row.fraction is None or row.record is not None else f"{100 * row.fraction:.0f} %"


def row_of(scan: Path, fraction: float | None, words: str, record: Record | None) -> ScanRow:
    """Return the row of a scan; of one that is done its record speaks."""
    return ScanRow(scan.name, "" if record is not None else words, fraction, record)
