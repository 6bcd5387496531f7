"""Surfaces in NumPy: exact outward normals at points of a surface."""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Normals, Points
from truegauge.core.cad.bspline import evaluate_many
from truegauge.core.cad.model import Surface, SurfaceKind


def normals_at(surface: Surface, points: Points, uv: NDArray[np.float64]) -> Normals:
    """Return the unit normals out of the material at points (n, 3) of the surface with parameters `uv` (n, 2)."""
    local = points - surface.origin
    along = local @ surface.z
    radial = local - np.outer(along, surface.z)
    if surface.kind == SurfaceKind.PLANE:
        normals = np.tile(surface.z, (len(points), 1))
    elif surface.kind == SurfaceKind.CYLINDER:
        normals = radial
    elif surface.kind == SurfaceKind.CONE:
        normals = _normalised(radial) * np.cos(surface.half_angle) - surface.z * np.sin(surface.half_angle)
    elif surface.kind == SurfaceKind.SPHERE:
        normals = local
    elif surface.kind == SurfaceKind.TORUS:
        normals = local - surface.radius * _normalised(radial)
    else:
        assert surface.bspline is not None
        derivatives = evaluate_many(surface.bspline, uv)
        normals = np.cross(derivatives[:, 1], derivatives[:, 2])
    return surface.outward * _normalised(normals)


def _normalised(vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0))
