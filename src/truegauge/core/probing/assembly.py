"""Probe assemblies: components put together, the poses of their head, and where everything is then."""

import hashlib
from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from pydantic import Field, model_validator

from truegauge.core.arrays import Floats, Mask, Normals, Points, Rigid, Vector, unit
from truegauge.core.frames import apply, rigid, rotate, rotation_about
from truegauge.core.frozen_model import Frozen
from truegauge.core.probing.components import QUILL, Articulation, Component, Tip


class HeadPose(Frozen):
    """An indexed position of a head, degrees: tilt off its axis, and turn about it."""

    tilt_deg: float = 0.0
    turn_deg: float = 0.0

    def __str__(self) -> str:
        return f"{self.tilt_deg:g}/{self.turn_deg:g}"


STRAIGHT = HeadPose()


class PlacedComponent(Frozen):
    """A component in an assembly: on which other one (an id; empty: the machine), on which of its ends, how turned.

    `name` is that of its stylus, if it is one; `turn` (rad) is about the direction of the end.
    """

    id: str
    component: Component
    on: str = ""
    end: int = Field(default=0, ge=0)
    turn: float = Field(default=0.0, ge=-7, le=7)
    name: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class StylusPlace:
    """Where a tip is: centre and direction (3,) away from its stem, in the coordinates of the quill."""

    id: str  # of the stylus: that of its component, with a number where it has several tips
    name: str
    tip: Tip
    center: Vector
    direction: Vector
    reach: float  # of the thin part of the stylus, mm

    @property
    def radius(self) -> float:
        """The nominal radius of the tip, mm."""
        return self.tip.diameter / 2


@dataclass(frozen=True, slots=True, eq=False)
class Bodies:
    """Round solids (n): from, to (n, 3), radii (n,), and which component (n,) each belongs to."""

    starts: Points
    ends: Points
    radii: Floats
    owner: tuple[str, ...]


class ProbeAssembly(Frozen):
    """A probe assembly with the poses that it is used in; `parts` from the machine outwards."""

    id: str
    name: str
    parts: tuple[PlacedComponent, ...] = ()
    poses: tuple[HeadPose, ...] = (STRAIGHT,)

    @model_validator(mode="after")
    def _fits_together(self) -> "ProbeAssembly":
        known: dict[str, PlacedComponent] = {}
        taken: set[tuple[str, int]] = set()
        for p in self.parts:
            if not p.id or p.id in known:
                raise ValueError(f"{self.name}: two components have the same id")
            if not p.on:
                if known:
                    raise ValueError(f"{self.name}: {p.component.name} is not fixed to anything")
                joint = QUILL
            elif p.on not in known:
                raise ValueError(f"{self.name}: {p.component.name} is fixed to something that is not there")
            else:
                ends = known[p.on].component.ends
                if p.end >= len(ends):
                    raise ValueError(f"{self.name}: {known[p.on].component.name} has no end {p.end + 1}")
                joint = ends[p.end].joint
                if (p.on, p.end) in taken:
                    raise ValueError(f"{self.name}: two components are fixed to the same end")
                taken.add((p.on, p.end))
            if p.component.base != joint:
                raise ValueError(
                    f"{self.name}: {p.component.name} has the joint {p.component.base} and does not fit {joint}"
                )
            known[p.id] = p
        if len(set(self.poses)) != len(self.poses):
            raise ValueError(f"{self.name}: a pose is listed twice")
        if not self.poses:
            raise ValueError(f"{self.name}: at least one pose is needed")
        for pose in self.poses:
            reason = self.why_unreachable(pose)
            if reason:
                raise ValueError(f"{self.name}: {reason}")
        return self

    @property
    def articulation(self) -> Articulation | None:
        """What its head can do; None for a fixed one."""
        return next((p.component.articulation for p in self.parts if p.component.articulation is not None), None)

    @cached_property
    def content_key(self) -> str:
        """What its qualifications belong to: everything that it is built of, but no names and no poses."""
        whole = "\n".join(
            f"{p.id} {p.on} {p.end} {p.turn!r} {p.component.model_dump_json(exclude={'name', 'note', 'feels_deg'})}"
            for p in self.parts
        )
        return hashlib.sha256(whole.encode()).hexdigest()[:24]

    def part(self, part_id: str) -> PlacedComponent:
        """Return one of its components (KeyError: there is none)."""
        for p in self.parts:
            if p.id == part_id:
                return p
        raise KeyError(part_id)

    def free_ends(self) -> tuple[tuple[str, int, str], ...]:
        """Return the ends that take one more component: on which one, which end, what joint."""
        if not self.parts:
            return (("", 0, QUILL),)
        taken = {(p.on, p.end) for p in self.parts}
        return tuple(
            (p.id, k, end.joint) for p in self.parts for k, end in enumerate(p.component.ends) if (p.id, k) not in taken
        )

    def end_direction(self, on: str, end: int, pose: HeadPose = STRAIGHT) -> Vector:
        """Return where an end points (3,), in the coordinates of the quill: what is fixed to it grows that way."""
        if not on:
            return np.array([0.0, 0.0, -1.0])
        own = unit(self.part(on).component.ends[end].direction)
        return np.asarray(rotate(self.frames(pose)[on][1], own[None])[0])

    def with_component(self, component: Component, on: str, end: int, *, turn: float = 0.0) -> "ProbeAssembly":
        """Return the assembly with one more component (ValueError: it does not fit)."""
        numbers = {int(p.id[1:]) for p in self.parts if p.id[1:].isdigit()}
        number = max(numbers, default=0) + 1
        name = ""
        if component.tips:
            name = str(sum(bool(p.component.tips) for p in self.parts) + 1)
            while any(p.name == name for p in self.parts):
                name = str(int(name) + 1)
        made = PlacedComponent(id=f"c{number}", component=component, on=on, end=end, turn=turn, name=name)
        return self.replace(parts=(*self.parts, made), poses=self.poses if self.parts else (STRAIGHT,))

    def without(self, part_id: str) -> "ProbeAssembly":
        """Return the assembly without a component and everything that is fixed to it."""
        gone = {part_id}
        for p in self.parts:
            if p.on in gone:
                gone.add(p.id)
        kept = tuple(p for p in self.parts if p.id not in gone)
        still = any(p.component.articulation for p in kept)
        return self.replace(parts=kept, poses=self.poses if still else (STRAIGHT,))

    def with_poses(self, poses: tuple[HeadPose, ...]) -> "ProbeAssembly":
        """Return the assembly with these poses, each once, in the order of tilt and turn."""
        wanted = sorted(set(poses), key=lambda p: (p.tilt_deg, p.turn_deg))
        return self.replace(poses=tuple(wanted) or (STRAIGHT,))

    def why_unreachable(self, pose: HeadPose) -> str:
        """Say why the head cannot take a pose; empty when it can."""
        own = self.articulation
        if own is None:
            return "" if pose == STRAIGHT else f"its head is fixed: it has only the pose {STRAIGHT}"
        for word, value, low, high in (
            ("tilt", pose.tilt_deg, own.tilt_min_deg, own.tilt_max_deg),
            ("turn", pose.turn_deg, own.turn_min_deg, own.turn_max_deg),
        ):
            if not low <= value <= high:
                return f"{word} {value:g}° is beyond its head, which reaches {low:g}° to {high:g}°"
            steps = value / own.step_deg
            if abs(steps - round(steps)) > 1e-9:
                below = own.step_deg * np.floor(steps)
                return (
                    f"{word} {value:g}° is between two steps of its head: take {below:g}° or {below + own.step_deg:g}°"
                )
        return ""

    def frames(self, pose: HeadPose = STRAIGHT) -> dict[str, tuple[Rigid, Rigid]]:
        """Return, by component, ``quill_from_component`` before and after the turn of the head (for its own parts)."""
        found: dict[str, tuple[Rigid, Rigid]] = {}
        for p in self.parts:
            base = np.eye(4)
            if p.on:
                end = self.part(p.on).component.ends[p.end]
                base = found[p.on][1] @ end_frame(end.place, end.direction, p.turn)
            own = p.component.articulation
            found[p.id] = (base, base if own is None else base @ head_turn(own, pose))
        return found

    def feels(self, pose: HeadPose, normals: Normals) -> Mask:
        """Tell which touches its sensor feels, of surfaces with normals (n, 3) in the coordinates of the quill."""
        felt = np.ones(len(normals), dtype=bool)
        frames = self.frames(pose)
        for p in self.parts:
            if p.component.feels_deg < 180:
                axis = -frames[p.id][1][:3, 2]
                felt &= -normals @ axis >= np.cos(np.radians(p.component.feels_deg)) - 1e-9
        return felt

    def sweep(self) -> tuple[Vector, float] | None:
        """Return the ball in which everything that turns with the head stays: its middle (3,) and radius, mm.

        In the coordinates of the quill; None for a fixed head.
        """
        head = next((p for p in self.parts if p.component.articulation is not None), None)
        if head is None or head.component.articulation is None:
            return None
        frames = self.frames()
        pivot = apply(frames[head.id][0], np.array(head.component.articulation.pivot))
        turning, radius = {head.id}, 0.0
        for p in self.parts:
            if p.on in turning:
                turning.add(p.id)
            if p.id not in turning:
                continue
            for body in (b for b in p.component.bodies if b.moves or p is not head):
                for end in (body.start, body.end):
                    off = float(np.linalg.norm(apply(frames[p.id][1], np.array(end)) - pivot))
                    radius = max(radius, off + body.radius)
        for s in self.styli():
            radius = max(radius, float(np.linalg.norm(s.center - pivot)) + s.radius)
        return pivot, radius

    def styli(self, pose: HeadPose = STRAIGHT) -> tuple[StylusPlace, ...]:
        """Return where every tip is in a pose."""
        found = self._known_styli.get(pose)
        if found is None:
            found = self._known_styli[pose] = tuple(self._styli(pose))
        return found

    @cached_property
    def _known_styli(self) -> dict[HeadPose, tuple[StylusPlace, ...]]:
        return {}  # an assembly never changes: what is asked for at every touch is worked out once

    def _styli(self, pose: HeadPose) -> Iterator[StylusPlace]:
        frames = self.frames(pose)
        for p in self.parts:
            for k, tip in enumerate(p.component.tips):
                frame = frames[p.id][1]
                many = len(p.component.tips) > 1
                # Away from the stem: from the component's base to the tip.
                direction = unit(tip.place) if any(tip.place) else np.array([0.0, 0.0, -1.0])
                yield StylusPlace(
                    f"{p.id}.{k + 1}" if many else p.id, f"{p.name}.{k + 1}" if many else p.name, tip,
                    apply(frame, np.array(tip.place)), rotate(frame, direction), float(np.linalg.norm(tip.place)),
                )  # fmt: skip

    def stylus(self, stylus_id: str, pose: HeadPose = STRAIGHT) -> StylusPlace:
        """Return where one tip is in a pose (KeyError: there is none)."""
        for s in self.styli(pose):
            if s.id == stylus_id:
                return s
        raise KeyError(stylus_id)

    def bodies(self, pose: HeadPose = STRAIGHT) -> Bodies:
        """Return its solids in a pose, in the coordinates of the quill; tips are not among them."""
        frames = self.frames(pose)
        starts, ends, radii, owner = [], [], [], []
        for p in self.parts:
            for body in p.component.bodies:
                frame = frames[p.id][1 if body.moves else 0]
                starts.append(apply(frame, np.array(body.start)))
                ends.append(apply(frame, np.array(body.end)))
                radii.append(body.radius)
                owner.append(p.id)
        none = np.zeros((0, 3))
        return Bodies(np.array(starts) if starts else none, np.array(ends) if ends else none, np.array(radii),
                      tuple(owner))  # fmt: skip


def end_frame(place: tuple[float, float, float], direction: tuple[float, float, float], turn: float) -> Rigid:
    """Return ``parent_from_child`` of a component at an end: its -z is the direction of the end."""
    down, straight = unit(direction), np.array([0.0, 0.0, -1.0])
    # Turn -z onto the direction by the shortest way, so that a straight chain is not turned about itself.
    axis = np.cross(straight, down)
    if np.linalg.norm(axis) > 1e-12:
        frame = rotation_about(unit(axis), float(np.arccos(np.clip(straight @ down, -1, 1))))
    else:
        frame = np.eye(4) if down[2] < 0 else rotation_about(np.array([1.0, 0.0, 0.0]), np.pi)
    spin = rotation_about(np.array([0.0, 0.0, 1.0]), turn) if turn else np.eye(4)
    return rigid((frame @ spin)[:3, :3], np.array(place))


def head_turn(own: Articulation, pose: HeadPose) -> Rigid:
    """Return the motion of a head into a pose, about its pivot: tilt about x, then turn about z."""
    tilt = rotation_about(np.array([1.0, 0.0, 0.0]), np.radians(pose.tilt_deg))
    turn = rotation_about(np.array([0.0, 0.0, 1.0]), np.radians(pose.turn_deg))
    rotation = (turn @ tilt)[:3, :3]
    pivot = np.array(own.pivot)
    return rigid(rotation, pivot - rotation @ pivot)
