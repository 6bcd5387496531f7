"""The reference sphere, and where on it a stylus touches. Lengths in mm, angles in rad."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from pydantic import Field

from truegauge.core.arrays import Mask, Normals, Vector, any_perpendicular, unit
from truegauge.core.frozen_model import Frozen


class ReferenceSphere(Frozen):
    """A reference sphere by its record: certified diameter with its standard uncertainty, and how it stands.

    Its stem leaves the ball downwards, tilted by `stem_tilt_deg` from the vertical; `stem_turn_deg` is the direction,
    about Z from X, in which its foot lies then.
    """

    name: str = "Reference sphere 25"
    diameter: float = Field(default=25.0, gt=1, le=200)
    uncertainty: float = Field(default=0.0002, ge=0, le=0.1)
    certificate: str = ""
    certified_on: str = ""
    stem_tilt_deg: float = Field(default=0.0, ge=0, le=180)
    stem_turn_deg: float = Field(default=0.0, ge=-360, le=360)
    stem_diameter: float = Field(default=6.0, gt=0, le=100)
    stem_length: float = Field(default=60.0, gt=0, le=1000)

    @property
    def radius(self) -> float:
        """Half of the certified diameter."""
        return self.diameter / 2

    @property
    def stem(self) -> Vector:
        """The direction (3,) from the centre of the ball along the stem to its foot."""
        tilt, turn = np.radians(self.stem_tilt_deg), np.radians(self.stem_turn_deg)
        return np.array([np.sin(tilt) * np.cos(turn), np.sin(tilt) * np.sin(turn), -np.cos(tilt)])


@dataclass(frozen=True, slots=True)
class TouchPattern:
    """How many touches, in how many rows besides the one on top, and how far down (rad from the top) the last goes."""

    touches: int = 9
    rows: int = 2
    span: float = float(np.radians(90.0))


LEAST_TOUCHES = 5
_LOOSE = 15.0
ENOUGH_TOUCHES = 15


def advice(touches: int) -> str:
    """Say what to think of a number of touches; empty when nothing."""
    if touches < LEAST_TOUCHES:
        return f"at least {LEAST_TOUCHES} touches are needed: {LEAST_TOUCHES - 1} unknowns, and one to see an error by"
    if touches > ENOUGH_TOUCHES:
        return f"more than about {ENOUGH_TOUCHES} touches add time and nothing else"
    return ""


def touch_directions(
    pattern: TouchPattern, stylus: Vector, sphere: ReferenceSphere, clear: float,
    reachable: Callable[[Normals], Mask] | None = None,
) -> Normals:  # fmt: skip
    """Return directions (n, 3) from the centre of the sphere to the places that a stylus touches.

    One is on the pole that faces the stylus, the others lie on rows around it. Places whose approach would meet the
    stem of the sphere are left out and made up for elsewhere on their row.

    Parameters
    ----------
    stylus : (3,)
        The direction away from the stem of the stylus.
    clear : float
        How much room the tip and its stem need beside the sphere's stem, mm.
    reachable : callable
        Tells for directions (n, 3) whether the whole probe gets there; all without.

    Raises
    ------
    ValueError
        Too little can be touched: the stem of the sphere, or another part of the probe, is in the way.
    """
    pole = -unit(stylus)
    x = any_perpendicular(pole)
    # Turn the rows so that their first place lies away from the stem.
    away = -(sphere.stem - (sphere.stem @ pole) * pole)
    if np.linalg.norm(away) > 0.1:
        x = unit(away)
    y = np.cross(pole, x)
    stem_angle = _stem_angle(sphere, clear)

    def free_of(directions: Normals) -> Normals:
        own: Normals = directions[directions @ sphere.stem < np.cos(stem_angle)]
        return own if reachable is None or not len(own) else own[reachable(own)]

    found = list(free_of(pole[None]))
    rest = max(0, pattern.touches - len(found))
    rows = max(1, min(pattern.rows, rest))
    spans = [pattern.span * (k + 1) / rows for k in range(rows)]
    share = np.sin(spans) / np.sum(np.sin(spans))
    counts = [max(1, round(float(rest * s))) for s in share]
    counts[-1] = max(1, rest - sum(counts[:-1]))
    for k, (span, count) in enumerate(zip(spans, counts, strict=True)):
        fine = np.linspace(0, 2 * np.pi, 360, endpoint=False) + (0.5 * 2 * np.pi / count if k % 2 else 0.0)
        ring = np.cos(span) * pole + np.sin(span) * (np.cos(fine)[:, None] * x + np.sin(fine)[:, None] * y)
        free = free_of(ring)
        if len(free):
            found += [free[int(i)] for i in np.linspace(0, len(free), count, endpoint=False)]
    if len(found) < LEAST_TOUCHES or _looseness(np.array(found)) > _LOOSE:
        what = (
            "the stem of the reference sphere is" if reachable is None else "its stem or another part of the probe is"
        )
        raise ValueError(
            f"{what} in the way of touches on the sphere: {len(found)} places are free, on one side of it; turn the "
            "sphere, or take another pose"
        )
    return np.array(found)


def _looseness(directions: Normals) -> float:
    """Return how many times the error of a touch the place of the sphere may be off, along the worst axis."""
    system = np.column_stack([directions, np.ones(len(directions))])
    spread = np.linalg.svd(system, compute_uv=False)
    return float("inf") if spread[-1] < 1e-9 else float(1 / spread[-1])


def _stem_angle(sphere: ReferenceSphere, clear: float) -> float:
    """Return how far from the stem a touch must stay, as an angle seen from the centre of the ball."""
    room = sphere.stem_diameter / 2 + clear
    return float(np.arctan2(room, sphere.radius) + np.radians(8.0))
