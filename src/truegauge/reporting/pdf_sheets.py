"""Pages of a PDF for surface checks: limits, the map, the table, and those that are to be seen to closely."""

from __future__ import annotations

from html import escape
from typing import TYPE_CHECKING

from reportlab.lib.colors import HexColor
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm as MM
from reportlab.platypus import Flowable, KeepTogether, Paragraph, Spacer, Table

from truegauge.drawing.surface_figure import draw_cut, draw_flat
from truegauge.drawing.surface_numbers import tag_texts
from truegauge.palette import BRASS, INK, OUTSIDE
from truegauge.reporting.figures import FLAT_COLORS, RULE, SOFT, STATE_COLORS, STATE_WORDS
from truegauge.reporting.pdf_flow import Drawn, named
from truegauge.reporting.pdf_surface import PdfSurface, drawable
from truegauge.reporting.surface_sheet import HEADS

if TYPE_CHECKING:
    from truegauge.core.imperfections.search import Found
    from truegauge.drawing.units import NumberFormat
    from truegauge.reporting.surface_sheet import SurfaceSheet

mm = float(MM)
_WIDTHS = (8, 12, 15, 11, 14, 14, 13, 15, 14, 14, 15, 15, 14)  # mm
_MAP, _CLOSE, _ROW = 105 * mm, 49 * mm, 4.6 * mm
_FONT = 6.6


def sheet_story(sheet: SurfaceSheet, numbers: NumberFormat) -> list[Flowable]:
    """Return the pieces of a surface check."""
    found = sheet.found
    style = ParagraphStyle("", fontName="B612", fontSize=7.5, leading=11, textColor=SOFT if found else OUTSIDE)
    story: list[Flowable] = [named(f"Surface: {sheet.check.name}")]
    story += [Paragraph(escape(drawable(line)), style) for line in sheet.words(numbers)]
    story.append(Spacer(1, 2 * mm))
    if found is None:
        return story
    if sheet.judged:
        story += [_limits(sheet, numbers), Spacer(1, 3 * mm)]

    def whole(s: PdfSurface, width: float) -> None:
        draw_flat(s, (0, 0, width, _MAP), found, numbers, sheet.check.least, FLAT_COLORS, bad=sheet.bad,
                  words=tag_texts(found.imperfections, sheet.check.tags, numbers))  # fmt: skip

    story += [Drawn(_MAP, whole), Spacer(1, 3 * mm)]
    if found.imperfections:
        story += [_table(sheet, numbers), Spacer(1, 4 * mm)]
    story += [KeepTogether(_close(sheet, found, numbers, k)) for k in sheet.close]
    return story


def _limits(sheet: SurfaceSheet, numbers: NumberFormat) -> Flowable:
    rows = sheet.limit_rows(numbers)

    def paint(s: PdfSurface, width: float) -> None:
        for k, (words, limit, value, of, state) in enumerate(rows):
            y = (k + 0.75) * 6 * mm
            s.box(0, y - 4 * mm, 1.4 * mm, 5 * mm, fill=STATE_COLORS[state])
            s.text(4 * mm, y, words, 8.5, INK)
            s.text(58 * mm, y, limit, 8.5, SOFT)
            s.text(95 * mm, y, value, 10, INK, bold=True)
            s.text(130 * mm, y, of, 7.5, SOFT)
            s.text(150 * mm, y, STATE_WORDS[state], 8.5, STATE_COLORS[state] if state == "outside" else SOFT)

    return Drawn(len(rows) * 6 * mm, paint)


def _table(sheet: SurfaceSheet, numbers: NumberFormat) -> Flowable:
    heads = [f"{h} {numbers.unit}" if h == "Depth" else h for h in HEADS]
    rows = [[drawable(cell) for cell in row] for row in sheet.rows(numbers)]
    total = sum(_WIDTHS)
    style = [
        ("FONT", (0, 0), (-1, -1), "B612", _FONT), ("FONT", (0, 0), (-1, 0), "B612-Bold", _FONT),
        ("FONT", (2, 1), (2, -1), "B612-Bold", _FONT + 0.8), ("TEXTCOLOR", (0, 0), (-1, -1), HexColor(INK)),
        ("ALIGN", (2, 0), (-1, -1), "RIGHT"), ("LINEBELOW", (0, 0), (-1, 0), 0.6, HexColor(BRASS)),
        ("LINEBELOW", (0, 1), (-1, -1), 0.25, HexColor(RULE)), ("LEFTPADDING", (0, 0), (-1, -1), 1),
        ("RIGHTPADDING", (0, 0), (-1, -1), 1), ("TOPPADDING", (0, 0), (-1, -1), 1),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1), ("VALIGN", (0, 0), (-1, -1), "MIDDLE"),
        *(("TEXTCOLOR", (0, k + 1), (-1, k + 1), HexColor(OUTSIDE)) for k in sheet.bad),
    ]  # fmt: skip
    return Table([heads, *rows], colWidths=[174 * mm * w / total for w in _WIDTHS], repeatRows=1, style=style,
                 rowHeights=[_ROW] * (len(rows) + 1), hAlign="LEFT")  # fmt: skip


def _close(sheet: SurfaceSheet, found: Found, numbers: NumberFormat, number: int) -> list[Flowable]:
    one = found.imperfections[number]

    def paint(s: PdfSurface, width: float) -> None:
        check = sheet.check
        draw_flat(s, (0, 0, _CLOSE, _CLOSE), found, numbers, check.least, FLAT_COLORS, close=number, bad=sheet.bad)
        left, high = _CLOSE + 4 * mm, (_CLOSE - 4 * mm) / 2
        for k, across in enumerate((False, True)):
            box = (left, k * (high + 4 * mm), width - left, high)
            draw_cut(s, box, found, one, numbers, check.levels, FLAT_COLORS, 12 * s.unit, across=across)

    words = sheet.close_words(number, numbers)
    return [named(words), Drawn(_CLOSE, paint), Spacer(1, 4 * mm)]
