"""Simple solids as triangles: rods and balls, for probes, spheres and tables."""

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Points, Triangles, Vector, any_perpendicular, unit

_SIDES = 48
_RINGS = 20


@dataclass(frozen=True, slots=True, eq=False)
class Solid:
    """Vertices (n, 3) mm, triangles (m, 3), normals (n, 3)."""

    vertices: Points
    triangles: Triangles
    normals: Points


def joined(solids: Iterable[Solid]) -> Solid:
    """Return several solids as one."""
    every = list(solids)
    if not every:
        return Solid(np.zeros((0, 3)), np.zeros((0, 3), dtype=np.int64), np.zeros((0, 3)))
    starts = np.cumsum([0] + [len(s.vertices) for s in every[:-1]])
    return Solid(
        np.vstack([s.vertices for s in every]),
        np.vstack([s.triangles + start for s, start in zip(every, starts, strict=True)]),
        np.vstack([s.normals for s in every]),
    )


def rod(start: Vector, end: Vector, radius: float) -> Solid:
    """Return a cylinder with flat ends."""
    direction = unit(end - start)
    x = any_perpendicular(direction)
    y = np.cross(direction, x)
    angle = np.linspace(0, 2 * np.pi, _SIDES, endpoint=False)
    ring = np.cos(angle)[:, None] * x + np.sin(angle)[:, None] * y
    vertices = [start + radius * ring, end + radius * ring]
    normals = [ring, ring]
    k = np.arange(_SIDES)
    after = (k + 1) % _SIDES
    triangles = [np.column_stack([k, after, k + _SIDES]), np.column_stack([after, after + _SIDES, k + _SIDES])]
    for center, out in ((start, -direction), (end, direction)):
        first = sum(len(v) for v in vertices)
        vertices += [center[None], center + radius * ring]
        normals += [np.tile(out, (_SIDES + 1, 1))]
        fan = np.column_stack([np.full(_SIDES, first), first + 1 + k, first + 1 + after])
        triangles.append(fan if out is direction else fan[:, ::-1])
    return Solid(np.vstack(vertices), np.vstack(triangles).astype(np.int64), np.vstack(normals))


def ball(center: Vector, radius: float) -> Solid:
    """Return a sphere."""
    across = np.linspace(0, np.pi, _RINGS + 1)
    around = np.linspace(0, 2 * np.pi, _SIDES, endpoint=False)
    normals = np.array([[np.sin(t) * np.cos(p), np.sin(t) * np.sin(p), np.cos(t)] for t in across for p in around])
    triangles: list[NDArray[np.int64]] = []
    k = np.arange(_SIDES)
    after = (k + 1) % _SIDES
    for ring in range(_RINGS):
        a, b = ring * _SIDES, (ring + 1) * _SIDES
        triangles += [np.column_stack([a + k, b + k, a + after]), np.column_stack([a + after, b + k, b + after])]
    return Solid(center + radius * normals, np.vstack(triangles).astype(np.int64), normals)


def plate(corner: Vector, size: Vector) -> Solid:
    """Return a box from its lowest corner, with its sizes (3,)."""
    solids = []
    for axis in range(3):
        for side in (0, 1):
            normal = np.zeros(3)
            normal[axis] = 1.0 if side else -1.0
            u, v = np.eye(3)[(axis + 1) % 3] * size, np.eye(3)[(axis + 2) % 3] * size
            base = corner + (np.eye(3)[axis] * size if side else 0.0)
            four = np.array([base, base + u, base + u + v, base + v])
            order = [[0, 1, 2], [0, 2, 3]] if side else [[0, 2, 1], [0, 3, 2]]
            solids.append(Solid(four, np.array(order, dtype=np.int64), np.tile(normal, (4, 1))))
    return joined(solids)
