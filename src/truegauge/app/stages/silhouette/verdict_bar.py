"""Below the picture: the verdict of the part, very big, with counters; above it rows with statistics, on choice."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.silhouette.series_model import verdict_of
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import keep_size, painter_on, room_of, sized_size
from truegauge.app.widgets.theme import font, state_color
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.gauge_bar import DISC, RING, TRIANGLE_RIGHT, BarColors, draw_gauge_bar, draw_marker
from truegauge.drawing.units import NumberFormat

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.model import SilhouetteModel
    from truegauge.app.stages.silhouette.series_model import SeriesModel
    from truegauge.app.widgets.theme import LiveTheme

_HIGH, _ROW, _HEAD = 92, 30, 24
_WIDE, _LEAST = 520.0, 30.0  # pixels: with less there is room for values and bars only; of a column
_LOOK = {
    "good": ("GOOD", DISC, "within"), "bad": ("BAD", TRIANGLE_RIGHT, "outside"),
    "incomplete": ("INCOMPLETE", RING, "near"), "": ("", RING, ""),
}  # fmt: skip


class VerdictBar(QWidget):
    """The verdict with its shape, what is to be done, and how many were good and bad."""

    def __init__(self, model: SilhouetteModel, series: SeriesModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model, self._series, self._theme = model, series, theme
        keep_size(self, height=_HIGH)
        self.setAccessibleName("Verdict of the part")
        for signal in (series.changed, model.session.document.evaluated, model.frame_changed):
            signal.connect(self.update)

    @property
    def verdict(self) -> str:
        """What is shown: of the results that are there; empty where there is nothing to judge."""
        evaluation = self._model.session.evaluation
        if evaluation is None or not evaluation.results or isinstance(evaluation.shadow, NotComputed):
            return ""
        return verdict_of(evaluation.results)

    @property
    def said(self) -> str:
        """The line beside the verdict."""
        if self._series.is_running and self._series.note:
            return self._series.note
        evaluation = self._model.session.evaluation
        if not self.verdict or evaluation is None:
            return "No part is judged yet"
        counts = evaluation.counts()
        words = [f"{counts[s]} {str(s).replace('_', ' ')}" for s in State if counts[s]]
        return ", ".join(words)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint it."""
        painter, t = painter_on(self), self._theme
        room = room_of(self)
        painter.fillRect(room, QColor(t.raised))
        painter.fillRect(QRectF(0, 0, room.width(), 1), QColor(t.rule))
        words, marker, state = _LOOK[self.verdict]
        color = state_color(t, state)
        painter.fillRect(QRectF(0, 0, 8, room.height()), QColor(color if words else t.rule))
        left = 26.0
        if words:
            with PainterSurface(painter) as surface:
                draw_marker(surface, marker, left + 16, 34, 14.0, color)
            painter.setPen(QColor(color))
            painter.setFont(font(38, bold=True))
            painter.drawText(QRectF(left + 44, 6, 300, 54), Qt.AlignmentFlag.AlignVCenter, words)
        self._paint_counts(painter, room)
        painter.setPen(QColor(t.ink))
        painter.setFont(font(14))
        said = painter.fontMetrics().elidedText(self.said, Qt.TextElideMode.ElideRight, int(room.width() - left - 12))
        painter.drawText(QRectF(left, 60, room.width() - left - 10, 26), Qt.AlignmentFlag.AlignVCenter, said)

    def _paint_counts(self, painter: QPainter, room: QRectF) -> None:
        if not self._series.is_running and not self._series.parts:
            return
        t, counts = self._theme, self._series.counts
        shown = [("good", t.within), ("bad", t.outside)]
        shown += [(word, t.near) for word in ("incomplete", "aside") if counts[word]]
        x = room.width() - 84.0 * len(shown) - 8
        for word, color in shown:
            painter.setPen(QColor(color if counts[word] else t.soft))
            painter.setFont(font(28, bold=True))
            painter.drawText(QRectF(x, 4, 80, 36), Qt.AlignmentFlag.AlignCenter, str(counts[word]))
            painter.setPen(QColor(t.soft))
            painter.setFont(font(12))
            painter.drawText(QRectF(x, 38, 80, 18), Qt.AlignmentFlag.AlignCenter, word)
            x += 84.0


class RowsView(QWidget):
    """A row a characteristic: its value big, its gauge bar, mean and range of the last parts, and how they went."""

    def __init__(self, model: SilhouetteModel, series: SeriesModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model, self._series, self._theme = model, series, theme
        self.setAccessibleName("Values of the part, with those of the last parts")
        for signal in (series.changed, model.session.document.evaluated, model.session.document.plan_changed):
            signal.connect(self._on_changed)

    def _on_changed(self) -> None:
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        """As high as there are rows."""
        return sized_size(360, _HEAD + _ROW * max(1, len(self._model.session.plan.characteristics)) + 8)

    def minimumSizeHint(self) -> QSize:
        """All rows are seen: it scrolls."""
        return QSize(0, self.sizeHint().height())

    def rows(self) -> list[tuple[str, str, str, str]]:
        """Return name, value, mean and range of each row, as they are written."""
        evaluation, plan = self._model.session.evaluation, self._model.session.plan
        made = []
        for c in plan.characteristics:
            numbers = NumberFormat(plan.unit, plan.decimals).of(c.kind)
            result = None if evaluation is None else evaluation.result(c.id)
            value = "–" if result is None or result.measured is None else numbers.value(result.measured)
            kept = list(self._series.values.get(c.id, ()))
            mean = numbers.value(float(np.mean(kept))) if kept else ""
            spread = numbers.value(float(np.ptp(kept))) if len(kept) > 1 else ""
            made.append((f"{c.number}  {c.name}", value, mean, spread))
        return made

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the rows."""
        painter, t = painter_on(self), self._theme
        room = room_of(self)
        painter.fillRect(room, QColor(t.paper))
        wide = room.width()
        # Name, value, bar, mean, range, trend.
        shares = (0.27, 0.43, 0.62, 0.74, 0.85) if wide >= _WIDE else (0.46, 0.68, 1.0, 1.0, 1.0)
        at = [10.0, *(share * (wide - 8.0) for share in shares), wide - 8.0]
        painter.setFont(font(12))
        painter.setPen(QColor(t.soft))
        for words, left, end, right in (
            ("value", at[1], at[2] - 12, True), ("mean", at[3], at[4] - 6, True), ("range", at[4], at[5] - 8, True),
            ("last parts", at[5], at[6], False),
        ):  # fmt: skip
            if end - left < _LEAST:  # no room for what went before
                continue
            align = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            painter.drawText(QRectF(left, 2, end - left, _HEAD - 4), align | Qt.AlignmentFlag.AlignVCenter, words)
        evaluation = self._model.session.evaluation
        with PainterSurface(painter) as surface:
            for k, (c, cells) in enumerate(zip(self._model.session.plan.characteristics, self.rows(), strict=True)):
                top = _HEAD + k * _ROW
                surface.line([(8, top), (wide - 8, top)], t.rule, 1.0)
                result = None if evaluation is None else evaluation.result(c.id)
                color = t.ink if result is None else state_color(t, str(result.state))
                self._cell(painter, cells[0], at[0], at[1], top, t.ink, 13)
                self._cell(painter, cells[1], at[1], at[2] - 12, top, color, 17, right=True, bold=True)
                if result is not None:
                    box = (at[2], top + 7, at[3] - at[2] - 8, 16)
                    draw_gauge_bar(surface, box, result, BarColors(t.band, t.tick, color))
                if wide < _WIDE:
                    continue
                self._cell(painter, cells[2], at[3], at[4] - 6, top, t.soft, 12, right=True)
                self._cell(painter, cells[3], at[4], at[5] - 8, top, t.soft, 12, right=True)
                self._trend(
                    surface, list(self._series.values.get(c.id, ())), (at[5], top + 5, at[6] - at[5], _ROW - 10)
                )

    @staticmethod
    def _cell(
        painter: QPainter, text: str, left: float, end: float, top: float, color: str, size: int, *,
        right: bool = False, bold: bool = False,
    ) -> None:  # fmt: skip
        painter.setFont(font(size, bold=bold))
        painter.setPen(QColor(color))
        align = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
        said = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(end - left))
        painter.drawText(QRectF(left, top, end - left, _ROW), align | Qt.AlignmentFlag.AlignVCenter, said)

    def _trend(self, surface: PainterSurface, values: list[float], box: tuple[float, float, float, float]) -> None:
        if len(values) < 2:
            return
        x, y, wide, high = box
        low, span = min(values), max(max(values) - min(values), 1e-9)
        line = [(x + wide * k / (len(values) - 1), y + high - high * (v - low) / span) for k, v in enumerate(values)]
        surface.line(line, self._theme.soft, 1.3)
        surface.circle(*line[-1], 2.4, fill=self._theme.accent)
