"""What is derived of a measured feature is computed once: many characteristics ask for the same."""

import threading
from collections.abc import Callable
from typing import Any, TypeVar
from weakref import WeakKeyDictionary

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.constraints import NONE
from truegauge.core.association.features import Feature
from truegauge.core.association.fit import Criterion
from truegauge.core.features.extraction import Measured

T = TypeVar("T")
_lock = threading.Lock()
_kept: WeakKeyDictionary[Measured, dict[str, Any]] = WeakKeyDictionary()


def once(measured: Measured, name: str, compute: Callable[[], T]) -> T:
    """Return what was computed of a measured feature before, under a name."""
    with _lock:  # the window's evaluation and that of uncertainties run side by side
        store = _kept.setdefault(measured, {})
    if name not in store:
        store[name] = compute()
    found: T = store[name]
    return found


def least_squares_feature(measured: Measured) -> Feature:
    """Return the least-squares feature, whatever criterion was chosen: sections are square to its axis."""
    if measured.fit.criterion == Criterion.LEAST_SQUARES:
        return measured.feature

    def compute() -> Feature:
        held = measured.fit.constraints or NONE
        fit = associate(measured.nominal.shape, measured.points, start=measured.feature, constraints=held)
        return fit.turned_like(measured.nominal.feature).feature

    return once(measured, "least squares", compute)
