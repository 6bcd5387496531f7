"""Is a route free of collisions? Every leg is looked at on its whole way, by itself, however it was planned."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Vector
from truegauge.core.meeting.swept import Around, Nearest, Solids, ball, box, nearest
from truegauge.core.progress import Progress, silent
from truegauge.core.routes.legs import Leg, PlannedRoute
from truegauge.core.routes.scene import PART, Scene

_CONTACT = 0.15  # mm before its contact from which a tip is expected to come near
_INTO = 0.1  # mm that a tip may seem to be in the surface at its contact: facets are not quite the surface
_ROUNDS = 24  # of halving the way to the instant of a meeting
_MEETS = 1e-6  # mm: what is nearer meets
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
    meetings: list[Meeting] = []
    misses: dict[tuple[str, str, str], NearMiss] = {}
    for k, leg in enumerate(planned.legs):
        if k % 50 == 0:
            progress(k / len(planned.legs), "looking for collisions")
        for look in _looks(scene, leg):
            found = look.at(max(near, 1e-3) if look.tells_near else _MEETS)
            if found is None:
                continue
            part = look.names[found.solid]
            if found.distance <= _MEETS:
                instant = _instant(planned, leg, look)
                meetings.append(Meeting(leg.step, k, part, found.name, found.at, instant))
                continue
            key = (leg.step, part, found.name)
            if key not in misses or misses[key].distance > found.distance:
                misses[key] = NearMiss(leg.step, k, part, found.name, found.distance, found.at)
        beyond = _beyond(scene, leg)
        if beyond:
            meetings.append(Meeting(leg.step, k, "the quill", beyond, leg.end, leg.start_s + leg.seconds))
    meetings += _in_envelope(scene, planned, inside=inside)
    meetings.sort(key=lambda m: m.seconds)
    return Checked(tuple(meetings), tuple(sorted(misses.values(), key=lambda m: m.distance)))


@dataclass(frozen=True, slots=True, eq=False)
class _Look:
    """Some solids of a probe on a piece of a leg (places of the quill), and the one thing that they may meet."""

    solids: Solids
    names: tuple[str, ...]
    start: Vector
    end: Vector
    other: Around
    tells_near: bool = True
    before: float = 0.0  # share of the leg at which the piece begins
    after: float = 1.0  # and ends

    def at(self, limit: float, share: float = 1.0) -> Nearest | None:
        """Return what is nearest within a limit, on the piece up to a share of it."""
        return nearest(self.solids, self.start, self.start + share * (self.end - self.start), (self.other,), limit)


def _looks(scene: Scene, leg: Leg) -> list[_Look]:
    """Return what is to be looked at of a leg: its body, and its tip where no contact is expected."""
    if leg.kind == "change":  # the machine's own way through its rack
        return []
    probe = scene.probe(leg.use)
    a, b = scene.quill(leg.use, leg.start), scene.quill(leg.use, leg.end)
    tip = probe.solids[probe.is_tip]
    names = tuple(n for n, own in zip(probe.names, probe.is_tip, strict=True) if own)
    found: list[_Look] = []
    for other in scene.around_of(leg.use.assembly):
        found.append(_Look(probe.body, probe.body_names(), a, b, other))
        length = float(np.linalg.norm(b - a))
        touched = other.name == PART
        if leg.kind not in ("touch", "retract", "trace") or length <= 0:
            found.append(_Look(tip, names, a, b, other))
        elif leg.kind == "trace":
            if not touched:  # on the part its contact is what is wanted
                found.append(_Look(tip, names, a, b, other))
        else:
            # Up to shortly before its contact the tip must be free, and at it only touch.
            contact, away = (b, a) if leg.kind == "touch" else (a, b)
            out = (away - contact) / length
            near = min(_CONTACT, length)
            free = contact + near * out
            ends = (a, free, 0.0, 1 - near / length) if leg.kind == "touch" else (free, b, near / length, 1.0)
            found.append(_Look(tip, names, ends[0], ends[1], other, not touched, *ends[2:]))
            at, share = contact + _INTO * out, 1.0 if leg.kind == "touch" else 0.0
            found.append(_Look(tip, names, at, at, other, tells_near=False, before=share, after=share))
    if leg.kind == "turn":
        found += _turning(scene, leg)
    return found


def _turning(scene: Scene, leg: Leg) -> list[_Look]:
    """Return the ball in which everything stays that turns with the head."""
    sweep = scene.probing.assembly(leg.use.assembly).sweep()
    if sweep is None:
        return []
    at = scene.quill(leg.use, leg.start)
    whole = np.array([ball(sweep[0], sweep[1])])
    every = scene.around_of(leg.use.assembly)
    return [_Look(whole, ("the head while it turns",), at, at, other, tells_near=False) for other in every]


def _beyond(scene: Scene, leg: Leg) -> str:
    """Say beyond which axis a leg ends; empty when it is within the travel of the machine."""
    if scene.limits is None:
        return ""
    at = scene.quill(leg.use, leg.end)
    over = np.maximum(scene.limits[0] - at, at - scene.limits[1])
    return f"the end of the travel of {'XYZ'[int(np.argmax(over))]}" if over.max() > 0.05 else ""


def _instant(planned: PlannedRoute, leg: Leg, look: _Look) -> float:
    """Return when a leg first meets something, s: by halving the way that is free."""
    low, high = 0.0, 1.0
    if look.at(_MEETS, 0.0) is not None:
        high = 0.0
    else:
        for _ in range(_ROUNDS):
            middle = (low + high) / 2
            if look.at(_MEETS, middle) is None:
                low = middle
            else:
                high = middle
    share = look.before + high * (look.after - look.before)
    length = float(np.linalg.norm(leg.end - leg.start))
    times = np.linspace(0.0, leg.seconds, 65)
    shares = planned.kinematics.share_of_way(times, length, leg.speed)
    return leg.start_s + float(np.interp(share, shares, times))


def _in_envelope(scene: Scene, planned: PlannedRoute, *, inside: bool) -> list[Meeting]:
    """Return turns of the head, and travel from one feature to the next, that go on within the safe envelope.

    With its last leg a step has brought the probe out of it; up to its next touch the probe stays out, and goes in
    once: its solids and the box are looked at on the whole way. The ways between the touches of one feature belong to
    it, and so may be inside.
    """
    found: list[Meeting] = []
    envelope = Around.of_solids(ENVELOPE, [box(scene.envelope[0], scene.envelope[1])])
    out = False  # since it was touched last
    touched: Leg | None = None
    for k, leg in enumerate(planned.legs):
        a, b = (scene.quill(leg.use, p) for p in (leg.start, leg.end))
        solids = scene.probe(leg.use).solids

        def meets(start: Vector, end: Vector, solids: Solids = solids) -> bool:
            return nearest(solids, start, end, (envelope,), _MEETS) is not None

        if touched is not None and leg.step != touched.step and not out:
            if not inside:
                found.append(Meeting(touched.step, k - 1, "the probe", ENVELOPE, leg.start, leg.start_s))
            out = True  # told
        if leg.kind in ("touch", "retract", "trace"):
            touched, out = leg, not meets(b, b)
        elif leg.kind in ("turn", "change"):
            if meets(a, a):
                found.append(Meeting(leg.step, k, "the head", ENVELOPE, leg.start, leg.start_s))
        else:
            begins, ends = not meets(a, a), not meets(b, b)
            through = begins and ends and meets(a, b)
            again = out and ends and not begins  # it was out, went in without a touch, and comes out again
            if (through or again) and not inside:
                found.append(Meeting(leg.step, k, "the probe", ENVELOPE, leg.start, leg.start_s))
            out = out or ends
    return found
