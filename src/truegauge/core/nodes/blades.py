"""What is told of the sections of a blade: nominal, measured, and how sure it is, as nodes."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.asked import Asked
from truegauge.core.blades.bands import Bands
from truegauge.core.blades.carrying import FAR, Carried, into_plane
from truegauge.core.blades.construction import Construction
from truegauge.core.blades.result import SectionResult
from truegauge.core.blades.scatter import scatter_of
from truegauge.core.blades.section_fit import Freedom
from truegauge.core.blades.sections import judged_carried, nominal_blade, nominal_cut
from truegauge.core.constructions.parts import axis_of
from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.aligned import AlignedCloud, NearPoints
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.keys import cloud_key
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.nominal import nominal_feature
from truegauge.core.plan.blades import ZONE_NAMES, BladeCheck, BladeSection

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.arrays import Floats
    from truegauge.core.blades.parameters import Blade
    from truegauge.core.blades.profile import Profile
    from truegauge.core.nodes.context import Context
    from truegauge.core.sections.cone import SectionSurface
    from truegauge.core.sections.nominal import NominalSection

_CLOSER = 6  # steps to where an axis goes through a cone
_FLAT = 1e-6  # sine: an axis that lies in the plane goes through it nowhere


def asked_of(context: Context, blade: BladeCheck, section: BladeSection) -> Asked:
    """Return what is asked of a section, with its fit.

    Raises
    ------
    EvaluationError
        The axis that it turns about does not go through its plane.
    """
    fit, plain = blade.fit, plainly_asked(blade, section)
    plane = plain.plane(section.height)
    ways = {"both": np.eye(2), "along": np.eye(2)[:1], "across": np.eye(2)[1:], "none": np.zeros((0, 2))}
    freedom = Freedom(ways[fit.shifts], fit.turns, _pivot(context, blade, plane), fit.shift_limit, fit.turn_limit)
    weights = None if len(set(fit.weights)) == 1 else fit.weights
    return replace(plain, freedom=freedom, criterion=fit.criterion, weights=weights)


def plainly_asked(blade: BladeCheck, section: BladeSection) -> Asked:
    """Return what is asked of a section but for its fit: all that its nominal depends on."""
    own = blade.construction_of(section)
    made = Construction(own.leading_share, own.trailing_share, own.leading_moved, own.trailing_moved, own.tangent)
    return Asked(
        (section.height,), blade.axis, blade.origin, blade.machine, blade.leading, blade.pressure, blade.thickness,
        edge_distances=blade.edge_distances, chord_shares=blade.chord_shares, wavelength=blade.wavelength,
        construction=made, tilts=(blade.tilt_of(section),) * 2,
        machine_below=blade.machine_below,
    )  # fmt: skip


def _pivot(context: Context, blade: BladeCheck, plane: SectionSurface) -> Floats | None:
    fit = blade.fit
    if fit.about == "place":
        return np.array(fit.place, dtype=np.float64)
    if fit.about == "stacking":
        return np.zeros(2)  # where the coordinates of the section begin
    if fit.about == "feature":
        if not context.plan.has_feature(fit.feature):
            raise EvaluationError("the feature that a section turns about is not in the plan")
        known = nominal_feature(context, context.plan.feature(fit.feature).group)
        line = None if isinstance(known, NotComputed) else axis_of(known.feature)
        if line is None or abs(float(line.direction @ plane.normal)) < _FLAT:
            raise EvaluationError("the axis that a section turns about does not go through its plane")
        at = line.point[None]
        for _ in range(_CLOSER):  # at once in a plane
            way = float(line.direction @ plane.normals_at(at)[0])
            at = at - float(plane.heights(at)[0]) / way * line.direction
        return np.asarray(plane.flat(at)[0])
    return None


def bands_of(blade: BladeCheck) -> Bands | None:
    """Return the bands of a blade; None where it has none."""
    if not blade.bands:
        return None
    own = {b.zone: b for b in blade.bands}
    lower, upper = ([getattr(own.get(z), side, None) for z in ZONE_NAMES] for side in ("lower", "upper"))
    return Bands((lower[0], lower[1], lower[2], lower[3]), (upper[0], upper[1], upper[2], upper[3]), blade.blend)


def blade_content(context: Context, blade: BladeCheck, section: BladeSection) -> Hashable:
    """Return what a section depends on besides the points; hashed once for sections that are in the plan."""

    def make() -> Hashable:
        about = blade.fit.feature if blade.fit.about == "feature" else ""
        turned = context.contents.feature(about) if about and context.plan.has_feature(about) else None
        return (blade.content(section), turned)

    there = any(b is blade for b in context.plan.blades)
    return context.contents.kept(("blade", blade.id, section.id), make) if there else make()


def _place(b: BladeCheck, section: BladeSection) -> tuple[Hashable, ...]:
    """Return all that tells where the plane or cone of a section is."""
    return (section.height, b.tilt_of(section), b.axis, b.origin, b.machine, b.machine_below)


@dataclass(frozen=True, slots=True)
class BladeCut(Node["tuple[NominalSection, Profile]"]):
    """What the plane of a section cuts of the part, and the closed curve in it."""

    blade: BladeCheck
    section: BladeSection
    of_sample = False
    of_features = False

    def key(self, context: Context) -> Hashable:
        return _place(self.blade, self.section)

    def compute(self, context: Context) -> tuple[NominalSection, Profile]:
        asked, height = plainly_asked(self.blade, self.section), self.section.height
        return nominal_cut(context.model, context.projector, asked, height)


@dataclass(frozen=True, slots=True)
class NominalBlade(Node["Blade"]):
    """The aerofoil in the plane of a section."""

    blade: BladeCheck
    section: BladeSection
    of_sample = False
    of_features = False

    def key(self, context: Context) -> Hashable:
        b, s = self.blade, self.section
        return (*_place(b, s), b.leading, b.pressure, b.construction_of(s))

    def compute(self, context: Context) -> Blade:
        _, profile = context.need(BladeCut(self.blade, self.section))
        return nominal_blade(profile, plainly_asked(self.blade, self.section), self.section.height)


@dataclass(frozen=True, slots=True)
class BladePoints(Node[Carried]):
    """The points near the plane of a section, carried into it."""

    blade: BladeCheck
    section: BladeSection
    of_features = False

    def key(self, context: Context) -> Hashable:
        return (cloud_key(context), *_place(self.blade, self.section), self.blade.thickness)

    def compute(self, context: Context) -> Carried:
        curve, _ = context.need(BladeCut(self.blade, self.section))
        plane = plainly_asked(self.blade, self.section).plane(self.section.height)
        half, cloud, index = self.blade.thickness / 2, context.need(AlignedCloud()), context.need(NearPoints())
        found = cloud.found
        # A foot lies at another height than its point, by as much as the surface leans.
        if self.blade.machine_below is None:
            rows = index.in_slab(plane.origin, plane.normal, half + FAR)
        else:
            rows = np.flatnonzero(np.abs(plane.heights(cloud.points)) <= half + FAR)
        rows = rows[~cloud.removed[rows]]
        flatly = np.abs(plane.heights(cloud.points[rows])) <= half
        near = cloud.usable[rows] & (found.face[rows] >= 0) & (np.abs(found.distance[rows]) <= FAR)
        away = int(np.count_nonzero(flatly & ~near))
        own = rows[near & ~found.on_edge[rows]]
        feet = found.feet_at(own)
        inside = np.abs(plane.heights(feet)) <= half
        own, feet = own[inside], feet[inside]
        sample = context.measured_sample
        tips = np.array([t.radius for t in sample.probed])[own] if sample.is_touched else None
        return into_plane(
            context.projector, plane, curve, feet, np.asarray(found.normals[own], dtype=np.float64),
            found.distance[own], np.asarray(found.face[own], dtype=np.int64), self.blade.thickness, away, tips,
        )  # fmt: skip


@dataclass(frozen=True, slots=True)
class MeasuredBlade(Node[SectionResult]):
    """A section as it is measured, without uncertainties."""

    blade: BladeCheck
    section: BladeSection
    of_features = False

    def key(self, context: Context) -> Hashable:
        return (cloud_key(context), blade_content(context, self.blade, self.section))

    def compute(self, context: Context) -> SectionResult:
        nominal = context.need(NominalBlade(self.blade, self.section))
        carried = context.need(BladePoints(self.blade, self.section))
        asked, height = asked_of(context, self.blade, self.section), self.section.height
        return judged_carried(nominal, carried, height, asked.plane(height), asked)


@dataclass(frozen=True, slots=True)
class BladeScatter(Node["dict[str, float]"]):
    """The standard uncertainties of what a section tells, by name."""

    blade: BladeCheck
    section: BladeSection
    of_features = False

    def key(self, context: Context) -> Hashable:
        return MeasuredBlade(self.blade, self.section).key(context)

    def compute(self, context: Context) -> dict[str, float]:
        measured = context.need(MeasuredBlade(self.blade, self.section))
        return scatter_of(measured, asked_of(context, self.blade, self.section))
