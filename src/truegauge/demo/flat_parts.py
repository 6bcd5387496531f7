"""Two flat parts for the silhouette camera: a spacer ring that lies on the glass, and a plate with notches; mm."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.demo.made_sizes import made_of

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats

_ARC = 0.01  # rad between points of an arc
_ROUND = 720  # points of a circle


@dataclass(frozen=True, slots=True)
class RingSizes:
    """LW-1409, a spacer ring: diameters, and where the hole lies off the middle."""

    outer: float = 24.0
    inner: float = 15.0
    off_x: float = 0.0
    off_y: float = 0.0


@dataclass(frozen=True, slots=True)
class PlateSizes:
    """LW-1410, a detent plate: rounded corners, a slot from above, a notch of 90 degrees at the right.

    `slot_at` is from the left to the middle of the slot, `notch_at` from below to the tip of the notch.
    """

    long: float = 26.0
    high: float = 16.0
    corner: float = 1.5
    slot_wide: float = 4.0
    slot_deep: float = 6.0
    slot_at: float = 9.0
    notch_deep: float = 2.5
    notch_at: float = 7.0


def made_ring(number: int) -> RingSizes:
    """Return the sizes of a ring as it was made; the same number is the same part."""
    return made_of(RingSizes(), 1409, number)


def made_plate(number: int) -> PlateSizes:
    """Return the sizes of a plate as it was made."""
    return made_of(PlateSizes(), 1410, number)


def ring_outlines(sizes: RingSizes) -> list[Floats]:
    """Return the outlines (n, 2) of the ring: the outer one against the clock, the hole with it."""
    t = np.linspace(0.0, 2 * np.pi, _ROUND, endpoint=False)
    out = np.column_stack([np.cos(t), np.sin(t)])
    return [sizes.outer / 2 * out, np.array([sizes.off_x, sizes.off_y]) + sizes.inner / 2 * out[::-1]]


def plate_outline(sizes: PlateSizes) -> Floats:
    """Return the outline (n, 2) of the plate, against the clock, its lower left corner (without rounding) at (0, 0)."""
    s = sizes
    r, a, b, d = s.corner, s.slot_at - s.slot_wide / 2, s.slot_at + s.slot_wide / 2, s.high - s.slot_deep
    low, tip, up = s.notch_at - s.notch_deep, s.long - s.notch_deep, s.notch_at + s.notch_deep
    return np.vstack([
        _corner((r, r), r, np.pi), _corner((s.long - r, r), r, 1.5 * np.pi),
        np.array([[s.long, low], [tip, s.notch_at], [s.long, up]]), _corner((s.long - r, s.high - r), r, 0.0),
        np.array([[b, s.high], [b, d], [a, d], [a, s.high]]), _corner((r, s.high - r), r, 0.5 * np.pi),
    ])  # fmt: skip


def _corner(center: tuple[float, float], radius: float, begin: float) -> Floats:
    t = begin + np.linspace(0.0, np.pi / 2, int(np.ceil(np.pi / 2 / _ARC)) + 1)
    return np.asarray(np.array(center) + radius * np.column_stack([np.cos(t), np.sin(t)]))
