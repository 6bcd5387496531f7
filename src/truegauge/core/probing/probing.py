"""What a plan says about probing: assemblies, rack, reference sphere, how styli are qualified."""

from typing import Literal

from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen, Three
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly
from truegauge.core.probing.judgement import QualificationLimits
from truegauge.core.probing.length_standard import LengthStandard
from truegauge.core.probing.sphere import ReferenceSphere

QualifyBy = Literal["machine", "first touch by hand", "hand"]


class StylusUse(Frozen):
    """A stylus of an assembly in a pose: what is qualified, and what measures."""

    assembly: str
    stylus: str
    pose: HeadPose = HeadPose()


class Moves(Frozen):
    """How the machine moves and touches: distances in mm, speeds in mm/s."""

    approach: float = Field(default=4.0, gt=0, le=100)
    search: float = Field(default=4.0, gt=0, le=100)
    retract: float = Field(default=4.0, gt=0, le=100)
    travel_speed: float = Field(default=150.0, gt=0, le=2000)
    touch_speed: float = Field(default=5.0, gt=0, le=100)


class QualificationSettings(Frozen):
    """How styli are qualified: touches, rows besides the top, how far down they go, and by whom."""

    touches: int = Field(default=9, ge=5, le=100)
    rows: int = Field(default=2, ge=1, le=10)
    span_deg: float = Field(default=90.0, ge=30, le=110)
    by: QualifyBy = "machine"
    two_passes: bool = True
    approach: float = Field(default=5.0, gt=0, le=100)
    retract: float = Field(default=5.0, gt=0, le=100)
    travel_speed: float = Field(default=100.0, gt=0, le=2000)
    touch_speed: float = Field(default=5.0, gt=0, le=100)


class DueRules(Frozen):
    """When a qualification wants to be repeated: after a shift (h), days, a change of temperature (K). None: never."""

    shift_hours: float | None = Field(default=None, gt=0, le=48)
    days: float | None = Field(default=7.0, gt=0, le=3660)
    temperature: float | None = Field(default=2.0, gt=0, le=50)


class RackPort(Frozen):
    """A port of the rack: where the machine picks up (mm, machine coordinates), and which assembly is in it."""

    name: str
    place: Three = (0.0, 0.0, 0.0)
    assembly: str = ""


class Probing(Frozen):
    """Everything about probes."""

    assemblies: tuple[ProbeAssembly, ...] = ()
    master: StylusUse | None = None
    rack: tuple[RackPort, ...] = ()
    sphere: ReferenceSphere = ReferenceSphere()
    gauge: LengthStandard = LengthStandard()
    settings: QualificationSettings = QualificationSettings()
    limits: QualificationLimits = QualificationLimits()
    due: DueRules = DueRules()
    moves: Moves = Moves()
    allow_unqualified: bool = False

    @model_validator(mode="after")
    def _consistent(self) -> "Probing":
        ids = [a.id for a in self.assemblies]
        if len(set(ids)) != len(ids):
            raise ValueError("two probe assemblies have the same id")
        names = [a.name for a in self.assemblies]
        if len(set(names)) != len(names):
            raise ValueError("two probe assemblies have the same name")
        ports = [p.name for p in self.rack]
        if len(set(ports)) != len(ports):
            raise ValueError("two ports of the rack have the same name")
        held = [p.assembly for p in self.rack if p.assembly]
        if set(held) - set(ids):
            raise ValueError("a port of the rack holds an assembly that the plan does not have")
        if len(set(held)) != len(held):
            raise ValueError("an assembly is in two ports of the rack")
        if self.master is not None and not self.has_stylus(self.master):
            raise ValueError("the master stylus is not a stylus of the plan")
        return self

    def assembly(self, assembly_id: str) -> ProbeAssembly:
        """Return an assembly by its id (KeyError: there is none)."""
        for a in self.assemblies:
            if a.id == assembly_id:
                return a
        raise KeyError(assembly_id)

    def has_stylus(self, use: StylusUse) -> bool:
        """Tell whether there is such a stylus in such a pose."""
        for a in self.assemblies:
            if a.id == use.assembly:
                return use.pose in a.poses and any(s.id == use.stylus for s in a.styli())
        return False

    def uses(self) -> tuple[StylusUse, ...]:
        """Return every stylus in every pose, the master first."""
        every = [
            StylusUse(assembly=a.id, stylus=s.id, pose=pose) for a in self.assemblies for pose in a.poses
            for s in a.styli(pose)
        ]  # fmt: skip
        if self.master in every:
            every.remove(self.master)
            every.insert(0, self.master)
        return tuple(every)

    def master_or_first(self) -> StylusUse | None:
        """Return the master stylus; the first one when none was chosen."""
        every = self.uses()
        return every[0] if every else None

    def name_of(self, use: StylusUse) -> str:
        """Return how a stylus is called where people read it."""
        a = self.assembly(use.assembly)
        place = a.stylus(use.stylus)
        pose = f", {use.pose}" if a.articulation is not None else ""
        return f"{a.name}, stylus {place.name}{pose}"

    def port_of(self, assembly: str) -> RackPort | None:
        """Return the port that holds an assembly."""
        return next((p for p in self.rack if p.assembly == assembly), None)
