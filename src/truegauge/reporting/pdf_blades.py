"""Pages of a PDF for blades: what they do over their height, then a page a section with its values."""

from __future__ import annotations

from typing import TYPE_CHECKING

from reportlab.lib.units import mm as MM
from reportlab.platypus import Flowable, KeepTogether, PageBreak, Spacer

from truegauge.drawing.tag_layout import Box
from truegauge.reporting.figures import MOST_CURVES, SOFT, draw_blade_curves, draw_blade_figure
from truegauge.reporting.pdf_flow import Drawn, named
from truegauge.reporting.pdf_rows import table_of

if TYPE_CHECKING:
    from truegauge.drawing.units import NumberFormat
    from truegauge.reporting.pdf_surface import PdfSurface
    from truegauge.reporting.report import ReportBlade, ReportBladeSection

mm = float(MM)
_FIGURE, _PANEL, _COLUMNS = 118 * mm, 58 * mm, 3


def blade_story(blade: ReportBlade, numbers: NumberFormat, width: float) -> list[Flowable]:
    """Return the pieces of a blade, for pages of a width."""
    story: list[Flowable] = []
    if blade.curves:
        rows = (min(len(blade.curves), MOST_CURVES) + _COLUMNS - 1) // _COLUMNS

        def curves(s: PdfSurface, wide: float) -> None:
            draw_blade_curves(s, blade, Box(0, 0, wide, rows * _PANEL), numbers)

        story = [named(f"{blade.name}: over the height"), _line(blade.words), Drawn(rows * _PANEL, curves)]
    for page in blade.sections:
        story += [PageBreak(), *_section(page, numbers, width)] if story else _section(page, numbers, width)
    return story


def _section(page: ReportBladeSection, numbers: NumberFormat, width: float) -> list[Flowable]:
    def paint(s: PdfSurface, wide: float) -> None:
        draw_blade_figure(s, page, Box(0, 0, wide, _FIGURE), numbers)

    figure = KeepTogether([named(page.sheet.title), Drawn(_FIGURE, paint), Spacer(1, 4 * mm)])
    return [figure, table_of(page.results, numbers, width)] if page.results else [figure]


def _line(words: str) -> Flowable:
    return Drawn(6 * mm, lambda s, width: s.text(0, 3 * mm, words, 7.5, SOFT))
