"""From a value to a result: limits in force, bonus, uncertainty, coverage, and the decision."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.errors import EvaluationError
from truegauge.core.evaluation.limits import limits_in_force, limits_of_value, with_reciprocity
from truegauge.core.evaluation.results import Result
from truegauge.core.features.extraction import Measured
from truegauge.core.nodes.features import CoverageOf, extraction_of
from truegauge.core.nodes.graph import NotComputed, needed
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.samples.words import touch_warning
from truegauge.core.tolerancing.judgement import State, decide, dominates

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.requirements import Characteristic


def result_of(context: Context, c: Characteristic, uncertainty: float | NotComputed | None) -> Result:
    """Return the result of a characteristic, in the alignment of the context.

    `uncertainty` is the standard one, mm or rad, why there is none, or None while it is not worked out.
    """
    plan, kind = context.plan, context.kind(c.kind)
    lower, upper, general = limits_in_force(context, c)
    try:
        needed(context.no_sample if context.sample is None else context.sample)
        told = kind.tell(context, c, limits_of_value(c, lower, upper))
    except EvaluationError as error:
        return Result(c, None, State.NOT_MEASURED, _reason(context, c, str(error)), lower, upper, general,
                      definition=kind.definition(plan, c))  # fmt: skip
    value, outcome, notes = told.value, told.outcome, told.notes
    if outcome is not None and upper is not None:
        upper = upper + outcome.bonus
    if kind.takes_unused:
        lower, upper, extra = with_reciprocity(context, c, lower, upper)
        notes += extra
    if c.basic:
        return Result(c, value, State.WITHIN, "", None, None, "", "theoretically exact: not judged", outcome=outcome,
                      notes=notes, definition=kind.definition(plan, c))  # fmt: skip
    coverage, warning = _coverage(context, c)
    known = uncertainty if isinstance(uncertainty, float) else None
    why_none = f"it has no uncertainty: {uncertainty.reason}" if isinstance(uncertainty, NotComputed) else ""
    low, high = limits_of_value(c, lower, upper)
    warn_low, warn_high = limits_of_value(c, c.warn_lower, c.warn_upper)
    said = decide(
        value, low, high, warn_lower=warn_low, warn_upper=warn_high, uncertainty=known, rule=plan.decision,
        no_uncertainty=why_none,
    )  # fmt: skip
    return Result(c, value, said.state, "", lower, upper, general, said.words, known,
                  dominates(known, lower, upper, plan.decision.k), outcome, notes, coverage, warning,
                  _surface_words(context, c), kind.definition(plan, c))  # fmt: skip


def _surface_words(context: Context, c: Characteristic) -> str:
    """Say how the surface behind a result was estimated: of the feature with the most noise, of several."""
    if context.sample is None or context.sample.is_touched or context.kind(c.kind).reading:
        return ""
    found = [context.measured(context.plan.feature(f).group) for f in c.features]
    surfaces = [m.surface for m in found if isinstance(m, Measured) and m.surface is not None]
    return max(surfaces, key=lambda s: s.noise).words if surfaces else ""


def _coverage(context: Context, c: Characteristic) -> tuple[float | None, str]:
    """Return the least coverage of the features of a characteristic, and the warning where it is low."""
    plan, sample = context.plan, context.sample
    faces = [g for f in c.features for g in _face_groups(plan, f)]
    if sample is None or not faces:
        return None, ""
    ids = {i for f in c.features for i in _feature_ids(plan, f)}
    if not sample.scans or ids <= sample.touched.keys():
        return None, touch_warning(sample, ids)
    touched = {plan.feature(i).group for i in ids & sample.touched.keys()}
    known = [(g, context.get(CoverageOf(g))) for g in faces if g not in touched]
    shares = [(s, g) for g, s in known if not isinstance(s, NotComputed)]
    if not shares:
        return None, ""
    share, group = min(shares)
    if share >= extraction_of(context, group).low_coverage:
        return share, ""
    feature = plan.feature_with_faces(group)
    return share, f"points on only {100 * share:.0f} % of {feature.name if feature else 'the faces'}"


def _feature_ids(plan: Plan, feature_id: str) -> list[str]:
    found = plan.named(feature_id)
    if isinstance(found, ConstructedFeature):
        return [i for m in found.members for i in _feature_ids(plan, m)]
    return [feature_id]


def _face_groups(plan: Plan, feature_id: str) -> list[tuple[int, ...]]:
    found = plan.named(feature_id)
    if isinstance(found, NominalFeature):
        return [found.faces]
    if isinstance(found, ConstructedFeature):
        return [g for m in found.members for g in _face_groups(plan, m)]
    return []


def _reason(context: Context, c: Characteristic, reason: str) -> str:
    """Return a reason that names the feature that is not measured, where that is the reason."""
    if context.sample is None or context.kind(c.kind).reading:
        return reason
    for feature in map(context.plan.feature, c.features):
        if isinstance(context.measured(feature.group), NotComputed):
            named = reason.startswith((feature.name, "datum"))
            return reason if named else f"{feature.name}: {reason}"
    return reason
