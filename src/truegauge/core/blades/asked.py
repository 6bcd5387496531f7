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
    from either edge the thickness is told, too; of waves shorter than a `wavelength` (mm, 0: none) how high they are.
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

    def plane(self, height: float) -> SectionPlane:
        """Return the plane of a section; its first axis is the machine's where that lies in it."""
        z = np.array(self.axis, dtype=np.float64) / np.linalg.norm(self.axis)
        across = self.machine
        if across is not None and np.linalg.norm(np.cross(z, across)) < _STEEP * np.linalg.norm(across):
            raise EvaluationError("the machine axis lies along the stacking axis: no chord can be told by it")
        x, y, w = np.array(self.origin) + height * z
        return section_plane((float(x), float(y), float(w)), (float(z[0]), float(z[1]), float(z[2])), across)

    def ways(self, plane: SectionPlane) -> Ways:
        """Return the directions in a plane."""
        own = [
            None if v is None else plane.flat_directions(np.array([v], dtype=np.float64))[0]
            for v in (self.machine, self.leading, self.pressure)
        ]
        return Ways(*own)
