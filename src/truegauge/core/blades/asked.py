"""What is asked of the sections of a blade: where they are, and how they are measured and put onto their nominal."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from truegauge.core.blades.construction import AS_FOUND, Construction
from truegauge.core.blades.parameters import Ways
from truegauge.core.blades.section_fit import Criterion, Freedom
from truegauge.core.errors import EvaluationError
from truegauge.core.sections.plane import SectionPlane, section_plane

THICK = 1.0  # mm of height that points are taken from
_STEEP = 0.1  # sine between axis and machine axis, from which that has a direction in a section


@dataclass(frozen=True, slots=True, eq=False)
class Asked:
    """Which sections are wanted, along `axis` (3,) through `origin` (3,), mm; directions are of the part.

    `machine` is the axis that axial chord and chord angle are told by; `leading` and `pressure` are the ways to the
    leading edge and to the pressure side, where they are not to be found. At `edge_distances` (mm along the mean line)
    from either edge and at `chord_shares` the thickness is told, too; of waves shorter than a `wavelength` (mm, 0:
    none) how high they are. Without a pivot the fit turns about the centroid of the nominal section; `weights` are of
    zones, as `ZONES` names them: how much a point counts there. By `tilts` (rad, at the lowest and the highest section,
    between them straight over) the planes rise along the machine axis, as cones about it do.
    """

    heights: tuple[float, ...]
    axis: tuple[float, float, float] = (0.0, 0.0, 1.0)
    origin: tuple[float, float, float] = (0.0, 0.0, 0.0)
    machine: tuple[float, float, float] | None = (1.0, 0.0, 0.0)
    leading: tuple[float, float, float] | None = None
    pressure: tuple[float, float, float] | None = None
    thickness: float = THICK
    edge_distances: tuple[float, ...] = ()
    chord_shares: tuple[float, ...] = ()
    wavelength: float = 0.0
    freedom: Freedom = field(default_factory=Freedom.full)
    criterion: Criterion = "least squares"
    weights: tuple[float, float, float, float] | None = None
    construction: Construction = AS_FOUND
    tilts: tuple[float, float] = (0.0, 0.0)

    def plane(self, height: float) -> SectionPlane:
        """Return the plane of a section; its first axis is the machine's where that lies in it."""
        z = np.array(self.axis, dtype=np.float64) / np.linalg.norm(self.axis)
        across = self.machine
        if across is not None and np.linalg.norm(np.cross(z, across)) < _STEEP * np.linalg.norm(across):
            raise EvaluationError("the machine axis lies along the stacking axis: no chord can be told by it")
        x, y, w = np.array(self.origin) + height * z
        tilt = self.tilt(height)
        if tilt and across is None:
            raise EvaluationError("sections rise along a machine axis: say which")
        if tilt:
            m = np.array(across, dtype=np.float64) - float(np.array(across) @ z) * z
            z = np.cos(tilt) * z - np.sin(tilt) * m / np.linalg.norm(m)
        return section_plane((float(x), float(y), float(w)), (float(z[0]), float(z[1]), float(z[2])), across)

    def tilt(self, height: float) -> float:
        """Return by which angle, rad, the plane of a section rises along the machine axis."""
        low, high = min(self.heights, default=height), max(self.heights, default=height)
        return float(np.interp(height, [low, high], self.tilts)) if high > low else self.tilts[0]

    def ways(self, plane: SectionPlane) -> Ways:
        """Return the directions in a plane."""
        own = [
            None if v is None else plane.flat_directions(np.array([v], dtype=np.float64))[0]
            for v in (self.machine, self.leading, self.pressure)
        ]
        return Ways(*own)
