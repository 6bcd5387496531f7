"""The report as PDF: title block, picture of the map with its scale, table with gauge bars, counts."""

import io
from typing import Any

from reportlab import rl_config
from reportlab.lib.colors import HexColor
from reportlab.lib.pagesizes import A4
from reportlab.lib.units import mm as MM
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfgen.canvas import Canvas

from truegauge.core.characteristics.registry import kind_named
from truegauge.core.evaluation.results import Result
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.fitting import fitting
from truegauge.drawing.frame_cells import frame_text, has_frame
from truegauge.drawing.gauge_bar import BarColors, draw_gauge_bar
from truegauge.drawing.glyphs import draw_glyph
from truegauge.drawing.tag_layout import Box
from truegauge.drawing.units import NumberFormat, limits_text
from truegauge.palette import BRASS, INK, OUTSIDE
from truegauge.reporting.pdf_figures import BAND, RULE, SOFT, STATE_COLORS, draw_picture, draw_section_figure
from truegauge.reporting.pdf_surface import PdfSurface
from truegauge.reporting.report import Report

WIDTH, HEIGHT = float(A4[0]), float(A4[1])
mm = float(MM)
LEFT, RIGHT, TOP, BOTTOM = 18 * mm, WIDTH - 18 * mm, HEIGHT - 16 * mm, 18 * mm
ROW = 8.4 * mm
STATE_WORDS = {
    State.WITHIN: "within",
    State.NEAR: "near a limit",
    State.OUTSIDE: "outside",
    State.UNDECIDED: "not decided yet",
    State.NOT_MEASURED: "not measured",
}
_SOFT, _RULE, _BAND = SOFT, RULE, BAND


rl_config.useA85 = 0  # bytes as they are: the files are a fifth smaller and written faster


class _Counted(Canvas):  # type: ignore[misc]
    """Knows how many pages there are when it writes their feet: pages are kept until the last."""

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self._kept: list[dict[str, Any]] = []

    def showPage(self) -> None:
        """Keep the page."""
        self._kept.append(dict(self.__dict__))
        self._startPage()

    def save(self) -> None:
        """Write all pages."""
        for number, page in enumerate(self._kept, 1):
            self.__dict__.update(page)
            text = f"page {number} of {len(self._kept)}"
            self.setFont("B612", 7)
            self.setFillColor(HexColor(_SOFT))
            self.drawRightString(RIGHT, BOTTOM - 6 * mm, text)
            super().showPage()
        super().save()


def write_pdf(report: Report) -> bytes:
    """Return the report as PDF."""
    return _Writer(report).write()


class _Writer:
    def __init__(self, report: Report) -> None:
        self.report = report
        self.buffer = io.BytesIO()
        self.canvas = _Counted(self.buffer, pagesize=A4, invariant=1)
        self.surface = PdfSurface(self.canvas, 0.0)
        self.canvas.setTitle(f"Inspection report: {report.plan_name}")
        self.pages = 0

    def write(self) -> bytes:
        self._frame()
        y = self._title_block(TOP - 12 * mm)
        y = self._summary(y)
        if self.report.views:
            y = self._first_picture(y)
        y = self._heading(y)
        for result in self.report.results:
            if y - ROW < BOTTOM + 4 * mm:
                self._frame()
                y = self._heading(TOP - 14 * mm)
            y = self._row(result, y)
        self._figures()
        self.canvas.showPage()
        self.canvas.save()
        return self.buffer.getvalue()

    def _figures(self) -> None:
        """Put the other pictures and the sections on pages of their own, two a page."""
        r = self.report
        figures = [(v.name, v, None) for v in r.views[1:]] + [(s.drawing.name, None, s) for s in r.sections]
        top, height = TOP - 12 * mm, (TOP - 12 * mm - BOTTOM - 2 * mm) / 2
        for k, (name, view, section) in enumerate(figures):
            if k % 2 == 0:
                self._frame()
            y = top - (k % 2) * height
            self.text(LEFT, y - 4 * mm, name, 9, bold=True)
            box = Box(LEFT, y - 7 * mm, RIGHT - LEFT, height - 11 * mm)
            if view is not None:
                draw_picture(self, view, box, r.numbers)
            elif section is not None:
                draw_section_figure(self, section.drawing, box, section.scale, r.numbers)

    # Text ------------------------------------------------------------------------------------------------------

    def text(self, x: float, y: float, text: str, size: float = 8, bold: bool = False, color: str = INK) -> None:
        self.canvas.setFont("B612-Bold" if bold else "B612", size)
        self.canvas.setFillColor(HexColor(color))
        self.canvas.drawString(x, y, self._drawable(text))

    def right(self, x: float, y: float, text: str, size: float = 8, bold: bool = False, color: str = INK) -> None:
        width = pdfmetrics.stringWidth(self._drawable(text), "B612-Bold" if bold else "B612", size)
        self.text(x - width, y, text, size, bold, color)

    def fitted(self, x: float, y: float, text: str, width: float, size: float = 8, color: str = INK) -> None:
        text = self._drawable(text)
        text = fitting(text, lambda part: pdfmetrics.stringWidth(part, "B612", size) <= width)
        self.text(x, y, text, size, color=color)

    def _drawable(self, text: str) -> str:
        return self.surface.drawable(text)

    # Parts of the page -----------------------------------------------------------------------------------------

    def _frame(self) -> None:
        if self.pages:
            self.canvas.showPage()
        self.pages += 1
        r = self.report
        self.text(LEFT, TOP - 2 * mm, "Inspection report", 15, bold=True)
        self.right(RIGHT, TOP - 2 * mm, r.title.part_number or r.plan_name, 11, bold=True, color=BRASS)
        self._rule(TOP - 5.5 * mm, BRASS, 1.2)
        self._rule(BOTTOM - 2 * mm, _RULE, 0.5)
        self.text(LEFT, BOTTOM - 6 * mm, f"True Gauge   {r.plan_name}, revision {r.plan_revision}", 7, color=_SOFT)

    def _rule(self, y: float, color: str, width: float) -> None:
        self.canvas.setStrokeColor(HexColor(color))
        self.canvas.setLineWidth(width)
        self.canvas.line(LEFT, y, RIGHT, y)

    def _title_block(self, y: float) -> float:
        r, t = self.report, self.report.title
        pairs = [
            ("Part", t.title or r.plan_name), ("Part number", t.part_number), ("Drawing", t.drawing),
            ("Sample", r.sample_name), ("Customer", t.customer), ("Inspector", t.inspector),
            ("Plan revision", str(r.plan_revision)), ("Report made", r.made_at),
        ]  # fmt: skip
        half = (RIGHT - LEFT) / 2
        for i, (label, value) in enumerate(pairs):
            x, row = LEFT + (i % 2) * half, y - (i // 2) * 5.6 * mm
            self.text(x, row, label, 7.5, color=_SOFT)
            self.fitted(x + 26 * mm, row, value or "-", half - 28 * mm, 9)
        y -= 4 * 5.6 * mm
        for line in (*r.alignment, r.statistics):
            if line:
                self.fitted(LEFT, y, line, RIGHT - LEFT, 7.5, OUTSIDE if line.startswith("Not") else _SOFT)
                y -= 4.2 * mm
        return y - 2 * mm

    def _summary(self, y: float) -> float:
        told = [s for s in State if s != State.UNDECIDED or self.report.counts[s]]
        box = (RIGHT - LEFT) / len(told)
        for i, state in enumerate(told):
            x = LEFT + i * box
            self.canvas.setFillColor(HexColor(STATE_COLORS[state]))
            self.canvas.rect(x, y - 8.5 * mm, 1.4 * mm, 9.5 * mm, stroke=0, fill=1)
            count = str(self.report.counts[state])
            self.text(x + 4 * mm, y - 5.5 * mm, count, 19, bold=True)
            after = pdfmetrics.stringWidth(count, "B612-Bold", 19)
            self.text(x + 6.5 * mm + after, y - 5.5 * mm, STATE_WORDS[state], 8.5, color=_SOFT)
        return y - 14 * mm

    def _first_picture(self, y: float) -> float:
        view, height = self.report.views[0], 88 * mm
        draw_picture(self, view, Box(LEFT, y, RIGHT - LEFT, height - 6 * mm), self.report.numbers)
        self.text(LEFT, y - height + 2 * mm, view.name, 7, color=_SOFT)
        return y - height

    _COLUMNS = (LEFT, LEFT + 9 * mm, LEFT + 16 * mm, LEFT + 80 * mm, LEFT + 108 * mm, LEFT + 126 * mm, RIGHT - 32 * mm)

    def _heading(self, y: float) -> float:
        number, _, name, nominal, _, measured, bar = self._COLUMNS
        self.text(number, y - 4 * mm, "No.", 7, color=_SOFT)
        self.text(name, y - 4 * mm, f"Characteristic ({self.report.numbers.unit})", 7, color=_SOFT)
        self.right(nominal, y - 4 * mm, "Nominal", 7, color=_SOFT)
        self.right(self._COLUMNS[4], y - 4 * mm, "Limits", 7, color=_SOFT)
        self.right(measured, y - 4 * mm, "Measured", 7, color=_SOFT)
        self.right(bar - 3 * mm, y - 4 * mm, "Deviation", 7, color=_SOFT)
        self._rule(y - 5.6 * mm, INK, 0.7)
        return y - 7 * mm

    def _row(self, result: Result, y: float) -> float:
        c, n = result.characteristic, self.report.numbers.of(result.characteristic.kind)
        number, glyph, name, nominal, limits, measured, bar = self._COLUMNS
        base = y - 5 * mm
        self.text(number, base, str(c.number), 8, color=_SOFT)
        kind = kind_named(c.kind)
        if kind.symbol:
            draw_glyph(self.surface, kind.symbol, glyph, -base - 3.5 * mm, 4.6 * mm, INK, 0.8)
        lifted = 1.2 * mm if _aside(result, n) else 0.0
        self.fitted(name, base + lifted, c.name, nominal - name - 18 * mm, 8.5)
        one_sided = kind.one_sided
        self.right(nominal, base, "" if one_sided else n.value(c.nominal), 8)
        self.right(limits, base, limits_text(n, c.nominal, result.lower, result.upper), 7, color=_SOFT)
        said = _aside(result, n)
        if said:
            self.fitted(name, base - 1.7 * mm, said, limits - name - 22 * mm, 5.8, _SOFT)
        if result.measured is None or result.deviation is None:
            reason = f"not measured: {result.reason}"
            self.fitted(limits + 3 * mm, base, reason, RIGHT - limits - 3 * mm, 6.5, _SOFT)
        else:
            color = STATE_COLORS[result.state] if result.state == State.OUTSIDE else INK
            self.right(measured, base, n.value(result.measured), 9, bold=True, color=color)
            self.right(bar - 3 * mm, base, "" if one_sided else n.signed(result.deviation), 8, color=_SOFT)
            colors = BarColors(_BAND, "#A59F8F", STATE_COLORS[result.state])
            draw_gauge_bar(self.surface, (bar, -y + 2.1 * mm, RIGHT - bar, 4.2 * mm), result, colors)
        self._rule(y - 7.6 * mm, _RULE, 0.3)
        return y - ROW


def _aside(result: Result, n: NumberFormat) -> str:
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
