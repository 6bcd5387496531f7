"""Making and changing alignments: what a new one looks like, and what a pick on the part adds to one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.core.arrays import Vector, three
from truegauge.core.association.features import Cylinder, Plane, Sphere
from truegauge.core.authoring.new_features import new_feature, new_id
from truegauge.core.cad.recognition import Nominal, whole_surface
from truegauge.core.commands.alignments import SetAlignment
from truegauge.core.constructions.parts import axis_of, plane_of
from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.graph import NotComputed, needed
from truegauge.core.nodes.nominal import nominal_feature
from truegauge.core.plan.alignments import (
    KIND_NAMES,
    AlignmentDatum,
    AnyAlignment,
    BestFitAlignment,
    DatumAlignment,
    FaceWeight,
    GivenAlignment,
    GuidedAlignment,
    GuideTarget,
    MatchedPlace,
    MatchedPointAlignment,
    ReferencePlace,
    ReferencePointAlignment,
)
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import ConstructedFeature, NominalFeature

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context

_KINDS: dict[str, type[Any]] = {
    "best_fit": BestFitAlignment, "datums": DatumAlignment, "reference_points": ReferencePointAlignment,
    "matched_points": MatchedPointAlignment, "guided": GuidedAlignment, "given": GivenAlignment,
}  # fmt: skip
_ROOTS = ("guided",)
_AXES = np.eye(3)


def new_alignment(plan: Plan, kind: str) -> AnyAlignment:
    """Return an alignment of a kind with a name of its own, that starts from the one in force.

    Guided ones start from nothing: their touches come from a device. Datums of the plan are taken in their order.
    """
    word = KIND_NAMES[kind].capitalize()
    taken = {a.name for a in plan.alignments}
    name = next(n for k in range(1, 1000) if (n := word if k == 1 else f"{word} {k}") not in taken)
    base = "" if kind in _ROOTS else plan.in_force
    made: AnyAlignment = _KINDS[kind](id=new_id(), name=name, base=base)
    if isinstance(made, DatumAlignment):
        return made.replace(datums=tuple(AlignmentDatum(feature=d.feature) for d in plan.datums[:3]))
    return made


@dataclass(frozen=True, slots=True)
class Pick:
    """A place (3,) on a face of the part, with the outward normal there."""

    face: int
    place: Vector
    normal: Vector


def picked(context: Context, face: int, place: Vector) -> Pick:
    """Return a pick, its place put exactly on the surface."""
    found = context.projector.deviations(np.asarray(place, dtype=np.float64)[None])
    return Pick(face, found.feet[0], np.asarray(found.normals[0], dtype=np.float64))


def with_pick(context: Context, own: AnyAlignment, pick: Pick) -> SetAlignment:
    """Return the command that adds what was picked to an alignment; picked again it is taken out.

    Raises
    ------
    EvaluationError
        A pick that this kind of alignment cannot use, in words.
    """
    faces = whole_surface(context.model, pick.face)
    match own:
        case BestFitAlignment():
            chosen = set(own.faces) ^ set(faces) if not set(faces) <= set(own.faces) else set(own.faces) - set(faces)
            return SetAlignment(own.replace(faces=tuple(sorted(chosen))), label="choose faces to fit")
        case ReferencePointAlignment():
            return _with_reference_point(context, own, pick, faces)
        case GuidedAlignment():
            target = _guide_target(own, context, pick, faces)
            return SetAlignment(own.replace(targets=(*own.targets, target)), label=f"add target {target.name}")
        case GivenAlignment():
            raise EvaluationError("a given transform has nothing to pick")
    feature, new = _feature(context, faces)
    return _with_feature(own, feature, needed(nominal_feature(context, faces), feature.name), new)


def with_feature(context: Context, own: AnyAlignment, feature_id: str) -> SetAlignment:
    """Return the command that adds a feature of the plan, also a constructed one; there already, it is taken out.

    Raises
    ------
    EvaluationError
        A feature that this kind of alignment cannot use, in words.
    """
    feature = context.plan.feature(feature_id)
    nominal = needed(nominal_feature(context, feature.group), feature.name)
    if isinstance(own, ReferencePointAlignment):
        point = ReferencePlace(name=feature.name, held=_held_by(nominal), feature=feature.id)
        return SetAlignment(own.replace(points=(*own.points, point)), label="add reference point")
    if not isinstance(own, DatumAlignment | MatchedPointAlignment):
        raise EvaluationError(f"{KIND_NAMES[own.kind]} takes no features")
    return _with_feature(own, feature, nominal, ())


def _with_feature(
    own: DatumAlignment | MatchedPointAlignment, feature: NominalFeature | ConstructedFeature, nominal: Nominal,
    new: tuple[NominalFeature, ...],
) -> SetAlignment:  # fmt: skip
    if isinstance(own, DatumAlignment):
        rest = tuple(d for d in own.datums if d.feature != feature.id)
        if len(rest) == len(own.datums):
            rest = (*rest, AlignmentDatum(feature=feature.id))
        return SetAlignment(own.replace(datums=rest), new_features=new, label="choose datums")
    if isinstance(nominal.feature, Plane):
        raise EvaluationError(f"{feature.name} is a plane, which gives no point: pick a hole, a ball or a cone")
    points = tuple(p for p in own.points if p.feature != feature.id)
    if len(points) == len(own.points):
        points = (*points, MatchedPlace(name=feature.name, feature=feature.id))
    return SetAlignment(own.replace(points=points), new_features=new, label="choose matched points")


def _feature(context: Context, faces: tuple[int, ...]) -> tuple[NominalFeature, tuple[NominalFeature, ...]]:
    there = context.plan.feature_with_faces(faces)
    if there is not None:
        return there, ()
    made = new_feature(context.plan, faces, needed(nominal_feature(context, faces)))
    return made, (made,)


def _with_reference_point(
    context: Context, own: ReferencePointAlignment, pick: Pick, faces: tuple[int, ...]
) -> SetAlignment:
    """A hole holds across its axis; a place on a surface holds along the axis of the part that it faces."""
    nominal = nominal_feature(context, faces)
    if not isinstance(nominal, NotComputed) and isinstance(nominal.feature, Cylinder | Sphere):
        feature, new = _feature(context, faces)
        point = ReferencePlace(name=feature.name, held=_held_by(nominal), feature=feature.id)
        return SetAlignment(own.replace(points=(*own.points, point)), new_features=new, label="add reference point")
    k = int(np.argmax(np.abs(pick.normal)))
    held = "xyz"[k] if abs(float(pick.normal[k])) > 0.9 else "n"
    taken = {p.name for p in own.points}
    name = next(n for i in range(1, 1000) if (n := f"{held.upper()}{i}") not in taken)
    point = ReferencePlace(name=name, place=three(pick.place), normal=three(pick.normal), held=held)
    return SetAlignment(own.replace(points=(*own.points, point)), label=f"add reference point {name}")


def _held_by(nominal: Nominal) -> str:
    """Return the directions that a feature holds as a reference point: across an axis, along a normal, or all."""
    line, plane = axis_of(nominal.feature), plane_of(nominal.feature)
    if plane is not None:
        return "n"
    if line is None:
        return "xyz"
    return "".join(k for k, share in zip("xyz", np.abs(line.direction), strict=True) if share < 0.5) or "n"


def _guide_target(own: GuidedAlignment, context: Context, pick: Pick, faces: tuple[int, ...]) -> GuideTarget:
    """A hole is measured with the face around its nearer end, a ball by its centre, any other place where it is."""
    taken = {t.name for t in own.targets}
    name = next(n for i in range(1, 1000) if (n := f"T{i}") not in taken)
    nominal = nominal_feature(context, faces)
    if isinstance(nominal, Nominal):
        feature = nominal.feature
        if isinstance(feature, Sphere):
            return GuideTarget(name=name, kind="sphere", place=three(feature.center), direction=(0.0, 0.0, 1.0),
                               diameter=2 * feature.radius)  # fmt: skip
        if isinstance(feature, Cylinder) and nominal.outward < 0:
            way = 1.0 if float((pick.place - nominal.center) @ feature.direction) >= 0 else -1.0
            end = nominal.center + way * nominal.length / 2 * feature.direction
            return GuideTarget(name=name, kind="hole", place=three(end), direction=three(way * feature.direction),
                               diameter=2 * feature.radius)  # fmt: skip
    return GuideTarget(name=name, place=three(pick.place), direction=three(pick.normal))


def with_weight(own: BestFitAlignment, faces: tuple[int, ...], weight: float) -> BestFitAlignment:
    """Return a best fit in which faces count so much; a weight of 1 is the usual one."""
    rest = []
    for w in own.weights:
        left = tuple(f for f in w.faces if f not in faces)
        if left:
            rest.append(w.replace(faces=left))
    if weight != 1.0:
        rest.append(FaceWeight(faces=tuple(sorted(faces)), weight=weight))
    return own.replace(weights=tuple(rest))
