"""The stand-ins that this window starts: beside the part that is open, where a scan of it came from."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject

from truegauge.app.document.session import Session
from truegauge.core.frames import invert
from truegauge.core.plan.alignments import GuidedAlignment
from truegauge.core.registration.alignment import Alignment
from truegauge.demo.portable import Bench, bench_of
from truegauge.devices.arm_sim.arm import ArmStandIn
from truegauge.devices.gauge_sim.gauge import GaugeStandIn
from truegauge.devices.scanner_sim.scanner import ScannerStandIn


class Stands(QObject):
    """Keeps them: the part stays where it stands between two runs."""

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._bench: Bench | None = None
        self._gauge: GaugeStandIn | None = None

    @property
    def is_possible(self) -> bool:
        """Whether there is a part that they can measure."""
        evaluator = self._session.evaluator
        return evaluator is not None and evaluator.can_pick

    def arm(self) -> ArmStandIn | None:
        """The arm beside the part that is open."""
        found = self.get("arm")
        return found if isinstance(found, ArmStandIn) else None

    def get(self, kind: str) -> ArmStandIn | ScannerStandIn | GaugeStandIn | None:
        """Return a stand-in of a kind, started where it is not there; None where there is no part to measure."""
        if kind == "gauge":
            if self._gauge is None:
                self._gauge = GaugeStandIn(27)
            return self._gauge
        evaluator = self._session.evaluator
        if evaluator is None or not evaluator.can_pick:
            return None
        if self._bench is None or not self.is_of_part():
            self.leave_part()
            self._bench = bench_of(evaluator.model, evaluator.projector, self._session.document.part_content,
                                   device_from_part=self._device_from_part())  # fmt: skip
        if kind == "scanner":
            return self._bench.scanner()
        return self._bench.tracker() if kind == "tracker" else self._bench.arm()

    def is_of_part(self) -> bool:
        """Whether they stand beside the part that is open now."""
        evaluator = self._session.evaluator
        return self._bench is not None and evaluator is not None and self._bench.projector is evaluator.projector

    def leave_part(self) -> None:
        """Let go of those that measure a part which is not open any more."""
        if self._bench is not None and not self.is_of_part():
            self._bench.close()
            self._bench = None

    def close(self) -> None:
        """Let go of all."""
        for one in (self._bench, self._gauge):
            if one is not None:
                one.close()
        self._bench = self._gauge = None

    def _device_from_part(self) -> np.ndarray | None:
        """Where the part stands: a scan of the sample came from the same device; None for anywhere."""
        evaluation, plan = self._session.evaluation, self._session.plan
        force = None if evaluation is None else evaluation.alignments.get(plan.in_force)
        by_itself = any(a.id == plan.in_force and isinstance(a, GuidedAlignment) for a in plan.alignments)
        if by_itself or not isinstance(force, Alignment) or not force.trusted:
            return None
        return invert(force.part_from_scan)
