"""The measured curve of a section: the points near the plane, carried along the surface into it."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Ints, Normals, Points
from truegauge.core.cad.projection import Projector
from truegauge.core.sections.cone import SectionSurface
from truegauge.core.sections.nominal import NominalSection, onto_surface
from truegauge.core.sections.plane import Flat

_ALONG = 0.2
_AROUND = 12
_MOST = 60_000  # points: more tell a curve no better


@dataclass(frozen=True, slots=True, eq=False)
class MeasuredSection:
    """Points (m, 2) of the measured curve, the feet (m, 2) on the nominal one, deviations (m,) mm, faces (m,).

    Deviations are along the normal of the surface; `offsets` (m,) mm are what the plane sees of them: `flat` lies off
    `feet` by that.
    `values` (n,) mm are the deviations at the points of the nominal curve, NaN where nothing is near. `nearest` (m,)
    is the point of the nominal curve next to each foot.
    """

    flat: Flat
    feet: Flat
    deviations: Floats
    offsets: Floats
    face: Ints
    nearest: Ints
    values: Floats


def measured_section(
    projector: Projector, plane: SectionSurface, nominal: NominalSection, feet: Points, normals: Normals,
    deviations: Floats, faces: Ints, thickness: float,
) -> MeasuredSection:  # fmt: skip
    """Carry points near a plane into it.

    A point beside the plane is not simply projected: on a surface that runs aslant that would put it off the curve. Its
    foot slides along the nominal surface into the plane, and the deviation goes with it.

    Parameters
    ----------
    feet, normals : (n, 3) float64
        Nearest points on the part and the outward normals there, of points within half the thickness, mm.
    deviations, faces : (n,)
        The points' deviations, mm, and the faces that they belong to.
    """
    step = max(1, len(deviations) // _MOST)
    feet, deviations, faces = feet[::step], deviations[::step], np.asarray(faces[::step], dtype=np.int64)
    normals = np.asarray(normals[::step], dtype=np.float64)
    square = plane.normals_at(feet)
    sine = np.einsum("ij,ij->i", normals, square)
    crossing = 1.0 - sine**2 > _ALONG**2
    feet, normals, deviations, faces = feet[crossing], normals[crossing], deviations[crossing], faces[crossing]
    sine, height = sine[crossing], plane.heights(feet)
    tangent = square[crossing] - sine[:, None] * normals
    slid = feet - (height / (1.0 - sine**2))[:, None] * tangent
    # The rest is the curvature of the surface over half the thickness.
    there, inside, arrived, cosine = onto_surface(projector, plane, plane.flat(slid), faces, 2.0 * thickness)
    there, inside, deviations, faces = there[arrived], inside[arrived], deviations[arrived], faces[arrived]
    flat_feet = plane.flat(there)
    offsets = deviations / cosine[arrived]
    flat = flat_feet + offsets[:, None] * inside
    nearest, values = _values(nominal, flat_feet, faces, deviations)
    known = nearest >= 0
    return MeasuredSection(flat[known], flat_feet[known], deviations[known], offsets[known], faces[known],
                           nearest[known], values)  # fmt: skip


def _values(nominal: NominalSection, feet: Flat, faces: Ints, deviations: Floats) -> tuple[Ints, Floats]:
    """Return the nearest curve point of its own face for each foot, and the median deviation at each curve point."""
    from scipy.spatial import cKDTree

    nearest = np.full(len(feet), -1, dtype=np.int64)
    values = np.full(len(nominal.face), np.nan)
    for face in np.unique(faces):
        rows, curve = np.flatnonzero(faces == face), np.flatnonzero(nominal.face == face)
        if not len(curve):
            continue
        nearest[rows] = curve[cKDTree(nominal.flat[curve]).query(feet[rows])[1]]
        spacing = float(np.median(np.diff(nominal.along[curve]).clip(1e-9))) if len(curve) > 1 else 1.0
        k = min(_AROUND, len(rows))
        distance, index = cKDTree(feet[rows]).query(nominal.flat[curve], k=k, distance_upper_bound=2.5 * spacing)
        distance, index = distance.reshape(len(curve), k), index.reshape(len(curve), k)
        near = np.where(np.isfinite(distance), deviations[rows][np.where(np.isfinite(distance), index, 0)], np.nan)
        enough = np.isfinite(distance).sum(axis=1) >= min(3, k)
        values[curve[enough]] = np.nanmedian(near[enough], axis=1)
    return nearest, values
