"""The demo arm, as long as no real one is connected."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject

from truegauge.app.document.session import Session
from truegauge.app.shell.devices import DeviceKind
from truegauge.app.shell.shell import Shell
from truegauge.core.frames import invert
from truegauge.core.plan.alignments import GuidedAlignment
from truegauge.core.registration.alignment import Alignment
from truegauge.devices.demo_arm import DemoArm


class ArmStand(QObject):
    """Keeps the arm: the part stays where it stands between two runs."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._arm: DemoArm | None = None

    @property
    def is_there(self) -> bool:
        """Whether there is a part that it can touch."""
        evaluator = self._session.evaluator
        return evaluator is not None and evaluator.can_pick

    def arm(self) -> DemoArm | None:
        """The arm beside the part that is open."""
        evaluator = self._session.evaluator
        if evaluator is None or not evaluator.can_pick:
            return None
        if self._arm is None or self._arm.projector is not evaluator.projector:
            self._arm = DemoArm(evaluator.projector, self._device_from_part())
        return self._arm

    def _device_from_part(self) -> np.ndarray | None:
        """Where the part stands: a scan of the sample came from the same device; None for anywhere."""
        evaluation, plan = self._session.evaluation, self._session.plan
        force = None if evaluation is None else evaluation.alignments.get(plan.in_force)
        by_itself = any(a.id == plan.in_force and isinstance(a, GuidedAlignment) for a in plan.alignments)
        if by_itself or not isinstance(force, Alignment) or not force.trusted:
            return None
        return invert(force.part_from_scan)


def _stand(shell: Shell) -> ArmStand:
    return shell.once(ArmStand, lambda: ArmStand(shell.session, shell))


ARM = DeviceKind(
    key="demo-arm", title="the demo arm", is_there=lambda shell: _stand(shell).is_there,
    open=lambda shell: _stand(shell).arm(),
)  # fmt: skip
