"""General tolerances: ISO 2768-1 (sizes, angles), ISO 2768-2 (geometry), ISO 22081 (one profile, one size tolerance).

They are proposed until the inspector types the drawing's own, and fill in what a drawing leaves without limits.
"""

from math import radians
from typing import Literal

from pydantic import Field

from truegauge.core.frozen_model import Frozen

LinearClass = Literal["f", "m", "c", "v"]
GeometryClass = Literal["H", "K", "L"]
_Table = tuple[tuple[float, float], ...]

_LENGTH_STEPS = (3.0, 6.0, 30.0, 120.0, 400.0, 1000.0, 2000.0, 4000.0)
_LENGTHS: dict[str, tuple[float, ...]] = {
    "f": (0.05, 0.05, 0.1, 0.15, 0.2, 0.3, 0.5, 0.5),
    "m": (0.1, 0.1, 0.2, 0.3, 0.5, 0.8, 1.2, 2.0),
    "c": (0.2, 0.3, 0.5, 0.8, 1.2, 2.0, 3.0, 4.0),
    "v": (0.5, 0.5, 1.0, 1.5, 2.5, 4.0, 6.0, 8.0),
}
_LEAST_LENGTH = 0.5  # what is shorter has its tolerance beside it
_LONGEST = {"f": 2000.0, "m": 4000.0, "c": 4000.0, "v": 4000.0}
_SHORTEST = {"f": 0.0, "m": 0.0, "c": 0.0, "v": 3.0}  # up to that a class says nothing
_BROKEN_STEPS = (3.0, 6.0, 1e9)
_BROKEN: dict[str, tuple[float, ...]] = {
    "f": (0.2, 0.5, 1.0),
    "m": (0.2, 0.5, 1.0),
    "c": (0.4, 1.0, 2.0),
    "v": (0.4, 1.0, 2.0),
}
_ANGLE_STEPS = (10.0, 50.0, 120.0, 400.0, 1e9)
_ANGLES: dict[str, tuple[float, ...]] = {  # minutes of arc
    "f": (60, 30, 20, 10, 5),
    "m": (60, 30, 20, 10, 5),
    "c": (90, 60, 30, 15, 10),
    "v": (180, 120, 60, 30, 20),
}
_FORM_STEPS = (10.0, 30.0, 100.0, 300.0, 1000.0, 3000.0)
_FORMS: dict[str, tuple[float, ...]] = {
    "H": (0.02, 0.05, 0.1, 0.2, 0.3, 0.4),
    "K": (0.05, 0.1, 0.2, 0.4, 0.6, 0.8),
    "L": (0.1, 0.2, 0.4, 0.8, 1.2, 1.6),
}
_SQUARE_STEPS = (100.0, 300.0, 1000.0, 3000.0)
_SQUARES: dict[str, tuple[float, ...]] = {
    "H": (0.2, 0.3, 0.4, 0.5),
    "K": (0.4, 0.6, 0.8, 1.0),
    "L": (0.6, 1.0, 1.5, 2.0),
}
_SYMMETRIES: dict[str, tuple[float, ...]] = {
    "H": (0.5, 0.5, 0.5, 0.5),
    "K": (0.6, 0.6, 0.8, 1.0),
    "L": (0.6, 1.0, 1.5, 2.0),
}
_RUN_OUT = {"H": 0.1, "K": 0.2, "L": 0.5}


class GeneralTolerances(Frozen):
    """What the title block of the drawing says: classes of ISO 2768, or the two values of ISO 22081 (mm)."""

    linear: LinearClass | None = None
    geometry: GeometryClass | None = None
    size: float | None = Field(default=None, gt=0)
    surface: float | None = Field(default=None, gt=0)

    def say(self) -> str:
        """Say it as a drawing does."""
        if self.size is not None or self.surface is not None:
            parts = [f"±{self.size:g}"] if self.size is not None else []
            parts += [f"profile {self.surface:g}"] if self.surface is not None else []
            return f"ISO 22081: {', '.join(parts)}"
        classes = f"{self.linear or ''}{self.geometry or ''}"
        return f"ISO 2768-{classes}" if classes else ""


def read_classes(text: str) -> GeneralTolerances:
    """Return the general tolerances of classes of ISO 2768 as a title block states them: "f-H", "mK", "m" or "H".

    Raises
    ------
    ValueError
        What is no class.
    """
    plain = text.strip().removeprefix("ISO 2768").strip(" -").replace("-", "").replace(" ", "")
    linear, geometry = plain[:1] if plain[:1].islower() else "", plain.lstrip("fmcv")
    if not plain or linear not in ("", "f", "m", "c", "v") or geometry not in ("", "H", "K", "L"):
        raise ValueError(f"{text!r} is no class of ISO 2768: f, m, c or v, then H, K or L, as in f-H")
    return GeneralTolerances.model_validate({"linear": linear or None, "geometry": geometry or None})


def _look_up(steps: tuple[float, ...], values: tuple[float, ...], length: float) -> float:
    return next((value for limit, value in zip(steps, values, strict=True) if length <= limit), values[-1])


def length_tolerance(length: float, grade: str = "f") -> float:
    """Return the plus-minus tolerance (mm) for a length (mm); ISO 2768-1 table 1."""
    return _look_up(_LENGTH_STEPS, _LENGTHS[grade], abs(length))


def stated_length_tolerance(length: float, grade: str, *, broken_edge: bool = False) -> float | None:
    """Return the plus-minus tolerance (mm) that a class gives a length (mm); None where its table says nothing.

    ISO 2768-1 table 1; table 2 of a broken edge (outer radii, heights of chamfers). Neither holds below 0.5 mm.
    """
    length = abs(length)  # coordinates have signs
    if length < _LEAST_LENGTH:
        return None
    if broken_edge:
        return _look_up(_BROKEN_STEPS, _BROKEN[grade], length)
    return length_tolerance(length, grade) if _SHORTEST[grade] < length <= _LONGEST[grade] else None


def form_tolerance(length: float, grade: str = "H") -> float:
    """Return the flatness (mm) for a surface of this length (mm); ISO 2768-2 table 1."""
    return _look_up(_FORM_STEPS, _FORMS[grade], length)


def squareness_tolerance(length: float, grade: str = "H") -> float:
    """Return the perpendicularity (mm) for a feature of this length (mm); ISO 2768-2 table 2."""
    return _look_up(_SQUARE_STEPS, _SQUARES[grade], length)


def symmetry_tolerance(length: float, grade: str = "H") -> float:
    """Return the symmetry (mm) for a feature of this length (mm); ISO 2768-2 table 3."""
    return _look_up(_SQUARE_STEPS, _SYMMETRIES[grade], length)


def run_out_tolerance(grade: str = "H") -> float:
    """Return the circular run-out (mm); ISO 2768-2 table 4."""
    return _RUN_OUT[grade]


def angle_tolerance(length: float, grade: str = "f") -> float:
    """Return the plus-minus tolerance (rad) for an angle whose shorter leg has this length (mm); ISO 2768-1 table 3."""
    return radians(_look_up(_ANGLE_STEPS, _ANGLES[grade], length) / 60)
