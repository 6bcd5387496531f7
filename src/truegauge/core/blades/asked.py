"""What is asked of the sections of a blade: where they are, and how they are measured and put onto their nominal."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from truegauge.core.arrays import Floats
from truegauge.core.blades.construction import AS_FOUND, Construction
from truegauge.core.blades.parameters import Ways
from truegauge.core.blades.section_fit import Criterion, Freedom
from truegauge.core.errors import EvaluationError
from truegauge.core.sections.cone import SectionCone, SectionSurface
from truegauge.core.sections.plane import section_plane

THICK = 1.0  # mm of height that points are taken from
_SQUARE = 1e-3  # sine that a stacking axis is aslant to the machine axis of cones at most
_STEEP = 0.1  # sine between axis and machine axis, from which that has a direction in a section


@dataclass(frozen=True, slots=True, eq=False)
class Asked:
    """Which sections are wanted, along `axis` (3,) through `origin` (3,), mm; directions are of the part.

    `machine` is the axis that axial chord and chord angle are told by; `leading` and `pressure` are the ways to the
    leading edge and to the pressure side, where they are not to be found. At `edge_distances` (mm along the mean line)
    from either edge and at `chord_shares` the thickness is told, too; of waves shorter than a `wavelength` (mm, 0:
    none) how high they are. Without a pivot the fit turns about the centroid of the nominal section; `weights` are of
    zones, as `ZONES` names them: how much a point counts there. By `tilts` (rad, at the lowest and the highest section,
    between them straight over) the planes rise along the machine axis. Where that is known to go by `machine_below` mm
    below the origin, against the stacking axis, sections lie on cones (without a rise: cylinders) about it, unrolled.
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
    machine_below: float | None = None

    @property
    def is_level(self) -> bool:
        """Whether sections are planes square to the stacking axis."""
        return self.tilts == (0.0, 0.0) and self.machine_below is None

    def plane(self, height: float) -> SectionSurface:
        """Return the plane or cone of a section; its first axis is the machine's where that lies in it.

        Raises
        ------
        EvaluationError
            The machine axis does not go with it.
        """
        z = np.array(self.axis, dtype=np.float64) / np.linalg.norm(self.axis)
        across = self.machine
        if across is not None and np.linalg.norm(np.cross(z, across)) < _STEEP * np.linalg.norm(across):
            raise EvaluationError("the machine axis lies along the stacking axis: no chord can be told by it")
        x, y, w = np.array(self.origin) + height * z
        tilt = self.tilt(height)
        if self.machine_below is not None:
            return self._cone(z, height, tilt)
        if tilt and across is None:
            raise EvaluationError("sections rise along a machine axis: say which")
        if tilt:
            m = np.array(across, dtype=np.float64) - float(np.array(across) @ z) * z
            z = np.cos(tilt) * z - np.sin(tilt) * m / np.linalg.norm(m)
        return section_plane((float(x), float(y), float(w)), (float(z[0]), float(z[1]), float(z[2])), across)

    def _cone(self, z: Floats, height: float, tilt: float) -> SectionCone:
        if self.machine is None:
            raise EvaluationError("cones are about a machine axis: say which")
        m = np.array(self.machine, dtype=np.float64) / np.linalg.norm(self.machine)
        if abs(float(m @ z)) > _SQUARE:
            raise EvaluationError("cones are about a machine axis that is square to the stacking axis: this one is not")
        assert self.machine_below is not None
        radius = self.machine_below + height
        if radius <= 0:
            raise EvaluationError(f"at {height:g} mm there is no cone: the machine axis is not below it")
        m = m - float(m @ z) * z
        center = np.array(self.origin) - self.machine_below * z
        return SectionCone(center, m / np.linalg.norm(m), z, radius, tilt)

    def tilt(self, height: float) -> float:
        """Return by which angle, rad, the plane of a section rises along the machine axis."""
        low, high = min(self.heights, default=height), max(self.heights, default=height)
        return float(np.interp(height, [low, high], self.tilts)) if high > low else self.tilts[0]

    def ways(self, plane: SectionSurface) -> Ways:
        """Return the directions in a plane."""
        own = [
            None if v is None else plane.flat_directions(np.array([v], dtype=np.float64))[0]
            for v in (self.machine, self.leading, self.pressure)
        ]
        return Ways(*own)
