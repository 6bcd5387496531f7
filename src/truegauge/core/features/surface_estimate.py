"""The surface behind noisy points: waves that are there beyond doubt, and places that stand out; nothing else.

An extreme of points tells the noise: it grows with their number. So of a cloud the surface itself is estimated, once,
for datums, sizes, form and zones alike. The deviations from the associated feature are written in waves down to a
stated wavelength, made orthogonal over the points that there are, the long ones first. Each coefficient then has the
noise of a single point (known from the scatter within small cells) as its standard deviation. Those that stand out of
it by `SURE` are kept as they are, all others are nothing but noise and dropped (hard thresholding: Donoho and
Johnstone, Ideal spatial adaptation by wavelet shrinkage, 1994). What the waves leave is looked at block by block and
cell by cell in the same way: a dent narrower than the wavelength stays where its mean stands out.

Of a perfect feature nothing is kept, so that its extremes are those of the associated feature: no bias is left to
correct. A wave that is there is kept whole; one of less than about ``2 SURE / sqrt(n)`` noises is not seen.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints

SURE = 4.5  # standard deviations: of a hundred waves without form one is kept in 1,500 features
_SURE_PLACE = 4.75  # of thousands of cells; what just reaches over it is shrunk to nothing
_STRAY = 6.0  # robust scales off the median of its cell
_LEAST_IN_PLACE = 4  # points in a cell that stands out by itself
_LEAST_IN_CELL = 5  # points that tell a stray among them
_DEPENDENT = 1e-3  # of its length: a wave that the points cannot tell from longer ones
Matrix = NDArray[np.float64]


@dataclass(frozen=True, slots=True, eq=False)
class Cells:
    """Points (n,) in fine cells, and these in blocks: numbers from 0, every number in use.

    Cells of a grid say which of its `columns` times `rows` places each is (`places`, row by row).
    """

    fine: Ints
    block_of: Ints
    places: Ints = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    columns: int = 0
    rows: int = 0

    @property
    def count(self) -> int:
        """How many fine cells there are."""
        return len(self.block_of)


@dataclass(frozen=True, slots=True, eq=False)
class SurfaceEstimate:
    """What was estimated: heights are ``basis(u, v) @ coefficients`` and what stands out in a cell, mm.

    `noise` (mm) is that of a single point, `kept` says how many waves stood out, `strays` (k,) which points were left
    out. `uncertain` (p, q) are combinations of the waves of unit length over the points: errors of the surface are
    ``noise * basis @ uncertain @ x`` with x of standard deviation 1.
    """

    coefficients: Floats
    uncertain: Matrix
    places: Floats  # (cells,) what stands out in each cell
    noise: float
    kept: int
    strays: Ints

    def heights(self, sums: Floats, fine: Ints) -> Floats:
        """Return the heights (m,) of the surface where the waves sum up to `sums` (m,), in the cells `fine` (m,)."""
        return np.asarray(sums + self.places[fine])


def estimate_surface(
    deviations: Floats, cells: Cells, waves: Callable[[Floats, Ints, Ints], Matrix], own: int
) -> SurfaceEstimate:
    """Estimate the surface behind deviations (n,) mm of points.

    Parameters
    ----------
    cells : Cells
        Several points each, so small that the surface is even in them.
    waves : callable
        Returns the waves (cells, p) at the means of the points of each cell, the longest first, given the counts of
        the cells, the cell of each point used, and which these are.
    own : int
        How many of the first waves are the freedoms of the associated feature: these are kept whatever they are.
    """
    strays = _strays(deviations, cells)
    used = np.setdiff1d(np.arange(len(deviations)), strays)
    fine, count = cells.fine[used], cells.count
    counts = np.bincount(fine, minlength=count).astype(np.float64)
    there = counts > 0
    with np.errstate(invalid="ignore"):
        means = np.where(there, np.bincount(fine, weights=deviations[used], minlength=count) / counts, 0.0)
    spare = len(used) - int(there.sum())
    noise = 0.0
    if spare > 0:
        noise = float(np.sqrt(((deviations[used] - means[fine]) ** 2).sum() / spare))
    basis = waves(counts, fine, used)
    weight = np.sqrt(counts)
    rows, right = basis * weight[:, None], weight * means
    q, _, chosen = _orthogonal(rows)
    standing = chosen[(np.abs(q.T @ right) > SURE * noise) | (chosen < own)]
    # Those that stand out are fitted by themselves: over points that lie unevenly a wave is never quite orthogonal to
    # the longer ones, and with these dropped a part of it would be too.
    q, r, among = _orthogonal(rows[:, standing])
    standing = standing[among]
    coefficients, uncertain = np.zeros(basis.shape[1]), np.zeros((basis.shape[1], len(standing)))
    if len(standing):
        inverse = np.linalg.solve(r, np.eye(len(standing)))
        coefficients[standing] = inverse @ (q.T @ right)
        uncertain[standing] = inverse
    left = np.where(there, means - basis @ coefficients, 0.0)
    places = _standing_out(left, counts, cells.block_of, noise)
    kept = int((standing >= own).sum())
    return SurfaceEstimate(coefficients, uncertain, places, noise, kept, strays)


def _strays(deviations: Floats, cells: Cells) -> Ints:
    """Return the points that stand off the median of their cell (of a small one: block) by many robust scales."""
    off, counts = _off_medians(deviations, cells.fine, cells.count)
    blocks = cells.block_of[cells.fine]
    wide, in_block = _off_medians(deviations, blocks, int(blocks.max(initial=-1)) + 1)
    enough = counts[cells.fine] >= _LEAST_IN_CELL
    found = np.zeros(len(deviations), dtype=bool)
    for judged, there in ((off, enough), (wide, ~enough & (in_block[blocks] >= _LEAST_IN_CELL))):
        if there.any():
            # The scale is that of all points: of a few, half of them strays, it would be theirs.
            reliable = counts[cells.fine] >= _LEAST_IN_CELL if judged is off else in_block[blocks] >= _LEAST_IN_CELL
            scale = 1.4826 * float(np.median(judged[reliable]))
            found |= there & (judged > max(_STRAY * scale, 1e-9))
    return np.flatnonzero(found)


def _off_medians(deviations: Floats, group: Ints, count: int) -> tuple[Floats, Ints]:
    """Return how far each point is off the median of its group, and how many points each group has."""
    order = np.lexsort((deviations, group))
    begin = np.searchsorted(group[order], np.arange(count))
    counts = np.diff(np.append(begin, len(order)))
    low, high = begin + np.maximum(counts - 1, 0) // 2, begin + counts // 2
    ordered, last = deviations[order], len(order) - 1
    median = (ordered[np.minimum(low, last)] + ordered[np.minimum(high, last)]) / 2
    return np.abs(deviations - median[group]), counts


def _orthogonal(rows: Matrix) -> tuple[Matrix, Matrix, Ints]:
    """Return orthonormal waves, their triangle, and which waves are left: those that are not made of longer ones."""
    lengths = np.linalg.norm(rows, axis=0)
    q, r = np.linalg.qr(rows)
    sound = np.abs(np.diag(r)) > _DEPENDENT * np.maximum(lengths[: len(r)], 1e-300)
    chosen = np.flatnonzero(sound)
    if len(chosen) < rows.shape[1]:
        q, r = np.linalg.qr(rows[:, chosen])
    return np.asarray(q), np.asarray(r), chosen


def _standing_out(left: Floats, counts: Floats, block_of: Ints, noise: float) -> Floats:
    """Return what stands out of what the waves leave: means of blocks, then of single cells."""
    blocks = int(block_of.max(initial=-1)) + 1
    in_block: Floats = np.bincount(block_of, weights=counts, minlength=blocks).astype(np.float64)
    with np.errstate(invalid="ignore", divide="ignore"):
        mean = np.where(in_block > 0, np.bincount(block_of, weights=counts * left, minlength=blocks) / in_block, 0.0)
    found = _shrunk(mean, in_block, noise)[block_of]
    single = np.where(counts >= _LEAST_IN_PLACE, _shrunk(left - found, counts, noise), 0.0)  # a point is no dent
    return np.asarray(np.where(counts > 0, found + single, 0.0))


def _shrunk(means: Floats, counts: Floats, noise: float) -> Floats:
    """Return means of so many points, less what may be noise of them: whole far above it, nothing below.

    The non-negative garrote (Breiman 1995; Gao 1998): kept as they are, those that just reach over would be extremes.
    """
    least = _SURE_PLACE * noise / np.sqrt(np.maximum(counts, 1.0))
    share = least / np.maximum(np.abs(means), 1e-3 * least + 1e-300)
    return np.asarray(means * np.maximum(0.0, 1.0 - share**2))
