"""Whole elements as one feature: a slot of its sides and ends, a countersink of its cone, bore and entry plane."""

import numpy as np

from truegauge.core.arrays import Points, Vector, unit
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Cone, Countersink, Cylinder, Plane, Shape, Slot
from truegauge.core.constructions.parts import Operand
from truegauge.core.errors import EvaluationError

Operands = tuple[Operand, ...]
_PARALLEL, _LENGTH = 1e-4, 1e-3


def _of(operands: Operands, kind: type) -> list[Operand]:
    return [o for o in operands if isinstance(o.feature, kind)]


def is_slot(operands: Operands) -> bool:
    """Two sides that face each other, with round ends of half their distance whose axes lie midway between them."""
    sides, ends = _of(operands, Plane), _of(operands, Cylinder)
    if len(sides) != 2 or len(ends) != 2 or len(operands) != 4:
        return False
    a, b = (o.feature.parameters for o in sides)
    if float(a["normal"] @ b["normal"]) > -1 + _PARALLEL**2:
        return False
    half = abs(float((b["point"] - a["point"]) @ a["normal"])) / 2
    middle = (a["point"] + b["point"]) / 2
    along = [o.feature.parameters["direction"] for o in ends]
    between = ends[1].feature.parameters["point"] - ends[0].feature.parameters["point"]
    return (
        float(np.linalg.norm(np.cross(*along))) < _PARALLEL
        and all(abs(float(d @ a["normal"])) < _PARALLEL for d in along)
        and all(abs(o.feature.parameters["radius"] - half) < _LENGTH for o in ends)
        and all(abs(float((o.feature.parameters["point"] - middle) @ a["normal"])) < _LENGTH for o in ends)
        and float(np.linalg.norm(np.cross(between, along[0]))) > _LENGTH
    )


def slot_of(operands: Operands, values: tuple[float, ...]) -> Slot:
    """Return the slot of its sides and ends, in the plane across its depth through their middle.

    Measured, it is associated by least squares with the points of sides and ends together, seen along its depth: one
    width, one length, one middle. Its depth is the direction of its ends, square to its sides.

    Raises
    ------
    EvaluationError
        Other features than two planes and two cylinders.
    """
    sides, ends = _of(operands, Plane), _of(operands, Cylinder)
    if len(sides) != 2 or len(ends) != 2:
        raise EvaluationError("a slot needs two plane sides and two round ends")
    across = unit(sides[0].feature.parameters["normal"] - sides[1].feature.parameters["normal"])
    one, other = (o.feature.parameters["direction"] for o in ends)
    depth = one + (other if float(one @ other) > 0 else -other)
    depth = unit(depth - float(depth @ across) * across)
    along = np.cross(across, depth)
    middle = np.mean([o.middle for o in operands], axis=0)
    x, y = (np.array([o.feature.parameters["point"] @ v for o in ends]) for v in (along, across))
    start = Slot(
        float(x.mean()) * along + float(y.mean()) * across + float(middle @ depth) * depth, depth, along,
        float(np.ptp(x)) + sum(o.feature.parameters["radius"] for o in ends),
        abs(float((sides[1].feature.parameters["point"] - sides[0].feature.parameters["point"]) @ across)),
    )  # fmt: skip
    if any(o.points is None for o in operands):
        return start
    found = associate(Shape.SLOT, _seen_along(operands, start.center, depth), start=start, plane_normal=depth).feature
    assert isinstance(found, Slot)
    return found


def _seen_along(operands: Operands, center: Vector, depth: Vector) -> Points:
    points = np.vstack([o.points for o in operands if o.points is not None])
    return np.asarray(points - np.outer((points - center) @ depth, depth))


def is_countersink(operands: Operands) -> bool:
    """A cone, the plane across its axis at which it begins, and the coaxial bore in which it ends."""
    cones, planes, bores = _of(operands, Cone), _of(operands, Plane), _of(operands, Cylinder)
    if len(cones) != 1 or len(planes) != 1 or len(bores) != 1 or len(operands) != 3:
        return False
    cone, plane, bore = (o.feature.parameters for o in (cones[0], planes[0], bores[0]))
    if any(float(np.linalg.norm(np.cross(v, cone["direction"]))) > _PARALLEL
           for v in (plane["normal"], bore["direction"])):  # fmt: skip
        return False
    aside = np.cross(bore["point"] - cone["apex"], cone["direction"])
    if float(np.linalg.norm(aside)) > _LENGTH:
        return False
    try:
        return countersink_of(operands, ()).depth > _LENGTH
    except EvaluationError:
        return False


def countersink_of(operands: Operands, values: tuple[float, ...]) -> Countersink:
    """Return the countersink: its diameter where the cone meets the entry plane, its depth from there to the bore.

    Raises
    ------
    EvaluationError
        The cone does not meet the plane, or other features.
    """
    cones, planes, bores = _of(operands, Cone), _of(operands, Plane), _of(operands, Cylinder)
    if len(cones) != 1 or len(planes) != 1 or len(bores) != 1:
        raise EvaluationError("a countersink needs a cone, the plane at which it begins, and its bore")
    cone, plane = cones[0].feature, planes[0].feature.parameters
    assert isinstance(cone, Cone)
    slope = float(cone.direction @ plane["normal"])
    if abs(slope) < _PARALLEL:
        raise EvaluationError("the plane does not cut the axis of the cone")
    height = float((plane["point"] - cone.apex) @ plane["normal"]) / slope
    if height <= 0:
        raise EvaluationError("the plane lies before the apex of the cone")
    tangent = float(np.tan(cone.half_angle_rad))
    bore = float(bores[0].feature.parameters["radius"])
    center = cone.apex + height * cone.direction
    return Countersink(center, cone.direction, height * tangent, cone.half_angle_rad, height - bore / tangent)
