"""The Check page: what the machine is checked with, the step gauge by its certificate, and the run."""

from PySide6.QtWidgets import QCheckBox, QLineEdit, QProgressBar, QVBoxLayout, QWidget

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.unit_box import UnitBox
from truegauge.app.widgets.bench import button, label, number_box, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import row
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.probing.length_standard import BY_HAND
from truegauge.core.probing.machine_check import LENGTHS, REPEATS, SPHERE_TOUCHES
from truegauge.drawing.units import NumberFormat

_NUMBERS = (("Blocks are long", "block", 1.0, 500.0, 3), ("wide", "width", 1.0, 200.0, 1),
            ("high over the bar", "height", 1.0, 200.0, 1), ("The bar is high", "bar", 1.0, 300.0, 1),
            ("Uncertainty (k = 1)", "uncertainty", 0.0, 1.0, 4))  # fmt: skip


class CheckPage(QWidget):
    """A guided check by the user, kept with the machine."""

    def __init__(self, model: DevicesModel) -> None:
        super().__init__()
        self._model, self._machine, self._checking = model, model.machine, model.checking
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.sphere = QCheckBox("reference sphere: form and size")
        self.gauge = QCheckBox(f"step gauge: {LENGTHS} lengths, {REPEATS} times")
        for box, name in ((self.sphere, "sphere"), (self.gauge, "gauge")):
            box.setToolTip(
                f"{SPHERE_TOUCHES} touches (ISO 10360-5)" if name == "sphere" else "along one line (ISO 10360-2)"
            )
            box.clicked.connect(lambda on, n=name: self._choose(n, bool(on)))
            column.addWidget(box)
        column.addWidget(self._gauge_fold())
        self.stated = label("", "soft", wrap=True)
        self.words = label("", "", wrap=True)
        column.addWidget(self.stated)
        column.addWidget(self.words)
        self.start = button("Check the machine", self._checking.check, main=True)
        self.operator = button("Let the operator touch it", self._on_operator)
        self.go_on = button("Go on", self._checking.go_on, main=True)
        self.skip = button("Leave it out", self._checking.skip)
        self.give_up = button("Stop", self._checking.give_up)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        for widget in (self.start, self.operator, self.go_on, self.skip, self.progress, self.give_up):
            column.addWidget(widget)
        column.addStretch(1)

    def _gauge_fold(self) -> Fold:
        self.fold = Fold("Step gauge")
        self.name, self.certificate, self.lengths = QLineEdit(), QLineEdit(), QLineEdit()
        for field, words, key in ((self.name, "Name", "name"), (self.certificate, "Certificate", "certificate")):
            field.setAccessibleName(f"{key} of the step gauge")
            field.editingFinished.connect(lambda f=field, k=key: self._set(k, f.text().strip()))
            self.fold.column.addWidget(row(words, field))
        self.lengths.setAccessibleName("lengths of the step gauge")
        self.lengths.setToolTip("From the first face to the last face of each block, mm at 20 °C, with spaces")
        self.lengths.editingFinished.connect(self._on_lengths)
        self.fold.column.addWidget(row("Lengths, mm", self.lengths))
        self._boxes: list[tuple[UnitBox, str]] = []
        for words, name, low, high, decimals in _NUMBERS:
            made = UnitBox(self._model.session, low, high, decimals, " mm")
            made.widget.setAccessibleName(f"{name} of the step gauge")
            keep_size(made.widget, width=96)
            made.widget.valueChanged.connect(lambda shown, b=made, n=name: self._set(n, b.value_of(shown)))
            self._boxes.append((made, name))
            self.fold.column.addWidget(row(words, made.widget))
        self.expansion = number_box(0, 100, 2, tip="Expansion of the gauge, micrometres a metre and kelvin")
        self.expansion.setAccessibleName("expansion of the step gauge")
        self.expansion.valueChanged.connect(lambda shown: self._set("expansion", round(shown * 1e-6, 10)))
        self.fold.column.addWidget(row("Expansion, µm/(m K)", self.expansion))
        return self.fold

    def _choose(self, name: str, on: bool) -> None:
        setattr(self._checking, name, on)
        self.refresh()

    def _set(self, name: str, value: object) -> None:
        if value != getattr(self._model.probing.gauge, name):
            self._model.change_part("gauge", f"change {name} of the step gauge", **{name: value})

    def _on_lengths(self) -> None:
        try:
            found = tuple(float(word) for word in self.lengths.text().replace(";", " ").replace(",", ".").split())
        except ValueError:
            self._model.session.notify(f"{self.lengths.text()!r} are no lengths: numbers in mm, with spaces")
            return
        self._set("lengths", found)

    def _on_operator(self) -> None:
        state = self._checking.run_state
        if state is not None:
            number = next((k for k, (words, _) in enumerate(BY_HAND) if words in state.text), 0)
            self._machine.do("touch gauge", number=number)

    def refresh(self) -> None:
        """Show what can be done, and the run."""
        m, machine, checking = self._model, self._machine, self._checking
        gauge, state = m.probing.gauge, checking.run_state
        self.sphere.setChecked(checking.sphere)
        self.gauge.setChecked(checking.gauge)
        self.fold.setVisible(checking.gauge)
        lengths = " ".join(f"{v:.10g}" for v in gauge.lengths)
        for field, text in ((self.name, gauge.name), (self.certificate, gauge.certificate), (self.lengths, lengths)):
            if not field.hasFocus():  # what is being typed stays
                field.setText(text)
                field.setCursorPosition(0)  # a long list is read from its beginning
        self.expansion.blockSignals(True)
        self.expansion.setValue(1e6 * gauge.expansion)
        self.expansion.blockSignals(False)
        for box, name in self._boxes:
            box.widget.blockSignals(True)
            box.show_value(float(getattr(gauge, name)))
            box.widget.blockSignals(False)
        device, numbers = m.session.plan.device, NumberFormat(m.session.plan.unit, 4)
        say(self.stated, (
            f"Stated: {numbers.value(device.probing)} {numbers.unit} on a sphere, lengths "
            f"{numbers.value(device.constant)} {numbers.unit} + {device.per_metre:.3g} mm in a metre."
            if device.stated else
            "The plan states no errors of the device (Measure, Rules): there is nothing to judge by."
        ))  # fmt: skip
        running = machine.busy and state is not None
        able = machine.connected and machine.homed and not machine.busy and (checking.sphere or checking.gauge)
        self.start.setVisible(state is None)
        self.start.setEnabled(able)
        words = ""
        if state is None:
            if not machine.connected:
                words = "Connect to a machine to check it."
            elif not machine.homed:
                words = "Home the machine first."
            elif checking.gauge:
                words = "Lay the step gauge on the table; five touches by joystick tell where it lies."
                if machine.known().unlocated:
                    words += " The part is not located: keep its surroundings free of it."
        elif state.text:
            words = state.text[:1].upper() + state.text[1:] + "."
        elif state.stopped and not machine.busy:
            words = "It stands still: free the probe, if it must be, then go on."
        elif state.of:
            words = f"Touch {state.done} of {state.of}."
        say(self.words, words)
        self.operator.setVisible(state is not None and bool(state.text) and machine.hands is not None)
        stands = state is not None and bool(state.stopped) and not machine.busy
        self.go_on.setVisible(stands)
        self.skip.setVisible(stands)
        self.give_up.setVisible(state is not None)
        self.progress.setVisible(running)
        self.progress.setValue(round(100 * machine.queue.busy_fraction))
