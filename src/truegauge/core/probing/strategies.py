"""Where a feature is touched: places spread over its faces, away from their borders, that a stylus can get at."""

from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points, Vector, any_perpendicular
from truegauge.core.association.features import Cone, Cylinder, Feature, Line, Plane, Shape
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of
from truegauge.core.errors import DeviceError
from truegauge.core.features.coverage import AreaSamples
from truegauge.core.features.extraction import border_samples

# Touches and rows by shape, where nothing else is asked for: more than the shape needs, so that form shows.
_USUAL: dict[Shape, tuple[int, int]] = {
    Shape.PLANE: (9, 0), Shape.CYLINDER: (12, 3), Shape.CONE: (12, 3), Shape.SPHERE: (12, 0), Shape.TORUS: (12, 0),
}  # fmt: skip
_FREE_FORM = (15, 0)
_RUNNING_OUT = (12, 2)  # a face that runs out about an axis
_HEIGHTS, _ANGLES = 7, 24
_SPREAD = 160
_SPREAD_ALONG = 0.3  # of the height of a round feature
_OFF_ROW = 0.1  # of that height: places farther from the height of their row do not belong to it


@dataclass(frozen=True, slots=True, eq=False)
class Places:
    """Places (n, 3) on the surface and its outward normals (n, 3), part coordinates; in the order of touching.

    `rows` (n,) number the rings around an axis that they are chosen in, -1 for a place of its own.
    """

    points: Points
    normals: Normals
    rows: Ints | None = None

    def __len__(self) -> int:
        return len(self.points)

    def at(self, rows: Mask | Ints) -> "Places":
        """Return some of them."""
        return Places(self.points[rows], self.normals[rows], None if self.rows is None else self.rows[rows])


def usual_touches(nominal: Nominal | None, about: Line | None = None) -> tuple[int, int]:
    """Return how many touches in how many rows a feature gets when nothing else is asked for.

    With `about`, an axis that it runs out about, a face is touched in rings around it.
    """
    if nominal is not None and about is not None and isinstance(nominal.feature, Plane):
        return _RUNNING_OUT
    return _FREE_FORM if nominal is None else _USUAL.get(nominal.shape, _FREE_FORM)


def candidate_places(
    model: CadModel, projector: Projector, faces: tuple[int, ...], nominal: Nominal | None, margin: float,
    about: Line | None = None,
) -> Places:  # fmt: skip
    """Return places to choose from, at least `margin` mm from the borders of the faces.

    Those of turned features lie on a grid around the axis, and so do those of a face with `about`.

    Raises
    ------
    DeviceError
        The faces have no place that far from their borders.
    """
    from scipy.spatial import cKDTree

    feature = None if nominal is None else nominal.feature
    if isinstance(feature, Cylinder | Cone):
        wanted = _around_axis(model, faces, feature)
    elif isinstance(feature, Plane) and about is not None:
        wanted = _rings_on_plane(model, faces, feature, about)
    else:
        wanted = AreaSamples(model, faces).cells(_SPREAD)
    found = projector.deviations(np.ascontiguousarray(wanted))
    there = np.isin(found.face, faces) & ~found.on_edge & (np.abs(found.distance) < 0.5)
    points, normals = found.feet_at(there), np.asarray(found.normals[there], dtype=np.float64)
    for room in (margin, margin / 2, margin / 4):  # narrow faces are touched nearer to their borders
        border = border_samples(model, faces, max(0.2, room / 2))
        far = np.ones(len(points), dtype=bool)
        if len(border) and len(points):
            far = cKDTree(border).query(points)[0] >= room
        if far.sum() >= 6 and _is_spread(points, far, feature):
            return Places(points[far], normals[far])
    raise DeviceError("its faces are too narrow to touch between their borders")


def _is_spread(points: Points, chosen: Mask, feature: Feature | None) -> bool:
    """Tell whether places hold a round feature's axis: they are not all at one height."""
    if not isinstance(feature, Cylinder | Cone):
        return True
    point, direction, _, _ = _axis(feature)
    height = (points - point) @ direction
    return bool(np.ptp(height[chosen]) >= _SPREAD_ALONG * np.ptp(height))


def _axis(feature: Cylinder | Cone) -> tuple[Vector, Vector, Vector, Vector]:
    """Return a point of the axis, its direction, and two directions across it."""
    axis = axis_of(feature)
    assert axis is not None
    x = any_perpendicular(axis.direction)
    return axis.point, axis.direction, x, np.cross(axis.direction, x)


def _around_axis(model: CadModel, faces: tuple[int, ...], feature: Cylinder | Cone) -> Points:
    """Return a grid around the axis of a cylinder or cone, over the height of its faces."""
    point, direction, x, y = _axis(feature)
    mesh = model.mesh
    corners = mesh.vertices[np.unique(mesh.triangles[np.isin(mesh.triangle_face, faces)])]
    heights = (corners - point) @ direction
    low, high = float(heights.min()), float(heights.max())
    inset = 0.02 * (high - low)
    levels = np.linspace(low + inset, high - inset, _HEIGHTS)
    angles = np.linspace(0, 2 * np.pi, _ANGLES, endpoint=False)
    ring = np.cos(angles)[:, None] * x + np.sin(angles)[:, None] * y
    far = np.linalg.norm(corners - point - heights[:, None] * direction, axis=1)
    radius = np.interp(levels, np.sort(heights), far[np.argsort(heights)])
    return np.vstack([point + h * direction + r * ring for h, r in zip(levels, radius, strict=True)])


def _rings_on_plane(model: CadModel, faces: tuple[int, ...], plane: Plane, about: Line) -> Points:
    """Return rings about an axis on a face, between the nearest and the farthest of its vertices."""
    mesh = model.mesh
    corners = mesh.vertices[np.unique(mesh.triangles[np.isin(mesh.triangle_face, faces)])]
    radius, _ = _polar(corners, about)
    inset = 0.02 * float(np.ptp(radius))
    x = any_perpendicular(about.direction)
    angles = np.linspace(0, 2 * np.pi, 2 * _ANGLES, endpoint=False)
    ring = np.cos(angles)[:, None] * x + np.sin(angles)[:, None] * np.cross(about.direction, x)
    levels = np.linspace(float(radius.min()) + inset, float(radius.max()) - inset, _HEIGHTS)
    found = np.vstack([about.point + r * ring for r in levels])
    return np.asarray(found - np.outer((found - plane.point) @ plane.normal, plane.normal))


def _polar(points: Points, about: Line) -> tuple[Floats, Floats]:
    """Return distance from an axis (n,) mm and angle around it (n,) rad."""
    off = points - about.point
    x = any_perpendicular(about.direction)
    u, v = off @ x, off @ np.cross(about.direction, x)
    return np.hypot(u, v), np.arctan2(v, u)


def choose(places: Places, nominal: Nominal | None, count: int, rows: int, about: Line | None = None) -> Places:
    """Return `count` well-spread places: in rows around an axis, else as far from each other as can be."""
    if len(places) <= count:
        return places
    feature = None if nominal is None else nominal.feature
    if rows > 0 and isinstance(feature, Cylinder | Cone):
        point, direction, x, y = _axis(feature)
        off = places.points - point
        chosen, ring = _in_rows(off @ direction, np.arctan2(off @ y, off @ x), count, rows)
        return replace(places.at(chosen), rows=ring)
    if rows > 0 and isinstance(feature, Plane) and about is not None:
        chosen, ring = _in_rows(*_polar(places.points, about), count, rows)
        return replace(places.at(chosen), rows=ring)
    return places.at(_walk(places.points, _farthest(places.points, count)))


def _in_rows(height: Floats, angle: Floats, count: int, rows: int) -> tuple[Ints, Ints]:
    """Return places and their rows; a place that had to stand off the height of its row is in none."""
    rows = max(1, min(rows, count))
    low, high = float(height.min()), float(height.max())
    inset = 0.1 * (high - low)
    size = max(high - low, 1e-9)
    chosen: list[int] = []
    ring: list[int] = []
    for k, level in enumerate(np.linspace(low + inset, high - inset, rows) if rows > 1 else [(low + high) / 2]):
        own = count // rows + (k < count % rows)
        around = angle[np.argsort(np.abs(height - level))[: max(_ANGLES, own)]]
        # On part of a circle the touches are spread over that part.
        gaps = np.diff(np.sort(around), append=np.sort(around)[0] + 2 * np.pi)
        widest = int(np.argmax(gaps))
        begin, span = np.sort(around)[(widest + 1) % len(around)], 2 * np.pi - gaps[widest]
        whole = gaps[widest] < np.radians(40)
        start = begin + (np.pi / own if k % 2 and whole else 0.0)
        for wanted in start + np.linspace(0, 2 * np.pi if whole else span, own, endpoint=not whole):
            turn = np.abs((angle - wanted + np.pi) % (2 * np.pi) - np.pi)
            cost = turn / np.pi + 2 * np.abs(height - level) / size
            cost[chosen] = np.inf
            chosen.append(int(np.argmin(cost)))
            ring.append(k if abs(float(height[chosen[-1]]) - level) <= _OFF_ROW * size else -1)
    return np.array(chosen), np.array(ring, dtype=np.int64)


def _farthest(points: Points, count: int) -> Ints:
    """Return rows of points that are far from each other: each next one the farthest from those before."""
    chosen = [int(np.argmax(np.linalg.norm(points - points.mean(axis=0), axis=1)))]
    distance = np.linalg.norm(points - points[chosen[0]], axis=1)
    while len(chosen) < count:
        chosen.append(int(np.argmax(distance)))
        distance = np.minimum(distance, np.linalg.norm(points - points[chosen[-1]], axis=1))
    return np.array(chosen)


def _walk(points: Points, chosen: Ints) -> Ints:
    """Return the chosen rows in an order in which each next one is near."""
    left = list(chosen)
    order = [left.pop(0)]
    while left:
        nearest = int(np.argmin(np.linalg.norm(points[left] - points[order[-1]], axis=1)))
        order.append(left.pop(nearest))
    return np.array(order)
