"""A planned route: straight legs of the tip, touches, turns of the head; with what each takes of time."""

from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.probing.probing import Moves, StylusUse
from truegauge.core.routes.document import AnyStep
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.places import FeatureToTouch, Places, Trouble

LegKind = Literal["travel", "touch", "retract", "trace", "turn", "change", "align", "note", "temperature"]
READ_S = 0.5  # s that an alignment or a temperature takes


@dataclass(frozen=True, slots=True, eq=False)
class Leg:
    """One straight move of a tip (machine coordinates, mm), or something done where it stands; `seconds` it takes.

    `place` is the number of the touch within its visit, -1 for ways; `start_s` when it begins.
    """

    kind: LegKind
    step: str
    use: StylusUse
    start: Vector
    end: Vector
    seconds: float
    place: int = -1
    start_s: float = 0.0
    speed: float = 0.0  # mm/s


@dataclass(frozen=True, slots=True, eq=False)
class Visit:
    """The touches of a feature with one stylus: places in machine coordinates, and how far before them it comes from.

    `ways[k]` are the places (n, 3) of the tip that lead from the touch before to the one numbered k, the last of them
    `approach` before it; those to the first begin outside of the safe envelope (but see `follows`), and `out` leads
    there again.
    """

    step: str
    feature: FeatureToTouch
    use: StylusUse
    places: Places
    approach: float
    radius: float  # of the tip
    ways: tuple[Points, ...]
    out: Points
    traced: bool = False
    speed: float = 0.0  # mm/s of a trace
    travel: float = 0.0  # mm/s of its ways
    least: int = 1  # touches that its feature needs, of all its visits together
    follows: bool = False  # the first way begins where the last visit touched last, inside of the envelope

    def before(self, k: int) -> Vector:
        """Return where the tip is before it touches place `k`."""
        return np.asarray(self.places.points[k] + (self.radius + self.approach) * self.places.normals[k])

    def contact(self, k: int) -> Vector:
        """Return where the tip is when it touches place `k` of the nominal surface."""
        return np.asarray(self.places.points[k] + self.radius * self.places.normals[k])


@dataclass(frozen=True, slots=True)
class Candidate:
    """A stylus that the plan does not have (or may not be used), and which share of the places it gets at."""

    use: StylusUse
    share: float
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class Unreached:
    """A feature that cannot be measured, or not enough of it: why, why each stylus fails, and what would do."""

    step: str
    feature: FeatureToTouch
    reason: str
    of_styli: tuple[tuple[StylusUse, str], ...] = ()
    candidates: tuple[Candidate, ...] = ()


@dataclass(frozen=True, slots=True, eq=False)
class StepPlan:
    """What comes of a step: visits (one a stylus), places that were moved or dropped, or why it is not reached."""

    step: AnyStep
    visits: tuple[Visit, ...] = ()
    troubles: tuple[Trouble, ...] = ()
    unreached: Unreached | None = None
    text: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class PlannedRoute:
    """The whole route: what comes of each step, and the legs in their order."""

    steps: tuple[StepPlan, ...]
    legs: tuple[Leg, ...]
    kinematics: Kinematics
    moves: Moves
    changes: int  # of pose or probe

    @property
    def seconds(self) -> float:
        """How long all of it takes."""
        return sum(leg.seconds for leg in self.legs)

    @property
    def touches(self) -> int:
        """How many touches there are."""
        return sum(len(v.places) for s in self.steps for v in s.visits)

    @property
    def travel(self) -> float:
        """How far the tip travels between touches, mm."""
        return float(sum(np.linalg.norm(leg.end - leg.start) for leg in self.legs if leg.kind == "travel"))

    @property
    def unreached(self) -> tuple[Unreached, ...]:
        """What is not reached."""
        return tuple(s.unreached for s in self.steps if s.unreached is not None)

    def seconds_of(self, step_id: str) -> float:
        """Return how long a step takes, with the way to it."""
        return sum(leg.seconds for leg in self.legs if leg.step == step_id)

    def leg_at(self, seconds: float) -> int:
        """Return the number of the leg that is under way at an instant."""
        starts = np.array([leg.start_s for leg in self.legs])
        return int(np.clip(np.searchsorted(starts, seconds, side="right") - 1, 0, max(len(self.legs) - 1, 0)))

    def tip_at(self, seconds: float) -> tuple[Leg, Vector] | None:
        """Return the leg that is under way at an instant, and where the tip is then (3,); None without legs."""
        if not self.legs:
            return None
        leg = self.legs[self.leg_at(seconds)]
        length = float(np.linalg.norm(leg.end - leg.start))
        if length <= 0 or leg.seconds <= 0:
            return leg, leg.end
        share = self.kinematics.share_of_way(np.array([seconds - leg.start_s]), length, leg.speed)[0]
        return leg, np.asarray(leg.start + float(share) * (leg.end - leg.start))


@dataclass(slots=True)
class Legs:
    """Legs while they are put together: where the tip is, and what the time is."""

    kinematics: Kinematics
    moves: Moves
    every: list[Leg] = field(default_factory=list)
    at: Vector | None = None
    use: StylusUse | None = None
    clock: float = 0.0
    changes: int = 0
    speed: float | None = None  # mm/s of travel, where the step says it
    left: Points | None = None  # the way out of the envelope that the tip has not gone yet, where it may go on inside

    def go_out(self, step: str) -> None:
        """Go the way out that was left."""
        out, self.left = self.left, None
        if out is not None:
            self.go(step, out)

    def go(self, step: str, places: Points, kind: LegKind = "travel", place: int = -1, speed: float = 0.0) -> None:
        """Move along places (n, 3)."""
        speed = speed or (self.moves.touch_speed if kind == "touch" else self.speed or self.moves.travel_speed)
        for stop in places:
            if self.at is not None and self.use is not None:
                length = float(np.linalg.norm(stop - self.at))
                if length > 1e-9:
                    self._add(kind, step, self.at, stop, self.kinematics.moving(length, speed), place, speed)
            self.at = stop

    def stand(self, kind: LegKind, step: str, seconds: float) -> None:
        """Do something where the tip is."""
        if self.at is not None and self.use is not None:
            self._add(kind, step, self.at, self.at, seconds, -1)

    def take(self, use: StylusUse, at: Vector) -> None:
        """Have a stylus on, its tip at a place."""
        self.use, self.at = use, at

    def _add(
        self, kind: LegKind, step: str, start: Vector, end: Vector, seconds: float, place: int, speed: float = 0.0
    ) -> None:  # fmt: skip
        assert self.use is not None
        self.every.append(Leg(kind, step, self.use, start, end, seconds, place, self.clock, speed))
        self.clock += seconds
