"""Imperfections against what is allowed: the worst one, or all together; and which of them are to be seen to."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.plan.surface_checks import AT_LEAST, EACH
from truegauge.core.tolerancing.judgement import Decision, DecisionRule, State, decide

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.imperfections.measuring import Imperfection
    from truegauge.core.imperfections.search import Found
    from truegauge.core.plan.surface_checks import SurfaceLimit

WORDS = {
    "depth": "deepest or highest", "area": "largest area", "volume": "largest volume", "length": "longest",
    "width": "widest", "edge_to_edge": "nearest to each other", "border": "nearest to the border", "count": "how many",
    "per_area": "how many in 1 m²", "total_area": "area of all", "total_volume": "volume of all",
}  # fmt: skip
UNITS = {
    **dict.fromkeys(("depth", "length", "width", "edge_to_edge", "border"), "mm"), "count": "", "per_area": "1/m2",
    **dict.fromkeys(("area", "total_area"), "mm2"), **dict.fromkeys(("volume", "total_volume"), "mm3"),
}  # fmt: skip
_WORST = (State.OUTSIDE, State.UNDECIDED, State.NEAR, State.WITHIN)


@dataclass(frozen=True, slots=True)
class Judged:
    """A limit with what was found: `value` is NaN where there is nothing to judge, which is within.

    `worst` is the number of the imperfection that it is of, -1 for none; `beyond` are those that break the limit.
    """

    limit: SurfaceLimit
    value: float
    worst: int
    decision: Decision
    beyond: tuple[int, ...] = ()


def amount_of(one: Imperfection, quantity: str) -> float:
    """Return how much of a quantity an imperfection has: its depth without sign."""
    return abs(float(getattr(one, quantity)))


def judge(found: Found, limits: Sequence[SurfaceLimit], rule: DecisionRule | None = None) -> tuple[Judged, ...]:
    """Compare what was found with limits.

    Depths have uncertainties, which take part by the decision rule (ISO 14253-1); numbers are exact; the others are
    judged by simple acceptance.
    """
    return tuple(_judged(found, one, rule or DecisionRule()) for one in limits)


def _judged(found: Found, limit: SurfaceLimit, rule: DecisionRule) -> Judged:
    every, quantity = found.imperfections, limit.quantity
    least = quantity in AT_LEAST
    if quantity not in EACH:
        value = _of_all(found, quantity)
        return Judged(limit, value, -1, decide(value, None, limit.limit, rule=DecisionRule()))
    amounts = np.array([amount_of(i, quantity) for i in every])
    there = np.flatnonzero(np.isfinite(amounts))
    if not len(there):
        return Judged(limit, float("nan"), -1, Decision(State.WITHIN, "there is none"))
    worst = int(there[np.argmin(amounts[there]) if least else np.argmax(amounts[there])])
    bounds = (limit.limit, None) if least else (None, limit.limit)
    if quantity == "depth":
        # A little less deep and less sure may be worse than the deepest: each is decided with its own uncertainty.
        each = {int(k): decide(amounts[k], *bounds, uncertainty=every[k].depth_u, rule=rule) for k in there}
        worst = min(each, key=lambda k: (_WORST.index(each[k].state), -amounts[k]))
        decision = each[worst]
    else:
        decision = decide(amounts[worst], *bounds, rule=DecisionRule())
    beyond = amounts[there] < limit.limit if least else amounts[there] > limit.limit
    return Judged(limit, float(amounts[worst]), worst, decision, tuple(int(k) for k in there[beyond]))


def _of_all(found: Found, quantity: str) -> float:
    every = found.imperfections
    match quantity:
        case "count":
            return float(len(every))
        case "per_area":
            return len(every) / max(found.quality.area, 1e-9) * 1e6
        case "total_area":
            return sum(i.area for i in every)
        case _:
            return sum(i.volume for i in every)


def flagged(judged: Sequence[Judged]) -> tuple[int, ...]:
    """Return the numbers of the imperfections that break a limit of their own."""
    return tuple(sorted({k for one in judged for k in one.beyond}))


def state_of(judged: Sequence[Judged]) -> State | None:
    """Return the state of all limits together; None without limits."""
    states = {one.decision.state for one in judged}
    return next((s for s in _WORST if s in states), None)
