"""What the points of a sample depend on at each step of their way: as they are, aligned, and chosen for features."""

from __future__ import annotations

from collections.abc import Hashable
from typing import TYPE_CHECKING

from truegauge.core.clouds.recipe import Recipe, works_before
from truegauge.core.hashed import Hashed
from truegauge.core.plan.alignments import features_of
from truegauge.core.temperature import REFERENCE_C, Temperatures

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample

_BY_NAMED_TOUCHES = {"guided", "matched_points"}


def temperatures(plan: Plan, sample: Sample) -> Temperatures:
    """Return the temperatures of the sample with the material of the plan; the reference where nothing is known."""
    about = sample.about
    return Temperatures(
        REFERENCE_C if about.temperature_c is None else about.temperature_c,
        REFERENCE_C if about.scale_temperature_c is None else about.scale_temperature_c,
        0.0 if plan.material is None else plan.material.expansion,
        about.scale_expansion,
    )


def growth_of(context: Context) -> float:
    """Return what lengths of the sample are multiplied by for their size at the reference temperature."""
    return temperatures(context.plan, context.measured_sample).growth


def steps_before(plan: Plan) -> Recipe:
    """Return the steps of the recipe that work on points before they are aligned."""
    return tuple(step for step in plan.recipe if works_before(step))


def points_key(context: Context) -> Hashable:
    """Return what the prepared points of the scans depend on."""
    return (context.measured_sample.scans_key, growth_of(context))


def alignment_key(context: Context, alignment_id: str = "") -> Hashable:
    """Return what an alignment depends on (the context's own without an id): touches only where it can use them."""
    plan, contents, sample = context.plan, context.contents, context.measured_sample
    wanted = alignment_id or context.alignment
    chain = contents.chain(wanted)
    named = sample.named.key if _BY_NAMED_TOUCHES & {own.kind for own in chain} else None
    touched: list[Hashable] = []
    if sample.touched:
        touched = [touched_key(context, f) for own in chain for f in features_of(own)]

    def make() -> Hashable:
        # What extraction sees of the points matters to alignments by features.
        seen: Hashable = (plan.limits, plan.recipe) if len(chain) > 1 else steps_before(plan)
        if any(own.kind == "datums" for own in chain):
            seen = (seen, plan.datum_association)
        return (contents.alignment(wanted), seen)

    said = contents.kept(("alignment of", wanted), make)
    return (points_key(context), said, named, tuple(touched))


def touched_key(context: Context, feature_id: str) -> Hashable:
    """Return the content of the touches that a feature rests on: its own, or those of its members."""
    plan, touched = context.plan, context.measured_sample.touched
    members = getattr(plan.feature(feature_id), "members", ())
    if members:
        return tuple(touched_key(context, m) for m in members)
    own = touched.get(feature_id)
    return None if own is None else own.key


def scan_key(context: Context) -> Hashable:
    """Return what the aligned points of the scans depend on."""
    plan = context.plan

    def make() -> Hashable:
        said = context.contents.kept("limits", lambda: (plan.limits, plan.recipe))
        return Hashed((alignment_key(context), said))

    return context.remembered("scan key", make)


def cloud_key(context: Context) -> Hashable:
    """Return what all aligned points depend on, scanned or touched."""
    sample = context.measured_sample
    return context.remembered(
        "cloud key", lambda: Hashed((scan_key(context), sample.touched_key if sample.touched else None))
    )


def features_key(context: Context) -> Hashable:
    """Return what everything depends on that is chosen from all points: of scans, where there are any."""
    key = cloud_key if context.measured_sample.is_touched else scan_key
    return context.remembered("features key", lambda: Hashed((key(context), context.contents.extraction)))


def goes_by_touches(context: Context, feature_id: str) -> bool:
    """Tell whether a feature is measured by touches: it was touched, or there is no scan."""
    sample = context.measured_sample
    return sample.is_touched or feature_id in sample.touched
