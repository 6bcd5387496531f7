"""What is known about the styli of a machine: where the sphere was located, and every qualification."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from enum import StrEnum
from typing import Literal, Self

import numpy as np
from pydantic import Field, model_validator

from truegauge.core.arrays import Rigid
from truegauge.core.frames import as_rigid
from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.probing.assembly import HeadPose
from truegauge.core.probing.machine_check import MachineCheck
from truegauge.core.probing.probing import DueRules, Probing, StylusUse

_KEPT = 60  # qualifications of a stylus
_PLACES = 100  # parts
_CHECKS = 200


class SphereLocation(Frozen):
    """Where the master stylus found the reference sphere, mm in machine coordinates."""

    sphere: str
    diameter: float
    center: Three
    deviation: float
    at: str
    assembly_key: str
    may_have_moved: bool = False


class QualificationRecord(Frozen):
    """One qualification of a stylus in a pose, mm; see `qualification.StylusResult`."""

    assembly_key: str
    assembly: str
    stylus: str
    pose: HeadPose
    name: str
    at: str
    temperature_c: float = 20.0
    touch_speed: float
    entered_diameter: float
    diameter: float
    diameter_error: float
    offset: Three
    offset_errors: Three
    from_master: Three
    form: float
    deviation: float
    directions: tuple[Three, ...]
    residuals: tuple[float, ...]
    verdict: Literal["good", "acceptable", "look into it", "stop"]
    text: str = ""
    causes: tuple[tuple[str, str, bool], ...] = ()
    master: bool = False
    located_at: str = ""

    @property
    def key(self) -> tuple[str, str, HeadPose]:
        """What it belongs to."""
        return (self.assembly_key, self.stylus, self.pose)

    @property
    def passes(self) -> bool:
        """Whether the stylus may measure."""
        return self.verdict != "stop"


class ToolName(Frozen):
    """What a machine calls a stylus of ours: in any pose of its head, or in one."""

    assembly: str
    stylus: str
    pose: HeadPose | None = None
    name: str


class Fixture(Frozen):
    """Something that stands on the table of a machine: a box along its axes, by two corners, mm."""

    name: str = Field(min_length=1, max_length=80)
    low: Three
    high: Three

    @model_validator(mode="after")
    def _is_a_box(self) -> Self:
        if any(a >= b for a, b in zip(self.low, self.high, strict=True)):
            raise ValueError(f"{self.name}: in X, Y and Z the first corner must lie below the second")
        return self


class PartPlace(Frozen):
    """Where a part was found last, for the next one in the same fixture: ``machine_from_part``, row by row."""

    part: str  # what the plan calls it
    pose: tuple[float, ...] = Field(min_length=16, max_length=16)
    at: str

    @property
    def machine_from_part(self) -> Rigid:
        """The place as a matrix (4, 4)."""
        return as_rigid(np.array(self.pose).reshape(4, 4))

    @model_validator(mode="after")
    def _is_a_place(self) -> Self:
        as_rigid(np.array(self.pose).reshape(4, 4))
        return self


class MachineRecord(Frozen):
    """All that is known about a machine: its styli, and what stands on its table."""

    location: SphereLocation | None = None
    qualifications: tuple[QualificationRecord, ...] = Field(default=())
    tools: tuple[ToolName, ...] = ()
    table_z: float | None = None  # of the top of its table, mm in machine coordinates; None: nobody said
    fixtures: tuple[Fixture, ...] = ()
    travel: tuple[Three, Three] | None = None  # lowest and highest places of the quill, mm; None: nobody said
    places: tuple[PartPlace, ...] = ()  # of parts, one a plan
    checks: tuple[MachineCheck, ...] = ()  # by its user, the last one last

    @model_validator(mode="after")
    def _can_travel(self) -> Self:
        if self.travel is not None and any(a >= b for a, b in zip(*self.travel, strict=True)):
            raise ValueError("in X, Y and Z the travel must end above where it begins")
        return self

    def with_seen(self, table_z: float | None, travel: Sequence[Sequence[float]] | None) -> "MachineRecord":
        """Return the record with what was seen of the machine, where nobody said it."""
        z = self.table_z if self.table_z is not None else table_z
        if self.travel is not None or travel is None:
            return self.replace(table_z=z)
        return self.replace(table_z=z, travel=tuple(tuple(float(v) for v in end) for end in travel))

    def with_check(self, check: MachineCheck) -> "MachineRecord":
        """Return the record with a check more."""
        return self.replace(checks=(*self.checks, check)[-_CHECKS:])

    def place_of(self, part: str) -> PartPlace | None:
        """Return where a part was found last."""
        return next((p for p in self.places if p.part == part), None)

    def with_place(self, part: str, machine_from_part: Rigid, at: str) -> "MachineRecord":
        """Return the record with where a part was found last."""
        made = PartPlace(part=part, pose=tuple(float(v) for v in np.ravel(machine_from_part)), at=at)
        return self.replace(places=(*(p for p in self.places if p.part != part), made)[-_PLACES:])

    def with_tool(self, made: ToolName) -> "MachineRecord":
        """Return the record with the machine's name of a stylus; an empty name takes it away."""
        key = (made.assembly, made.stylus, made.pose)
        kept = tuple(t for t in self.tools if (t.assembly, t.stylus, t.pose) != key)
        return self.replace(tools=(*kept, made) if made.name else kept)

    def with_qualification(self, made: QualificationRecord) -> "MachineRecord":
        """Return the record with one more; of each stylus the latest are kept."""
        own = [q for q in self.qualifications if q.key == made.key]
        old = set(map(id, own[: max(0, len(own) - _KEPT + 1)]))
        kept = tuple(q for q in self.qualifications if id(q) not in old)
        return self.replace(qualifications=(*kept, made))

    def without(self, gone: QualificationRecord) -> "MachineRecord":
        """Return the record without one of its qualifications."""
        return self.replace(qualifications=tuple(q for q in self.qualifications if q is not gone))

    def history(self, probing: Probing, use: StylusUse) -> tuple[QualificationRecord, ...]:
        """Return the qualifications of a stylus as it is built now, oldest first."""
        key = (probing.assembly(use.assembly).content_key, use.stylus, use.pose)
        return tuple(q for q in self.qualifications if q.key == key)

    def latest(self, probing: Probing, use: StylusUse) -> QualificationRecord | None:
        """Return the last qualification of a stylus as it is built now."""
        own = self.history(probing, use)
        return own[-1] if own else None


class StylusState(StrEnum):
    """Whether a stylus may measure."""

    NOT_QUALIFIED = "not qualified"
    QUALIFIED = "qualified"
    DUE = "due"
    FAILED = "failed"


@dataclass(frozen=True, slots=True)
class StateSaid:
    """A state and why."""

    state: StylusState
    why: str

    @property
    def may_measure(self) -> bool:
        """Whether points of the stylus count without more ado; one that is due still measures, with a warning."""
        return self.state in (StylusState.QUALIFIED, StylusState.DUE)


def state_of(
    record: QualificationRecord | None, now: datetime, temperature_c: float | None, rules: DueRules,
    touch_speed: float | None = None,
) -> StateSaid:  # fmt: skip
    """Say whether a stylus may measure, and why not, or what to mind."""
    if record is None:
        return StateSaid(StylusState.NOT_QUALIFIED, "not qualified as it is built now")
    if not record.passes:
        return StateSaid(StylusState.FAILED, record.text)
    age = now - datetime.fromisoformat(record.at)
    if rules.days is not None and age > timedelta(days=rules.days):
        return StateSaid(StylusState.DUE, f"qualified {age.days} days ago; every {rules.days:g} days it is due")
    if rules.shift_hours is not None and age > timedelta(hours=rules.shift_hours):
        return StateSaid(StylusState.DUE, f"qualified in an earlier shift ({rules.shift_hours:g} hours)")
    if rules.temperature is not None and temperature_c is not None:
        change = abs(temperature_c - record.temperature_c)
        if change > rules.temperature:
            text = f"the temperature changed by {change:.1f} K since; it is due beyond {rules.temperature:g} K"
            return StateSaid(StylusState.DUE, text)
    return StateSaid(StylusState.QUALIFIED, speed_warning(record, touch_speed))


def speed_warning(record: QualificationRecord, touch_speed: float | None) -> str:
    """Say that a stylus was qualified at another touch speed; empty when it was not."""
    if touch_speed is None or abs(touch_speed - record.touch_speed) <= 0.02 * record.touch_speed:
        return ""
    return (
        f"touches at {touch_speed:g} mm/s but was qualified at {record.touch_speed:g} mm/s: "
        "the effective diameter depends on it"
    )


def why_hand_touch(record: MachineRecord, probing: Probing) -> str:
    """Say why the sphere must be touched by hand first; empty when the machine knows where it is."""
    location = record.location
    master = probing.master_or_first()
    if location is None:
        return "the machine does not know yet where the reference sphere stands"
    if location.sphere != probing.sphere.name or location.diameter != probing.sphere.diameter:
        return f"the sphere located last was {location.sphere}, not {probing.sphere.name}"
    if master is not None and location.assembly_key != probing.assembly(master.assembly).content_key:
        return "the master stylus was changed since the sphere was located"
    if location.may_have_moved:
        return "the sphere may have been moved since it was located: a stylus sent there could crash into it"
    return ""


def needs_location(record: MachineRecord, probing: Probing, uses: tuple[StylusUse, ...]) -> bool:
    """Tell whether the master must locate the sphere before these styli."""
    return bool(why_hand_touch(record, probing)) or probing.master_or_first() in uses
