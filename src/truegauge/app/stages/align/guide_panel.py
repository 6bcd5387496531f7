"""The guide's part of the bench: with which device, begin and end, touches back, accept."""

from PySide6.QtWidgets import QVBoxLayout, QWidget

from truegauge.app.stages.align.guide import ENOUGH, GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.widgets.bench import Choice, button
from truegauge.core.plan.alignments import GuidedAlignment
from truegauge.core.registration.alignment import Alignment


class GuidePanel(QWidget):
    """What is done next: the bench shows it above the targets."""

    def __init__(self, align: AlignModel, guide: GuideModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._align, self._guide = align, guide
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(6)
        self.device = Choice()
        self.device.setAccessibleName("Device")
        self.device.activated.connect(lambda _: guide.choose_device(self.device.currentData()))
        self.run = button("Measure with a device", self._on_run, main=True)
        self.touch = button("Touch where it says  (Space)", guide.operator_touches)
        self.touch.setShortcut("Space")
        self.back = button("Take the last touch back", guide.take_back)
        self.redo = button("Measure all again", lambda: guide.measure_again(""))
        self.accept = button("Accept and put in force", self._on_accept)
        for widget in (self.device, self.run, self.touch, self.back, self.redo, self.accept):
            inside.addWidget(widget)

    def refresh(self, own: GuidedAlignment) -> None:
        """Show what can be done for an alignment now."""
        guide = self._guide
        running, there, offered = guide.running, guide.devices(), guide.device_offered()
        self.device.setVisible(len(there) > 1 and not running)
        rows = [(f"with {k.title}", k.key) for k in there]
        if [(self.device.itemText(k), self.device.itemData(k)) for k in range(self.device.count())] != rows:
            self.device.clear()
            for text, key in rows:
                self.device.addItem(text, key)
        if offered is not None:
            self.device.setCurrentIndex(self.device.findData(offered.key))
        title = "a device" if offered is None else offered.title
        self.run.setText("Stop measuring" if running else f"Measure with {title}")
        self.run.setEnabled(running or (offered is not None and len(own.targets) >= ENOUGH))
        self.touch.setVisible(running and guide.has_operator)
        self.touch.setEnabled(guide.current() is not None)
        touched = any(guide.count(t)[0] for t in own.targets)
        self.back.setVisible(touched)
        self.redo.setVisible(touched)
        self.accept.setVisible(isinstance(self._align.result, Alignment) and not self._align.is_in_force)

    def _on_run(self) -> None:
        if self._guide.running:
            self._guide.stop()
        else:
            self._guide.start_with()

    def _on_accept(self) -> None:
        self._guide.stop()
        self._align.put_in_force()
