"""The uncertainty of characteristics: by covariance for diameters, by Monte Carlo (JCGM 101:2008) for all others.

A trial moves every measured feature as the device may have: the scatter of its points (their own, about the associated
feature), a common probing error along the outward normal, an error of place that gives lengths their stated error, and
a common strain (scale and squareness). The part of the evaluation that depends on them is then run again: association,
datum systems, zones.
"""

from __future__ import annotations

import zlib
from collections.abc import Hashable, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import Points, Rigid, frozen
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.constraints import NONE
from truegauge.core.association.fit import Criterion
from truegauge.core.association.squares import RULES
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.built import built_measured
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, ExtractionSettings, Measured, form_of, measure
from truegauge.core.features.measured_surface import MeasuredSurface, evenly
from truegauge.core.plan.asked import Asked, asked_by
from truegauge.core.plan.document import Characteristic, ConstructedFeature, Group, Plan
from truegauge.core.plan.graph import Graph, NotComputed, needed
from truegauge.core.plan.judging import limits_in_force, value_of
from truegauge.core.plan.reading import reading_uncertainty
from truegauge.core.plan.results import Cloud
from truegauge.core.plan.rules import rule_of
from truegauge.core.plan.tolerances import outcome_of, system_content
from truegauge.core.progress import Progress, silent
from truegauge.core.registration.alignment import Alignment
from truegauge.core.samples.sample import Sample
from truegauge.core.tolerancing.kinds import KINDS
from truegauge.core.tolerancing.once import least_squares_feature
from truegauge.core.tolerancing.request import Patch
from truegauge.core.tolerancing.size_rule import SizeRule
from truegauge.core.uncertainty.common_errors import CommonErrors, common_errors
from truegauge.core.uncertainty.stated_errors import StatedErrors

if TYPE_CHECKING:
    from truegauge.core.plan.evaluation import Evaluator

TRIALS = 32
Drawn = tuple[np.random.Generator, CommonErrors]
_MOST_POINTS = 600
_FEW = 200  # touches whose scatter is taken by its degrees of freedom
_MOST_OF_PATCH = 600
_LEAST = 8
_BY_COVARIANCE = ("diameter", "diameter_gg", "radius")


def uncertainty_key(evaluator: Evaluator, plan: Plan, sample: Sample, c: Characteristic) -> Hashable:
    """Return what the uncertainty of a characteristic depends on."""
    contents = tuple(plan.content_of(plan.named(f).group) for f in c.features)
    asked = asked_by(plan, c)
    content: Hashable = asked.content
    if not evaluator.is_geometric(c.kind):
        # Of many sizes the limits decide which is told.
        content = (
            c.kind,
            c.modifiers,
            c.zone,
            plan.usual_size,
            (c.lower, c.upper) if rule_of(plan, c) is not None else (),
        )
    system = system_content(evaluator, plan, asked.datums) if c.datums else ()
    return ("uncertainty", *evaluator.seen_key(plan, sample), contents, content, system, plan.device, plan.standard,
            c.simultaneous)  # fmt: skip


def standard_uncertainty(
    evaluator: Evaluator, plan: Plan, sample: Sample, c: Characteristic, progress: Progress = silent
) -> float:
    """Return the standard uncertainty of a characteristic, mm or rad.

    Raises
    ------
    EvaluationError
        It has no value, or too few trials have one.
    """
    if c.kind in KINDS and KINDS[c.kind].reading:
        return reading_uncertainty(evaluator, plan, sample, c)
    groups = tuple(plan.named(f).group for f in c.features)
    rule = rule_of(plan, c)
    global_size = c.kind == "radius" or (rule is not None and rule.how == "GG" and not rule.section)
    if c.kind in _BY_COVARIANCE and not isinstance(groups[0], str) and global_size:
        measured = needed(evaluator.measured(plan, sample, groups[0]))
        if isinstance(measured, Measured):
            return _of_diameter(measured, plan.device) * (0.5 if c.kind == "radius" else 1.0)
    lower, upper, _ = limits_in_force(evaluator, plan, c)
    kind = KINDS.get(c.kind)
    forms = kind is not None and kind.one_sided and not kind.geometric
    mean = None if global_size else mean_size(c, rule)
    values, above = [], []
    for k in range(TRIALS):
        progress(k / TRIALS, c.name)  # the place where it can be stopped
        trial = evaluator.trial(k, plan.device, forms=forms)
        value, _, _ = value_of(trial, plan, sample, c, lower, upper)
        base = value_of(trial, plan, sample, mean, lower, upper)[0] if mean is not None else 0.0
        if not isinstance(value, NotComputed):
            values.append(value)
            above.append(np.nan if isinstance(base, NotComputed) else value - base)
    if len(values) < _LEAST:  # a datum at its material boundary may not fit in every trial
        raise EvaluationError("too few trials of the uncertainty have a value")
    own, _, _ = value_of(evaluator, plan, sample, c, lower, upper)
    base = value_of(evaluator, plan, sample, mean, lower, upper)[0] if mean is not None else 0.0
    if isinstance(own, NotComputed):
        raise EvaluationError(own.reason)
    if (mean is None and not (kind is not None and kind.one_sided)) or isinstance(base, NotComputed):
        return spread_and_bias(own, values)
    return spread_and_bias(own, values, above=(own - base, above))


def mean_size(c: Characteristic, rule: SizeRule | None) -> Characteristic | None:
    """Return the least-squares size beside one by extremes: what lies between them holds its bias; else None."""
    if rule is None or rule.is_spread:
        return None
    kind = "diameter" if c.kind.startswith("diameter") else "width"
    return c.replace(kind=kind, modifiers=("GG",))


def spread_and_bias(
    own: float, values: Sequence[float], *, above: tuple[float, Sequence[float]] | None = None
) -> float:
    """Return the standard uncertainty of a value from its trials: their scatter, and what the value is too large by.

    The errors of a trial come on top of those that the value has. So the trials are off it by as much as it is off the
    truth (parametric bootstrap: Efron and Tibshirani, An Introduction to the Bootstrap, 1993, chapter 10). What no
    error can take below zero grows in squares: `above` says it of the value and of its trials (a magnitude itself; of
    sizes by extremes the difference from the mean size). It is too large by half of what its square grew by over
    itself, where that is little, and by all of itself where it may be nothing; between the two the whole of that growth
    is taken: a value that happens to be large says its bias to be small (``test_spread_and_bias.py``).

    Of all others (a place seen from a datum that touches: the datum stands out by an extreme of the noise) the trials
    have the noise twice, so that what grows with it is 1 / (sqrt(2) - 1) of what they are off, beyond their scatter.
    """
    found = np.asarray(values)
    scatter = float(np.std(found, ddof=1))
    off = max((float(found.mean()) - own) ** 2 - scatter**2 / len(found), 0.0)
    bias = np.sqrt(off) * (1 + np.sqrt(2))
    if above is not None:
        grown = max(float(np.nanmean(np.square(above[1]))) - above[0] ** 2, 0.0)
        size = abs(above[0])
        bias = size if grown >= size**2 else grown / size
    return float(np.hypot(scatter, bias))


def _of_diameter(measured: Measured, device: StatedErrors) -> float:
    """Carry the covariance of the association and the stated errors to a diameter."""
    own = measured.fit.standard_deviation("radius") or 0.0
    size = 2 * float(measured.feature.parameters["radius"])
    return float(np.sqrt((2 * own) ** 2 + device.of_probing**2 + (size * device.of_scale) ** 2))


def make_trial(base: Evaluator, number: int, *, forms: bool) -> Evaluator:
    """Return an evaluator that sees every measured feature as one trial has it."""
    from truegauge.core.plan.evaluation import Evaluator

    class Trial(Evaluator):
        """Features moved by the errors of one trial; everything else is that of the base."""

        def nominal(self, group: Group, plan: Plan | None = None) -> Nominal | NotComputed:
            return base.nominal(group, plan)

        def alignment(
            self, plan: Plan, sample: Sample | None, alignment_id: str = "", *, progress: Progress = silent
        ) -> Alignment | NotComputed:
            # Where the scan lies does not depend on the trial.
            return base.alignment(plan, sample, alignment_id, progress=progress)

        def aligned(
            self, plan: Plan, sample: Sample | None, *, progress: Progress = silent
        ) -> tuple[Alignment | NotComputed, Cloud | NotComputed]:
            return base.aligned(plan, sample, progress=progress)

        def measured(self, plan: Plan, sample: Sample | None, group: Group) -> Measured | Built | NotComputed:
            found = base.measured(plan, sample, group)
            if sample is None or isinstance(found, NotComputed):
                return found
            if isinstance(group, str) or isinstance(found, Built):
                return self.graph.node(("built", *self.seen_key(plan, sample), plan.content_of(group)),
                                       lambda: self._built_again(plan, sample, str(group)))  # fmt: skip
            key = ("trial", *self.seen_key(plan, sample), plan.content_of(group))
            return self.graph.node(
                key, lambda: perturbed(found, plan.device, _drawn(number, group, plan.device), forms=forms)
            )

        def _built_again(self, plan: Plan, sample: Sample, group: str) -> Built:
            made = plan.feature_of(group)
            nominal = needed(base.nominal(group, plan))
            if not isinstance(made, ConstructedFeature):
                raise EvaluationError("this feature is no longer there")
            members: list[Measured | Built] = []
            for member in map(plan.feature, made.members):
                one = self.measured(plan, sample, member.group)
                if isinstance(one, NotComputed):
                    raise EvaluationError(one.reason)
                members.append(one)
            return built_measured(made.construction, tuple(members), made.values, nominal)

        def patch(self, plan: Plan, sample: Sample, faces: tuple[int, ...]) -> Patch | NotComputed:
            found = base.patch(plan, sample, faces)
            if isinstance(found, NotComputed):
                return found
            rng, common = _drawn(number, faces, plan.device)
            points = found.points
            if found.normals is not None:
                off = np.concatenate([m @ rng.normal(size=m.shape[1]) for m in found.modes])
                points = points + (off + common.probing)[:, None] * found.normals
            some = evenly(len(points), _MOST_OF_PATCH)
            return replace(found, points=_moved(points[some], plan.device, rng, common), settled=True)

        def settled_poses(self, plan: Plan, sample: Sample, asked: Asked) -> tuple[Rigid, ...]:
            # The zone of a trial lies next to that of the value: no other optimum is looked for.
            found = outcome_of(base, plan, sample, asked)
            return () if isinstance(found, NotComputed) else found.poses

    trial = Trial(base.model, base.projector)
    trial.graph = Graph()
    return trial


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
