"""The view of the Devices stage: the machine with what stands on it, or the probe that is built, close up."""

import numpy as np
from PySide6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.devices.joystick import Joystick
from truegauge.app.stages.devices.machine_words import MachineWords
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.view.turned_view import TurnedView
from truegauge.app.view.view_marks import paint_axes
from truegauge.app.widgets.text_size import enlarge, room_of
from truegauge.app.widgets.theme import LiveTheme
from truegauge.core.arrays import Points, Vector, box_corners
from truegauge.core.frames import invert
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly
from truegauge.core.probing.records import Fixture
from truegauge.core.registration.alignment import Alignment
from truegauge.rendering.camera import Camera, standard_camera
from truegauge.runs.checking import Checking

_HIGHEST = 340.0  # mm above part and sphere that are shown for the probe
_BUILD_PAGES = ("probe", "poses")


class MachineView(TurnedView):
    """Keys are the joystick."""

    def __init__(self, model: DevicesModel, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(theme, parent=parent)
        self.model, self.machine = model, model.machine
        theme.changed.connect(self._on_theme_changed)
        self._is_of_probe = False
        self._words = MachineWords(self, model, theme)
        self._cameras: dict[bool, Camera | None] = {True: None, False: None}
        self._shown: tuple[object, ...] = ()
        self._known: tuple[object, ...] = ()  # of what stands there
        self._probe_at = np.full(3, np.inf)
        self._joystick = Joystick(self.machine.jog, self)
        self.setMouseTracking(True)
        self.setMinimumSize(320, 240)
        self.setAccessibleName("View of the machine")
        model.changed.connect(self.refresh)
        self.machine.moved.connect(self._on_moved)
        model.session.document.evaluated.connect(self.refresh)

    def _on_theme_changed(self) -> None:
        self.take_palette()
        self._shown = ()
        self.refresh()

    # What is shown ------------------------------------------------------------------------------------------------

    @property
    def building(self) -> bool:
        """Whether the probe is shown for itself."""
        return self.model.page in _BUILD_PAGES

    def _probe(self) -> tuple[ProbeAssembly | None, HeadPose, str]:
        """Return the assembly to show, its pose and the stylus in use."""
        m = self.model
        if self.building:
            return m.assembly, m.chosen_pose, m.chosen_use.stylus if m.chosen_use is not None else ""
        cmm = self.machine.cmm
        mounted = self.machine.seen.get("mounted") or (cmm.mounted if cmm is not None else "")
        own = next((a for a in m.probing.assemblies if a.name == mounted), None)
        pose = cmm.pose if cmm is not None else HeadPose()
        return own, pose, cmm.use.stylus if cmm is not None and cmm.use is not None else ""

    def part_pose(self) -> np.ndarray | None:
        """Return ``machine_from_part``: as eyes see it at the stand-in, else by the alignment of touches."""
        seen = self.machine.seen.get("part")
        if seen:
            return np.array(seen).reshape(4, 4)
        s = self.model.session
        result = s.evaluation.alignment if s.evaluation is not None else None
        touched = s.sample is not None and not len(s.sample.points)
        return invert(result.part_from_scan) if touched and isinstance(result, Alignment) else None

    def sphere_center(self) -> np.ndarray | None:
        """Return where the reference sphere is, as eyes see it, or as it was located."""
        seen = self.machine.seen.get("sphere")
        if seen:
            return np.array(seen)
        location = self.machine.record.location
        return None if location is None or not self.machine.connected else np.array(location.center)

    def table(self) -> tuple[float | None, tuple[Vector, Vector] | None]:
        """Return how high the table is, as it is seen or was said, and how far it reaches."""
        seen = self.machine.seen
        z = seen.get("table", self.machine.record.table_z if self.machine.connected else None)
        travel = seen.get("travel")
        if travel:
            return z, (np.array(travel[0]), np.array(travel[1]))
        known = self._known_spots()
        probe = self._probe_box()
        if not len(known) and probe is not None:
            known = probe
        if z is None or not len(known):
            return z, None
        # How large it is nobody said: as much of it is shown as there is to be seen on it.
        low, high = known.min(axis=0) - 120.0, known.max(axis=0) + 120.0
        return z, (low, high)

    def gauge_pose(self) -> np.ndarray | None:
        """Return where a step gauge lies: where eyes see it, or a check has found it."""
        seen, state = self.machine.seen.get("gauge"), self.model.checking.run_state
        if seen:
            return np.array(seen).reshape(4, 4)
        return state.job.gauge if state is not None and isinstance(state.job, Checking) else None

    def fixtures(self) -> tuple[Fixture, ...]:
        """Return what was said to stand on the table."""
        return self.machine.record.fixtures if self.machine.connected else ()

    def refresh(self) -> None:
        """Show what has changed."""
        if not self.isVisible():
            return
        m = self.model
        assembly, pose, stylus = self._probe()
        part, sphere, building, gauge = self.part_pose(), self.sphere_center(), self.building, self.gauge_pose()
        now = (building, None if assembly is None else assembly.content_key, pose, stylus, m.chosen_part,
               None if part is None else part.tobytes(), None if sphere is None else sphere.tobytes(),
               None if m.session.model is None else m.session.model.key, m.probing.sphere,
               self.machine.seen.get("table"), self.machine.record.table_z, self.fixtures(),
               m.probing.gauge, None if gauge is None else gauge.tobytes())  # fmt: skip
        known = (part is None, sphere is None, gauge is None, self.machine.record.table_z, self.fixtures())
        if now != self._shown:
            self._shown = now
            self.scene.set_probe(assembly, pose, m.chosen_part if building else "", stylus)
            self.scene.set_part(None if building else m.session.model, part)
            z, ends = self.table()
            self.scene.set_table(None if building else z, ends)
            self.scene.set_fixtures(() if building else self.fixtures())
            self.scene.set_sphere(m.probing.sphere, None if building else sphere)
            self.scene.set_gauge(m.probing.gauge, None if building else gauge)
            if building:
                self._look_at_probe(assembly, pose)
            elif self._cameras[False] is not None and known != self._known:
                self._look_at_machine()  # more is known now, or something stands elsewhere
            self._known = known
            self._image = None
        if not building and self._cameras[False] is None:
            self._look_at_machine()
            self._image = None
        moved = self._place_probe()
        if moved or self._image is None:
            self._redraw(moving=self.machine.busy)
        else:
            self.update()  # only the words over the picture

    def _place_probe(self) -> bool:
        """Show the probe where it is; tells whether it has moved."""
        quill = self.machine.seen.get("quill")
        assembly, pose, stylus = self._probe()
        cmm = self.machine.cmm
        at = np.zeros(3)
        if not self.building:
            if quill:
                at = np.array(quill)
            elif cmm is not None and cmm.position is not None and assembly is not None:
                # The plan may have been changed since: then nobody knows where the quill is.
                tip = next((s.center for s in assembly.styli(pose) if s.id == stylus), None)
                at = at if tip is None else cmm.position - tip
        if np.array_equal(at, self._probe_at):
            return False
        self._probe_at = at
        self.scene.place_probe(at)
        return True

    def _look_at_probe(self, assembly: ProbeAssembly | None, pose: HeadPose) -> None:
        """Show the whole probe; while it is turned by hand the eye stays where it is."""
        box = np.array([[-60.0, -60.0, -80.0], [60.0, 60.0, 24.0]])
        if assembly is not None and assembly.parts:
            bodies = assembly.bodies(pose)
            ends = np.vstack([bodies.starts, bodies.ends, *[s.center[None] for s in assembly.styli(pose)]])
            box = np.array([ends.min(axis=0) - 12.0, ends.max(axis=0) + 12.0])
            box[1, 2] = max(box[1, 2], 24.0)
            box[1, 2] += 0.16 * (box[1, 2] - box[0, 2])  # for the words above it
        known = self._cameras[True]
        fresh = standard_camera("corner", box, self._aspect)
        if known is not None:
            fresh = Camera(box.mean(axis=0), known.back, known.up, 1.0).fitted(box, self._aspect, 1.15)
        self._cameras[True] = fresh

    def _known_spots(self) -> Points:
        """Return corners (n, 3) of what is known to stand or hang there."""
        spots = [np.zeros((0, 3))]
        part, model = self.part_pose(), self.model.session.model
        if part is not None and model is not None:
            spots.append(box_corners(model.box) @ part[:3, :3].T + part[:3, 3])
        sphere = self.sphere_center()
        if sphere is not None:
            spots.append(sphere + 40.0 * np.vstack([np.eye(3), -np.eye(3)]))
        spots += [np.array([f.low, f.high]) for f in self.fixtures()]
        return np.vstack(spots)

    def _look_at_machine(self) -> None:
        """Show part, sphere and probe together: what is known of this machine."""
        every = self._known_spots()
        if len(every):
            box = np.array([every.min(axis=0), every.max(axis=0)])
            # The probe too, where it is not far above everything.
            probe = self._probe_box()
            top = box[1, 2] + 160.0 if probe is None else probe[1, 2]
            box[1, 2] = np.clip(top, box[1, 2] + 160.0, box[1, 2] + _HIGHEST)
        else:
            found = self._probe_box()
            if found is None:
                return
            box = found
            z = self.machine.record.table_z
            if z is not None:
                box[0, 2] = min(box[0, 2], z)
        self._cameras[False] = standard_camera("corner", box, self._aspect)

    def _probe_box(self) -> Points | None:
        """Return a box (2, 3) around the probe where it is; None where nobody knows."""
        assembly, pose, stylus = self._probe()
        cmm = self.machine.cmm
        if assembly is None or cmm is None or cmm.position is None or not assembly.parts:
            return None
        tip = next((s.center for s in assembly.styli(pose) if s.id == stylus), None)
        if tip is None:
            return None
        bodies = assembly.bodies(pose)
        ends = np.vstack([bodies.starts, bodies.ends]) + cmm.position - tip
        return np.array([ends.min(axis=0) - 60.0, ends.max(axis=0) + 60.0])

    def fit(self) -> None:
        """Show everything again."""
        if self.building:
            assembly, pose, _ = self._probe()
            self._cameras[True] = None
            self._look_at_probe(assembly, pose)
        else:
            self._look_at_machine()
        self._redraw()

    def _on_moved(self) -> None:
        if not self.isVisible():
            return
        assembly, pose, stylus = self._probe()
        if self._shown[:4] != (self.building, None if assembly is None else assembly.content_key, pose, stylus) or (
            self._cameras[False] is None and not self.building
        ):
            self.refresh()
        elif not self.building:
            if self._place_probe():
                self._redraw(moving=True)
            else:
                self.update()

    # Drawing ------------------------------------------------------------------------------------------------------

    @property
    def camera(self) -> Camera | None:
        """The eye."""
        return self._cameras[self.building]

    def look(self, camera: Camera) -> None:
        """Take another eye."""
        self._cameras[self.building] = camera

    def _redraw(self, *, moving: bool = False) -> None:
        if self.building != self._is_of_probe:
            self._is_of_probe = self.building
            self.picture.forget()  # what is seen is another thing: its picture is not kept until the new one is there
        super()._redraw(moving=moving)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the picture and what lies over it."""
        painter, t = QPainter(self), self._theme
        painter.fillRect(self.rect(), QColor(t.view))
        camera = self.camera
        if camera is not None:
            camera = self.picture.paint(painter)
        enlarge(painter)
        if camera is not None:
            paint_axes(painter, camera, t, room_of(self), None)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.building:
            assembly, pose, _ = self._probe()
            self._words.probe(painter, assembly, pose, camera)
        else:
            self._words.machine(painter, nothing_known=camera is None)
            self._words.task(painter)

    # Keys -----------------------------------------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Hold the joystick of the stand-in."""
        if self.machine.hands is None or self.building or not self._joystick.press(event):
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        """Let the joystick go."""
        if not self._joystick.release(event):
            super().keyReleaseEvent(event)

    def focusOutEvent(self, event: object) -> None:
        """Let the joystick go."""
        self._joystick.let_go()

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self.refresh()
