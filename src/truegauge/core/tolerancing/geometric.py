"""Geometrical tolerances: the smallest zone that holds what is toleranced, over the freedoms that the datums leave.

One way for all: the datum system places the measured points on the part as designed; the nominal features give the true
places; the smallest zone about them is found over the open motions. Orientation tolerances have all shifts open.
ISO 1101:2017; ISO 1660:2017 (profiles); ISO 5458:2018 (patterns); ASME Y14.5-2018, Y14.5.1M-2019.
"""

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import partial

import numpy as np

from truegauge.core.around import widest_gap
from truegauge.core.arrays import Floats, Points, Rigid, Vector, unit
from truegauge.core.association.features import Cylinder
from truegauge.core.constructions.parts import axis_of
from truegauge.core.datums.system import EstablishedSystem
from truegauge.core.datums.zone_rows import RoundRows, Rows, SurfaceRows
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Measured
from truegauge.core.features.opposite import opposite_on_ring
from truegauge.core.frames import apply, invert, rotation_vector, twist_motion
from truegauge.core.tolerancing import profile, runout
from truegauge.core.tolerancing.derived import (
    axis_ends,
    mating_feature,
    median_line,
    median_line_words,
    surface_points,
)
from truegauge.core.tolerancing.derived_rows import Derived, bonus_of, derived_rows, material_of, offsets_of
from truegauge.core.tolerancing.once import least_squares_feature
from truegauge.core.tolerancing.outcome import Outcome, Sketch, UnitValue
from truegauge.core.tolerancing.request import Request, Unit
from truegauge.core.tolerancing.rings import need_rings
from truegauge.core.tolerancing.smallest_zone import smallest_offset_zone, smallest_zone
from truegauge.core.tolerancing.two_point import diameters_of

ORIENTATION = ("perpendicularity", "parallelism", "angularity")
LOCATION = ("position", "coaxiality", "symmetry")
_ALONG = 1e-3
_TURNS = (0.003, 0.01, 0.03, 0.1, 0.3)  # rad


def evaluate(request: Request) -> Outcome:
    """Evaluate one tolerance.

    Raises
    ------
    EvaluationError
        What is missing, or makes no sense.
    """
    return evaluate_together((request,))[0]


def evaluate_together(requests: Sequence[Request]) -> tuple[Outcome, ...]:
    """Evaluate tolerances as one simultaneous requirement (ASME Y14.5-2018, 7.19; ISO 5458:2018, SIM).

    All share the datum system and so the motion that it leaves; that motion is taken at which the largest excess over
    the allowed widths is smallest.
    """
    own = [_EVALUATORS.get(r.kind) for r in requests]
    if len(requests) == 1 and own[0] is not None:
        return (own[0](requests[0]),)
    if any(e is not None for e in own):
        raise EvaluationError("run-outs and straightness of axes cannot be simultaneous requirements")
    if len(requests) == 1:
        return (_apart(requests[0]),)
    pieces = [(k, d) for k, r in enumerate(requests) for d in _derived(r)]
    first = requests[0]
    free = first.system.all_free if all(r.kind in ORIENTATION for r in requests) else first.system.free
    rows = [_allowed(row, requests[k].tolerance or 0.0) for k, d in pieces for row in d.rows]
    found = smallest_zone([*rows, *first.system.limits], free, first.system.about, first.system.length)
    return tuple(
        _outcome(r, [d for j, d in pieces if j == k], [found.pose] * len(r.units)) for k, r in enumerate(requests)
    )


def _allowed(row: Rows, tolerance: float) -> Rows:
    """Count a row by its excess over the tolerance."""
    return replace(row, allowance=row.allowance + tolerance)


def _free(request: Request) -> np.ndarray:
    return request.system.all_free if request.kind in ORIENTATION else request.system.free


def _apart(request: Request) -> Outcome:
    """Evaluate the features in one zone frame, or each in its own."""
    derived = _derived(request)
    system, free = request.system, _free(request)
    groups = [derived] if request.together else [[d] for d in derived]
    poses: list[Rigid] = []
    notes: list[str] = []
    for k, group in enumerate(groups):
        rows = [row for d in group for row in d.rows]
        if "OZ" in request.modifiers and request.kind in profile.KINDS:
            found, offset = smallest_offset_zone([*rows, *system.limits], free, system.about, system.length)
            moved = [replace(r, middle=offset) for r in rows if isinstance(r, SurfaceRows)]
            group = [replace(d, rows=(r,)) for d, r in zip(group, moved, strict=True)]
            derived[k if not request.together else 0 : len(derived) if request.together else k + 1] = group
            notes.append(f"the zone is offset by {offset:+.4f} mm (OZ)")
            poses += [found.pose] * len(group)
            continue
        settled = request.settled[len(poses)] if request.settled else None
        turned = settled is None and any(d.zone == "planes" for d in group)
        starts = _turned_starts(request, free) if turned else ()
        found = smallest_zone([*rows, *system.limits], free, system.about, system.length, starts, settled)
        poses += [found.pose] * len(group)
    return replace(_outcome(request, derived, poses), notes=tuple(notes), poses=tuple(poses))


def _turned_starts(request: Request, free: np.ndarray) -> tuple[Rigid, ...]:
    """Return places to begin from where an orientation leaves one turn open.

    A zone between planes that may turn about a datum normal is tangent to the best one: an axis that is a little too
    steep lies in it after a turn either way, and its two optima differ by its form.
    """
    turns = free[:3] * request.system.length
    if request.kind not in ORIENTATION or request.system.limits or not turns.size:
        return ()
    u, strength, _ = np.linalg.svd(turns)
    if int((strength > 1e-6).sum()) != 1:
        return ()
    twist = np.concatenate([u[:, 0], np.zeros(3)])
    return tuple(twist_motion(sign * angle * twist, request.system.about) for angle in _TURNS for sign in (1.0, -1.0))


def _placed(rows: Rows, system: EstablishedSystem) -> Rows:
    return replace(rows, points=apply(system.part_from_measured, rows.points))


def _derived(request: Request) -> list[Derived]:
    """Return what must lie in the zone, moved to where the datum system places it."""
    if request.kind in profile.KINDS:
        return profile.derived(request)
    if request.kind in ORIENTATION and not request.system.letters:
        raise EvaluationError(f"{request.kind} needs a datum")
    if request.kind in ("coaxiality", "symmetry") and not request.system.letters:
        raise EvaluationError(f"{request.kind} needs a datum")
    found = []
    for k in range(len(request.units)):
        default, direction = _usual_zone(request, k)
        own = derived_rows(request, k, default=default, direction=direction)
        found.append(replace(own, rows=tuple(_placed(r, request.system) for r in own.rows)))
    return found


def _usual_zone(request: Request, k: int) -> tuple[str, Vector | None]:
    """Return the zone of an axis where none is stated: a cylinder, or two planes by what the datum gives (ISO 1101)."""
    if request.kind not in ORIENTATION or request.zone.shape:
        return "cylinder", None
    axis = axis_of(request.units[k].nominal.feature)
    datum = request.system.direction
    if axis is None or datum is None:
        return "cylinder", None
    if np.linalg.norm(np.cross(axis.direction, datum)) < _ALONG:
        return "cylinder", None
    # Across or at an angle: between planes square to the plane of axis and datum direction.
    return "planes", unit(datum - float(datum @ axis.direction) * axis.direction)


def _outcome(request: Request, derived: Sequence[Derived], poses: Sequence[Rigid]) -> Outcome:
    units: list[UnitValue] = []
    worst: tuple[float, int, Rows, int] | None = None
    for k, (own, pose) in enumerate(zip(derived, poses, strict=True)):
        bonus = bonus_of(request, request.units[k]) if material_of(request) else 0.0
        best = -np.inf
        for row in own.rows:
            value, place = row.worst(pose)
            best = max(best, value)
            if worst is None or value - bonus > worst[0]:
                worst = (value - bonus, k, row, place)
        units.append(UnitValue(request.units[k].name, max(float(best), 0.0), bonus))
    assert worst is not None
    _, k, row, place = worst
    sketch: Sketch | None = None
    if request.settled:
        pass  # one of many trials: nobody looks at it
    elif (axis := _axis_sketch(request, k, poses[k])) is not None:
        sketch = axis
    else:
        sketch = _sketch_of(derived[k], row, poses[k], place)
    moved = poses[k]
    about = request.system.about
    return Outcome(
        units[k].value, units[k].bonus, tuple(units), request.system.freedoms, request.system.letters,
        apply(moved, about) - about, float(np.linalg.norm(rotation_vector(moved))), request.system.bounded, sketch,
        derived[k].association,
    )  # fmt: skip


def _axis_sketch(request: Request, k: int, pose: Rigid) -> Sketch | None:
    """At a material limit the surface decides; what is drawn is the axis of the mating envelope in its zone."""
    one = request.units[k]
    if not material_of(request) or len(one.measured) != 1:
        return None
    nominal, system = one.nominal, request.system
    if not isinstance(nominal.feature, Cylinder):
        return None
    axis = nominal.feature.direction
    center = apply(invert(system.part_from_measured), nominal.center)
    mating = mating_feature(one.own, least_material=material_of(request) == "L")
    points = apply(pose @ system.part_from_measured, axis_ends(mating, center, nominal.length))
    off = points - nominal.center
    offsets = off - np.outer(off @ axis, axis)
    worst = int(np.argmax(np.linalg.norm(offsets, axis=1)))
    return Sketch("cylinder", points - offsets, offsets, worst, axis)


def _sketch_of(own: Derived, row: Rows, pose: Rigid, place: int) -> Sketch:
    places, offsets = offsets_of(row, pose)
    few = np.unique(np.append(np.linspace(0, len(places) - 1, min(len(places), 400)).astype(int), place))
    worst = int(np.searchsorted(few, place))
    return Sketch(own.zone, places[few], offsets[few], worst, own.direction)


def _axis_straightness(request: Request) -> Outcome:
    """Straightness of a median line: the narrowest cylinder around it (ISO 1101:2017 17.2, ISO 12780).

    At maximum or least material the mating envelope is judged, free in place and direction: it must keep its virtual
    size (ISO 2692:2021, 4.2; ASME Y14.5-2018, 8.4.1.3). The value is by how much it differs from the extreme two-point
    size, the bonus by how much that one differs from its limit.
    """
    values, worst = [], None
    how = "extracted median line (ISO 17450-3)"
    for k, one in enumerate(request.units):
        line = median_line(one.own)
        middle, direction = line.mean(axis=0), unit(line[-1] - line[0])
        across = np.linalg.svd(direction[None])[2][1:]
        rows = RoundRows(line, middle, across, unit=k)
        found = smallest_zone([rows], np.eye(6), middle, max(float(np.ptp(line @ direction)), 1.0))
        value, place = rows.worst(found.pose)
        bonus = 0.0
        if material_of(request):
            value, bonus = _of_virtual_size(request, one)
            how = "mating envelope against the virtual size"
        else:
            how = f"extracted median line (ISO 17450-3); {median_line_words(one.own)}"
        values.append(UnitValue(one.name, value, bonus))
        if worst is None or value - bonus > worst[0]:
            places, offsets = offsets_of(rows, found.pose)
            worst = (value - bonus, k, Sketch("cylinder", places, offsets, place, direction))
    assert worst is not None
    return Outcome(values[worst[1]].value, values[worst[1]].bonus, tuple(values), sketch=worst[2],
                   association=how)  # fmt: skip


def _of_virtual_size(request: Request, one: Unit) -> tuple[float, float]:
    """Return value and bonus: their difference is by how much the mating size lies beyond its limit."""
    least = material_of(request) == "L"
    hole = one.nominal.outward < 0
    at_mating = bonus_of(request, one)  # of the mating size over its limit, towards less material (or more, for L)
    mating = 2 * float(mating_feature(one.own, least_material=least).parameters["radius"])
    try:
        sizes = diameters_of(one.own)
        # The mating envelope of a hole at maximum material is smaller than all local sizes; a shaft's is larger.
        inside = hole != least
        local = max(mating, sizes.statistic("SN")) if inside else min(mating, sizes.statistic("SX"))
    except EvaluationError:  # touches that lie not opposite: the size over all
        local = 2 * float(least_squares_feature(one.own).parameters["radius"])
        local = max(mating, local) if hole != least else min(mating, local)
    bend = abs(local - mating)
    return bend, at_mating + bend


def _concentricity(request: Request) -> Outcome:
    """Centres of cross sections about the datum axis (ISO 1101:2017 17.14); ASME Y14.5-2009 7.6: median points.

    Median points are the middles of diametrically opposite elements.
    """
    system = request.system
    if not system.letters:
        raise EvaluationError("concentricity needs a datum")
    units, worst = [], None
    for k, one in enumerate(request.units):
        points = median_line(one.own) if request.standard == "ISO" else _median_points(one.own)
        nominal = one.nominal
        line = axis_of(nominal.feature)
        if line is None:
            raise EvaluationError(f"{one.name} has no axis")
        across = np.linalg.svd(line.direction[None])[2][1:]
        rows = RoundRows(apply(system.part_from_measured, points), nominal.center, across, unit=k)
        found = smallest_zone([rows, *system.limits], system.free, system.about, system.length)
        value, place = rows.worst(found.pose)
        units.append(UnitValue(one.name, value))
        if worst is None or value > worst[0]:
            places, offsets = offsets_of(rows, found.pose)
            worst = (value, k, Sketch("cylinder", places, offsets, place, line.direction))
    assert worst is not None
    how = "centres of cross sections" if request.standard == "ISO" else "middles of opposite elements (ASME Y14.5-2009)"
    return Outcome(worst[0], 0.0, tuple(units), system.freedoms, system.letters, sketch=worst[2], association=how)


def _median_points(measured: Measured) -> Points:
    """Return the middles (m, 3) of opposite elements of cross sections of a turned feature."""
    feature = measured.feature
    pose = feature.pose
    if measured.single:
        return _middles_of_rings(measured)
    local = (surface_points(measured) - pose.origin) @ pose.axes.T
    if widest_gap(local[:, :2]) > np.radians(130):
        raise EvaluationError("opposite elements need points all around")
    height = local[:, 2]
    around = 36
    levels = int(np.clip(float(np.ptp(height)) / max(measured.averaging, 0.5), 1, 24))
    level = np.clip(((height - height.min()) / (float(np.ptp(height)) or 1.0) * levels).astype(int), 0, levels - 1)
    if measured.surface is not None and measured.surface.rings is not None:
        level = measured.surface.rings[:, 0]
        levels = int(level.max()) + 1
    # Cells stand about their middles, so that points at even angles fall into the middle of one.
    turns = (np.arctan2(local[:, 1], local[:, 0]) / (2 * np.pi) + 0.5 / around) % 1.0
    cell = np.clip((turns * around).astype(int), 0, around - 1)
    key = level * around + cell
    counts = np.bincount(key, minlength=levels * around)
    radius = np.hypot(local[:, 0], local[:, 1])

    def mean(values: Floats) -> Floats:
        with np.errstate(invalid="ignore"):
            return np.asarray(np.bincount(key, weights=values, minlength=levels * around) / counts)

    r, z = (mean(v).reshape(levels, around) for v in (radius, height))
    half = around // 2
    # Only along the diameter: what cells hold beside it is how their points are spread.
    middle = (r[:, :half] - r[:, half : 2 * half]) / 2
    angles = np.arange(half) * 2 * np.pi / around
    middles = np.stack(
        [middle * np.cos(angles), middle * np.sin(angles), (z[:, :half] + z[:, half : 2 * half]) / 2], axis=2
    ).reshape(-1, 3)
    middles = middles[np.isfinite(middles).all(axis=1)]
    if not len(middles):
        raise EvaluationError("no two points lie opposite to each other")
    return np.asarray(middles @ pose.axes + pose.origin)


def _middles_of_rings(measured: Measured) -> Points:
    """Return the middles of opposite touches of the rows, through the least-squares axis."""
    rings = need_rings(measured, "concentricity by opposite elements")
    found = []
    for own in rings.each:
        x, y, z = rings.local[own].T
        pairs = opposite_on_ring(np.arctan2(y, x), np.hypot(x, y))
        middle = (pairs[:, 1] - pairs[:, 2]) / 2
        found.append(np.column_stack([middle * np.cos(pairs[:, 0]), middle * np.sin(pairs[:, 0]),
                                      np.full(len(pairs), z.mean())]))  # fmt: skip
    middles = np.vstack(found)
    if not len(middles):
        raise EvaluationError("no two touches lie opposite to each other")
    pose = rings.feature.pose
    return np.asarray(middles @ pose.axes + pose.origin)


_EVALUATORS: dict[str, Callable[[Request], Outcome]] = {
    "axis_straightness": _axis_straightness,
    "concentricity": _concentricity,
    "circular_runout": partial(runout.run_out, total=False),
    "total_runout": partial(runout.run_out, total=True),
    "profile_line": profile.of_lines,
}
