"""Pages of a PDF for blades: what they do over their height, then a page a section with its values."""

from __future__ import annotations

from typing import TYPE_CHECKING

from reportlab.lib.units import mm as MM
from reportlab.platypus import Flowable, KeepTogether, PageBreak, Spacer, Table

from truegauge.drawing.tag_layout import Box
from truegauge.palette import INK
from truegauge.reporting.figures import MOST_CURVES, SOFT, draw_blade_curves, draw_blade_figure
from truegauge.reporting.pdf_flow import Drawn
from truegauge.reporting.pdf_rows import Heading, Row

if TYPE_CHECKING:
    from truegauge.drawing.units import NumberFormat
    from truegauge.reporting.pdf_surface import PdfSurface
    from truegauge.reporting.report import ReportBlade, ReportBladeSection

mm = float(MM)
_FIGURE, _PANEL, _COLUMNS = 118 * mm, 58 * mm, 3
_PLAIN = [(f"{side}PADDING", (0, 0), (-1, -1), 0) for side in ("LEFT", "RIGHT", "TOP", "BOTTOM")]


def blade_story(blade: ReportBlade, numbers: NumberFormat, width: float) -> list[Flowable]:
    """Return the pieces of a blade, for pages of a width."""
    story: list[Flowable] = []
    if blade.curves:
        rows = (min(len(blade.curves), MOST_CURVES) + _COLUMNS - 1) // _COLUMNS

        def curves(s: PdfSurface, wide: float) -> None:
            draw_blade_curves(s, blade, Box(0, 0, wide, rows * _PANEL), numbers)

        story = [_name(f"{blade.name}: over the height"), _line(blade.words), Drawn(rows * _PANEL, curves)]
    for page in blade.sections:
        story += [PageBreak(), *_section(page, numbers, width)] if story else _section(page, numbers, width)
    return story


def _section(page: ReportBladeSection, numbers: NumberFormat, width: float) -> list[Flowable]:
    def paint(s: PdfSurface, wide: float) -> None:
        draw_blade_figure(s, page, Box(0, 0, wide, _FIGURE), numbers)

    figure = KeepTogether([_name(page.sheet.title), Drawn(_FIGURE, paint), Spacer(1, 4 * mm)])
    if not page.results:
        return [figure]
    rows = [Row(result, numbers) for result in page.results]
    table = Table([[Heading(numbers)], *([r] for r in rows)], colWidths=[width], repeatRows=1,
                  rowHeights=[7 * mm, *(r.height for r in rows)], style=_PLAIN)  # fmt: skip
    return [figure, table]


def _name(words: str) -> Flowable:
    return Drawn(7 * mm, lambda s, width: s.text(0, 4 * mm, words, 9, INK, bold=True))


def _line(words: str) -> Flowable:
    return Drawn(6 * mm, lambda s, width: s.text(0, 3 * mm, words, 7.5, SOFT))
