"""The flat view of a section of a blade: the whole with its bands and needles, both edges with handles, what came."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPaintEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import painter_on, point_at_100, room_of
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.blades.zones import ZONES
from truegauge.core.nodes.graph import NotComputed
from truegauge.drawing.blade_drawing import BladeDrawing, Handle
from truegauge.drawing.blade_figure import (
    ZONE_WORDS,
    BladeColors,
    BladeSheet,
    SheetRooms,
    draw_drawing,
    draw_inset,
    draw_machine_axis,
    draw_words,
    place_in,
    rooms_of,
    ruler,
)
from truegauge.drawing.scale_figure import ScaleLook, draw_scale
from truegauge.drawing.section_figure import SheetPlace
from truegauge.drawing.units import NumberFormat

_EDGE, _SCALE = 14.0, 92.0  # pixels around the sheet, and for the scale
_SIZE, _HEAD = 12.0, 15.0
_NEAR, _GRIP = 30.0, 12.0  # pixels: a place that the pointer reads, a handle that it takes
_SIDES = ("whole", "leading", "trailing")


class BladeFlat(QWidget):
    """Handles are dragged; the pointer reads place and deviation; up and down look at the sections beside."""

    def __init__(self, model: BladeModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model, self._theme = model, theme
        self._pointer: QPointF | None = None
        self._held: tuple[str, Handle] | None = None
        self.setMouseTracking(True)
        self.setMinimumSize(280, 260)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Section of the blade, flat")
        model.changed.connect(self.update)

    # Where things are -----------------------------------------------------------------------------------------------

    @property
    def sheet(self) -> BladeSheet | None:
        """The sheet that is shown."""
        found = self._model.sheet
        return None if isinstance(found, NotComputed) else found

    def rooms(self, sheet: BladeSheet) -> SheetRooms:
        """Return where things stand, in pixels at 100 %."""
        room = room_of(self)
        top = _EDGE + 2.2 * _HEAD
        return rooms_of((_EDGE, top, room.width() - 2 * _EDGE, room.height() - top - _EDGE), 1.0, sheet)

    def drawings(self, sheet: BladeSheet) -> dict[str, tuple[BladeDrawing, SheetPlace, tuple[float, ...]]]:
        """Return each drawing with its place and its room."""
        rooms, made = self.rooms(sheet), {}
        for side in _SIDES:
            drawing, room = getattr(sheet, side), getattr(rooms, side)
            if side == "whole":
                room = (room[0], room[1], room[2] - _SCALE, room[3])
            made[side] = (drawing, place_in(drawing, room, 1.0), room)
        return made

    def handles(self, sheet: BladeSheet) -> list[tuple[str, Handle, float, float]]:
        """Return what can be dragged, with its place in pixels."""
        made = []
        for side, (drawing, place, _) in self.drawings(sheet).items():
            for handle in drawing.handles:
                x, y = place.on(np.array([handle.at]))[0].tolist()
                made.append((side, handle, x, y))
        return made

    def read(self, at: QPointF) -> tuple[str, int] | None:
        """Return the drawing and the row of the place that the pointer is near."""
        sheet = self.sheet
        if sheet is None:
            return None
        found: tuple[float, str, int] | None = None
        for side, (drawing, place, room) in self.drawings(sheet).items():
            x, y, width, height = room
            if x <= at.x() <= x + width and y <= at.y() <= y + height:
                row, off = drawing.nearest(place.back(at.x(), at.y()))
                if off * place.scale <= _NEAR and (found is None or off * place.scale < found[0]):
                    found = (off * place.scale, side, row)
        return None if found is None else found[1:]

    def said(self, side: str, row: int) -> str:
        """Return what is read at a place: its zone, how far along the chord, its deviation."""
        assert self.sheet is not None
        drawing: BladeDrawing = getattr(self.sheet, side)
        plan = self._model.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        zone = ZONE_WORDS[ZONES[int(drawing.zones[row])]]
        value = drawing.deviations[row]
        told = "not measured" if not np.isfinite(value) else f"{numbers.signed(float(value))} {numbers.unit}"
        chord = self.sheet.whole.lines[1][1]
        share = (drawing.places[row, 0] - chord[0, 0]) / (chord[1, 0] - chord[0, 0])
        return f"{told}   {zone}, {100 * share:.0f} % of the chord"

    # Painting -------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the sheet."""
        painter, t = painter_on(self), self._theme
        room = room_of(self)
        painter.fillRect(room, QColor(t.view))
        found = self._model.sheet
        if found is None or isinstance(found, NotComputed):
            waiting = "cutting …" if self._model.section is not None else "Type heights at the left"
            words = waiting if found is None else found.reason
            painter.setPen(QColor(t.soft if found is None else t.outside))
            painter.setFont(font(14))
            painter.drawText(room.adjusted(40, 0, -40, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                             words)  # fmt: skip
            return
        plan = self._model.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        colors = BladeColors(t.ink, t.soft, t.accent, t.band, t.soft, t.raised, t.rule)
        rooms = self.rooms(found)
        with PainterSurface(painter) as surface:
            surface.text(_EDGE, _EDGE + _HEAD, found.title, _HEAD, t.ink, bold=True)
            said = f"needles {found.whole.magnification:,.0f} ×"
            surface.text(_EDGE, _EDGE + 2.3 * _HEAD, said, _SIZE, t.soft)
            for side, (drawing, place, box) in self.drawings(found).items():
                if side == "whole":
                    draw_drawing(surface, drawing, place, colors, _SIZE, named=True)
                    x, y, width, height = box
                    ruler(surface, place, (x, y + height - 4), 0.2 * width, numbers, t.soft, _SIZE)
                    draw_machine_axis(surface, drawing, found.machine, x + width - 40, y + height - 40, _SIZE,
                                      t.soft)  # fmt: skip
                else:
                    draw_inset(surface, drawing, (box[0], box[1], box[2], box[3]), f"{side} edge", colors, _SIZE,
                               numbers)  # fmt: skip
            draw_words(surface, found, rooms.words, colors, _SIZE, t.outside)
            height = max(90.0, min(220.0, rooms.whole[3] - 60.0))
            look = ScaleLook(13, 11.0, t.ink, t.soft)
            draw_scale(surface, self._model.session.showing.scale, (room.width() - 84.0, 40.0, height), numbers, look)
            for _, handle, x, y in self.handles(found):
                held = self._held is not None and self._held[1].key == handle.key
                surface.circle(x, y, 5.0, fill=t.accent if held else t.raised, color=t.accent, width=1.8)
            self._paint_read(surface, found)

    def _paint_read(self, surface: PainterSurface, sheet: BladeSheet) -> None:
        found = None if self._pointer is None or self._held is not None else self.read(self._pointer)
        if found is None:
            return
        t, (drawing, place, _) = self._theme, self.drawings(sheet)[found[0]]
        x, y = place.on(drawing.places[found[1]][None])[0].tolist()
        surface.circle(x, y, 4.0, color=t.ink, width=1.6)
        words = self.said(*found)
        wide = surface.advance(words, _SIZE) + 16
        left = min(max(4.0, x - wide / 2), room_of(self).width() - wide - 4)
        top = y - 40 if y > 60 else y + 16
        surface.box(left, top, wide, 24, fill=t.raised, color=t.rule, rounded=4)
        surface.text(left + 8, top + 16, words, _SIZE, t.ink)

    # Mouse and keys -------------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a handle."""
        at, sheet = point_at_100(event.position()), self.sheet
        if sheet is None or event.button() != Qt.MouseButton.LeftButton:
            return
        near = [(abs(x - at.x()) + abs(y - at.y()), side, handle) for side, handle, x, y in self.handles(sheet)]
        near = [n for n in near if n[0] <= _GRIP]
        if near:
            _, side, handle = min(near, key=lambda n: n[0])
            self._held = (side, handle)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the handle, or read the place under the pointer."""
        self._pointer = at = point_at_100(event.position())
        sheet = self.sheet
        if self._held is not None and sheet is not None:
            side, handle = self._held
            flat = self.drawings(sheet)[side][1].back(at.x(), at.y())
            value = handle.dragged(float(flat[0]), float(flat[1]))
            self._model.construct(drag=True, changes=self.setting(handle, value))
        self.update()

    def setting(self, handle: Handle, value: float) -> dict[str, object]:
        """Return what of the construction a handle changes."""
        if not handle.key.startswith("tangent"):
            return {handle.key: round(value, 4)}
        assert self.sheet is not None
        number = int(handle.key[-1])
        others = [h for h in self.sheet.whole.handles if h.key != handle.key]
        other = others[0].dragged(*others[0].at) if others else 1.0 - value
        low, high = (value, max(other, value + 0.05)) if number == 0 else (min(other, value - 0.05), value)
        return {"tangent": (round(max(low, 0.0), 4), round(min(high, 1.0), 4))}

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Keep what was dragged."""
        if self._held is not None:
            self._held = None
            self._model.dropped()
            self.update()

    def leaveEvent(self, event: object) -> None:
        """Nothing is read any more."""
        self._pointer = None
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Look at the section above, or below."""
        by = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}.get(Qt.Key(event.key()), 0)
        if by:
            self._model.step(by)
        else:
            super().keyPressEvent(event)
