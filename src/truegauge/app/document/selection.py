"""What is selected: faces and features in the view, and a row of the ledger."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.document import Document
from truegauge.core.authoring.proposals import Groups
from truegauge.core.cad.element import Element
from truegauge.core.cad.patterns import Pattern
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.commands.features import RemoveFeature
from truegauge.core.commands.requirements import RemoveCharacteristic
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.features import ConstructedFeature, NominalFeature

if TYPE_CHECKING:
    from truegauge.core.arrays import Ints
    from truegauge.core.features.extraction import Built, Measured


@dataclass(frozen=True, slots=True)
class Selected:
    """Features by their faces (or ids), and a characteristic by its id."""

    groups: Groups = ()
    characteristic: str = ""


class Selection(QObject):
    """One value with one setter; picks and rows come to it, and who shows it listens."""

    changed = Signal()
    toggled = Signal(str)  # a characteristic is to be selected beside the others, or not any more

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._value = Selected()
        document.part_changed.connect(self._on_part_changed)
        document.plan_changed.connect(self._keep_possible)

    def set(self, value: Selected) -> None:
        """Select this and nothing else."""
        if value != self._value:
            self._value = value
            self.changed.emit()

    @property
    def groups(self) -> Groups:
        """The selected features by their faces."""
        return self._value.groups

    @property
    def characteristic(self) -> str:
        """The selected row; empty for none."""
        return self._value.characteristic

    def _on_part_changed(self) -> None:
        self.set(Selected())

    def remove_characteristic(self) -> None:
        """Remove the selected row."""
        if self.characteristic:
            self._document.run(RemoveCharacteristic(self.characteristic))

    def element_of(self, face: int) -> Element | None:
        """Return what a face belongs to: a hole, a slot, ... None before that is worked out."""
        evaluator = self._document.evaluator
        return (
            evaluator.elements.of_face(face)
            if evaluator is not None and evaluator.knows_patterns and face >= 0
            else None
        )

    def pattern(self) -> Pattern | None:
        """Return the pattern that the selected faces are one of."""
        faces = self.faces()
        element = self.element_of(faces[0]) if faces else None
        if element is None or self._document.evaluator is None or not set(faces) <= set(element.faces):
            return None
        return self._document.evaluator.patterns.of(element)

    def take_pattern(self) -> None:
        """Select, besides what is selected, the same faces of all the others of its pattern."""
        pattern = self.pattern()
        if pattern is None:
            return
        element = next(m for m in pattern.members if set(self.faces()) <= set(m.faces))
        places = [i for i, g in enumerate(element.groups) if g in self.groups] or [0]
        self.select(tuple(m.groups[i] for m in pattern.members for i in places))

    def take_element(self) -> None:
        """Select all faces of the slot, hole or pad that the selected one belongs to."""
        faces = self.faces()
        element = self.element_of(faces[0]) if faces else None
        if element is not None:
            self.select(element.groups)

    def take_width(self) -> None:
        """Select the plane face that forms a width with the selected one too."""
        faces = self.faces()
        if len(faces) == 1 and self._document.evaluator is not None:
            other = self._document.evaluator.elements.parallel_to(faces[0])
            if other is not None:
                self.select((*self.groups, (other[0],)))

    def pick(self, face: int, *, add: bool = False) -> None:
        """Select the feature of a face; with `add` besides what is selected (again: take it out)."""
        if self._document.model is None:
            return
        if face < 0:
            if not add:
                self.select(())
            return
        group = whole_surface(self._document.model, face)
        if not add:
            self.select((group,))
        elif group in self.groups:
            self.select(tuple(g for g in self.groups if g != group))
        else:
            self.select((*self.groups, group))

    def select(self, groups: Groups) -> None:
        """Select features by their faces; the ledger follows."""
        if groups != self.groups:
            related = self.related(groups)
            row = self.characteristic
            self.set(Selected(groups, row if row in related else related[0] if related else ""))

    def select_characteristic(self, characteristic_id: str) -> None:
        """Select a row of the ledger; the view follows."""
        if characteristic_id and characteristic_id != self.characteristic:
            plan = self._document.plan
            named = plan.characteristic(characteristic_id).features
            self.set(Selected(tuple(plan.named(f).group for f in named), characteristic_id))

    def toggle_characteristic(self, characteristic_id: str) -> None:
        """Select a row beside those that are selected, or not any more."""
        if self.characteristic:
            self.toggled.emit(characteristic_id)
        else:
            self.select_characteristic(characteristic_id)

    def related(self, groups: Groups) -> list[str]:
        """The characteristics whose features are all among these, then those that use one of them."""
        plan = self._document.plan
        chosen = {f.id for g in groups if (f := plan.feature_of(g)) is not None}
        chosen |= {g for g in groups if isinstance(g, str) and plan.reading(g) is not None}
        every = [c.id for c in plan.characteristics if chosen and set(c.features) == chosen]
        some = [c.id for c in plan.characteristics if chosen & set(c.features) and c.id not in every]
        return every + some

    def faces(self) -> tuple[int, ...]:
        """All faces of the selection."""
        return tuple(f for group in self.groups for f in self._document.plan.faces_of(group))

    def features(self) -> list[NominalFeature | ConstructedFeature]:
        """The features of the plan among the selected."""
        return [f for g in self.groups if (f := self._document.plan.feature_of(g)) is not None]

    def measured(self) -> list[Measured | Built]:
        """The measured features among the selected."""
        evaluation = self._document.evaluation
        found = [evaluation.features.get(f.id) for f in self.features()] if evaluation else []
        return [m for m in found if m is not None and not isinstance(m, NotComputed)]

    def points(self) -> np.ndarray | None:
        """The points behind the selected features, part coordinates."""
        return self._points_of([m.rows for m in self.measured()])

    def strays(self) -> np.ndarray | None:
        """The points that were left out of the selected features, part coordinates."""
        return self._points_of([m.strays for m in self.measured()])

    def _points_of(self, rows: list[Ints]) -> np.ndarray | None:
        evaluation = self._document.evaluation
        if evaluation is None or isinstance(evaluation.cloud, NotComputed) or not rows:
            return None
        return evaluation.cloud.points[np.concatenate(rows)]

    def remove_features(self) -> None:
        """Remove the selected features with all that needs them."""
        features = self.features()
        self.select(())
        for feature in features:
            if self._document.plan.has_feature(feature.id):
                self._document.run(RemoveFeature(feature.id))

    def _keep_possible(self) -> None:
        """The plan may have lost what is selected."""
        plan = self._document.plan
        self.select(tuple(g for g in self.groups if not isinstance(g, str) or plan.reading(g) or plan.feature_of(g)))
        if self.characteristic not in {c.id for c in plan.characteristics}:
            self.set(Selected(self.groups))
