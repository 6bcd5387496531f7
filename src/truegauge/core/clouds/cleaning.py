"""Carrying out the steps of a recipe: which points are left out."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Mask, Normals, Points
from truegauge.core.cad.projection import Deviations
from truegauge.core.clouds.normals import estimated_normals, flatness_within
from truegauge.core.clouds.recipe import (
    CropBox,
    CropDistance,
    CropNormal,
    CropOutline,
    Islands,
    Outliers,
    Recipe,
    Step,
    ThinByCurvature,
    ThinEvenly,
    inside_outline,
)
from truegauge.core.clouds.spatial import cells_of, thinned_to_middles
from truegauge.core.progress import Progress, part_of, silent


@dataclass(frozen=True, slots=True, eq=False)
class Cleaned:
    """`kept` (n,) marks the points that stay; `left_out` tells for each step how many it took away."""

    kept: Mask
    left_out: tuple[int, ...]


def clean(
    points: Points, recipe: Recipe, *, normals: Normals | None = None, spacing: float = 0.0,
    found: Deviations | None = None, among: Mask | None = None, progress: Progress = silent,
) -> Cleaned:  # fmt: skip
    """Carry out steps one after the other; each sees only what the steps before it kept.

    Parameters
    ----------
    points : (n, 3) float64
        In a spatial order, mm: in scan coordinates for steps before the alignment, else in part coordinates.
    normals : (n, 3) float64, optional
        Normals that came with the points; estimated where a step needs them.
    spacing : float
        Typical distance of neighbours, mm.
    found : Deviations, optional
        Deviations of the points, for steps that compare with the part.
    among : (n,) bool, optional
        The points that are there to begin with.
    """
    kept = np.ones(len(points), dtype=bool) if among is None else among.copy()
    left_out = []
    for k, step in enumerate(recipe):
        progress(k / len(recipe), step.kind)
        before = int(kept.sum())
        if step.active and before:
            rows = np.flatnonzero(kept)
            stays = _stays(
                step, points[rows], None if normals is None else normals[rows], spacing, found, rows,
                part_of(progress, k / len(recipe), (k + 1) / len(recipe)),
            )  # fmt: skip
            kept[rows[~stays]] = False
        left_out.append(before - int(kept.sum()))
    return Cleaned(kept, tuple(left_out))


def _stays(
    step: Step, points: Points, normals: Normals | None, spacing: float, found: Deviations | None, rows: np.ndarray,
    progress: Progress,
) -> Mask:  # fmt: skip
    match step:
        case Outliers():
            return _near_others(points, step.neighbours, step.factor, progress)
        case Islands():
            return _in_large_islands(points, step.gap, step.smallest)
        case ThinEvenly():
            return _marked(len(points), thinned_to_middles(points, step.spacing))
        case ThinByCurvature():
            return _thinned_by_curvature(points, step, progress)
        case CropBox():
            inside = ((points >= np.array(step.low)) & (points <= np.array(step.high))).all(axis=1)
            return np.asarray(inside == step.keep)
        case CropOutline():
            return np.asarray(inside_outline(points, step) == step.keep)
        case CropDistance():
            assert found is not None
            return np.asarray((found.face[rows] >= 0) & (np.abs(found.distance[rows]) <= step.farthest))
        case CropNormal():
            assert found is not None
            return _not_turned(points, normals, found, rows, step.largest, progress)


def _marked(count: int, rows: np.ndarray) -> Mask:
    mask = np.zeros(count, dtype=bool)
    mask[rows] = True
    return mask


def _near_others(points: Points, neighbours: int, factor: float, progress: Progress) -> Mask:
    """Compare each point's distance to its neighbours with the median; the spread by the median deviation."""
    from scipy.spatial import cKDTree

    if len(points) <= neighbours:
        return np.ones(len(points), dtype=bool)
    tree = cKDTree(points, balanced_tree=False, compact_nodes=False)
    far = np.empty(len(points))
    piece = 200_000
    for start in range(0, len(points), piece):
        progress(start / len(points), "outliers")
        part = points[start : start + piece]
        far[start : start + piece] = tree.query(part, k=neighbours + 1, workers=2)[0][:, -1]
    middle = float(np.median(far))
    spread = 1.4826 * float(np.median(np.abs(far - middle)))
    return far <= middle + factor * max(spread, 0.3 * middle)


def _in_large_islands(points: Points, gap: float, smallest: int) -> Mask:
    """Join the cubes of side gap / 2 that touch (26 neighbours); an island is what hangs together so."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    cells, inverse, counts, grid = cells_of(points, gap / 2)
    pairs = []
    _, ny, nz = grid
    for dx, dy, dz in ((1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 0), (1, -1, 0), (1, 0, 1), (1, 0, -1), (0, 1, 1),
                       (0, 1, -1), (1, 1, 1), (1, 1, -1), (1, -1, 1), (1, -1, -1)):  # fmt: skip
        there = cells + (dx * ny + dy) * nz + dz
        at = np.searchsorted(cells, there)
        at[at == len(cells)] = 0
        hit = np.flatnonzero(cells[at] == there)
        pairs.append(np.column_stack([hit, at[hit]]))
    joined = np.vstack(pairs)
    graph = coo_matrix((np.ones(len(joined), dtype=np.int8), (joined[:, 0], joined[:, 1])), (len(cells),) * 2)
    _, island = connected_components(graph, directed=False)
    size = np.bincount(island, weights=counts)
    return np.asarray(size[island][inverse] >= smallest)


def _thinned_by_curvature(points: Points, step: ThinByCurvature, progress: Progress) -> Mask:
    """Thin to the fine spacing, find where that is flat, and thin the flat part to the coarse spacing."""
    fine = thinned_to_middles(points, step.fine)
    sag: Floats = flatness_within(points[fine], step.coarse, progress)
    flat = sag <= step.sag
    kept = np.concatenate([fine[~flat], fine[flat][thinned_to_middles(points[fine[flat]], step.coarse)]])
    return _marked(len(points), kept)


def _not_turned(
    points: Points, normals: Normals | None, found: Deviations, rows: np.ndarray, largest: float, progress: Progress
) -> Mask:
    surface = found.normals[rows]
    if normals is None:
        # The side of an estimated normal is not known: only its direction is compared.
        product = np.abs(np.einsum("ij,ij->i", estimated_normals(points, progress=progress), surface))
    else:
        product = np.einsum("ij,ij->i", normals, surface)
        product = np.where((normals == 0).all(axis=1), 1.0, product)
    near = (found.face[rows] >= 0) & ~found.on_edge[rows]
    return np.asarray(~near | (product >= np.cos(np.radians(largest))))
