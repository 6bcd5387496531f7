"""What the kinds share that are read off the cloud: one node each, of a reading of the plan."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, TypeVar

from truegauge.core.characteristics.kind import Kind
from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from collections.abc import Hashable

    from truegauge.core.nodes.context import Context
    from truegauge.core.nodes.node import Node
    from truegauge.core.plan.requirements import Characteristic

R = TypeVar("R")
_SLOW = 100  # a reading that is not there is never worked out while a window waits


@dataclass(frozen=True, kw_only=True)
class ReadingKind(Kind):
    """A kind whose "feature" is a reading of the plan."""

    common: bool = False
    reading: bool = True

    def node(self, context: Context, c: Characteristic) -> Node[Any]:
        """Return the node of the reading.

        Raises
        ------
        EvaluationError
            The plan does not have it.
        """
        raise NotImplementedError

    def points_key(self, context: Context, c: Characteristic) -> Hashable:
        return self.node(context, c).key(context)

    def missing(self, context: Context, c: Characteristic) -> int:
        return 0 if context.knows(self.node(context, c)) else _SLOW


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
