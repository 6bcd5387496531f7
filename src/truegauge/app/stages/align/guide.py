"""The guide: which target to touch next, and the touches that a device sends for it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.stages.align.model import AlignModel
from truegauge.core.errors import DeviceError
from truegauge.core.frames import apply, invert
from truegauge.core.plan.alignments import GuidedAlignment, GuideTarget
from truegauge.core.registration.alignment import Alignment
from truegauge.core.samples.document import Touch
from truegauge.devices.protocol import DevicePoint, PointDevice

if TYPE_CHECKING:
    from truegauge.app.stages.devices.machine_for_guide import MachineForGuide
    from truegauge.devices.demo_arm import DemoArm

_POLL_MS = 120
_SIDES = {"surface": "on the surface", "face": "on the face around the hole", "wall": "in the hole, on its wall"}
_DEMO_DEPTH = 3.0  # mm that the demo arm reaches into a hole


class GuideModel(QObject):
    """Runs while a guided alignment is measured; every touch goes into the sample at once."""

    changed = Signal()
    side_wanted = Signal(object)  # a direction (3,) from which the next target is seen

    def __init__(self, align: AlignModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.align = align
        self.device: PointDevice | None = None
        self._demo: DemoArm | None = None
        self.machine: MachineForGuide | None = None
        self._timer = QTimer(self)
        self._timer.setInterval(_POLL_MS)
        self._timer.timeout.connect(self.poll)
        self._shown: tuple[str, str] | None = None
        self.changed.connect(self._show_target)
        align.changed.connect(self.changed)
        align.session.document.sample_changed.connect(self.changed)

    @property
    def own(self) -> GuidedAlignment | None:
        """The guided alignment chosen in the list, if it is one."""
        own = self.align.own
        return own if isinstance(own, GuidedAlignment) else None

    @property
    def running(self) -> bool:
        """Whether a device is connected."""
        return self.device is not None

    @property
    def touches(self) -> tuple[Touch, ...]:
        """All touches of the sample."""
        sample = self.align.session.sample
        return sample.touches if sample is not None else ()

    def count(self, target: GuideTarget) -> tuple[int, int]:
        """Return how many touches a target has, and how many it needs."""
        from truegauge.core.registration.guided import NEEDED

        there = sum(t.target == target.name for t in self.touches)
        return there, sum(n for _, n in NEEDED[target.kind])

    def current(self) -> tuple[GuideTarget, str, int] | None:
        """Return the target to touch next, on which side, and how many touches are missing there; None when done."""
        from truegauge.core.nodes.aligning import target_of, touches_of
        from truegauge.core.registration.guided import still_needed

        own = self.own
        for target in own.targets if own else ():
            needed = still_needed(target_of(target), touches_of(target.name, self.touches))
            if needed is not None:
                return target, needed[0], needed[1]
        return None

    def _show_target(self) -> None:
        """Ask for a view of the next target's side, once for each."""
        following = self.current() if self.running else None
        now = None if following is None else (following[0].name, following[1])
        if now != self._shown:
            self._shown = now
            if following is not None:
                self.side_wanted.emit(np.array(following[0].direction))

    def text(self) -> tuple[str, str]:
        """Return what to do next in a few big words, and the line below them."""
        own, following = self.own, self.current()
        if own is None or not own.targets:
            return (
                "Pick targets on the part",
                "holes, balls or places on its surface; at least three",
            )
        if following is None:
            return "All targets are measured", "accept, or measure poor targets again"
        target, side, missing = following
        times = "once" if missing == 1 else f"{missing} times"
        return f"Touch {target.name} {times}", _SIDES[side]

    # The device ----------------------------------------------------------------------------------------------------

    def start(self, device: PointDevice) -> None:
        """Take points from a device."""
        self.stop()
        try:
            device.connect()
        except DeviceError as error:
            self.align.session.notify(error)
            return
        self.device = device
        self.align.set_picking(False)
        self._timer.start()
        self.changed.emit()

    def start_demo(self) -> None:
        """Take points from the stand-in arm."""
        from truegauge.devices.demo_arm import DemoArm

        evaluator = self.align.session.evaluator
        if evaluator is not None and evaluator.can_pick:
            if self._demo is None or self._demo.projector is not evaluator.projector:
                # Kept: the part stays where it stands between two runs. A scan of the sample came from the same device.
                self._demo = DemoArm(evaluator.projector, self._device_from_part())
            self.start(self._demo)

    def _device_from_part(self) -> np.ndarray | None:
        force = self.align.result_of(self.align.session.plan.in_force)
        known = isinstance(force, Alignment) and force.trusted and not self.align.is_in_force
        return invert(force.part_from_scan) if known and isinstance(force, Alignment) else None

    def stop(self) -> None:
        """Give the device back."""
        self._timer.stop()
        if self.device is not None:
            self.device.close()
            self.device = None
            self.changed.emit()

    def poll(self) -> None:
        """Take what the device measured since the last time; a lost device stops the guide and loses nothing."""
        if self.device is None:
            return
        try:
            points = self.device.poll()
        except DeviceError as error:
            self.stop()
            self.align.session.notify(error)
            return
        for point in points:
            self.take(point)

    def take(self, point: DevicePoint) -> None:
        """Put a point to the target that is wanted next."""
        following = self.current()
        if following is None:
            return
        target, side, _ = following
        x, y, z = (float(v) for v in point.place)
        i, j, k = (0.0, 0.0, 0.0) if point.approach is None else (float(v) for v in point.approach)
        touch = Touch(
            target=target.name, place=(x, y, z), side=side, radius=point.radius, approach=(i, j, k)  # type: ignore[arg-type]
        )  # fmt: skip
        self.align.session.document.set_touches((*self.touches, touch))
        self.changed.emit()

    def take_back(self) -> None:
        """Forget the last touch."""
        own = self.own
        names = {t.name for t in own.targets} if own else set()
        last = next((i for i in range(len(self.touches) - 1, -1, -1) if self.touches[i].target in names), None)
        if last is not None:
            self.align.session.document.set_touches(self.touches[:last] + self.touches[last + 1 :])
            self.changed.emit()

    def measure_again(self, name: str) -> None:
        """Forget the touches of a target (all targets without a name), so that it comes up again."""
        own = self.own
        names = {t.name for t in own.targets} if own and not name else {name}
        self.align.session.document.set_touches(tuple(t for t in self.touches if t.target not in names))
        self.changed.emit()

    @property
    def has_machine(self) -> bool:
        """Whether a machine is connected."""
        return self.machine is not None and self.machine.is_there

    @property
    def has_operator(self) -> bool:
        """Whether somebody made up touches where the guide says."""
        return self.device is self._demo or (self.machine is not None and self.machine.has_operator)

    def start_what_is_there(self) -> None:
        """Take points from the machine if one is connected, else from the stand-in arm."""
        if self.machine is not None and self.has_machine:
            self.start(self.machine)
        else:
            self.start_demo()

    def demo_touch(self) -> None:
        """Have the demo arm's operator touch where the guide says."""
        following, arm = self.current(), self._demo
        if following is None or self.device is None:
            return
        if self.machine is not None and self.device is self.machine:
            self.machine.touch_target(following[0])
            return
        if arm is None or self.device is not arm:
            return
        target, side, _ = following
        place, direction = np.array(target.place), np.array(target.direction)
        number = sum(t.target == target.name for t in self.touches)
        across = _ring(direction, number)
        if target.kind == "sphere":
            arm.touch(place + target.diameter / 2 * across, across)
        elif side == "face":
            arm.touch(place + (target.diameter / 2 + 2.5) * across, direction)
        elif side == "wall":
            arm.touch(place + target.diameter / 2 * across - _DEMO_DEPTH * direction, -across)
        else:
            arm.touch(place, direction)
        self.poll()

    def place_in_part(self, touch: Touch) -> np.ndarray | None:
        """Return where a touch lies on the part by the chosen alignment; None before there is one."""
        result = self.align.result
        return apply(result.part_from_scan, np.array(touch.place)) if isinstance(result, Alignment) else None


def _ring(direction: np.ndarray, number: int) -> np.ndarray:
    """Return directions around an axis, a third of a turn apart, and half of that later on."""
    from truegauge.core.arrays import any_perpendicular

    x = any_perpendicular(direction)
    y = np.cross(direction, x)
    angle = 2 * np.pi * number / 3 + 0.5 * (number // 3)
    return np.asarray(np.cos(angle) * x + np.sin(angle) * y)
