"""Where the search for a shape begins when nothing is known: linear fits over many directions.

With the direction of the axis given, each round shape has a linear fit in the frame of the axis; the directions cover
half of the sphere evenly, or what a constraint leaves of it.
"""

import numpy as np
from numba import njit
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points, Vector
from truegauge.core.association import kernels
from truegauge.core.association.constraints import Constraints
from truegauge.core.association.features import Pose
from truegauge.core.association.kernels import CONE, CYLINDER, LINE, PLANE, SPHERE, TORUS
from truegauge.core.association.small_algebra import algebraic_center, axes_along, solve_linear

Rows = NDArray[np.float64]
_DIRECTIONS = 150
_SAMPLE = 300
_NONE = np.empty(0)


def even_directions(count: int) -> Points:
    """Return `count` evenly spread directions over half the sphere (Fibonacci lattice)."""
    k = np.arange(count) + 0.5
    z = k / count
    angle = np.pi * (1 + 5**0.5) * k
    r = np.sqrt(1 - z * z)
    return np.column_stack([r * np.cos(angle), r * np.sin(angle), z])


_EVEN = even_directions(_DIRECTIONS)


def _directions_to_try(points: Points, constraints: Constraints) -> Points:
    """Return the directions an axis may have, (m, 3)."""
    if constraints.direction is not None:
        return np.array([constraints.direction / np.linalg.norm(constraints.direction)])
    if constraints.across is not None:
        x, y, _ = axes_along(constraints.across / np.linalg.norm(constraints.across))  # type: ignore[no-untyped-call]
        angles = np.linspace(0, np.pi, 72, endpoint=False)[:, None]
        return np.asarray(np.cos(angles) * x + np.sin(angles) * y)
    principal = np.linalg.svd(points - points.mean(axis=0), full_matrices=False)[2]
    return np.vstack([principal, _EVEN])


def axial_starts(code: int, points: Points, constraints: Constraints) -> list[Pose]:
    """Return poses to begin from, over all directions that the constraints leave; the most promising first."""
    many = len(points) > _SAMPLE
    sample = points[np.linspace(0, len(points) - 1, _SAMPLE).astype(int)] if many else points
    directions = np.array([[0.0, 0.0, 1.0]]) if code == SPHERE else _directions_to_try(sample, constraints)
    origins, axes, sizes, squares = _candidates(code, sample, np.ascontiguousarray(directions))  # type: ignore[no-untyped-call]
    order = np.argsort(squares, kind="stable")
    return [Pose(code, origins[k], axes[k], sizes[k]) for k in order if np.isfinite(squares[k])]


def bent_starts(points: Points, cylinder: Pose) -> list[Pose]:
    """Return tori that follow a cylinder and bend to any side: for short pieces of a ring."""
    x, y, axis = cylinder.axes
    minor = float(cylinder.sizes[0])
    found = []
    for angle in np.arange(12) * np.pi / 6:
        inward = np.cos(angle) * x + np.sin(angle) * y
        own = axes_along(np.cross(axis, inward))  # type: ignore[no-untyped-call]
        for major in (1.1, 1.6, 2.4, 4.0, 8.0, 20.0):
            found.append(_pose(TORUS, cylinder.origin + major * inward, own, major, min(minor, 0.95 * major)))
    squares = [
        kernels.normal_equations(TORUS, p.origin, p.axes, p.sizes, points, _NONE)[2]  # type: ignore[no-untyped-call]
        for p in found
    ]
    return [found[k] for k in np.argsort(squares, kind="stable")[:4]]


@njit(cache=True, nogil=True)
def _candidates(code, points, directions):  # type: ignore[no-untyped-def]
    """Return origins (m, 3), axes (m, 3, 3), sizes (m, 2) and sums of squares (m,), inf where there is no fit."""
    m, n = directions.shape[0], points.shape[0]
    origins, axes = np.zeros((2 * m, 3)), np.zeros((2 * m, 3, 3))
    sizes, squares = np.zeros((2 * m, 2)), np.full(2 * m, np.inf)
    local = np.empty((n, 3))
    for k in range(m):
        own = np.eye(3) if code == SPHERE else axes_along(directions[k])
        for i in range(n):
            for c in range(3):
                local[i, c] = own[c, 0] * points[i, 0] + own[c, 1] * points[i, 1] + own[c, 2] * points[i, 2]
        for second in range(2):
            j = 2 * k + second
            axes[j] = own
            there, x, y, z, first_size, second_size, sense = _linear_fit(code, local, second)
            if not there:
                continue
            for c in range(3):
                origins[j, c] = own[0, c] * x + own[1, c] * y + own[2, c] * z
            if sense < 0:
                axes[j, 1] *= -1.0
                axes[j, 2] *= -1.0
            sizes[j, 0], sizes[j, 1] = first_size, second_size
            squares[j] = kernels.normal_equations(code, origins[j], axes[j], sizes[j], points, np.empty(0))[2]
    return origins, axes, sizes, squares


@njit(cache=True, nogil=True)
def _linear_fit(code, local, second):  # type: ignore[no-untyped-def]
    """Fit with the axis along z: whether there is one, its place (3), sizes (2), and the sense of the axis."""
    none = (False, 0.0, 0.0, 0.0, 0.0, 0.0, 1)
    if code == CONE:
        return _cone_fit(local, second)
    if code == TORUS:
        return _torus_fit(local, second)
    if second:
        return none
    if code == LINE or code == PLANE:
        return (True, 0.0, 0.0, 0.0, 0.0, 0.0, 1)
    if code == CYLINDER:
        center, radius = algebraic_center(np.ascontiguousarray(local[:, :2]))
        return (radius > 0.0, center[0], center[1], 0.0, radius, 0.0, 1)
    if code == SPHERE:
        center, radius = algebraic_center(local)
        return (radius > 0.0, center[0], center[1], center[2], radius, 0.0, 1)
    z = local[:, 2]
    middle = 0.5 * (z.max() + z.min())
    above, below, count = 0.0, 0.0, 0
    for i in range(len(z)):
        if z[i] >= middle:
            above += z[i]
            count += 1
        else:
            below += z[i]
    if count == len(z):
        return none
    above, below = above / count, below / (len(z) - count)
    return (True, 0.0, 0.0, 0.5 * (above + below), 0.5 * (above - below), 0.0, 1)


@njit(cache=True, nogil=True)
def _cone_fit(local, second):  # type: ignore[no-untyped-def]
    """x^2 + y^2 = a x + b y + c + d z + e z^2 describes cones along z and is linear in a ... e."""
    none = (False, 0.0, 0.0, 0.0, 0.0, 0.0, 1)
    matrix, right, row = np.zeros((5, 5)), np.zeros(5), np.empty(5)
    for i in range(local.shape[0]):
        x, y, z = local[i, 0], local[i, 1], local[i, 2]
        row[0], row[1], row[2], row[3], row[4] = x, y, 1.0, z, z * z
        square = x * x + y * y
        for j in range(5):
            right[j] += row[j] * square
            for k in range(5):
                matrix[j, k] += row[j] * row[k]
    regular, s = solve_linear(matrix, right)
    if not regular:
        return none
    # (x - a/2)^2 + (y - b/2)^2 = e (z + d / 2e)^2 + rest: the slope is sqrt(e).
    middle2 = s[2] + (s[0] * s[0] + s[1] * s[1]) / 4.0  # the squared radius at z = 0
    if not 0.0 < middle2 < 1e12:
        return none
    radius = np.sqrt(middle2)
    slope = s[3] / (2.0 * radius)  # the tangent's at z = 0: of narrow cones the curvature along z is lost in noise
    if second:
        if s[4] <= 1e-12:
            return none
        slope = np.sqrt(s[4]) if s[3] > 0.0 else -np.sqrt(s[4])
    if abs(slope) < 1e-9:
        return none
    return (True, s[0] / 2.0, s[1] / 2.0, 0.0, radius, np.arctan(abs(slope)), 1 if slope > 0.0 else -1)


@njit(cache=True, nogil=True)
def _torus_fit(local, second):  # type: ignore[no-untyped-def]
    """(rho - R)^2 + (z - z0)^2 = r^2 is linear in R, z0 and r^2 - R^2 - z0^2, once the axis is placed."""
    none = (False, 0.0, 0.0, 0.0, 0.0, 0.0, 1)
    n = local.shape[0]
    if second:
        x0, y0 = local[:, 0].mean(), local[:, 1].mean()
    else:
        center, radius = algebraic_center(np.ascontiguousarray(local[:, :2]))
        if radius == 0.0:
            return none
        x0, y0 = center[0], center[1]
    matrix, right, row = np.zeros((3, 3)), np.zeros(3), np.empty(3)
    for i in range(n):
        x, y, z = local[i, 0] - x0, local[i, 1] - y0, local[i, 2]
        rho2 = x * x + y * y
        row[0], row[1], row[2] = 2.0 * np.sqrt(rho2), 2.0 * z, 1.0
        for j in range(3):
            right[j] += row[j] * (rho2 + z * z)
            for k in range(3):
                matrix[j, k] += row[j] * row[k]
    regular, s = solve_linear(matrix, right)
    minor2 = s[2] + s[0] * s[0] + s[1] * s[1]
    if not regular or not s[0] > 0.0 or not 0.0 < minor2 < 1e12:
        return none
    return (True, x0, y0, s[1], s[0], np.sqrt(minor2), 1)


def _pose(code: int, origin: Vector, axes: Points, first: float = 0.0, second: float = 0.0) -> Pose:
    return Pose(code, np.asarray(origin, dtype=np.float64), axes, np.array([first, second]))


@njit(cache=True, nogil=True)
def _circle(points, normal):  # type: ignore[no-untyped-def]
    """Return origin, axes and sizes of the algebraic circle in the plane across `normal`; radius 0 for none."""
    axes, n = axes_along(normal), points.shape[0]
    flat = np.empty((n, 2))
    for i in range(n):
        for c in range(2):
            flat[i, c] = axes[c, 0] * points[i, 0] + axes[c, 1] * points[i, 1] + axes[c, 2] * points[i, 2]
    center, radius = algebraic_center(flat)
    sizes = np.zeros(2)
    sizes[0] = radius
    return axes[0] * center[0] + axes[1] * center[1], axes, sizes


def flat_starts(code: int, points: Points, normal: Vector) -> list[Pose]:
    """Return poses of a shape in the plane across `normal` to begin from."""
    sample = points if len(points) <= 5000 else points[np.linspace(0, len(points) - 1, 5000).astype(int)]
    if code == kernels.CIRCLE:
        pose = Pose(code, *_circle(sample, np.ascontiguousarray(normal)))  # type: ignore[no-untyped-call]
        return [pose] if pose.sizes[0] > 0 else []
    axes = axes_along(normal)  # type: ignore[no-untyped-call]
    flat = sample @ axes[:2].T
    if code == kernels.ELLIPSE:
        return _ellipses(flat, axes)
    middle, angle, length, width = _narrowest_box(flat)
    origin = middle @ axes[:2]
    found_poses = []
    for more in (0.0, 0.05, -0.05, np.pi / 4):
        c, s = np.cos(angle + more), np.sin(angle + more)
        turned = np.vstack([c * axes[0] + s * axes[1], c * axes[1] - s * axes[0], axes[2]])
        if code == kernels.FLAT_LINE:
            found_poses.append(_pose(code, origin, turned))
        elif code == kernels.ROUND_SLOT:
            found_poses.append(_pose(code, origin, turned, (length - width) / 2, width / 2))
        else:
            found_poses.append(_pose(code, origin, turned, length / 2, width / 2))
    return found_poses


def _narrowest_box(flat: Rows) -> tuple[Floats, float, float, float]:
    """Return middle, angle, length and width of the narrowest box around points in a plane (one side on the hull)."""
    from scipy.spatial import ConvexHull, QhullError

    try:
        corners = flat[ConvexHull(flat).vertices]
    except QhullError:  # all on one line
        axis = np.linalg.svd(flat - flat.mean(axis=0), full_matrices=False)[2][0]
        return flat.mean(axis=0), float(np.arctan2(axis[1], axis[0])), float(np.ptp(flat @ axis)), 0.0
    edges = np.roll(corners, -1, axis=0) - corners
    angles = np.arctan2(edges[:, 1], edges[:, 0])
    along = corners @ np.vstack([np.cos(angles), np.sin(angles)])
    across = corners @ np.vstack([-np.sin(angles), np.cos(angles)])
    k = int(np.argmin(np.ptp(across, axis=0)))
    u, v = (along[:, k].max() + along[:, k].min()) / 2, (across[:, k].max() + across[:, k].min()) / 2
    c, s = np.cos(angles[k]), np.sin(angles[k])
    length, width = float(np.ptp(along[:, k])), float(np.ptp(across[:, k]))
    if length >= width:
        return np.array([c * u - s * v, s * u + c * v]), float(angles[k]), length, width
    return np.array([c * u - s * v, s * u + c * v]), float(angles[k] + np.pi / 2), width, length


def _ellipses(flat: Rows, axes: Points) -> list[Pose]:
    """The conic of least algebraic distance, when it is an ellipse; and the ellipse of the second moments."""
    middle = flat.mean(axis=0)
    size = float(np.abs(flat - middle).max()) or 1.0
    x, y = ((flat - middle) / size).T
    found = []
    system = np.column_stack([x * x, x * y, y * y, x, y, np.ones(len(x))])
    conic = np.linalg.svd(system, full_matrices=len(x) < 6)[2][-1]
    a, b, c, d, e, f = conic
    if b * b - 4 * a * c < 0:
        matrix = np.array([[a, b / 2], [b / 2, c]])
        center = np.linalg.solve(-2 * matrix, [d, e])
        level = -(f + 0.5 * (d * center[0] + e * center[1]))
        values, vectors = np.linalg.eigh(matrix)
        if (level / values > 0).all():
            found.append((center, np.sqrt(level / values), vectors))
    moments, vectors = np.linalg.eigh(np.cov(np.vstack([x, y])))
    found.append((np.zeros(2), np.sqrt(2 * np.maximum(moments, 1e-12)), vectors))
    poses = []
    for center, radii, vectors in found:
        order = np.argsort(-radii)
        long_axis = vectors[0, order[0]] * axes[0] + vectors[1, order[0]] * axes[1]
        own = np.vstack([long_axis, np.cross(axes[2], long_axis), axes[2]])
        origin = (middle + size * center) @ axes[:2]
        poses.append(_pose(kernels.ELLIPSE, origin, own, float(size * radii[order[0]]), float(size * radii[order[1]])))
    return poses
