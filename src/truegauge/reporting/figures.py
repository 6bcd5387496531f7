"""Figures of a report on any surface: pictures with their scale and tags, and sections."""

import numpy as np

from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.blade_figure import (
    BladeColors,
    draw_drawing,
    draw_inset,
    draw_machine_axis,
    draw_words,
    place_in,
    rooms_of,
    ruler,
)
from truegauge.drawing.gauge_bar import BarColors
from truegauge.drawing.height_figure import draw_panel, panels
from truegauge.drawing.scale_figure import ScaleLook, draw_scale
from truegauge.drawing.section_figure import SectionColors, draw_axes, draw_curves, draw_values, fitted, foot_words
from truegauge.drawing.shadow_figure import (
    box_of_part,
    draw_contours,
    draw_edges,
    draw_sizes,
    lay_out,
    plain_colors,
    view_of,
)
from truegauge.drawing.silhouette import silhouette_of
from truegauge.drawing.surface import Surface
from truegauge.drawing.surface_figure import FlatColors
from truegauge.drawing.tag_layout import Box, TagBox, place_beside
from truegauge.drawing.tag_text import small_text
from truegauge.drawing.tags import TagColors, draw_small_tag, draw_tag, small_size, tag_size
from truegauge.drawing.units import NumberFormat
from truegauge.palette import BRASS, INK, NEAR, OUTSIDE, WITHIN
from truegauge.reporting.report import ReportBlade, ReportBladeSection, ReportSection, ReportShadow, ReportView

SOFT, RULE, BAND, TICK = "#5C666E", "#C9C4B6", "#E6E0D0", "#A59F8F"
STATE_COLORS = {
    State.WITHIN: WITHIN, State.NEAR: NEAR, State.OUTSIDE: OUTSIDE, State.UNDECIDED: NEAR,
    State.NOT_MEASURED: "#7A8085",
}  # fmt: skip
STATE_WORDS = {
    State.WITHIN: "within", State.NEAR: "near a limit", State.OUTSIDE: "outside", State.UNDECIDED: "not decided yet",
    State.NOT_MEASURED: "not measured",
}  # fmt: skip
FLAT_COLORS = FlatColors(INK, SOFT, "#FFFFFF", RULE, BRASS, OUTSIDE)
BLADE_COLORS = BladeColors(INK, SOFT, BRASS, BAND, SOFT, "#FFFFFF", RULE)
MOST_CURVES = 12
_ABOUT_PART, _SHADOW_PIXELS = 0.22, 1200  # of the part's larger side, around it; pixels across in a report
_SCALE, _SMALL = 124.0, 12.0  # pixels: room for a scale, letters


def view_height(view: ReportView, width: float, most: float, unit: float) -> float:
    """Return how high a picture is drawn in a width: all of it, and no higher than `most`."""
    height, across = view.picture.shape[:2]
    room = width - (_SCALE * unit if view.scale is not None else 0.0)
    return min(most, float(room * height / across))


def draw_view(surface: Surface, view: ReportView, box: Box, numbers: NumberFormat) -> None:
    """Draw a picture into a box, as large as it fits, with its scale beside it and its tags over it."""
    unit = surface.unit
    room = box.width - (_SCALE * unit if view.scale is not None else 0.0)
    height, width = view.picture.shape[:2]
    shown = min(room, box.height * width / height)
    picture = Box(box.x + (room - shown) / 2, box.y, shown, shown * height / width)
    surface.image((picture.x, picture.y, picture.width, picture.height), view.picture)
    if view.scale is not None:
        look = ScaleLook(20 * unit, _SMALL * unit, INK, SOFT)
        at = (box.x + box.width - 103 * unit, box.y + 34 * unit, picture.height - 62 * unit)
        draw_scale(surface, view.scale, at, numbers, look)
    _draw_tags(surface, view, picture, numbers)
    if view.needles:
        words = f"needles {view.needles:,.0f} times"
        surface.text(picture.x + 5 * unit, picture.y + picture.height - 8 * unit, words, _SMALL * unit, SOFT)


def draw_shadow(surface: Surface, shadow: ReportShadow, box: Box, numbers: NumberFormat) -> None:
    """Draw the picture of a shadow with its sizes into a box; all of the picture where nothing was measured."""
    rows, columns = shadow.picture.shape
    seen = (0.0, 0.0, float(columns), float(rows))
    if shadow.figure is not None:
        seen = box_of_part(shadow.figure, _ABOUT_PART)
    x0, y0 = max(0, int(seen[0])), max(0, int(seen[1]))
    x1, y1 = min(columns, int(seen[0] + seen[2]) + 1), min(rows, int(seen[1] + seen[3]) + 1)
    room = (box.x, box.y, box.width, box.height)
    view = view_of((x0, y0, x1 - x0, y1 - y0), room)
    step = max(1, int((x1 - x0) // _SHADOW_PIXELS))
    grey = np.repeat(shadow.picture[y0:y1:step, x0:x1:step, None], 3, axis=2)
    # Lighter, so that what is drawn on it can be read.
    grey = (255 - (255 - grey.astype(np.uint16)) * 7 // 10).astype(np.uint8)
    at = (view.x + view.scale * x0, view.y + view.scale * y0, view.scale * (x1 - x0), view.scale * (y1 - y0))
    surface.image(at, np.ascontiguousarray(grey))
    if shadow.figure is None:
        return
    colors = plain_colors(INK, "#FFFFFF", SOFT, BRASS, lambda r: BarColors(BAND, TICK, STATE_COLORS[r.state]))
    draw_contours(surface, shadow.figure, view, INK, SOFT)
    draw_edges(surface, shadow.figure, view, colors)
    draw_sizes(surface, lay_out(surface, shadow.figure, view, numbers, shadow.picture), colors, numbers)


def shadow_height(shadow: ReportShadow, width: float, most: float) -> float:
    """Return how high the picture of a shadow is drawn in a width."""
    rows, columns = shadow.picture.shape
    if shadow.figure is None:
        return float(min(most, width * rows / columns))
    _, _, wide, high = box_of_part(shadow.figure, _ABOUT_PART)
    return float(min(most, max(0.3 * width, width * high / max(wide, 1.0))))


def _draw_tags(surface: Surface, view: ReportView, picture: Box, numbers: NumberFormat) -> None:
    tags, size = {t.result.characteristic.id: t for t in view.tags}, np.array([picture.width, picture.height])
    full, small = [], []
    for key, tag in tags.items():
        width, height = tag_size(surface, tag.result, tag.text, numbers)
        at = (tag.anchor[0] * picture.width, tag.anchor[1] * picture.height)
        pinned = None if tag.pinned is None else (tag.pinned[0] * picture.width, tag.pinned[1] * picture.height)
        full.append(TagBox(key, at, min(width, 0.3 * picture.width), height, pinned))
        small.append(TagBox(key, at, *small_size(surface, small_text(tag.result, numbers)), pinned))
    area = Box(2, 2, picture.width - 4, picture.height - 22 * surface.unit)
    part = None if view.outline is None else silhouette_of(view.outline * size)
    placed, is_small = place_beside(full, small, area, view.layout, part)
    for p in placed:
        start, foot = ((picture.x + a[0], picture.y + a[1]) for a in (p.start, p.tag.anchor))
        seen = tags[p.tag.key].is_seen
        surface.line([start, foot], INK if seen else SOFT, 0.72 * surface.unit)
        if seen:
            surface.circle(*foot, 1.64 * surface.unit, fill=INK)
        else:  # behind the part
            surface.circle(*foot, 2.4 * surface.unit, fill="#FFFFFF", color=SOFT, width=surface.unit)
    for p in placed:
        tag = tags[p.tag.key]
        colors = TagColors(INK, "#FFFFFF", INK, SOFT, BRASS, BarColors(BAND, TICK, STATE_COLORS[tag.result.state]))
        box = (picture.x + p.box.x, picture.y + p.box.y, p.box.width, p.box.height)
        if is_small:
            draw_small_tag(surface, box, tag.result, small_text(tag.result, numbers), colors)
        else:
            draw_tag(surface, box, tag.result, tag.text, numbers, colors)
    if len(placed) < len(tags):
        more = f"{len(tags) - len(placed)} more tags find no room here"
        at = (picture.x + 0.4 * picture.width, picture.y + picture.height - 8 * surface.unit)
        surface.text(*at, more, _SMALL * surface.unit, SOFT)


def draw_blade_figure(surface: Surface, page: ReportBladeSection, box: Box, numbers: NumberFormat) -> None:
    """Draw a section of a blade with its edges into a box, with the scale of its needles beside it."""
    unit, sheet, size = surface.unit, page.sheet, _SMALL * surface.unit
    rooms = rooms_of((box.x, box.y, box.width, box.height), unit, sheet)
    x, y, width, height = rooms.whole
    whole = (x, y, width - _SCALE * unit, height)
    place = place_in(sheet.whole, whole, unit)
    draw_drawing(surface, sheet.whole, place, BLADE_COLORS, size, named=True)
    ruler(surface, place, (x, y + height - 4 * unit), 0.2 * width, numbers, SOFT, size)
    draw_machine_axis(surface, sheet.whole, sheet.machine, x + whole[2] - 30 * unit, y + height - 26 * unit, size, SOFT)
    surface.text(x, y + size, f"needles {sheet.whole.magnification:,.0f} times", size, SOFT)
    for drawing, room, name in ((sheet.leading, rooms.leading, "leading edge"),
                                (sheet.trailing, rooms.trailing, "trailing edge")):  # fmt: skip
        draw_inset(surface, drawing, room, name, BLADE_COLORS, size, numbers)
    draw_words(surface, sheet, rooms.words, BLADE_COLORS, size, OUTSIDE)
    look = ScaleLook(18 * unit, size, INK, SOFT)
    draw_scale(surface, page.scale, (x + width - 96 * unit, y + 30 * unit, height - 70 * unit), numbers, look)


def draw_blade_curves(surface: Surface, blade: ReportBlade, box: Box, numbers: NumberFormat) -> None:
    """Draw what a blade does over its height into a box."""
    room = (box.x, box.y, box.width, box.height)
    for panel in panels(blade.curves[:MOST_CURVES], room, surface.unit):
        draw_panel(surface, panel, BLADE_COLORS, _SMALL * surface.unit, numbers, lambda state: STATE_COLORS[state])


def draw_section_figure(surface: Surface, section: ReportSection, box: Box, numbers: NumberFormat) -> None:
    """Draw a section into a box, with the scale of its needles beside it."""
    unit, drawing = surface.unit, section.drawing
    colors = SectionColors(
        (INK, 1.6 * unit), (SOFT, 0.9 * unit), (BRASS, 1.1 * unit), (BRASS, 1.6 * unit), 0.9 * unit, INK, "#FFFFFF"
    )
    room = (box.x + 40 * unit, box.y + 20 * unit, box.width - (_SCALE + 80) * unit, box.height - 70 * unit)
    place = fitted(drawing, room)
    draw_curves(surface, drawing, place, colors)
    draw_values(surface, drawing, place, colors, _SMALL * unit)
    below = box.y + box.height - 8 * unit
    draw_axes(surface, drawing.axes, box.x + 6 * unit, below - 20 * unit, _SMALL * unit, SOFT)
    surface.text(box.x, below, foot_words(drawing), _SMALL * unit, OUTSIDE if drawing.reason else SOFT)
    if not drawing.reason:
        look = ScaleLook(20 * unit, _SMALL * unit, INK, SOFT)
        at = (box.x + box.width - 103 * unit, box.y + 40 * unit, box.height - 110 * unit)
        draw_scale(surface, section.scale, at, numbers, look)
