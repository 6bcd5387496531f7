"""What is done to the points of a sample: steps over untouched raw points, kept in the plan, repeated on every sample.

A step marks points to be left out; it never moves or changes one. Steps `before` the alignment need no part and
work in scan coordinates; the others work on aligned points, in part coordinates.
"""

from typing import Annotated, Literal

import numpy as np
from pydantic import Field

from truegauge.core.clouds.outlines import inside_corners
from truegauge.core.frozen_model import Frozen

Vector3 = tuple[float, float, float]


class _Step(Frozen):
    active: bool = True


class Outliers(_Step):
    """Leave out points that stand farther from their `neighbours` than the rest do.

    The distance to the neighbours may exceed its median by `factor` robust standard deviations.
    """

    kind: Literal["outliers"] = "outliers"
    neighbours: int = Field(default=8, ge=2, le=64)
    factor: float = Field(default=6.0, gt=0)


class Islands(_Step):
    """Leave out groups of fewer than `smallest` points that stand `gap` mm or more away from all others."""

    kind: Literal["islands"] = "islands"
    gap: float = Field(default=2.0, gt=0)
    smallest: int = Field(default=200, ge=2)


class ThinEvenly(_Step):
    """Keep one point in each cube of side `spacing` mm: the one nearest to the middle of its points."""

    kind: Literal["thin"] = "thin"
    spacing: float = Field(default=0.5, gt=0)


class ThinByCurvature(_Step):
    """Keep points `coarse` mm apart where the surface is flat and `fine` mm apart where it curves.

    Flat is where the points within `coarse` lie within `sag` mm of a plane.
    """

    kind: Literal["thin_curved"] = "thin_curved"
    fine: float = Field(default=0.5, gt=0)
    coarse: float = Field(default=2.0, gt=0)
    sag: float = Field(default=0.05, gt=0)


class CropBox(_Step):
    """Keep only (or leave out) the points inside a box, mm."""

    kind: Literal["box"] = "box"
    low: Vector3
    high: Vector3
    keep: bool = True
    aligned: bool = True


class CropOutline(_Step):
    """Leave out (or keep only) what lies inside an outline drawn over the view.

    The points are seen along `right` x `up`; `outline` holds corners (right, up) in mm.
    """

    kind: Literal["outline"] = "outline"
    right: Vector3
    up: Vector3
    outline: tuple[tuple[float, float], ...] = Field(min_length=3)
    keep: bool = False
    aligned: bool = True


class CropDistance(_Step):
    """Leave out points farther than `farthest` mm from the part."""

    kind: Literal["distance"] = "distance"
    farthest: float = Field(default=1.0, gt=0)


class CropNormal(_Step):
    """Leave out points whose normal is turned by more than `largest` degrees from the part's surface."""

    kind: Literal["normal"] = "normal"
    largest: float = Field(default=45.0, gt=0, lt=180)


Step = Annotated[
    Outliers | Islands | ThinEvenly | ThinByCurvature | CropBox | CropOutline | CropDistance | CropNormal,
    Field(discriminator="kind"),
]
Recipe = tuple[Step, ...]

TITLES = {
    "outliers": "Outliers", "islands": "Small islands", "thin": "Thin evenly", "thin_curved": "Thin by curvature",
    "box": "Box", "outline": "Outline", "distance": "Far from the part", "normal": "Turned from the part",
}  # fmt: skip


def works_before(step: Step) -> bool:
    """Tell whether a step works on the points before they are aligned."""
    if isinstance(step, CropBox | CropOutline):
        return not step.aligned
    return isinstance(step, Outliers | Islands | ThinEvenly | ThinByCurvature)


def describe(step: Step) -> str:
    """Say what a step does, for a list."""
    match step:
        case Outliers():
            return f"Outliers beyond {step.factor:g} x"
        case Islands():
            return f"Islands below {step.smallest} points"
        case ThinEvenly():
            return f"Thin to {step.spacing:g} mm"
        case ThinByCurvature():
            return f"Thin to {step.fine:g} … {step.coarse:g} mm"
        case CropBox():
            return "Keep a box" if step.keep else "Cut out a box"
        case CropOutline():
            return "Keep inside an outline" if step.keep else "Cut out an outline"
        case CropDistance():
            return f"Nearer than {step.farthest:g} mm"
        case _:
            return f"Turned less than {step.largest:g}°"


def inside_outline(points: np.ndarray, step: CropOutline) -> np.ndarray:
    """Return which points (n, 3) lie inside the outline, seen from where it was drawn (even-odd rule)."""
    seen = np.column_stack([points @ np.array(step.right), points @ np.array(step.up)])
    return inside_corners(seen, np.array(step.outline))
