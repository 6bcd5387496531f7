"""The nominal part as plain arrays: faces on exact surfaces, a seed mesh, edges.

The CAD kernel is needed once, to read a file; everything afterwards (display, picking, exact deviations) works on
these arrays, so it runs without the kernel, in any thread, and can be cached.
"""

from dataclasses import dataclass
from enum import IntEnum
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Normals, Points, Triangles, Vector
from truegauge.core.cad.annotations import NO_ANNOTATIONS, Annotations


class SurfaceKind(IntEnum):
    """The surface types with exact projection."""

    PLANE = 0
    CYLINDER = 1
    CONE = 2
    SPHERE = 3
    TORUS = 4
    BSPLINE = 5


@dataclass(frozen=True, slots=True)
class BSpline:
    """A non-periodic rational B-spline surface.

    Flat knots (with multiplicities written out), `poles` (nu, nv, 3) in mm, `weights` (nu, nv).
    """

    degree_u: int
    degree_v: int
    knots_u: Floats
    knots_v: Floats
    poles: NDArray[np.float64]
    weights: NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class BSplineCurve:
    """A non-periodic rational B-spline curve: flat knots, `poles` (n, 3) in mm, `weights` (n,)."""

    degree: int
    knots: Floats
    poles: Points
    weights: Floats


@dataclass(frozen=True, slots=True)
class Surface:
    """An unbounded surface in a local frame.

    `origin`, `x`, `y`, `z` (unit, right-handed unless the file says otherwise) place it; `radius` is the radius of a
    cylinder or sphere, the major radius of a torus, the radius of a cone at `origin`; `minor` is the minor radius of
    a torus; `half_angle` (rad) belongs to a cone. `outward` is +1 where the material normal points away from the axis
    or centre (for a plane: along z; for a B-spline: along du x dv), -1 where it points the other way. A B-spline may be
    the base of an offset surface, `offset` mm along du x dv.
    """

    kind: SurfaceKind
    origin: Vector
    x: Vector
    y: Vector
    z: Vector
    radius: float
    minor: float
    half_angle: float
    outward: int
    bspline: BSpline | None = None
    offset: float = 0.0


@dataclass(frozen=True, slots=True)
class Body:
    """A body of the file: its name (in an assembly with the names above it) and its colour, if it has one."""

    name: str
    color: tuple[int, int, int] | None = None


@dataclass(frozen=True, slots=True)
class Face:
    """One face of the part: its surface, area (mm^2), box (2, 3), centroid (mm), and what the file says about it."""

    index: int
    surface: Surface
    area: float
    box: NDArray[np.float64]
    centroid: Vector
    name: str = ""
    color: tuple[int, int, int] | None = None
    body: int = 0


@dataclass(frozen=True, slots=True)
class Mesh:
    """The seed mesh: each face has vertices of its own, so every vertex has one (u, v) and one normal.

    `vertices` (n, 3), `normals` (n, 3) exact and out of the material, `uv` (n, 2), `triangles` (m, 3) turned
    counter-clockwise seen from outside, `triangle_face` (m,), `boundary` (m, 3): whether edge k, from corner k to
    corner k + 1, is a border of the face.
    """

    vertices: Points
    normals: Normals
    uv: NDArray[np.float64]
    triangles: Triangles
    triangle_face: Ints
    boundary: NDArray[np.bool_]


def border_edges(triangles: Triangles) -> NDArray[np.bool_]:
    """Tell for each edge (k -> k + 1) of each triangle whether no other triangle shares it; (m, 3) bool."""
    others = np.roll(triangles, -1, axis=1)
    ends = np.minimum(triangles, others) * (int(triangles.max()) + 1) + np.maximum(triangles, others)
    _, inverse, counts = np.unique(ends.ravel(), return_inverse=True, return_counts=True)
    return np.asarray(counts[inverse.ravel()] == 1).reshape(-1, 3)


@dataclass(frozen=True, slots=True)
class Edge:
    """A border between faces: polyline (k, 3), the faces on its sides, and whether they meet at an angle.

    `curve` is the exact one, None where only the polyline is known. A face that meets itself (a seam) is its only face,
    without an angle.
    """

    polyline: Points
    faces: tuple[int, ...]
    sharp: bool
    curve: BSplineCurve | None = None

    @property
    def is_seam(self) -> bool:
        """Whether a face goes on beyond it."""
        return len(self.faces) == 1 and not self.sharp


@dataclass(frozen=True, eq=False)
class CadModel:
    """A part. `key` identifies its content (hash of the file and of the reader's version).

    `unit` is the unit of length in the file (all numbers here are mm), `notes` tell what reading it had to mend.
    """

    key: str
    name: str
    faces: tuple[Face, ...]
    mesh: Mesh
    edges: tuple[Edge, ...]
    bodies: tuple[Body, ...] = ()
    unit: str = "millimetre"
    notes: tuple[str, ...] = ()
    annotations: Annotations = NO_ANNOTATIONS

    @cached_property
    def box(self) -> NDArray[np.float64]:
        """Axis-aligned box (2, 3), mm; of no part at its origin."""
        if not len(self.mesh.vertices):
            return np.zeros((2, 3))
        return np.vstack([self.mesh.vertices.min(axis=0), self.mesh.vertices.max(axis=0)])

    @cached_property
    def surface_table(self) -> NDArray[np.float64]:
        """Kind, side, radius, minor radius, half angle, origin and axis of each face's surface (n, 11)."""
        return np.array(
            [
                (f.surface.kind, f.surface.outward, f.surface.radius, f.surface.minor, f.surface.half_angle,
                 *f.surface.origin, *f.surface.z)
                for f in self.faces
            ]
        ).reshape(-1, 11)  # fmt: skip

    @cached_property
    def face_boxes(self) -> NDArray[np.float64]:
        """The box of each face (n, 2, 3), mm."""
        return np.array([f.box for f in self.faces]).reshape(-1, 2, 3)

    @cached_property
    def diagonal(self) -> float:
        """Length of the box diagonal, mm."""
        return float(np.linalg.norm(self.box[1] - self.box[0]))
