"""The report as PDF: title block, picture of the map with its scale, table with gauge bars, counts, figures."""

import io
from html import escape

from reportlab import rl_config
from reportlab.lib.pagesizes import A4
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm as MM
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import (
    BaseDocTemplate,
    Flowable,
    Frame,
    KeepTogether,
    PageBreak,
    PageTemplate,
    Paragraph,
    Spacer,
)

from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.tag_layout import Box
from truegauge.palette import BRASS, INK, OUTSIDE
from truegauge.reporting.figures import (
    RULE,
    SOFT,
    STATE_COLORS,
    STATE_WORDS,
    draw_section_figure,
    draw_shadow,
    draw_view,
    shadow_height,
    view_height,
)
from truegauge.reporting.pdf_blades import blade_story
from truegauge.reporting.pdf_flow import NAME, CountedCanvas, Drawn, fitted, named, right
from truegauge.reporting.pdf_rows import table_of
from truegauge.reporting.pdf_sheets import sheet_story
from truegauge.reporting.pdf_surface import PdfSurface, drawable
from truegauge.reporting.report import Report, ReportSection, ReportShadow, ReportView

WIDTH, HEIGHT = float(A4[0]), float(A4[1])
mm = float(MM)
LEFT, RIGHT, TOP, BOTTOM = 18 * mm, WIDTH - 18 * mm, HEIGHT - 16 * mm, 18 * mm

rl_config.useA85 = 0  # bytes as they are: the files are a fifth smaller and written faster


def write_pdf(report: Report) -> bytes:
    """Return the report as PDF."""
    buffer = io.BytesIO()
    inside = Frame(LEFT, BOTTOM, RIGHT - LEFT, TOP - 8 * mm - BOTTOM, 0, 0, 0, 0)

    def page(canvas: Canvas, _: object) -> None:
        _head_and_foot(PdfSurface(canvas, 0.0), report)

    class Counted(CountedCanvas):
        foot = (RIGHT, BOTTOM - 6 * mm, 7, SOFT)

    document = BaseDocTemplate(
        buffer, pagesize=A4, invariant=1, title=f"Inspection report: {report.plan_name}",
        pageTemplates=[PageTemplate(frames=[inside], onPage=page)],
    )  # fmt: skip
    document.build(_story(report), canvasmaker=Counted)
    return buffer.getvalue()


def _story(report: Report) -> list[Flowable]:
    story: list[Flowable] = [_title_block(report), *_notes(report)]
    if any(report.counts.values()):
        story.append(_summary(report))
    sheets = [blade_story(blade, report.numbers, RIGHT - LEFT) for blade in report.blades]
    sheets += [sheet_story(sheet, report.numbers) for sheet in report.sheets]
    if not report.results and not report.views and sheets:
        first, *others = sheets
        return [*story, *first, *(piece for sheet in others for piece in (PageBreak(), *sheet))]
    if report.shadow is not None:
        story += [_shadow(report.shadow, report), Spacer(1, 4 * mm)]
    if report.views:
        story += _picture(report.views[0], report, 82 * mm)
        story.append(Spacer(1, 4 * mm))
    story.append(table_of(report.results, report.numbers, RIGHT - LEFT))
    room = (TOP - 8 * mm - BOTTOM) / 2 - 1
    figures: list[Flowable] = []
    for view in report.views[1:]:
        figures.append(KeepTogether(_picture(view, report, room - 11 * mm, fills=room)))
    figures += [KeepTogether(_section(s, report, room)) for s in report.sections]
    if figures:
        story += [PageBreak(), *figures]
    return [*story, *(piece for sheet in sheets for piece in (PageBreak(), *sheet))]


def _head_and_foot(s: PdfSurface, r: Report) -> None:
    s.text(LEFT, -TOP + 2 * mm, "Inspection report", 15, INK, bold=True)
    right(s, RIGHT, -TOP + 2 * mm, r.title.part_number or r.plan_name, 11, BRASS, bold=True)
    s.line([(LEFT, -TOP + 5.5 * mm), (RIGHT, -TOP + 5.5 * mm)], BRASS, 1.2)
    s.line([(LEFT, -BOTTOM + 2 * mm), (RIGHT, -BOTTOM + 2 * mm)], RULE, 0.5)
    s.text(LEFT, -BOTTOM + 6 * mm, f"True Gauge   {r.plan_name}, revision {r.plan_revision}", 7, SOFT)


def _title_block(r: Report) -> Flowable:
    t = r.title
    pairs = [
        ("Part", t.title or r.plan_name), ("Part number", t.part_number), ("Drawing", t.drawing),
        ("Sample", r.sample_name), ("Customer", t.customer), ("Inspector", t.inspector),
        ("Plan revision", str(r.plan_revision)), ("Report made", r.made_at),
    ]  # fmt: skip

    def paint(s: PdfSurface, width: float) -> None:
        for i, (label, value) in enumerate(pairs):
            x, y = (i % 2) * width / 2, 4 * mm + (i // 2) * 5.6 * mm
            s.text(x, y, label, 7.5, SOFT)
            fitted(s, x + 26 * mm, y, value or "-", width / 2 - 28 * mm, 9, INK)

    return Drawn(4 * 5.6 * mm + 1.5 * mm, paint)


def _notes(r: Report) -> list[Flowable]:
    """Return what is said of alignment and scan: all of it, in as many lines as it needs."""
    styles = {bad: ParagraphStyle("", fontName="B612", fontSize=7.5, leading=11, textColor=color)
              for bad, color in ((False, SOFT), (True, OUTSIDE))}  # fmt: skip
    lines = [line for line in (*r.alignment, r.statistics) if line]
    return [Paragraph(escape(drawable(line)), styles[line.startswith("Not")]) for line in lines]


def _summary(r: Report) -> Flowable:
    told = [s for s in State if s != State.UNDECIDED or r.counts[s]]

    def paint(s: PdfSurface, width: float) -> None:
        for i, state in enumerate(told):
            x, count = i * width / len(told), str(r.counts[state])
            s.box(x, 3 * mm, 1.4 * mm, 9.5 * mm, fill=STATE_COLORS[state])
            s.text(x + 4 * mm, 9.5 * mm, count, 19, INK, bold=True)
            after = x + 6.5 * mm + s.advance(count, 19, bold=True)
            s.text(after, 9.5 * mm, STATE_WORDS[state], 8.5, SOFT)

    return Drawn(18 * mm, paint)


def _picture(view: ReportView, r: Report, most: float, fills: float = 0.0) -> list[Flowable]:
    """Return a picture below its name; with `fills` both take this height together."""
    height = view_height(view, RIGHT - LEFT, most, PdfSurface.unit)

    def paint(s: PdfSurface, width: float) -> None:
        draw_view(s, view, Box(0, 0, width, height), r.numbers)

    made: list[Flowable] = [named(view.name), Drawn(height, paint)]
    return [*made, Spacer(1, fills - height - NAME)] if fills else made


def _shadow(shadow: ReportShadow, r: Report) -> Flowable:
    height = shadow_height(shadow, RIGHT - LEFT, 110 * mm)
    return Drawn(height, lambda s, width: draw_shadow(s, shadow, Box(0, 0, width, height), r.numbers))


def _section(section: ReportSection, r: Report, fills: float) -> list[Flowable]:
    height = fills - NAME - 4 * mm

    def paint(s: PdfSurface, width: float) -> None:
        draw_section_figure(s, section, Box(0, 0, width, height), r.numbers)

    return [named(section.drawing.name), Drawn(height, paint), Spacer(1, 4 * mm)]
