"""What an association returns."""

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Mask, Vector
from truegauge.core.association.constraints import NONE, Constraints
from truegauge.core.association.features import DIRECTIONS, Cone, Feature, Line, Plane, Pose


class Criterion(StrEnum):
    """The association criteria (ISO 22432, ISO 14405-1, ISO 5459).

    `one_sided`: outside the material; what a surface plate or a gauge pin would touch.
    """

    LEAST_SQUARES = "least_squares"
    MINIMUM_ZONE = "minimum_zone"
    MINIMUM_CIRCUMSCRIBED = "minimum_circumscribed"
    MAXIMUM_INSCRIBED = "maximum_inscribed"
    ONE_SIDED = "one_sided"


@dataclass(frozen=True, slots=True)
class Certificate:
    """Proof of an optimum: contact points, the side of each (+1, -1), and multipliers >= 0.

    The gradients of the contacts, weighted by side and multiplier, add up to `residual` (about 0) together with
    the gradient of what is minimised. For minimax criteria the multipliers have the sum 1.
    """

    contacts: tuple[int, ...]
    sides: tuple[int, ...]
    multipliers: tuple[float, ...]
    residual: float


@dataclass(frozen=True, slots=True, eq=False)
class Rejection:
    """Points left out before the association: farther than `factor` robust scales from the least-squares feature.

    `scale` (mm) is 1.4826 times the median distance from the median; `kept` (n,) tells the points used.
    """

    factor: float
    scale: float
    kept: Mask

    @property
    def count(self) -> int:
        """How many points were left out."""
        return int(len(self.kept) - self.kept.sum())

    @property
    def limit(self) -> float:
        """How far a point may be, mm."""
        return self.factor * self.scale


@dataclass(frozen=True, slots=True, eq=False)
class Behind:
    """What the figures of uncertainty are computed from: the solution about the centroid, of unit size."""

    pose: Pose
    tangents: NDArray[np.float64]  # (q, 8) motions and sizes for each unknown
    cofactors: NDArray[np.float64]  # (q, q) covariance of the unknowns for unit noise
    center: Vector
    scale: float
    condition: float
    noise: float  # mm, standard deviation of a point of weight 1


@dataclass(frozen=True, slots=True, eq=False)
class Fit:
    """An associated feature with the residuals it leaves.

    `residuals` (n,) mm, signed as `Feature.distances`, of the points that were used; `form` peak to valley (for a
    line in space twice the largest distance); `rms` root mean square. `certificate` proves minimax and one-sided
    criteria. `material` is +1 where the material lies against the distances (a boss, a plane with outward normal).
    """

    feature: Feature
    criterion: Criterion
    residuals: Floats
    iterations: int = 0
    certificate: Certificate | None = None
    rejection: Rejection | None = None
    constraints: Constraints = field(default=NONE)
    material: int = 1
    behind: Behind | Callable[[], Behind] | None = None

    @property
    def form(self) -> float:
        """Width of the zone that holds the residuals, mm."""
        if isinstance(self.feature, Line):
            return 2 * float(self.residuals.max())
        return float(self.residuals.max() - self.residuals.min())

    @property
    def rms(self) -> float:
        """Root mean square of the residuals, mm."""
        return float(np.sqrt(np.mean(self.residuals**2)))

    @property
    def material_residuals(self) -> Floats:
        """The residuals (n,) mm, positive out of the material."""
        return self.material * self.residuals

    @property
    def points_used(self) -> int:
        """How many points took part."""
        return len(self.residuals)

    @property
    def points_rejected(self) -> int:
        """How many points were left out as strays."""
        return 0 if self.rejection is None else self.rejection.count

    @property
    def condition(self) -> float:
        """Condition of the unknowns, each in its own size: 1 is best, 1e6 leaves their digits to chance."""
        behind = self._behind()
        return float("nan") if behind is None else behind.condition

    def _behind(self) -> Behind | None:
        return self.behind() if callable(self.behind) else self.behind

    @property
    def parameter_names(self) -> tuple[str, ...]:
        """The rows of the covariance: "point x", ..., "radius"."""
        names: list[str] = []
        for name, value in self.feature.parameters.items():
            names += [f"{name} {axis}" for axis in "xyz"] if isinstance(value, np.ndarray) else [name]
        return tuple(names)

    @property
    def covariance(self) -> NDArray[np.float64] | None:
        """Covariance of the parameters (mm, rad) in the order of `parameter_names`, to first order.

        For least squares from the residuals; for other criteria as far as the points in contact carry their own
        noise. None when there are no points to spare (their scatter is unknown).
        """
        behind = self._behind()
        if behind is None or not np.isfinite(behind.noise):
            return None
        jacobian = _derivatives(type(self.feature), behind)
        return np.asarray(behind.noise**2 * (jacobian @ behind.cofactors @ jacobian.T))

    def standard_deviation(self, name: str) -> float | None:
        """Standard deviation of one parameter of `parameter_names`, mm or rad."""
        covariance = self.covariance
        if covariance is None:
            return None
        k = self.parameter_names.index(name)
        return float(np.sqrt(max(covariance[k, k], 0.0)))

    def turned_like(self, nominal: Feature) -> "Fit":
        """Return the result with directions in the sense of the nominal ones; of planes the residuals turn too."""
        feature, residuals = self.feature, self.residuals
        wanted = nominal.parameters
        for name in DIRECTIONS:
            value = feature.parameters.get(name)
            if value is None or name not in wanted or isinstance(feature, Cone):
                continue
            if float(value @ wanted[name]) < 0:
                feature = feature.with_direction(name, -value)
                residuals = -residuals if isinstance(feature, Plane) else residuals
        return self if feature is self.feature else replace(self, feature=feature, residuals=residuals)


def _flat_parameters(feature: Feature) -> Floats:
    return np.concatenate([np.atleast_1d(value) for value in feature.parameters.values()])


def _derivatives(kind: type[Feature], behind: Behind) -> NDArray[np.float64]:
    """Differentiate the reported parameters (mm, rad) by the unknowns, centrally."""
    from truegauge.core.association import steps

    pose, rows = behind.pose, []
    for tangent in behind.tangents:
        ends = []
        for h in (1e-5, -1e-5):
            moved = steps.stepped(  # type: ignore[no-untyped-call]
                pose.code, pose.origin, pose.axes, pose.sizes, np.ascontiguousarray(tangent[:, None]), np.array([h])
            )
            ends.append(_flat_parameters(kind.at(Pose(pose.code, *moved)).scaled(behind.scale, behind.center)))
        rows.append((ends[0] - ends[1]) / 2e-5)
    # The unknowns are counted in units of the normalised points.
    return np.array(rows).T / behind.scale
