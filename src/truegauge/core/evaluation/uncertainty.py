"""The uncertainty of characteristics: in closed form where a kind has one, else by Monte Carlo (JCGM 101:2008).

The part of the evaluation that depends on measured features is run again with the features of each trial: association,
datum systems, zones.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.evaluation.limits import limits_in_force, limits_of_value
from truegauge.core.nodes.node import Node

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.requirements import Characteristic

TRIALS = 32
_LEAST = 8


@dataclass(frozen=True, slots=True)
class UncertaintyOf(Node[float]):
    """The standard uncertainty of a characteristic, mm or rad. `trial` makes the context of a trial by its number."""

    characteristic: Characteristic
    trial: Callable[[Context, int, bool], Context]

    def key(self, context: Context) -> Hashable:
        c, plan = self.characteristic, context.plan
        kind = context.kind(c.kind)
        return (kind.points_key(context, c), kind.content(plan, c), plan.device, plan.standard)

    def compute(self, context: Context) -> float:
        c, plan = self.characteristic, context.plan
        kind = context.kind(c.kind)
        known = kind.uncertainty(context, c)
        if known is not None:
            return known
        lower, upper, _ = limits_in_force(context, c)
        limits = limits_of_value(c, lower, upper)
        mean = kind.mean_beside(plan, c)
        values, above = [], []
        for k in range(TRIALS):
            context.progress(k / TRIALS, c.name)  # the place where it can be stopped
            trial = self.trial(context, k, kind.of_forms)
            value = _value(trial, c, limits)
            base = _value(trial, mean, limits) if mean is not None else 0.0
            if value is not None:
                values.append(value)
                above.append(np.nan if base is None else value - base)
        if len(values) < _LEAST:  # a datum at its material boundary may not fit in every trial
            raise EvaluationError("too few trials of the uncertainty have a value")
        own = kind.tell(context, c, limits).value
        base = _value(context, mean, limits) if mean is not None else 0.0
        if (mean is None and not kind.one_sided) or base is None:
            return spread_and_bias(own, values)
        return spread_and_bias(own, values, above=(own - base, above))


def _value(context: Context, c: Characteristic, limits: tuple[float | None, float | None]) -> float | None:
    try:
        return context.kind(c.kind).tell(context, c, limits).value
    except EvaluationError:
        return None


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
