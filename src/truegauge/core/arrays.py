"""Array aliases and the checks done once at the public doors."""

from typing import Any

import numpy as np
from numpy.typing import NDArray

Points = NDArray[np.float64]  # (n, 3), mm
Vector = NDArray[np.float64]  # (3,)
Normals = NDArray[np.float64]  # (n, 3), unit, out of the material
Rigid = NDArray[np.float64]  # (4, 4), named to_from
Triangles = NDArray[np.int64]  # (m, 3)
Floats = NDArray[np.float64]  # (n,)
Mask = NDArray[np.bool_]  # (n,)
Ints = NDArray[np.int64]  # (n,)


def as_points(values: Any) -> Points:
    """Return `values` as (n, 3) float64, contiguous.

    Raises
    ------
    ValueError
        Another shape, or numbers that are not finite.
    """
    points = np.ascontiguousarray(values, dtype=np.float64)
    if points.ndim != 2 or points.shape[1] != 3:
        raise ValueError(f"points must be (n, 3), not {points.shape}")
    if not np.isfinite(points).all():
        raise ValueError("points must be finite numbers")
    return points


def three(values: Vector) -> tuple[float, float, float]:
    """Return a vector as a document has it."""
    x, y, z = (float(v) for v in values)
    return x, y, z


def box_corners(box: Points) -> Points:
    """Return the corners (8, 3) of a box (2, 3); corner number 4 i + 2 j + k has ends i, j, k along x, y, z."""
    return np.array([[box[i, 0], box[j, 1], box[k, 2]] for i in (0, 1) for j in (0, 1) for k in (0, 1)])


def unit(vector: Any) -> Vector:
    """Return `vector` scaled to unit length (ValueError for the zero vector)."""
    v = np.asarray(vector, dtype=np.float64)
    length = float(np.linalg.norm(v))
    if not length > 0:
        raise ValueError("a zero vector has no direction")
    return v / length


def any_perpendicular(direction: Vector) -> Vector:
    """Return one unit vector perpendicular to the unit vector `direction`."""
    helper = np.zeros(3)
    helper[int(np.argmin(np.abs(direction)))] = 1.0
    return unit(np.cross(direction, helper))


def for_reading(array: NDArray[Any]) -> NDArray[Any]:
    """Return a read-only, contiguous view: compiled code is made once for each kind of array, not twice."""
    view = np.ascontiguousarray(array).view()
    view.setflags(write=False)
    return view


def frozen(array: NDArray[Any]) -> NDArray[Any]:
    """Mark `array` read-only and return it: stored arrays are never written again."""
    array.setflags(write=False)
    return array
