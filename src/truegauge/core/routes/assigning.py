"""Which stylus measures which feature: reachable, and with the fewest changes over the whole route."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import three
from truegauge.core.errors import DeviceError
from truegauge.core.probing.probing import StylusUse
from truegauge.core.routes.document import MeasureStep
from truegauge.core.routes.places import Trouble
from truegauge.core.routes.settling import FeaturePlaces, Settled, why_of
from truegauge.core.routes.strategies import SheetEdge

_MOST_STYLI = 3  # for one feature
_DRAWN_TRIED = 6
_MOST_OF = 0.6  # of its places that a stylus reaches: with less another way is looked for
_POINTS = -0.2  # cosine between a stylus and the way into a surface, at least
_OTHER_PROBE = 2.5  # features that a change of probe must be worth more than a change of pose


@dataclass(frozen=True, slots=True, eq=False)
class Assigned:
    """The styli of a feature, each with its places; or why it cannot be measured, for each stylus that was tried."""

    parts: tuple[Settled, ...]
    troubles: tuple[Trouble, ...] = ()
    reason: str = ""
    of_styli: tuple[tuple[StylusUse, str], ...] = ()


def assign(
    wanted: Sequence[tuple[MeasureStep, FeaturePlaces]], uses: Sequence[StylusUse],
    check: Callable[[], None] = lambda: None,
) -> dict[str, Assigned]:  # fmt: skip
    """Return for each step (its id) which styli touch its feature where.

    `check` is called now and then; it raises when the work was cancelled.
    """
    found: dict[str, Assigned] = {}
    rest: list[tuple[MeasureStep, FeaturePlaces]] = []
    lanes: list[StylusUse] = []
    for step, places in wanted:
        check()
        if step.stylus is None:
            rest.append((step, places))
            continue
        found[step.id] = _by(places, [step.stylus], draws=True)
        if step.stylus not in lanes:
            lanes.append(step.stylus)
    promises = {(s.id, u): p.promise(u) for s, p in rest for u in uses}
    given_up: set[tuple[str, StylusUse]] = set()
    while rest:
        check()
        use = _most_useful([s for s, _ in rest], uses, promises, given_up, lanes)
        if use is None:
            break
        after = []
        for step, places in rest:
            share, pointing = promises[step.id, use]
            if share < 1.0 or pointing < _POINTS or (step.id, use) in given_up:
                after.append((step, places))
                continue
            check()
            own = _by(places, [use])
            if own.parts:
                found[step.id] = own
                if use not in lanes:
                    lanes.append(use)
            else:
                given_up.add((step.id, use))
                after.append((step, places))
        rest = after
    for step, places in rest:
        check()
        # What no stylus reaches alone: those that the route has on anyway first.
        order = sorted(uses, key=lambda u: (-round(promises[step.id, u][0], 2), u not in lanes))
        may = [u for u in order if promises[step.id, u][0] > 0 or not places.fits(u)]  # what does not fit says so
        found[step.id] = _by(places, may or order[:1], draws=True)  # who has none is told by the first, with its reason
    return found


def _most_useful(
    steps: list[MeasureStep], uses: Sequence[StylusUse], promises: dict[tuple[str, StylusUse], tuple[float, float]],
    given_up: set[tuple[str, StylusUse]], lanes: list[StylusUse],
) -> StylusUse | None:  # fmt: skip
    """Return the stylus that promises to measure most of some features all over; None: none promises any."""
    best: tuple[float, StylusUse] | None = None
    probes = {u.assembly for u in lanes}
    for use in uses:
        open_to = [promises[s.id, use] for s in steps if (s.id, use) not in given_up]
        able = sum(share >= 1.0 and pointing >= _POINTS for share, pointing in open_to)
        score = able + (1.0 if use in lanes else 0.0) - (_OTHER_PROBE if probes and use.assembly not in probes else 0.0)
        if able and (best is None or score > best[0]):
            best = (score, use)
    return None if best is None else best[1]


def _by(places: FeaturePlaces, uses: Sequence[StylusUse], *, draws: bool = False) -> Assigned:
    """Return how a feature is touched by the first styli that together get at all of it.

    With `draws` the one that gets at most is the first, and what nobody asked for by numbers may be drawn up.
    """
    least = places.least
    every: list[Settled] = []
    failed: list[tuple[StylusUse, str]] = []
    for use in uses:
        try:
            every.append(places.settled(use))
        except DeviceError as error:  # too narrow for its tip; a smaller one may do
            failed.append((use, str(error)))
    if not every:
        reason = failed[0][1] if failed else "no stylus may be used, or none points at it"
        return Assigned((), reason=reason, of_styli=tuple(failed))
    if draws:
        every.sort(key=lambda s: -len(s.places))
    first = every[0]
    asked = places.wanted(first.use)[0]
    at_face = places.wanted(first.use)[2]
    if not len(asked):
        return Assigned((), reason="its strategy has no place on its faces", troubles=at_face)
    keeps = not first.open_ones or places.keeps_spread(first.places.points, asked.points)
    if keeps and len(first.places) >= max(least, _MOST_OF * len(asked)):
        gone = tuple(Trouble(three(asked.points[k]), False, why) for k, why in first.open_ones)
        return Assigned((first,), (*at_face, *first.troubles, *gone))
    chosen, covered = [first] if len(first.places) else [], set(first.wanted.tolist())
    # Each place on an edge belongs with that on the sheet beside it: they are not shared out.
    for other in every[1:] if not isinstance(places.strategy, SheetEdge) else ():
        if len(covered) == len(asked) or len(chosen) == _MOST_STYLI:
            break
        # Tips of another radius have other wanted places.
        if places.wanted(other.use)[0] is not asked:
            continue
        new = [j for j, k in enumerate(other.wanted) if int(k) not in covered]
        if len(new) >= max(1, round(0.1 * len(asked))):
            rows = np.array(new)
            chosen.append(Settled(other.use, other.places.at(rows), other.approaches[rows], other.wanted[rows], (), ()))
            covered |= set(other.wanted[rows].tolist())
    points = np.vstack([c.places.points for c in chosen]) if chosen else np.zeros((0, 3))
    reasons = (*((s.use, why_of(s)) for s in every if s.open_ones), *failed)
    keeps = len(points) >= least and places.keeps_spread(points, asked.points)
    if draws and (not keeps or len(points) < _MOST_OF * len(asked)):
        drawn = _drawn_up(places, [s.use for s in every])
        if drawn is not None:
            return drawn
    if not keeps:
        said = f"{len(points)} of {len(asked)} places are reached, " + (
            f"at least {least} are needed" if len(points) < least else "not spread enough over it"
        )
        return Assigned((), (*at_face, *first.troubles), said, reasons)
    why = dict(first.open_ones)
    gone = tuple(Trouble(three(asked.points[k]), False, why.get(k, "")) for k in range(len(asked)) if k not in covered)
    return Assigned(tuple(chosen), (*at_face, *first.troubles, *gone))


def _drawn_up(places: FeaturePlaces, uses: Sequence[StylusUse]) -> Assigned | None:
    """Return how a turned feature is touched where a stylus gets at it, when none gets at all of its height."""
    second: Assigned | None = None
    for use in uses[:_DRAWN_TRIED]:
        fewer = places.drawn_up(use)
        own = None if fewer is None else _by(fewer, [use])
        if own is None or not own.parts:
            continue
        asked, open_ones = places.wanted(use)[0].points, places.settled(use).open_ones
        told = tuple(Trouble(three(asked[k]), True, why) for k, why in open_ones[:1])
        at = np.vstack([p.places.points for p in own.parts])
        missing = places.missing(at)
        if not missing:
            return Assigned(own.parts, (*told, *own.troubles))
        # Size and place may be all that is wanted of it.
        second = second or Assigned(own.parts, (Trouble(three(at[0]), True, missing), *told, *own.troubles))
    return second
