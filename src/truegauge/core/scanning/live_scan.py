"""A scan as it comes: every point compared with the part, thinned, and put into the map."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.scanning.advice import Adviser, ScannerLimits
from truegauge.core.scanning.live_map import LiveMap
from truegauge.core.scanning.thin_grid import MOST, ThinGrid

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Floats, Ints, Points
    from truegauge.core.cad.model import CadModel
    from truegauge.core.cad.projection import Deviations, Projector
    from truegauge.core.evaluation.located import Lie

REACH = 5.0  # mm from the part that a point may be to be of it
_PIECE = 200_000
_ADVISED = 2000  # points of a block that advice goes by


class LiveScan:
    """Not safe across threads: one takes, and who shows it asks for copies."""

    def __init__(
        self, model: CadModel, projector: Projector, lie: Lie | None, spacing: float = 0.4, *,
        faces: tuple[int, ...] = (), limits: ScannerLimits | None = None, most: int = MOST,
    ) -> None:  # fmt: skip
        """`faces` are scanned only, none for all; `lie` None: nobody knows yet how the part lies."""
        self.projector, self.faces = projector, faces
        self.lie = lie
        self.grid = ThinGrid(spacing, most)
        self.map = LiveMap(model, faces)
        self.advice = Adviser(limits or ScannerLimits(), spacing)
        self._wanted = np.zeros(len(model.faces) + 1, dtype=bool)  # the last: of no face
        self._wanted[list(faces) if faces else slice(None)] = True
        self.came = 0  # points
        self.last: Floats = np.zeros(0)  # deviations of the block that came last, NaN for those off the part

    def take(
        self, time: float, places: Points, beams: NDArray[np.floating] | None = None,
        intensities: NDArray[np.uint8] | None = None,
    ) -> None:  # fmt: skip
        """Take points (n, 3) mm in coordinates of the device, beams (n, 3) to the scanner, intensities (n,)."""
        self.came += len(places)
        light = np.full(len(places), 0.5, dtype=np.float32) if intensities is None else _exposure(intensities)
        if self.lie is None:
            self.advice.looked(time, places, None, intensities)
            self.grid.add(places, light)
            self._keep_room()
            return
        found = self._compared(places)
        near = found.face >= 0
        normals = np.asarray(found.normals, dtype=np.float64)
        facing = np.ones(len(places))
        if beams is not None:
            beams = self.lie.directions(np.asarray(beams, dtype=np.float64))
            facing = np.where(near, np.einsum("ij,ij->i", beams, normals), 0.0)
        self.last = np.where(near, found.distance, np.nan)
        some = slice(None, None, max(1, len(places) // _ADVISED))
        self.advice.looked(time, places[some], facing[some][near[some]] if beams is not None else None,
                           None if intensities is None else intensities[some])  # fmt: skip
        wanted = self._wanted[found.face]  # of no face: -1, the last
        # A point that lies on the part is better than one that does not: a stray must not take the place of it.
        score = light * np.clip(facing, 0.02, 1.0) + near
        of = np.flatnonzero(wanted)
        _, taken = self.grid.add(places[of], score[of])
        self._tell(found, of[taken])
        self._keep_room()

    def _compared(self, places: Points) -> Deviations:
        assert self.lie is not None
        return self.projector.deviations(self.lie.places(places), max_distance=REACH)

    def _tell(self, found: Deviations, taken: Ints) -> None:
        """Put these of the points that were compared into the map."""
        inner = np.where(found.on_edge[taken], -1, found.face[taken]).astype(np.int32)
        self.map.tell(found.feet_at(taken), inner, found.distance[taken])

    def _keep_room(self) -> None:
        """Make the cubes wider where too many points are kept; the map knows what it was told."""
        while self.grid.is_full:
            self.grid.widen()

    def set_lie(self, lie: Lie | None) -> None:
        """Take how the part lies now: all points that are kept are compared again."""
        self.lie = lie
        self.map.forget()
        if lie is None:
            return
        for at in range(0, self.grid.count, _PIECE):
            piece = self.grid.places[at : at + _PIECE]
            self._tell(self._compared(piece), np.arange(len(piece)))


def _exposure(intensities: NDArray[np.uint8]) -> NDArray[np.float32]:
    """Return how well points are lit, 0 to 1: neither too dark to be found well, nor overexposed."""
    light = intensities.astype(np.float32)
    dark = np.minimum(light / 60.0, 1.0)
    return np.asarray(np.where(light >= 250, 0.1, dark), dtype=np.float32)
