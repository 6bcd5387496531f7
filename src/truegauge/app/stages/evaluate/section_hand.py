"""Dragging sections in the view: the curve of one is taken hold of and shifted along its normal."""

import numpy as np
from PySide6.QtCore import QPointF, QSize

from truegauge.app.document.session import Session
from truegauge.app.stages.evaluate.section_maker import SectionMaker
from truegauge.core.authoring.readings import upwards
from truegauge.core.nodes.sections import section_curves
from truegauge.core.plan.readings import Section
from truegauge.rendering.camera import Camera

_NEAR = 7.0  # pixels
# Of its true length that the normal must have on the screen: seen from its end nothing is dragged.
_LEAST = 0.05


class SectionHand:
    """Of the Evaluate stage."""

    def __init__(self, session: Session, sections: SectionMaker) -> None:
        self._session, self._sections = session, sections
        self.held = ""
        self._from = (QPointF(), 0.0)  # where it was taken hold of, and where the section stood

    def press(self, at: QPointF, camera: Camera, size: QSize) -> bool:
        """Take hold of the section whose curve is at a place."""
        s = self._session
        self.held = ""
        if s.evaluator is None or not s.evaluator.can_pick:
            return False
        nearest = _NEAR
        for section in s.plan.sections:
            curves = section_curves(s.evaluator.context(s.plan, None), section)
            if not len(curves.nominal.flat):
                continue
            shares = camera.project(curves.plane.solid(curves.nominal.flat), size.width() / max(1, size.height()))
            away = np.hypot(shares[:, 0] * size.width() - at.x(), shares[:, 1] * size.height() - at.y())
            if float(away.min()) < nearest:
                nearest, self.held = float(away.min()), section.id
        held = self._section
        if held is None or abs(self._way(held, camera, size)[0]) < 1e-9:
            self.held = ""
            return False
        self._from = (at, self._sections.range(held)[1])
        return True

    @property
    def _section(self) -> Section | None:
        return next((x for x in self._session.plan.sections if x.id == self.held), None)

    def _way(self, section: Section, camera: Camera, size: QSize) -> tuple[float, np.ndarray]:
        """Return how many pixels a mm along the normal is (0 where it points at the eye), and where to."""
        normal = upwards(section)
        pixels_per_mm = size.height() / camera.height
        way = pixels_per_mm * np.array([float(normal @ camera.right), -float(normal @ camera.up)])
        length = float(np.linalg.norm(way))
        return (0.0, way) if length < _LEAST * pixels_per_mm else (length, way / length)

    def drag(self, at: QPointF, camera: Camera, size: QSize) -> None:
        """Shift the section that is held, no further than the part reaches."""
        section = self._section
        if section is None:
            return
        length, way = self._way(section, camera, size)
        low, _, high = self._sections.range(section)
        start, stood = self._from
        moved = float(np.array([at.x() - start.x(), at.y() - start.y()]) @ way) / max(length, 1e-9)
        self._sections.move(section, round(min(max(stood + moved, low), high), 3))

    def release(self) -> None:
        """Let go: the next drag is an edit of its own."""
        self.held = ""
        self._session.document.history.end_merge()
