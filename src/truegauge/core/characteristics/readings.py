"""What the kinds share that are read off the cloud."""

from __future__ import annotations

from typing import TYPE_CHECKING, TypeVar

from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.requirements import Characteristic

R = TypeVar("R")
SLOW = 100  # a reading that is not there is never worked out while a window waits


def reading_named(context: Context, c: Characteristic, wanted: type[R]) -> R:
    """Return what a characteristic is read from.

    Raises
    ------
    EvaluationError
        The plan does not have it.
    """
    found = context.plan.reading(c.features[0])
    if not isinstance(found, wanted):
        raise EvaluationError("this is no longer in the plan")
    return found
