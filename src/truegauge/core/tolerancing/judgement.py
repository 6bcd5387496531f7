"""The state of a result against its limits, and what its uncertainty leaves of it (ISO 14253-1:2017)."""

from dataclasses import dataclass
from enum import StrEnum
from typing import Literal

from pydantic import Field

from truegauge.core.frozen_model import Frozen


class State(StrEnum):
    """The states a gauge bar can show; a value is undecided while the decision rule waits for its uncertainty."""

    WITHIN = "within"
    NEAR = "near"
    OUTSIDE = "outside"
    UNDECIDED = "undecided"
    NOT_MEASURED = "not_measured"


NEAR_SHARE = 0.1
DOMINATES = 1 / 3  # of the tolerance: an uncertainty above it says more about the measurement than about the part


class DecisionRule(Frozen):
    """How uncertainty takes part: "simple" acceptance by the limits alone, or a guard band of k times u inside them."""

    rule: Literal["simple", "guard_band"] = "simple"
    k: float = Field(default=2.0, gt=0, le=10)

    def guard(self, uncertainty: float | None) -> float:
        """Return the guard band (mm or rad) for a standard uncertainty; none for simple acceptance."""
        return 0.0 if self.rule == "simple" or uncertainty is None else self.k * uncertainty


@dataclass(frozen=True, slots=True)
class Decision:
    """The state and the words for it."""

    state: State
    words: str


def decide(
    measured: float, lower: float | None, upper: float | None, *, warn_lower: float | None = None,
    warn_upper: float | None = None, uncertainty: float | None = None, rule: DecisionRule | None = None,
    near_share: float = NEAR_SHARE, no_uncertainty: str = "",
) -> Decision:  # fmt: skip
    """Judge a value against its limits (mm or rad); None is no limit on that side.

    A value beyond a limit is outside, proven or not. Inside, it is near where it lies in the guard band of the decision
    rule, beyond a warning limit, or, where no warning limit is stated, nearer to a limit than `near_share` of the
    tolerance (of the upper limit where zero is the natural other end). With a guard band nothing is accepted before its
    uncertainty is known (`no_uncertainty` says why there is none). By simple acceptance a value within its expanded
    uncertainty of a limit is near, and that is said.
    """
    rule = rule or DecisionRule()
    guard = rule.guard(uncertainty)
    doubt = 0.0 if uncertainty is None else rule.k * uncertainty
    for limit, sign in ((lower, -1.0), (upper, 1.0)):
        if limit is not None and sign * (measured - limit) > 0:
            beyond = abs(measured - limit)
            proven = doubt == 0.0 or beyond > doubt
            return Decision(State.OUTSIDE, "outside the limits" if proven else
                            "outside the limits; by less than its uncertainty: not proven")  # fmt: skip
    distance = min((abs(measured - limit) for limit in (lower, upper) if limit is not None), default=float("inf"))
    if rule.rule == "guard_band" and uncertainty is None and distance < float("inf"):
        return Decision(State.UNDECIDED, f"not decided yet: {no_uncertainty or 'its uncertainty is being worked out'}")
    if doubt and distance < doubt:
        said = "conformity is not proven" if guard else "accepted by simple acceptance, not proven"
        return Decision(State.NEAR, f"within the limits by less than its uncertainty: {said}")
    warned = (warn_lower is not None and measured < warn_lower) or (warn_upper is not None and measured > warn_upper)
    if warned:
        return Decision(State.NEAR, "beyond a warning limit")
    stated = warn_lower is not None or warn_upper is not None
    width = (upper if upper is not None else 0.0) - (lower if lower is not None else 0.0)
    if not stated and distance < near_share * abs(width):
        return Decision(State.NEAR, f"within, nearer to a limit than {near_share:.0%} of the tolerance")
    return Decision(State.WITHIN, "within the limits" if not guard else "within the limits beyond doubt")


def dominates(uncertainty: float | None, lower: float | None, upper: float | None, k: float = 2.0) -> bool:
    """Tell whether the expanded uncertainty is more than a third of the tolerance."""
    if uncertainty is None or (lower is None and upper is None):
        return False
    width = abs((upper if upper is not None else 0.0) - (lower if lower is not None else 0.0))
    return k * uncertainty > DOMINATES * width
