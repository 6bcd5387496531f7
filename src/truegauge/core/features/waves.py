"""Waves over a feature: how its surface is written (`core.features.surface_estimate`), and down to which wavelength."""

from dataclasses import dataclass

import numpy as np
from numpy.polynomial.legendre import legvander
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Points
from truegauge.core.association.features import Cone, Cylinder, Feature, Plane, Sphere, Torus
from truegauge.core.features.surface_estimate import Cells
from truegauge.core.filters.form_map import coordinates_on

_MOST_AROUND = 15  # undulations around an axis (ISO 12181-2: 15 UPR)
_MOST_ALONG, _MOST_OVER = 6, 16  # orders along an axis; over each side of a face
_AROUND_CELLS, _ALONG_CELLS, _OVER_CELLS = 96, 16, 56
_IN_CELL = 4  # points that a cell holds on average
_FOR_A_WAVE = 3  # cells
_BALL_DEGREE = 5
_POLYNOMIAL = 3
_MOST_VALUES = 8_000_000
Matrix = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class FeatureWaves:
    """The coordinates of points on a feature, and the waves over them.

    `u` and `v` (n,) run from 0 to 1; around an axis `u` closes. `orders` (p, 3): order in u, its phase (0 cosine, 1
    sine), order in v (`along_a_side`). `own` of the first are the freedoms of the feature. `wavelength` says in words
    how fine it is.
    """

    u: Floats
    v: Floats
    toward: Points | None  # of a ball: directions in place of coordinates
    closed: bool
    orders: Ints
    own: int
    cells: Cells
    wavelength: str
    span: tuple[float, float, float, float] = (0.0, 1.0, 0.0, 1.0)  # where u and v begin and how far they reach

    def at(self, rows: Ints) -> Matrix:
        """Return the waves (m, p) at some of the points."""
        if self.toward is not None:
            return _ball_waves(self.toward[rows])
        return self.over(self.u[rows], self.v[rows])

    def at_means(self, counts: Floats, fine: Ints, used: Ints) -> Matrix:
        """Return the means of the waves (cells, p) over the points of each cell.

        Of very many points the waves at their mean coordinates: in cells so small they hardly differ.
        """
        if len(used) * max(len(self.orders), 1) <= _MOST_VALUES:
            return means_in_groups(self.at(used), fine, len(counts))
        counts = np.maximum(counts, 1.0)

        def mean(values: Floats) -> Floats:
            return np.asarray(np.bincount(fine, weights=values, minlength=len(counts)) / counts)

        if self.toward is not None:
            middle = np.column_stack([mean(self.toward[used, k]) for k in range(3)])
            length = np.linalg.norm(middle, axis=1, keepdims=True)
            return _ball_waves(middle / np.maximum(length, 1e-12))
        return self.over(mean(self.u[used]), mean(self.v[used]))

    def over(self, u: Floats, v: Floats) -> Matrix:
        """Return the waves (m, p) at places (m,) from 0 to 1."""
        order, phase, along = self.orders.T
        second = along_a_side(v, int(along.max(initial=0)))
        found = np.empty((len(u), len(order)))
        for kind, first in enumerate(self._first(u)):
            found[:, phase == kind] = first[:, order[phase == kind]]
        found *= second[:, along]
        return found

    def sums(self, coefficients: Floats) -> Floats:
        """Return the sum of the waves (n,) at all points, each times its coefficient (p,).

        Waves are products of what is written along u and along v, so that none of them has to be written out.
        """
        if self.toward is not None:
            return np.asarray(_ball_waves(self.toward) @ coefficients)
        order, phase, along = self.orders.T
        second = along_a_side(self.v, int(along.max(initial=0)))
        found = np.zeros(len(self.u))
        for kind, first in enumerate(self._first(self.u)):
            table = np.zeros((first.shape[1], second.shape[1]))
            of_kind = phase == kind
            np.add.at(table, (order[of_kind], along[of_kind]), coefficients[of_kind])
            found += np.einsum("ij,ij->i", first @ table, second)
        return found

    def _first(self, u: Floats) -> tuple[Matrix, ...]:
        """Return what is written along u (m, orders), for each phase."""
        most = int(self.orders[:, 0].max(initial=0))
        if not self.closed:
            return (along_a_side(u, most),)
        turn = 2 * np.pi * u[:, None] * np.arange(most + 1)
        return np.cos(turn), np.sin(turn)


def feature_waves(feature: Feature, points: Points, least: float) -> FeatureWaves | None:
    """Return the waves over a feature for points (n, 3); None for a shape that has none, or too few points.

    Parameters
    ----------
    least : float
        The side of the smallest cells, mm.
    """
    if not isinstance(feature, Plane | Cylinder | Cone | Sphere | Torus) or len(points) < 12 * _IN_CELL:
        return None
    u, v, closed = coordinates_on(feature, points)
    wide = 2 * np.pi if closed else float(np.ptp(u)) or 1.0
    high = float(np.ptp(v)) or 1.0
    low, lowest = -np.pi if closed else float(u.min()), float(v.min())
    u, v = (u - low) / wide, (v - lowest) / high
    around = wide * _radius(feature, points) if closed else wide
    columns, rows = _grid(len(points), around, high, least, closed=closed)
    cells = grid_cells(u, v, columns, rows)
    if isinstance(feature, Sphere):
        off = points - feature.center
        toward = off / np.linalg.norm(off, axis=1, keepdims=True)
        said = f"{2 * np.pi * feature.radius / _BALL_DEGREE:.1f} mm"
        return FeatureWaves(u, v, toward, False, np.zeros((0, 3), dtype=np.int64), 4, cells, said)
    most = cells.count / _FOR_A_WAVE
    first = _MOST_AROUND if closed else min(_MOST_OVER, int(around / least))
    second = min(_MOST_ALONG if closed else _MOST_OVER, int(high / least))
    orders, own = _orders(first, max(second, 1), closed=closed, cone=isinstance(feature, Cone))
    while len(orders) > most and (first > 2 or second > 1):
        first, second = max(2, int(0.85 * first)), max(1, int(0.85 * second))
        orders, own = _orders(first, second, closed=closed, cone=isinstance(feature, Cone))
    if closed:
        said = f"{first} undulations around, {_wave(high, second)} mm along"
    else:
        said = f"{_wave(wide, first)} x {_wave(high, second)} mm"
    return FeatureWaves(u, v, None, closed, orders, own, cells, said, (low, wide, lowest, high))


def along_a_side(place: Floats, order: int) -> Matrix:
    """Return what is written along a side (n, order + 1), places from 0 to 1: the longest first.

    Polynomials up to the third degree, then cosines: those have no slope at the ends, which the polynomials bring, and
    polynomials of high degree would be wild there.
    """
    low = legvander(2 * place - 1, min(order, _POLYNOMIAL))
    more = np.arange(_POLYNOMIAL + 1, order + 1) - 1
    return np.hstack([low, np.cos(np.pi * place[:, None] * more)])


def means_in_groups(values: Matrix, group: Ints, count: int) -> Matrix:
    """Return the means (count, p) of rows (n, p) over groups (n,); zeros where a group is empty."""
    order = np.argsort(group, kind="stable")
    sizes = np.bincount(group, minlength=count)
    there = np.flatnonzero(sizes)
    begin = np.concatenate([[0], np.cumsum(sizes[there])[:-1]])
    found = np.zeros((count, values.shape[1]))
    found[there] = np.add.reduceat(values[order], begin, axis=0) / sizes[there, None]
    return found


def _wave(length: float, order: int) -> str:
    """Return the shortest wave along a side, mm."""
    return f"{2 * length / max(order - 1, 1):.1f}"


def _radius(feature: Feature, points: Points) -> float:
    if isinstance(feature, Cone):
        local = (points - feature.pose.origin) @ feature.pose.axes.T
        return float(np.hypot(local[:, 0], local[:, 1]).mean())
    values = feature.parameters
    return float(values.get("radius", values.get("major_radius", 1.0)))


def _grid(count: int, wide: float, high: float, least: float, *, closed: bool) -> tuple[int, int]:
    """Return columns and rows of cells that hold some points each."""
    most = max(12.0, count / _IN_CELL)
    columns, rows = (_AROUND_CELLS, _ALONG_CELLS) if closed else (_OVER_CELLS, _OVER_CELLS)
    if not closed:
        columns, rows = min(columns, max(3, int(2 * wide / least))), min(rows, max(3, int(2 * high / least)))
    shrink = np.sqrt(min(1.0, most / (columns * rows)))
    columns, rows = max(6 if closed else 3, int(columns * shrink)), max(2, int(rows * shrink))
    return columns, rows


def grid_cells(u: Floats, v: Floats, columns: int, rows: int) -> Cells:
    """Return the cells of points on a grid over 0 to 1, and blocks of three by three; empty cells are left out."""
    i = np.clip((u * columns).astype(np.int64), 0, columns - 1)
    j = np.clip((v * rows).astype(np.int64), 0, rows - 1)
    found, fine = np.unique(j * columns + i, return_inverse=True)
    across = (columns + 2) // 3
    block = (found // columns) // 3 * across + (found % columns) // 3
    _, block_of = np.unique(block, return_inverse=True)
    return Cells(fine.ravel(), block_of.ravel(), found, columns, rows)


def _orders(first: int, second: int, *, closed: bool, cone: bool) -> tuple[Ints, int]:
    """Return the orders of the waves, the freedoms of the feature first, then by their fineness."""
    made = []
    for m in range(first + 1):
        for k in range(second + 1):
            fineness = (m / (first + 0.5)) ** 2 + (k / (second + 0.5)) ** 2
            if fineness <= 1:
                made += [(fineness, m, phase, k) for phase in ((0, 1) if closed and m else (0,))]
    made.sort()
    orders = [(m, phase, k) for _, m, phase, k in made]
    own = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (1, 0, 1), (1, 1, 1)] if closed else [(0, 0, 0), (1, 0, 0), (0, 0, 1)]
    if cone:
        own.append((0, 0, 1))
    rest = [o for o in orders if o not in own]
    return np.array(own + rest, dtype=np.int64), len(own)


def _ball_waves(toward: Points) -> Matrix:
    """Return products of the components of directions up to a degree: they span the spherical harmonics."""
    x, y, z = toward.T
    waves = [np.ones(len(x)), x, y, z]
    for degree in range(2, _BALL_DEGREE + 1):
        waves += [x**i * y**j * z ** (degree - i - j) for i in range(degree + 1) for j in range(degree + 1 - i)]
    return np.column_stack(waves)
