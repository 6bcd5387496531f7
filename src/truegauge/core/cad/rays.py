"""Rays through a part: what is open, and how far the outside reaches."""

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Vector
from truegauge.core.cad.bvh import Bvh, build_bvh, first_hit
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.turned import SAME_LENGTH, Turned


@dataclass(eq=False)
class Rays:
    """Rays through one part; `told` is called at each of those that take long."""

    model: CadModel
    told: Callable[[], None]

    def is_open(self, t: Turned, way: int) -> bool:
        """Tell whether nothing closes a hole at one of its ends."""
        return self.is_clear(t.axis_point, way * t.surface.z, (t.high - t.low) / 2, t.surface.radius)

    def room(self, t: Turned, way: int) -> float:
        """Return how far it is out of a hole at one of its ends, mm."""
        distance = self.distance(t.axis_point, way * t.surface.z)
        # Seen from both ends without an end: it begins on the side where the coordinates are larger.
        return distance if math.isfinite(distance) else 1e6 + way * float(t.surface.z.sum())

    def is_clear(self, start: Vector, direction: Vector, half: float, radius: float) -> bool:
        """Tell whether nothing closes a hole at its end: no bottom within the depth of a drill's point."""
        return self.distance(start, direction) > half + 1.3 * radius + SAME_LENGTH

    def free(self, t: Turned, way: int) -> float:
        """Return how far the outside reaches from the end of a boss, mm; below 0 in material, which is that thick."""
        x = np.linalg.svd(t.surface.z[None])[2][1]
        rim = 0.97 * t.surface.radius * (math.cos(0.31) * x + math.sin(0.31) * np.cross(t.surface.z, x))
        end = t.surface.origin + (t.high + SAME_LENGTH if way > 0 else t.low - SAME_LENGTH) * t.surface.z + rim
        distance, leaving = self._hit(end, way * t.surface.z)
        return -distance if leaving else distance

    def distance(self, start: Vector, direction: Vector) -> float:
        """Return the distance to the first surface that is entered from outside along a ray."""
        self.told()
        return self._hit(start, direction, entering_only=True)[0]

    @cached_property
    def _tree(self) -> tuple[Bvh, NDArray[np.float64]]:
        """The mesh as a tree for rays, and the normals of its triangles."""
        mesh = self.model.mesh
        a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
        return build_bvh(mesh.vertices, mesh.triangles), np.cross(b - a, c - a)

    def _leaving(self, direction: Vector) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
        """Tell which triangles a ray leaves the part through, and give a mask of none; holes share their directions."""
        key = tuple(np.round(direction, 9))
        if key not in self._masks:
            if len(self._masks) > 64:
                self._masks.clear()
            leaving = self._tree[1] @ direction > 0
            self._masks[key] = (leaving, np.zeros(len(leaving), dtype=bool))
        return self._masks[key]

    @cached_property
    def _masks(self) -> dict[tuple[float, ...], tuple[NDArray[np.bool_], NDArray[np.bool_]]]:
        return {}

    def _hit(self, start: Vector, direction: Vector, *, entering_only: bool = False) -> tuple[float, bool]:
        """Return how far the first triangle along a ray is (inf: none) and whether it is left from within."""
        tree = self._tree[0]
        leaving, nothing = self._leaving(direction)
        # A ray along the axis itself would meet the tips of cones and the corners of meshes.
        across = np.linalg.svd(direction[None])[2][1]
        origin = start + 1.37e-5 * self.model.diagonal * across
        hidden = leaving if entering_only else nothing
        triangle, along = first_hit(tree, origin, np.ascontiguousarray(direction), hidden)
        return (math.inf, False) if triangle < 0 else (float(along), bool(leaving[triangle]))
