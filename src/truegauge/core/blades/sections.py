"""Sections of a blade at heights along its stacking axis: nominal beside measured, put onto it, with uncertainties."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.cad_profile import nominal_profile
from truegauge.core.blades.carrying import FAR, MOST, Carried, into_plane
from truegauge.core.blades.covering import gaps_of, missing_of
from truegauge.core.blades.measured_profile import measured_profile
from truegauge.core.blades.parameters import Blade, blade_of
from truegauge.core.blades.result import SectionResult, in_pose
from truegauge.core.blades.scatter import scatter_of
from truegauge.core.blades.section_fit import Feet, feet_on, fit_section
from truegauge.core.blades.told import blade_values, nominals_beside
from truegauge.core.blades.waviness import waviness_of
from truegauge.core.blades.zone_deviations import deviations_of
from truegauge.core.blades.zones import zone_of
from truegauge.core.errors import EvaluationError, TrueGaugeError
from truegauge.core.progress import Progress, silent
from truegauge.core.sections.nominal import NominalSection, nominal_section

if TYPE_CHECKING:
    from collections.abc import Mapping

    from truegauge.core.arrays import Floats, Points
    from truegauge.core.blades.asked import Asked
    from truegauge.core.blades.profile import Profile
    from truegauge.core.cad.model import CadModel
    from truegauge.core.cad.projection import Projector
    from truegauge.core.sections.cone import SectionSurface

_LEAST = 30
_TAKEN = 2  # times as many points as tell a section, of which some lie too high or too low
_TIPS = 2  # times that tips are compensated where the fit puts the section
_MORE, _PLACES = 0.1, 200  # mm of height besides; places that tell how a surface leans
_FILLET = 0.5  # sine that half of a section leans by, from which on it is one through a fillet


def sections_of(
    model: CadModel, projector: Projector, points: Points, asked: Asked, progress: Progress = silent,
    radii: Floats | None = None,
) -> tuple[SectionResult, ...]:  # fmt: skip
    """Cut a part and the cloud of a scan of it, which is aligned, at heights.

    Parameters
    ----------
    points : (n, 3) float64
        Of the scan, part coordinates, mm; or the centres of tips with `radii` (n,) that touch it.

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
        leans = leaning(projector, plane, curve.flat[curve.exact])
        beyond = FAR * min(1.0, 1.5 * float(leans.max(initial=0.0))) + _MORE
        beyond += 0.0 if radii is None or not len(radii) else float(radii.max())
        if not asked.is_level:
            rows = np.flatnonzero(np.abs(plane.heights(points)) <= half + beyond)
        else:
            first, last = np.searchsorted(sorted_along, [height - half - beyond, height + half + beyond])
            rows = np.sort(order[first:last])
        thin = max(1, len(rows) // (_TAKEN * MOST)) if radii is None else 1  # more would be left out again
        rows = rows[::thin]
        near = points[rows]
        reach = FAR if radii is None or not len(radii) else FAR + float(radii.max())
        found = projector.deviations(near, max_distance=reach)
        feet = found.feet_at(np.arange(len(near)))
        own = (found.face >= 0) & ~found.on_edge & (np.abs(plane.heights(feet)) <= half)
        away = thin * int(np.count_nonzero((found.face < 0) & (np.abs(plane.heights(near)) <= half)))
        tips = None if radii is None else radii[rows][own]
        carried = into_plane(
            projector, plane, curve, feet[own], np.asarray(found.normals[own], dtype=np.float64),
            found.distance[own] - (0.0 if tips is None else tips), np.asarray(found.face[own], dtype=np.int64),
            asked.thickness, away, tips,
        )  # fmt: skip
        result = judged_carried(blade, carried, height, plane, asked)
        made.append(replace(result, uncertainties=scatter_of(result, asked)))
    return tuple(made)


def leaning(projector: Projector, plane: SectionSurface, flat: Floats) -> Floats:
    """Return the sines (n,) that the surface leans by, at some places (n, 2) of a section, against its plane."""
    own = flat[:: max(1, len(flat) // _PLACES)]
    at = plane.solid(own)
    found = projector.deviations(at)
    normals = np.asarray(found.normals, dtype=np.float64)
    return np.asarray(np.abs(np.einsum("ij,ij->i", normals, plane.normals_at(at)))[~found.on_edge])


def nominal_cut(model: CadModel, projector: Projector, asked: Asked, height: float) -> tuple[NominalSection, Profile]:
    """Return what the plane at a height cuts of the part, and the longest closed curve of it.

    Raises
    ------
    EvaluationError
        It cuts nothing closed of the part, or a fillet.
    """
    plane = asked.plane(height)
    try:
        curve = nominal_section(model, projector, plane)
        profile = nominal_profile(curve, projector, plane, model.diagonal)
    except EvaluationError as error:
        raise EvaluationError(f"at {height:g} mm: {error}") from error
    leans = leaning(projector, plane, profile.at(profile.places(_PLACES)))
    half = float(np.median(leans)) if len(leans) else 0.0
    if half > _FILLET:
        raise EvaluationError(
            f"at {height:g} mm: the surface leans by {np.degrees(np.arcsin(min(1.0, half))):.0f} degrees: this is a "
            "section through a fillet, not of an aerofoil"
        )
    return curve, profile


def nominal_blade(profile: Profile, asked: Asked, height: float) -> Blade:
    """Return the section of an aerofoil that a curve at a height is.

    Raises
    ------
    EvaluationError
        It is none.
    """
    try:
        return blade_of(profile, asked.ways(asked.plane(height)), asked.construction)
    except TrueGaugeError as error:
        raise EvaluationError(f"at {height:g} mm: {error}") from error


def judged_carried(blade: Blade, carried: Carried, height: float, plane: SectionSurface, asked: Asked) -> SectionResult:
    """Measure a section by what was carried into its plane; tips touch it along its normals where it lies.

    A section that is turned and shifted has other normals at its edges than its nominal: at first they are those of the
    nominal where the fit puts it, then those of what is measured by that.
    """
    result = judged(blade, carried.flat, height, plane, asked, carried.notes)
    if carried.reach is not None:
        for turn in range(_TIPS):
            if result.fit is None or result.measured is None:
                break
            if turn == 0:
                ways = feet_on(blade.profile, result.fit.moved(carried.centers)).outward @ result.fit.matrix[:2, :2]
            else:
                ways = feet_on(result.measured.profile, carried.centers).outward
            flat = carried.centers - carried.reach[:, None] * ways
            result = judged(blade, flat, height, plane, asked, carried.notes)
    return result


def judged(
    blade: Blade, flat: Floats, height: float, plane: SectionSurface, asked: Asked, notes: tuple[str, ...] = ()
) -> SectionResult:
    """Measure a section by its points (n, 2) in its plane, beside its nominal; without uncertainties."""
    nominal = blade.profile
    flat = flat[:: max(1, len(flat) // MOST)]
    plain = feet_on(nominal, flat)
    own = np.abs(plain.distance) <= FAR  # others are of something else in this plane
    flat, plain = flat[own], Feet(plain.s[own], plain.distance[own], plain.outward[own])
    values = blade_values(blade, asked) | nominals_beside(asked)
    result = SectionResult(height, plane, blade, values, flat, notes=notes)
    if len(flat) < _LEAST:
        return replace(result, problem=f"there are {len(flat)} points: {_LEAST} are the least for a section")
    try:
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
    except TrueGaugeError as error:
        return replace(result, problem=str(error))
    said = [*notes, *missing.values()]
    said += [f"the {n} edge is cut off: it has no radius" for n in ("leading", "trailing") if _is_cut_off(blade, n)]
    said += [f"the fit does not determine {way}" for way in fit.undetermined]
    if fit.limited:
        said.append("the fit is held back by its limits")
    return replace(
        result, measured=measured, values=values, fit=fit, before=before, after=after, curve=curve, plain=laid,
        gaps=tuple(gaps), noise=curve.noise, notes=tuple(dict.fromkeys(said)),
    )  # fmt: skip


def _is_cut_off(blade: Blade, name: str) -> bool:
    return bool(np.isnan((blade.leading if name == "leading" else blade.trailing).radius))


def _without(values: dict[str, float], missing: Mapping[str, str]) -> dict[str, float]:
    gone = {word for names in missing for word in names.split()}

    def is_gone(name: str) -> bool:
        return name in gone or ("_thickness_" in name and name.rpartition("_")[0] in gone)

    return {name: float("nan") if is_gone(name) else v for name, v in values.items()}
