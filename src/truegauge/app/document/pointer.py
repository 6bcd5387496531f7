"""What is under the pointer in the view, and who takes a click there."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.document import Document
from truegauge.app.document.selection import Selection
from truegauge.core.cad.recognition import describe_face, whole_surface
from truegauge.drawing.units import NumberFormat
from truegauge.reporting.survey_text import survey_text


class Pointer(QObject):
    """The face that is hovered over; a `picker` takes places in the view as long as there is one."""

    changed = Signal()
    picking_stopped = Signal()

    def __init__(self, document: Document, selection: Selection, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._selection = document, selection
        self.hovered_face = -1
        self.picker: Callable[[int, np.ndarray], bool] | None = None
        self._escape_stops = False
        document.part_changed.connect(self._on_part_changed)

    def take_places(self, picker: Callable[[int, np.ndarray], bool] | None, *, escape_stops: bool = False) -> None:
        """Give clicks to somebody (None: they select again); where Escape takes them away, it is told then."""
        self.picker, self._escape_stops = picker, escape_stops

    @property
    def escape_stops(self) -> bool:
        """Whether Escape takes the clicks away from who has them."""
        return self.picker is not None and self._escape_stops

    def _on_part_changed(self) -> None:
        self.hovered_face = -1

    def hover(self, face: int) -> None:
        """The pointer is over a face (-1: none)."""
        if face != self.hovered_face:
            self.hovered_face = face
            self.changed.emit()

    def hover_text(self) -> str:
        """Say what would be picked, and what was measured of it."""
        text = self._nominal_text()
        found = self._measured_text() if text else ""
        return f"{text}\n{found}" if found else text

    def _measured_text(self) -> str:
        """Say kind, size, deviation, points and coverage of the hovered face, where they are known."""
        evaluator, sample, faces = self._document.evaluator, self._document.sample, self.hovered_faces()
        if evaluator is None or sample is None or not faces:
            return ""
        found = evaluator.known_survey(self._document.plan, sample, faces)
        return (
            ""
            if found is None
            else survey_text(found, NumberFormat(self._document.plan.unit, self._document.plan.decimals))
        )

    def _nominal_text(self) -> str:
        if self._document.model is None or self.hovered_face < 0:
            return ""
        text = describe_face(self._document.model, self.hovered_face)
        element = self._selection.element_of(self.hovered_face)
        if element is not None and self._document.evaluator is not None:
            pattern = self._document.evaluator.patterns.of(element)
            text = element.describe() + (f" · one of a {pattern.describe()}" if pattern else "")
        elif self._document.model.faces[self.hovered_face].name:
            text = f"{self._document.model.faces[self.hovered_face].name}: {text}"
        feature = self._document.plan.feature_with_faces(whole_surface(self._document.model, self.hovered_face))
        return f"{feature.name}: {text}" if feature else text

    def hovered_faces(self) -> tuple[int, ...]:
        """The faces that a click would pick."""
        if self._document.model is None or self.hovered_face < 0:
            return ()
        return whole_surface(self._document.model, self.hovered_face)

    def pick_at(self, face: int, place: np.ndarray | None, *, add: bool = False) -> None:
        """Pick in the view: what waits for a place takes it, else the feature of the face is selected."""
        if self.picker is None or face < 0 or place is None or not self.picker(face, place):
            self._selection.pick(face, add=add)

    def stop_picking(self) -> None:
        """Let clicks select again."""
        self.picker = None
        self.picking_stopped.emit()
