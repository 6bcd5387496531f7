"""LW-1503, a corroded section of tube: pits of known depth, size and place on a cylinder seen from outside."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.demo.panel import Injected

if TYPE_CHECKING:
    from truegauge.core.arrays import Normals, Points

RADIUS, LENGTH = 57.0, 420.0  # mm
NOISE = 0.03


def corroded(seed: int = 1503) -> tuple[Injected, ...]:
    """Return what is corroded, over the length around (mm at the radius) and along: one lies over the seam."""
    rng = np.random.default_rng(seed)
    around = 2 * np.pi * RADIUS
    made = [Injected(0.5, 200.0, -1.1, 9.0, 7.0), Injected(around / 2, 90.0, -0.8, 12.0, 8.0, 0.6)]
    while len(made) < 18:
        a = float(rng.uniform(5.0, 14.0))
        x, y = float(rng.uniform(0, around)), float(rng.uniform(20.0, LENGTH - 20.0))
        gaps = [np.hypot((x - o.x + around / 2) % around - around / 2, y - o.y) - a - o.a for o in made]
        if min(gaps) > 5.0:
            depth, b = -float(rng.uniform(0.3, 1.4)), a * float(rng.uniform(0.6, 1.0))
            made.append(Injected(x, y, depth, a, b, float(rng.uniform(0, np.pi)), bell=bool(rng.random() < 0.6)))
    return tuple(made)


def place_of(one: Injected) -> Points:
    """Return where the middle (3,) of one is on the sound tube, mm."""
    turn = one.x / RADIUS
    return np.array([RADIUS * np.cos(turn), RADIUS * np.sin(turn), one.y])


def tube_cloud(
    count: int = 200_000, seed: int = 3, *, noise: float = NOISE, pits: tuple[Injected, ...] | None = None
) -> tuple[Points, Normals]:  # fmt: skip
    """Return a scan of the tube: points (about `count`, 3) mm and normals, outwards."""
    rng = np.random.default_rng(seed)
    around = 2 * np.pi * RADIUS
    step = np.sqrt(around * LENGTH / count)
    columns, rows = round(around / step), round(LENGTH / step)
    x, y = (g.ravel() for g in np.meshgrid((np.arange(columns) + 0.5) * around / columns,
                                           (np.arange(rows) + 0.5) * LENGTH / rows))  # fmt: skip
    x, y = x + rng.uniform(-0.4, 0.4, x.size) * step, y + rng.uniform(-0.4, 0.4, y.size) * step
    off = rng.normal(0, noise, len(x))
    for one in corroded() if pits is None else pits:
        off += one.depth * one.share((x - one.x + around / 2) % around - around / 2, y - one.y)
    turn = x / RADIUS
    out = np.column_stack([np.cos(turn), np.sin(turn), np.zeros_like(turn)])
    return np.column_stack([(RADIUS + off) * out[:, 0], (RADIUS + off) * out[:, 1], y]), out
