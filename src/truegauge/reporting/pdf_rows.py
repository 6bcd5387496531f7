"""The lines of the table in a PDF: what is required, what was measured, and its gauge bar."""

from collections.abc import Sequence

from reportlab.lib.units import mm as MM
from reportlab.lib.utils import simpleSplit
from reportlab.platypus import Table

from truegauge.core.characteristics.registry import kind_named
from truegauge.core.evaluation.results import Result
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.frame_cells import frame_text, has_frame
from truegauge.drawing.gauge_bar import BarColors, draw_gauge_bar
from truegauge.drawing.glyphs import draw_glyph
from truegauge.drawing.units import NumberFormat, limits_text
from truegauge.palette import INK
from truegauge.reporting.figures import BAND, RULE, SOFT, STATE_COLORS, TICK
from truegauge.reporting.pdf_flow import Drawn, fitted, right
from truegauge.reporting.pdf_surface import PdfSurface

mm = float(MM)
_GLYPH, _NAME, _NOMINAL, _LIMITS, _MEASURED, _BAR = 9 * mm, 16 * mm, 80 * mm, 108 * mm, 126 * mm, 32 * mm
_HIGH, _SMALL, _LEAD = 7.6 * mm, 5.8, 6.8


class Heading(Drawn):
    """The heading of the table."""

    def __init__(self, numbers: NumberFormat) -> None:
        super().__init__(7 * mm, self._paint)
        self._unit = numbers.unit

    def _paint(self, s: PdfSurface, width: float) -> None:
        base = 4 * mm
        s.text(0, base, "No.", 7, SOFT)
        s.text(_NAME, base, f"Characteristic ({self._unit})", 7, SOFT)
        for x, words in (
            (_NOMINAL, "Nominal"), (_LIMITS, "Limits"), (_MEASURED, "Measured"), (width - _BAR - 3 * mm, "Deviation"),
        ):  # fmt: skip
            right(s, x, base, words, 7, SOFT)
        s.line([(0, 5.6 * mm), (width, 5.6 * mm)], INK, 0.7)


class Row(Drawn):
    """One result. What is said beside its value takes as many lines as it needs."""

    def __init__(self, result: Result, numbers: NumberFormat) -> None:
        self._result, self._numbers = result, numbers.of(result.characteristic.kind)
        measured = result.measured is not None and result.deviation is not None
        self._wide = _LIMITS - _NAME - 22 * mm if measured else _NOMINAL - _NAME - 4 * mm
        self._said = simpleSplit(aside(result, self._numbers), "B612", _SMALL, self._wide)
        self._why = [] if measured else simpleSplit(f"not measured: {result.reason}", "B612", 6.5, 68 * mm)
        more = max(len(self._said) - 1, len(self._why) - 1, 0)
        super().__init__(_HIGH + 0.8 * mm + more * _LEAD, self._paint)

    def _paint(self, s: PdfSurface, width: float) -> None:
        result, n, c = self._result, self._numbers, self._result.characteristic
        base = 5 * mm
        s.text(0, base, str(c.number), 8, SOFT)
        kind = kind_named(c.kind)
        if kind.symbol:
            draw_glyph(s, kind.symbol, _GLYPH, base - 3.5 * mm, 4.6 * mm, INK, 0.8)
        one_sided, lifted = kind.one_sided, 1.2 * mm if self._said else 0.0
        fitted(s, _NAME, base - lifted, c.name, _NOMINAL - _NAME - 18 * mm, 8.5, INK)
        right(s, _NOMINAL, base, "" if one_sided else n.value(c.nominal), 8, INK)
        right(s, _LIMITS, base, limits_text(n, c.nominal, result.lower, result.upper), 7, SOFT)
        for k, line in enumerate(self._said):
            s.text(_NAME, base + 1.7 * mm + k * _LEAD, line, _SMALL, SOFT)
        if result.measured is None or result.deviation is None:
            for k, line in enumerate(self._why):
                s.text(_LIMITS + 3 * mm, base + k * _LEAD, line, 6.5, SOFT)
        else:
            color = STATE_COLORS[result.state] if result.state == State.OUTSIDE else INK
            bar = width - _BAR
            right(s, _MEASURED, base, n.value(result.measured), 9, color, bold=True)
            right(s, bar - 3 * mm, base, "" if one_sided else n.signed(result.deviation), 8, SOFT)
            draw_gauge_bar(
                s, (bar, 2.1 * mm, _BAR, 4.2 * mm), result, BarColors(BAND, TICK, STATE_COLORS[result.state])
            )
        end = self.height - 0.8 * mm
        s.line([(0, end), (width, end)], RULE, 0.3)


def aside(result: Result, n: NumberFormat) -> str:
    """Return what a line says besides its value: frame with the datum system, bonus, uncertainty."""
    c, parts = result.characteristic, []
    if has_frame(c) and (c.datums or c.modifiers):
        parts.append(frame_text(c, n))
    elif c.datums:
        parts.append(f"in {c.system_text}")
    if c.fit:
        parts.append(c.fit)
    if result.definition:
        parts.append(result.definition)
    if result.general:
        parts.append(result.general)
    if result.bonus:
        parts.append(f"with bonus {n.signed(result.bonus)}")
    if result.uncertainty is not None:
        parts.append(f"u {NumberFormat(n.unit, n.decimals + 1).value(result.uncertainty)}")
    if result.warning:
        parts.append(result.warning)
    if result.state in (State.NEAR, State.UNDECIDED) and result.decision:
        parts.append(result.decision)
    if result.dominated:
        parts.append("uncertainty above a third of the tolerance")
    return "; ".join(parts)


def table_of(results: Sequence[Result], numbers: NumberFormat, width: float) -> Table:
    """Return results as a table of a width; its heading stands on every page that it goes over to."""
    rows = [Row(result, numbers) for result in results]
    plain = [(f"{side}PADDING", (0, 0), (-1, -1), 0) for side in ("LEFT", "RIGHT", "TOP", "BOTTOM")]
    return Table([[Heading(numbers)], *([r] for r in rows)], colWidths=[width], repeatRows=1,
                 rowHeights=[7 * mm, *(r.height for r in rows)], style=plain)  # fmt: skip
