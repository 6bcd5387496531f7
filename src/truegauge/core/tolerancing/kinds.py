"""The kinds of characteristics: for each, what it needs, its nominal, its value, and its proposed limits.

A kind is one entry of `KINDS`; adding one adds an entry and its functions in the module of its family.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.relations import Between
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.features.held_by_points import DIRECTION, PLACE
from truegauge.core.tolerancing import distance, form, geometric_fits, orientation, size
from truegauge.core.tolerancing.coordinate import Coordinate
from truegauge.core.tolerancing.distance import Angle, Directed, Distance
from truegauge.core.tolerancing.general import (
    angle_tolerance,
    form_tolerance,
    length_tolerance,
    run_out_tolerance,
    squareness_tolerance,
    symmetry_tolerance,
)
from truegauge.core.tolerancing.size_rule import SizeRule
from truegauge.core.tolerancing.two_point import STATISTICS

Nominals = tuple[Nominal, ...]
MeasuredFeatures = tuple[Measured | Built, ...]
Limits = tuple[float | None, float | None]  # lower and upper, as deviations from the nominal


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of characteristic.

    `fits` tells whether the kind makes sense for exactly these nominal features; `limits` proposes tolerances.
    `one_sided` kinds (form, orientation) have nominal 0 and only an upper limit. `rank` orders proposals, best first;
    kinds that are not `common` are offered behind the others. The values of `angular` kinds are rad. `needs` are what
    touches of its features must hold (`core.features.held_by_points`).
    """

    name: str
    label: str
    symbol: str
    rank: int
    one_sided: bool
    fits: Callable[[Nominals], bool]
    nominal: Callable[[Nominals], float]
    value: Callable[[MeasuredFeatures], float]
    limits: Callable[[Nominals], Limits]
    common: bool = True
    angular: bool = False
    geometric: bool = False  # evaluated in a datum system (`core.tolerancing.geometric`)
    placed: bool = False  # depends on the axes: features are given in the frame of the alignment
    reading: bool = False  # read off the cloud, not of a feature (`core.plan.reading`)
    needs: tuple[str, ...] = (PLACE,)


def _plus_minus(nominal: Callable[[Nominals], float]) -> Callable[[Nominals], Limits]:
    def limits(features: Nominals) -> Limits:
        t = length_tolerance(nominal(features))
        return -t, t

    return limits


def _upper(tolerance: Callable[[float], float]) -> Callable[[Nominals], Limits]:
    return lambda features: (None, tolerance(features[0].length))


def _angle_limits(features: Nominals) -> Limits:
    t = angle_tolerance(min(f.length for f in features))
    return -t, t


def _zero(features: Nominals) -> float:
    return 0.0


def _form_kinds() -> list[Kind]:
    return [
        Kind("flatness", "flatness", "flatness", 2, True, form.is_plane, _zero, form.form, _upper(form_tolerance)),
        Kind("cylindricity", "cylindricity", "cylindricity", 3, True, form.is_cylinder, _zero, form.form,
             _upper(form_tolerance)),
        Kind("roundness", "roundness", "roundness", 4, True, form.has_round_sections, _zero, form.roundness,
             _upper(form_tolerance), common=False),
        Kind("straightness", "straightness", "straightness", 5, True, form.has_lines, _zero, form.straightness,
             _upper(form_tolerance), common=False),
        Kind("perpendicularity", "perpendicularity", "perpendicularity", 2, True, orientation.are_perpendicular, _zero,
             _elsewhere, _upper(squareness_tolerance), geometric=True),
        Kind("parallelism", "parallelism", "parallelism", 3, True, orientation.are_parallel, _zero,
             _elsewhere, _upper(form_tolerance), geometric=True),
    ]  # fmt: skip


def _size_kinds() -> list[Kind]:
    by_diameter, by_width = _plus_minus(size.nominal_diameter), _plus_minus(size.nominal_width)
    kinds = [
        Kind("diameter", "diameter", "diameter", 0, False, size.has_diameter, size.nominal_diameter, size.diameter,
             by_diameter),
        Kind("width", "width", "distance", 2, False, size.is_width, size.nominal_width, size.by_rule(SizeRule("LP")),
             by_width),
        Kind("radius", "radius", "radius", 9, False, size.has_diameter, lambda f: size.nominal_diameter(f) / 2,
             lambda f: size.diameter(f) / 2, lambda f: _halved(by_diameter(f)), common=False),
        Kind("slot_length", "length", "distance", 3, False, size.is_slot, size.length_of_slot, size.length_of_slot,
             _plus_minus(size.length_of_slot)),
        Kind("countersink_depth", "depth", "distance", 0, False, distance.is_countersink, distance.countersink_depth,
             distance.countersink_depth, _plus_minus(distance.countersink_depth)),
        Kind("cone_angle", "cone angle", "angle", 0, False, distance.is_cone, distance.nominal_cone_angle,
             distance.cone_angle, _angle_limits, angular=True),
    ]  # fmt: skip
    for rank, modifier in enumerate(size.CRITERIA):
        name, value = modifier.lower(), size.by_rule(SizeRule(modifier))
        kinds.append(Kind(f"diameter_{name}", f"diameter {modifier}", "diameter", 10 + rank, False, size.has_points,
                          size.nominal_diameter, value, by_diameter, common=False))  # fmt: skip
        kinds.append(Kind(f"width_{name}", f"width {modifier}", "distance", 13 + rank, False, size.has_two_sides,
                          size.nominal_width, value, by_width, common=False))  # fmt: skip
    for rank, (letters, (word, _)) in enumerate(STATISTICS.items()):
        spread = letters in ("SR", "SQ")  # these are no sizes: they have no nominal
        name, value = f"two-point {word} LP {letters}", size.by_rule(SizeRule("LP", letters))
        kinds.append(Kind(f"diameter_lp_{letters.lower()}", f"diameter {name}", "diameter", 20 + rank, spread,
                          size.has_points, _zero if spread else size.nominal_diameter,
                          value, _upper(form_tolerance) if spread else by_diameter, common=False))  # fmt: skip
        kinds.append(Kind(f"width_lp_{letters.lower()}", f"width {name}", "distance", 30 + rank, spread,
                          size.has_two_sides, _zero if spread else size.nominal_width, value,
                          _upper(form_tolerance) if spread else by_width, common=False))  # fmt: skip
    return kinds


def _halved(limits: Limits) -> Limits:
    lower, upper = limits
    return None if lower is None else lower / 2, None if upper is None else upper / 2


def _relation_kinds() -> list[Kind]:
    x, y, z = np.eye(3)
    variants = {
        "distance": ("distance", Distance()),
        "distance_x": ("distance along X", Distance(along=x)),
        "distance_y": ("distance along Y", Distance(along=y)),
        "distance_z": ("distance along Z", Distance(along=z)),
        "distance_xy": ("distance in XY", Distance(in_plane=z)),
        "distance_yz": ("distance in YZ", Distance(in_plane=x)),
        "distance_zx": ("distance in ZX", Distance(in_plane=y)),
        "distance_nearest": ("distance, nearest", Distance(between=Between.NEAREST)),
        "distance_farthest": ("distance, farthest", Distance(between=Between.FARTHEST)),
    }
    kinds = [
        Kind(name, label, "distance", 1 + 40 * (rank > 0) + rank, False, d.fits, d.nominal, d.value,
             _plus_minus(d.nominal), common=rank == 0, placed=name[-1] in "xyz")
        for rank, (name, (label, d)) in enumerate(variants.items())
    ]  # fmt: skip
    plain = Distance()
    kinds += [
        Kind("step", "step", "distance", 2, False, distance.is_step, plain.nominal, plain.value,
             _plus_minus(plain.nominal), common=False),
        Kind("depth", "depth", "distance", 1, False, distance.is_depth, distance.nominal_depth, distance.depth,
             _plus_minus(distance.nominal_depth), common=False),
    ]  # fmt: skip
    directed = {
        "distance_along": ("distance along the last", Directed("along")),
        "distance_in_plane": ("distance in the last plane", Directed("in")),
        "angle_in_plane": ("angle seen along the last", Directed("angle")),
    }
    for rank, (name, (label, of_third)) in enumerate(directed.items()):
        turned = name.startswith("angle")
        kinds.append(Kind(name, label, "angle" if turned else "distance", 1 + rank, False, of_third.fits,
                          of_third.nominal, of_third.value,
                          _angle_limits if turned else _plus_minus(of_third.nominal), angular=turned))  # fmt: skip
    angles = {
        "angle": ("angle", Angle()),
        "angle_complement": ("angle, complement", Angle(complement=True)),
        "angle_xy": ("angle in XY", Angle(in_plane=z)),
        "angle_yz": ("angle in YZ", Angle(in_plane=x)),
        "angle_zx": ("angle in ZX", Angle(in_plane=y)),
    }
    kinds += [
        Kind(name, label, "angle", 4 + 60 * (rank > 0) + rank, False, a.fits, a.nominal, a.value, _angle_limits,
             common=rank == 0, angular=True, placed=name[-1] in "xyz")
        for rank, (name, (label, a)) in enumerate(angles.items())
    ]  # fmt: skip
    return kinds


def _coordinate_kinds() -> list[Kind]:
    kinds = []
    for rank, (letter, axis) in enumerate(zip("xyz", np.eye(3), strict=True)):
        c = Coordinate(axis)
        kinds.append(
            Kind(f"coordinate_{letter}", f"{letter.upper()} coordinate", "coordinate", 70 + rank, False, c.fits,
                 c.nominal, c.value, _plus_minus(lambda features: 100.0), common=False, placed=True)
        )  # fmt: skip
    return kinds


def _geometric_kinds() -> list[Kind]:
    """Tolerances in datum systems: their values come from `core.tolerancing.geometric`."""
    position, squared = geometric_fits.is_located, _upper(squareness_tolerance)

    def fixed(value: float) -> Callable[[Nominals], Limits]:
        return lambda features: (None, value)

    symmetric: Callable[[Nominals], Limits] = lambda features: (None, symmetry_tolerance(features[0].length))  # noqa: E731
    rows = (
        ("position", "position", 1, position, fixed(0.2)),
        ("profile_surface", "profile of a surface", 4, geometric_fits.has_surface, fixed(0.2)),
        ("profile_line", "profile of a line", 40, geometric_fits.has_surface, fixed(0.2)),
        ("angularity", "angularity", 3, geometric_fits.has_direction, squared),
        ("coaxiality", "coaxiality", 3, geometric_fits.has_axis, fixed(0.1)),
        ("concentricity", "concentricity", 41, geometric_fits.has_axis, fixed(0.1)),
        ("symmetry", "symmetry", 3, geometric_fits.has_middle, symmetric),
        ("circular_runout", "circular run-out", 4, geometric_fits.can_run_out, fixed(run_out_tolerance())),
        ("total_runout", "total run-out", 5, geometric_fits.can_run_out, fixed(run_out_tolerance())),
        ("axis_straightness", "straightness of the axis", 6, geometric_fits.is_cylinder, _upper(form_tolerance)),
    )
    return [
        Kind(name, label, "straightness" if name == "axis_straightness" else name, rank, True, fits, _zero, _elsewhere,
             limits, common=rank < 40 and name != "axis_straightness", geometric=True)
        for name, label, rank, fits, limits in rows
    ]  # fmt: skip


def _reading_kinds() -> list[Kind]:
    """What is read off the cloud: spot checks, dimensions of sections, points compared by name."""
    rows = [("spot", "deviation at a place", "spot", False, False)]
    rows += [(f"section_{name}", f"{label} in a section", symbol, False, name == "angle") for name, label, symbol in (
        ("aligned", "distance", "distance"), ("horizontal", "horizontal distance", "distance"),
        ("vertical", "vertical distance", "distance"), ("radius", "radius", "radius"),
        ("diameter", "diameter", "diameter"), ("angle", "angle", "angle"))]  # fmt: skip
    rows += [(f"compare_{name}", label, "coordinate", name == "total", False) for name, label in (
        ("x", "difference along X"), ("y", "difference along Y"), ("z", "difference along Z"),
        ("normal", "difference along the normal"), ("total", "distance from the nominal point"))]  # fmt: skip
    return [
        Kind(name, label, symbol, 90, one_sided, lambda features: False, _zero, _elsewhere,
             lambda features: (None, None), common=False, angular=angular, reading=True)
        for name, label, symbol, one_sided, angular in rows
    ]  # fmt: skip


def _elsewhere(features: MeasuredFeatures) -> float:
    raise EvaluationError("this kind is not evaluated from features alone")


_BOTH = (DIRECTION, PLACE)
_NEEDS: dict[str, tuple[str, ...]] = {
    "flatness": _BOTH, "cylindricity": _BOTH, "roundness": (), "straightness": (), "profile_surface": (),
    "profile_line": (), "circular_runout": (PLACE,),
}  # fmt: skip


def _needs(kind: Kind) -> tuple[str, ...]:
    if kind.name in _NEEDS:
        return _NEEDS[kind.name]
    return _BOTH if kind.geometric or kind.angular else kind.needs


_FAMILIES = (_size_kinds, _form_kinds, _relation_kinds, _coordinate_kinds, _geometric_kinds, _reading_kinds)
KINDS: dict[str, Kind] = {k.name: replace(k, needs=_needs(k)) for family in _FAMILIES for k in family()}


def need_held(needs: tuple[str, ...], features: MeasuredFeatures, names: Sequence[str] = ()) -> None:
    """Check that touches hold what a characteristic needs of its features.

    Raises
    ------
    EvaluationError
        What is missing, with the name of the feature.
    """
    for k, feature in enumerate(features):
        for need in needs:
            missing = feature.held.missing(need)
            if missing:
                raise EvaluationError(f"{names[k]}: {missing}" if k < len(names) else missing)


def kind_named(name: str) -> Kind:
    """Return the kind.

    Raises
    ------
    EvaluationError
        This version does not know it.
    """
    if name not in KINDS:
        raise EvaluationError(f"this version cannot evaluate {name!r}")
    return KINDS[name]
