"""The Set-up page of the Devices bench: reference points, devices joined, checks."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from truegauge.app.stages.devices.setup.model import SetupModel, Task
from truegauge.app.widgets.bench import button, label, number_box, rule, say
from truegauge.app.widgets.parts import row
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.device_checks.records import Check


class SetupPage(QWidget):
    """One task at a time; its big words stand in the middle."""

    def __init__(self, model: SetupModel) -> None:
        super().__init__()
        self._model = model
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(7)
        self.device = QComboBox()
        self.device.setAccessibleName("device that is set up")
        self.device.activated.connect(self._on_device)
        self.doing, self.below = label("", "big", wrap=True), label("", "soft", wrap=True)
        self.hand = button("Let the hand do it", model.operator_touches)
        self.back = button("Take back", model.take_back)
        self.stop = button("Stop", model.stop)
        self.accept = button("Join it", model.join, main=True)
        for widget in (self.device, self.doing, self.below, self.accept, self.hand, row(self.back, self.stop)):
            column.addWidget(widget)
        column.addWidget(label("Reference points", "heading"))
        self.references = label("", "soft", wrap=True)
        self.measure = button("Measure reference points", partial(model.start, Task.REFERENCES))
        self.join = button("Join a device by them", partial(model.start, Task.JOIN))
        self.forget = button("Forget them", model.forget_references)
        for widget in (self.references, self.measure, self.join, self.forget):
            column.addWidget(widget)
        column.addWidget(rule())
        column.addWidget(label("Checks", "heading"))
        self.checks = {c: button(c.short, partial(model.start, c)) for c in Check}
        self.days = {}
        for check, made in self.checks.items():
            made.setToolTip(f"{check.called}. {check.how}")
            days = number_box(0, 3650, 0, suffix=" d", tip="Due again after so many days; 0: never")
            days.setAccessibleName(f"days until due: {check.called}")
            days.editingFinished.connect(partial(self._on_days, check))
            keep_size(days, width=62)
            self.days[check] = days
            column.addWidget(row(made, days))
        self.ball = number_box(1.0, 200.0, 4, suffix=" mm", tip="As its certificate says")
        keep_size(self.ball, width=112)
        self.ball.setValue(model.ball)
        self.ball.valueChanged.connect(self._on_ball)
        column.addWidget(row("Sphere", self.ball))
        column.addStretch()
        model.changed.connect(self.refresh)
        model.portable.changed.connect(self.refresh)

    def _on_device(self, index: int) -> None:
        lines = [line for line in self._model.portable.lines if line.has_tip]
        if index < len(lines):
            self._model.portable.choose(lines[index])

    def _on_days(self, check: Check) -> None:
        self._model.set_due_days(check, int(self.days[check].value()))

    def _on_ball(self, value: float) -> None:
        self._model.ball = value

    def refresh(self) -> None:
        """Show how it stands."""
        if not self.isVisible():
            return
        m = self._model
        lines = [line for line in m.portable.lines if line.has_tip]
        names = [line.device.own_identity for line in lines]
        if [self.device.itemText(k) for k in range(self.device.count())] != names:
            self.device.clear()
            self.device.addItems(names)
        if m.line is not None and m.line in lines:
            self.device.setCurrentIndex(lines.index(m.line))
        self.device.setVisible(bool(lines))
        doing, below = m.words()
        say(self.doing, doing)
        say(self.below, below)
        at_it = m.task is not None
        self.accept.setVisible(m.can_join())
        self.hand.setVisible(m.has_operator)
        for widget in (self.back, self.stop):
            widget.setVisible(at_it)
        self.measure.setText("Measure more" if m.references else "Measure reference points")
        for widget in (self.measure, self.join, *self.checks.values()):
            widget.setEnabled(not at_it)
        self.join.setVisible(len(m.references) >= 3)
        self.forget.setVisible(bool(m.references))
        placed = () if m.session.sample is None else m.session.sample.about.placed
        said = ["Seats beside the part, three or more: another device, or one that was moved, is joined by them."]
        if m.references:
            said = [f"{len(m.references)} seats: {', '.join(r.name for r in m.references)}"]
        say(self.references, "\n".join([*said, *(f"{p.device}: {p.by}" for p in placed)]))
        for check, days in self.days.items():
            days.setEnabled(m.line is not None)
            if m.line is not None and not days.hasFocus():
                days.setValue(m.book.record(m.line).due.of(check))

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self.refresh()
