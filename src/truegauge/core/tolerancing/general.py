"""General tolerances, proposed until the inspector types the drawing's own.

ISO 2768-1 class f for lengths and angles, ISO 2768-2 class H for form and orientation.
"""

from math import radians

_LENGTH = ((6.0, 0.05), (30.0, 0.1), (120.0, 0.15), (400.0, 0.2), (1000.0, 0.3), (2000.0, 0.5))
_ANGLE = ((10.0, 60.0), (50.0, 30.0), (120.0, 20.0), (400.0, 10.0), (1000.0, 5.0))  # minutes of arc
_FORM = ((10.0, 0.02), (30.0, 0.05), (100.0, 0.1), (300.0, 0.2), (1000.0, 0.3), (3000.0, 0.4))
_SQUARE = ((100.0, 0.2), (300.0, 0.3), (1000.0, 0.4), (3000.0, 0.5))


def _look_up(table: tuple[tuple[float, float], ...], length: float) -> float:
    return next((value for limit, value in table if length <= limit), table[-1][1])


def length_tolerance(length: float) -> float:
    """Return the plus-minus tolerance (mm) for a length (mm)."""
    return _look_up(_LENGTH, abs(length))


def form_tolerance(length: float) -> float:
    """Return the flatness (mm) for a surface of this length (mm)."""
    return _look_up(_FORM, length)


def squareness_tolerance(length: float) -> float:
    """Return the perpendicularity (mm) for a feature of this length (mm)."""
    return _look_up(_SQUARE, length)


def angle_tolerance(length: float) -> float:
    """Return the plus-minus tolerance (rad) for an angle whose shorter leg has this length (mm)."""
    return radians(_look_up(_ANGLE, length) / 60)
