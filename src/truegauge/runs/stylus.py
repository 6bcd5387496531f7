"""What a touch of a stylus means: from its last qualification."""

from datetime import datetime

import numpy as np

from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.records import MachineRecord, StateSaid, StylusState, state_of
from truegauge.core.samples.document import ProbedTouch
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm.words import MachineTouch


def stylus_on(cmm: Cmm, probing: Probing) -> StylusUse | None:
    """Return the stylus that touches now; None where nobody knows: which of a star, in which pose, is never guessed."""
    if cmm.use is not None and probing.has_stylus(cmm.use):
        return cmm.use
    own = next((a for a in probing.assemblies if a.name == cmm.mounted), None)
    styli = own.styli() if own is not None else ()
    if own is None or len(styli) != 1 or not cmm.turns:
        return None
    found = StylusUse(assembly=own.id, stylus=styli[0].id, pose=cmm.pose)
    return found if probing.has_stylus(found) else None


def styli_allowed(
    probing: Probing, record: MachineRecord, temperature_c: float | None, now: datetime
) -> frozenset[StylusUse]:  # fmt: skip
    """Return the styli of a plan that may measure now."""
    return frozenset(u for u in probing.uses() if Stylus(probing, record, u, temperature_c, now).allowed)


class Stylus:
    """Whether a stylus may measure, and what its touches mean: from its last qualification."""

    def __init__(
        self, probing: Probing, record: MachineRecord, use: StylusUse, temperature_c: float | None,
        now: datetime, speed: float | None = None,
    ) -> None:  # fmt: skip
        place = probing.assembly(use.assembly).stylus(use.stylus, use.pose)
        self.name = probing.name_of(use)
        known = record.latest(probing, use)
        self.said: StateSaid = state_of(known, now, temperature_c, probing.due, speed)
        self.allowed = self.said.may_measure or probing.allow_unqualified
        self.radius, self.offset = place.radius, np.zeros(3)
        if known is not None:
            self.radius, self.offset = max(known.diameter / 2, 0.0), np.array(known.offset)

    @property
    def why_not(self) -> str:
        """Say why nothing may be measured with it; empty when it may."""
        return "" if self.allowed else f"{self.name} is {self.said.state}: {self.said.why}"

    def touched(self, touch: MachineTouch, feature: str, row: int = -1) -> ProbedTouch:
        """Return what goes into the sample for a touch; `row` is the ring that it belongs to."""
        x, y, z = (float(v) for v in touch.place + self.offset)
        i, j, k = (float(v) for v in -touch.out)
        good = self.said.may_measure
        warning = self.said.why if self.said.state != StylusState.QUALIFIED or self.said.why else ""
        if not good:
            warning = f"{self.said.state}: {self.said.why}"
        return ProbedTouch(place=(x, y, z), approach=(i, j, k), radius=self.radius, feature=feature, stylus=self.name,
                           warning=warning, qualified=good, row=row)  # fmt: skip
