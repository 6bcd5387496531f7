"""Gauss-Newton with orthogonal factorisation for least-squares association, ended on the size of the step."""

from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points, Vector
from truegauge.core.association.features import Feature
from truegauge.core.association.normal_equations import MANY, normal_equations, normalised
from truegauge.core.errors import AssociationError

Rows = NDArray[np.float64]


class Model(Protocol):
    """A shape as the solver needs it: distances, their derivatives, and a step in a minimal parametrisation."""

    def linearised(self, feature: Feature, points: Points) -> tuple[Floats, Rows]:
        """Return distances (n,) and Jacobian (n, p) at the feature."""

    def stepped(self, feature: Feature, step: Floats) -> Feature:
        """Return the feature after a step (p,)."""

    def axes(self, feature: Feature) -> Rows:
        """Return the rows x, y, z of the frame in which the parameters are counted."""


class Normalised:
    """Points moved to their centroid and scaled to unit size, and the way back."""

    def __init__(self, points: Points) -> None:
        if len(points) >= MANY:
            self.center, self.scale, self.points = normalised(np.ascontiguousarray(points))
            return
        self.center = points.mean(axis=0)
        local = points - self.center
        # The mean of numbers far from the origin is rounded; the mean of the differences tells the rest.
        rest = local.mean(axis=0)
        self.center, local = self.center + rest, local - rest
        self.scale = float(np.abs(local).max()) or 1.0
        self.points = local / self.scale

    def restored(self, feature: Feature) -> Feature:
        """Return the feature in the original frame and size."""
        return _rescaled(feature, self.scale, self.center)

    def normalised(self, feature: Feature) -> Feature:
        """Return a feature of the original frame in the normalised one."""
        return _rescaled(feature, 1 / self.scale, -self.center / self.scale)


def _rescaled(feature: Feature, factor: float, shift: Vector) -> Feature:
    changes = feature.parameters
    for name in changes:
        if name in ("point", "center", "apex"):
            changes[name] = changes[name] * factor + shift
        elif name in ("radius", "major_radius", "minor_radius"):
            changes[name] = changes[name] * factor
    return type(feature)(**changes)


def minimise(model: Model, start: Feature, points: Points, *, most: int = 400) -> tuple[Feature, float, int]:
    """Return the feature of least squared distances near `start`, its sum of squares, and the iterations.

    `points` are normalised (about unit size), so that steps are relative. Ends when the step no longer shrinks at the
    level of rounding, which leaves all digits in the parameters.

    Raises
    ------
    AssociationError
        The points do not determine the feature, or no convergence.
    """
    if len(points) >= MANY:
        fast = _minimised_in_passes(model, start, points)
        if fast is not None:
            return fast
    feature, last = start, np.inf
    for turn in range(most):
        distances, jacobian = model.linearised(feature, points)
        square = float(distances @ distances)
        if not np.isfinite(square):
            raise AssociationError("the association does not converge; the points do not resemble the shape")
        step, condition = _solve(jacobian, -distances)
        if condition > 1e13:
            raise AssociationError("the points do not determine the feature: spread them more widely over it")
        size = float(np.abs(step).max())
        if size < 1e-15 or (size < 1e-9 and size >= 0.5 * last):
            return feature, square, turn
        feature = _guarded(model, feature, points, step, square, size)
        last = size
    raise AssociationError(f"no convergence in {most} steps; the points do not resemble the shape")


def _minimised_in_passes(model: Model, start: Feature, points: Points) -> tuple[Feature, float, int] | None:
    """Full steps from the normal equations; None when that does not lead straight to the end."""
    feature, last, before = start, np.inf, np.inf
    for turn in range(60):
        matrix, gradient, square = normal_equations(feature, model.axes(feature), points)
        if not np.isfinite(square) or square > 4 * before:
            return None
        norms = np.sqrt(np.diag(matrix))
        if not (norms > 0).all():
            return None
        scaled = matrix / np.outer(norms, norms)
        if np.linalg.cond(scaled) > 1e12:
            return None  # the factorisation of the slow way tells more
        step = -np.linalg.solve(scaled, gradient / norms) / norms
        size = float(np.abs(step).max())
        if size > 0.3:
            return None
        if size < 1e-15 or (size < 1e-9 and size >= 0.5 * last):
            return feature, square, turn
        feature, last, before = model.stepped(feature, step), size, square
    return None


def _guarded(model: Model, feature: Feature, points: Points, step: Floats, square: float, size: float) -> Feature:
    """Take the step, halved until the sum of squares does not grow (far from the end only)."""
    share = 1.0 if size < 0.5 else 0.5 / size
    for _ in range(30):
        trial = model.stepped(feature, share * step)
        trial_square = float(np.sum(trial.distances(points) ** 2))
        if trial_square <= square * (1 + 1e-9) or size * share < 1e-7:
            return trial
        share *= 0.5
    raise AssociationError("the association does not converge; the points do not resemble the shape")


def _solve(jacobian: Rows, right: Floats) -> tuple[Floats, float]:
    """Solve the linear least-squares problem by QR; also return the condition of R with unit columns."""
    q, r = np.linalg.qr(jacobian)
    norms = np.linalg.norm(r, axis=0)
    if not (norms > 0).all():
        return np.zeros(r.shape[0]), np.inf
    singular = np.linalg.svd(r / norms, compute_uv=False)
    if singular[-1] <= 1e-14 * singular[0]:
        return np.zeros(r.shape[0]), np.inf
    return np.linalg.solve(r, q.T @ right), float(singular[0] / singular[-1])


def tilted(direction: Vector, u: Vector, v: Vector, a: float, b: float) -> Vector:
    """Return `direction` moved by small components along its perpendiculars `u`, `v`."""
    turned = direction + a * u + b * v
    return np.asarray(turned / np.linalg.norm(turned))


def best_of_starts(
    model: Model, starts: list[Feature], points: Points, *, few: int = 400, keep: int = 3
) -> tuple[Feature, float, int]:
    """Minimise from several starts on a thinned set, then finish the best on all points."""
    if not starts:
        raise AssociationError("the points do not resemble the shape")
    sample = points if len(points) <= few else points[np.linspace(0, len(points) - 1, few).astype(int)]
    ranked = sorted(starts, key=lambda f: float(np.sum(f.distances(sample) ** 2)))[: max(keep, 1)]
    results: list[tuple[float, Feature]] = []
    failure: AssociationError | None = None
    for start in ranked:
        try:
            feature, square, _ = minimise(model, start, sample)
        except AssociationError as error:
            failure = error
            continue
        results.append((square, feature))
    if not results:
        assert failure is not None
        raise failure
    return minimise(model, min(results, key=lambda r: r[0])[1], points)
