"""What is chosen to build from: planes, lines and points among it, and how they lie to each other."""

from collections.abc import Callable

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.association.features import (
    Line,
    Plane,
)
from truegauge.core.constructions.parts import (
    Operand,
    foot_on_line,
    own_axis_of,
    place_of,
    plane_of,
)

PARALLEL = 1e-4  # sine of an angle below which directions are called parallel
Operands = tuple[Operand, ...]


def kinds_of(operands: Operands) -> str:
    """Describe each operand by a letter: p point, l line or axis, e plane."""
    letters = []
    for o in operands:
        f = o.feature
        letters.append("p" if place_of(f) is not None else "e" if plane_of(f) else "l" if own_axis_of(f) else "?")
    return "".join(letters)


def are(*patterns: str) -> Callable[[Operands], bool]:
    """Return what tells whether features are of kinds in this order: e plane, l line, p point."""
    wanted = {"".join(sorted(p)) for p in patterns}
    return lambda operands: "".join(sorted(kinds_of(operands))) in wanted


def planes_in(operands: Operands) -> list[Plane]:
    """Return the planes among features."""
    return [p for o in operands if (p := plane_of(o.feature)) is not None]


def lines_in(operands: Operands) -> list[Line]:
    """Return the lines among features."""
    return [line for o in operands if place_of(o.feature) is None and (line := own_axis_of(o.feature)) is not None]


def points_in(operands: Operands) -> list[Vector]:
    """Return the points among features."""
    return [p for o in operands if (p := place_of(o.feature)) is not None]


def angle_sine(a: Vector, b: Vector) -> float:
    """Return the sine of the angle between two directions."""
    return float(np.linalg.norm(np.cross(a, b)))


def directions_in(operands: Operands) -> list[Vector]:
    """Return the directions of the lines and planes among features."""
    return [p.normal for p in planes_in(operands)] + [line.direction for line in lines_in(operands)]


def both(*tests: Callable[[Operands], bool]) -> Callable[[Operands], bool]:
    """Return what tells whether all tests hold."""
    return lambda operands: all(test(operands) for test in tests)


def parallel(operands: Operands) -> bool:
    """Tell whether the first two directions are parallel."""
    a, b = directions_in(operands)[:2]
    return angle_sine(a, b) < PARALLEL


def not_parallel(operands: Operands) -> bool:
    """Tell whether the first two directions are not parallel."""
    return not parallel(operands)


def not_in_line(operands: Operands) -> bool:
    """Tell whether two lines are not the same line."""
    first, second = lines_in(operands)
    at = operands[1].middle
    return not parallel(operands) or float(np.linalg.norm(foot_on_line(first, at) - foot_on_line(second, at))) > 1e-6
