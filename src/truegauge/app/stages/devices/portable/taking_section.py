"""How points are taken beside the button of the device, on the Portable page."""

from PySide6.QtCore import QTimer
from PySide6.QtGui import QKeySequence
from PySide6.QtWidgets import QKeySequenceEdit, QVBoxLayout, QWidget

from truegauge.app.stages.devices.portable.taking import TakingModel
from truegauge.app.widgets.bench import number_box
from truegauge.app.widgets.parts import choice, choose, row
from truegauge.core.probing.taking import Way

WAYS = ((Way.BUTTON.value, "by the button or the key"), (Way.REST.value, "by itself, where the tip rests"),
        (Way.DISTANCE.value, "every so far, while held"), (Way.TIME.value, "every so often, while held"))  # fmt: skip


class TakingSection(QWidget):
    """Seen while features are measured by hand."""

    def __init__(self, taking: TakingModel) -> None:
        super().__init__()
        self._taking = taking
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.way = choice(WAYS, lambda key: taking.set_way(Way(key)), "how points are taken")
        self.distance = number_box(0.1, 100.0, 1, suffix=" mm", tip="Between two points, while button or key is held")
        self.seconds = number_box(0.05, 60.0, 2, suffix=" s", tip="Between two points, while button or key is held")
        self.rest = number_box(0.2, 5.0, 1, suffix=" s", tip="That the tip must rest")
        for box, name in ((self.distance, "distance of points"), (self.seconds, "time between points"),
                          (self.rest, "time that the tip rests")):  # fmt: skip
            box.setAccessibleName(name)
            box.valueChanged.connect(self._on_numbers)
        self.key = QKeySequenceEdit()
        self.key.setMaximumSequenceLength(1)
        self.key.setAccessibleName("key that takes a point")
        self.key.setToolTip("Any key: a foot switch sends one")
        self.key.editingFinished.connect(self._on_key)
        for widget in (self.way, row(self.distance, self.seconds, self.rest), row("Key or foot switch", self.key)):
            column.addWidget(widget)
        taking.changed.connect(self._show)
        self._show()

    def _on_numbers(self) -> None:
        self._taking.set_numbers(self.distance.value(), self.seconds.value(), self.rest.value())

    def _on_key(self) -> None:
        self._taking.set_key(self.key.keySequence().toString())
        QTimer.singleShot(0, self.key, self.key.clearFocus)

    def _show(self) -> None:
        taker = self._taking.taker
        choose(self.way, taker.way.value)
        for box, value, way in ((self.distance, taker.distance, Way.DISTANCE), (self.seconds, taker.seconds, Way.TIME),
                                (self.rest, taker.rest_s, Way.REST)):  # fmt: skip
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)
            box.setVisible(taker.way is way)
        self.key.setKeySequence(QKeySequence(self._taking.key))
