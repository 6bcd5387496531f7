"""Results that the last evaluation gave and that hold still: an edit judges again only what it concerns."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from truegauge.core.nodes.keys import features_key, scan_key

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.evaluation.results import Result
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.requirements import Characteristic
    from truegauge.core.samples.sample import Sample

# What no result depends on.
_NO_MATTER = {"schema_version", "name", "revision", "characteristics", "views", "tags", "scale", "unit", "decimals",
              "title_block", "probing"}  # fmt: skip


@dataclass(frozen=True, slots=True)
class _Last:
    plan: Plan
    sample: Sample
    points: Hashable  # all points with how they are chosen
    scan: Hashable  # how they are aligned
    results: dict[int, Result]  # by the identity of their characteristics
    uncertainties: int


class KnownResults:
    """The results of the last evaluation, and which of them hold for another plan or sample."""

    def __init__(self) -> None:
        self._last: _Last | None = None
        self._uncertainties = 0

    def uncertainty_is_known(self) -> None:
        """Take note that an uncertainty was worked out: results without one are judged again."""
        self._uncertainties += 1

    def forget(self, origin: str) -> None:
        """Let go of the last sample, unless it is of this origin."""
        if self._last is not None and self._last.sample.origin != origin:
            self._last = None

    def results(self, context: Context, judge: Callable[[Context, Characteristic], Result]) -> tuple[Result, ...]:
        """Return all results; those that hold still are the same objects."""
        count = self._uncertainties
        new = {id(c) for c in self.new_in(context)}
        last = self._last
        found: list[Result] = []
        for c in context.plan.characteristics:
            known = last.results[id(c)] if last is not None and id(c) not in new else None
            if known is None or not (_is_final(known) or (last is not None and last.uncertainties == count)):
                known = judge(context.seen_in(c.alignment), c)
            found.append(known)
        if context.sample is not None:
            self._last = _Last(
                context.plan, context.sample, features_key(context), scan_key(context),
                {id(r.characteristic): r for r in found}, count,
            )  # fmt: skip
        return tuple(found)

    def new_in(self, context: Context) -> tuple[Characteristic, ...]:
        """Return the characteristics whose results the last evaluation does not tell."""
        last, plan, every = self._last, context.plan, context.plan.characteristics
        if last is None or context.sample is None or not _alike(last.plan, plan):
            return every
        moved = _moved_features(context, last)
        if moved is None:
            return every
        there = {id(c) for c in every}
        changed = [c for c in every if id(c) not in last.results]
        gone = [c for c in last.plan.characteristics if id(c) not in there]
        if not changed and not gone and not moved:
            return ()
        features = {f for c in (*changed, *gone) for f in c.features}
        together = {c.simultaneous for c in (*changed, *gone)} - {""}
        if moved:
            together |= {c.simultaneous for c in every if c.simultaneous and _rests_on(plan, c, moved)}
        return tuple(
            c for c in every
            if id(c) not in last.results
            or c.simultaneous in together
            or (moved and (_reads_all_points(context, c) or _rests_on(plan, c, moved)))
            or (context.kind(c.kind).reads_others(plan, c) and _rests_on(plan, c, features | moved))
        )  # fmt: skip


def _is_final(result: Result) -> bool:
    """Tell whether an uncertainty that is worked out changes nothing of a result."""
    return result.measured is None or result.characteristic.basic or result.uncertainty is not None


def _alike(before: Plan, now: Plan) -> bool:
    """Tell whether two plans differ only in characteristics and in what no result depends on."""
    if before is now:
        return True
    # Members that stayed are the same objects, so that this compares little.
    pairs = ((getattr(before, name), getattr(now, name)) for name in type(now).model_fields if name not in _NO_MATTER)
    return all(a is b or a == b for a, b in pairs)


def _moved_features(context: Context, last: _Last) -> set[str] | None:
    """Return the features whose points are others than at the last evaluation; None where all may be."""
    sample = context.sample
    assert sample is not None
    if sample is last.sample:
        return set()
    if sample.origin != last.sample.origin or sample.about != last.sample.about:
        return None
    if not sample.is_touched or not last.sample.is_touched or sample.named.key != last.sample.named.key:
        return None
    if scan_key(context) != last.scan:
        return None
    before, now = last.sample.touched, sample.touched
    moved = {f for f in before.keys() | now.keys() if before.get(f) is not now.get(f)}
    for made in context.plan.constructed:  # after their members
        if moved & set(made.members):
            moved.add(made.id)
    return moved


def _rests_on(plan: Plan, c: Characteristic, features: set[str]) -> bool:
    """Tell whether a characteristic rests on any of some features; what its features' others rest on counts too.

    What reciprocity gives to a size follows from the other tolerances of its features.
    """
    if not _features_behind(plan, c).isdisjoint(features):
        return True
    others = (o for f in c.features for o in plan.given_back.get(f, ()))
    return any(not _features_behind(plan, o).isdisjoint(features) for o in others)


def _features_behind(plan: Plan, c: Characteristic) -> set[str]:
    if not c.datums and not c.zone.cut_datum:
        return set(c.features)
    letters = [x for d in c.datums for x in d.letters]
    if c.zone.cut_datum:
        letters.append(c.zone.cut_datum)
    return {*c.features, *(f for x in letters if plan.has_datum(x) for f in plan.datum(x).features)}


def _reads_all_points(context: Context, c: Characteristic) -> bool:
    """Tell whether a result rests on points of features that it does not name."""
    kind, plan = context.kind(c.kind), context.plan
    targets = any(plan.datum(x).targets for d in c.datums for x in d.letters if plan.has_datum(x))
    return kind.reading or kind.is_profile or bool(c.alignment) or targets
