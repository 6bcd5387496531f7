"""Drawing on the flat map: what is pressed, dragged and clicked becomes a line along the surface."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from truegauge.app.stages.evaluate.surface.area_model import TOOLS, AreaModel
from truegauge.app.widgets.theme import Theme, font

if TYPE_CHECKING:
    from truegauge.drawing.flat_map import Frame

_LEAST_PIXELS = 3.0
_OF_FRAME = 3


class FlatHand:
    """Places are kept on the surface (mm), so that the map can be zoomed while corners are clicked."""

    def __init__(self, model: AreaModel) -> None:
        self._model = model
        self.places: list[tuple[float, float]] = []
        self._held = False
        self._pointer: tuple[float, float] | None = None
        self._tool = ""  # that the places were drawn with

    @property
    def active(self) -> bool:
        """Whether the mouse draws."""
        return bool(self._model.tool)

    def follow(self) -> None:
        """Forget what was drawn with another tool."""
        if self._model.tool != self._tool:
            self._tool, self.places, self._held = self._model.tool, [], False

    def press(self, at: QPointF, frame: Frame) -> None:
        """The button went down, at a pixel of the map."""
        place = frame.to_surface(at.x(), at.y())
        tool = self._model.tool
        if tool in ("lasso", "brush"):
            self.places, self._held = [place], True
        elif tool == "smooth":
            self.places = [place]
            self.close()
        else:
            self.places.append(place)
            if tool == "frame" and len(self.places) == _OF_FRAME:
                self.close()

    def move(self, at: QPointF, frame: Frame) -> None:
        """The pointer moved."""
        self._pointer = frame.to_surface(at.x(), at.y())
        if self._held:
            last = frame.to_pixels(np.array([self.places[-1]]))[0]
            if np.hypot(last[0] - at.x(), last[1] - at.y()) >= _LEAST_PIXELS:
                self.places.append(self._pointer)

    def release(self) -> None:
        """The button went up: a free line and a stroke are complete."""
        if self._held:
            self._held = False
            self.close()

    def close(self) -> None:
        """Hand over what was drawn."""
        places, self.places = self.places, []
        if places:
            self._model.finish(np.array(places))

    def cancel(self) -> None:
        """Forget what was drawn; where nothing was, put the tool away."""
        if self.places:
            self.places, self._held = [], False
        else:
            self._model.take("")

    def paint(self, painter: QPainter, frame: Frame, origin: QPointF, theme: Theme) -> None:
        """Paint what is being drawn."""
        tool = self._model.tool
        if not tool:
            return
        there = [*self.places, *([self._pointer] if self._pointer and tool == "polyline" and self.places else [])]
        if not there:
            return
        pixels = [QPointF(origin.x() + x, origin.y() + y) for x, y in frame.to_pixels(np.array(there))]
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        color = QColor(theme.accent)
        if tool == "brush":
            color.setAlpha(110)
            pen = QPen(color, max(2.0, 2.0 * self._model.radius * frame.scale))
            pen.setCapStyle(Qt.PenCapStyle.RoundCap)
            pen.setJoinStyle(Qt.PenJoinStyle.RoundJoin)
            painter.setPen(pen)
            painter.drawPolyline(QPolygonF([*pixels, pixels[-1]]))
        elif tool == "frame":
            painter.setPen(QPen(color, 2.0))
            painter.setFont(font(12, bold=True))
            for at, words in zip(pixels, ("origin", "x", "y"), strict=False):
                painter.drawEllipse(at, 4.0, 4.0)
                painter.drawText(at + QPointF(7, -5), words)
        else:
            painter.setPen(QPen(color, 1.8))
            color.setAlpha(40)
            painter.setBrush(color)
            painter.drawPolygon(QPolygonF(pixels))
        painter.restore()

    @property
    def words(self) -> str:
        """What to do now."""
        return f"{TOOLS[self._model.tool]}. Esc stops." if self._model.tool else ""
