"""Spot checks: the deviation of the surface at a place, free of the noise of single points."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector
from truegauge.core.association.axes import axes_along
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import cells_of
from truegauge.core.features.measured_surface import patch_surface

_LEAST = 3  # points
_FOR_SLOPE = 8  # points: with fewer the mean is taken
_STRAY = 4.0  # robust scales
_FOR_SURFACE = 60  # points
_FAR = 5.0  # robust scales, as for features
_ENDS = 9  # places among which the extreme is, where the surface is nearly level


@dataclass(frozen=True, slots=True, eq=False)
class SpotReading:
    """A deviation (mm), the nominal place (3,) and the measured point (3,), the points behind it and their scatter."""

    value: float
    place: Vector
    measured: Vector
    direction: Vector
    points: int
    scatter: float

    @property
    def random(self) -> float:
        """The standard uncertainty (mm) that the scatter of the points leaves."""
        return self.scatter / float(np.sqrt(max(1, self.points)))


def read_spot(
    feet: Points, deviations: Floats, place: Vector, normal: Vector, direction: Vector | None = None
) -> SpotReading:
    """Read the deviation at a place from the points around it.

    A plane is fitted through the deviations over the surface, so that neither noise nor a slope falsifies the value;
    points farther than four robust scales off it are left out once.

    Parameters
    ----------
    feet : (n, 3) float64
        Nearest points on the nominal surface of the measured points near the place, mm.
    deviations : (n,) float64
        Their deviations, mm, positive out of the material.
    place, normal : (3,) float64
        On the nominal surface, and the unit outward normal there.
    direction : (3,) float64, optional
        Unit direction to read along instead of the normal; towards outside the material.

    Raises
    ------
    EvaluationError
        Fewer than three points, or the direction lies in the surface.
    """
    if len(deviations) < _LEAST:
        raise EvaluationError(f"{len(deviations)} points near the place, a spot check needs {_LEAST}")
    x, y, _ = axes_along(normal)
    local = (feet - place) @ np.array([x, y]).T
    value, residuals = _at_origin(local, deviations)
    scale = 1.4826 * float(np.median(np.abs(residuals - np.median(residuals))))
    kept = np.abs(residuals) <= _STRAY * scale if scale > 0 else np.ones(len(residuals), dtype=bool)
    if _LEAST <= kept.sum() < len(kept):
        value, residuals = _at_origin(local[kept], deviations[kept])
    along = normal if direction is None else direction
    cosine = float(along @ normal)
    if abs(cosine) < 0.05:
        raise EvaluationError("the direction of the spot check runs along the surface there")
    value /= cosine
    scatter = float(np.std(residuals)) / abs(cosine)
    return SpotReading(value, place, place + value * along, along, len(residuals), scatter)


def _at_origin(local: np.ndarray, deviations: Floats) -> tuple[float, Floats]:
    """Return the fitted deviation at (0, 0) and the residuals."""
    if len(local) < _FOR_SLOPE:
        return float(deviations.mean()), deviations - deviations.mean()
    reach = float(np.abs(local).max()) or 1.0
    design = np.column_stack([np.ones(len(local)), local / reach])
    # Where all points lie on one side, a slope would be carried on to the place: a little pull keeps it down.
    pull = np.diag([0.0, 0.05, 0.05]) * np.sqrt(len(local))
    solved = np.linalg.lstsq(
        np.vstack([design, pull]), np.concatenate([deviations, np.zeros(3)]), rcond=None
    )[0]  # fmt: skip
    return float(solved[0]), np.asarray(deviations - design @ solved)


def read_extreme(feet: Points, normals: Points, deviations: Floats, averaging: float, *, highest: bool) -> SpotReading:
    """Read the highest or lowest deviation of an area, from medians over cubes of side `averaging` (mm; 0: the points).

    The extreme of single points would tell the noise of the device and its strays, and grow with their number; so of
    many points it is that of the estimated surface.

    Raises
    ------
    EvaluationError
        Fewer than three points.
    """
    if len(deviations) < _LEAST:
        raise EvaluationError(f"{len(deviations)} points in the area, an extreme needs {_LEAST}")
    if averaging > 0 and len(deviations) >= _FOR_SURFACE:
        surface = patch_surface(feet, normals, deviations, averaging)
        heights = ((surface.points - feet[surface.rows]) * surface.normals).sum(axis=1)
        sense = 1.0 if highest else -1.0
        ends = np.argsort(sense * heights)[-_ENDS:]
        found = [_around(feet, deviations, feet[surface.rows[k]], surface.normals[k], 0.5 * averaging) for k in ends]
        return max(found, key=lambda reading: sense * reading.value)
    inverse = np.arange(len(deviations)) if averaging <= 0 else np.unique(
        cells_of(feet, averaging), return_inverse=True
    )[1].ravel()  # fmt: skip
    counts = np.bincount(inverse)
    ordered = deviations[np.lexsort((deviations, inverse))]
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    medians = (ordered[starts + (counts - 1) // 2] + ordered[starts + counts // 2]) / 2
    enough = counts >= min(_LEAST, int(counts.max()))
    if averaging > 0:  # cubes touched at a corner hold few points and would bring the noise back
        enough &= counts >= 0.4 * float(np.median(counts))
    candidates = np.flatnonzero(enough)
    best = candidates[np.argmax(medians[candidates]) if highest else np.argmin(medians[candidates])]
    rows = np.flatnonzero(inverse == best)
    middle = feet[rows].mean(axis=0)
    nearest = rows[np.argmin(((feet[rows] - middle) ** 2).sum(axis=1))]
    place, value = feet[nearest], float(medians[best])
    normal = np.asarray(normals[nearest], dtype=np.float64)
    scatter = 1.4826 * float(np.median(np.abs(deviations[rows] - value)))
    return SpotReading(value, place, place + value * normal, normal, len(rows), scatter)


def _around(feet: Points, deviations: Floats, place: Vector, normal: Vector, reach: float) -> SpotReading:
    """Read the mean of the points around a place.

    Where an extreme is, the surface says; how high it is there, these points: a narrow top is not smoothed away.
    """
    near = np.flatnonzero(((feet - place) ** 2).sum(axis=1) <= reach**2)
    off = np.abs(deviations[near] - np.median(deviations[near]))
    near = near[off <= max(_FAR * 1.4826 * float(np.median(off)), 1e-9)]
    value = float(deviations[near].mean())
    return SpotReading(value, place, place + value * normal, normal, len(near), float(np.std(deviations[near])))
