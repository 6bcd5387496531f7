"""Several features as one datum (ISO 5459:2011, 7.4 common datum; ASME Y14.5-2018, 7.12 patterns): one rigid fit.

The features keep their places and directions to each other; each size is free. Outside the material the sum of squared
distances is made small (ASME Y14.5.1M-2019, constrained least squares), or the largest gap (contact at high points).
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Points, Rigid, Vector
from truegauge.core.association.exchange import exchange
from truegauge.core.association.features import Circle, Cylinder, Feature, ParallelPlanes, Sphere
from truegauge.core.association.one_sided import least_squares_step_outside
from truegauge.core.errors import AssociationError, DatumError
from truegauge.core.frames import apply, orthonormalised, twist_motion

_MOST = 60
_TOUCHING = np.array([1.0])


class DatumAssociation(StrEnum):
    """How the features of datums are associated."""

    OUTSIDE = "outside"  # of the material: least squares under that condition; holes inscribed, shafts circumscribed
    LEAST_SQUARES = "least_squares"
    HIGH_POINTS = "high_points"  # outside the material, the largest gap as small as can be: on the highest points


@dataclass(frozen=True, slots=True, eq=False)
class DatumSurface:
    """A nominal feature, measured points (n, 3) of it, and on which side the material is (`Nominal.outward`)."""

    nominal: Feature
    points: Points
    outward: int


def size_of(feature: Feature) -> float | None:
    """Return the radius, or half the width, of a feature of size; None for others."""
    if isinstance(feature, Cylinder | Sphere | Circle):
        return feature.radius
    return feature.width / 2 if isinstance(feature, ParallelPlanes) else None


def with_size(feature: Feature, half: float) -> Feature:
    """Return the feature with another radius, or half width."""
    values = dict(feature.parameters)
    if "radius" in values:
        values["radius"] = half
    else:
        values["width"] = 2 * half
    return type(feature)(**values)


def place_together(
    surfaces: Sequence[DatumSurface], method: DatumAssociation, start: Rigid, turns: NDArray[np.float64],
    about: Vector, length: float,
) -> Rigid:  # fmt: skip
    """Return ``part_from_measured`` that lays the surfaces on their nominal features.

    Parameters
    ----------
    start : (4, 4)
        Where the points are now.
    turns : (3, k)
        The turns that are still open; shifts all are.

    Raises
    ------
    DatumError
        The points do not determine the datum, or lie nowhere outside the material.
    """
    free = np.zeros((6, turns.shape[1] + 3))
    free[:3, : turns.shape[1]] = turns / length
    free[3:, turns.shape[1] :] = np.eye(3)
    sized = [k for k, s in enumerate(surfaces) if size_of(s.nominal) is not None]
    halves = np.array([size_of(surfaces[k].nominal) for k in sized], dtype=np.float64)
    pose = start
    last = np.inf
    for turn in range(_MOST):
        d, jacobian, outward = _linear(surfaces, sized, halves, pose, about, free)
        noticed, basis = _noticed(jacobian)
        if method == DatumAssociation.LEAST_SQUARES:
            step = np.linalg.lstsq(noticed, -d, rcond=None)[0]
        elif method == DatumAssociation.OUTSIDE:
            try:
                step = least_squares_step_outside(
                    noticed.T @ noticed, noticed.T @ d, -outward[:, None] * noticed, -outward * d
                )
            except (AssociationError, np.linalg.LinAlgError) as error:
                raise DatumError(f"no datum lies outside the material of these points: {error}") from None
        else:
            step = _highest(d, noticed, outward)
        step = basis @ step
        size = float(np.abs(step).max(initial=0.0))
        pose = np.asarray(twist_motion(free @ step[: free.shape[1]], about) @ pose)
        halves = halves + step[free.shape[1] :]
        if size < 1e-13 * length or (turn > 2 and size < 1e-9 and size >= 0.5 * last):
            return orthonormalised(pose)
        last = size
    raise DatumError("the datum does not converge: the points do not resemble its features")


def _noticed(jacobian: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return the derivatives for the unknowns that the points notice, and the basis of these."""
    values, vectors = np.linalg.eigh(jacobian.T @ jacobian)
    basis = vectors[:, values > 1e-14 * values[-1]]
    return jacobian @ basis, basis


def _linear(
    surfaces: Sequence[DatumSurface], sized: list[int], halves: Floats, pose: Rigid, about: Vector,
    free: NDArray[np.float64],
) -> tuple[Floats, NDArray[np.float64], Floats]:  # fmt: skip
    """Return distances (n,), derivatives for the free motions and sizes, and the side of the material of each."""
    distances, rows, sides = [], [], []
    for k, s in enumerate(surfaces):
        column = sized.index(k) if k in sized else -1
        ideal = with_size(s.nominal, float(halves[column])) if column >= 0 else s.nominal
        moved = apply(pose, s.points)
        normals = ideal.outward(moved)
        own = np.zeros((len(moved), free.shape[1] + len(sized)))
        own[:, : free.shape[1]] = np.hstack([np.cross(moved - about, normals), normals]) @ free
        if column >= 0:
            own[:, free.shape[1] + column] = -1.0
        distances.append(ideal.distances(moved))
        rows.append(own)
        sides.append(np.full(len(moved), float(s.outward)))
    return np.concatenate(distances), np.vstack(rows), np.concatenate(sides)


def _highest(d: Floats, jacobian: NDArray[np.float64], outward: Floats) -> Floats:
    """Minimise the largest gap with no point on the free side."""
    bound = 8 * max(float(np.abs(d).max()), 1e-9)
    status, step, *_ = exchange(
        np.concatenate([-outward * d, outward * d]),
        np.ascontiguousarray(np.vstack([-outward[:, None] * jacobian, outward[:, None] * jacobian])),
        _TOUCHING, bound, np.concatenate([np.ones(len(d)), np.zeros(len(d))]),
    )  # fmt: skip
    if status == 1:
        raise DatumError("the points do not determine the datum: spread them more widely")
    return np.asarray(step)
