"""A part without CAD: faces built from typed nominal features, usable like the faces of a CAD file."""

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Points, Vector
from truegauge.core.cad.model import Body, CadModel, Edge, Face, Mesh, Surface, SurfaceKind, border_edges
from truegauge.core.cad.surfaces import normals_at
from truegauge.core.errors import GeometryError

_TURN = 72  # steps of the seed mesh in a full turn
NEEDS = {
    "plane": ("length",), "hole": ("diameter",), "boss": ("diameter",), "pin": ("diameter",),
    "cone": ("diameter", "angle"),
    "conical hole": ("diameter", "angle"), "sphere": ("diameter",), "socket": ("diameter",),
    "torus": ("diameter", "second_diameter"), "slot": ("length", "width"), "point": (),
}  # fmt: skip
_INSIDE = ("hole", "conical hole", "socket", "slot")


@dataclass(frozen=True, slots=True)
class NominalRow:
    """One typed nominal feature: mm, mm, and the full angle of a cone in degrees.

    `position` is the middle of the feature (of a cone: the middle of its axis, where it has `diameter`), `direction`
    its axis or outward normal. `depth` is the length along the axis, for a plane `length` and `width` are its sides.
    """

    kind: str
    name: str
    position: tuple[float, float, float]
    direction: tuple[float, float, float] = (0.0, 0.0, 1.0)
    diameter: float = 0.0
    second_diameter: float = 0.0
    length: float = 0.0
    width: float = 0.0
    depth: float = 0.0
    angle: float = 0.0

    def checked(self, where: str) -> "NominalRow":
        """Return itself.

        Raises
        ------
        GeometryError
            An unknown kind, or sizes that no such feature has; `where` names the row.
        """
        if self.kind not in NEEDS:
            raise GeometryError(f"{where}: the type {self.kind!r} is not known; use one of {', '.join(NEEDS)}")
        for name in NEEDS[self.kind]:
            if getattr(self, name) <= 0:
                raise GeometryError(f"{where}: a {self.kind} needs a {name.replace('_', ' ')} above 0")
        numbers = (*self.position, *self.direction, self.diameter, self.second_diameter, self.length, self.width,
                   self.depth, self.angle)  # fmt: skip
        if not all(math.isfinite(x) and abs(x) < 1e6 for x in numbers):
            raise GeometryError(f"{where}: a number is missing or beyond any part")
        if math.hypot(*self.direction) < 1e-9:
            raise GeometryError(f"{where}: its direction has no length; give i, j, k")
        if self.kind in ("cone", "conical hole") and self.angle >= 179:
            raise GeometryError(f"{where}: the angle of a cone is the full angle, between 0 and 179 degrees")
        if self.kind == "torus" and self.second_diameter >= self.diameter:
            raise GeometryError(f"{where}: the second diameter of a torus (its tube) is smaller than the first")
        if self.kind == "slot" and self.length <= self.width:
            raise GeometryError(f"{where}: the length of a slot (over its rounded ends) is larger than its width")
        return self


@dataclass(frozen=True, slots=True)
class _Patch:
    """A face: its surface, a grid of vertices (nu, nv, 3), and whether the grid closes around u."""

    surface: Surface
    grid: NDArray[np.float64]
    closed: bool


def part_from_rows(rows: tuple[NominalRow, ...], key: str, name: str) -> CadModel:
    """Return a part with the faces of these features, one body a feature.

    Raises
    ------
    GeometryError
        No row, or a row that makes no feature.
    """
    if not rows:
        raise GeometryError("the table holds no features")
    faces, bodies, edges = list[Face](), list[Body](), list[Edge]()
    vertices, normals, triangles, owners = [], [], [], []
    start = 0
    for number, row in enumerate(rows, start=1):
        row.checked(f"feature {number} ({row.name or row.kind})")
        bodies.append(Body(row.name or f"{row.kind} {number}"))
        for patch in _PATCHES[row.kind](row):
            points = patch.grid.reshape(-1, 3)
            tris = _grid_triangles(patch.grid.shape[0], patch.grid.shape[1], patch.closed)
            there = normals_at(patch.surface, points, np.zeros((len(points), 2)))
            tris = _turned(points, there, tris)
            area, center = _area(points, tris)
            box = np.vstack([points.min(axis=0), points.max(axis=0)])
            index = len(faces)
            faces.append(Face(index, patch.surface, area, box, center, row.name, None, number - 1))
            vertices.append(points)
            normals.append(there)
            triangles.append(tris + start)
            owners.append(np.full(len(tris), index, dtype=np.int64))
            edges += [Edge(line, (index,), True) for line in _borders(patch)]
            start += len(points)
    every = np.vstack(triangles)
    whole = np.vstack(vertices)
    mesh = Mesh(
        whole, np.vstack(normals), np.zeros((len(whole), 2)), every, np.concatenate(owners), border_edges(every)
    )
    return CadModel(key, name, tuple(faces), mesh, tuple(edges), tuple(bodies))


def _frame(row: NominalRow) -> tuple[Vector, Vector, Vector, Vector]:
    z = np.asarray(row.direction, dtype=np.float64)
    z = z / np.linalg.norm(z)
    # The long side of a plane or slot lies as near to the X axis (else Y) as its direction allows.
    x = np.eye(3)[0] if abs(z[0]) < 0.9 else np.eye(3)[1]
    x = x - (x @ z) * z
    x = x / np.linalg.norm(x)
    return np.asarray(row.position, dtype=np.float64), x, np.cross(z, x), z


def _surface(kind: SurfaceKind, row: NominalRow, origin: Vector, radius: float, **more: float) -> Surface:
    _, x, y, z = _frame(row)
    side = -1 if row.kind in _INSIDE else 1
    return Surface(kind, origin, x, y, z, radius, more.get("minor", 0.0), more.get("half_angle", 0.0), side)


def _plane(row: NominalRow) -> list[_Patch]:
    o, x, y, _ = _frame(row)
    a, b = row.length / 2, (row.width or row.length) / 2
    return [_rectangle(o, x * a, y * b)]


def _rectangle(center: Vector, a: Vector, b: Vector, turned: bool = False) -> _Patch:
    """A rectangle with half sides a and b, facing a x b (or the other way)."""
    u, v = np.meshgrid(np.linspace(-1, 1, 9), np.linspace(-1, 1, 9), indexing="ij")
    grid = center + u[..., None] * a + v[..., None] * b
    x, y = a / np.linalg.norm(a), b / np.linalg.norm(b)
    surface = Surface(SurfaceKind.PLANE, center, x, y, np.cross(x, y), 0.0, 0.0, 0.0, -1 if turned else 1)
    return _Patch(surface, grid, False)


def _point(row: NominalRow) -> list[_Patch]:
    """A small disc about the point: the measured points in it tell the deviation there."""
    o, x, y, z = _frame(row)
    radius = (row.diameter or 2.0) / 2
    t = np.linspace(0, 2 * np.pi, 24, endpoint=False)
    around = np.cos(t)[:, None] * x + np.sin(t)[:, None] * y
    grid = o + np.linspace(0.02, 1, 3)[None, :, None] * radius * around[:, None, :]
    return [_Patch(Surface(SurfaceKind.PLANE, o, x, y, z, 0.0, 0.0, 0.0, 1), grid, True)]


def _around(row: NominalRow, radii: NDArray[np.float64], heights: NDArray[np.float64]) -> Points:
    o, x, y, z = _frame(row)
    t = np.linspace(0, 2 * np.pi, _TURN, endpoint=False)
    around = np.cos(t)[:, None] * x + np.sin(t)[:, None] * y
    return np.asarray(o + radii[None, :, None] * around[:, None, :] + heights[None, :, None] * z)


def _cylinder(row: NominalRow) -> list[_Patch]:
    o = np.asarray(row.position, dtype=np.float64)
    depth = row.depth or row.length or row.diameter
    heights = np.linspace(-depth / 2, depth / 2, 5)
    grid = _around(row, np.full(5, row.diameter / 2), heights)
    return [_Patch(_surface(SurfaceKind.CYLINDER, row, o, row.diameter / 2), grid, True)]


def _cone(row: NominalRow) -> list[_Patch]:
    o = np.asarray(row.position, dtype=np.float64)
    half, radius = math.radians(row.angle) / 2, row.diameter / 2
    depth = row.depth or row.length or row.diameter / 2
    if radius - depth / 2 * math.tan(half) < 0:
        raise GeometryError(f"{row.name or row.kind}: its depth reaches beyond the tip of the cone")
    heights = np.linspace(-depth / 2, depth / 2, 5)
    grid = _around(row, radius + heights * math.tan(half), heights)
    return [_Patch(_surface(SurfaceKind.CONE, row, o, radius, half_angle=half), grid, True)]


def _sphere(row: NominalRow) -> list[_Patch]:
    o, radius = np.asarray(row.position, dtype=np.float64), row.diameter / 2
    # A socket is the half that opens along its direction; a ball is all but its stem.
    low, high = (-89.9, 0.0) if row.kind == "socket" else (-60.0, 89.9)
    latitude = np.radians(np.linspace(low, high, 19))
    grid = _around(row, radius * np.cos(latitude), radius * np.sin(latitude))
    return [_Patch(_surface(SurfaceKind.SPHERE, row, o, radius), grid, True)]


def _torus(row: NominalRow) -> list[_Patch]:
    o = np.asarray(row.position, dtype=np.float64)
    major, minor = row.diameter / 2, row.second_diameter / 2
    t = np.linspace(0, 2 * np.pi, 37)
    grid = _around(row, major + minor * np.cos(t), minor * np.sin(t))
    return [_Patch(_surface(SurfaceKind.TORUS, row, o, major, minor=minor), grid, True)]


def _slot(row: NominalRow) -> list[_Patch]:
    o, x, y, z = _frame(row)
    radius, half = row.width / 2, (row.length - row.width) / 2
    depth = row.depth or row.width
    patches = []
    for side in (1.0, -1.0):
        center = o + side * half * x
        t = np.linspace(-np.pi / 2, np.pi / 2, _TURN // 2 + 1)
        around = side * np.cos(t)[:, None] * x + np.sin(t)[:, None] * y
        heights = np.linspace(-depth / 2, depth / 2, 5)
        grid = center + radius * around[:, None, :] + heights[None, :, None] * z
        patches.append(_Patch(_surface(SurfaceKind.CYLINDER, row, center, radius), grid, False))
        wall = o + side * radius * y
        patches.append(_rectangle(wall, half * x, depth / 2 * z, turned=side < 0))
    return patches


_PATCHES: dict[str, Callable[[NominalRow], list[_Patch]]] = {
    "plane": _plane, "hole": _cylinder, "boss": _cylinder, "pin": _cylinder, "cone": _cone, "conical hole": _cone,
    "sphere": _sphere, "socket": _sphere, "torus": _torus, "slot": _slot, "point": _point,
}  # fmt: skip


def _grid_triangles(nu: int, nv: int, closed: bool) -> NDArray[np.int64]:
    i, k = np.meshgrid(np.arange(nu if closed else nu - 1), np.arange(nv - 1), indexing="ij")
    a = i * nv + k
    b = (i + 1) % nu * nv + k
    quads = np.stack([a, b, b + 1, a + 1], axis=-1).reshape(-1, 4)
    return np.vstack([quads[:, [0, 1, 2]], quads[:, [0, 2, 3]]])


def _turned(points: Points, normals: Points, triangles: NDArray[np.int64]) -> NDArray[np.int64]:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    flat = np.cross(b - a, c - a)
    away = np.einsum("ij,ij->i", flat, normals[triangles].sum(axis=1)) < 0
    triangles = triangles.copy()
    triangles[away] = triangles[away][:, [0, 2, 1]]
    return triangles


def _area(points: Points, triangles: NDArray[np.int64]) -> tuple[float, Vector]:
    a, b, c = (points[triangles[:, k]] for k in range(3))
    areas = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 2
    return float(areas.sum()), np.asarray(areas @ (a + b + c) / 3 / areas.sum())


def _borders(patch: _Patch) -> list[Points]:
    grid = patch.grid
    if patch.closed:
        rings = [np.vstack([grid[:, k], grid[:1, k]]) for k in (0, grid.shape[1] - 1)]
        return [r for r in rings if np.ptp(r, axis=0).max() > 0.1 * np.ptp(grid.reshape(-1, 3), axis=0).max()]
    return [grid[0], grid[-1], grid[:, 0], grid[:, -1]]
