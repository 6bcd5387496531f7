"""Geometrical tolerances of a plan: datum systems and zones as nodes of the evaluation graph."""

from __future__ import annotations

from collections.abc import Hashable, Sequence
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.association.features import Cylinder, Feature
from truegauge.core.cad.recognition import Nominal
from truegauge.core.datums.common import DatumAssociation
from truegauge.core.datums.system import DatumPart, DatumUse, EstablishedSystem, Target, establish, no_system
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured, extract
from truegauge.core.features.held_by_points import DIRECTION, PLACE
from truegauge.core.features.measured_surface import patch_surface
from truegauge.core.plan.asked import Asked, asked_by, boundary_of
from truegauge.core.plan.datum_parts import datum_parts
from truegauge.core.plan.document import Characteristic, ConstructedFeature, Group, NominalFeature, Plan
from truegauge.core.plan.graph import NotComputed, needed
from truegauge.core.plan.reading import spot_reading
from truegauge.core.plan.readings import SpotCheck
from truegauge.core.plan.requirements import ORIENTS, SITUATIONS, Datum, DatumReference, DatumTarget
from truegauge.core.plan.results import Cloud
from truegauge.core.plan.rules import cutting_normal
from truegauge.core.samples.sample import Sample
from truegauge.core.tolerancing.geometric import LOCATION, ORIENTATION, evaluate, evaluate_together
from truegauge.core.tolerancing.kinds import KINDS, need_held
from truegauge.core.tolerancing.outcome import Outcome
from truegauge.core.tolerancing.request import Patch, Request, Unit, are_opposite, width_nominal

if TYPE_CHECKING:
    from truegauge.core.plan.evaluation import Evaluator

_PAIRING = (*LOCATION, *ORIENTATION)
Found = Measured | Built
_NEARLY = 0.9986  # cosine of three degrees
_SHORT = 0.5  # of its radius: a hole that short has its place from one ring


def geometric_outcome(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic
) -> Outcome | NotComputed:
    """Return the outcome of a characteristic of the plan, alone or with those it is simultaneous with."""
    asked = asked_by(plan, c)
    if not c.simultaneous:
        return outcome_of(evaluator, plan, sample, asked)
    if sample is None:
        return NotComputed("no sample yet: bring in a scan")
    group = [
        o for o in plan.characteristics
        if o.simultaneous == c.simultaneous and o.alignment == c.alignment and evaluator.is_geometric(o.kind)
    ]  # fmt: skip
    every = [asked_by(plan, o) for o in group]
    if any(a.datums != every[0].datums for a in every):
        return NotComputed("a simultaneous requirement needs the same datum system everywhere")
    # The tolerances weigh the members against each other here.
    key = ("simultaneous", tuple((_key(evaluator, plan, sample, a), a.tolerance) for a in every))

    def compute() -> tuple[Outcome, ...]:
        return evaluate_together([_request(evaluator, plan, sample, a) for a in every])

    found = evaluator.graph.node(key, compute)
    return found if isinstance(found, NotComputed) else found[group.index(c)]


def unlettered_outcome(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, c: Characteristic
) -> Outcome | NotComputed:
    """Return the outcome of an orientation to the second feature, which serves as the datum without a letter."""
    features = [plan.named(f) for f in c.features]
    groups = tuple(f.group for f in features)
    names = tuple(f.name for f in features)
    return outcome_to(evaluator, plan, sample, c.kind, groups, names)


def outcome_to(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, kind: str, groups: tuple[Group, ...],
    names: tuple[str, ...],
) -> Outcome | NotComputed:  # fmt: skip
    """Return the outcome of an orientation of one group to another."""
    if sample is None:
        return NotComputed("no sample yet: bring in a scan")
    asked = Asked(kind, groups[:1], names[:1])
    contents = tuple(plan.content_of(g) for g in groups)
    key = ("outcome", *evaluator.seen_key(plan, sample), contents, kind, plan.standard, plan.datum_association)

    def compute() -> Outcome:
        units = units_of(evaluator, plan, sample, asked)
        datum = _held(_measured(evaluator, plan, sample, groups[1], names[1]), kind, names[1])
        part = DatumUse(names[1], tuple(datum_parts(names[1:], [datum])))
        system = establish(
            [part], DatumAssociation(plan.datum_association), center=evaluator.model_middle,
            length=evaluator.model.diagonal,
        )  # fmt: skip
        return evaluate(Request(kind, units, system, standard=plan.standard))

    return evaluator.graph.node(key, compute)


def outcome_is_known(evaluator: Evaluator, plan: Plan, sample: Sample, c: Characteristic) -> bool:
    """Tell whether the outcome of a geometrical characteristic is computed already."""
    if c.simultaneous:
        return True
    if not c.datums and c.kind in ("perpendicularity", "parallelism") and len(c.features) == 2:
        return True
    return evaluator.graph.peek(("outcome", *_key(evaluator, plan, sample, asked_by(plan, c)))) is not None


def outcome_of(evaluator: Evaluator, plan: Plan, sample: Sample | None, asked: Asked) -> Outcome | NotComputed:
    """Return the outcome of a tolerance; usable for one that the plan does not have (proposals)."""
    if sample is None:
        return NotComputed("no sample yet: bring in a scan")
    return evaluator.graph.node(
        ("outcome", *_key(evaluator, plan, sample, asked)),
        lambda: evaluate(_request(evaluator, plan, sample, asked)),
    )


def _key(evaluator: Evaluator, plan: Plan, sample: Sample, asked: Asked) -> tuple[Hashable, ...]:
    contents = tuple(plan.content_of(g) for g in asked.groups)
    cut = asked.zone.cut_datum
    cutting = plan.content_of(plan.feature(plan.datum(cut).feature).group) if plan.has_datum(cut) else None
    return (
        *evaluator.seen_key(plan, sample), contents, asked.content, plan.standard,
        system_content(evaluator, plan, asked.datums), cutting,
    )  # fmt: skip


def _request(evaluator: Evaluator, plan: Plan, sample: Sample, asked: Asked) -> Request:
    system = needed(datum_system(evaluator, plan, sample, asked.datums))
    units, zone = units_of(evaluator, plan, sample, asked), asked.zone
    if zone.cut:
        own = units[0].nominal if units[0].measured else None
        zone = zone.replace(direction=cutting_normal(evaluator, plan, zone, own))
    settled = evaluator.settled_poses(plan, sample, asked)
    return Request(asked.kind, units, system, zone, asked.modifiers, asked.tolerance, plan.standard, settled)


def units_of(evaluator: Evaluator, plan: Plan, sample: Sample, asked: Asked) -> tuple[Unit, ...]:
    """Return the toleranced features: two opposite planes in a row are one feature of size where that is meant."""
    units: list[Unit] = []
    k = 0
    while k < len(asked.groups):
        group, name = asked.groups[k], asked.names[k]
        sizes = asked.sizes[k] if k < len(asked.sizes) else (None, None)
        if asked.kind == "profile_surface" or asked.kind == "profile_line":
            units.append(_profile_unit(evaluator, plan, sample, group, name))
            k += 1
            continue
        found = _held(_measured(evaluator, plan, sample, group, name), asked.kind, name)
        if asked.kind in _PAIRING and k + 1 < len(asked.groups):
            other = _measured(evaluator, plan, sample, asked.groups[k + 1], asked.names[k + 1])
            if are_opposite(found.nominal.feature, other.nominal.feature):
                units.append(Unit(f"{name} and {asked.names[k + 1]}", (found, other), sizes=sizes))
                k += 2
                continue
        units.append(Unit(name, (found,), sizes=sizes))
        k += 1
    return tuple(units)


def _measured(evaluator: Evaluator, plan: Plan, sample: Sample, group: Group, name: str) -> Found:
    found: Found | NotComputed = evaluator.measured(plan, sample, group)
    if isinstance(found, NotComputed):
        raise EvaluationError(f"{name}: {found.reason}")
    return found


def _held(found: Found, kind: str, name: str) -> Found:
    """Return a feature that holds what the kind needs; of a hole that is short its place is enough for a location."""
    needs = KINDS[kind].needs if kind in KINDS else ()
    feature = found.nominal.feature
    if kind in LOCATION and isinstance(feature, Cylinder) and found.nominal.length <= _SHORT * feature.radius:
        needs = tuple(n for n in needs if n != DIRECTION)
    need_held(needs, (found,), (name,))
    return found


def _profile_unit(evaluator: Evaluator, plan: Plan, sample: Sample, group: Group, name: str) -> Unit:
    """Return a feature with points, or a patch for faces that are no one ideal surface."""
    nominal = evaluator.nominal(group, plan)
    if not isinstance(nominal, NotComputed):
        return Unit(name, (_measured(evaluator, plan, sample, group, name),))
    if isinstance(group, str) or any(f < 0 for f in group):
        raise EvaluationError(f"{name}: {nominal.reason}")
    return Unit(name, patch=needed(evaluator.patch(plan, sample, group), name))


def measured_patch(evaluator: Evaluator, plan: Plan, cloud: Cloud, faces: tuple[int, ...]) -> Patch:
    """Return the averaged points of any faces."""
    settings = evaluator.extraction_settings(plan, faces, cloud)
    pieces: list[Points] = []
    normals: list[Points] = []
    modes: list[np.ndarray] = []
    taken: list[np.ndarray] = []
    for face in faces:  # each for itself: averaging must not mix the two sides of an edge
        rows = extract(
            evaluator.model, (face,), cloud.points, cloud.found, cloud.usable, settings, cloud.normals
        ).rows  # fmt: skip
        if len(rows):
            feet, off = cloud.found.feet_at(rows), cloud.found.distance[rows]
            out = np.asarray(cloud.found.normals[rows], dtype=np.float64)
            if settings.averaging <= 0:
                pieces.append(feet + off[:, None] * out)
                if cloud.taken is not None:
                    taken.append(cloud.taken[rows])
                continue
            surface = patch_surface(feet, out, off, settings.averaging)
            pieces.append(surface.points)
            normals.append(surface.normals)
            modes.append(surface.modes)
    if not pieces:
        raise EvaluationError("no points of the scan belong to these faces")
    stated = np.concatenate(taken) if taken else None
    return Patch(
        faces, np.vstack(pieces), evaluator.projector, settings.averaging <= 0, stated,
        np.vstack(normals) if normals else None, tuple(modes),
    )  # fmt: skip


def datum_system(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, references: Sequence[DatumReference]
) -> EstablishedSystem | NotComputed:
    """Return the datum system that references establish; shared by all characteristics that name it."""
    if sample is None:
        return NotComputed("no sample yet: bring in a scan")
    middle, length = evaluator.model_middle, evaluator.model.diagonal

    def compute() -> EstablishedSystem:
        if not references:
            return no_system(middle, length)
        uses = []
        for k, reference in enumerate(references):
            before = {x for r in references[:k] for x in r.letters}
            uses.append(_use(evaluator, plan, sample, reference, before))
        return establish(uses, DatumAssociation(plan.datum_association), center=middle, length=length)

    key = ("system", *evaluator.seen_key(plan, sample), system_content(evaluator, plan, references))
    return evaluator.graph.node(key, compute)


def system_content(evaluator: Evaluator, plan: Plan, references: Sequence[DatumReference]) -> Hashable:
    """Return what a datum system depends on besides the points, for the evaluation graph."""
    if not references:
        return ""
    own = tuple((r.letter, r.modifiers, r.holds) for r in references)
    known = plan.system_contents.get(own)
    if known is None:
        known = plan.system_contents[own] = _system_content(evaluator, plan, references)
    return known


def _system_content(evaluator: Evaluator, plan: Plan, references: Sequence[DatumReference]) -> Hashable:
    contents = []
    for k, r in enumerate(references):
        before = {x for other in references[:k] for x in other.letters}
        datums: list[Hashable] = []
        for letter in r.letters:
            if not plan.has_datum(letter):
                datums.append((letter, None))
                continue
            d = plan.datum(letter)
            size = _boundary(evaluator, plan, r, d, before) if r.material else None
            groups = tuple(plan.content_of(plan.feature(f).group) for f in d.features)
            datums.append((letter, groups, d.targets, size))
        contents.append((r.letter, r.modifiers, r.holds, tuple(datums)))
    return (tuple(contents), plan.datum_association)


def _boundary(
    evaluator: Evaluator, plan: Plan, r: DatumReference, d: Datum, before: set[str]
) -> tuple[float | None, ...]:
    """Return the boundary sizes of the parts of a datum."""
    nominals = [evaluator.nominal(plan.feature(f).group, plan) for f in d.features]
    known = [n for n in nominals if isinstance(n, Nominal)]
    if len(known) < len(nominals):
        return (None,)
    if len(known) == 2 and are_opposite(known[0].feature, known[1].feature):
        hole = width_nominal(known[0], known[1]).outward < 0
        return (boundary_of(plan, r, d.features, before, hole=hole),)
    return tuple(boundary_of(plan, r, (f,), before, hole=n.outward < 0) for f, n in zip(d.features, known, strict=True))


def _use(evaluator: Evaluator, plan: Plan, sample: Sample, reference: DatumReference, before: set[str]) -> DatumUse:
    parts: list[DatumPart] = []
    targets: list[Target] = []
    sizes: list[float] = []
    for letter in reference.letters:
        datum = plan.datum(letter)
        features = [plan.feature(f) for f in datum.features]
        if datum.targets and len(features) == 1 and _is_free_form(evaluator, plan, features[0].group):
            own = [_free_form_target(evaluator, plan, sample, t, letter, features[0]) for t in datum.targets]
            targets += _facing_alike(own)
            continue
        found = []
        for feature in features:
            one = evaluator.measured(plan, sample, feature.group)
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
            for size in _boundary(evaluator, plan, reference, datum, before):
                if size is None:
                    raise EvaluationError(
                        f"datum {letter}({reference.material}) has no size tolerance: add the size of "
                        f"{features[0].name} as a characteristic, its limit is the boundary"
                    )
                sizes.append(size)
    return DatumUse(
        reference.letter, tuple(parts), tuple(targets), reference.material, tuple(sizes), reference.holds,
        ORIENTS in reference.modifiers, next((m for m in reference.modifiers if m in SITUATIONS), ""),
    )  # fmt: skip


def _target(
    target: DatumTarget, letter: str, features: Sequence[NominalFeature | ConstructedFeature], found: Sequence[Found]
) -> Target:
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
    if off > 0.5:
        raise EvaluationError(f"datum target {target.name} lies {off:.2f} mm off the surface of datum {letter}")
    ideal: Feature = one.nominal.feature
    normal = one.nominal.outward * ideal.outward(place[None])[0]
    near = _near(target, place, normal, one.points)
    if not near.any():
        raise EvaluationError(f"datum target {target.name} is not measured: no points within {target.radius:g} mm")
    deviation = float((one.nominal.outward * ideal.distances(one.points[near])).mean())
    slides = None if target.slides is None else np.array(target.slides) / np.linalg.norm(target.slides)
    center = place if target.end is None else (place + np.array(target.end)) / 2
    return Target(target.name, center, normal, center + deviation * normal, slides)


def _is_free_form(evaluator: Evaluator, plan: Plan, group: Group) -> bool:
    whole = not isinstance(group, str) and all(f >= 0 for f in group)
    return whole and isinstance(evaluator.nominal(group, plan), NotComputed)


def _free_form_target(
    evaluator: Evaluator, plan: Plan, sample: Sample, target: DatumTarget, letter: str,
    feature: NominalFeature | ConstructedFeature,
) -> Target:  # fmt: skip
    """Return a target on a surface that is no ideal feature: measured as a spot check is."""
    found = evaluator.projector.deviations(np.array([target.place]))
    off = abs(float(found.distance[0]))
    if off > 0.5 or found.face[0] not in plan.faces_of(feature.group):
        raise EvaluationError(f"datum target {target.name} does not lie on the surface of datum {letter}")
    x, y, z = (float(v) for v in found.feet[0])
    a, b, c = (float(v) for v in found.normals[0])
    spot = SpotCheck(
        id=f"{letter}{target.name}", name=f"datum target {target.name}", place=(x, y, z), normal=(a, b, c),
        faces=plan.faces_of(feature.group), radius=target.radius,
    )  # fmt: skip
    read = needed(spot_reading(evaluator, plan, sample, spot))
    slides = None if target.slides is None else np.array(target.slides) / np.linalg.norm(target.slides)
    return Target(target.name, read.place, read.direction, read.measured, slides)


def _facing_alike(targets: list[Target]) -> list[Target]:
    """Return targets that face nearly the same way with their common normal.

    What they hold would else hang on differences of fractions of a degree between the normals of a formed surface.
    """
    normals = np.array([t.normal for t in targets])
    common = normals.sum(axis=0) / np.linalg.norm(normals.sum(axis=0))
    if (normals @ common < _NEARLY).any():
        return targets
    return [
        Target(t.name, t.place, common, t.place + float((t.measured - t.place) @ t.normal) * common, t.slides)
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
