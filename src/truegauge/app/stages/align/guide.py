"""The guide: which target to touch next, and the touches that a device sends for it."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.shell.devices import DEVICES, DeviceKind
from truegauge.app.shell.shell import Shell
from truegauge.app.stages.align.model import AlignModel
from truegauge.core.errors import DeviceError
from truegauge.core.frames import apply
from truegauge.core.plan.alignments import GuidedAlignment, GuideTarget
from truegauge.core.registration.alignment import Alignment
from truegauge.core.registration.guided import TouchSide
from truegauge.core.samples.document import Touch
from truegauge.devices.protocol import Lost, Operated, PointBlock, PointDevice, Said, Wanted

_POLL_MS = 120
ENOUGH = 3  # targets


class GuideModel(QObject):
    """Runs while a guided alignment is measured; every touch goes into the sample at once."""

    changed = Signal()
    side_wanted = Signal(object)  # a direction (3,) from which the next target is seen

    def __init__(self, align: AlignModel, shell: Shell) -> None:
        super().__init__(shell)
        self._shell, self._chosen = shell, ""
        self.align = align
        self.device: PointDevice | None = None
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

    def current(self) -> tuple[GuideTarget, TouchSide, int] | None:
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
        from truegauge.core.evaluation.targets import SIDES

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
        return f"Touch {target.name} {times}", SIDES[side]

    # The device ----------------------------------------------------------------------------------------------------

    def devices(self) -> tuple[DeviceKind, ...]:
        """The devices that are there, the one that is offered first at the beginning."""
        return tuple(k for k in DEVICES.values() if k.is_there(self._shell))

    def device_offered(self) -> DeviceKind | None:
        """The device that is started when nothing else is said: the one chosen, while it is there."""
        there = self.devices()
        return next((k for k in there if k.key == self._chosen), there[0] if there else None)

    def choose_device(self, key: str) -> None:
        """Let a device be offered."""
        self._chosen = key
        self.changed.emit()

    def can_start(self, key: str) -> bool:
        """Whether targets can be measured with a device now."""
        own = self.own
        return own is not None and len(own.targets) >= ENOUGH and DEVICES[key].is_there(self._shell)

    def start_with(self, key: str = "") -> None:
        """Take points from a device, from the one offered without a key."""
        if key:
            self._chosen = key
        kind = self.device_offered()
        device = None if kind is None else kind.open(self._shell)
        if device is not None:
            self.start(device)

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
        for event in self.device.events():
            match event:
                case PointBlock():
                    self.take(event)
                case Said(words=words):
                    self.align.session.notify(words)
                case Lost(words=words):
                    self.stop()
                    self.align.session.notify(DeviceError(words))
                    return

    def take(self, block: PointBlock) -> None:
        """Put points, one after the other, to the targets that are wanted next."""
        if block.radius is None:
            self.align.session.notify(DeviceError("the touch does not count: the device does not know its tip"))
            return
        if self.device is None:
            return
        approach = np.zeros((len(block), 3)) if block.approach is None else block.approach
        for place, way in zip(block.places.tolist(), approach.tolist(), strict=True):
            following = self.current()
            if following is None:
                break
            made = Touch(
                target=following[0].name, place=tuple(place), side=following[1], radius=block.radius,
                approach=tuple(way),
            )  # fmt: skip
            self.align.session.document.set_touches((*self.touches, made), self.device.identity)
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
    def has_operator(self) -> bool:
        """Whether somebody made up touches where the guide says."""
        return isinstance(self.device, Operated) and self.device.has_operator

    def operator_touches(self) -> None:
        """Have the made-up operator of a stand-in touch where the guide says."""
        following = self.current()
        if following is not None and isinstance(self.device, Operated):
            target, side, _ = following
            number = sum(t.target == target.name for t in self.touches)
            from truegauge.core.evaluation.targets import wanted_on

            place, out = wanted_on(target, side, number)
            self.device.touch(Wanted(place, out, hand_free=target.kind != "surface"))
            self.poll()

    def place_in_part(self, touch: Touch) -> np.ndarray | None:
        """Return where a touch lies on the part by the chosen alignment; None before there is one."""
        result = self.align.result
        return apply(result.part_from_scan, np.array(touch.place)) if isinstance(result, Alignment) else None
