"""The outline of the part on a sheet, so that what is written beside it does not cover it."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

_DIRECTIONS = 64  # a round part is taken 0.1 % larger than it is
_ANGLES = 2 * np.pi * np.arange(_DIRECTIONS) / _DIRECTIONS
_AROUND = np.column_stack([np.cos(_ANGLES), np.sin(_ANGLES)])


@dataclass(frozen=True, slots=True, eq=False)
class Silhouette:
    """How far the part reaches in every direction: `reach` (64,), in lengths of the sheet. It has no hollows."""

    reach: NDArray[np.float64]

    def meets(self, box: tuple[float, float, float, float], gap: float = 0.0) -> bool:
        """Tell whether a box (x, y, width, height) comes nearer than `gap` to the part.

        Two convex shapes are apart where a line lies between them; it is looked for in 64 directions.
        """
        x, y, width, height = box
        corners = np.array([(x, y), (x + width, y), (x, y + height), (x + width, y + height)])
        return not bool(((corners @ _AROUND.T).min(axis=0) >= self.reach + gap).any())


def silhouette_of(points: NDArray[np.float64]) -> Silhouette | None:
    """Return the outline of points (n, 2); None of none."""
    return None if len(points) == 0 else Silhouette((points @ _AROUND.T).max(axis=0))


def outermost(points: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return the points (m, 2), no more than 64, that have the outline of all."""
    return points[np.unique((points @ _AROUND.T).argmax(axis=0))] if len(points) else points
