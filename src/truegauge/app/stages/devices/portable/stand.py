"""The stand-in for an arm that this window starts: beside the part that is open, where a scan of it came from."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject

from truegauge.app.document.session import Session
from truegauge.core.frames import invert
from truegauge.core.plan.alignments import GuidedAlignment
from truegauge.core.registration.alignment import Alignment
from truegauge.demo.arm import arm_before
from truegauge.devices.arm_sim.arm import ArmStandIn


class ArmStand(QObject):
    """Keeps it: the part stays where it stands between two runs."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.started: ArmStandIn | None = None

    @property
    def is_possible(self) -> bool:
        """Whether there is a part that it can touch."""
        evaluator = self._session.evaluator
        return evaluator is not None and evaluator.can_pick

    def arm(self) -> ArmStandIn | None:
        """The arm beside the part that is open."""
        evaluator = self._session.evaluator
        if evaluator is None or not evaluator.can_pick:
            return None
        if not self.is_of_part():
            self.close()
            self.started = arm_before(evaluator.model, evaluator.projector, self._session.document.part_content,
                                      device_from_part=self._device_from_part())  # fmt: skip
        return self.started

    def is_of_part(self) -> bool:
        """Whether it stands beside the part that is open now."""
        evaluator = self._session.evaluator
        here = self.started
        return here is not None and evaluator is not None and here.world.part.projector is evaluator.projector

    def close(self) -> None:
        """Let go of it."""
        arm, self.started = self.started, None
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
