"""The touches of the Measure stage: live count and form, by hand or by machine."""

from PySide6.QtWidgets import QProgressBar, QVBoxLayout, QWidget

from truegauge.app.stages.devices.touch_model import TouchModel
from truegauge.app.widgets.bench import button, label, number_box, say
from truegauge.app.widgets.parts import row
from truegauge.app.widgets.text_size import keep_size
from truegauge.drawing.units import NumberFormat


class TouchPanel(QWidget):
    """Shown while a machine is connected, or the sample is one of touches."""

    def __init__(self, model: TouchModel) -> None:
        super().__init__()
        self._model, self._machine, self.session = model, model.machine, model.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 2)
        column.setSpacing(5)
        self.count = label("", "big")
        self.form = label("", "soft", wrap=True)
        self.hand = button("Touch by hand", lambda: model.set_by_hand(not model.by_hand))
        self.hand.setCheckable(True)
        self.run = button("Touch by machine", model.touch_by_machine, main=True)
        self.back = button("Take back", model.take_back)
        self.back.setToolTip("Forget the last touch")
        self.again = button("Again", model.touch_again)
        self.suggestion = label("", "", wrap=True)
        self.assign = button("It is this feature", self._on_assign)
        self.go_on = button("Go on", model.go_on, main=True)
        self.skip = button("Skip the feature", model.skip)
        self.stop = button("Stop", model.give_up)
        self.note = label("", "soft", wrap=True)
        self.warning = label("", "bad", wrap=True)
        self.touches, self.rows = number_box(1, 500, 0), number_box(1, 50, 0)
        for box, name in ((self.touches, "touches"), (self.rows, "rows")):
            box.setAccessibleName(f"{name} by machine")
            keep_size(box, width=58)
            box.valueChanged.connect(lambda value, n=name: self._on_number(n, int(value)))
        self.numbers_row = row("Touches", self.touches, "rows", self.rows)
        self._filling = False
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        for widget in (
            self.count, self.form, self.run, self.numbers_row,
            self.hand, row(self.back, self.again), self.suggestion, self.assign,
            self.note, self.warning, self.progress, self.go_on, self.skip, self.stop,
        ):  # fmt: skip
            column.addWidget(widget)
        model.changed.connect(self._on_changed)

    def _on_changed(self) -> None:
        holder = self.parentWidget()
        if holder is not None and holder.isVisible():
            self.refresh()

    def _on_number(self, name: str, value: int) -> None:
        now = dict(zip(("touches", "rows"), self._model.asked(), strict=True))
        if not self._filling and value != now[name]:
            self._model.ask_for(**{name: value})

    def _on_assign(self) -> None:
        self._model.assign(() if self._model.feature() is not None else self._model.face_touched())

    def refresh(self) -> None:
        """Show what is touched."""
        m, s = self._model, self.session
        there = self._machine.cmm is not None or bool(m.probed)
        self.setVisible(there)
        if not there:
            return
        numbers = NumberFormat(s.plan.unit, s.plan.decimals)
        feature = m.feature()
        running = m.job is not None
        counted = m.count(feature.id) if feature is not None else len(m.probed)
        if running and m.visit is not None:
            counted = m.count_in_run(m.visit.feature.id)
        self.count.setText(f"{counted} touch{'es' if counted != 1 else ''}")
        form = m.form()
        if running and m.visit is not None:
            text = f"{m.visit.feature.name}: {len(m.visit.places)} touches, {m.visit.use.pose}"
        elif feature is not None:
            text = feature.name + (f": form {numbers.value(form)} {numbers.unit}" if form is not None else "")
        else:
            text = "in the whole sample" if m.probed else "select a feature, or touch and be told what it may be"
        self.form.setText(text)
        why = m.why_not_by_machine()
        self.run.setVisible(not running)
        self.run.setEnabled(not why)
        count = len(m.wanted())
        chosen = feature is not None or bool(s.selection.features())
        self.run.setText("Touch by machine" if chosen else f"Touch {count} by machine")
        self.run.setToolTip(f"{count} feature{'s' if count != 1 else ''}")
        self._filling = True
        touches, rows = m.asked()
        self.numbers_row.setVisible(touches > 0 and not running)
        self.touches.setValue(touches)
        self.rows.setValue(max(1, rows))
        self.rows.setEnabled(rows > 0)
        self._filling = False
        self.hand.setVisible(not running)
        self.hand.setChecked(m.by_hand)
        self.hand.setEnabled(self._machine.connected)
        self.hand.setText("Stop touching by hand" if m.by_hand else "Touch by hand")
        self.back.setEnabled(bool(m.probed) and not running)
        self.again.setEnabled(feature is not None and m.count(feature.id) > 0 and not running)
        self._show_suggestion(feature is not None)
        busy = self._machine.busy
        note = self._machine.queue.busy_text if busy else why if not running else ""
        if m.left and not busy:
            note = "; ".join(f"{x.feature.name}: {x.why}" for x in m.left[:3])
        say(self.note, note)
        warnings = {t.warning for t in m.probed if t.warning}
        # Why a run stands is told where it can be gone on from, not twice.
        stands = "The run stands still." if m.stopped else ""
        say(self.warning, stands or (f"{len(warnings)} warnings: {sorted(warnings)[0]}" if warnings else ""))
        self.warning.setToolTip(m.stopped)
        self.progress.setVisible(busy)
        self.progress.setValue(round(100 * self._machine.queue.busy_fraction))
        self.go_on.setVisible(running and bool(m.stopped) and not busy)
        self.skip.setVisible(running and bool(m.stopped) and not busy)
        self.stop.setVisible(running)

    def _show_suggestion(self, selected: bool) -> None:
        m = self._model
        found = m.suggestions()
        open_count = len(m.open_touches())
        text = ""
        if found:
            first = found[0]
            form = f", form {first.form:.4f}" if first.to_spare else ""
            others = ", ".join(x.text for x in found[1:3])
            text = f"{open_count} open touches lie on a {first.text}{form}" + (f" (or {others})" if others else "")
        elif open_count:
            text = f"{open_count} open touches: {3 - open_count} more tell a plane" if open_count < 3 else (
                f"{open_count} open touches fit no simple shape")  # fmt: skip
        faces = m.face_touched() if open_count else ()
        known = m.session.plan.feature_with_faces(faces) if faces else None
        if known is not None and not selected:
            text += f". By the alignment it is {known.name}."
        say(self.suggestion, text)
        self.assign.setVisible(bool(open_count) and (selected or bool(faces)))
        feature = m.feature()
        name = feature.name if feature is not None else known.name if known is not None else "a new feature there"
        self.assign.setText(f"It is {name}")
