"""The evaluation graph: nodes keyed by content, so that only what changed is computed again."""

import logging
import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import TypeVar

from truegauge.core.errors import EvaluationError, TrueGaugeError

log = logging.getLogger(__name__)
T = TypeVar("T")
Key = tuple[type, str | None, Hashable]  # which node, the origin of the sample (None: of none), and its content


@dataclass(frozen=True, slots=True)
class NotComputed:
    """In place of a result: why there is none, in words."""

    reason: str


class Graph:
    """A store of node results. A key names a computation and all its inputs; equal keys mean equal results."""

    def __init__(self, capacity: int = 12_000) -> None:
        self._results: OrderedDict[Key, object] = OrderedDict()
        self._capacity = capacity
        # A window reads what is known while a worker computes more.
        self._lock = threading.Lock()
        self.computed = 0

    def node(self, key: Key, compute: Callable[[], T]) -> T | NotComputed:
        """Return the stored result of `key`, or compute it. An error of ours becomes a reason."""
        with self._lock:
            if key in self._results:
                self._results.move_to_end(key)
                return self._results[key]  # type: ignore[return-value]
            self.computed += 1
        result: T | NotComputed
        try:
            result = compute()
        except TrueGaugeError as error:
            log.info("node %s: %s", key[0].__name__, error)
            result = NotComputed(str(error))
        with self._lock:
            self._results[key] = result
            while len(self._results) > self._capacity:
                self._results.popitem(last=False)
        return result

    def peek(self, key: Key) -> object | None:
        """Return the stored result of `key`, or None."""
        with self._lock:
            return self._results.get(key)

    def forget_other_samples(self, *origins: str) -> None:
        """Drop the results of samples of other origins: they are no longer open."""
        with self._lock:
            for key in [k for k in self._results if k[1] is not None and k[1] not in origins]:
                del self._results[key]


def needed(value: T | NotComputed, what: str = "") -> T:
    """Return a result that another node needs; raise its reason, with `what` in front, when there is none."""
    if isinstance(value, NotComputed):
        raise EvaluationError(f"{what}: {value.reason}" if what else value.reason)
    return value
