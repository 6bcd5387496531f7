"""Places along lines: straight over a face, a helix, rows round a tube; and those of each side of a slot."""

import contextlib
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector, any_perpendicular, unit
from truegauge.core.association.features import Cone, Cylinder, Torus
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.constructions.parts import axis_of
from truegauge.core.errors import DeviceError
from truegauge.core.routes.places import Places, Surface, asked_at, well_spread
from truegauge.core.routes.strategies import Helix, Rings, Sides, StraightLine, Trace

MOST_TRACED = 2000
_SAMPLED = 600  # places of a line at which it is asked whether the face is there
_REACH = 3.0  # mm that a place of a line is brought onto a curved face


def turns_of(strategy: Rings, begin: float, span: float, row: int, length: float) -> Floats:
    """Return the angles (n,) rad of a row; `span` is how far the surface goes round, `length` of the row in mm."""
    count = strategy.touches
    if strategy.trace is not None:
        count = int(np.clip(length / strategy.trace.spacing, count, MOST_TRACED // strategy.rows))
    sweep = min(np.radians(strategy.sweep_deg), span)
    whole = sweep > 2 * np.pi - 1e-9
    start = begin + np.radians(strategy.start_deg)
    if whole:
        step = 2 * np.pi / count
        shift = 0.5 * step if row % 2 and strategy.trace is None else 0.0
        return np.asarray(start + shift + step * np.arange(count))
    return np.asarray(start + (np.linspace(0, sweep, count) if count > 1 else np.array([sweep / 2])))


@dataclass(frozen=True, slots=True, eq=False)
class Lie:
    """How a face lies: its middle and mean normal, and the two directions (3,) in which it extends most."""

    middle: Vector
    normal: Vector
    u: Vector
    v: Vector

    @staticmethod
    def of(candidates: Places, corners: Points, turn: float) -> "Lie":
        """Return how a face lies by places on it and its corners; the directions turned by an angle (rad)."""
        middle, normal = candidates.points.mean(axis=0), candidates.normals.mean(axis=0)
        normal = unit(normal) if np.linalg.norm(normal) > 1e-6 else np.array([0.0, 0.0, 1.0])
        off = corners - middle
        along = _longest(off - np.outer(off @ normal, normal), normal)
        across = np.cross(normal, along)
        u, v = np.cos(turn) * along + np.sin(turn) * across, np.cos(turn) * across - np.sin(turn) * along
        return Lie(middle, normal, u, v)

    def onto(self, candidates: Places, flat: Points) -> Points:
        """Return points (n, 3) of its plane shifted along the normal to the height of the nearest place on the face."""
        from scipy.spatial import cKDTree

        axes, off = np.column_stack([self.u, self.v]), candidates.points - self.middle
        near = cKDTree(off @ axes).query((flat - self.middle) @ axes)[1]
        return np.asarray(flat + np.outer((off @ self.normal)[near], self.normal))


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


def traced_count(trace: Trace | None, touches: int, length: float) -> int:
    """Return how many places there are on a line: those of its trace, where it has one."""
    return touches if trace is None else int(np.clip(length / trace.spacing + 1, 2, MOST_TRACED))


def line_over(surface: Surface, strategy: StraightLine, candidates: Places) -> Places:
    """Return places along a straight line over the face, evenly by its length on the face."""
    f = None if surface.feature.nominal is None else surface.feature.nominal.feature
    turn = np.radians(strategy.turned_deg)
    if isinstance(f, Cylinder | Cone):
        low, high = surface.heights(f)
        axis = axis_of(f)
        assert axis is not None
        way = surface.around(f, np.linspace(low, high, _SAMPLED), np.array([surface.arc(axis)[0] + turn]))
    else:
        lie = Lie.of(candidates, surface.corners(), turn)
        off = surface.corners() - lie.middle
        t = np.linspace(float((off @ lie.u).min()), float((off @ lie.u).max()), _SAMPLED)
        way = lie.onto(candidates, lie.middle + strategy.shift * lie.v + t[:, None] * lie.u)
    on, there = surface.on_it(way, _REACH)
    if not there.any():
        return asked_at(way[:0])
    # Over holes the line goes on straight: what lies there is moved, or told, as with any other strategy.
    every = np.where(there[:, None], on.points, way)
    points = every[int(np.argmax(there)) : _SAMPLED - int(np.argmax(there[::-1]))]
    run = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(points, axis=0), axis=1))])
    inset = min(strategy.pulled_in, 0.5 * run[-1])
    count = traced_count(strategy.trace, strategy.touches, run[-1] - 2 * inset)
    at = np.linspace(inset, run[-1] - inset, count) if count > 1 else np.array([run[-1] / 2])
    return asked_at(np.column_stack([np.interp(at, run, points[:, c]) for c in range(3)]))


def helix(surface: Surface, strategy: Helix, f: Cylinder | Cone, keep: float) -> Places:
    """Return places along a helix, evenly by its turn; `keep` mm off both ends where no numbers say otherwise."""
    axis = axis_of(f)
    assert axis is not None
    low, high = surface.heights(f)
    size = high - low
    keep = min(keep, 0.4 * size)
    first = keep if strategy.first is None else min(strategy.first, size)
    last = max(first, size - keep if strategy.last is None else min(strategy.last, size))
    down = surface.outer_is_high(f) == (strategy.end == "outer")
    begin, span = surface.arc(axis)
    sweep = span * strategy.turns
    radius = f.radius if isinstance(f, Cylinder) else abs((low + high) / 2) * float(np.tan(f.half_angle_rad))
    count = traced_count(strategy.trace, strategy.touches, float(np.hypot(radius * sweep, last - first)))
    t = np.linspace(0.0, 1.0, count)
    depth = first + t * (last - first)
    levels = high - depth if down else low + depth
    turned = np.radians(strategy.start_deg) + t * sweep
    if span < 2 * np.pi - 1e-9:  # it does not go round: to and fro over what there is
        turned = span - np.abs(turned % (2 * span) - span)
    angles = begin + turned
    return asked_at(
        np.vstack([surface.around(f, np.array([h]), np.array([a])) for h, a in zip(levels, angles, strict=True)])
    )


def rows_on_torus(surface: Surface, strategy: Rings, f: Torus) -> Places:
    """Return rows about the axis of a torus, at depths along the round of its tube."""
    axis = axis_of(f)
    assert axis is not None
    x = any_perpendicular(f.direction)
    y = np.cross(f.direction, x)
    off = surface.corners() - f.center
    round_tube = np.sort(np.arctan2(off @ f.direction, np.hypot(off @ x, off @ y) - f.major_radius))
    gaps = np.diff(round_tube, append=round_tube[0] + 2 * np.pi)
    widest = int(np.argmax(gaps))
    low, size = float(round_tube[(widest + 1) % len(round_tube)]), (2 * np.pi - float(gaps[widest])) * f.minor_radius
    first = 0.1 * size if strategy.first is None else min(strategy.first, size)
    last = max(first, 0.9 * size if strategy.last is None else min(strategy.last, size))
    depths = np.linspace(first, last, strategy.rows) if strategy.rows > 1 else np.array([(first + last) / 2])
    begin, span = surface.arc(axis)
    points, rows = [], []
    for k, d in enumerate(depths if strategy.end == "outer" else size - depths):
        angle = low + d / f.minor_radius
        radius = f.major_radius + f.minor_radius * np.cos(angle)
        turns = turns_of(strategy, begin, span, k, span * radius)
        ring = radius * (np.cos(turns)[:, None] * x + np.sin(turns)[:, None] * y)
        points.append(f.center + f.minor_radius * np.sin(angle) * f.direction + ring)
        rows.append(np.full(len(turns), k))
    return asked_at(np.vstack(points), np.concatenate(rows))


def sides(surface: Surface, strategy: Sides, margin: float) -> Places:
    """Return places of each face on its own: spread, `margin` mm from its borders."""
    points = []
    for face in surface.feature.faces:
        flat = surface.model.faces[face].surface.kind == SurfaceKind.PLANE
        count = strategy.touches if flat else strategy.ends
        if not count:
            continue
        own = Surface(surface.model, surface.projector, surface.feature.of_faces((face,)))
        with contextlib.suppress(DeviceError):  # a face too narrow for the tip is left out; the others are not
            some = own.candidates(margin)[0]
            points.append(some.points[well_spread(some.points, count)])
    return asked_at(np.vstack(points) if points else np.zeros((0, 3)))
