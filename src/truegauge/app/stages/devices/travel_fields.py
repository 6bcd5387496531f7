"""How far the quill of a machine can go: six places, kept with the machine; with them no way leads beyond."""

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QWidget

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.widgets.bench import label
from truegauge.app.widgets.parts import LengthField

_ENDS = ("from", "to")


class TravelFields(QWidget):
    """The lowest and the highest place of each axis, machine coordinates; all empty: nobody said."""

    def __init__(self, model: DevicesModel) -> None:
        super().__init__()
        self._model = model
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        words = label("The lowest and the highest place of the quill: routes keep within.", "soft", wrap=True)
        grid.addWidget(words, 0, 0, 1, 3)
        self.fields: dict[tuple[str, int], LengthField] = {}
        for k, end in enumerate(_ENDS):
            grid.addWidget(label(end, "soft"), 1, 1 + k, Qt.AlignmentFlag.AlignRight)
        for j, axis in enumerate("XYZ"):
            grid.addWidget(label(axis), 2 + j, 0)
            for k, end in enumerate(_ENDS):
                what = f"the travel in {axis} {end}"
                field = LengthField(model.session, what, partial(self._on_typed, j, k), least=-1e6)
                field.setPlaceholderText("?")
                self.fields[axis, k] = field
                grid.addWidget(field, 2 + j, 1 + k)
        self._typed: dict[tuple[int, int], float] = {}

    def _on_typed(self, axis: int, end: int, value: float) -> None:
        self._typed[axis, end] = value
        if len(self._typed) < len(self.fields):
            return
        machine = self._model.machine
        t = self._typed
        for j, name in enumerate("XYZ"):
            if t[j, 0] >= t[j, 1]:
                self._model.session.notify(f"the travel in {name} must end above where it begins: it stays as it was")
                self.refresh()
                return
        low, high = (t[0, 0], t[1, 0], t[2, 0]), (t[0, 1], t[1, 1], t[2, 1])
        machine.set_record(machine.record.replace(travel=(low, high)))

    def refresh(self) -> None:
        """Show the travel of the machine."""
        travel = self._model.machine.record.travel
        if travel is None:
            if len(self._typed) == len(self.fields):
                self._typed = {}
                for field in self.fields.values():
                    field.clear()
            return
        for j, axis in enumerate("XYZ"):
            for k in range(2):
                self._typed[j, k] = float(travel[k][j])
                self.fields[axis, k].show_length(float(travel[k][j]))
