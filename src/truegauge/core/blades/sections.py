"""Sections of a blade at heights along its stacking axis: nominal beside measured, put onto it, with uncertainties."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.cad_profile import nominal_profile
from truegauge.core.blades.covering import gaps_of, missing_of
from truegauge.core.blades.measured_profile import measured_profile
from truegauge.core.blades.parameters import Blade, blade_of
from truegauge.core.blades.result import SectionResult, in_pose
from truegauge.core.blades.scatter import scatter_of
from truegauge.core.blades.section_fit import feet_on, fit_section
from truegauge.core.blades.told import blade_values, nominals_beside
from truegauge.core.blades.waviness import waviness_of
from truegauge.core.blades.zone_deviations import deviations_of
from truegauge.core.blades.zones import zone_of
from truegauge.core.errors import EvaluationError
from truegauge.core.progress import Progress, silent
from truegauge.core.sections.measured import measured_section
from truegauge.core.sections.nominal import NominalSection, nominal_section

if TYPE_CHECKING:
    from collections.abc import Mapping

    from truegauge.core.arrays import Floats, Ints, Normals, Points
    from truegauge.core.blades.asked import Asked
    from truegauge.core.blades.profile import Profile
    from truegauge.core.cad.model import CadModel
    from truegauge.core.cad.projection import Projector
    from truegauge.core.sections.plane import SectionPlane

FAR = 3.0  # mm off the nominal, from which points are of something else
_OF_OTHERS = 0.05  # of the points, that may be
_LEAST = 30
_MORE, _SEEN = 0.1, 200  # mm of height besides; places that tell how a surface leans
_MOST = 4_000  # points: more tell a section no better


def sections_of(
    model: CadModel, projector: Projector, points: Points, asked: Asked, progress: Progress = silent
) -> tuple[SectionResult, ...]:
    """Cut a part and the cloud of a scan of it, which is aligned, at heights.

    Parameters
    ----------
    points : (n, 3) float64
        Of the scan, part coordinates, mm.

    Raises
    ------
    EvaluationError
        A plane cuts nothing of the part, or no aerofoil.
    """
    made = []
    axis = np.array(asked.axis, dtype=np.float64) / np.linalg.norm(asked.axis)
    along = (points - np.array(asked.origin)) @ axis
    order = np.argsort(along, kind="stable")
    sorted_along = along[order]
    for k, height in enumerate(asked.heights):
        progress(k / len(asked.heights), f"section at {height:g} mm")
        plane = asked.plane(height)
        curve, profile = nominal_cut(model, projector, asked, height)
        blade = nominal_blade(profile, asked, height)
        half = asked.thickness / 2
        # A foot lies at another height than its point, by as much as the surface leans.
        beyond = FAR * leaning(projector, plane, curve) + _MORE
        first, last = np.searchsorted(sorted_along, [height - half - beyond, height + half + beyond])
        near = points[np.sort(order[first:last])]
        found = projector.deviations(near, max_distance=FAR)
        feet = found.feet_at(np.arange(len(near)))
        own = (found.face >= 0) & ~found.on_edge & (np.abs((feet - plane.origin) @ plane.normal) <= half)
        away = int(np.count_nonzero((found.face < 0) & (np.abs((near - plane.origin) @ plane.normal) <= half)))
        flat, notes = into_plane(
            projector, plane, curve, feet[own], np.asarray(found.normals[own], dtype=np.float64), found.distance[own],
            np.asarray(found.face[own], dtype=np.int64), asked.thickness, away,
        )  # fmt: skip
        result = judged(blade, flat, height, plane, asked, notes)
        made.append(replace(result, uncertainties=scatter_of(result, asked)))
    return tuple(made)


def leaning(projector: Projector, plane: SectionPlane, curve: NominalSection) -> float:
    """Return the sine that the surface leans by against the direction of the plane, where that is most."""
    own = curve.flat[curve.exact][:: max(1, int(np.count_nonzero(curve.exact)) // _SEEN)]
    if not len(own):
        return 1.0
    found = projector.deviations(plane.solid(own))
    return min(1.0, 1.5 * float(np.abs(np.asarray(found.normals[~found.on_edge]) @ plane.normal).max(initial=0.0)))


def nominal_cut(model: CadModel, projector: Projector, asked: Asked, height: float) -> tuple[NominalSection, Profile]:
    """Return what the plane at a height cuts of the part, and the longest closed curve of it.

    Raises
    ------
    EvaluationError
        It cuts nothing closed of the part.
    """
    plane = asked.plane(height)
    try:
        curve = nominal_section(model, projector, plane)
        return curve, nominal_profile(curve, projector, plane, model.diagonal)
    except EvaluationError as error:
        raise EvaluationError(f"at {height:g} mm: {error}") from error


def nominal_blade(profile: Profile, asked: Asked, height: float) -> Blade:
    """Return the section of an aerofoil that a curve at a height is.

    Raises
    ------
    EvaluationError
        It is none.
    """
    try:
        return blade_of(profile, asked.ways(asked.plane(height)), asked.construction)
    except EvaluationError as error:
        raise EvaluationError(f"at {height:g} mm: {error}") from error


def into_plane(
    projector: Projector, plane: SectionPlane, curve: NominalSection, feet: Points, normals: Normals,
    distances: Floats, faces: Ints, thickness: float, away: int,
) -> tuple[Floats, tuple[str, ...]]:  # fmt: skip
    """Carry points near the plane into it, along the surface (see `measured_section`); and say what else is there.

    `away` is how many points are near the plane and far off the nominal. Of more points than tell a section better only
    some are taken, evenly.
    """
    step = max(1, len(feet) // _MOST)
    feet, normals, distances, faces = feet[::step], normals[::step], distances[::step], faces[::step]
    away = away // step
    carried = measured_section(projector, plane, curve, feet, normals, distances, faces, thickness)
    notes = () if away <= _OF_OTHERS * max(1, len(carried.flat)) else (
        f"{away:,} points at this height are more than {FAR:g} mm off: they are of something else",)  # fmt: skip
    return carried.flat, notes


def judged(
    blade: Blade, flat: Floats, height: float, plane: SectionPlane, asked: Asked, notes: tuple[str, ...] = ()
) -> SectionResult:
    """Measure a section by its points (n, 2) in its plane, beside its nominal; without uncertainties."""
    nominal = blade.profile
    result = SectionResult(height, plane, blade, blade_values(blade, asked) | nominals_beside(asked), flat, notes=notes)
    flat = flat[:: max(1, len(flat) // _MOST)]
    if len(flat) < _LEAST:
        return replace(result, problem=f"there are {len(flat)} points: {_LEAST} are the least for a section")
    try:
        plain = feet_on(nominal, flat)
        weights = None if asked.weights is None else np.array(asked.weights)[zone_of(blade, plain.s)]
        freedom = asked.freedom
        if freedom.pivot is None:
            freedom = replace(freedom, pivot=nominal.area_and_centroid()[1])
        fit = fit_section(nominal, flat, freedom, asked.criterion, weights)
        feet = feet_on(nominal, fit.moved(flat))
        curve = measured_profile(nominal, feet.s, feet.distance)
        kept = curve.weights > 0
        gaps = gaps_of(nominal, feet.s[kept])
        missing = missing_of(blade, gaps)
        back = np.asarray(np.linalg.inv(fit.matrix), dtype=np.float64)
        measured = in_pose(curve, back, asked.ways(plane), asked.construction)
        values = _without(blade_values(measured, asked), missing)
        if asked.wavelength:
            values |= waviness_of(curve, blade, asked.wavelength, gaps)
        laid = measured_profile(nominal, plain.s[kept], plain.distance[kept])
        before, after = deviations_of(laid, blade, gaps), deviations_of(curve, blade, gaps)
    except EvaluationError as error:
        return replace(result, problem=str(error))
    said = [*notes, *missing.values()]
    said += [f"the fit does not determine {way}" for way in fit.undetermined]
    if fit.limited:
        said.append("the fit is held back by its limits")
    return replace(
        result, measured=measured, values=values, fit=fit, before=before, after=after, curve=curve, plain=laid,
        gaps=tuple(gaps), noise=curve.noise, notes=tuple(dict.fromkeys(said)),
    )  # fmt: skip


def _without(values: dict[str, float], missing: Mapping[str, str]) -> dict[str, float]:
    gone = {word for names in missing for word in names.split()}

    def is_gone(name: str) -> bool:
        return name in gone or ("_thickness_" in name and name.rpartition("_")[0] in gone)

    return {name: float("nan") if is_gone(name) else v for name, v in values.items()}
