"""The sound of a readout: of the first in the plan that wants one."""

from __future__ import annotations

from PySide6.QtCore import QObject

from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.widgets.tone import Tone
from truegauge.core.evaluation.readouts import Told


class ReadoutSound(QObject):
    """Sounds while a readout of the plan wants it and there is something to tell."""

    def __init__(self, portable: PortableModel, parent: QObject | None = None, tone: Tone | None = None) -> None:
        super().__init__(parent)
        self._portable, self.tone = portable, tone or Tone()
        self._said = False
        portable.moved.connect(self.refresh)
        portable.changed.connect(self.refresh)
        portable.session.document.plan_changed.connect(self.refresh)

    def refresh(self) -> None:
        """Sound for what is read now."""
        wants = next((r for r in self._portable.session.plan.readouts if r.sound), None)
        if wants is None or self._portable.arm is None:
            self.tone.stop()
            return
        if not self.tone.is_possible:
            if not self._said:
                self._said = True
                self._portable.session.notify("no program that plays sound is installed: alsa-utils has one")
            return
        told = self._portable.told(wants)
        share = None
        if isinstance(told, Told) and told.lower is not None and told.upper is not None:
            middle, half = (told.lower + told.upper) / 2, max((told.upper - told.lower) / 2, 1e-9)
            share = (told.value - middle) / half
        self.tone.start()
        self.tone.tell(share)

    def close(self) -> None:
        """Be silent."""
        self.tone.stop()
