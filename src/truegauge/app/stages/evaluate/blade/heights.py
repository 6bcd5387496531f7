"""Curves over the height of a blade in the middle of the window: one panel a value; a click looks at that section."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QMouseEvent, QPaintEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import painter_on, point_at_100, room_of
from truegauge.app.widgets.theme import LiveTheme, font, state_color
from truegauge.drawing.blade_figure import BladeColors
from truegauge.drawing.height_figure import Panel, draw_panel, panels
from truegauge.drawing.units import NumberFormat

_EDGE, _HEAD, _SIZE, _NEAR = 14.0, 15.0, 12.0, 14.0
MOST = 9  # panels at once


class BladeHeights(QWidget):
    """Twist, lean, bow and what else is told of the sections, against the limits of their characteristics."""

    def __init__(self, model: BladeModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model, self._theme = model, theme
        self.setMinimumSize(280, 260)
        self.setAccessibleName("Values over the height of the blade")
        model.changed.connect(self.update)

    def panels(self) -> list[Panel]:
        """Return the panels as they stand, in pixels at 100 %."""
        room = room_of(self)
        top = _EDGE + 3.4 * _HEAD
        box = (_EDGE, top, room.width() - 2 * _EDGE, room.height() - top - _EDGE)
        return panels(self._model.curves()[:MOST], box, 1.0)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the panels."""
        painter, t, m = painter_on(self), self._theme, self._model
        room = room_of(self)
        painter.fillRect(room, QColor(t.view))
        made = self.panels()
        if not made or m.blade is None:
            painter.setPen(QColor(t.soft))
            painter.setFont(font(14))
            painter.drawText(room.adjusted(40, 0, -40, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap,
                             "Open a scan: curves are told of what is measured")  # fmt: skip
            return
        numbers = NumberFormat(m.session.plan.unit, m.session.plan.decimals)
        colors = BladeColors(t.ink, t.soft, t.accent, t.band, t.soft, t.raised, t.rule)
        chosen = None if m.section is None else m.section.height
        with PainterSurface(painter) as surface:
            surface.text(_EDGE, _EDGE + _HEAD, f"{m.blade.name}, over the height", _HEAD, t.ink, bold=True)
            surface.text(_EDGE, _EDGE + 2.4 * _HEAD, m.whole_words(), _SIZE, t.soft)
            for panel in made:
                draw_panel(surface, panel, colors, _SIZE, numbers, lambda state: state_color(t, str(state)), chosen)

    def at(self, place: QPointF) -> float | None:
        """Return the height of the section that a place of a curve belongs to."""
        for panel in self.panels():
            x, y, width, height = panel.frame
            if x <= place.x() <= x + width and y <= place.y() <= y + height:
                off = np.abs(np.array([panel.y(float(h)) for h in panel.curve.heights]) - place.y())
                return float(panel.curve.heights[int(np.argmin(off))]) if off.min() <= _NEAR else None
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose the section at a height."""
        height, blade = self.at(point_at_100(event.position())), self._model.blade
        found = None if blade is None else next((s for s in blade.sections if s.height == height), None)
        if found is not None:
            self._model.choose(found.id)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Look at the section at a height, flat."""
        if self.at(point_at_100(event.position())) is not None:
            self._model.show("section")
