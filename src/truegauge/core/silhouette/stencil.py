"""The shadow of a part as a stencil: how much of another one lies where this one does not, laid on it exactly."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.silhouette.shadows import COARSE
from truegauge.core.silhouette.signature import the_part_in

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Mask
    from truegauge.core.silhouette.edges import Picture
    from truegauge.core.silhouette.lens import Lens
    from truegauge.core.silhouette.looking import Place

_ROOM = 3  # cells about the part


@dataclass(frozen=True, slots=True, eq=False)
class Stencil:
    """Cells (rows, columns) of `cell` mm from `corner` (2,) mm of the part on: surely dark ones, and surely light ones.

    Cells that an outline goes through, or the one beside, are neither.
    """

    corner: Floats
    cell: float
    dark: Mask
    light: Mask

    def off(self, picture: Picture, lens: Lens, place: Place) -> float:
        """Return how much, mm2, of what lies at a place is dark where it should be light, or light where dark."""
        few = the_part_in(picture).cells
        rows, columns = np.indices(few.shape)
        pixels = COARSE * np.column_stack([columns.ravel(), rows.ravel()]).astype(np.float64)
        at = np.floor((place.part_from_picture(lens.mm(pixels)) - self.corner) / self.cell).astype(np.int64)
        inside = np.all((at >= 0) & (at < self.dark.shape[::-1]), axis=1)
        at, seen, beyond = at[inside], few.ravel()[inside], few.ravel()[~inside]
        wrong = (seen & self.light[at[:, 1], at[:, 0]]) | (~seen & self.dark[at[:, 1], at[:, 0]])
        return float((np.count_nonzero(wrong) + np.count_nonzero(beyond)) * (COARSE * lens.pixel) ** 2)


def stencil_of(picture: Picture, lens: Lens, place: Place) -> Stencil:
    """Return the stencil of a part that lies at a place."""
    from scipy import ndimage

    few = the_part_in(picture).cells
    rows, columns = np.nonzero(few)
    pixels = COARSE * np.column_stack([columns, rows]).astype(np.float64)
    at, cell = place.part_from_picture(lens.mm(pixels)), COARSE * lens.pixel
    corner = at.min(axis=0) - _ROOM * cell
    shape = np.ceil((at.max(axis=0) + _ROOM * cell - corner) / cell).astype(np.int64)
    x, y = np.meshgrid(np.arange(shape[0]), np.arange(shape[1]))
    middles = corner + (np.column_stack([x.ravel(), y.ravel()]) + 0.5) * cell
    seen = np.rint(lens.pixels(place.picture_from_part(middles)) / COARSE).astype(np.int64)
    seen = np.clip(seen, 0, np.array(few.shape[::-1]) - 1)
    dark = few[seen[:, 1], seen[:, 0]].reshape(shape[1], shape[0])
    around = np.ones((3, 3), dtype=bool)
    return Stencil(corner, cell, ndimage.binary_erosion(dark, around), ~ndimage.binary_dilation(dark, around))
