"""The places that a strategy asks for, and where they can really be touched."""

from dataclasses import dataclass, field

import numpy as np

from truegauge.core.arrays import Floats, Ints, Mask, Normals, Points, Vector, any_perpendicular, unit
from truegauge.core.association.features import Cone, Cylinder, Line, Plane, Sphere
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of
from truegauge.core.errors import DeviceError
from truegauge.core.features.coverage import AreaSamples
from truegauge.core.features.extraction import border_samples
from truegauge.core.routes.strategies import Border, Cap, Clicked, Grid, Placing, Rings, Spread

_SPREAD = 220  # places to choose from
_ROWS, _AROUND = 9, 36  # those of a turned feature
_ON_FACE = 0.3  # mm off the face that a wanted place may lie: its facets are not quite it
_INSET = 0.1  # of the height of a turned feature: how far rows stay off its ends
_OFF_ROW = 0.1  # of that height: places farther from the height of their row do not belong to it
_MOST_TRACED = 2000


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


@dataclass(frozen=True, slots=True, eq=False)
class Places:
    """Places (n, 3) on the surface and its outward normals (n, 3), part coordinates; in the order of touching.

    `rows` (n,) number the rings around an axis that they belong to, -1 for a place of its own.
    """

    points: Points
    normals: Normals
    rows: Ints

    def __len__(self) -> int:
        return len(self.points)

    def at(self, rows: Mask | Ints) -> "Places":
        """Return some of them."""
        return Places(self.points[rows], self.normals[rows], self.rows[rows])


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
            wanted = AreaSamples(self.model, self.feature.faces).cells(_SPREAD)
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


def wanted_places(surface: Surface, strategy: Placing, candidates: Places, margin: float) -> Places:
    """Return the places (part coordinates) that a strategy asks for; some may lie off the faces, or near a border."""
    f = None if surface.feature.nominal is None else surface.feature.nominal.feature
    match strategy:
        case Clicked():
            points = np.array([p for p, _ in strategy.places])
            normals = np.array([unit(n) for _, n in strategy.places])
            return Places(points, normals, np.full(len(points), -1, dtype=np.int64))
        case Rings() if isinstance(f, Cylinder | Cone):
            return _rows_around(surface, strategy, f, margin)
        case Rings() if isinstance(f, Plane):
            return _rings_on_plane(surface, strategy, f, candidates)
        case Cap() if isinstance(f, Sphere):
            return _cap(strategy, f, candidates)
        case Border():
            return _along_border(surface, strategy)
        case Grid():
            return _grid(strategy, candidates, surface.corners())
        case Spread() | Cap() | Rings():
            count = strategy.touches if not isinstance(strategy, Rings) else strategy.touches * strategy.rows
            return candidates.at(well_spread(candidates.points, count))


def _plain(points: Points, rows: Ints | None = None) -> Places:
    """Return places whose normals are asked from the part later."""
    return Places(points, np.zeros((len(points), 3)), np.full(len(points), -1) if rows is None else rows)


def _turns(strategy: Rings, begin: float, span: float, row: int, length: float) -> Floats:
    """Return the angles (n,) rad of a row; `span` is how far the surface goes round, `length` of the row in mm."""
    count = strategy.touches
    if strategy.trace is not None:
        count = int(np.clip(length / strategy.trace.spacing, count, _MOST_TRACED // strategy.rows))
    sweep = min(np.radians(strategy.sweep_deg), span)
    whole = sweep > 2 * np.pi - 1e-9
    start = begin + np.radians(strategy.start_deg)
    if whole:
        step = 2 * np.pi / count
        shift = 0.5 * step if row % 2 and strategy.trace is None else 0.0
        return np.asarray(start + shift + step * np.arange(count))
    return np.asarray(start + (np.linspace(0, sweep, count) if count > 1 else np.array([sweep / 2])))


def _rows_around(surface: Surface, strategy: Rings, f: Cylinder | Cone, margin: float) -> Places:
    axis = axis_of(f)
    assert axis is not None
    low, high = surface.heights(f)
    outer_high = surface.outer_is_high(f)
    size = high - low
    keep = min(max(_INSET * size, min(margin, 0.4 * size)), 0.5 * size)
    first = keep if strategy.first is None else min(strategy.first, size)
    last = size - keep if strategy.last is None else min(strategy.last, size)
    depths = _between(first, last, strategy)
    from_outer = strategy.end == "outer"
    levels = high - depths if outer_high == from_outer else low + depths
    begin, span = _arc(surface.corners(), axis)
    points, rows = [], []
    for k, level in enumerate(levels):
        turns = _turns(strategy, begin, span, k, span * _radius_at(f, float(level)))
        points.append(surface.around(f, np.array([level]), turns))
        rows.append(np.full(len(turns), k))
    return _plain(np.vstack(points), np.concatenate(rows))


def _between(first: float, last: float, strategy: Rings) -> Floats:
    """Return where the rows lie (n,); one alone at its number, if it has one, else in the middle."""
    if strategy.rows == 1:
        return np.array([first if strategy.first is not None else (first + last) / 2])
    return np.linspace(first, max(first, last), strategy.rows)


def _radius_at(f: Cylinder | Cone, height: float) -> float:
    return f.radius if isinstance(f, Cylinder) else abs(height) * float(np.tan(f.half_angle_rad))


def _arc(corners: Points, axis: Line) -> tuple[float, float]:
    """Return from which angle on, and how far (rad), a surface goes round an axis; a little within its ends."""
    x = any_perpendicular(axis.direction)
    off = corners - axis.point
    turns = np.sort(np.arctan2(off @ np.cross(axis.direction, x), off @ x))
    gaps = np.diff(turns, append=turns[0] + 2 * np.pi)
    widest = int(np.argmax(gaps))
    if gaps[widest] < np.radians(40.0):
        return 0.0, 2 * np.pi
    span = 2 * np.pi - float(gaps[widest])
    return float(turns[(widest + 1) % len(turns)] + 0.05 * span), 0.9 * span


def _rings_on_plane(surface: Surface, strategy: Rings, f: Plane, candidates: Places) -> Places:
    about = surface.feature.about
    middle = candidates.points.mean(axis=0) if about is None else about.point
    direction = f.normal if about is None else about.direction
    x = any_perpendicular(direction)
    y = np.cross(direction, x)
    off = candidates.points - middle
    radii = np.hypot(off @ x, off @ y)
    low, high = float(radii.min()), float(radii.max())
    size = high - low
    first = _INSET * size if strategy.first is None else min(strategy.first, size)
    last = (1 - _INSET) * size if strategy.last is None else min(strategy.last, size)
    points, rows = [], []
    for k, d in enumerate(_between(first, last, strategy)):
        radius = high - d if strategy.end == "outer" else low + d
        turns = _turns(strategy, 0.0, 2 * np.pi, k, 2 * np.pi * radius)
        ring = middle + radius * (np.cos(turns)[:, None] * x + np.sin(turns)[:, None] * y)
        points.append(ring - np.outer((ring - f.point) @ f.normal, f.normal))
        rows.append(np.full(len(turns), k))
    return _plain(np.vstack(points), np.concatenate(rows))


def _cap(strategy: Cap, f: Sphere, candidates: Places) -> Places:
    """Rows about the middle direction of what there is of the sphere."""
    out = (candidates.points - f.center) / f.radius
    mean = out.mean(axis=0)
    pole = unit(mean) if np.linalg.norm(mean) > 0.05 else np.array([0.0, 0.0, 1.0])
    reach = float(np.arccos(np.clip(out @ pole, -1, 1)).max()) * strategy.coverage / 100
    x = any_perpendicular(pole)
    y = np.cross(pole, x)
    angles = reach * (1 + np.arange(strategy.rows)) / strategy.rows
    share = np.sin(angles) / max(float(np.sin(angles).sum()), 1e-9)
    rest = max(strategy.touches - 1, 0)
    counts = np.floor(share * rest).astype(int)
    counts[-1] += rest - counts.sum()
    points, rows = [f.center + f.radius * pole[None]], [np.array([-1])]
    for k, (angle, count) in enumerate(zip(angles, counts, strict=True)):
        turns = np.radians(strategy.start_deg) + 2 * np.pi * (np.arange(count) + 0.5 * (k % 2)) / max(count, 1)
        ring = np.cos(angle) * pole + np.sin(angle) * (np.cos(turns)[:, None] * x + np.sin(turns)[:, None] * y)
        points.append(f.center + f.radius * ring)
        rows.append(np.full(count, k))
    return _plain(np.vstack(points), np.concatenate(rows))


def _along_border(surface: Surface, strategy: Border) -> Places:
    """Places along the border, evenly by its length, moved inwards over the face."""
    step = 0.5
    border = border_samples(surface.model, surface.feature.faces, step)
    every, there = surface.on_it(AreaSamples(surface.model, surface.feature.faces).cells(_SPREAD * 3))
    inner = every.at(there)
    inner = inner.at(surface.inside(inner.points, strategy.inset))
    if not len(inner) or not len(border):
        return inner.at(np.arange(min(len(inner), strategy.touches)))
    from scipy.spatial import cKDTree

    # Of what lies far enough inside, that which is nearest to the border.
    near = cKDTree(border).query(inner.points)[0]
    band = inner.at(near <= strategy.inset + max(2.0, 0.5 * strategy.inset))
    band = band if len(band) >= strategy.touches else inner.at(np.argsort(near)[: max(strategy.touches, 1)])
    return band.at(well_spread(band.points, strategy.touches))


def _grid(strategy: Grid, candidates: Places, corners: Points) -> Places:
    """A grid in the two directions in which the face extends most, projected onto it later."""
    middle = candidates.points.mean(axis=0)
    normal = candidates.normals.mean(axis=0)
    normal = unit(normal) if np.linalg.norm(normal) > 1e-6 else np.array([0.0, 0.0, 1.0])
    flat = corners - middle - np.outer((corners - middle) @ normal, normal)
    along = _longest(flat, normal)
    across = np.cross(normal, along)
    turn = np.radians(strategy.turned_deg)
    u, v = np.cos(turn) * along + np.sin(turn) * across, np.cos(turn) * across - np.sin(turn) * along
    at = []
    for axis, count, shift in ((u, strategy.along, strategy.shift_along), (v, strategy.across, strategy.shift_across)):
        low, high = float((flat @ axis).min()), float((flat @ axis).max())
        inset = strategy.drawn_in * (high - low)
        ends = (low + inset, high - inset)
        at.append((np.linspace(*ends, count) if count > 1 else np.array([sum(ends) / 2])) + shift)
    points = []
    for k, b in enumerate(at[1]):
        row = [middle + a * u + b * v for a in (at[0] if k % 2 == 0 else at[0][::-1])]
        points.extend(row)
    found = np.array(points)
    # Onto the surface: along the mean normal to the height of the nearest place that lies on it.
    from scipy.spatial import cKDTree

    off = candidates.points - middle
    near = cKDTree(np.column_stack([off @ u, off @ v])).query(
        np.column_stack([(found - middle) @ u, (found - middle) @ v])
    )[1]
    return _plain(found + np.outer((off @ normal)[near], normal))


def _longest(flat: Points, normal: Vector) -> Vector:
    """Return the direction (3,) in which points in a plane extend most."""
    centered = flat - flat.mean(axis=0)
    values, vectors = np.linalg.eigh(centered.T @ centered)
    along = vectors[:, -1] - (vectors[:, -1] @ normal) * normal
    if np.linalg.norm(along) < 1e-6 or values[-1] < 1.02 * values[-2]:
        along = any_perpendicular(normal)
    along = unit(along)
    k = int(np.argmax(np.abs(along)))
    return np.asarray(along if along[k] > 0 else -along)


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
