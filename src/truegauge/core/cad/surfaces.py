"""Surfaces in NumPy: exact outward normals at points of a surface."""

from dataclasses import replace

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


def distances_to(surface: Surface, points: Points, uv: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return distances (n,) mm of points from a surface; of a B-spline from its places at `uv` (n, 2)."""
    if surface.kind == SurfaceKind.BSPLINE:
        assert surface.bspline is not None
        return np.asarray(
            np.linalg.norm(points - evaluate_many(surface.bspline, uv)[:, 0], axis=1) - abs(surface.offset)
        )
    along, rho = _cylindrical(surface, points)
    if surface.kind == SurfaceKind.PLANE:
        return along
    if surface.kind == SurfaceKind.CYLINDER:
        return np.asarray(rho - surface.radius)
    if surface.kind == SurfaceKind.SPHERE:
        return np.asarray(np.hypot(rho, along) - surface.radius)
    if surface.kind == SurfaceKind.CONE:
        return np.asarray((rho - surface.radius) * np.cos(surface.half_angle) - along * np.sin(surface.half_angle))
    return np.asarray(np.hypot(rho - surface.radius, along) - surface.minor)


def _cylindrical(surface: Surface, points: Points) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    local = points - surface.origin
    along = np.asarray(local @ surface.z)
    return along, np.linalg.norm(local - np.outer(along, surface.z), axis=1)


def on_its_sheet(surface: Surface, vertices: Points, allowed: float) -> Surface | None:
    """Return the surface written so that a face lies where its radius counts from the axis outwards.

    A cone goes on beyond its apex, a torus whose tube is larger than its ring crosses itself: a face on the nappe or
    sheet of negative radius is that of the same surface with the axis turned (a cone) or the ring negative (a torus).
    None where the face spans both.

    Parameters
    ----------
    vertices : (n, 3) float64
        Of the face, mm.
    allowed : float
        How far they may be off their surface, mm.
    """
    if surface.kind not in (SurfaceKind.CONE, SurfaceKind.TORUS):
        return surface
    here = np.abs(distances_to(surface, vertices, np.zeros((0, 2)))) <= allowed
    if here.all():
        return surface
    if surface.kind == SurfaceKind.TORUS:
        other = replace(surface, radius=-surface.radius)
    else:
        middle = float(((vertices - surface.origin) @ surface.z).mean())
        other = replace(
            surface, origin=surface.origin + middle * surface.z, y=-surface.y, z=-surface.z,
            radius=-(surface.radius + middle * np.tan(surface.half_angle)),
        )  # fmt: skip
    there = np.abs(distances_to(other, vertices, np.zeros((0, 2)))) <= allowed
    if there.all():
        return other
    # On neither everywhere: on both in part, or on none, which the check of the surface will tell.
    return None if (here | there).all() else surface


def _normalised(vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    lengths = np.linalg.norm(vectors, axis=1, keepdims=True)
    return np.asarray(vectors / np.where(lengths > 0, lengths, 1.0))
