"""A better order for a route: shorter by the machine's real time, within what must stay as it is.

Steps that others are measured from come first, as they do; alignments, notes and temperatures stay between the steps
that they stand between. What is pinned keeps its number; groups, and patterns where that is wanted, stay together.
"""

import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from truegauge.core.probing.probing import StylusUse
from truegauge.core.progress import Progress, silent
from truegauge.core.routes.document import AnyStep, MeasureStep, Route
from truegauge.core.routes.legs import PlannedRoute
from truegauge.core.routes.order_costs import Stop, costs_between, stops_of
from truegauge.core.routes.order_search import OrderSearch
from truegauge.core.routes.places import FeatureToTouch
from truegauge.core.routes.planning import Planner

_SPLIT, _EARLIER = 1e4, 1e7  # s: what a group that is split, and a step before what it needs, must never be worth
_ROUNDS, _ENOUGH_S = 150, 1.2
NOTHING_NEW_S = 3.0  # without a better one


@dataclass(frozen=True, slots=True)
class Wanted:
    """What may be changed.

    `patterns` (sets of features) stay together; `only` (ids of steps): these alone find other places, `groups` tells
    whether groups stay together.
    """

    groups: bool = True
    patterns: tuple[frozenset[str], ...] = ()
    only: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True, eq=False)
class Shorter:
    """An order that was found, what it comes to (planned), and the one before; `added` poses are in both."""

    route: Route
    planned: PlannedRoute
    before: PlannedRoute
    added: tuple[StylusUse, ...] = ()

    @property
    def saved(self) -> float:
        """The share of the time that is saved."""
        return 1.0 - self.planned.seconds / max(self.before.seconds, 1e-9)


class Shortening:
    """The search over the steps of a route; `go_on` until it is enough, then `found`."""

    def __init__(
        self, route: Route, planner: Planner, features: Mapping[str, FeatureToTouch], wanted: Wanted = Wanted(),
        progress: Progress = silent, before: PlannedRoute | None = None,
    ) -> None:  # fmt: skip
        """`before` is the route as it is planned, where that is known."""
        self.route, self._planner, self._features = route, planner, features
        self.before = before or planner.plan(route, features, progress)
        stops = stops_of(self.before)
        self._steps = [s for s in route.steps if s.id in stops]
        self._search = _search_of(route, [stops[s.id] for s in self._steps], self._steps, planner, features, wanted)
        self.quiet_since = time.monotonic()

    @property
    def quiet_s(self) -> float:
        """How long nothing better was found."""
        return time.monotonic() - self.quiet_since

    def go_on(self) -> bool:
        """Search a little more; tells whether it got better."""
        better = self._search.go_on(_ROUNDS)
        if better:
            self.quiet_since = time.monotonic()
        return better

    def order(self) -> Route:
        """Return the route in the best order so far; steps that are off or not reached stay at their numbers."""
        ordered = iter([self._steps[k] for k in self._search.order])
        mine = {s.id for s in self._steps}
        return self.route.replace(steps=tuple(next(ordered) if s.id in mine else s for s in self.route.steps))

    def found(self, progress: Progress = silent) -> Shorter:
        """Plan the best order so far; where its real ways are no shorter than before, nothing is changed."""
        route = self.order()
        planned = self._planner.plan(route, self._features, progress)
        worse = planned.seconds >= self.before.seconds - 1e-6 or len(planned.unreached) > len(self.before.unreached)
        if worse:
            return Shorter(self.route, self.before, self.before)
        return Shorter(route, planned, self.before)


def shorten(
    route: Route, planner: Planner, features: Mapping[str, FeatureToTouch], wanted: Wanted = Wanted(),
    at_most_s: float = _ENOUGH_S, progress: Progress = silent, better: Callable[[Route], None] = lambda route: None,
) -> Shorter:  # fmt: skip
    """Search for a time (or until nothing is found any more), and return the best order, planned."""
    search = Shortening(route, planner, features, wanted, progress)
    end = time.monotonic() + at_most_s
    while time.monotonic() < end and search.quiet_s < NOTHING_NEW_S:
        progress(0.5, "looking for a shorter order")
        if search.go_on():
            better(search.order())
    return search.found(progress)


def _search_of(
    route: Route, stops: list[Stop], steps: list[AnyStep], planner: Planner, features: Mapping[str, FeatureToTouch],
    wanted: Wanted,
) -> OrderSearch:  # fmt: skip
    n = len(stops)
    costs = costs_between(stops, planner) if n else np.zeros((0, 0))
    part = _parts(route, steps, features)
    costs = costs + _EARLIER * (part[:, None] > part[None])
    for group in _together(steps, wanted):
        costs = costs + _SPLIT * (group[:, None] != group[None])
    fixed = np.array([s.pinned or (bool(wanted.only) and s.id not in wanted.only) for s in steps], dtype=bool)
    if wanted.only:
        return _insertion(costs, fixed)
    return OrderSearch(costs, np.zeros(n), np.zeros(n), np.arange(n), fixed)


def _insertion(costs: np.ndarray, stays: np.ndarray) -> OrderSearch:
    """Put the free things one after the other where they cost least; the others keep their order."""
    order = [k for k in range(len(costs)) if stays[k]]
    for k in (k for k in range(len(costs)) if not stays[k]):
        best, at = np.inf, len(order)
        for p in range(len(order) + 1):
            before, after = order[p - 1] if p else None, order[p] if p < len(order) else None
            added = (0.0 if before is None else costs[before, k]) + (0.0 if after is None else costs[k, after])
            added -= 0.0 if before is None or after is None else costs[before, after]
            if added < best - 1e-12:
                best, at = added, p
        order.insert(at, k)
    zeros = np.zeros(len(costs))
    return OrderSearch(costs, zeros, zeros, np.array(order, dtype=np.int64), np.ones(len(costs), dtype=bool))


def _parts(route: Route, steps: list[AnyStep], features: Mapping[str, FeatureToTouch]) -> np.ndarray:
    """Return in which part of the route each step belongs (n,): what stands between steps parts them."""
    found, part = {}, 0
    for s in route.steps:
        if isinstance(s, MeasureStep):
            found[s.id] = part
        elif s.on:
            part += 1
    first = [2 * found[s.id] + (0 if _is_first(s, features) else 1) for s in steps]
    return np.array(first, dtype=np.int64)


def _is_first(step: AnyStep, features: Mapping[str, FeatureToTouch]) -> bool:
    own = features.get(step.feature) if isinstance(step, MeasureStep) else None
    return own is not None and own.first


def _together(steps: list[AnyStep], wanted: Wanted) -> list[np.ndarray]:
    """Return labels (n,) of what stays together: steps with the same one; each other step has its own."""
    found: list[np.ndarray] = []
    if wanted.groups and any(s.group for s in steps):
        names = {name: k for k, name in enumerate(dict.fromkeys(s.group for s in steps if s.group))}
        found.append(np.array([names[s.group] if s.group else len(names) + k for k, s in enumerate(steps)]))
    if wanted.patterns:
        labels = np.arange(len(steps)) + len(wanted.patterns)
        for k, s in enumerate(steps):
            feature = s.feature if isinstance(s, MeasureStep) else ""
            own = next((j for j, p in enumerate(wanted.patterns) if feature in p), None)
            labels[k] = labels[k] if own is None else own
        found.append(labels)
    return found
