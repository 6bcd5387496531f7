"""Which features of the part must be measured for some characteristics, and why each of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from truegauge.core.plan.alignments import features_of
from truegauge.core.plan.features import ConstructedFeature

if TYPE_CHECKING:
    from collections.abc import Iterable

    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.requirements import Characteristic


@dataclass(frozen=True, slots=True)
class Reason:
    """Why a feature is measured, in words; `places` where it only tells where the part lies."""

    text: str
    places: bool = False


def needed_features(
    plan: Plan, characteristics: Iterable[str] = (), features: Iterable[str] = ()
) -> dict[str, tuple[Reason, ...]]:
    """Return the features of the part that characteristics and features (ids) need, in the plan's order, with why.

    A characteristic needs its features, those of its datums, those of the alignment that it is reported in and of all
    that this starts from, and what is evaluated together with it. A constructed feature needs its members.
    """
    found: dict[str, dict[Reason, None]] = {}  # reasons in their order, each once

    def need(feature_id: str, why: Reason) -> None:
        if not plan.has_feature(feature_id):
            return  # something read off a scan
        feature = plan.feature(feature_id)
        if isinstance(feature, ConstructedFeature):
            for member in feature.members:
                need(member, Reason(f"{feature.name} is built from it", why.places))
        found.setdefault(feature_id, {})[why] = None

    def align(alignment: str) -> None:
        for own in plan.chain(alignment):
            for f in features_of(own):
                need(f, Reason(f"alignment {own.name or own.id}", places=True))

    for f in features:
        need(f, Reason("chosen"))
        align("")
    for i in characteristics:
        for c, why in _evaluated_with(plan, plan.characteristic(i)):
            for f in c.features:
                need(f, Reason(why))
            for letter in _letters(plan, c):
                for f in plan.datum(letter).features:
                    need(f, Reason(f"datum {letter} of {c.number}"))
            align(c.alignment)
    return {f.id: tuple(found[f.id]) for f in plan.features if f.id in found}


def _evaluated_with(plan: Plan, own: Characteristic) -> list[tuple[Characteristic, str]]:
    """Return a characteristic with those that its result follows from too: simultaneous ones, and reciprocity."""
    found = [(own, f"characteristic {own.number}")]
    if own.simultaneous:
        others = [c for c in plan.characteristics if c.simultaneous == own.simultaneous and c.id != own.id]
        found += [(c, f"{c.number} is simultaneous with {own.number}") for c in others]
    for f in own.features:
        given = [c for c in plan.given_back.get(f, ()) if c.id != own.id]
        found += [(c, f"{c.number} may give back to {own.number}") for c in given]
    return found


def _letters(plan: Plan, c: Characteristic) -> list[str]:
    letters = [x for d in c.datums for x in d.letters]
    if c.zone.cut_datum:
        letters.append(c.zone.cut_datum)
    return [x for x in dict.fromkeys(letters) if plan.has_datum(x)]
