"""What the touches of a feature hold: its place and size, its direction; and in words what is missing.

An association always returns something. Touches at one height over a third of a turn give a cylinder too, whose axis
points anywhere; what is read off it says nothing about the part. So spread is checked against the feature as
designed: along the axis, around it, over a plane.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from truegauge.core.around import algebraic_center, widest_gap
from truegauge.core.arrays import Floats, Points
from truegauge.core.association.features import Cone, Cylinder, Plane, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError

DIRECTION, PLACE = "direction", "place"
_ALONG = 0.2  # of the length of a feature: nearer touches tell its direction too badly for its ends
_AROUND = 0.5  # of the arc of a feature
_MOST = 8.0  # mm that the ends (or the corners, the centre) may move for errors of one mm of single touches
_ROUNDED = np.radians(1.0)


@dataclass(frozen=True, slots=True)
class Held:
    """What is missing, in words; empty where it is held."""

    direction: str = ""
    place: str = ""

    def missing(self, need: str) -> str:
        """Return what is missing for "direction" or "place"."""
        return self.direction if need == DIRECTION else self.place


ALL_HELD = Held()


class HasHeld(Protocol):
    """A measured feature: it knows what its points hold."""

    @property
    def held(self) -> Held:
        """What is missing."""


def need_held(needs: Sequence[str], features: Sequence[HasHeld], names: Sequence[str] = ()) -> None:
    """Check that touches hold what something needs of features.

    Raises
    ------
    EvaluationError
        What is missing, with the name of the feature.
    """
    for k, feature in enumerate(features):
        for need in needs:
            missing = feature.held.missing(need)
            if missing:
                raise EvaluationError(f"{names[k]}: {missing}" if k < len(names) else missing)


def held_by(nominal: Nominal, points: Points) -> Held:
    """Return what touches (n, 3) of a feature hold.

    Parameters
    ----------
    nominal : Nominal
        The feature as designed, near the touches: its axis, length, arc, and (of a plane) its corners.
    """
    feature = nominal.feature
    if isinstance(feature, Cylinder | Cone):
        return _turned(nominal, feature, points)
    if isinstance(feature, Plane):
        return _plane(nominal, feature, points)
    if isinstance(feature, Sphere):
        return _ball(feature, points)
    return ALL_HELD


def _turned(nominal: Nominal, feature: Cylinder | Cone, points: Points) -> Held:
    axes = feature.pose.axes
    local = (points - nominal.center) @ axes.T
    if len(local) >= 3:
        local[:, :2] -= algebraic_center(local[:, :2])
    height = local[:, 2]
    span, n = float(np.ptp(height)), len(points)
    gap = widest_gap(local[:, :2])
    around = 2 * np.pi - gap
    place = direction = ""
    if around < _AROUND * nominal.arc - _ROUNDED:
        place = (
            f"{n} touches over {np.degrees(around):.0f} degrees; at least "
            f"{np.degrees(_AROUND * nominal.arc):.0f} of its {np.degrees(nominal.arc):.0f} are needed"
        )
    needed = _ALONG * nominal.length
    if span < needed:
        at = "at one height" if span < 0.5 * needed else f"over {span:.2f} mm along the axis"
        direction = f"{n} touches {at}; its direction needs touches at least {needed:.2f} mm apart along the axis"
    elif _shaky(_turned_rows(local, feature), _ends(height, nominal, feature)):
        direction = f"{n} touches that leave its direction open: touch it all around at two heights at least"
    if place and not direction and gap > np.pi:
        direction = place
    return Held(direction, place)


def _turned_rows(local: Points, feature: Cylinder | Cone) -> NDArray[np.float64]:
    """Return what each touch says of place, tilt, radius (and the angle of a cone): rows of derivatives."""
    angle = np.arctan2(local[:, 1], local[:, 0])
    x, y, z = np.cos(angle), np.sin(angle), local[:, 2]
    columns = [x, y, x * z, y * z, np.ones(len(z))]
    return np.column_stack([*columns, z] if isinstance(feature, Cone) else columns)


def _ends(height: Floats, nominal: Nominal, feature: Cylinder | Cone) -> NDArray[np.float64]:
    """Return how place and tilt move the ends of the axis."""
    count = 6 if isinstance(feature, Cone) else 5
    rows = np.zeros((4, count))
    for k, z in enumerate((-0.5 * nominal.length, 0.5 * nominal.length)):
        rows[2 * k, [0, 2]] = 1.0, z
        rows[2 * k + 1, [1, 3]] = 1.0, z
    return rows


def _shaky(rows: NDArray[np.float64], ends: NDArray[np.float64]) -> bool:
    """Tell whether errors of single touches come out multiplied by too much."""
    scale = np.maximum(np.abs(rows).max(axis=0), 1e-12)
    _, strength, vectors = np.linalg.svd(rows / scale, full_matrices=False)
    if len(strength) < rows.shape[1] or strength[-1] < 1e-9 * strength[0]:
        return True
    carried = (ends / scale) @ vectors.T / strength
    return bool(np.linalg.norm(carried, axis=1).max() > _MOST)


def _plane(nominal: Nominal, feature: Plane, points: Points) -> Held:
    axes = feature.pose.axes
    local = (points - nominal.center) @ axes.T
    n = len(points)
    if n < 3:
        return ALL_HELD  # the association says how many are needed
    middle = local[:, :2].mean(axis=0)
    spread = np.linalg.svd(local[:, :2] - middle, compute_uv=False)
    if spread[1] < 1e-3 * spread[0]:
        return _not_flat(n)
    corners = local if nominal.corners is None else (nominal.corners - nominal.center) @ axes.T
    rows = np.column_stack([local[:, :2] - middle, np.ones(n)])
    ends = np.column_stack([corners[:, :2] - middle, np.ones(len(corners))])
    return _not_flat(n) if _shaky(rows, ends) else ALL_HELD


def _not_flat(count: int) -> Held:
    said = f"{count} touches that lie close together or on one line; a plane needs touches spread over its face"
    return Held(said, said)


def _ball(feature: Sphere, points: Points) -> Held:
    toward = points - feature.center
    length = np.linalg.norm(toward, axis=1)
    rows = np.column_stack([toward / np.maximum(length, 1e-12)[:, None], np.ones(len(points))])
    if len(points) >= 4 and _shaky(rows, np.eye(3, 4)):
        said = f"{len(points)} touches on too small a part of the ball; spread them over half of it"
        return Held("", said)
    return ALL_HELD
