"""Datum systems of a plan as nodes: which features, targets and boundaries stand behind references."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.datums.common import DatumAssociation
from truegauge.core.datums.given import DatumPart, MeasuredTarget, SystemDatum
from truegauge.core.datums.system import EstablishedSystem, establish, no_system
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.features.held_by_points import DIRECTION, PLACE, need_held
from truegauge.core.nodes.datum_parts import datum_parts
from truegauge.core.nodes.features import members_key
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.keys import features_key
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.nominal import known_nominals, nominal_feature
from truegauge.core.nodes.spots import SpotAt
from truegauge.core.nodes.stated import boundary_of
from truegauge.core.plan.readings import SpotCheck
from truegauge.core.plan.requirements import ORIENTS, SITUATIONS
from truegauge.core.tolerancing.request import are_opposite, width_nominal

if TYPE_CHECKING:
    from truegauge.core.arrays import Points, Vector
    from truegauge.core.association.features import Feature
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.features import ConstructedFeature, Group, NominalFeature
    from truegauge.core.plan.requirements import Datum, DatumReference, DatumTarget

Found = Measured | Built
_NEARLY = 0.9986  # cosine of three degrees
_OFF = 0.5  # mm: a target farther from the surface of its datum is not on it


@dataclass(frozen=True, slots=True)
class SystemOf(Node[EstablishedSystem]):
    """The datum system that references establish; shared by all characteristics that name it."""

    references: tuple[DatumReference, ...]

    def key(self, context: Context) -> Hashable:
        return (system_points(context, self.references), system_content(context, self.references))

    def compute(self, context: Context) -> EstablishedSystem:
        middle, length = context.part.middle, context.model.diagonal
        if not self.references:
            return no_system(middle, length)
        uses = []
        for k, reference in enumerate(self.references):
            before = {x for r in self.references[:k] for x in r.letters}
            uses.append(_use(context, reference, before))
        association = DatumAssociation(context.plan.datum_association)
        return establish(uses, association, center=middle, length=length)


def datum_system(context: Context, references: Sequence[DatumReference]) -> EstablishedSystem | NotComputed:
    """Return the datum system that references establish."""
    return context.get(SystemOf(tuple(references)))


def system_points(context: Context, references: Sequence[DatumReference]) -> Hashable:
    """Return what the points of a datum system depend on: of a sample of touches those of its datum features."""
    plan = context.plan
    datums = [plan.datum(x) for r in references for x in r.letters if plan.has_datum(x)]
    if any(_reads_the_cloud(context, d) for d in datums):
        return features_key(context)
    return members_key(context, *(f for d in datums for f in d.features))


def _reads_the_cloud(context: Context, datum: Datum) -> bool:
    """Targets on free-form faces are read off all points."""
    return bool(datum.targets) and _is_free_form(context, context.plan.feature(datum.feature).group)


def system_content(context: Context, references: Sequence[DatumReference]) -> Hashable:
    """Return what a datum system depends on besides the points."""
    if not references:
        return ""
    own = tuple((r.letter, r.modifiers, r.holds) for r in references)
    return context.contents.kept(("system", own), lambda: _system_content(context, references))


def _system_content(context: Context, references: Sequence[DatumReference]) -> Hashable:
    plan = context.plan
    contents = []
    for k, r in enumerate(references):
        before = {x for other in references[:k] for x in other.letters}
        datums: list[Hashable] = []
        for letter in r.letters:
            if not plan.has_datum(letter):
                datums.append((letter, None))
                continue
            d = plan.datum(letter)
            size = _boundary(context, r, d, before) if r.material else None
            groups = tuple(context.contents.feature(f) for f in d.features)
            datums.append((letter, groups, d.targets, size))
        contents.append((r.letter, r.modifiers, r.holds, tuple(datums)))
    return (tuple(contents), plan.datum_association)


def _boundary(context: Context, r: DatumReference, d: Datum, before: set[str]) -> tuple[float | None, ...]:
    """Return the boundary sizes of the parts of a datum."""
    plan = context.plan
    known = known_nominals(context, tuple(plan.feature(f).group for f in d.features))
    if len(known) < len(d.features):
        return (None,)
    if len(known) == 2 and are_opposite(known[0].feature, known[1].feature):
        hole = width_nominal(known[0], known[1]).outward < 0
        return (boundary_of(context, r, d.features, before, hole=hole),)
    return tuple(
        boundary_of(context, r, (f,), before, hole=n.outward < 0) for f, n in zip(d.features, known, strict=True)
    )


def _use(context: Context, reference: DatumReference, before: set[str]) -> SystemDatum:
    parts: list[DatumPart] = []
    targets: list[MeasuredTarget] = []
    sizes: list[float] = []
    plan = context.plan
    for letter in reference.letters:
        datum = plan.datum(letter)
        features = [plan.feature(f) for f in datum.features]
        if datum.targets and len(features) == 1 and _is_free_form(context, features[0].group):
            own = [_free_form_target(context, t, letter, features[0]) for t in datum.targets]
            targets += _facing_alike(own)
            continue
        found = []
        for feature in features:
            one = context.measured(feature.group)
            if isinstance(one, NotComputed):
                raise EvaluationError(f"datum {letter} is not measured yet: {feature.name}: {one.reason}")
            if not datum.targets:  # a datum after others may take its direction from them
                need_held((PLACE,) if before else (DIRECTION, PLACE), (one,), (f"datum {letter}",))
            found.append(one)
        if datum.targets:
            targets += [_target(t, letter, features, found) for t in datum.targets]
            continue
        parts += datum_parts([f.name for f in features], found)
        if reference.material:
            for size in _boundary(context, reference, datum, before):
                if size is None:
                    raise EvaluationError(
                        f"datum {letter}({reference.material}) has no size tolerance: add the size of "
                        f"{features[0].name} as a characteristic, its limit is the boundary"
                    )
                sizes.append(size)
    return SystemDatum(
        reference.letter, tuple(parts), tuple(targets), reference.material, tuple(sizes), reference.holds,
        ORIENTS in reference.modifiers, next((m for m in reference.modifiers if m in SITUATIONS), ""),
    )  # fmt: skip


def _target(
    target: DatumTarget, letter: str, features: Sequence[NominalFeature | ConstructedFeature], found: Sequence[Found]
) -> MeasuredTarget:
    """Return a datum target with what was measured there: the mean deviation of the points around it."""
    place = np.array(target.place)
    nearest: tuple[float, Measured] | None = None
    for feature, one in zip(features, found, strict=True):
        if isinstance(one, Built):
            raise EvaluationError(f"datum target {target.name}: {feature.name} is constructed: it has no points")
        off = abs(float(one.nominal.feature.distances(place[None])[0]))
        if nearest is None or off < nearest[0]:
            nearest = (off, one)
    assert nearest is not None
    off, one = nearest
    if off > _OFF:
        raise EvaluationError(f"datum target {target.name} lies {off:.2f} mm off the surface of datum {letter}")
    ideal: Feature = one.nominal.feature
    normal = one.nominal.outward * ideal.outward(place[None])[0]
    near = _near(target, place, normal, one.points)
    if not near.any():
        raise EvaluationError(f"datum target {target.name} is not measured: no points within {target.radius:g} mm")
    deviation = float((one.nominal.outward * ideal.distances(one.points[near])).mean())
    slides = None if target.slides is None else np.array(target.slides) / np.linalg.norm(target.slides)
    center = place if target.end is None else (place + np.array(target.end)) / 2
    return MeasuredTarget(target.name, center, normal, center + deviation * normal, slides)


def _is_free_form(context: Context, group: Group) -> bool:
    whole = not isinstance(group, str) and all(f >= 0 for f in group)
    return whole and isinstance(nominal_feature(context, group), NotComputed)


def _free_form_target(
    context: Context, target: DatumTarget, letter: str,
    feature: NominalFeature | ConstructedFeature,
) -> MeasuredTarget:  # fmt: skip
    """Return a target on a surface that is no ideal feature: measured as a spot check is."""
    faces = context.plan.faces_of(feature.group)
    found = context.projector.deviations(np.array([target.place]))
    off = abs(float(found.distance[0]))
    if off > _OFF or found.face[0] not in faces:
        raise EvaluationError(f"datum target {target.name} does not lie on the surface of datum {letter}")
    x, y, z = (float(v) for v in found.feet[0])
    a, b, c = (float(v) for v in found.normals[0])
    spot = SpotCheck(
        id=f"{letter}{target.name}", name=f"datum target {target.name}", place=(x, y, z), normal=(a, b, c),
        faces=faces, radius=target.radius,
    )  # fmt: skip
    read = context.need(SpotAt(spot))
    slides = None if target.slides is None else np.array(target.slides) / np.linalg.norm(target.slides)
    return MeasuredTarget(target.name, read.place, read.direction, read.measured, slides)


def _facing_alike(targets: list[MeasuredTarget]) -> list[MeasuredTarget]:
    """Return targets that face nearly the same way with their common normal.

    What they hold would else hang on differences of fractions of a degree between the normals of a formed surface.
    """
    normals = np.array([t.normal for t in targets])
    common = normals.sum(axis=0) / np.linalg.norm(normals.sum(axis=0))
    if (normals @ common < _NEARLY).any():
        return targets
    return [
        MeasuredTarget(t.name, t.place, common, t.place + float((t.measured - t.place) @ t.normal) * common, t.slides)
        for t in targets
    ]


def _near(target: DatumTarget, place: Vector, normal: Vector, points: Points) -> np.ndarray:
    """Return which points lie at the target, seen along the normal: around it, or along its line."""
    if target.end is not None:
        way = np.array(target.end) - place
        share = np.clip(((points - place) @ way) / float(way @ way), 0, 1)
        off = points - place - share[:, None] * way
    else:
        off = points - place
    off = off - (off @ normal)[:, None] * normal
    return np.asarray(np.linalg.norm(off, axis=1) <= target.radius)
