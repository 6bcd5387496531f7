"""The result of every alignment: where the points lie on the part, what holds it there, and whether to believe it."""

from dataclasses import dataclass, field

import numpy as np

from truegauge.core.arrays import Mask, Rigid
from truegauge.core.datums.freedoms import Freedoms
from truegauge.core.registration.adjustment import TargetDeviation


@dataclass(frozen=True, slots=True, eq=False)
class Candidate:
    """One of several poses that fit about as well: its rms (mm) over the points of the part, and the share used.

    `as_good`: no worse than the best one but by chance. `differs`: on which share of its surface the part is not the
    same in this pose as in the first.
    """

    part_from_scan: Rigid
    rms: float
    share: float
    as_good: bool = True
    differs: float = 0.0


@dataclass(frozen=True, slots=True, eq=False)
class Alignment:
    """An alignment.

    `rms` and `largest` (mm) are of the distances to the surfaces for a best fit, of the target deviations otherwise;
    `count` says how many of these there are. `used`, `table` and `isolated` (n,) mark points that a best fit used,
    and points that were recognised as not the part. `doubts` say in words why the result should not be trusted
    (empty: it is), `notes` what else there is to know. `frame_from_part` leads to the frame that the alignment's
    coordinates are reported in.
    """

    part_from_scan: Rigid
    rms: float
    scale: float
    used: Mask
    table: Mask
    isolated: Mask
    coverage: float
    doubts: tuple[str, ...]
    notes: tuple[str, ...]
    largest: float = 0.0
    freedoms: Freedoms = field(default_factory=Freedoms)
    targets: tuple[TargetDeviation, ...] = ()
    candidates: tuple[Candidate, ...] = ()
    suggestion: str = ""
    frame_from_part: Rigid = field(default_factory=lambda: np.eye(4))
    growth: float = 1.0  # what the points were scaled by, apart from temperature

    @property
    def points_used(self) -> int:
        """Number of points that the fit minimised."""
        return int(self.used.sum())

    @property
    def points_total(self) -> int:
        """Number of points of the sample."""
        return len(self.used)

    @property
    def trusted(self) -> bool:
        """Whether there is no doubt."""
        return not self.doubts
