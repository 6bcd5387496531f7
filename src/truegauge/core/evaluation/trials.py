"""Measured features as one trial of the uncertainty has them: moved by the errors of the device and of the points.

A trial moves every measured feature as the device may have: the scatter of its points (their own, about the associated
feature), a common probing error along the outward normal, an error of place that gives lengths their stated error, and
a common strain (scale and squareness).
"""

from __future__ import annotations

import zlib
from collections.abc import Hashable
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Points, Rigid, frozen
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.constraints import NONE
from truegauge.core.association.fit import Criterion
from truegauge.core.association.squares import RULES
from truegauge.core.features.extraction import Built, ExtractionSettings, Measured, form_of, measure
from truegauge.core.features.measured_surface import MeasuredSurface, evenly
from truegauge.core.nodes.context import Context
from truegauge.core.nodes.features import ConstructedFromFeatures, groups_key
from truegauge.core.nodes.graph import Graph, NotComputed
from truegauge.core.nodes.node import Node
from truegauge.core.tolerancing.once import least_squares_feature
from truegauge.core.uncertainty.common_errors import CommonErrors, common_errors
from truegauge.core.uncertainty.stated_errors import StatedErrors

if TYPE_CHECKING:
    from truegauge.core.plan.features import Group
    from truegauge.core.tolerancing.outcome import Outcome
    from truegauge.core.tolerancing.request import Patch

Drawn = tuple[np.random.Generator, CommonErrors]
_MOST_POINTS = 600
_FEW = 200  # touches whose scatter is taken by its degrees of freedom
_MOST_OF_PATCH = 600


@dataclass(frozen=True, slots=True)
class Trial:
    """Features moved by the errors of one trial, by its number; with their forms, or without."""

    number: int
    forms: bool

    def measured(self, context: Context, group: Group) -> Measured | Built | NotComputed:
        """Return a feature as this trial has it."""
        found = _base(context).measured(group)
        if isinstance(found, NotComputed):
            return found
        if isinstance(group, str) or isinstance(found, Built):
            return context.get(ConstructedFromFeatures(str(group)))
        return context.get(_Perturbed(group, self))

    def patch(self, context: Context, faces: tuple[int, ...]) -> Patch | NotComputed:
        """Return the points of any faces as this trial has them."""
        found = _base(context).patch(faces)
        if isinstance(found, NotComputed):
            return found
        device = context.plan.device
        rng, common = _drawn(self.number, faces, device)
        points = found.points
        if found.normals is not None:
            off = np.concatenate([m @ rng.normal(size=m.shape[1]) for m in found.modes])
            points = points + (off + common.probing)[:, None] * found.normals
        some = evenly(len(points), _MOST_OF_PATCH)
        return replace(found, points=_moved(points[some], device, rng, common), settled=True)

    def settled(self, context: Context, outcome: Node[Outcome]) -> tuple[Rigid, ...]:
        """Return where the zones were found: those of a trial lie next to it, and no other optimum is looked for."""
        found = _base(context).get(outcome)
        return () if isinstance(found, NotComputed) else found.poses


def _base(context: Context) -> Context:
    assert context.base is not None
    return context.base


def trial_context(base: Context, graph: Graph, number: int, *, forms: bool) -> Context:
    """Return the context of a trial: its measured features differ, everything before them is that of the base."""
    return replace(base, base=base, graph=graph, features=Trial(number, forms), memo={})


@dataclass(frozen=True, slots=True)
class _Perturbed(Node[Measured]):
    group: tuple[int, ...]
    trial: Trial

    def key(self, context: Context) -> Hashable:
        return groups_key(context, (self.group,))

    def compute(self, context: Context) -> Measured:
        found = _base(context).measured(self.group)
        assert isinstance(found, Measured)
        device = context.plan.device
        return perturbed(found, device, _drawn(self.trial.number, self.group, device), forms=self.trial.forms)


def _drawn(number: int, group: Group, device: StatedErrors) -> Drawn:
    """Return a generator of the feature's own in this trial, and the errors that all features of the trial share."""
    own = zlib.crc32(repr(group).encode())
    return np.random.default_rng([number, own]), common_errors(number, device)


def _moved(points: Points, device: StatedErrors, rng: np.random.Generator, common: CommonErrors) -> Points:
    """Move points as a whole: the strain of the trial, and the feature's own error of place."""
    # Two features apart: the errors of both add up to that of the length between them.
    place = rng.normal(size=3) * device.of_length(0.0) / np.sqrt(2)
    return np.asarray(common.strained(points) + place)


def perturbed(measured: Measured, device: StatedErrors, drawn: Drawn, *, forms: bool) -> Measured:
    """Return a measured feature as it might as well have been measured."""
    if measured.surface is not None:
        return _surface_moved(measured, measured.surface, device, drawn, forms=forms)
    rng, common = drawn
    rows = np.arange(len(measured.points))
    if len(rows) > _MOST_POINTS:
        rows = np.linspace(0, len(rows) - 1, _MOST_POINTS).astype(int)
    points = measured.points[rows]
    outward = measured.feature.outward(points)
    residuals = measured.feature.distances(points)
    if measured.single and len(rows) <= _FEW:
        scatter = _scatter_of_few(measured)
    else:
        scatter = 1.4826 * float(np.median(np.abs(residuals - np.median(residuals))))
        # Fewer points stand for all of them: what their means scatter must stay the same.
        scatter *= np.sqrt(len(rows) / len(measured.points))
    probing = common.probing * measured.nominal.outward
    shift = rng.normal(size=len(rows)) * scatter + probing
    scaled = _moved(np.vstack([points, measured.means]), device, rng, common)
    points = scaled[: len(rows)] + shift[:, None] * outward
    means = scaled[len(rows) :]
    each = max(1.0, len(measured.points) / max(len(means), 1))
    spread = rng.normal(size=len(means)) * scatter * np.sqrt(len(measured.points) / len(rows)) / np.sqrt(each)
    means = means + (spread + probing)[:, None] * measured.feature.outward(measured.means)
    if forms:
        settings = ExtractionSettings(averaging=0.0, reject=0.0)
        return measure(measured.nominal, means, np.arange(len(means)), settings, single=measured.single,
                       taken=measured.taken)  # fmt: skip
    held = measured.fit.constraints or NONE
    fit = associate(measured.nominal.shape, points, start=measured.feature, material=measured.nominal.outward,
                    constraints=held)  # fmt: skip
    if measured.fit.criterion != Criterion.LEAST_SQUARES:
        fit = associate(measured.nominal.shape, points, measured.fit.criterion, start=fit.feature,
                        material=measured.nominal.outward, constraints=held)  # fmt: skip
    fit = fit.turned_like(measured.nominal.feature)
    return replace(
        measured, fit=fit, points=frozen(points), means=frozen(means), rows=np.arange(len(points)),
        strays=np.zeros(0, dtype=np.int64), mean_residuals=fit.feature.distances(means),
        taken=None if measured.taken is None else measured.taken[rows],
        settled=True,
    )  # fmt: skip


def _scatter_of_few(measured: Measured) -> float:
    """Return the standard deviation of single touches, mm, by the degrees of freedom that the association leaves.

    A cylinder goes so near to eight touches that they lie 0.6 of their errors off it.
    """
    residuals = least_squares_feature(measured).distances(measured.points)
    spare = len(residuals) - RULES[measured.nominal.shape].least
    return float(np.sqrt((residuals**2).sum() / spare)) if spare > 0 else 0.0


def _surface_moved(
    measured: Measured, surface: MeasuredSurface, device: StatedErrors, drawn: Drawn, *, forms: bool
) -> Measured:
    """Return a feature of a cloud as it might as well have been measured: moved by the errors of its waves."""
    rng, common = drawn
    few, some = surface.few, evenly(len(surface.means))
    errors = rng.normal(size=surface.modes.shape[1])
    probing = common.probing * measured.nominal.outward
    outward = measured.feature.outward
    points = surface.points[few] + (surface.modes[few] @ errors + probing)[:, None] * outward(surface.points[few])
    means = surface.means[some] + (surface.mean_modes[some] @ errors + probing)[:, None] * outward(surface.means[some])
    scaled = _moved(np.vstack([points, means]), device, rng, common)
    points, means = scaled[: len(few)], scaled[len(few) :]
    shape, material = measured.nominal.shape, measured.nominal.outward
    fit = associate(shape, points, start=measured.feature, material=material)
    if measured.fit.criterion != Criterion.LEAST_SQUARES:
        fit = associate(shape, points, measured.fit.criterion, start=fit.feature, material=material, settled=True)
    fit = fit.turned_like(measured.nominal.feature)
    heights = fit.feature.distances(points)
    moved = replace(
        surface,
        points=frozen(points),
        few=np.arange(len(points)),
        rings=None if surface.rings is None else surface.rings[few],
        means=frozen(means),
        everywhere=frozen(points),
        heights=frozen(heights),
    )
    form = form_of(fit, means, fit.feature.distances(means), settled=True)[0] if forms else measured.form
    return replace(
        measured, fit=fit, points=frozen(points), means=frozen(means), rows=np.arange(len(points)), form=form,
        strays=np.zeros(0, dtype=np.int64), mean_residuals=fit.feature.distances(means), surface=moved,
        settled=True,
    )  # fmt: skip
