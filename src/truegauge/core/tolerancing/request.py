"""What a geometrical tolerance is evaluated from."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Ints, Points, Rigid
from truegauge.core.association.features import Cylinder, Feature, ParallelPlanes, Plane, Sphere
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal
from truegauge.core.datums.system import EstablishedSystem
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.tolerancing.zone import PLAIN, Standard, Zone


@dataclass(frozen=True, slots=True, eq=False)
class Patch:
    """Measured points (n, 3) of any faces of the part, free-form ones too, on the surface.

    Estimated from a cloud, with outward `normals` (n, 3) and the errors of each face in turn (`modes` (m, q) mm, q of
    standard deviation 1); or `single` touches with the rows (n,) in which they were `taken`.
    A `settled` patch differs a little from one that was evaluated: its surface may be taken as flat around each point.
    """

    faces: tuple[int, ...]
    points: Points
    projector: Projector
    single: bool = False
    taken: Ints | None = None
    normals: Points | None = None
    modes: tuple[NDArray[np.float64], ...] = ()
    settled: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class Unit:
    """One toleranced feature: measured (one, or the two planes of a width), or a patch of faces.

    `sizes` are its limits of size (diameter or width), lower and upper, mm, where it has a toleranced size.
    """

    name: str
    measured: tuple[Measured | Built, ...] = ()
    patch: Patch | None = None
    sizes: tuple[float | None, float | None] = (None, None)

    @property
    def nominal(self) -> Nominal:
        """The nominal feature: of two opposite planes the pair."""
        first = self.measured[0].nominal
        return first if len(self.measured) == 1 else width_nominal(first, self.measured[1].nominal)

    @property
    def own(self) -> Measured:
        """The measured feature with points.

        Raises
        ------
        EvaluationError
            A constructed feature has none.
        """
        first = self.measured[0]
        if isinstance(first, Built):
            raise EvaluationError(f"{self.name} is constructed: it has no points of its own")
        return first


@dataclass(frozen=True, slots=True, eq=False)
class Request:
    """A tolerance to evaluate: its kind, features, datum system, zone, modifier letters, limit (mm) and standard.

    `settled` are the poses of the zones of its units (`Outcome.poses`) before its points moved a little.
    """

    kind: str
    units: tuple[Unit, ...]
    system: EstablishedSystem
    zone: Zone = PLAIN
    modifiers: tuple[str, ...] = ()
    tolerance: float | None = None
    standard: Standard = "ISO"
    settled: tuple[Rigid, ...] = ()

    @property
    def together(self) -> bool:
        """Whether the features share one zone frame."""
        stated = self.zone.together
        return stated if stated is not None else self.standard == "ASME"


def width_nominal(a: Nominal, b: Nominal) -> Nominal:
    """Return two opposite planes as one nominal feature of size: a slot (`outward` -1) or a tongue (+1)."""
    first, second = a.feature, b.feature
    assert isinstance(first, Plane)
    assert isinstance(second, Plane)
    normal = first.normal
    apart = float((first.point - second.point) @ normal)
    center = (a.center + b.center) / 2
    center = center + (float(((first.point + second.point) / 2 - center) @ normal)) * normal
    planes = ParallelPlanes(center, normal, abs(apart))
    return Nominal(planes, 1 if apart > 0 else -1, max(a.length, b.length), center)


def are_opposite(a: Feature, b: Feature) -> bool:
    """Two planes that face each other, or away from each other."""
    if not isinstance(a, Plane) or not isinstance(b, Plane):
        return False
    apart = abs(float((a.point - b.point) @ a.normal))
    return float(a.normal @ b.normal) < -1 + 1e-8 and apart > 1e-6


def has_size(feature: Feature) -> bool:
    """A feature of size: material modifiers mean something on it."""
    return isinstance(feature, Cylinder | Sphere | ParallelPlanes)
