"""Deviations as the map shows them: by a tolerance of their own where a face has one."""

import numpy as np

from truegauge.core.arrays import Floats
from truegauge.core.deviations.deviation_map import MapMesh
from truegauge.core.deviations.map_scale import DeviationScale


def shown_values(mesh: MapMesh, values: Floats, scale: DeviationScale) -> Floats:
    """Return values (n,) on the scale of the plan: a face at its own limit shows the colour of the plan's limit."""
    if not scale.own:
        return values
    return np.asarray(values * (scale.tolerance / vertex_tolerances(mesh, scale)))


def vertex_tolerances(mesh: MapMesh, scale: DeviationScale) -> Floats:
    """Return the tolerance (n,) mm at each vertex."""
    return face_tolerances(int(mesh.vertex_face.max()) + 1, scale)[mesh.vertex_face]


def face_tolerances(count: int, scale: DeviationScale) -> Floats:
    """Return the tolerance (count,) mm of each face."""
    found = np.full(count, scale.tolerance)
    for own in reversed(scale.own):  # the first that names a face holds
        found[[f for f in own.faces if 0 <= f < count]] = own.tolerance
    return found


def is_outside(values: Floats, tolerances: Floats, scale: DeviationScale) -> np.ndarray:
    """Tell which deviations (n,) are outside; a one-sided scale looks at one side only. NaN is not outside."""
    known = np.nan_to_num(values, nan=0.0)
    if scale.sided == "plus":
        return np.asarray(known > tolerances)
    if scale.sided == "minus":
        return np.asarray(known < -tolerances)
    return np.asarray(np.abs(known) > tolerances)
