"""Order and thinning of point sets by their place in space."""

import numpy as np
from numba import njit, prange
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Mask, Points, for_reading


@njit(cache=True, nogil=True)
def _morton(points, low, scale, out):  # type: ignore[no-untyped-def]
    for i in range(points.shape[0]):
        code = np.uint64(0)
        for c in range(3):
            x = np.uint64((points[i, c] - low[c]) * scale)
            x = (x | (x << np.uint64(32))) & np.uint64(0x1F00000000FFFF)
            x = (x | (x << np.uint64(16))) & np.uint64(0x1F0000FF0000FF)
            x = (x | (x << np.uint64(8))) & np.uint64(0x100F00F00F00F00F)
            x = (x | (x << np.uint64(4))) & np.uint64(0x10C30C30C30C30C3)
            x = (x | (x << np.uint64(2))) & np.uint64(0x1249249249249249)
            code |= x << np.uint64(c)
        out[i] = code


def spatial_order(points: Points) -> Ints:
    """Return a walk through the points (n, 3) in which neighbours follow each other (Morton order)."""
    if len(points) == 0:
        return np.zeros(0, dtype=np.int64)
    low, high = points.min(axis=0), points.max(axis=0)
    scale = (2**21 - 1) / max(float((high - low).max()), 1e-300)
    codes = np.empty(len(points), dtype=np.uint64)
    _morton(for_reading(points), low, scale, codes)
    return np.argsort(codes, kind="stable")


@njit(cache=True, nogil=True)
def _number_cells(points, low, size, ny, nz, out):  # type: ignore[no-untyped-def]
    for i in range(points.shape[0]):
        x = int(np.floor((points[i, 0] - low[0]) / size)) + 1
        y = int(np.floor((points[i, 1] - low[1]) / size)) + 1
        z = int(np.floor((points[i, 2] - low[2]) / size)) + 1
        out[i] = (x * ny + y) * nz + z


@njit(cache=True, nogil=True, parallel=True)
def _gathered(points, rows, out):  # type: ignore[no-untyped-def]
    for i in prange(rows.shape[0]):
        for c in range(3):
            out[i, c] = points[rows[i], c]


def gathered(points: Points, rows: NDArray[np.integer]) -> Points:
    """Return ``points[rows]`` without holding the interpreter: a window goes on meanwhile."""
    out = np.empty((len(rows), 3))
    _gathered(for_reading(points), for_reading(rows), out)
    return out


def _cells(points: Points, size: float) -> Ints:
    """Return one integer a point, equal for points in the same cube of side `size` mm."""
    low = points.min(axis=0)
    counts = np.ceil((points.max(axis=0) - low) / size).astype(np.int64) + 3
    out = np.empty(len(points), dtype=np.int64)
    _number_cells(for_reading(points), low, size, counts[1], counts[2], out)
    return out


def thinned(points: Points, size: float) -> Ints:
    """Return the indices of one point (the first) for each occupied cube of side `size` mm."""
    _, first = np.unique(_cells(points, size), return_index=True)
    return np.sort(first)


def thinned_to(points: Points, wanted: int, size: float) -> Points:
    """Return about `wanted` of the points (n, 3), or fewer, evenly over what is scanned.

    Cubes of side `size` (mm) are tried first, then larger or smaller ones.
    """
    if len(points) <= wanted:
        return points
    sparse = points[:: max(1, len(points) // (4 * wanted))]
    for _ in range(8):
        picked = thinned(sparse, size)
        few = len(picked) < 0.6 * min(wanted, len(sparse))  # something slender fills few cubes
        if len(picked) <= 1.3 * wanted and not few:
            break
        size *= 0.7 if few else max(1.1, np.sqrt(len(picked) / wanted))
    return np.asarray(sparse[picked])


def thinned_to_middles(points: Points, size: float) -> Ints:
    """Return for each occupied cube of side `size` mm the index of the point nearest to the mean of its points."""
    if len(points) == 0:
        return np.zeros(0, dtype=np.int64)
    _, inverse, counts, _ = cells_of(points, size)
    means = np.column_stack([np.bincount(inverse, weights=points[:, k]) for k in range(3)]) / counts[:, None]
    off = ((points - means[inverse]) ** 2).sum(axis=1)
    order = np.lexsort((off, inverse))
    first = np.searchsorted(inverse[order], np.arange(len(counts)))
    return np.sort(order[first])


def cells_of(points: Points, size: float) -> tuple[Ints, Ints, Ints, tuple[int, int, int]]:
    """Return the occupied cubes of side `size` mm, the cube of each point, how many points each has, and the grid.

    Cubes are numbered (x * ny + y) * nz + z with an empty layer around, so that neighbours differ by fixed steps.
    """
    low = points.min(axis=0)
    extent = points.max(axis=0) - low
    # Beyond two million cubes an axis the numbers would overflow; no scan has that many.
    size = max(size, float(extent.max()) / 2_000_000)
    grid = np.ceil(extent / size).astype(np.int64) + 3
    numbers = np.empty(len(points), dtype=np.int64)
    _number_cells(for_reading(points), low, size, grid[1], grid[2], numbers)
    cells, inverse, counts = np.unique(numbers, return_inverse=True, return_counts=True)
    return cells, inverse.ravel(), counts, (int(grid[0]), int(grid[1]), int(grid[2]))


def typical_spacing(points: Points) -> float:
    """Return the median distance between neighbours, mm, from some runs of points in spatial order."""
    from scipy.spatial import cKDTree

    rng = np.random.default_rng(7)
    # A compact run of the spatial order keeps its neighbours; single points picked over the part would not.
    n = len(points)
    run = min(n, 1000)
    starts = rng.integers(0, max(1, n - run), size=6)
    spacings: list[Floats] = []
    for start in starts:
        piece = points[start : start + run]
        if len(piece) > 1:
            distance, _ = cKDTree(piece).query(piece, k=2)
            spacings.append(distance[:, 1])
    return float(np.median(np.concatenate(spacings))) if spacings else 0.0


def guessed_spacing(points: Points) -> float:
    """Return about the distance between neighbours, mm, from the number of points and their extent alone.

    The points are thought to lie on the outside of their box; for a proposal that must be there at once.
    """
    x, y, z = np.ptp(points[:: max(1, len(points) // 5000)], axis=0)
    return float(np.sqrt(2 * (x * y + y * z + z * x) / len(points)))


@njit(cache=True, nogil=True)
def _neighbour_counts(cells, counts, ny, nz, out):  # type: ignore[no-untyped-def]
    # Three runs of the sorted cells along z answer for one column; walk nine columns with moving starts.
    for column in range(9):
        shift = (column // 3 - 1) * ny * nz + (column % 3 - 1) * nz
        j = 0
        for i in range(cells.size):
            target = cells[i] + shift
            while j < cells.size and cells[j] < target - 1:
                j += 1
            k = j
            while k < cells.size and cells[k] <= target + 1:
                out[i] += counts[k]
                k += 1


def isolated(points: Points, spacing: float, *, fewer_than: int = 4, cell_spacings: float = 4.0) -> Mask:
    """Mark points that have hardly any company: outliers of a scanner in the air.

    A point is isolated when the 3 x 3 x 3 cubes around its own, each `cell_spacings` times the typical spacing wide,
    hold fewer than `fewer_than` points, itself included.
    """
    size = max(spacing * cell_spacings, 1e-9)
    low = points.min(axis=0)
    grid = np.ceil((points.max(axis=0) - low) / size).astype(np.int64) + 3
    if float(np.prod(grid.astype(np.float64))) > 4e18:
        return np.zeros(len(points), dtype=bool)
    cells, inverse, counts = np.unique(_cells(points, size), return_inverse=True, return_counts=True)
    around = np.zeros(len(cells), dtype=np.int64)
    _neighbour_counts(cells, counts, grid[1], grid[2], around)
    return np.asarray(around[inverse.ravel()] < fewer_than)
