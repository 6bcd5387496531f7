"""Features of a plan: found by name, place, faces or element, and built from others."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.api.plan_changes import PlanChanges
from truegauge.api.words import some
from truegauge.core.authoring.new_features import feature_for, free_name, new_id
from truegauge.core.authoring.whole_elements import element_as_feature
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.commands.features import AddConstructed, AddFeature
from truegauge.core.errors import EvaluationError, GeometryError, TrueGaugeError
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import known_nominals
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.progress import silent

if TYPE_CHECKING:
    from truegauge.core.cad.element import Element
    from truegauge.core.cad.recognition import Nominal
    from truegauge.core.plan.features import Group

Place = Sequence[float]
_FAR = 0.1  # of the part's size: a place farther off the part is a mistake


@dataclass(frozen=True, slots=True)
class Feature:
    """A feature of a plan: its id and name."""

    plan: PlanFeatures
    id: str

    @property
    def name(self) -> str:
        """The name."""
        return self.plan.document.feature(self.id).name

    @property
    def faces(self) -> tuple[int, ...]:
        """The numbers of its faces in the part; those of its members, where it is constructed."""
        return self.plan.document.faces_of(self.plan.document.feature(self.id).group)

    @property
    def shape(self) -> str:
        """What it is by design: plane, cylinder, slot ...; "free_form" where it is no ideal feature."""
        found = self.plan.nominal_of(self)
        return "free_form" if found is None else str(found.shape)

    def __repr__(self) -> str:
        return f"<{self.name}: {self.shape}>"


class PlanFeatures(PlanChanges):
    """Its features."""

    @property
    def features(self) -> tuple[Feature, ...]:
        """The features, constructed ones at the end."""
        return tuple(Feature(self, f.id) for f in self.document.all_features)

    def feature(self, name: str = "", *, near: Place | None = None, faces: Iterable[int] = ()) -> Feature:
        """Return a feature: by its name, or of the face nearest to a place, or of faces by their numbers.

        What the plan does not have yet is added to it; a `name` with `near` or `faces` names it.

        Raises
        ------
        GeometryError
            The place lies far off the part, or there is no such face.
        TrueGaugeError
            The plan has no feature of this name.
        """
        if near is None and not faces:
            found = next((f for f in self.document.all_features if name in (f.name, f.id)), None)
            if found is None:
                raise TrueGaugeError(f"the plan has no feature {name!r}: {some(f.name for f in self.features)}")
            return Feature(self, found.id)
        chosen = tuple(faces) if near is None else self._surface_near(near)
        if not all(0 <= f < len(self.model.faces) for f in chosen):
            raise GeometryError(f"the part has the faces 0 to {len(self.model.faces) - 1}, not {chosen}")
        return self._feature_of(chosen, name)

    def _surface_near(self, place: Place) -> tuple[int, ...]:
        at = np.asarray(place, dtype=np.float64).reshape(-1)
        if at.shape != (3,) or not np.isfinite(at).all():
            raise GeometryError(f"a place is three numbers, x, y and z in mm, not {tuple(place)}")
        found = self.evaluator.projector.deviations(at[None])
        if found.face[0] < 0 or abs(float(found.distance[0])) > _FAR * self.model.diagonal:
            raise GeometryError(f"{tuple(float(v) for v in at)} lies far off the part")
        return whole_surface(self.model, int(found.face[0]))

    def _feature_of(self, group: Group, name: str = "") -> Feature:
        there = self.document.feature_of(group)
        if there is None:
            new: list[NominalFeature] = []
            known = known_nominals(self.context, (group,))
            made = feature_for(self.document, group, known[0] if known else None, new)
            assert isinstance(made, NominalFeature)
            self.run(AddFeature(made.replace(name=name) if name else made))
            there = made
        return Feature(self, there.id)

    @property
    def elements(self) -> tuple[Element, ...]:
        """Holes, slots, fillets and what else the faces of the part make up."""
        self.evaluator.part.find_patterns(silent)
        return tuple(self.evaluator.elements.all)

    def element(self, text: str, index: int = 0, name: str = "") -> Feature:
        """Return the feature of an element by what it is, "hole 5.5" or "slot 12 x 40"; the first is number 0.

        Elements are counted as the Part stage lists them. Of a hole with a counterbore it is the hole; a slot or a
        countersink is one constructed feature.

        Raises
        ------
        TrueGaugeError
            The part has no such element, or fewer of them.
        """
        found = self._elements_like(text)
        if not found:
            known = dict.fromkeys(_plain(e.describe(short=True)) for e in self.elements)
            raise TrueGaugeError(f"the part has no {text!r}: {some(known)}")
        if not -len(found) <= index < len(found):
            raise TrueGaugeError(f"the part has {len(found)} x {text!r}, counted from 0; there is no number {index}")
        return self._feature_of_element(found[index], name)

    def pattern(self, text: str) -> tuple[Feature, ...]:
        """Return the features of all elements that are the same: "hole 5.5".

        Raises
        ------
        TrueGaugeError
            The part has no such element.
        """
        count = len(self._elements_like(text))
        return tuple(self.element(text, k) for k in range(max(count, 1)))

    def _elements_like(self, text: str) -> list[Element]:
        wanted = _plain(text)
        every = self.elements
        same = [e for e in every if _plain(e.describe(short=True)) == wanted]
        return same or [e for e in every if str(e.kind) == wanted]

    def _feature_of_element(self, element: Element, name: str) -> Feature:
        made = element_as_feature(self.context, element)
        if made is None:
            return self._feature_of(element.groups[0], name)
        command, feature_id = made
        if command is not None:
            self.run(command)
        return Feature(self, feature_id)

    def construct(
        self, construction: str, *members: Feature | str, values: Sequence[float] = (), name: str = ""
    ) -> Feature:
        """Return a feature built from others: "plane_plane", "line_plane", "midpoint" ... (docs/api.md).

        Raises
        ------
        EvaluationError
            It cannot be built from these.
        """
        used = [self._feature(m) for m in members]
        made = ConstructedFeature(
            id=new_id(), name=name or free_name(self.document, construction.replace("_", " ")),
            construction=construction, members=tuple(f.id for f in used), values=tuple(float(v) for v in values),
        )  # fmt: skip
        before = self.document
        self.run(AddConstructed(made))
        found = self.evaluator.nominal(made.id, self.document)
        if isinstance(found, NotComputed):
            self.undo()
            assert self.document is before
            raise EvaluationError(found.reason)
        return Feature(self, made.id)

    def nominal_of(self, feature: Feature | str) -> Nominal | None:
        """Return what a feature is by design; None for free-form faces."""
        own = self.document.feature(self._feature(feature).id)
        known = known_nominals(self.context, (own.group,))
        return known[0] if known else None

    def _feature(self, feature: Feature | str) -> Feature:
        return feature if isinstance(feature, Feature) else self.feature(feature)


def _plain(text: str) -> str:
    return " ".join(text.replace("⌀", " ").replace("Ø", " ").lower().split())
