"""Where a feature is touched: places spread over its faces, away from their borders, that a stylus can get at."""

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from truegauge.core.arrays import Ints, Mask, Normals, Points, Vector, any_perpendicular
from truegauge.core.association import Shape
from truegauge.core.association.features import Cone, Cylinder, Feature
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of
from truegauge.core.coverage import AreaSamples
from truegauge.core.errors import DeviceError
from truegauge.core.extraction import border_samples

# Touches and rows by shape, where nothing else is asked for: more than the shape needs, so that form shows.
_USUAL: dict[Shape, tuple[int, int]] = {
    Shape.PLANE: (9, 0), Shape.CYLINDER: (12, 3), Shape.CONE: (12, 3), Shape.SPHERE: (12, 0), Shape.TORUS: (12, 0),
}  # fmt: skip
_FREE_FORM = (15, 0)
_HEIGHTS, _ANGLES = 7, 24
_SPREAD = 160
_SPREAD_ALONG = 0.3  # of the height of a round feature


@dataclass(frozen=True, slots=True, eq=False)
class Places:
    """Places (n, 3) on the surface and its outward normals (n, 3), part coordinates; in the order of touching."""

    points: Points
    normals: Normals

    def __len__(self) -> int:
        return len(self.points)

    def at(self, rows: Mask | Ints) -> "Places":
        """Return some of them."""
        return Places(self.points[rows], self.normals[rows])


def usual_touches(nominal: Nominal | None) -> tuple[int, int]:
    """Return how many touches in how many rows a feature gets when nothing else is asked for."""
    return _FREE_FORM if nominal is None else _USUAL.get(nominal.shape, _FREE_FORM)


def candidate_places(
    model: CadModel, projector: Projector, faces: tuple[int, ...], nominal: Nominal | None, margin: float
) -> Places:
    """Return places to choose from, at least `margin` mm from the borders of the faces.

    Raises
    ------
    DeviceError
        The faces have no place that far from their borders.
    """
    feature = None if nominal is None else nominal.feature
    wanted = (
        _around_axis(model, faces, feature)
        if isinstance(feature, Cylinder | Cone)
        else AreaSamples(model, faces).cells(_SPREAD)
    )
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


def choose(places: Places, nominal: Nominal | None, count: int, rows: int) -> Places:
    """Return `count` well-spread places: in rows around an axis, else as far from each other as can be."""
    if len(places) <= count:
        return places
    feature = None if nominal is None else nominal.feature
    if rows > 0 and isinstance(feature, Cylinder | Cone):
        return places.at(_in_rows(places, feature, count, rows))
    return places.at(_walk(places.points, _farthest(places.points, count)))


def _in_rows(places: Places, feature: Cylinder | Cone, count: int, rows: int) -> Ints:
    point, direction, x, y = _axis(feature)
    off = places.points - point
    height, angle = off @ direction, np.arctan2(off @ y, off @ x)
    rows = max(1, min(rows, count))
    low, high = float(height.min()), float(height.max())
    inset = 0.1 * (high - low)
    size = max(high - low, 1e-9)
    chosen: list[int] = []
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
    return np.array(chosen)


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
