"""Sections of a blade at heights along its stacking axis: nominal beside measured, put onto it, with uncertainties."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.cad_profile import nominal_profile
from truegauge.core.blades.covering import gaps_of, missing_of
from truegauge.core.blades.measured_profile import MeasuredProfile, measured_profile
from truegauge.core.blades.parameters import Blade, Ways, blade_of, thickness_at, values_of
from truegauge.core.blades.section_fit import Criterion, Freedom, SectionFit, feet_on, fit_section
from truegauge.core.blades.waviness import SIDES, waviness_of
from truegauge.core.blades.zones import ZONES, zone_of
from truegauge.core.errors import EvaluationError
from truegauge.core.progress import Progress, silent
from truegauge.core.sections.measured import measured_section
from truegauge.core.sections.nominal import nominal_section
from truegauge.core.sections.plane import SectionPlane, section_plane

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence

    from truegauge.core.arrays import Floats, Points
    from truegauge.core.cad.model import CadModel
    from truegauge.core.cad.projection import Projector

_THICK = 1.0  # mm of height that points are taken from
FAR = 3.0  # mm off the nominal, from which points are of something else
_OF_OTHERS = 0.05  # of the points, that may be
_REPEATS = 16  # measurements that an uncertainty is read from
_SEEN = 600  # places that deviations are told by
_STEEP = 0.1  # sine between axis and machine axis, from which that has a direction in a section
_LEAST = 30
_MOST = 4_000  # points: more tell a section no better


@dataclass(frozen=True, slots=True, eq=False)
class Asked:
    """Which sections are wanted, along `axis` (3,) through `origin` (3,), mm; directions are of the part.

    `machine` is the axis that axial chord and chord angle are told by; `leading` and `pressure` are the ways to the
    leading edge and to the pressure side, where they are not to be found. At `edge_distances` (mm along the mean line)
    from either edge the thickness is told, too; of waves shorter than a `wavelength` (mm, 0: none) how high they are.
    """

    heights: tuple[float, ...]
    axis: tuple[float, float, float] = (0.0, 0.0, 1.0)
    origin: tuple[float, float, float] = (0.0, 0.0, 0.0)
    machine: tuple[float, float, float] | None = (1.0, 0.0, 0.0)
    leading: tuple[float, float, float] | None = None
    pressure: tuple[float, float, float] | None = None
    thickness: float = _THICK
    edge_distances: tuple[float, ...] = ()
    wavelength: float = 0.0
    freedom: Freedom = field(default_factory=Freedom.full)
    criterion: Criterion = "least squares"

    def plane(self, height: float) -> SectionPlane:
        """Return the plane of a section; its first axis is the machine's where that lies in it."""
        z = np.array(self.axis, dtype=np.float64) / np.linalg.norm(self.axis)
        across = self.machine
        if across is not None and np.linalg.norm(np.cross(z, across)) < _STEEP * np.linalg.norm(across):
            raise EvaluationError("the machine axis lies along the stacking axis: no chord can be told by it")
        x, y, w = np.array(self.origin) + height * z
        return section_plane((float(x), float(y), float(w)), (float(z[0]), float(z[1]), float(z[2])), across)

    def ways(self, plane: SectionPlane) -> Ways:
        """Return the directions in a plane."""
        own = [
            None if v is None else plane.flat_directions(np.array([v], dtype=np.float64))[0]
            for v in (self.machine, self.leading, self.pressure)
        ]
        return Ways(*own)


@dataclass(frozen=True, slots=True, eq=False)
class Deviations:
    """The deviations of a section from its nominal, mm, positive outside: of its estimated curve, where points are."""

    lowest: float
    highest: float
    mean: float
    rms: float

    @staticmethod
    def of(deviations: Floats, lengths: Floats) -> Deviations:
        """Tell deviations (n,), each along a length (n,), mm; NaN where there are none."""
        if not len(deviations):
            nothing = float("nan")
            return Deviations(nothing, nothing, nothing, nothing)
        mean, square = (float(np.average(deviations**k, weights=lengths)) for k in (1, 2))
        return Deviations(float(deviations.min()), float(deviations.max()), mean, float(np.sqrt(square)))


def deviations_of(profile: MeasuredProfile, blade: Blade, gaps: Sequence[tuple[float, float]]) -> dict[str, Deviations]:
    """Return the deviations of a measured profile by zone, and of `all` of it, without what is in gaps."""
    s, length = profile.nominal.places(_SEEN), profile.nominal.length
    after = np.append(s[1:], s[0] + length)
    lengths, there = (after - np.roll(after, 2) + length) % length / 2, np.ones(len(s), dtype=bool)
    for low, high in gaps:
        there &= np.mod(s - low, length) > np.mod(high - low, length)
    d, zone = profile.deviation(s), zone_of(blade, s)
    made = {"all": Deviations.of(d[there], lengths[there])}
    for number, name in enumerate(ZONES):
        own = there & (zone == number)
        made[name] = Deviations.of(d[own], lengths[own])
    return made


@dataclass(frozen=True, slots=True, eq=False)
class SectionResult:
    """A section: `nominal_values`, and what is measured where there are points, else the `problem`.

    `uncertainties` are standard ones; `before` and `after` the fit by zone and of `all`. What is missing is
    NaN, and `notes` say why.
    """

    height: float
    plane: SectionPlane
    nominal: Blade
    nominal_values: Mapping[str, float]
    points: Floats
    measured: Blade | None = None
    values: Mapping[str, float] = field(default_factory=dict)
    uncertainties: Mapping[str, float] = field(default_factory=dict)
    fit: SectionFit | None = None
    before: Mapping[str, Deviations] = field(default_factory=dict)
    after: Mapping[str, Deviations] = field(default_factory=dict)
    noise: float = float("nan")
    notes: tuple[str, ...] = ()
    problem: str = ""


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
        try:
            curve = nominal_section(model, projector, plane)
            nominal = nominal_profile(curve, projector, plane, model.diagonal)
            blade = blade_of(nominal, asked.ways(plane))
        except EvaluationError as error:
            raise EvaluationError(f"at {height:g} mm: {error}") from error
        half = asked.thickness / 2
        # A foot lies at another height than its point, by as much as the surface leans.
        first, last = np.searchsorted(sorted_along, [height - half - FAR, height + half + FAR])
        near = points[np.sort(order[first:last])]
        found = projector.deviations(near, max_distance=FAR)
        feet = found.feet_at(np.arange(len(near)))
        own = (found.face >= 0) & ~found.on_edge & (np.abs((feet - plane.origin) @ plane.normal) <= half)
        away = int(np.count_nonzero((found.face < 0) & (np.abs((near - plane.origin) @ plane.normal) <= half)))
        carried = measured_section(
            projector, plane, curve, feet[own], np.asarray(found.normals[own], dtype=np.float64), found.distance[own],
            np.asarray(found.face[own], dtype=np.int64), asked.thickness,
        )  # fmt: skip
        notes = () if away <= _OF_OTHERS * max(1, len(carried.flat)) else (
            f"{away:,} points at this height are more than {FAR:g} mm off: they are of something else",)  # fmt: skip
        made.append(judged(blade, carried.flat, height, plane, asked, notes))
    return tuple(made)


def judged(
    blade: Blade, flat: Floats, height: float, plane: SectionPlane, asked: Asked, notes: tuple[str, ...] = ()
) -> SectionResult:
    """Measure a section by its points (n, 2) in its plane, beside its nominal."""
    nominal, own = blade.profile, _values(blade, asked)
    if asked.wavelength:
        own |= {f"waviness_{side}": 0.0 for side in SIDES}
    result = SectionResult(height, plane, blade, own, flat, notes=notes)
    flat = flat[:: max(1, len(flat) // _MOST)]
    if len(flat) < _LEAST:
        return replace(result, problem=f"there are {len(flat)} points: {_LEAST} are the least for a section")
    try:
        fit = fit_section(nominal, flat, asked.freedom, asked.criterion)
        feet = feet_on(nominal, fit.moved(flat))
        curve = measured_profile(nominal, feet.s, feet.distance)
        kept = curve.weights > 0
        gaps = gaps_of(nominal, feet.s[kept])
        missing = missing_of(blade, gaps)
        back = np.asarray(np.linalg.inv(fit.matrix), dtype=np.float64)
        measured = _in_pose(curve, back, asked.ways(plane))

        def waves(coefficients: Floats | None = None) -> dict[str, float]:
            return waviness_of(curve, blade, asked.wavelength, gaps, coefficients) if asked.wavelength else {}

        values = _without(_values(measured, asked), missing) | waves()
        uncertainties = _uncertainties(curve, back, asked, plane, values, waves, int(1e3 * abs(height)))
        plain = feet_on(nominal, flat[kept])
        before = deviations_of(measured_profile(nominal, plain.s, plain.distance), blade, gaps)
        after = deviations_of(curve, blade, gaps)
    except EvaluationError as error:
        return replace(result, problem=str(error))
    said = [*notes, *missing.values()]
    said += [f"the fit does not determine {way}" for way in fit.undetermined]
    if fit.limited:
        said.append("the fit is held back by its limits")
    return replace(
        result, measured=measured, values=values, uncertainties=uncertainties, fit=fit, before=before, after=after,
        noise=curve.noise, notes=tuple(dict.fromkeys(said)),
    )  # fmt: skip


def _in_pose(curve: MeasuredProfile, back: Floats, ways: Ways, coefficients: Floats | None = None) -> Blade:
    """Return a measured section where it was measured, not where the fit puts it."""
    return blade_of(curve.curve(coefficients, back), ways)


def _values(blade: Blade, asked: Asked) -> dict[str, float]:
    """Return all values of a section, with its thickness at the distances from the edges that are asked for."""
    made = values_of(blade)
    for distance in asked.edge_distances:
        made[f"leading_thickness_{distance:g}"] = thickness_at(blade, distance)
        made[f"trailing_thickness_{distance:g}"] = thickness_at(blade, distance, trailing=True)
    return made


def _without(values: dict[str, float], missing: Mapping[str, str]) -> dict[str, float]:
    gone = {word for names in missing for word in names.split()}

    def is_gone(name: str) -> bool:
        return name in gone or ("_thickness_" in name and name.rpartition("_")[0] in gone)

    return {name: float("nan") if is_gone(name) else v for name, v in values.items()}


def _uncertainties(
    curve: MeasuredProfile,
    back: Floats,
    asked: Asked,
    plane: SectionPlane,
    values: Mapping[str, float],
    waves: Callable[[Floats], dict[str, float]],
    seed: int,
) -> dict[str, float]:
    """Return standard uncertainties: what values scatter by, were it measured again and again."""
    rng, ways = np.random.default_rng(seed), asked.ways(plane)
    every = []
    for _ in range(_REPEATS):
        try:
            drawn = curve.another(rng)
            every.append(_values(_in_pose(curve, back, ways, drawn), asked) | waves(drawn))
        except EvaluationError:
            continue
    if len(every) < _REPEATS // 2:
        return dict.fromkeys(values, float("nan"))
    off = {name: np.array([one[name] for one in every]) - value for name, value in values.items()}
    off["chord_angle"] = np.mod(off["chord_angle"] + np.pi, 2 * np.pi) - np.pi  # a turn is none
    return {name: float(np.sqrt(np.mean(np.square(own)))) for name, own in off.items()}
