"""The stand-in for an arm, as long as no real one is connected: on a line of its own, beside the part that is open."""

from __future__ import annotations

import time

import numpy as np
from PySide6.QtCore import QObject

from truegauge.app.document.session import Session
from truegauge.app.shell.devices import DeviceKind
from truegauge.app.shell.shell import Shell
from truegauge.core.frames import invert
from truegauge.core.plan.alignments import GuidedAlignment
from truegauge.core.registration.alignment import Alignment
from truegauge.demo.arm import arm_before
from truegauge.devices.arm_sim.arm import ArmStandIn
from truegauge.devices.live.device import LiveDevice
from truegauge.devices.protocol import Wanted

_COMES_S = 1.0  # in which a touch is on this side of the line


class StandInArm(LiveDevice):
    """A line to a stand-in that this window has started; its hand touches what is wanted."""

    def __init__(self, stand_in: ArmStandIn) -> None:
        super().__init__("127.0.0.1", stand_in.port)
        self.stand_in = stand_in

    @property
    def has_operator(self) -> bool:
        """Whether somebody touches what is wanted: yes."""
        return True

    def touch(self, wanted: Wanted) -> None:
        """Let the hand touch; the point comes by `events`."""
        seq = self.stand_in.touch(wanted.place, wanted.out)
        end = time.monotonic() + _COMES_S
        while seq is not None and not self.has(seq) and time.monotonic() < end:
            time.sleep(0.002)


class ArmStand(QObject):
    """Keeps the stand-in: the part stays where it stands between two runs."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._arm: ArmStandIn | None = None

    @property
    def is_there(self) -> bool:
        """Whether there is a part that it can touch."""
        evaluator = self._session.evaluator
        return evaluator is not None and evaluator.can_pick

    def arm(self) -> StandInArm | None:
        """The arm beside the part that is open."""
        evaluator = self._session.evaluator
        if evaluator is None or not evaluator.can_pick:
            return None
        if self._arm is None or self._arm.world.part.projector is not evaluator.projector:
            self.close()
            self._arm = arm_before(evaluator.model, evaluator.projector, self._session.document.part_content,
                                   device_from_part=self._device_from_part())  # fmt: skip
        return StandInArm(self._arm)

    def close(self) -> None:
        """Let go of it."""
        arm, self._arm = self._arm, None
        if arm is not None:
            arm.close()

    def _device_from_part(self) -> np.ndarray | None:
        """Where the part stands: a scan of the sample came from the same device; None for anywhere."""
        evaluation, plan = self._session.evaluation, self._session.plan
        force = None if evaluation is None else evaluation.alignments.get(plan.in_force)
        by_itself = any(a.id == plan.in_force and isinstance(a, GuidedAlignment) for a in plan.alignments)
        if by_itself or not isinstance(force, Alignment) or not force.trusted:
            return None
        return invert(force.part_from_scan)


def stand(shell: Shell) -> ArmStand:
    """The stand-in of a window."""
    return shell.once(ArmStand, lambda: ArmStand(shell.session, shell))


ARM = DeviceKind(
    key="demo-arm", title="the demo arm", is_there=lambda shell: stand(shell).is_there,
    open=lambda shell: stand(shell).arm(),
)  # fmt: skip
