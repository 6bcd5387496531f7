"""Places on the faces of a feature, how far from their borders, and which of them are spread well."""

from dataclasses import dataclass, field, replace

import numpy as np

from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points, any_perpendicular
from truegauge.core.association.features import Cone, Cylinder, Line
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of
from truegauge.core.errors import DeviceError
from truegauge.core.features.coverage import AreaSamples
from truegauge.core.features.extraction import border_samples

SPREAD = 220  # places to choose from
_ROWS, _AROUND = 9, 36  # those of a turned feature
_ON_FACE = 0.3  # mm off the face that a wanted place may lie: its facets are not quite it

BESIDE = -2


@dataclass(frozen=True, slots=True, eq=False)
class FeatureToTouch:
    """A feature of the plan: its id and name, its faces, and its nominal feature (None: free-form).

    `about` is the axis that a face runs out about: it is touched in rings around it. What others are measured from
    comes `first`.
    """

    id: str
    name: str
    faces: tuple[int, ...]
    nominal: Nominal | None
    about: Line | None = None
    first: bool = False

    def of_faces(self, faces: tuple[int, ...]) -> "FeatureToTouch":
        """Return other faces in its place, as free-form ones."""
        return replace(self, faces=faces, nominal=None, about=None)


@dataclass(frozen=True, slots=True, eq=False)
class Places:
    """Places (n, 3) on the surface and its outward normals (n, 3), part coordinates; in the order of touching.

    `rows` (n,) number the rings around an axis that they belong to, -1 for a place of its own. `BESIDE` is one on a
    face beside the feature, which only tells where the one that follows it lies: it is no touch of the feature.
    """

    points: Points
    normals: Normals
    rows: Ints

    def __len__(self) -> int:
        return len(self.points)

    def follows_beside(self, k: int) -> bool:
        """Tell whether where a place lies is told by the one before it, beside the feature."""
        return bool(k and self.rows[k] != BESIDE and self.rows[k - 1] == BESIDE)

    def at(self, rows: Mask | Ints) -> "Places":
        """Return some of them."""
        return Places(self.points[rows], self.normals[rows], self.rows[rows])


def asked_at(points: Points, rows: Ints | None = None) -> Places:
    """Return places whose normals are asked from the part later."""
    return Places(points, np.zeros((len(points), 3)), np.full(len(points), -1) if rows is None else rows)


def nowhere() -> Places:
    """Return no places."""
    return Places(np.zeros((0, 3)), np.zeros((0, 3)), np.zeros(0, dtype=np.int64))


@dataclass(frozen=True, slots=True)
class Trouble:
    """A wanted place (3,) that was moved or dropped, and why."""

    place: tuple[float, float, float]
    moved: bool
    why: str


@dataclass(slots=True, eq=False)
class Surface:
    """The faces of a feature: what lies on them, how far from their borders, and places to choose from."""

    model: CadModel
    projector: Projector
    feature: FeatureToTouch
    _border: dict[float, Points] = field(default_factory=dict)

    def on_it(self, points: Points, reach: float = _ON_FACE) -> tuple[Places, Mask]:
        """Return points (n, 3) put onto the part, and which (n,) lie on the trimmed faces, at most `reach` mm off."""
        found = self.projector.deviations(np.ascontiguousarray(points))
        there = np.isin(found.face, self.feature.faces) & ~found.on_edge & (np.abs(found.distance) < reach)
        normals = np.asarray(found.normals, dtype=np.float64)
        return Places(found.feet, normals, np.full(len(points), -1, dtype=np.int64)), there

    def inside(self, points: Points, margin: float) -> Mask:
        """Tell which points (n, 3) on the faces are at least `margin` mm from their border."""
        from scipy.spatial import cKDTree

        spacing = float(np.clip(margin / 3, 0.1, 1.0))
        if spacing not in self._border:
            self._border[spacing] = border_samples(self.model, self.feature.faces, spacing)
        border = self._border[spacing]
        if not len(border) or not len(points):
            return np.ones(len(points), dtype=bool)
        return np.asarray(cKDTree(border).query(points)[0] >= margin - 0.01)

    def candidates(self, margin: float) -> tuple[Places, float]:
        """Return places to choose from, and the margin that they keep: on narrow faces less than was asked for.

        Raises
        ------
        DeviceError
            The faces have no place that far from their borders.
        """
        f = None if self.feature.nominal is None else self.feature.nominal.feature
        if isinstance(f, Cylinder | Cone):
            low, high = self.heights(f)
            wanted = self.around(f, np.linspace(low + 0.02 * (high - low), high - 0.02 * (high - low), _ROWS))
        else:
            wanted = AreaSamples(self.model, self.feature.faces).cells(SPREAD)
        every, there = self.on_it(wanted)
        every = every.at(there)
        for room in (margin, margin / 2, margin / 4):
            far = self.inside(every.points, room)
            if far.sum() >= 6:
                return every.at(far), room
        raise DeviceError("its faces are too narrow to touch between their borders")

    def corners(self) -> Points:
        """Return the vertices (n, 3) of its facets."""
        mesh = self.model.mesh
        return mesh.vertices[np.unique(mesh.triangles[np.isin(mesh.triangle_face, self.feature.faces)])]

    def heights(self, f: Cylinder | Cone) -> tuple[float, float]:
        """Return where its faces begin and end along its axis."""
        axis = axis_of(f)
        assert axis is not None
        along = (self.corners() - axis.point) @ axis.direction
        return float(along.min()), float(along.max())

    def outer_is_high(self, f: Cylinder | Cone) -> bool:
        """Tell whether the outer end of a turned feature, farther from the middle of the part, is the upper."""
        axis = axis_of(f)
        assert axis is not None
        low, high = self.heights(f)
        middle = float((self.model.box.mean(axis=0) - axis.point) @ axis.direction)
        return abs(high - middle) >= abs(low - middle)

    def around(self, f: Cylinder | Cone, levels: Floats, angles: Floats | None = None) -> Points:
        """Return places around the axis at heights (n,), at each at the same angles (m,) rad: (n * m, 3)."""
        axis = axis_of(f)
        assert axis is not None
        if angles is None:
            angles = np.linspace(0, 2 * np.pi, _AROUND, endpoint=False)
        x = any_perpendicular(axis.direction)
        ring = np.cos(angles)[:, None] * x + np.sin(angles)[:, None] * np.cross(axis.direction, x)
        radius = (
            np.full(len(levels), f.radius) if isinstance(f, Cylinder) else np.abs(levels) * np.tan(f.half_angle_rad)
        )
        return np.vstack([axis.point + h * axis.direction + r * ring for h, r in zip(levels, radius, strict=True)])

    def arc(self, axis: Line) -> tuple[float, float]:
        """Return from which angle on, and how far (rad), it goes round an axis; a little within its ends."""
        x = any_perpendicular(axis.direction)
        off = self.corners() - axis.point
        turns = np.sort(np.arctan2(off @ np.cross(axis.direction, x), off @ x))
        gaps = np.diff(turns, append=turns[0] + 2 * np.pi)
        widest = int(np.argmax(gaps))
        if gaps[widest] < np.radians(40.0):
            return 0.0, 2 * np.pi
        span = 2 * np.pi - float(gaps[widest])
        return float(turns[(widest + 1) % len(turns)] + 0.05 * span), 0.9 * span


def well_spread(points: Points, count: int) -> Ints:
    """Return rows of points that are as far from each other as can be, in an order in which each next one is near."""
    return _walk(points, _farthest(points, count))


def _farthest(points: Points, count: int) -> Ints:
    """Return rows of points that are far from each other: each next one the farthest from those before."""
    chosen = [int(np.argmax(np.linalg.norm(points - points.mean(axis=0), axis=1)))]
    distance = np.linalg.norm(points - points[chosen[0]], axis=1)
    while len(chosen) < min(count, len(points)):
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
