"""The imperfections of two scans of one surface, in the same coordinates: which are new, gone, deeper, shallower."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.imperfections.measuring import Imperfection

_SURE = 2.0  # standard uncertainties of the difference from which a depth has changed


@dataclass(frozen=True, slots=True)
class Change:
    """What became of one: `state` new, gone, deeper, shallower, same; `change` of its depth, mm (deeper: positive)."""

    state: str
    before: Imperfection | None
    now: Imperfection | None
    change: float


def compare(before: Sequence[Imperfection], now: Sequence[Imperfection]) -> tuple[Change, ...]:
    """Match imperfections by place, nearest first, each once; of one sign only.

    Two are the same where the deepest place of one lies within the other. What is there now comes first, in its order,
    then what is gone.
    """
    pairs: list[tuple[float, int, int]] = []
    if before and now:
        at, there = np.array([b.deepest for b in before]), np.array([n.deepest for n in now])
        for j, far in enumerate(np.linalg.norm(there[:, None] - at[None], axis=2)):
            for i in np.flatnonzero(far <= np.maximum(now[j].length, [b.length for b in before]) / 2).tolist():
                if (before[i].depth > 0) == (now[j].depth > 0):
                    pairs.append((float(far[i]), i, j))
    of_now: dict[int, int] = {}
    for _, i, j in sorted(pairs):
        if j not in of_now and i not in of_now.values():
            of_now[j] = i
    made = [_changed(before[of_now[j]] if j in of_now else None, n) for j, n in enumerate(now)]
    gone = [Change("gone", b, None, -abs(b.depth)) for i, b in enumerate(before) if i not in of_now.values()]
    return (*made, *gone)


def _changed(before: Imperfection | None, now: Imperfection) -> Change:
    if before is None:
        return Change("new", None, now, abs(now.depth))
    change = abs(now.depth) - abs(before.depth)
    sure = _SURE * float(np.hypot(before.depth_u, now.depth_u))
    return Change("same" if abs(change) <= sure else "deeper" if change > 0 else "shallower", before, now, change)
