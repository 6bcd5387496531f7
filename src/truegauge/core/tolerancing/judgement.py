"""The state of a result against its limits."""

from enum import StrEnum


class State(StrEnum):
    """The four states a gauge bar can show."""

    WITHIN = "within"
    NEAR = "near"
    OUTSIDE = "outside"
    NOT_MEASURED = "not_measured"


NEAR_SHARE = 0.1


def judge(measured: float, lower: float | None, upper: float | None, *, near_share: float = NEAR_SHARE) -> State:
    """Judge a value against its limits (mm or rad); None is no limit on that side.

    A value is near when it is within and its distance to a limit is below `near_share` of the tolerance width (of
    the upper limit where zero is the natural other end). The limits themselves are within (ISO 14253-1 decides with
    uncertainty; here none is stated).
    """
    if (lower is not None and measured < lower) or (upper is not None and measured > upper):
        return State.OUTSIDE
    width = (upper if upper is not None else 0.0) - (lower if lower is not None else 0.0)
    margin = near_share * abs(width)
    for limit in (lower, upper):
        if limit is not None and abs(measured - limit) < margin:
            return State.NEAR
    return State.WITHIN
