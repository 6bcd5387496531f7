"""Association: computing the ideal feature for extracted points."""

from collections.abc import Callable
from functools import partial

from truegauge.core.arrays import Points, Vector
from truegauge.core.association.axial_shapes import fit_cone, fit_cylinder, fit_torus
from truegauge.core.association.chebyshev import (
    axial_feature,
    minimum_zone_plane,
    round_feature,
    straightness_line,
)
from truegauge.core.association.features import (
    Circle,
    Cone,
    Cylinder,
    Feature,
    Line,
    Plane,
    Point,
    Shape,
    Sphere,
    Torus,
)
from truegauge.core.association.fit import Criterion, Fit
from truegauge.core.association.plane import fit_line, fit_plane
from truegauge.core.association.round_shapes import fit_circle, fit_sphere
from truegauge.core.errors import AssociationError

_MZ, _MC, _MI = Criterion.MINIMUM_ZONE, Criterion.MINIMUM_CIRCUMSCRIBED, Criterion.MAXIMUM_INSCRIBED
_SOLVERS: dict[tuple[Shape, Criterion], Callable[..., Fit]] = {
    (Shape.LINE, Criterion.LEAST_SQUARES): fit_line,
    (Shape.PLANE, Criterion.LEAST_SQUARES): fit_plane,
    (Shape.CIRCLE, Criterion.LEAST_SQUARES): fit_circle,
    (Shape.SPHERE, Criterion.LEAST_SQUARES): fit_sphere,
    (Shape.CYLINDER, Criterion.LEAST_SQUARES): fit_cylinder,
    (Shape.CONE, Criterion.LEAST_SQUARES): fit_cone,
    (Shape.TORUS, Criterion.LEAST_SQUARES): fit_torus,
    (Shape.PLANE, _MZ): minimum_zone_plane,
    (Shape.CONE, _MZ): partial(axial_feature, criterion=_MZ, shape="cone"),
    **{(Shape.CYLINDER, c): partial(axial_feature, criterion=c, shape="cylinder") for c in (_MZ, _MC, _MI)},
    **{(Shape.CIRCLE, c): partial(round_feature, criterion=c, shape="circle") for c in (_MZ, _MC, _MI)},
    **{(Shape.SPHERE, c): partial(round_feature, criterion=c, shape="sphere") for c in (_MZ, _MC, _MI)},
}


def criteria_for(shape: Shape) -> tuple[Criterion, ...]:
    """Return the criteria by which a shape can be associated."""
    found = [c for s, c in _SOLVERS if s == shape]
    return tuple(c for c in Criterion if c in found or (shape, c) == (Shape.LINE, _MZ))


def associate(
    shape: Shape,
    points: Points,
    criterion: Criterion = Criterion.LEAST_SQUARES,
    *,
    start: Feature | None = None,
    plane_normal: Vector | None = None,
) -> Fit:
    """Associate `shape` with points (n, 3) mm by `criterion`; `start`, a rough feature, saves the search for one.

    `plane_normal` (3,) is the normal of the plane in which straightness is judged (minimum-zone line).

    Raises
    ------
    AssociationError
        As the shape's own function, or a criterion that the shape does not have.
    """
    if (shape, criterion) == (Shape.LINE, _MZ):
        return straightness_line(points, plane_normal)
    solver = _SOLVERS.get((shape, criterion))
    if solver is None:
        offered = ", ".join(c for s, c in _SOLVERS if s == shape) or "none"
        raise AssociationError(f"a {shape} cannot be associated by {criterion.replace('_', ' ')}; offered: {offered}")
    if criterion == Criterion.LEAST_SQUARES and shape in (Shape.CYLINDER, Shape.CONE, Shape.TORUS):
        return solver(points, start)
    return solver(points)


__all__ = [
    "Circle",
    "Cone",
    "Criterion",
    "Cylinder",
    "Feature",
    "Fit",
    "Line",
    "Plane",
    "Point",
    "Shape",
    "Sphere",
    "Torus",
    "associate",
    "criteria_for",
    "fit_circle",
    "fit_cone",
    "fit_cylinder",
    "fit_line",
    "fit_plane",
    "fit_sphere",
    "fit_torus",
]
