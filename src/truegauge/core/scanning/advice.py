"""What whoever leads a scanner is to mind just now: distance, angle, speed, light."""

from __future__ import annotations

from collections import deque
from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Floats, Points, Vector

STEEP = np.radians(62.0)  # between the beam and the normal of the surface
OVEREXPOSED, DARK = 250, 14  # of 255
_SHARE = 0.3  # of the points that must be so
_LATELY_S = 0.4
_HASTE = 1500.0  # mm/s: nobody scans so fast, it is lifted to another place


class Advice(StrEnum):
    """In the order of what is to be mended first."""

    FAR = "too far"
    NEAR = "too near"
    FAST = "too fast"
    STEEP = "too steep"
    BRIGHT = "overexposed"
    DARK = "too dark"

    @property
    def what_to_do(self) -> str:
        """The words that help."""
        return _HELP[self]


_HELP = {
    Advice.FAR: "Go nearer",
    Advice.NEAR: "Go farther away",
    Advice.FAST: "Slower",
    Advice.STEEP: "Turn it towards the surface",
    Advice.BRIGHT: "Too bright: tilt it, or take less light",
    Advice.DARK: "Too dark: more light, or matt spray",
}


@dataclass(frozen=True, slots=True)
class ScannerLimits:
    """What a scanner sees well: distances from it `near` to `far` mm, and its lines a second; 0: it does not say."""

    near: float = 0.0
    far: float = 0.0
    lines_per_s: float = 0.0


@dataclass(frozen=True, slots=True)
class _Lately:
    time: float
    shares: tuple[tuple[Advice, float], ...]


class Adviser:
    """Looks at blocks as they come; what holds for most of the last moments is said."""

    def __init__(self, limits: ScannerLimits, spacing: float) -> None:
        self._limits, self._spacing = limits, spacing
        self._lately: deque[_Lately] = deque()
        self._at: tuple[float, Vector] | None = None
        self.speed = 0.0  # mm/s, lately

    def moved(self, time: float, at: Vector) -> None:
        """Take where the scanner is (3,) mm, at a time (s) of its clock."""
        if self._at is not None and 0 < time - self._at[0] < 1.0:
            speed = float(np.linalg.norm(at - self._at[1])) / (time - self._at[0])
            if speed < _HASTE:
                self.speed += 0.3 * (speed - self.speed)
        self._at = (time, at)

    def looked(self, time: float, places: Points, facing: Floats | None, light: NDArray[np.uint8] | None) -> None:
        """Take points (n, 3) in the coordinates of the scanner's place, and intensities (n,).

        `facing` (k,) are cosines between beam and normal of those that lie on the part; None where nobody knows.
        """
        shares: list[tuple[Advice, float]] = []
        if facing is not None and len(facing):
            shares.append((Advice.STEEP, float(np.mean(facing < np.cos(STEEP)))))
        if light is not None and len(light):
            shares += [
                (Advice.BRIGHT, float(np.mean(light >= OVEREXPOSED))),
                (Advice.DARK, float(np.mean(light < DARK))),
            ]
        if self._at is not None and self._limits.far > 0 and len(places):
            shares += self._distances(np.linalg.norm(places - self._at[1], axis=1))
        self._lately.append(_Lately(time, tuple(shares)))
        while self._lately and not 0 <= time - self._lately[0].time < _LATELY_S:
            self._lately.popleft()

    def _distances(self, off: Floats) -> list[tuple[Advice, float]]:
        """Return how many points lie in the outer eighths of what the scanner sees: beyond it there are none."""
        room = (self._limits.far - self._limits.near) / 8
        far, close = off > self._limits.far - room, off < self._limits.near + room
        return [(Advice.FAR, float(far.mean())), (Advice.NEAR, float(close.mean()))]

    @property
    def fastest(self) -> float:
        """The speed (mm/s) at which its lines are as far apart as the points that are kept; 0: unknown."""
        return self._limits.lines_per_s * self._spacing

    def now(self) -> Advice | None:
        """Return what is to be mended first; None: all is well, or nothing is known."""
        mean: dict[Advice, list[float]] = {}
        for one in self._lately:
            for advice, share in one.shares:
                mean.setdefault(advice, []).append(share)
        bad = {a for a, shares in mean.items() if float(np.mean(shares)) > _SHARE}
        if self._lately and self.fastest > 0 and self.speed > self.fastest:
            bad.add(Advice.FAST)
        return next((a for a in Advice if a in bad), None)
