"""What of a surface is smooth: parted at creases, edges and borders, so that nothing is smoothed across them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask
    from truegauge.core.imperfections.cells import Cells

_LENGTHS = (10.0, 20.0, 30.0)  # mm to both sides: a crease turns the surface at all of them, a dent does not
_NECK = 2  # cells from both sides
TURN = 0.06  # rad between both sides that make a crease
_STEEP = np.radians(60.0)  # from the chart: farther turned surfaces are not laid out by it
_WAYS = ((0, 1), (1, 1), (1, 0), (1, -1))  # rows, columns


def smooth_parts(cells: Cells, shortest: float) -> tuple[Ints, Mask]:
    """Part cells at creases.

    Parameters
    ----------
    cells : Cells
        Of some millimetres: several points each.
    shortest : float
        mm that a crease is long at least.

    Returns
    -------
    (r, c) int
        The part of each cell, from 1, the largest first; 0 for none.
    (r, c) bool
        Cells on creases and on what is too steep.
    """
    from scipy.ndimage import binary_dilation

    known = cells.known
    u, v, there = _slopes(cells)
    steep = there & (np.hypot(u, v) > np.tan(_STEEP))
    crease = _long_ones(_creases(cells, u, v, there), cells, shortest)
    crease = binary_dilation(crease, np.ones((3, 3))) & known
    kept = known & ~crease & ~steep
    parts, count = _labelled(kept, known, cells)
    sizes = np.bincount(parts.ravel(), minlength=count + 1)
    sizes[0] = 0
    order = np.argsort(-sizes, kind="stable")
    rank = np.zeros(count + 1, dtype=np.int64)
    rank[order[sizes[order] > 0]] = np.arange(1, np.count_nonzero(sizes) + 1)
    return rank[parts], crease | steep


def _labelled(kept: Mask, known: Mask, cells: Cells) -> tuple[Ints, int]:
    """Number what hangs together by more than a narrow neck: a crease may have gaps where it meets another one."""
    from scipy.ndimage import binary_erosion, distance_transform_edt, label

    # What was not scanned is no border here.
    inner = binary_erosion(kept | ~known, np.ones((3, 3)), iterations=_NECK, border_value=1) & kept
    if not inner.any():
        inner = kept
    parts, count = label(inner)
    parts = np.asarray(parts)
    if cells.is_closed:
        parts = _joined_around(parts, count)
    far, nearest = distance_transform_edt(parts == 0, return_indices=True)
    return np.where(kept & (far <= 2.0 * _NECK), parts[tuple(nearest)], 0), count


def _slopes(cells: Cells) -> tuple[Floats, Floats, Mask]:
    """Return the slopes (r, c) along both lengths, smoothed a little, and where they are known."""
    known = cells.known
    height = np.where(known, cells.height, 0.0)
    weight = known.astype(np.float64)
    # Differences over two cells to both sides, of means of three cells across: noise is small, creases are near.
    along = _wide(height, weight, 1, cells.is_closed)
    across = _wide(height, weight, 0, cells.is_closed)
    there = along[1] & across[1]
    return along[0] / cells.size, across[0] / cells.size, there


def _wide(height: Floats, weight: Floats, axis: int, closed: bool) -> tuple[Floats, Mask]:
    top, bottom = np.zeros_like(height), np.zeros_like(height)
    there = np.ones(height.shape, dtype=bool)
    for step in (-1, 1):
        for aside in (-1, 0, 1):
            by = (aside, step) if axis == 1 else (step, aside)
            h, w = _moved(height, by, closed), _moved(weight, by, closed)
            top += step * h * w
            bottom += w
            there &= (w > 0) | (aside != 0)
    both = np.where(there, bottom / 2, 1.0)
    return np.where(there, top / np.maximum(both, 1.0) / 2, 0.0), there


def _creases(cells: Cells, u: Floats, v: Floats, there: Mask) -> Mask:
    found = np.zeros(there.shape, dtype=bool)
    for rows, columns in _WAYS:
        far = float(np.hypot(rows, columns))
        slope = (rows * v + columns * u) / far
        turns, known = [], there.copy()
        near = 2.0 * cells.size * far
        for length in (near, *_LENGTHS):
            k = max(1, round(length / (cells.size * far)))
            ahead, behind = (k * rows, k * columns), (-k * rows, -k * columns)
            known &= _moved(there, ahead, cells.is_closed) & _moved(there, behind, cells.is_closed)
            turns.append(_moved(slope, ahead, cells.is_closed) - _moved(slope, behind, cells.is_closed))
        low, high = np.min(turns[1:], axis=0), np.max(turns[1:], axis=0)
        turned = np.where(low > 0, low, np.where(high < 0, -high, 0.0))
        local = np.abs(turns[0])
        found |= known & (turned > TURN) & (local > 0.5 * turned)
    return found


def _moved(image: np.ndarray, by: tuple[int, int], closed: bool) -> np.ndarray:
    """Return an image whose cells are those so many rows and columns on; nothing beyond the ends."""
    made = np.roll(image, (-by[0], -by[1]), axis=(0, 1))
    rows, columns = image.shape
    if by[0] > 0:
        made[max(0, rows - by[0]) :] = 0
    elif by[0] < 0:
        made[: min(rows, -by[0])] = 0
    if not closed:
        if by[1] > 0:
            made[:, max(0, columns - by[1]) :] = 0
        elif by[1] < 0:
            made[:, : min(columns, -by[1])] = 0
    return made


def _long_ones(found: Mask, cells: Cells, shortest: float) -> Mask:
    from scipy.ndimage import find_objects, label

    labels, _ = label(found, np.ones((3, 3)))
    kept = np.zeros(found.shape, dtype=bool)
    for k, box in enumerate(find_objects(labels), 1):
        extent = np.hypot(*(s.stop - s.start for s in box)) * cells.size
        if extent >= shortest:
            kept[box] |= labels[box] == k
    return kept


def _joined_around(parts: Ints, count: int) -> Ints:
    """Give parts that meet where a closed surface was cut the same number."""
    same = np.arange(count + 1)
    for a, b in zip(parts[:, -1], parts[:, 0], strict=True):
        if a and b:
            low, high = sorted((same[a], same[b]))
            same[same == high] = low
    return np.asarray(same[parts])
