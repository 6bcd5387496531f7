"""Qualification: what touches on the reference sphere say about a stylus (ISO 10360-5 speaks of its form error)."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Normals, Points, Vector
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Shape, Sphere
from truegauge.core.errors import AssociationError, DeviceError
from truegauge.core.probing.sphere import LEAST_TOUCHES


@dataclass(frozen=True, slots=True, eq=False)
class SphereFit:
    """The sphere through tip centres.

    `center` (3,) mm in the coordinates of the touches; `radius` is that of sphere and tip together; `residuals` (n,)
    mm; `directions` (n, 3) from the centre to the touches; `center_errors` (3,) and `radius_error` are the standard
    errors by the scatter of the residuals, `deviation` their standard deviation (n - 4 degrees of freedom).
    """

    center: Vector
    radius: float
    residuals: Floats
    directions: Normals
    center_errors: Vector
    radius_error: float
    deviation: float

    @property
    def form(self) -> float:
        """Largest minus smallest residual, mm."""
        return float(self.residuals.max() - self.residuals.min())


def fit_reference_sphere(centers: Points) -> SphereFit:
    """Associate a least-squares sphere with tip centres (n, 3), n >= 5.

    Raises
    ------
    DeviceError
        Too few touches, or touches that do not hold a sphere.
    """
    if len(centers) < LEAST_TOUCHES:
        raise DeviceError(f"{len(centers)} touches on the sphere; at least {LEAST_TOUCHES} are needed")
    try:
        feature = associate(Shape.SPHERE, centers).feature
    except AssociationError as error:
        raise DeviceError(f"the touches do not make a sphere: {error}") from error
    assert isinstance(feature, Sphere)
    off = centers - feature.center
    length = np.linalg.norm(off, axis=1)
    directions = off / length[:, None]
    residuals = length - feature.radius
    deviation = float(np.sqrt(residuals @ residuals / (len(centers) - 4)))
    jacobian = np.column_stack([-directions, -np.ones(len(centers))])
    values, vectors = np.linalg.eigh(jacobian.T @ jacobian)
    if values[0] < 1e-4 * values[-1]:
        raise DeviceError("the touches lie too close together to hold a sphere; spread them over its upper half")
    errors = deviation * np.sqrt((vectors**2 / values).sum(axis=1))
    return SphereFit(feature.center, feature.radius, residuals, directions, errors[:3], float(errors[3]), deviation)


@dataclass(frozen=True, slots=True, eq=False)
class StylusResult:
    """What a qualification found about a stylus in a pose; lengths in mm.

    `offset` (3,) is added to the place that the machine reports for the stylus to get the true centre of the tip,
    seen from the master stylus (of which it is zero); `from_master` (3,) is the place of the tip beside that of the
    master stylus. `offset_errors` are standard errors without those of the master.
    """

    diameter: float
    diameter_error: float
    offset: Vector
    offset_errors: Vector
    from_master: Vector
    fit: SphereFit


def qualify(
    centers: Points, sphere_center: Vector, sphere_diameter: float, nominal: Vector, master: Vector
) -> StylusResult:
    """Work out effective diameter and offset of a stylus.

    Parameters
    ----------
    centers : (n, 3)
        Tip centres as the machine reports them with the nominal offsets.
    sphere_center : (3,)
        The centre of the reference sphere as the master stylus located it.
    nominal, master : (3,)
        The nominal places of this tip and of the master's in the coordinates of the quill.
    """
    fit = fit_reference_sphere(centers)
    offset = sphere_center - fit.center
    return StylusResult(
        2 * fit.radius - sphere_diameter, 2 * fit.radius_error, offset, fit.center_errors,
        nominal + offset - master, fit,
    )  # fmt: skip
