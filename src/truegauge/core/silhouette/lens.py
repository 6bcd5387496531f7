"""Where a place in a picture is in mm: a telecentric lens sees a plane by pixel size, squareness and distortion."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import GeometryError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats

_STEPS = 4  # of Newton's method, from a distortion of some percent to rounding
_MOST = 0.2  # of how far a place is seen, that it is off at most


@dataclass(frozen=True, eq=False)
class Lens:
    """Pixels (n, 2) go right and down, whole numbers are the middles of pixels; mm (n, 2) go right and up.

    `center` (2,) px is what it is distorted about, and where mm begin unless it is at `center_at` (2,) mm; `matrix`
    (2, 2) is mm_from_px there; a place that is seen r px off it would be seen r + `distortion` r^3 px off without one.
    An edge has a Gaussian `blur`, px.
    """

    center: Floats
    matrix: Floats
    distortion: float = 0.0
    blur: float = 1.0
    center_at: Floats = field(default_factory=lambda: np.zeros(2))

    @staticmethod
    def of_pixel_size(size: float, shape: tuple[int, int], *, blur: float = 1.0) -> Lens:
        """Return a lens without errors: `size` mm a pixel, pictures of a shape (rows, columns)."""
        center = np.array([(shape[1] - 1) / 2.0, (shape[0] - 1) / 2.0])
        return Lens(center, np.diag([size, -size]), 0.0, blur)

    @cached_property
    def pixel(self) -> float:
        """The size of a pixel in the middle, mm: the mean of both sides."""
        return float(np.sqrt(abs(np.linalg.det(self.matrix))))

    @cached_property
    def aslant(self) -> float:
        """By which angle, rad, columns lean along rows on their way down: 0 where they are square."""
        x, y = self.matrix.T
        return float(np.pi / 2 - np.arccos(np.clip(x @ y / np.linalg.norm(x) / np.linalg.norm(y), -1.0, 1.0)))

    def mm(self, pixels: Floats) -> Floats:
        """Return where places (n, 2) in a picture are."""
        off = np.asarray(pixels, dtype=np.float64) - self.center
        straight = off * (1.0 + self.distortion * np.square(off).sum(axis=1))[:, None]
        return np.asarray(straight @ self.matrix.T + self.center_at)

    def pixels(self, mm: Floats) -> Floats:
        """Return where places (n, 2) are seen.

        Raises
        ------
        GeometryError
            So far outside that the lens is not known there.
        """
        wanted = (np.asarray(mm, dtype=np.float64) - self.center_at) @ self._back.T
        if self.distortion == 0.0:
            return np.asarray(self.center + wanted)
        far = np.hypot(wanted[:, 0], wanted[:, 1])
        if len(far) and abs(self.distortion) * float(far.max()) ** 2 > _MOST:
            raise GeometryError(f"the lens is not known {far.max() * self.pixel:.0f} mm off its middle")
        r = far.copy()
        for _ in range(_STEPS):
            r -= (r + self.distortion * r**3 - far) / (1.0 + 3.0 * self.distortion * r**2)
        return np.asarray(self.center + wanted * np.divide(r, far, out=np.ones_like(r), where=far > 0)[:, None])

    @cached_property
    def _back(self) -> Floats:
        return np.asarray(np.linalg.inv(self.matrix))
