"""Figures on the pages of a report: pictures with their scale and tags, and sections."""

import io
from typing import Protocol

import numpy as np
from reportlab.lib.colors import HexColor
from reportlab.lib.units import mm as MM
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfgen.canvas import Canvas

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.gauge_bar import BarColors
from truegauge.drawing.section_drawing import SectionDrawing
from truegauge.drawing.tag_layout import Box, TagBox, place_tags
from truegauge.drawing.tags import TagColors, draw_tag, tag_size
from truegauge.drawing.units import NumberFormat
from truegauge.palette import BRASS, INK, NEAR, OUTSIDE, WITHIN, hexadecimal, scale_bands
from truegauge.reporting.pdf_surface import PdfSurface
from truegauge.reporting.report import ReportView

mm = float(MM)
SOFT, RULE, BAND, TICK = "#5C666E", "#C9C4B6", "#E6E0D0", "#A59F8F"
STATE_COLORS = {
    State.WITHIN: WITHIN, State.NEAR: NEAR, State.OUTSIDE: OUTSIDE, State.UNDECIDED: NEAR,
    State.NOT_MEASURED: "#7A8085",
}  # fmt: skip
_ROLE = {"nominal": (INK, 0.9), "measured": ("#5C666E", 0.5), "dimension": (BRASS, 0.6), "fit": (BRASS, 0.9)}
_SCALE_WIDTH = 24 * mm


class Page(Protocol):
    """What draws text on a page."""

    canvas: Canvas
    surface: PdfSurface

    def text(self, x: float, y: float, text: str, size: float = 8, bold: bool = False, color: str = INK) -> None:
        """Write from a place to the right."""

    def fitted(self, x: float, y: float, text: str, width: float, size: float = 8, color: str = INK) -> None:
        """Write no wider than a width."""


def draw_picture(page: Page, view: ReportView, box: Box, numbers: NumberFormat) -> None:
    """Draw a picture into a box (points, y downwards from the top of the box as `box.y`), with scale and tags."""
    from PIL import Image

    room = box.width - (_SCALE_WIDTH if view.scale is not None else 0.0)
    height, width = view.picture.shape[:2]
    shown = min(room, box.height * width / height)
    tall = shown * height / width
    x, bottom = box.x + (room - shown) / 2, box.y - tall
    stored = io.BytesIO()
    Image.fromarray(np.ascontiguousarray(view.picture[:, :, :3])).save(stored, "JPEG", quality=88)
    stored.seek(0)
    page.canvas.drawImage(ImageReader(stored), x, bottom, shown, tall)
    if view.scale is not None:
        draw_scale(page, view.scale, box.x + box.width - 20 * mm, box.y - 6 * mm, tall - 12 * mm, numbers)
    _draw_tags(page, view, Box(x, bottom, shown, tall), numbers)
    if view.needles:
        page.text(x + 1 * mm, bottom + 1.5 * mm, f"needles {view.needles:,.0f} times", 6.5, color=SOFT)


def _draw_tags(page: Page, view: ReportView, picture: Box, numbers: NumberFormat) -> None:
    """Lay the tags out over the picture; y of the layout runs downwards from its top."""
    tags, surface = {t.result.characteristic.id: t for t in view.tags}, page.surface
    boxes = []
    for key, tag in tags.items():
        width, height = tag_size(surface, tag.result, tag.text, numbers)
        at = (tag.anchor[0] * picture.width, tag.anchor[1] * picture.height)
        pinned = None if tag.pinned is None else (tag.pinned[0] * picture.width, tag.pinned[1] * picture.height)
        boxes.append(TagBox(key, at, min(width, 0.3 * picture.width), height, pinned))
    area = Box(2, 2, picture.width - 4, picture.height - 12)
    placed = place_tags(boxes, area, view.layout)
    x, top = picture.x, -(picture.y + picture.height)
    for p in placed:
        start, foot = ((x + a[0], top + a[1]) for a in (p.start, p.tag.anchor))
        surface.line([start, foot], INK, 0.4)
        surface.circle(*foot, 0.9, fill=INK)
    for p in placed:
        tag = tags[p.tag.key]
        colors = TagColors(INK, "#FFFFFF", INK, SOFT, BRASS, BarColors(BAND, TICK, STATE_COLORS[tag.result.state]))
        box = (x + p.box.x, top + p.box.y, p.box.width, p.box.height)
        draw_tag(surface, box, tag.result, tag.text, numbers, colors)
    if len(placed) < len(tags):
        more = f"{len(tags) - len(placed)} more tags find no room here"
        page.text(picture.x + picture.width * 0.4, picture.y + 1.5 * mm, more, 6, color=SOFT)


def draw_scale(page: Page, scale: DeviationScale, x: float, top: float, height: float, numbers: NumberFormat) -> None:
    """Draw a deviation scale with the values at its ends, at the tolerance and at zero."""
    b = scale_bands(scale)
    low, high = b.edges[0], b.edges[-1]

    def y_of(value: float) -> float:
        return top - height * (1 - (value - low) / (high - low))

    for a, c, color in zip(b.edges, b.edges[1:], b.colors, strict=False):
        page.canvas.setFillColor(HexColor(hexadecimal(color)))
        page.canvas.rect(x, y_of(a), 4 * mm, y_of(c) - y_of(a), stroke=0, fill=1)
    page.canvas.setStrokeColor(HexColor(INK))
    page.canvas.setLineWidth(0.5)
    page.canvas.rect(x, top - height, 4 * mm, height, stroke=1, fill=0)
    marks = set(b.edges) if scale.edges else {-scale.limit, -scale.tolerance, 0.0, scale.tolerance, scale.limit}
    last = -1e9
    for value in sorted(m for m in marks if low <= m <= high):
        y = y_of(value)
        if y - last < 6:
            continue
        last = y
        page.canvas.line(x + 4 * mm, y, x + 5 * mm, y)
        page.text(x + 5.8 * mm, y - 1 * mm, "0" if value == 0 else numbers.signed(value), 6.5)
    if scale.own:
        page.text(x - 2 * mm, top - height - 3.2 * mm, "own tolerances: by share", 5, color=SOFT)


def draw_section_figure(
    page: Page, drawing: SectionDrawing, box: Box, scale: DeviationScale, numbers: NumberFormat
) -> None:
    """Draw a section into a box (points; `box.y` is its top)."""
    x0, y0, x1, y1 = drawing.box
    room = Box(box.x + 8 * mm, box.y, box.width - _SCALE_WIDTH - 22 * mm, box.height - 12 * mm)
    k = min(room.width / max(x1 - x0, 1e-9), room.height / max(y1 - y0, 1e-9))
    ox = room.x + (room.width - k * (x1 - x0)) / 2 - k * x0
    oy = room.y - 4 * mm - (room.height + k * (y1 - y0)) / 2 - k * y0
    canvas = page.canvas
    canvas.setLineWidth(0.5)
    for (a, b), color in zip(drawing.needles, drawing.needle_colors, strict=True):
        canvas.setStrokeColor(HexColor(hexadecimal((int(color[0]), int(color[1]), int(color[2])))))
        canvas.line(ox + k * a[0], oy + k * a[1], ox + k * b[0], oy + k * b[1])
    for stroke in drawing.strokes:
        color, width = _ROLE[stroke.role]
        canvas.setStrokeColor(HexColor(color))
        canvas.setLineWidth(width)
        path = canvas.beginPath()
        for i, (x, y) in enumerate(stroke.points):
            (path.moveTo if i == 0 else path.lineTo)(ox + k * x, oy + k * y)
        canvas.drawPath(path, stroke=1, fill=0)
    for words in drawing.words:
        width = pdfmetrics.stringWidth(words.text, "B612-Bold", 7)
        x, y = ox + k * words.at[0] - width / 2, oy + k * words.at[1] - 2.5
        canvas.setFillColor(HexColor("#FFFFFF"))
        canvas.rect(x - 1.5, y - 1.5, width + 3, 9, stroke=0, fill=1)
        page.text(x, y, words.text, 7, bold=True)
    below = box.y - box.height + 2 * mm
    if drawing.reason:
        page.text(box.x, below, f"not measured: {drawing.reason}", 7, color=OUTSIDE)
    else:
        page.text(
            box.x, below, f"needles {drawing.magnification:,.0f} times; nominal values in brackets", 6.5, color=SOFT
        )
        draw_scale(page, scale, box.x + box.width - 20 * mm, box.y - 8 * mm, box.height - 24 * mm, numbers)
