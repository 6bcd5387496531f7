"""Values of sections of blades: chords, edges, thicknesses, the profile by zone, the fit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.names import ANGLES, AREAS, FAMILIES, taken_apart
from truegauge.core.blades.result import SectionResult
from truegauge.core.blades.told import BEYOND
from truegauge.core.blades.zone_deviations import seen_places
from truegauge.core.blades.zones import ZONES, zone_of
from truegauge.core.characteristics.kind import NONE, Kind, Limits, Nominals, Numbers, Told
from truegauge.core.characteristics.readings import ReadingKind, reading_named
from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.blades import BladeScatter, MeasuredBlade, bands_of
from truegauge.core.plan.blades import BladeCheck, BladeSection, BladeValue

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.arrays import Vector
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.requirements import Characteristic
    from truegauge.core.tolerancing.general import GeneralTolerances

_OF_LENGTH = ("chord_mean_line", "chord_tangent", "axial_chord", "max_thickness", "max_thickness_at", "thickness")


@dataclass(frozen=True, kw_only=True)
class BladeKind(ReadingKind):
    """A value of a section."""

    def node(self, context: Context, c: Characteristic) -> MeasuredBlade:
        blade, section = _section_of(context, c)
        return MeasuredBlade(blade, section)

    def points_key(self, context: Context, c: Characteristic) -> Hashable:
        blade, section = _section_of(context, c)
        what = reading_named(context, c, BladeValue).what
        bands = (blade.bands, blade.blend) if what.startswith(f"profile_{BEYOND}") else None
        return (MeasuredBlade(blade, section).key(context), what, bands)

    def content(self, plan: Plan, c: Characteristic) -> Hashable:
        return (self.name,)

    def general(self, stated: GeneralTolerances, nominal: float, features: Nominals) -> Limits:
        """Return that general tolerances say nothing of an aerofoil."""
        return NONE

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        """Return the value of the section, with what is to be said of the section."""
        found, what = self._found(context, c)
        if self.name != f"blade_{taken_apart(what).family}":
            raise EvaluationError(f"it is said to be the {self.label}, but its section tells the {what}")
        blade, _ = _section_of(context, c)
        value = _beyond(found, blade, what) if what.startswith(f"profile_{BEYOND}") else found.told.get(what, np.nan)
        if not np.isfinite(value):
            own = [n for n in found.notes if n.endswith("no radius") and n.split()[1] in what]
            why = own or [n for n in found.notes if n.startswith("there are no points")]
            raise EvaluationError(why[0] if why else "the section does not tell it")
        if what == "chord_angle":  # those that differ by a turn are one
            value = c.nominal + np.mod(value - c.nominal + np.pi, 2 * np.pi) - np.pi
        return Told(float(value), notes=found.notes)

    def _found(self, context: Context, c: Characteristic) -> tuple[SectionResult, str]:
        found = context.need(self.node(context, c))
        if found.problem:
            raise EvaluationError(found.problem)
        return found, reading_named(context, c, BladeValue).what

    def uncertainty(self, context: Context, c: Characteristic) -> float | None:
        """Return what repetitions of the section scatter by, with the stated errors of the device."""
        found, what = self._found(context, c)
        blade, section = _section_of(context, c)
        told, device = context.need(BladeScatter(blade, section)), context.plan.device
        # What is beyond a band is so at its lowest or at its highest place.
        ends = [what.replace(f"profile_{BEYOND}", f"profile_{end}") for end in ("min", "max")]
        own = max(told.get(end, np.nan) for end in dict.fromkeys(ends))
        if not np.isfinite(own):
            raise EvaluationError("too few repetitions of the section have a value")
        chord = found.nominal.line.chord
        # What the device is off by at two ends counts at both; an area along its outline, an angle over the chord.
        probing = np.sqrt(2.0) * device.of_probing
        if self.angular:
            return float(np.hypot(own, probing / chord))
        if self.area:
            return float(np.hypot(own, found.nominal.profile.length * device.of_probing))
        family = taken_apart(what).family
        scale = found.nominal_values.get(what, 0.0) * device.of_scale if family in _OF_LENGTH else 0.0
        return float(np.sqrt(own**2 + probing**2 + scale**2))

    def anchor(self, context: Context, c: Characteristic) -> Vector | None:
        """Return the place of the part that its tag points at: the edge that it is of, else the largest thickness."""
        found = context.peek(self.node(context, c))  # a tag waits for nothing
        if not isinstance(found, SectionResult):
            return None
        line, what = found.nominal.line, reading_named(context, c, BladeValue).what
        edges = {"leading": line.leading, "trailing": line.trailing}
        at = next((place for word, place in edges.items() if word in what), line.circles.center[line.largest])
        return np.asarray(found.plane.solid(at[None])[0])

    def why(self, context: Context, c: Characteristic, numbers: Numbers) -> list[tuple[str, str]]:
        """Say in which section it was read, from what, and where the fit put it."""
        found = context.peek(self.node(context, c))
        if not isinstance(found, SectionResult):
            return []
        blade, section = _section_of(context, c)
        rows = [("section", f"{blade.name}, at {section.height:g} mm"), ("points", f"{len(found.points):,}")]
        if found.fit is not None:
            dx, dy = (numbers.signed(float(v)) for v in found.fit.shift)
            rows += [("noise of a point", numbers.value(found.noise)),
                     ("fit", f"shift {dx}, {dy}; turn {np.degrees(found.fit.turn):+.3f}°")]  # fmt: skip
        return rows + [("note", note) for note in found.notes]


def _section_of(context: Context, c: Characteristic) -> tuple[BladeCheck, BladeSection]:
    found = context.plan.blade_with(c.features[0])
    if found is None:
        raise EvaluationError("this is no longer in the plan")
    return found


def _beyond(found: SectionResult, blade: BladeCheck, what: str) -> float:
    """Return by how much a profile is beyond its bands at its worst; below 0 it is inside by so much at least."""
    name, bands = taken_apart(what), bands_of(blade)
    curve = found.plain if name.when == "before" else found.curve
    if bands is None or curve is None:
        raise EvaluationError("no zone of the blade has a band")
    s, own = seen_places(curve.nominal, found.gaps)
    if name.zone != "all":
        own &= zone_of(found.nominal, s) == ZONES.index(name.zone)
    if not own.any():
        raise EvaluationError("there are no points in this zone")
    excess = bands.excess(found.nominal, s[own], curve.deviation(s[own]))
    if not np.isfinite(excess).any():
        raise EvaluationError("this zone has no band")
    return float(excess.max())


def kinds() -> tuple[Kind, ...]:
    """Return the values of sections."""
    made = []
    for family, words in FAMILIES.items():
        symbol = ("angle" if family in ANGLES else "radius" if "radius" in family or "ellipse" in family
                  else "profile_line" if family.startswith("profile_") else "distance")  # fmt: skip
        one_sided = family in ("profile_form", "profile_beyond") or family.startswith("waviness")
        made.append(BladeKind(name=f"blade_{family}", label=words, symbol=symbol, angular=family in ANGLES,
                              area=family in AREAS, one_sided=one_sided))  # fmt: skip
    return tuple(made)
