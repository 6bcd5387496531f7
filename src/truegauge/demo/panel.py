"""LW-1502, the dome shutter panel: a large, gently curved sheet with imperfections of known depth, size and place."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Mask, Normals, Points

LONG, WIDE = 900.0, 600.0  # mm
NOISE = 0.03
_BEND_X, _BEND_Y = 2600.0, 1800.0  # radii of curvature
_CREASE_AT, _CREASE = 420.0, np.radians(10.0)  # along x at this y
_RIB_AT, _RIB = 862.0, np.radians(40.0)  # along y at this x
_ROUND = 5.0  # mm to both sides, over which both turn
_WAVES = 0.1  # mm, with lengths of 300 and 340 mm
_CUT = (250.0, 150.0, 70.0, 45.0, 12.0)  # middle, half sizes, corner radius of the opening
RIVETS = [(40.0 + 60.0 * k, y) for y in (28.0, 572.0) for k in range(14)]
RIVET_RADIUS, RIVET_HEIGHT = 4.0, 1.4


@dataclass(frozen=True, slots=True)
class Injected:
    """One imperfection: its middle over x and y, depth (negative: into the sheet), half sizes and turn.

    `bell` is round at the rim as a dent, without it the rim is sharp as that of a pit.
    """

    x: float
    y: float
    depth: float
    a: float
    b: float
    turn: float = 0.0
    bell: bool = True

    def share(self, u: Floats, v: Floats) -> Floats:
        """Return which share (n,) of the depth there is at places in the plane of the sheet, from the middle, mm."""
        c, s = np.cos(self.turn), np.sin(self.turn)
        far = np.hypot((c * u + s * v) / self.a, (c * v - s * u) / self.b)
        inside = np.minimum(far, 1.0)
        return np.asarray((1.0 + np.cos(np.pi * inside)) / 2 if self.bell else 1.0 - inside**2)

    def beyond(self, threshold: float) -> tuple[float, float]:
        """Return area (mm2) and volume (mm3) of what is deeper than a threshold, in closed form."""
        d = abs(self.depth)
        if d <= threshold:
            return 0.0, 0.0
        if self.bell:
            r = float(np.arccos(2 * threshold / d - 1)) / np.pi
            body = r * r / 2 + r * np.sin(np.pi * r) / np.pi + (np.cos(np.pi * r) - 1) / np.pi**2
        else:
            r = float(np.sqrt(1 - threshold / d))
            body = r**2 - r**4 / 2
        return float(np.pi * self.a * self.b * r * r), float(np.pi * self.a * self.b * d * body)


def injected(seed: int = 1502) -> tuple[Injected, ...]:
    """Return the 40 imperfections of the panel: 24 dents, 8 bumps, 8 pits; some near the crease, borders, others."""
    rng = np.random.default_rng(seed)
    near = (
        Injected(180.0, _CREASE_AT - 22.0, -0.8, 15.0, 15.0), Injected(520.0, _CREASE_AT + 20.0, -0.5, 13.0, 13.0),
        Injected(450.0, 60.0, -0.9, 20.0, 20.0), Injected(490.0, 60.0, -0.6, 14.0, 14.0),  # side by side
        Injected(20.0, 300.0, -0.7, 14.0, 14.0), Injected(700.0, 585.0 - 60.0, -0.4, 18.0, 12.0, 0.5),
    )  # fmt: skip
    made = list(near)
    kinds = ["dent"] * (24 - len(near)) + ["bump"] * 8 + ["pit"] * 8
    for kind in kinds:
        for _ in range(10_000):
            if kind == "pit":
                a = b = float(rng.uniform(5.0, 8.0))
                depth = -float(rng.uniform(0.5, 1.0))
            else:
                a, stretch = float(rng.uniform(9.0, 32.0)), float(rng.uniform(0.6, 1.0))
                b = a * stretch
                depth = float(rng.uniform(0.16, 0.16 + 0.05 * b)) * (-1 if kind == "dent" else 1)
            x, y = float(rng.uniform(40.0, _RIB_AT - 40.0)), float(rng.uniform(45.0, WIDE - 45.0))
            if _has_room(x, y, a, made):
                made.append(Injected(x, y, depth, a, b, float(rng.uniform(0, np.pi)), bell=kind != "pit"))
                break
    return tuple(made)


def _has_room(x: float, y: float, a: float, others: list[Injected]) -> bool:
    cx, cy, w, h, _ = _CUT
    off_cut = abs(x - cx) > w + a + 12 or abs(y - cy) > h + a + 12
    rivets = all(np.hypot(x - p, y - q) > a + 14 for p, q in RIVETS)
    apart = all(np.hypot(x - o.x, y - o.y) > a + o.a + 8 for o in others)
    return bool(off_cut and rivets and apart and abs(y - _CREASE_AT) > a + 15)


def _bent(d: Floats, angle: float) -> tuple[Floats, Floats]:
    """Return how far a sheet falls beyond a bend (d > 0), and its slope: rounded within a few mm, straight outside."""
    inside = np.clip(d, -_ROUND, _ROUND)
    return np.tan(angle) * ((inside + _ROUND) ** 2 / (4 * _ROUND) + np.maximum(d - _ROUND, 0)), (
        np.tan(angle) * (inside + _ROUND) / (2 * _ROUND))  # fmt: skip


def surface(x: Floats, y: Floats, *, waves: bool = True) -> tuple[Floats, Normals]:
    """Return heights (n,) and normals (n, 3) of the panel without imperfections."""
    crease, crease_slope = _bent(y - _CREASE_AT, _CREASE)
    rib, rib_slope = _bent(x - _RIB_AT, _RIB)
    z = 60.0 - (x - LONG / 2) ** 2 / (2 * _BEND_X) - (y - WIDE / 2) ** 2 / (2 * _BEND_Y) - crease - rib
    p, q = -(x - LONG / 2) / _BEND_X - rib_slope, -(y - WIDE / 2) / _BEND_Y - crease_slope
    if waves:
        k, m = 2 * np.pi / 300.0, 2 * np.pi / 340.0
        z = z + _WAVES * np.sin(k * x + 0.4) * np.cos(m * y)
        p = p + _WAVES * k * np.cos(k * x + 0.4) * np.cos(m * y)
        q = q - _WAVES * m * np.sin(k * x + 0.4) * np.sin(m * y)
    normals = np.column_stack([-p, -q, np.ones_like(p)])
    return z, normals / np.linalg.norm(normals, axis=1, keepdims=True)


def place_of(one: Injected) -> Points:
    """Return where the middle (3,) of an imperfection is on the surface without it, mm."""
    z, _ = surface(np.array([one.x]), np.array([one.y]))
    return np.array([one.x, one.y, z[0]])


def displaced(x: Floats, y: Floats, imperfections: tuple[Injected, ...], *, rivets: bool = True) -> Points:
    """Return points (n, 3) of the panel with imperfections, along its normals."""
    z, normals = surface(x, y)
    points = np.column_stack([x, y, z])
    off = np.zeros(len(x))
    for one in imperfections:
        rows = np.flatnonzero((np.abs(x - one.x) < one.a + 1) & (np.abs(y - one.y) < one.a + 1))
        middle = place_of(one)
        _, normal = surface(middle[:1], middle[1:2])
        along = np.array([1.0, 0.0, -normal[0, 0] / normal[0, 2]])
        along /= np.linalg.norm(along)
        across = np.cross(normal[0], along)
        off[rows] += one.depth * one.share((points[rows] - middle) @ along, (points[rows] - middle) @ across)
    if rivets:
        ball = (RIVET_RADIUS**2 + RIVET_HEIGHT**2) / (2 * RIVET_HEIGHT)
        for p, q in RIVETS:
            rows = np.flatnonzero((np.abs(x - p) < RIVET_RADIUS) & (np.abs(y - q) < RIVET_RADIUS))
            far = np.hypot(x[rows] - p, y[rows] - q)
            inside = far < RIVET_RADIUS
            off[rows[inside]] += np.sqrt(ball**2 - far[inside] ** 2) - (ball - RIVET_HEIGHT)
    return np.asarray(points + off[:, None] * normals)


def is_sheet(x: Floats, y: Floats) -> Mask:
    """Tell where (n,) there is a sheet: not in the opening."""
    cx, cy, w, h, r = _CUT
    dx, dy = np.abs(x - cx) - (w - r), np.abs(y - cy) - (h - r)
    return ~((np.hypot(np.maximum(dx, 0), np.maximum(dy, 0)) < r) & (dx < r) & (dy < r))


def panel_cloud(
    count: int = 400_000, seed: int = 2, *, noise: float = NOISE, imperfections: tuple[Injected, ...] | None = None,
    rivets: bool = True,
) -> tuple[Points, Normals]:  # fmt: skip
    """Return a scan of the panel: points (about `count`, 3) mm and normals, out of the sheet."""
    rng = np.random.default_rng(seed)
    step = np.sqrt(LONG * WIDE / count)
    columns, rows = round(LONG / step), round(WIDE / step)
    x, y = (g.ravel() for g in np.meshgrid((np.arange(columns) + 0.5) * LONG / columns,
                                           (np.arange(rows) + 0.5) * WIDE / rows))  # fmt: skip
    x, y = x + rng.uniform(-0.4, 0.4, x.size) * step, y + rng.uniform(-0.4, 0.4, y.size) * step
    there = is_sheet(x, y)
    x, y = x[there], y[there]
    points = displaced(x, y, injected() if imperfections is None else imperfections, rivets=rivets)
    _, normals = surface(x, y)
    points += rng.normal(0, noise, len(x))[:, None] * normals
    normals = normals + rng.normal(0, 0.03, normals.shape)
    return points, normals / np.linalg.norm(normals, axis=1, keepdims=True)
