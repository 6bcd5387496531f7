"""A grid around the part that knows, roughly but at once, the nearest surface point and its normal."""

from functools import lru_cache
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.shelf import Arrays, key_of

CELLS = 56  # along the longest side


class DistanceField(NamedTuple):
    """`low` corner, `step` of the cells (mm), `feet` and `normals` (nx, ny, nz, 3) at the cell centres."""

    low: NDArray[np.float64]
    step: float
    feet: NDArray[np.float32]
    normals: NDArray[np.float32]


@lru_cache(maxsize=2)
def build_field(model: CadModel, projector: Projector, *, margin_share: float = 0.25) -> DistanceField:
    """Sample the nearest surface points on a grid that is `margin_share` of the diagonal wider than the part.

    Kept for the last two parts: the next scan finds it ready.
    """
    low, high = model.box
    margin = margin_share * model.diagonal
    low, high = low - margin, high + margin
    step = float((high - low).max()) / CELLS
    counts = np.ceil((high - low) / step).astype(int)
    axes = [low[k] + (np.arange(counts[k]) + 0.5) * step for k in range(3)]
    # A snake through the grid: neighbours follow each other, which the nearest search uses.
    index = np.arange(int(np.prod(counts))).reshape(counts)
    walk = index.copy()
    walk[1::2] = walk[1::2, ::-1]
    walk[:, 1::2] = walk[:, 1::2, ::-1]
    grid = np.stack(np.meshgrid(*axes, indexing="ij"), axis=-1).reshape(-1, 3)

    def made() -> Arrays:
        found, shape = projector.deviations(grid, order=walk.ravel()), (*counts, 3)
        return {"feet": found.feet.astype(np.float32).reshape(shape),
                "normals": found.normals.astype(np.float32).reshape(shape)}  # fmt: skip

    of = key_of(model.key, model.mesh.vertices, model.mesh.triangles, margin_share, CELLS)
    kept = projector.shelf.take("field", of, made)
    return DistanceField(low, step, kept["feet"], kept["normals"])
