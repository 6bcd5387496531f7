"""The measured curve of a section: its nominal one, where that was put, with the deviations laid on it smoothly.

Edges turn within tenths of a millimetre where points are a tenth apart and off by noise: a curve through the points
tells no edge. What differs from the nominal is smooth there, too. It is a penalised spline along the nominal, finer
where that turns (Eilers and Marx 1996); how smooth, generalised cross-validation tells; strays lose their weight.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numba import njit

from truegauge.core.blades.profile import Profile
from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask

_MOST, _LEAST = 100, 24  # pieces of the spline
_OF_EDGE = 16.0  # more of them in half a turn
_POINTS, _FEWEST = 4, 1.0  # a piece; at least, on an edge
_STRAY = 4.685  # robust scales off from which a point counts for nothing (Tukey's biweight)
_FINEST = 2e-3  # mm: no noise is finer, where strays are told from the rest
_TURNS = 4
_NEIGHBOURS = 15
_LOOSER = 0.1  # as stiff as cross-validation finds best: for edges, where more happens than elsewhere
_STIFFNESS = tuple(10.0 ** (np.arange(-8, 13) / 2.0))
_FINE = 900  # places of the measured curve
_LEAST_POINTS = 30
_BREAK, _HELD = 3, 1e-3  # pieces between the sides of a corner, and how much they are held to each other
_CUT_OFF, _FREE, _SEEN = 0.1, 40, 3  # of the profile, that the end of an edge is at most; points to bend it; to move it
_AT_CORNER = 1e-7  # of the profile, that is beside a corner
_TIP = 0.01  # of the profile, that a corner lies elsewhere at most
_PARALLEL = 1e-3  # sine, from which sides meet nowhere
_ROOM = 1.2  # as far as a sharp edge moves along its sides, that these begin from it


@dataclass(frozen=True, eq=False)
class MeasuredProfile:
    """Deviations along a nominal profile: positive outside.

    `way` are parameters of the nominal (n + 1,) and how many pieces of the spline come before; `coefficients` (k,) are
    mm; `root` (k, k) times independent standard normal numbers is what they may be off by. `noise` is that of a point,
    `weights` (n,) how much each counts: 0 for strays.
    """

    nominal: Profile
    way: tuple[Floats, Floats]
    coefficients: Floats
    root: Floats
    noise: float
    weights: Floats

    def deviation(self, s: Floats, coefficients: Floats | None = None) -> Floats:
        """Return deviations (n,) mm at parameters (n,) of the nominal."""
        c = self.coefficients if coefficients is None else coefficients
        rows, values = _pieces_at(np.interp(np.mod(s, self.nominal.length), *self.way), len(c))
        return np.asarray((values * c[rows]).sum(axis=1))

    def spread(self, s: Floats) -> Floats:
        """Return what deviations at parameters (n,) may be off by: (n, k) mm, times independent normal numbers (k,)."""
        basis = _basis(np.interp(np.mod(s, self.nominal.length), *self.way), len(self.coefficients))
        return np.asarray(basis @ self.root)

    @cached_property
    def _fine(self) -> tuple[Floats, Floats, Floats, Floats]:
        """Parameters of the measured curve (m,), what gives deviations there (m, k), nominal places and normals."""
        s = _fine(self.nominal)
        basis = _basis(np.interp(np.mod(s, self.nominal.length), *self.way), len(self.coefficients))
        return s, basis, self.nominal.at(s), self.nominal.inward(s)

    def curve(self, coefficients: Floats | None = None, motion: Floats | None = None) -> Profile:
        """Return the measured curve: lying on the nominal, or moved from there by a matrix (3, 3).

        Raises
        ------
        EvaluationError
            It crosses itself: it is off by more than an edge is round; or a sharp edge is bent by more than that is.
        """
        s, basis, places, inward = self._fine
        moved = places - (basis @ (self.coefficients if coefficients is None else coefficients))[:, None] * inward
        kept, sharp = np.ones(len(s), dtype=bool), np.zeros(len(s), dtype=bool)
        for corner in self.nominal.corners:
            kept &= self._at_corner(corner, s, moved, coefficients)
            sharp[_nearest(s, corner)] = True
        made, sharp = moved[kept], sharp[kept]
        return Profile.through(made if motion is None else made @ motion[:2, :2].T + motion[:2, 2], sharp)

    def _at_corner(self, corner: float, s: Floats, moved: Floats, coefficients: Floats | None) -> Mask:
        """Put a corner where both sides meet as they are moved, and return which places (n,) there is room for."""
        beside = _AT_CORNER * self.nominal.length * np.array([-1.0, 1.0])
        sides = self.nominal.inward(corner + beside)
        off = self.deviation(corner + beside, coefficients)
        own, way = _nearest(s, corner), 0.0 * off
        if abs(np.linalg.det(sides)) > _PARALLEL:
            way = np.asarray(np.linalg.solve(sides, -off))
        place, side = self.nominal.at(np.array([corner]))[0], float(np.linalg.norm(way))
        if side > _TIP * self.nominal.length:
            raise EvaluationError(
                f"the sides of the sharp edge at ({place[0]:.2f}, {place[1]:.2f}) meet {side:.2f} mm off it: it is "
                "bent by more than it is thick, or is not seen"
            )
        moved[own] = place + way
        far = np.abs(np.mod(s - corner + self.nominal.length / 2, self.nominal.length) - self.nominal.length / 2)
        kept = far > _ROOM * side
        kept[own] = True
        return np.asarray(kept)

    def another(self, rng: np.random.Generator) -> Floats:
        """Return coefficients (k,) as another measurement might give them."""
        return np.asarray(self.coefficients + self.root @ rng.normal(size=len(self.coefficients)))


def measured_profile(nominal: Profile, s: Floats, deviations: Floats) -> MeasuredProfile:
    """Lay deviations (n,) mm of points at parameters (n,) on a nominal profile.

    Raises
    ------
    EvaluationError
        Too few points.
    """
    if len(s) < _LEAST_POINTS:
        raise EvaluationError(f"{len(s)} points are too few for a section: {_LEAST_POINTS} are the least")
    way, pieces, breaks = _way(nominal, s)
    # What is nearest to a corner itself says nothing of either side.
    usable = (~np.isin(s, nominal.corners)).astype(np.float64)
    rows, values = _pieces_at(np.interp(np.mod(s, nominal.length), *way), pieces)
    second = np.roll(np.eye(pieces), -1, axis=0) - 2 * np.eye(pieces) + np.roll(np.eye(pieces), 1, axis=0)
    for corner in breaks:  # nothing holds one side to the other
        first = int(np.floor(np.interp(corner, *way)))
        second[np.arange(first - 1, first + _BREAK + 2) % pieces] *= _HELD
    penalty = second.T @ second
    weights = usable.copy()
    stiff = 1.0
    solved: Floats = np.zeros(pieces)
    for turn in range(_TURNS):
        normal, right = _normal(rows, values, weights, deviations, pieces)
        if turn < 2:  # how smooth it is settles at once
            stiff = _stiffness(normal, right, penalty, float(weights @ np.square(deviations)), float(weights.sum()))
        solved = np.asarray(np.linalg.solve(normal + stiff * penalty, right), dtype=np.float64)
        off = _beside(s, deviations - (values * solved[rows]).sum(axis=1))
        scale = 1.4826 * float(np.median(np.abs(off[usable > 0])))
        if scale <= 1e-12:
            break
        # What a spline cannot follow of a trace without noise is no stray.
        weights = usable * np.square(np.clip(1.0 - np.square(off / (_STRAY * max(scale, _FINEST))), 0.0, None))
    used = (weights > 0).astype(np.float64)
    normal, right = _normal(rows, values, used, deviations, pieces)
    made = normal + stiff * penalty
    solved = np.asarray(np.linalg.solve(made, right), dtype=np.float64)
    inverse = np.linalg.inv(made)
    freedoms = float(np.einsum("ij,ji->", inverse, normal))
    left = float(used @ np.square(deviations - (values * solved[rows]).sum(axis=1)))
    noise = float(np.sqrt(left / max(1.0, used.sum() - freedoms)))
    # With the prior that it is as smooth as it was found to be, this holds what smoothing takes off, too (Wahba 1983).
    root = np.asarray(noise * np.linalg.cholesky((inverse + inverse.T) / 2), dtype=np.float64)
    return MeasuredProfile(nominal, way, solved, root, noise, used)


def _nearest(s: Floats, corner: float) -> int:
    return int(np.argmin(np.abs(s - corner)))


def _beside(s: Floats, off: Floats) -> Floats:
    """Return how far (n,) each is off the median of those beside it: where the spline does not follow, all are off."""
    from scipy.ndimage import median_filter

    order = np.argsort(s)
    made = np.empty_like(off)
    made[order] = off[order] - median_filter(off[order], _NEIGHBOURS, mode="wrap")
    return made


def _way(nominal: Profile, s: Floats) -> tuple[tuple[Floats, Floats], int, Floats]:
    """Return parameters and how many pieces of the spline come before each, how many in all, and at which corners not.

    As long as some points (n,) need, and where the profile turns so that an edge has enough of them. From one side of a
    corner to the other there are pieces that nothing is in, so that they have none in common. The end of an edge that
    is cut off is moved as one where it has few points; where it has none it goes with the side before it.
    """
    count, beside = len(s), _AT_CORNER * nominal.length / 2
    ends = np.append(nominal.knots, nominal.length)
    long = max(1.0 / _MOST, _POINTS / count)
    apart = np.diff(ends)
    own = apart / (long * nominal.length) + nominal.turning * _OF_EDGE / np.pi
    # Finer than the points are apart it would be free to do anything between them.
    own = np.minimum(own, apart / (_FEWEST * nominal.length / count))
    bare = np.zeros(len(nominal.corners), dtype=bool)
    for k, corner in enumerate(nominal.corners):
        after = nominal.corners[(k + 1) % len(bare)]
        far = np.mod(after - corner, nominal.length)
        there = np.mod(s - corner, nominal.length)
        seen = int(np.count_nonzero((there > 0) & (there < far)))
        if 0 < far < _CUT_OFF * nominal.length and seen < _FREE:
            own[np.mod(ends[:-1] - corner, nominal.length) < far] = 0.0
            bare[k] = seen < _SEEN
    breaks = nominal.corners[~bare]
    pieces = max(_LEAST, round(float(own.sum())))
    share = np.append(0.0, np.cumsum(own)) * pieces / own.sum()
    at = np.sort(np.concatenate([ends, breaks + beside]))
    made = np.interp(at, ends, share)
    for corner in breaks:
        made[at > corner] += _BREAK
    return (at, made), pieces + _BREAK * len(breaks), breaks


def _stiffness(normal: Floats, right: Floats, penalty: Floats, squares: float, count: float) -> float:
    """Return how stiff the spline is: what generalised cross-validation finds best."""
    from scipy.linalg import eigh

    # In the directions of both at once every stiffness costs a sum only.
    eased = normal + 1e-9 * float(np.trace(normal)) / len(normal) * np.eye(len(normal))
    values, ways = eigh(penalty, eased)
    own = np.square(ways.T @ right)
    best, found = np.inf, 1.0
    unit = 1.0 / max(float(np.median(values[values > 1e-12 * values.max()])), 1e-300)
    for stiff in _STIFFNESS:
        shrunk = 1.0 / (1.0 + stiff * unit * np.maximum(values, 0.0))
        left = squares - float(own @ (2 * shrunk - shrunk**2))
        score = count * max(left, 0.0) / max(count - float(shrunk.sum()), 1e-3) ** 2
        if score < best:
            best, found = score, stiff * unit
    return _LOOSER * found


def _fine(nominal: Profile) -> Floats:
    """Return parameters of the measured curve: the points of the nominal, and others between them."""
    parts = max(1, int(np.ceil(_FINE / len(nominal.knots))))
    ends = np.append(nominal.knots, nominal.length)
    between = np.arange(parts) / parts
    s = (ends[:-1, None] + np.diff(ends)[:, None] * between).ravel()
    step = max(1, len(s) // (2 * _FINE))
    return np.asarray(s[::step])


def _pieces_at(share: Floats, pieces: int) -> tuple[Ints, Floats]:
    """Return which periodic cubic B-splines (n, 4) are not 0 at places (n,) counted in pieces, and their values."""
    x = np.mod(share, pieces)
    first = np.floor(x).astype(np.int64)
    t = x - first
    values = np.column_stack([(1 - t) ** 3, 3 * t**3 - 6 * t**2 + 4, -3 * t**3 + 3 * t**2 + 3 * t + 1, t**3]) / 6.0
    return (first[:, None] + np.arange(-1, 3)) % pieces, values


def _basis(share: Floats, pieces: int) -> Floats:
    """Return the values (n, pieces) of periodic cubic B-splines at places (n,) counted in pieces."""
    rows, values = _pieces_at(share, pieces)
    made = np.zeros((len(share), pieces))
    np.add.at(made, (np.arange(len(share))[:, None], rows), values)
    return made


@njit(cache=True, nogil=True)
def _normal(rows, values, weights, deviations, pieces):  # type: ignore[no-untyped-def]
    """The normal equations (k, k) and (k,) of a spline: each point has four pieces."""
    normal, right = np.zeros((pieces, pieces)), np.zeros(pieces)
    for i in range(len(weights)):
        for j in range(4):
            own = weights[i] * values[i, j]
            right[rows[i, j]] += own * deviations[i]
            for k in range(4):
                normal[rows[i, j], rows[i, k]] += own * values[i, k]
    return normal, right
