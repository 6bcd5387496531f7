"""What it costs to go from one step of a route to another, s: its travel around the safe envelope, and changes.

The ways are those that the planner tries, by their geometry alone: whether something stands in them is looked at when
the order that was found is planned.
"""

import itertools
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Points, Vector
from truegauge.core.probing.probing import StylusUse
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.legs import PlannedRoute, Visit
from truegauge.core.routes.planning import Planner

_OVER = 1.0  # mm outside of the envelope


@dataclass(frozen=True, slots=True, eq=False)
class Stop:
    """A measured step: by which stylus it begins and ends, and where its tip enters and leaves the envelope (3,)."""

    step: str
    first: StylusUse
    last: StylusUse
    entry: Vector
    leave: Vector

    @staticmethod
    def of(step: str, visits: Sequence[Visit]) -> "Stop":
        """Return the stop of a step with its visits."""
        first, last = visits[0], visits[-1]
        leave = last.out[-1] if len(last.out) else last.before(len(last.places) - 1)
        return Stop(step, first.use, last.use, first.ways[0][0], np.asarray(leave))


def stops_of(planned: PlannedRoute) -> dict[str, Stop]:
    """Return the stops of what is reached on a planned route, by the id of the step."""
    return {s.step.id: Stop.of(s.step.id, s.visits) for s in planned.steps if s.visits and s.unreached is None}


def costs_between(stops: Sequence[Stop], planner: Planner) -> Floats:
    """Return the seconds from leaving each stop to entering each other one, (n, n)."""
    n = len(stops)
    found = np.zeros((n, n))
    speed = planner.moves.travel_speed
    leaving: dict[StylusUse, list[int]] = {}
    entering: dict[StylusUse, list[int]] = {}
    for k, s in enumerate(stops):
        leaving.setdefault(s.last, []).append(k)
        entering.setdefault(s.first, []).append(k)
    for (u, rows), (v, columns) in itertools.product(leaving.items(), entering.items()):
        starts = np.array([stops[k].leave for k in rows])
        ends = np.array([stops[k].entry for k in columns])
        if u == v:
            part = around_seconds(starts, ends, *_tip_box(planner, u), planner.kinematics, speed)
        else:
            before, there = _changed(planner, u, v, starts)
            part = before[:, None] + around_seconds(there, ends, *_tip_box(planner, v), planner.kinematics, speed)
        found[np.ix_(rows, columns)] = part
    return found


def _tip_box(planner: Planner, use: StylusUse) -> tuple[Vector, Vector]:
    """Return the corners of the box that the tip must stay out of, so that all of the probe is outside."""
    low, high = planner.scene.envelope
    own = planner.scene.probe(use)
    return low - own.high + own.place.center - _OVER, high - own.low + own.place.center + _OVER


def _changed(planner: Planner, old: StylusUse, use: StylusUse, tips: Points) -> tuple[Floats, Points]:
    """Return how long it takes to have another stylus on (n,), and where its tip is then (n, 3)."""
    scene, k, speed = planner.scene, planner.kinematics, planner.moves.travel_speed
    shift = scene.probe(use).place.center - scene.probe(old).place.center
    if (old.assembly, old.pose) == (use.assembly, use.pose):
        return np.zeros(len(tips)), tips + shift
    up = planner.turning_place(old, tips[0])[2]
    over = np.column_stack([tips[:, :2], np.maximum(tips[:, 2], up)])
    seconds = _moving(over[:, 2] - tips[:, 2], k, speed)
    if old.assembly == use.assembly:
        seconds = seconds + k.turn_s
        there = over + shift
    else:
        seconds = seconds + 2 * k.dock_s + (0.0 if old.pose == use.pose else k.turn_s)
        there = np.empty_like(over)
        for i, tip in enumerate(over):
            way = planner.rack_way(old, use, scene.quill(old, tip))
            seconds[i] += k.along(way, speed)
            there[i] = way[-1] + scene.probe(use).place.center
    z = planner.turning_place(use, there[0])[2]
    return seconds, np.column_stack([there[:, :2], np.maximum(there[:, 2], z)])


def around_seconds(
    starts: Points, ends: Points, low: Vector, high: Vector, kinematics: Kinematics, speed: float
) -> Floats:
    """Return how long it takes from each of some places (n, 3) to each of others (m, 3) outside of a box, (n, m)."""
    a = np.broadcast_to(starts[:, None], (len(starts), len(ends), 3))
    b = np.broadcast_to(ends[None], a.shape)
    best = np.where(_passes(a, b, low, high), _along((a, b), kinematics, speed), np.inf)
    sides = [(c, high[c], 1.0) for c in range(3)] + [(c, low[c], -1.0) for c in range(2)]
    for s in sides:
        best = np.minimum(best, _along((a, _at_side(a, s), _at_side(b, s), b), kinematics, speed, low, high))
        for t in sides:
            if s[0] != t[0]:
                first, last = _at_side(a, s), _at_side(b, t)
                way = (a, first, _at_side(first, t), _at_side(last, s), last, b)
                best = np.minimum(best, _along(way, kinematics, speed, low, high))
    return np.asarray(best)


def _at_side(places: Floats, side: tuple[int, float, float]) -> Floats:
    axis, at, sign = side
    found = np.array(places)
    found[..., axis] = np.maximum(found[..., axis], at) if sign > 0 else np.minimum(found[..., axis], at)
    return found


def _along(
    way: Sequence[Floats], kinematics: Kinematics, speed: float, low: Vector | None = None, high: Vector | None = None
) -> Floats:
    total = np.zeros(way[0].shape[:-1])
    for a, b in itertools.pairwise(way):
        total += _moving(np.linalg.norm(b - a, axis=-1), kinematics, speed)
        if low is not None and high is not None:
            total = np.where(_passes(a, b, low, high), total, np.inf)
    return total


def _moving(lengths: Floats, kinematics: Kinematics, speed: float) -> Floats:
    """Return how long straight ways take; see `Kinematics.moving`."""
    acceleration = kinematics.acceleration
    short = lengths < speed * speed / acceleration
    return np.where(short, 2 * np.sqrt(np.maximum(lengths, 0.0) / acceleration), lengths / speed + speed / acceleration)


def _passes(a: Floats, b: Floats, low: Vector, high: Vector) -> np.ndarray:
    """Tell which straight ways stay outside of a box."""
    enter, leave = np.zeros(a.shape[:-1]), np.ones(a.shape[:-1])
    outside = np.zeros(a.shape[:-1], dtype=bool)
    for c in range(3):
        v, near, far = b[..., c] - a[..., c], low[c] - a[..., c], high[c] - a[..., c]
        still = np.abs(v) < 1e-12
        outside |= still & ((near >= -1e-6) | (far <= 1e-6))
        v = np.where(still, 1.0, v)
        t0, t1 = np.minimum(near / v, far / v), np.maximum(near / v, far / v)
        enter = np.where(still, enter, np.maximum(enter, t0))
        leave = np.where(still, leave, np.minimum(leave, t1))
    return np.asarray(outside | (enter >= leave - 1e-9))
