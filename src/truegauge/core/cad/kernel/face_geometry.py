"""One face of the kernel as arrays: its exact surface, proved on its own mesh, and that mesh."""

from dataclasses import dataclass, replace
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepGProp import BRepGProp_Face
from OCP.gp import gp_Pnt, gp_Vec
from OCP.TopAbs import TopAbs_REVERSED
from OCP.TopLoc import TopLoc_Location

from truegauge.core.arrays import Normals, Points, Triangles
from truegauge.core.cad.kernel.face_surfaces import SAME, offset_seeds, surfaces_of, xyz
from truegauge.core.cad.kernel.failures import KERNEL_FAILURES
from truegauge.core.cad.model import Surface, SurfaceKind
from truegauge.core.cad.surfaces import distances_to, normals_at, on_its_sheet
from truegauge.core.errors import GeometryError

_FAILURES: tuple[type[Exception], ...] = (*KERNEL_FAILURES, GeometryError)
_MOST_PLACES = 200
_SAME_SIDE = 0.5  # cosine of our normal and the kernel's
_WRONG_NORMALS = 0.05  # a share: at poles the kernel's are what they are


@dataclass(frozen=True, slots=True, eq=False)
class FaceGeometry:
    """A surface with the mesh of the face on it: vertices (n, 3), normals (n, 3), (u, v) (n, 2), triangles (m, 3)."""

    surface: Surface
    vertices: Points
    normals: Normals
    uv: np.ndarray
    triangles: Triangles


def face_geometry(topo: Any, deflection: float, angle: float) -> FaceGeometry:
    """Return the first surface that the face's own mesh lies on.

    Raises
    ------
    GeometryError
        The face cannot be meshed, or no surface is what the kernel's mesh says.
    """
    wrong = ""
    for way in surfaces_of(topo, deflection, angle):
        try:
            surface, meshed = way()
        except _FAILURES as error:
            wrong = wrong or str(error).split("\n")[0] or "the kernel fails on it"
            continue
        vertices, uv, triangles = _triangulation(meshed)
        if len(triangles) == 0:
            wrong = wrong or "it cannot be meshed"
            continue
        if surface.offset:
            uv = offset_seeds(surface, vertices, uv, topo)
        rows = _some(len(vertices))
        there = _kernel_places(meshed, uv[rows]) if not surface.offset else vertices[rows]
        allowed = 2 * SAME + 1e-9 * float(np.abs(there).max())
        chosen = on_its_sheet(surface, there, allowed)
        if chosen is None:
            wrong = wrong or "it lies on both sides of a tip"
            continue
        if chosen is not surface:
            chosen = replace(chosen, outward=_side(chosen, vertices, uv, meshed))
        bad = _disagreement(chosen, vertices, uv, meshed, rows, there, allowed)
        if not bad:
            return FaceGeometry(chosen, vertices, normals_at(chosen, vertices, uv), uv, triangles)
        wrong = wrong or bad
    raise GeometryError(wrong or "its surface cannot be understood")


def _kernel_places(topo: Any, uv: np.ndarray) -> np.ndarray:
    """Return places (n, 3) of the kernel's own surface."""
    adaptor = BRepAdaptor_Surface(topo)
    return np.array([xyz(adaptor.Value(float(u), float(v))) for u, v in uv])


def _kernel_normals(topo: Any, uv: np.ndarray) -> np.ndarray:
    """Return outward normals (n, 3) of the kernel; zeros where it has none."""
    oriented, point, normal = BRepGProp_Face(topo), gp_Pnt(), gp_Vec()
    found = np.zeros((len(uv), 3))
    for k, (u, v) in enumerate(uv):
        oriented.Normal(float(u), float(v), point, normal)
        if normal.Magnitude() > 1e-9:
            found[k] = xyz(normal) / normal.Magnitude()
    return found


def _some(count: int) -> np.ndarray:
    return np.unique(np.linspace(0, count - 1, min(count, _MOST_PLACES)).astype(int))


def _side(surface: Surface, vertices: Points, uv: np.ndarray, meshed: Any) -> int:
    rows = _some(len(vertices))
    ours = normals_at(replace(surface, outward=1), vertices[rows], uv[rows])
    return 1 if float((ours * _kernel_normals(meshed, uv[rows])).sum()) >= 0 else -1


def _disagreement(
    surface: Surface, vertices: Points, uv: np.ndarray, meshed: Any, rows: np.ndarray, there: Points, allowed: float
) -> str:
    """Say in words where a surface is not what the kernel's places and normals are; empty where all agrees.

    Vertices of the mesh at borders lie on the edges of the file, which may be a little off the surface.
    """
    off = np.abs(distances_to(surface, vertices, uv))
    if not np.isfinite(off).all():
        return "its surface has no number somewhere"
    if surface.offset:
        return ""  # its (u, v) are those of the base
    off = np.abs(distances_to(surface, there, uv[rows]))
    if float(off.max()) > allowed:
        return f"what was read is {off.max():.4f} mm off its surface"
    ours, theirs = normals_at(surface, vertices[rows], uv[rows]), _kernel_normals(meshed, uv[rows])
    if not np.isfinite(ours).all():
        return "its normals have no number somewhere"
    known = np.linalg.norm(theirs, axis=1) > 0.5
    if surface.kind == SurfaceKind.BSPLINE:
        known &= np.linalg.norm(ours, axis=1) > 0.5
    wrong = (ours[known] * theirs[known]).sum(axis=1) < _SAME_SIDE
    if known.any() and float(wrong.mean()) > _WRONG_NORMALS:
        return f"{100 * wrong.mean():.0f} % of its normals point elsewhere than the kernel's"
    return ""


def _triangulation(topo: Any) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    location = TopLoc_Location()
    t = BRep_Tool.Triangulation_s(topo, location)
    if t is None:
        return np.zeros((0, 3)), np.zeros((0, 2)), np.zeros((0, 3), dtype=np.int64)
    move = location.Transformation()
    vertices = np.array([xyz(t.Node(i + 1).Transformed(move)) for i in range(t.NbNodes())])
    uv = np.array([(p.X(), p.Y()) for p in (t.UVNode(i + 1) for i in range(t.NbNodes()))])
    triangles = np.array([t.Triangle(i + 1).Get() for i in range(t.NbTriangles())], dtype=np.int64) - 1
    if topo.Orientation() == TopAbs_REVERSED:
        triangles = triangles[:, [0, 2, 1]]
    return vertices, uv, triangles
