"""Is a route free of collisions? Every leg is looked at on its whole way, by itself, however it was planned."""

from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.meeting.swept import Nearest, nearest
from truegauge.core.progress import Progress, silent
from truegauge.core.routes.legs import Leg, PlannedRoute
from truegauge.core.routes.scene import PART, Scene

_CONTACT = 0.15  # mm before its contact from which a tip is expected to come near
_INTO = 0.1  # mm that a tip may seem to be in the surface at its contact: facets are not quite the surface
_ROUNDS = 24  # of halving the way to the instant of a meeting
ENVELOPE = "the safe envelope"


@dataclass(frozen=True, slots=True, eq=False)
class Meeting:
    """A part of the probe meets something: in which step and leg, where (3,) in machine coordinates, when (s)."""

    step: str
    leg: int
    part: str
    obstacle: str
    at: Vector
    seconds: float


@dataclass(frozen=True, slots=True, eq=False)
class NearMiss:
    """A part of the probe comes nearer to something than was asked for, mm."""

    step: str
    leg: int
    part: str
    obstacle: str
    distance: float
    at: Vector


@dataclass(frozen=True, slots=True, eq=False)
class Checked:
    """What was found."""

    meetings: tuple[Meeting, ...]
    near: tuple[NearMiss, ...]


def check(
    scene: Scene, planned: PlannedRoute, near: float, progress: Progress = silent, *, inside: bool = False
) -> Checked:
    """Look for collisions and near misses (below `near` mm) of a planned route.

    Unless travel `inside` is allowed, what travels between features within the safe envelope is told too.
    """
    apart = tuple(replace(scene, around=(other,)) for other in scene.around)
    meetings: list[Meeting] = []
    misses: dict[tuple[str, str, str], NearMiss] = {}
    for k, leg in enumerate(planned.legs):
        if k % 50 == 0:
            progress(k / len(planned.legs), "looking for collisions")
        for alone, found, part in ((a, *f) for a in apart for f in _looked_at(a, leg, max(near, 1e-3))):
            if found.distance <= 1e-6:
                meetings.append(Meeting(leg.step, k, part, found.name, found.at, _instant(alone, planned, leg)))
                continue
            key = (leg.step, part, found.name)
            if key not in misses or misses[key].distance > found.distance:
                misses[key] = NearMiss(leg.step, k, part, found.name, found.distance, found.at)
        beyond = _beyond(scene, leg)
        if beyond:
            meetings.append(Meeting(leg.step, k, "the quill", beyond, leg.end, leg.start_s + leg.seconds))
    if not inside:
        meetings += _in_envelope(scene, planned)
    meetings.sort(key=lambda m: m.seconds)
    return Checked(tuple(meetings), tuple(sorted(misses.values(), key=lambda m: m.distance)))


def _looked_at(scene: Scene, leg: Leg, near: float) -> list[tuple[Nearest, str]]:
    """Return what a leg comes near to of the one thing around: its body, and its tip where no contact is expected."""
    found: list[tuple[Nearest, str]] = []
    if leg.kind == "change":  # the machine's own way through its rack
        return found
    probe = scene.probe(leg.use)
    body = scene.nearest(leg.use, leg.start, leg.end, near, tip=False)
    if body is not None:
        found.append((body, probe.body_names()[body.solid]))
    start, end, limit = leg.start, leg.end, near
    if leg.kind in ("touch", "retract", "trace"):
        # Up to shortly before its contact the tip must be free, and at it only touch.
        contact = leg.end if leg.kind != "retract" else leg.start
        other = leg.start if leg.kind != "retract" else leg.end
        length = float(np.linalg.norm(other - contact))
        out = (other - contact) / length if length > 0 and leg.kind != "trace" else None
        if out is None:
            return found
        start, end = contact + min(_CONTACT, length) * out, other
        limit = 1e-6 if scene.around[0].name == PART else near
        at_contact = contact + _INTO * out
        into = _tip_only(scene, leg, at_contact, at_contact, 1e-6)
        if into is not None:
            found.append((into, f"tip {probe.place.name}"))
            return found
    tip = _tip_only(scene, leg, start, end, limit)
    if tip is not None:
        found.append((tip, f"tip {probe.place.name}"))
    return found


def _tip_only(scene: Scene, leg: Leg, start: Vector, end: Vector, limit: float) -> Nearest | None:
    probe = scene.probe(leg.use)
    own = probe.solids[probe.is_tip]
    return nearest(own, scene.quill(leg.use, start), scene.quill(leg.use, end), scene.around, limit)


def _beyond(scene: Scene, leg: Leg) -> str:
    """Say beyond which axis a leg ends; empty when it is within the travel of the machine."""
    if scene.limits is None:
        return ""
    at = scene.quill(leg.use, leg.end)
    over = np.maximum(scene.limits[0] - at, at - scene.limits[1])
    return f"the end of the travel of {'XYZ'[int(np.argmax(over))]}" if over.max() > 0.05 else ""


def _instant(scene: Scene, planned: PlannedRoute, leg: Leg) -> float:
    """Return when a leg first meets something, s: by halving the way that is free."""
    tip = leg.kind not in ("touch", "retract", "trace")
    low, high = 0.0, 1.0
    if scene.nearest(leg.use, leg.start, leg.start, 1e-6, tip=tip) is not None:
        return leg.start_s
    for _ in range(_ROUNDS):
        middle = (low + high) / 2
        to = leg.start + middle * (leg.end - leg.start)
        if scene.nearest(leg.use, leg.start, to, 1e-6, tip=tip) is None:
            low = middle
        else:
            high = middle
    length = float(np.linalg.norm(leg.end - leg.start))
    times = np.linspace(0.0, leg.seconds, 65)
    shares = planned.kinematics.share_of_way(times, length, planned.speed_of(leg))
    return leg.start_s + float(np.interp(high, shares, times))


def _in_envelope(scene: Scene, planned: PlannedRoute) -> list[Meeting]:
    """Return travel between two features, and turns of the head, that go on within the safe envelope.

    The ways of a visit between its own touches, and in and out, belong to it.
    """
    found: list[Meeting] = []
    for k, leg in enumerate(planned.legs):
        if leg.kind in ("turn", "change") and not scene.is_outside(leg.use, leg.start):
            found.append(Meeting(leg.step, k, "the head", ENVELOPE, leg.start, leg.start_s))
    of_step: list[tuple[int, Leg]] = []
    for k, leg in enumerate(planned.legs):
        if of_step and leg.step != of_step[-1][1].step:
            if not scene.is_outside(of_step[-1][1].use, of_step[-1][1].end):
                last = of_step[-1]
                found.append(Meeting(last[1].step, last[0], "the probe", ENVELOPE, last[1].end, leg.start_s))
            of_step = []
        of_step.append((k, leg))
    return found
