"""The part that is run next: its names, whether it was measured before, and where it lies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.measure.running.taking import pose_known, sample_of
from truegauge.core.samples.document import SampleData
from truegauge.core.samples.sample import Sample
from truegauge.core.samples.serials import counted_on

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid
    from truegauge.core.evaluation.choice import Choice

_NAMELESS = ("", "Touches", "Run")


class PartToRun:
    """What the operator says of it."""

    def __init__(self, machine: MachineModel) -> None:
        self._machine = machine
        self.serial = self.operator = ""
        self.is_again = False  # measured again, or on; else it is a new one
        self.as_before = False  # what only tells where the part lies is taken over
        self.in_original_order = False  # this once

    def suit(self, choice: Choice) -> None:
        """Begin with what is usual for a choice."""
        sample = sample_of(self._machine)
        touched = sample is not None and bool(sample.probed or sample.touches)
        # Touches by hand that locate a part belong to it; so do those that some features are measured again beside.
        self.is_again = touched and (not choice.is_all or not self.can_be_again())
        self.as_before = self.in_original_order = False
        if self.is_again and sample is not None:
            self.serial, self.operator = sample.about.serial, sample.about.operator or self.operator

    def count_on(self) -> None:
        """The next one of the same."""
        self.serial, self.is_again, self.in_original_order = counted_on(self.serial), False, False

    def pose(self) -> Rigid | None:
        """Return where it lies, nearly enough: by this sample's alignment, or by the part before it."""
        return pose_known(self._machine)

    def can_be_again(self) -> bool:
        """Whether the sample that is open was measured, and can be again."""
        sample = sample_of(self._machine)
        return sample is not None and bool(sample.probed)

    def can_take_over(self, choice: Choice | None) -> bool:
        """Whether there are touches of a part before, to tell where this one lies."""
        return choice is not None and not choice.is_all and not self.is_again and self.can_be_again()

    def has_original_order(self) -> bool:
        """Whether the route had another order before it was made shorter."""
        return bool(self._machine.session.plan.route.original)

    def sample(self, before: Sample | None, piece: str = "") -> Sample:
        """Return the sample of it: the one `before` when it is measured again, else a new one without touches.

        `piece` says which of several it is, where it has no serial number.
        """
        if self.is_again and before is not None:
            name = self.serial if before.about.name in _NAMELESS and self.serial else before.about.name
            return before.saying(name=name, serial=self.serial, operator=self.operator)
        now = self._machine.now()
        name = self.serial or f"{self._machine.session.plan.name} {now:%Y-%m-%d %H.%M}{piece}"
        about = SampleData(name=name, serial=self.serial, operator=self.operator, device=self._machine.machine,
                           measured_at=now.isoformat(timespec="seconds"))  # fmt: skip
        return Sample.of(about)
