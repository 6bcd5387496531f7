"""The track: a planned route over time, with a lane for each stylus pose, so that a change is a change of lane."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from types import MappingProxyType

from truegauge.core.errors import TrueGaugeError
from truegauge.core.probing.probing import StylusUse
from truegauge.core.routes.checking import Checked, Meeting
from truegauge.core.routes.document import AlignStep, MeasureStep, NoteStep, Route
from truegauge.core.routes.legs import Candidate, PlannedRoute
from truegauge.core.routes.strategies import Clicked

NO_LANE = -1  # of what no stylus does: notes, alignments, what is off or not reached


@dataclass(frozen=True, slots=True)
class Chip:
    """A step in a lane: from when on, and how long (s); a step with several styli has a chip in each lane.

    `state` is "" (not run), "running", "done", "outside" or "failed" (not reached, or it collides).
    """

    step: str
    lane: int
    start: float
    seconds: float
    name: str
    kind: str
    on: bool
    pinned: bool
    state: str
    note: str = ""


@dataclass(frozen=True, slots=True)
class Track:
    """Lanes by the names of their styli, and the chips in the order of time."""

    lanes: tuple[str, ...]
    uses: tuple[StylusUse, ...]
    chips: tuple[Chip, ...]
    seconds: float
    meetings: tuple[float, ...]  # instants, s

    def chips_of(self, step: str) -> tuple[Chip, ...]:
        """Return the chips of a step."""
        return tuple(c for c in self.chips if c.step == step)


def track_of(
    route: Route, planned: PlannedRoute, names: Mapping[str, str], name_of: Mapping[StylusUse, str],
    checked: Checked | None, states: Mapping[str, str], of_run: Mapping[str, str] = MappingProxyType({}),
) -> Track:  # fmt: skip
    """Return the track of a route.

    `names` are those of features and alignments (by id), `states` what is known of features that were measured,
    `of_run` how steps stand in a run that is under way.
    """
    uses = tuple(dict.fromkeys(leg.use for leg in planned.legs))
    lanes = {use: k for k, use in enumerate(uses)}
    collides = {m.step for m in checked.meetings} if checked is not None else set()
    lost = {u.step: u.reason for u in planned.unreached}
    spans: dict[tuple[str, StylusUse], list[float]] = {}
    for leg in planned.legs:
        span = spans.setdefault((leg.step, leg.use), [leg.start_s, leg.start_s])
        span[1] = leg.start_s + leg.seconds
    chips: list[Chip] = []
    clock = 0.0
    for step in route.steps:
        # The way out of the lane before belongs to the step, but is no part of it in that lane.
        visited = {v.use for p in planned.steps if p.step.id == step.id for v in p.visits}
        own = [(use, span) for (s, use), span in spans.items() if s == step.id and use in visited]
        name, state, note = _told(step, names), "", ""
        if isinstance(step, MeasureStep):
            state = states.get(step.feature, "")
            if step.id in lost or step.id in collides:
                state, note = "failed", lost.get(step.id, "it collides")
        if of_run.get(step.id) in ("running", "failed") or (step.id in of_run and not state):
            state = of_run[step.id]
        rest = (name, step.kind, step.on, step.pinned, state, note)
        if not own:
            chips.append(Chip(step.id, NO_LANE, clock, 0.0, *rest))
        for use, (start, end) in own:
            chips.append(Chip(step.id, lanes[use], start, end - start, *rest))
            clock = max(clock, end)
    met = tuple(m.seconds for m in checked.meetings) if checked is not None else ()
    return Track(tuple(name_of[u] for u in uses), uses, tuple(chips), planned.seconds, met)


@dataclass(frozen=True, slots=True)
class Finding:
    """Something to look at: in words, at which instant (s), of which step; `bad` ones must not be run."""

    text: str
    seconds: float
    step: str
    bad: bool = False
    candidates: tuple[Candidate, ...] = ()


def findings_of(track: Track, planned: PlannedRoute, checked: Checked | None) -> tuple[Finding, ...]:
    """Return what goes wrong on a route, worst first: collisions, what is not reached, near misses, dropped places."""
    name = {c.step: c.name for c in track.chips}
    start = {c.step: c.start for c in reversed(track.chips)}
    found: list[Finding] = []
    for (step, part, obstacle), every in _together(checked).items():
        times = f" ({len(every)} times)" if len(every) > 1 else ""
        text = f"{name[step]}: {part} meets {obstacle}{times}"
        found.append(Finding(text, min(m.seconds for m in every), step, bad=True))
    for u in planned.unreached:
        text = f"{u.feature.name} is not reached: {u.reason}"
        found.append(Finding(text, start[u.step], u.step, True, u.candidates))
    for n in checked.near if checked is not None else ():
        text = f"{name[n.step]}: {n.part} comes within {n.distance:.2f} mm of {n.obstacle}"
        found.append(Finding(text, planned.legs[n.leg].start_s, n.step))
    for s in planned.steps:
        gone = [t for t in s.troubles if not t.moved]
        if gone and s.unreached is None:
            count = f"{len(gone)} {'place' if len(gone) == 1 else 'places'}"
            text = f"{name[s.step.id]}: {count} dropped: {gone[0].why}"
            found.append(Finding(text, start[s.step.id], s.step.id))
    return tuple(found)


def _together(checked: Checked | None) -> dict[tuple[str, str, str], list[Meeting]]:
    """Return the collisions of a step by what meets what."""
    found: dict[tuple[str, str, str], list[Meeting]] = {}
    for m in checked.meetings if checked is not None else ():
        found.setdefault((m.step, m.part, m.obstacle), []).append(m)
    return found


def _told(step: object, names: Mapping[str, str]) -> str:
    if isinstance(step, MeasureStep):
        return names.get(step.feature, step.feature)
    if isinstance(step, AlignStep):
        return f"align {names.get(step.alignment, step.alignment)}"
    return step.text if isinstance(step, NoteStep) else "temperature"


def moved(route: Route, step_id: str, before: str) -> Route:
    """Return the route with a step moved in front of another one ("": to the end); it stays there (pinned)."""
    own = next((s for s in route.steps if s.id == step_id), None)
    if own is None or step_id == before:
        return route
    rest = [s for s in route.steps if s.id != step_id]
    at = next((k for k, s in enumerate(rest) if s.id == before), len(rest))
    return route.replace(steps=(*rest[:at], own.replace(pinned=True), *rest[at:]))


def changed(route: Route, step_ids: Sequence[str], **changes: object) -> Route:
    """Return the route with some steps changed."""
    chosen = set(step_ids)
    return route.replace(steps=tuple(s.replace(**changes) if s.id in chosen else s for s in route.steps))


def without_steps(route: Route, step_ids: Sequence[str]) -> Route:
    """Return the route without some steps."""
    gone = set(step_ids)
    return route.replace(steps=tuple(s for s in route.steps if s.id not in gone))


def likewise(route: Route, step_ids: Sequence[str], own: MeasureStep) -> Route:
    """Return the route with the features of some steps touched as another step touches its own.

    Raises
    ------
    TrueGaugeError
        Its places were clicked one by one: they lie on its own feature.
    """
    if isinstance(own.strategy, Clicked):
        raise TrueGaugeError("places that were clicked lie on their own feature: they cannot be taken over")
    measured = [s.id for s in route.steps if s.id in set(step_ids) and isinstance(s, MeasureStep)]
    return changed(route, measured, strategy=own.strategy, coming=own.coming, approach=own.approach, speed=own.speed)
