"""Minimum zone, minimum circumscribed and maximum inscribed features."""

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from truegauge.core.arrays import Floats, Points, Vector, any_perpendicular
from truegauge.core.association.axial_shapes import ConeModel, CylinderModel, _frame, fit_cone, fit_cylinder
from truegauge.core.association.enclosing import smallest_ball
from truegauge.core.association.features import Circle, Cylinder, Feature, Line, Plane, Sphere
from truegauge.core.association.fit import Criterion, Fit
from truegauge.core.association.gauss_newton import Model, Normalised, Rows, tilted
from truegauge.core.association.minimax import Certificate, Minimax, solve_minimax
from truegauge.core.association.needs import need_points
from truegauge.core.association.plane import fit_plane
from truegauge.core.association.round_shapes import CircleModel, SphereModel, fit_circle, fit_sphere
from truegauge.core.errors import AssociationError

_BOTH, _OUTSIDE, _INSIDE = (1, -1), (1,), (-1,)
_SIDES = {
    Criterion.MINIMUM_ZONE: _BOTH,
    Criterion.MINIMUM_CIRCUMSCRIBED: _OUTSIDE,
    Criterion.MAXIMUM_INSCRIBED: _INSIDE,
}


class PlaneModel:
    """Parameters: height, tilt (2)."""

    def axes(self, feature: Feature) -> Rows:
        """Return the frame of the plane."""
        assert isinstance(feature, Plane)
        return _frame(feature.normal)

    def linearised(self, feature: Feature, points: Points) -> tuple[Floats, Rows]:
        """Return distances and their derivatives."""
        assert isinstance(feature, Plane)
        local = (points - feature.point) @ _frame(feature.normal).T
        jacobian = np.column_stack([-np.ones(len(points)), local[:, 0], local[:, 1]])
        return local[:, 2], jacobian

    def stepped(self, feature: Feature, step: Floats) -> Feature:
        """Lift and tilt, keep the point nearest the centroid (the origin)."""
        assert isinstance(feature, Plane)
        x, y, z = _frame(feature.normal)
        normal = tilted(z, x, y, step[1], step[2])
        point = feature.point + step[0] * z
        return Plane((point @ normal) * normal, normal)


def minimum_zone_plane(points: Points) -> Fit:
    """Associate the middle of the narrowest zone between parallel planes, from all three principal directions."""
    need_points(points, 3, "plane")
    least = fit_plane(points)
    local = Normalised(points)
    hull = _hull_rows(local.points)
    first = local.normalised(least.feature)
    assert isinstance(first, Plane)
    x, y, z = _frame(first.normal)
    starts: list[Feature] = [Plane(np.zeros(3), n) for n in (z, x, y)]
    return _best(PlaneModel(), starts, local, points, hull, Criterion.MINIMUM_ZONE, with_radius=True)


def round_feature(points: Points, criterion: Criterion, shape: str) -> Fit:
    """Associate a circle (in the least-squares plane of its points) or a sphere."""
    if shape == "sphere":
        start = fit_sphere(points)
        local = Normalised(points)
        if criterion == Criterion.MINIMUM_CIRCUMSCRIBED:
            center, radius, support = smallest_ball(local.points)
            return _ball_fit(local.restored(Sphere(center, radius)), points, center, local.points, support)
        model: Model = SphereModel()
        return _best(model, [local.normalised(start.feature)], local, points, None, criterion,
                     with_radius=criterion == Criterion.MINIMUM_ZONE)  # fmt: skip
    start = fit_circle(points)
    assert isinstance(start.feature, Circle)
    local = Normalised(points)
    normal = start.feature.normal
    x = any_perpendicular(normal)
    axes = np.vstack([x, np.cross(normal, x), normal])
    flat = local.points @ axes.T
    first = local.normalised(start.feature)
    assert isinstance(first, Circle)

    def in_space(feature: Feature) -> Feature:
        assert isinstance(feature, Circle)
        return local.restored(Circle(axes.T @ feature.center, normal, feature.radius))

    upright = np.array([0.0, 0.0, 1.0])
    center = axes @ first.center
    if criterion == Criterion.MINIMUM_CIRCUMSCRIBED:
        middle, radius, support = smallest_ball(flat[:, :2])
        found: Feature = Circle(np.append(middle, center[2]), upright, radius)
        return _ball_fit(in_space(found), points, middle, flat[:, :2], support)
    solution = solve_minimax(
        CircleModel(), Circle(center, upright, first.radius), flat, _SIDES[criterion],
        with_radius=criterion == Criterion.MINIMUM_ZONE,
    )  # fmt: skip
    feature = _with_contact_radius(solution, criterion)
    return _fit(in_space(feature), points, criterion, solution)


def axial_feature(points: Points, criterion: Criterion, shape: str) -> Fit:
    """Associate a cylinder (all criteria) or a cone (minimum zone), from the least-squares feature."""
    least = fit_cylinder(points) if shape == "cylinder" else fit_cone(points)
    local = Normalised(points)
    model: Model = CylinderModel() if shape == "cylinder" else ConeModel()
    start = local.normalised(least.feature)
    starts = [start, *_turned(start, least.form / local.scale)] if shape == "cylinder" else [start]
    return _best(model, starts, local, points, None, criterion, with_radius=criterion == Criterion.MINIMUM_ZONE)


def _turned(start: Feature, form: float) -> list[Feature]:
    """Starts around the least-squares axis: zones have several local optima, a form's width away from each other."""
    assert isinstance(start, Cylinder)
    x, y, z = _frame(start.direction)
    angles = np.arange(6) * np.pi / 3
    tilt = 1.5 * form
    return [Cylinder(start.point, tilted(z, x, y, tilt * np.cos(a), tilt * np.sin(a)), start.radius) for a in angles]


def straightness_line(points: Points, plane_normal: Vector | None) -> Fit:
    """Associate a minimum-zone line: in a given plane (d in that plane), or in space (the narrowest cylinder)."""
    need_points(points, 2, "line")
    if plane_normal is None:
        narrow = axial_feature(points, Criterion.MINIMUM_CIRCUMSCRIBED, "cylinder")
        axis = narrow.feature
        assert isinstance(axis, Cylinder)
        line = Line(axis.point, axis.direction)
        return Fit(line, Criterion.MINIMUM_ZONE, line.distances(points), narrow.iterations, narrow.certificate)
    normal = plane_normal / np.linalg.norm(plane_normal)
    x = any_perpendicular(normal)
    y = np.cross(normal, x)
    local = Normalised(points)
    flat = np.column_stack([local.points @ x, local.points @ y])
    best = _narrowest_strip(flat)
    across = best[0] * x + best[1] * y
    direction = np.cross(normal, across)
    height = local.points @ across
    middle = 0.5 * float(height.max() + height.min())
    # The line lies in the middle of the zone, at the centroid's height over the plane.
    line = Line(local.center + local.scale * middle * across, direction)
    residuals = (points - line.point) @ across
    return Fit(line, Criterion.MINIMUM_ZONE, residuals, 0, None, width_is_signed=True)


def _narrowest_strip(flat: Rows) -> Floats:
    """Return the unit normal (2,) of the narrowest strip around points in a plane: one side lies on a hull edge."""
    try:
        corners = flat[ConvexHull(flat).vertices]
    except QhullError:  # all on one line
        axis = np.linalg.svd(flat - flat.mean(axis=0), full_matrices=False)[2][0]
        return np.array([-axis[1], axis[0]])
    edges = np.roll(corners, -1, axis=0) - corners
    normals = np.column_stack([-edges[:, 1], edges[:, 0]])
    lengths = np.linalg.norm(normals, axis=1)
    normals = normals[lengths > 0] / lengths[lengths > 0, None]
    heights = corners @ normals.T
    return np.asarray(normals[int(np.argmin(np.ptp(heights, axis=0)))])


def _hull_rows(points: Points) -> np.ndarray | None:
    """Return the rows on the convex hull, which alone decide a zone between planes; None when it is flat."""
    if len(points) < 100:
        return None
    try:
        return np.asarray(np.sort(ConvexHull(points).vertices))
    except QhullError:
        return None


def _best(
    model: Model, starts: list[Feature], local: Normalised, points: Points, rows: np.ndarray | None,
    criterion: Criterion, *, with_radius: bool,
) -> Fit:  # fmt: skip
    """Solve from each start; the best level wins."""
    chosen = local.points if rows is None else np.ascontiguousarray(local.points[rows])
    best: Minimax | None = None
    failure: AssociationError | None = None
    for start in starts:
        try:
            solution = solve_minimax(model, start, chosen, _SIDES[criterion], with_radius=with_radius)
        except AssociationError as error:
            failure = error
            continue
        if best is None or solution.level < best.level - 1e-14:
            best = solution
    if best is None:
        assert failure is not None
        raise failure
    if rows is not None:
        c = best.certificate
        moved = Certificate(tuple(int(rows[i]) for i in c.contacts), c.sides, c.multipliers, c.residual)
        best = Minimax(best.feature, best.level, moved, best.iterations)
    return _fit(local.restored(_with_contact_radius(best, criterion)), points, criterion, best)


def _with_contact_radius(solution: Minimax, criterion: Criterion) -> Feature:
    """Give a one-sided feature the radius at which it touches."""
    if criterion == Criterion.MINIMUM_ZONE:
        return solution.feature
    values = solution.feature.parameters
    values["radius"] = solution.level if criterion == Criterion.MINIMUM_CIRCUMSCRIBED else -solution.level
    return type(solution.feature)(**values)


def _fit(feature: Feature, points: Points, criterion: Criterion, solution: Minimax) -> Fit:
    return Fit(feature, criterion, feature.distances(points), solution.iterations, solution.certificate)


def _ball_fit(feature: Feature, points: Points, center: Floats, flat: Rows, support: tuple[int, ...]) -> Fit:
    """Build the result of a smallest ball with the multipliers of its supports."""
    out = flat[list(support)] - center
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    system = np.vstack([out.T, np.ones(len(support))])
    multipliers = np.linalg.lstsq(system, np.append(np.zeros(out.shape[1]), 1.0), rcond=None)[0]
    residual = float(np.linalg.norm(multipliers @ out))
    certificate = Certificate(support, (1,) * len(support), tuple(float(m) for m in multipliers), residual)
    return Fit(feature, Criterion.MINIMUM_CIRCUMSCRIBED, feature.distances(points), 0, certificate)
