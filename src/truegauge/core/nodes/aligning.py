"""Computing one alignment of a plan: from what it says to the methods of `core.datums` and `core.registration`."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from truegauge.core.arrays import Floats, Points, Rigid, Vector, frozen, unit
from truegauge.core.association.features import Feature
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal
from truegauge.core.clouds.prepared import PreparedCloud
from truegauge.core.constructions.parts import Operand, axis_of, foot_on_line, foot_on_plane, place_of, plane_of
from truegauge.core.datums.common import DatumAssociation
from truegauge.core.datums.given import SystemDatum
from truegauge.core.datums.placement import DatumFeature, place_by_datums
from truegauge.core.datums.situation import situations_of
from truegauge.core.datums.system import establish
from truegauge.core.errors import DatumError, EvaluationError, RegistrationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.frames import apply, invert, rotate
from truegauge.core.nodes.datum_parts import datum_parts
from truegauge.core.nodes.nominal import nominal_operand
from truegauge.core.plan.alignments import (
    AlignmentBase,
    AnyAlignment,
    BestFitAlignment,
    DatumAlignment,
    GivenAlignment,
    GuidedAlignment,
    GuideTarget,
    MatchedPointAlignment,
    ReferencePointAlignment,
    needs_base,
)
from truegauge.core.progress import Progress
from truegauge.core.registration.adjustment import Adjustment, TargetDeviation
from truegauge.core.registration.align import AlignmentSettings, align
from truegauge.core.registration.alignment import Alignment
from truegauge.core.registration.guided import GuidedTarget, Touches, align_by_targets
from truegauge.core.registration.matched_points import match_points, pairs_by_geometry, pairs_by_name
from truegauge.core.registration.reference_points import (
    REACH,
    ReferencePoint,
    align_by_reference_points,
    directions_of,
)
from truegauge.core.samples.document import Touch

_PIECE = 500_000
_COMPENSATIONS = 3
_HOW = {
    DatumAssociation.OUTSIDE: "outside the material", DatumAssociation.LEAST_SQUARES: "by least squares",
    DatumAssociation.HIGH_POINTS: "on the highest points",
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Aligning:
    """What computing an alignment may ask for.

    `base` is the alignment that it starts from with its name; `measured` returns name, nominal and measured feature by
    id, measured in the base's coordinates; `touches` are those of the sample, at the reference temperature.
    """

    model: CadModel
    exact: Callable[[], Projector]  # exact distances take a moment to prepare, and not all need them
    cloud: PreparedCloud | None
    base: Alignment | None
    base_name: str
    measured: Callable[[str], tuple[str, Nominal, Measured | Built]]
    touches: tuple[Touch, ...]
    progress: Progress
    datum_association: DatumAssociation = DatumAssociation.OUTSIDE


def compute_alignment(own: AnyAlignment, given: Aligning) -> Alignment:
    """Compute an alignment.

    Raises
    ------
    TrueGaugeError
        The reason why it cannot be computed, in words.
    """
    if needs_base(own) and given.base is None:
        raise RegistrationError("choose the alignment that it starts from: features are found in aligned points only")
    found = _COMPUTED[type(own)](own, given)
    doubts = found.doubts
    if given.base is not None and given.base.doubts:
        doubts = (*doubts, f"{given.base_name}, which it starts from, is not trusted")
    return replace(found, doubts=doubts)


def _best_fit(own: BestFitAlignment, given: Aligning) -> Alignment:
    if given.cloud is None:
        raise RegistrationError("the sample has no scan to fit; bring one in, or align by points")
    weights: Floats | None = None
    count = len(given.model.faces)
    if own.faces or own.weights:
        weights = np.zeros(count) if own.faces else np.ones(count)
        weights[[f for f in own.faces if 0 <= f < count]] = 1.0
        for w in own.weights:
            weights[[f for f in w.faces if 0 <= f < count]] = w.weight
        if not weights.any():
            raise RegistrationError("no face is left that counts: give one a weight")
    settings = AlignmentSettings(own.trim, weights, own.locked, own.criterion, own.tolerance, own.candidate)
    start = None if given.base is None else given.base.part_from_scan
    cloud = given.cloud
    growth = 1.0 if given.base is None else given.base.growth
    if growth != 1.0:
        cloud = replace(cloud, growth=cloud.growth * growth)
    found = align(cloud, given.model, given.exact(), settings, start=start, progress=given.progress)
    return replace(found, growth=growth)


def _placed(part_from_base: Rigid, given: Aligning, *, scale: float = 1.0) -> Alignment:
    """Return an alignment that moves the base's points, and takes over what is known about them."""
    cloud, base = given.cloud, given.base
    count = 0 if cloud is None else len(cloud.raw)
    none = frozen(np.zeros(count, dtype=bool))
    isolated = none if cloud is None else cloud.isolated
    if base is None:
        return Alignment(frozen(part_from_base), 0.0, 0.0, none, none, isolated, 0.0, (), (), growth=scale)
    # x' = s (R x + t) + ... : the base's shift grows with the points
    before = base.part_from_scan.copy()
    before[:3, 3] *= scale
    return Alignment(
        frozen(part_from_base @ before), 0.0, base.scale, base.used, base.table, base.isolated, base.coverage, (), (),
        growth=base.growth * scale,
    )  # fmt: skip


def _adjusted(found: Adjustment, given: Aligning) -> Alignment:
    placed = _placed(found.part_from_base, given, scale=found.scale)
    return replace(
        placed, rms=found.rms, largest=found.largest, targets=found.targets, freedoms=found.freedoms,
        doubts=found.doubts, notes=found.notes, suggestion=found.suggestion,
    )  # fmt: skip


def _by_datums(own: DatumAlignment, given: Aligning) -> Alignment:
    measured = [given.measured(d.feature) for d in own.datums]
    center, length = given.model.box.mean(axis=0), given.model.diagonal
    operands = _datum_operands(measured, given.datum_association, center, length)
    datums = [DatumFeature(name, nominal_operand(n), o) for (name, n, _), o in zip(measured, operands, strict=True)]
    found = place_by_datums(datums, center=center, length=length)
    placed = _placed(found.part_from_base, given)
    targets = tuple(
        _datum_target(d, found.part_from_base, deviation.added)
        for d, deviation in zip(datums, found.deviations, strict=True)
    )
    distances = np.array([d.distance for d in found.deviations])
    notes = [
        f"{d.name} is turned by {np.degrees(d.angle):.4f}° from where the datums before it hold the part"
        for d in found.deviations
        if d.angle > 1e-6
    ]
    notes.append(f"datums associated {_HOW[given.datum_association]}, as for the tolerances (ISO 5459)")
    if found.freedoms.free:
        notes.append(f"no datum holds the {found.freedoms.say_free()}: kept from {given.base_name}")
    return replace(
        placed, rms=float(np.sqrt(np.mean(distances**2))), largest=float(distances.max()), targets=targets,
        freedoms=found.freedoms, notes=tuple(notes),
    )  # fmt: skip


def _datum_operands(
    measured: Sequence[tuple[str, Nominal, Measured | Built]], association: DatumAssociation, center: Vector,
    length: float,
) -> list[Operand]:  # fmt: skip
    """Return the datums as associated: as a datum system of tolerances associates them, in this order.

    Where the features make no datum system (two that hold the same) each is associated for itself.
    """
    try:
        uses = [SystemDatum(name, tuple(datum_parts([name], [m]))) for name, _, m in measured]
        known = [f for _, f in establish(uses, association, center=center, length=length).datums]
        return [Operand(f, m.middle, m.nominal.length) for f, (_, _, m) in zip(known, measured, strict=True)]
    except (DatumError, ValueError):
        least = association == DatumAssociation.LEAST_SQUARES
        return [
            Operand(m.as_datum() if isinstance(m, Measured) and not least else m.feature, m.middle, m.nominal.length)
            for _, _, m in measured
        ]


def _datum_target(datum: DatumFeature, part_from_base: Rigid, added: int) -> TargetDeviation:
    off, place = np.zeros(3), datum.nominal.middle
    nominal = situations_of(datum.nominal.feature, datum.nominal.middle)
    measured = situations_of(datum.measured.feature, datum.measured.middle)
    for ideal, real in zip(nominal, measured, strict=True):
        if len(ideal.along):
            off = ideal.along.T @ (ideal.along @ (apply(part_from_base, real.place) - ideal.place))
    return TargetDeviation(datum.name, place, off, held=f"{added} freedom{'s' if added != 1 else ''}")


def _point_of(feature: Feature, middle: Vector, name: str) -> Vector:
    """Return the point that a feature gives: its centre, or the point of its axis or plane nearest its middle."""
    place, line, plane = place_of(feature), axis_of(feature), plane_of(feature)
    if place is not None:
        return place
    if plane is not None:
        return foot_on_plane(plane, middle)
    if line is None:
        raise EvaluationError(f"{name} gives no point")
    return foot_on_line(line, middle)


def _by_reference_points(own: ReferencePointAlignment, given: Aligning) -> Adjustment:
    assert given.base is not None
    targets = []
    for p in own.points:
        if p.feature:
            name, nominal, measured = given.measured(p.feature)
            normal = _direction_of(nominal.feature)
            targets.append(
                ReferencePoint(
                    p.name or name, _point_of(nominal.feature, nominal.center, name), normal,
                    directions_of(p.held, normal), p.held, _point_of(measured.feature, measured.middle, name),
                )
            )  # fmt: skip
        else:
            normal = unit(p.normal)
            targets.append(ReferencePoint(p.name, np.array(p.place), normal, directions_of(p.held, normal), p.held))
    length = given.model.diagonal
    scan = _near_places(given, np.array([t.place for t in targets]).reshape(-1, 3), REACH * length)
    return align_by_reference_points(targets, scan, np.eye(4), length=length, radius=own.radius)


def _near_places(given: Aligning, places: Points, reach: float) -> Points:
    """Return the scan points (base's coordinates) that are near any of some places, without a copy of all."""
    cloud, base = given.cloud, given.base
    if cloud is None or base is None:
        return np.zeros((0, 3))
    near = [np.zeros((0, 3))]
    for start in range(0, len(cloud.order), _PIECE):
        piece = slice(start, start + _PIECE)
        points = cloud.raw[cloud.order[piece][~cloud.isolated[piece]]] * (cloud.growth * base.growth)
        points = apply(base.part_from_scan, points)
        chosen = np.zeros(len(points), dtype=bool)
        for place in places:
            chosen |= (np.abs(points - place) < reach).all(axis=1)
        near.append(points[chosen])
    return np.concatenate(near)


def _direction_of(feature: Feature) -> Vector:
    line, plane = axis_of(feature), plane_of(feature)
    if plane is not None:
        return plane.normal
    return np.array([0.0, 0.0, 1.0]) if line is None else line.direction


def _by_matched_points(own: MatchedPointAlignment, given: Aligning) -> Adjustment:
    if not own.points:
        raise RegistrationError("no point yet: pick holes, spheres or constructed points, or bring in touches")
    nominal: list[Vector] = []
    measured: list[Vector] = []
    names, weights, used = [], [], []
    for p in (p for p in own.points if p.feature):
        name, ideal, real = given.measured(p.feature)
        nominal.append(_point_of(ideal.feature, ideal.center, name))
        measured.append(_point_of(real.feature, real.middle, name))
        names.append(p.name or name)
        weights.append(p.weights)
        used.append(p.used)
    by_touch = [p for p in own.points if not p.feature]
    if by_touch:
        places, touched = np.array([p.place for p in by_touch]), _points_by_name(given)
        if not touched:
            raise RegistrationError("no touches yet: measure the points, or bring in a list of measured points")
        there = np.array(list(touched.values()))
        if own.matching == "name":
            rows, partners = pairs_by_name([p.name for p in by_touch], list(touched))
        elif own.matching == "order":
            rows = partners = np.arange(min(len(places), len(there)))
        else:
            rows, partners, _ = pairs_by_geometry(places, there, tolerance=own.tolerance)
        for i, j in zip(rows, partners, strict=True):
            nominal.append(places[i])
            measured.append(there[j])
            names.append(by_touch[i].name)
            weights.append(by_touch[i].weights)
            used.append(by_touch[i].used)
    if not names:
        raise RegistrationError("no measured point has the name of a nominal one")
    return match_points(
        np.array(nominal), np.array(measured), names, weights=np.array(weights), used=np.array(used),
        with_scale=own.with_scale,
    )  # fmt: skip


def _points_by_name(given: Aligning) -> dict[str, Points]:
    """Return the mean of the touches of each name, in the base's coordinates."""
    grouped: dict[str, list[Vector]] = {}
    for touch in given.touches:
        grouped.setdefault(touch.target, []).append(_in_base(np.array(touch.place), given))
    return {name: np.mean(places, axis=0) for name, places in grouped.items()}


def _in_base(place: Vector, given: Aligning) -> Vector:
    if given.base is None:
        return place
    return apply(given.base.part_from_scan, given.base.growth * place)


def target_of(target: GuideTarget) -> GuidedTarget:
    """Return the target of a guided alignment as it is computed with."""
    return GuidedTarget(target.name, target.kind, np.array(target.place), unit(target.direction), target.diameter)


def touches_of(target: str, touches: tuple[Touch, ...]) -> Touches:
    """Return the touches of one target, by side."""
    sides = {side: [t.place for t in touches if t.target == target and t.side == side]
             for side in ("surface", "face", "wall")}  # fmt: skip
    return Touches(*(np.array(sides[s], dtype=np.float64).reshape(-1, 3) for s in ("surface", "face", "wall")))


def _by_targets(own: GuidedAlignment, given: Aligning) -> Adjustment:
    if not own.targets:
        raise RegistrationError("no target yet: pick places on the part")
    tips = tuple(_touch_in_base(t, given) for t in given.touches)

    def distance_to(points: Points) -> tuple[Floats, Points]:
        found = given.exact().deviations(np.ascontiguousarray(points))
        return found.distance, np.asarray(found.normals, dtype=np.float64)

    def fitted(there: tuple[Touch, ...]) -> Adjustment:
        return align_by_targets(
            [target_of(t) for t in own.targets], [touches_of(t.name, there) for t in own.targets], distance_to,
            length=given.model.diagonal,
        )  # fmt: skip

    found = fitted(tuple(_moved(t, np.array(t.approach)) for t in tips))
    if any(t.radius > 0 for t in tips):
        # Once the part is known, tips are compensated by its normals: an approach is never quite square.
        for _ in range(_COMPENSATIONS):
            aligned = apply(found.part_from_base, np.array([t.place for t in tips]))
            normals = rotate(invert(found.part_from_base), distance_to(aligned)[1])
            found = fitted(tuple(_moved(t, -n) for t, n in zip(tips, normals, strict=True)))
    return found


def _touch_in_base(touch: Touch, given: Aligning) -> Touch:
    place = _in_base(np.array(touch.place), given)
    turn = np.eye(4) if given.base is None else given.base.part_from_scan
    approach = rotate(turn, np.array(touch.approach))
    return touch.replace(place=tuple(place.tolist()), approach=tuple(approach.tolist()))


def _moved(touch: Touch, direction: Vector) -> Touch:
    """Return a touch on the surface: the centre of its tip moved by its radius."""
    if touch.radius == 0:
        return touch
    return touch.replace(place=tuple((np.array(touch.place) + touch.radius * direction).tolist()), radius=0.0)


def _by_reference_points_placed(own: ReferencePointAlignment, given: Aligning) -> Alignment:
    return _adjusted(_by_reference_points(own, given), given)


def _by_matched_points_placed(own: MatchedPointAlignment, given: Aligning) -> Alignment:
    return _adjusted(_by_matched_points(own, given), given)


def _by_targets_placed(own: GuidedAlignment, given: Aligning) -> Alignment:
    return _adjusted(_by_targets(own, given), given)


def _given(own: GivenAlignment, given: Aligning) -> Alignment:
    return _placed(np.array(own.matrix).reshape(4, 4), given)


# How each kind of alignment is computed: another kind is a model, a line here, and a page of the Align stage.
_COMPUTED: dict[type[AlignmentBase], Callable[[Any, Aligning], Alignment]] = {
    BestFitAlignment: _best_fit,
    DatumAlignment: _by_datums,
    ReferencePointAlignment: _by_reference_points_placed,
    MatchedPointAlignment: _by_matched_points_placed,
    GuidedAlignment: _by_targets_placed,
    GivenAlignment: _given,
}
