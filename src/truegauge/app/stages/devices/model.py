"""The presentation model of the Devices stage: pages, the assembly that is built, qualifications that run."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QSettings, Signal

from truegauge.app.stages.devices.checking_model import CheckingModel
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.qualifying_model import QualifyingModel
from truegauge.core.commands.probing import (
    SetProbing,
    new_assembly,
    with_assembly,
    with_port,
    without_assembly,
)
from truegauge.core.errors import FormatError
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly
from truegauge.core.probing.components import Catalogue, Component
from truegauge.core.probing.probing import Probing, RackPort, StylusUse
from truegauge.core.probing.records import (
    StylusState,
    why_hand_touch,
)
from truegauge.core.registration.alignment import Alignment
from truegauge.core.typed_number import typed_number
from truegauge.formats.catalogue import own_catalogue, read_catalogue

if TYPE_CHECKING:
    from truegauge.core.probing.pose_choice import PoseAnswer

PAGES = (
    ("machine", "Machine"),
    ("probe", "Probe"),
    ("poses", "Poses"),
    ("rack", "Rack"),
    ("qualify", "Qualify"),
    ("check", "Check"),
    ("portable", "Portable"),
    ("setup", "Set-up"),
)


class DevicesModel(QObject):
    """What the Devices stage shows."""

    changed = Signal()

    def __init__(self, machine: MachineModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.machine, self.session = machine, machine.session
        self.page = "machine"
        self.chosen_assembly = ""
        self.chosen_part = ""  # a component of it
        self.chosen_end: tuple[str, int] | None = None
        self.chosen_pose = HeadPose()
        self.chosen_use: StylusUse | None = None
        self.catalogue: Catalogue = own_catalogue()
        self._settings = QSettings("truegauge", "truegauge")
        for path in self._catalogue_files():
            try:
                self.catalogue = self.catalogue.extended(read_catalogue(Path(path)))
            except FormatError as error:  # on a disk that is away, perhaps: it stays on the list unless told otherwise
                self.session.notify(error, "Forget it", partial(self._forget_catalogue, path))
        self.answers: tuple[PoseAnswer, ...] = ()
        self.qualifying = QualifyingModel(machine, lambda: self.probing, self)
        self.qualifying.changed.connect(self.changed)
        self.checking = CheckingModel(machine, self)
        self.checking.changed.connect(self.changed)
        machine.changed.connect(self.changed)
        machine.record_changed.connect(self.changed)
        self.session.document.plan_changed.connect(self._on_plan_changed)

    @property
    def probing(self) -> Probing:
        """What the plan says about probes."""
        return self.session.plan.probing

    def set_page(self, page: str) -> None:
        """Open a page."""
        if page != self.page:
            self.page = page
            self.changed.emit()

    def change(self, probing: Probing, label: str, merge_key: str = "") -> bool:
        """Change what the plan says about probes, as one step that can be undone."""
        return self.session.run(SetProbing(probing, label, merge_key))

    def change_part(self, name: str, label: str, **changes: Any) -> bool:
        """Change fields of one of its records (settings, limits, sphere, due, moves)."""
        try:
            part = getattr(self.probing, name).replace(**changes)
            return self.change(self.probing.replace(**{name: part}), label)
        except ValueError as error:
            self.session.notify(error)
            self.changed.emit()
            return False

    def _on_plan_changed(self) -> None:
        ids = [a.id for a in self.probing.assemblies]
        if self.chosen_assembly not in ids:
            self.chosen_assembly = ids[0] if ids else ""
            self.chosen_part, self.chosen_end = "", None
        own = self.assembly
        if own is not None and self.chosen_part not in {p.id for p in own.parts}:
            self.chosen_part = ""
        if own is not None and self.chosen_pose not in own.poses:
            self.chosen_pose = own.poses[0]
        if own is not None:
            free = {(on, end) for on, end, _ in own.free_ends()}
            if self.chosen_end not in free:
                self.chosen_end = min(free, default=None)
        if self.chosen_use is not None and not self.probing.has_stylus(self.chosen_use):
            self.chosen_use = None
        self.machine.build_probes()
        self.changed.emit()

    # Assemblies ---------------------------------------------------------------------------------------------------

    @property
    def assembly(self) -> ProbeAssembly | None:
        """The assembly that is shown."""
        return next((a for a in self.probing.assemblies if a.id == self.chosen_assembly), None)

    def choose_assembly(self, assembly_id: str) -> None:
        """Show an assembly."""
        self.chosen_assembly, self.chosen_part, self.chosen_end = assembly_id, "", None
        self._on_plan_changed()

    def add_assembly(self) -> None:
        """Begin an assembly."""
        made = new_assembly(self.probing)
        self.chosen_assembly, self.chosen_end = made.id, ("", 0)
        self.change(with_assembly(self.probing, made), "new probe assembly")

    def copy_assembly(self) -> None:
        """Make another assembly of the same components."""
        own = self.assembly
        if own is not None:
            made = new_assembly(self.probing)
            self.chosen_assembly = made.id
            self.change(with_assembly(self.probing, own.replace(id=made.id, name=f"{own.name} copy")), "copy assembly")

    def remove_assembly(self) -> None:
        """Remove the assembly that is shown."""
        if self.assembly is not None:
            self.change(without_assembly(self.probing, self.chosen_assembly), "remove probe assembly")

    def rename_assembly(self, name: str) -> None:
        """Give the assembly another name."""
        own = self.assembly
        if own is not None and name.strip() and name.strip() != own.name:
            self._set_assembly(own.replace(name=name.strip()), "rename probe assembly")

    def fitting(self, words: str = "") -> tuple[Component, ...]:
        """Return the components that fit the chosen end, those with all the words in their names."""
        own = self.assembly
        if own is None or self.chosen_end is None:
            return ()
        joint = next((j for on, end, j in own.free_ends() if (on, end) == self.chosen_end), "")
        wanted = words.lower().split()
        return tuple(c for c in self.catalogue.fitting(joint) if all(w in c.name.lower() for w in wanted))

    def add_component(self, component: Component) -> None:
        """Fix a component to the chosen end; what it offers next is chosen then."""
        own = self.assembly
        if own is None or self.chosen_end is None:
            return
        try:
            made = own.with_component(component, *self.chosen_end)
        except ValueError as error:
            self.session.notify(error)
            return
        added = made.parts[-1]
        if added.component.ends:
            self.chosen_end = (added.id, 0)
        self._set_assembly(made, f"add {component.name}")

    def remove_component(self, part_id: str) -> None:
        """Take a component off, with what is fixed to it."""
        own = self.assembly
        if own is not None and part_id:
            part = own.part(part_id)
            self._set_assembly(own.without(part_id), f"remove {part.component.name}")
            self.chosen_end = (part.on, part.end)
            self._on_plan_changed()

    def choose_end(self, on: str, end: int) -> None:
        """Choose where the next component goes."""
        self.chosen_end = (on, end)
        self.chosen_part = on
        self.changed.emit()

    def choose_part(self, part_id: str) -> None:
        """Show a component."""
        self.chosen_part = part_id
        self.changed.emit()

    def set_master(self, use: StylusUse) -> None:
        """Make a stylus the master."""
        self.change(self.probing.replace(master=use), "choose the master stylus")

    def _catalogue_files(self) -> list[str]:
        found = self._settings.value("catalogues", [])
        return [found] if isinstance(found, str) else [str(f) for f in found] if isinstance(found, list) else []

    def _forget_catalogue(self, path: str) -> None:
        self._settings.setValue("catalogues", [f for f in self._catalogue_files() if f != path])

    def add_catalogue(self, path: Path) -> None:
        """Take components from a file besides those that come with the application, now and at the next start."""
        try:
            more = read_catalogue(path)
        except FormatError as error:
            self.session.notify(error)
            return
        self.catalogue = self.catalogue.extended(more)
        files = [f for f in self._catalogue_files() if f != str(path.resolve())]
        self._settings.setValue("catalogues", [*files, str(path.resolve())])
        self.session.notify(f"{len(more.components)} components from {path.name} can be chosen now.")
        self.changed.emit()

    def _set_assembly(self, assembly: ProbeAssembly, label: str) -> bool:
        try:
            changed = with_assembly(self.probing, assembly)
        except ValueError as error:
            self.session.notify(error)
            return False
        return self.change(changed, label)

    # Poses --------------------------------------------------------------------------------------------------------

    def choose_pose(self, pose: HeadPose) -> None:
        """Show a pose."""
        if pose != self.chosen_pose:
            self.chosen_pose = pose
            self.changed.emit()

    def add_poses(self, text: str) -> bool:
        """Add typed poses, ``90/45`` each; False with a message when one cannot be."""
        own = self.assembly
        if own is None:
            return False
        found = []
        for word in text.replace(";", " ").split():
            try:
                tilt, turn = (typed_number(v) for v in word.split("/"))
                pose = HeadPose(tilt_deg=tilt, turn_deg=turn)
            except ValueError:
                self.session.notify(f"{word!r} is not a pose: type tilt/turn in degrees, as 90/-45")
                return False
            reason = own.why_unreachable(pose)
            if reason:
                self.session.notify(f"{pose}: {reason}")
                return False
            found.append(pose)
        if not found:
            return False
        self.chosen_pose = found[-1]
        return self._set_assembly(own.with_poses((*own.poses, *found)), "add poses")

    def remove_poses(self, poses: tuple[HeadPose, ...]) -> None:
        """Remove poses; one stays."""
        own = self.assembly
        if own is not None and poses:
            kept = tuple(p for p in own.poses if p not in poses)
            self._set_assembly(own.with_poses(kept), "remove poses")

    def add_needed_poses(self) -> None:
        """Add the poses that the features of the plan need, and say which cannot be had."""
        own, s = self.assembly, self.session
        if own is None or s.evaluator is None:
            return
        from truegauge.core.probing.pose_choice import poses_for

        result = s.evaluation.alignment if s.evaluation is not None else None
        pose = result.part_from_scan if isinstance(result, Alignment) else None
        wanted = []
        for feature in s.plan.features:
            nominal = s.evaluator.nominal(feature.group)
            wanted.append((feature.name, feature.faces, None if isinstance(nominal, NotComputed) else nominal))
        self.answers = poses_for(own, s.evaluator.model, tuple(wanted), pose)
        needed = tuple(a.pose for a in self.answers if a.pose is not None)
        if set(needed) - set(own.poses):
            self._set_assembly(own.with_poses((*own.poses, *needed)), "add the poses that the plan needs")
        self.changed.emit()

    # Rack ---------------------------------------------------------------------------------------------------------

    def add_port(self) -> None:
        """Add a port to the rack."""
        rack = self.probing.rack
        names = {p.name for p in rack}
        number = next(n for n in range(1, 100) if f"Port {n}" not in names)
        # At the stand-in there is room for it; where a machine has it nobody knows before it is said.
        place = (60.0 + 90.0 * len(rack), 940.0, -300.0) if self.machine.hands is not None else (0.0, 0.0, 0.0)
        self.set_port(len(rack), RackPort(name=f"Port {number}", place=place), "add a port")

    def set_port(self, index: int, port: RackPort, label: str = "change a port") -> None:
        """Change a port."""
        try:
            self.change(with_port(self.probing, port, index), label)
        except ValueError as error:
            self.session.notify(error)
            self.changed.emit()

    def remove_port(self, index: int) -> None:
        """Remove a port."""
        rack = self.probing.rack
        if 0 <= index < len(rack):
            self.change(self.probing.replace(rack=rack[:index] + rack[index + 1 :]), "remove a port")

    # Qualifying ---------------------------------------------------------------------------------------------------

    def choose_use(self, use: StylusUse | None) -> None:
        """Show what is known about a stylus."""
        self.chosen_use = use
        if use is not None:
            self.chosen_assembly, self.chosen_pose = use.assembly, use.pose
        self.changed.emit()

    def in_need(self) -> tuple[StylusUse, ...]:
        """Return the styli that are not qualified, due or failed."""
        return tuple(u for u in self.probing.uses() if self.machine.state(u).state != StylusState.QUALIFIED)

    def why_by_hand(self) -> str:
        """Say why the sphere must be touched by hand first."""
        return why_hand_touch(self.machine.record, self.probing)
