"""Sections of a blade in the 3-D view: where they cut the part, dragged along the stacking axis."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.arrays import Points
from truegauge.core.blades.parameters import Blade
from truegauge.core.nodes.blades import NominalBlade, plainly_asked
from truegauge.core.plan.blades import BladeSection
from truegauge.core.sections.cone import SectionSurface
from truegauge.drawing.units import NumberFormat
from truegauge.rendering.camera import Camera

_NEAR, _PLACES = 7.0, 200  # pixels; places of a curve
_LEAST = 0.05  # of its true length that the axis must have on the screen


class BladeHand:
    """Takes hold of the curve of a section and shifts it; it is cut again when it is let go."""

    def __init__(self, model: BladeModel) -> None:
        self._model = model
        self.held = ""
        self._from = (QPointF(), 0.0)
        self._curves: dict[int, Points] = {}

    def curves(self) -> list[tuple[BladeSection, Points]]:
        """Return the curve (n, 3) of each section that is cut already, where it is dragged to."""
        s, blade = self._model.session, self._model.blade
        if blade is None or s.evaluator is None:
            return []
        plan = s.plan
        kept = next((b for b in plan.blades if b.id == blade.id), None)
        if kept is None:
            return []
        context, made = s.evaluator.context(plan, None), []
        moved = {x.id: x.height for x in blade.sections}
        axis = np.array(blade.axis) / np.linalg.norm(blade.axis)
        for section in kept.sections:
            found = context.peek(NominalBlade(kept, section))
            if isinstance(found, Blade):
                curve = self._curve(found, plainly_asked(kept, section).plane(section.height))
                made.append((section, curve + (moved.get(section.id, section.height) - section.height) * axis))
        return made

    def _curve(self, found: Blade, plane: SectionSurface) -> Points:
        key = id(found)
        if key not in self._curves:
            if len(self._curves) > 1000:
                self._curves.clear()
            places = found.profile.at(found.profile.places(_PLACES))
            self._curves[key] = plane.solid(np.vstack([places, places[:1]]))
        return self._curves[key]

    def press(self, at: QPointF, camera: Camera, size: QSize) -> bool:
        """Take hold of the section whose curve is at a place."""
        self.held, nearest = "", _NEAR
        for section, curve in self.curves():
            away = np.linalg.norm(_pixels(curve, camera, size) - [at.x(), at.y()], axis=1)
            if float(away.min()) < nearest:
                nearest, self.held = float(away.min()), section.id
                self._from = (at, section.height)
        if self.held:
            self._model.choose(self.held)
        if self.held and self._way(camera, size)[0] == 0.0:
            self.held = ""
        return bool(self.held)

    def _way(self, camera: Camera, size: QSize) -> tuple[float, np.ndarray]:
        """Return how many pixels a mm along the axis is (0 where it points at the eye), and where to."""
        assert self._model.blade is not None
        axis = np.array(self._model.blade.axis) / np.linalg.norm(self._model.blade.axis)
        scale = size.height() / camera.height
        way = scale * np.array([float(axis @ camera.right), -float(axis @ camera.up)])
        length = float(np.linalg.norm(way))
        return (0.0, way) if length < _LEAST * scale else (length, way / length)

    def drag(self, at: QPointF, camera: Camera, size: QSize) -> None:
        """Shift the section that is held."""
        length, way = self._way(camera, size)
        if not self.held or length == 0.0:
            return
        start, stood = self._from
        moved = float(np.array([at.x() - start.x(), at.y() - start.y()]) @ way) / length
        self._model.move(self.held, round(stood + moved, 2))

    def release(self) -> None:
        """Let go: it is cut there."""
        self.held = ""
        self._model.dropped("move a section")


def paint_blade(
    painter: QPainter, hand: BladeHand, model: BladeModel, camera: Camera, theme: Theme, size: QSize
) -> None:
    """Paint where the sections cut the part, with their heights; the one that is looked at is thicker."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setFont(font(11))
    plan = model.session.plan
    numbers = NumberFormat(plan.unit, plan.decimals)
    chosen = "" if model.section is None else model.section.id
    heights = {} if model.blade is None else {x.id: x.height for x in model.blade.sections}
    for section, curve in hand.curves():
        places = _pixels(curve, camera, size)
        own = section.id in (hand.held, chosen)
        painter.setPen(QPen(QColor(theme.accent), 3.4 if own else 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in places.tolist()]))
        x, y = places[int(np.argmax(places[:, 0]))].tolist()
        painter.setPen(QColor(theme.ink if own else theme.soft))
        painter.drawText(QPointF(x + 8, y + 4), numbers.value(heights.get(section.id, section.height)))
    if model.is_unbent:
        painter.setFont(font(12))
        painter.setPen(QColor(theme.ink))
        foot = QRectF(0, size.height() - 36, size.width(), 24)
        painter.drawText(foot, Qt.AlignmentFlag.AlignCenter, "unbent: every section lies where its fit puts it")
    painter.restore()


def _pixels(points: Points, camera: Camera, size: QSize) -> np.ndarray:
    shares = camera.project(points, size.width() / max(1, size.height()))
    return np.asarray(shares[:, :2] * [size.width(), size.height()])
