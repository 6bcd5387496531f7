"""The readouts of the plan, on the Portable page: more of them, what each is towards, its limits, its own window."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.widgets.bench import button, label, number_box
from truegauge.app.widgets.parts import LengthField, choice, choose, row
from truegauge.app.widgets.text_size import grow_to
from truegauge.core.commands.readouts import RemoveReadout, SetReadout
from truegauge.core.plan.readouts import MOST, Readout

SUBJECTS = (("surface", "deviation from the surface"), ("feature", "towards the selected feature"),
            ("axis", "from the axis of the selected feature"), ("point", "to the middle of the selected feature"),
            ("tip", "where the tip is: X, Y, Z"))  # fmt: skip

FAR = 100_000.0  # mm


class ReadoutsSection(QWidget):
    """One list; what is chosen in it is changed below."""

    def __init__(self, model: PortableModel, open_window: Callable[[str], object]) -> None:
        super().__init__()
        self._model, self._open = model, open_window
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.list = QListWidget()
        self.list.setAccessibleName("readouts")
        self.list.currentRowChanged.connect(lambda _: self._show())
        grow_to(self.list, 96, 60)
        self._subject = SUBJECTS[0][0]
        self.subject = choice(SUBJECTS, self._on_subject, "what a new readout tells")
        self.add = button("Add a readout", self.make)
        self.remove = button("Remove", self._on_remove)
        self.apart = button("In a window", lambda: self._open(self.chosen.id if self.chosen else ""))
        self.low = LengthField(
            model.session, "lower limit of the readout", lambda v: self._on_limit(v, None), least=-FAR
        )
        self.high = LengthField(
            model.session, "upper limit of the readout", lambda v: self._on_limit(None, v), least=-FAR
        )
        self.decimals = number_box(-1, 6, 0, tip="Decimals of this readout; below 0: as everywhere")
        self.decimals.setSpecialValueText("usual")
        self.decimals.setAccessibleName("decimals of the readout")
        self.decimals.valueChanged.connect(self._on_decimals)
        self.frame = choice((), self._on_frame, "alignment that the readout is told in")
        self.sound = QCheckBox("Sound, steady within the limits")
        self.sound.toggled.connect(self._on_sound)
        for widget in (label("Readouts", "heading"), self.list, self.subject, self.add,
                       row("Limits", self.low, self.high), row("Decimals", self.decimals), self.frame,
                       self.sound, row(self.apart, self.remove)):  # fmt: skip
            column.addWidget(widget)
        model.session.document.plan_changed.connect(self.refresh)

    @property
    def chosen(self) -> Readout | None:
        """The readout that is chosen in the list."""
        item = self.list.currentItem()
        own = None if item is None else item.data(Qt.ItemDataRole.UserRole)
        return next((r for r in self._model.session.plan.readouts if r.id == own), None)

    def _on_subject(self, key: str) -> None:
        self._subject = key

    def make(self) -> None:
        """Add a readout of what is chosen."""
        s = self._model.session
        plan = s.plan
        feature = next((f.id for f in s.selection.features() if plan.has_feature(f.id)), "")
        if self._subject in ("feature", "axis", "point") and not feature:
            s.notify("select a feature first: the readout is towards it")
            return
        if len(plan.readouts) >= MOST:
            s.notify(f"at most {MOST} readouts can be read")
            return
        number = next(k for k in range(1, 1000) if f"readout-{k}" not in {r.id for r in plan.readouts})
        wanted = feature if self._subject in ("feature", "axis", "point") else ""
        s.run(SetReadout(Readout(id=f"readout-{number}", subject=self._subject, feature=wanted)))  # type: ignore[arg-type]
        self.list.setCurrentRow(len(s.plan.readouts) - 1)

    def _on_remove(self) -> None:
        if self.chosen is not None:
            self._model.session.run(RemoveReadout(self.chosen.id))

    def _on_limit(self, low: float | None, high: float | None) -> None:
        """Take a limit; the first that is typed is that of both sides."""
        own = self.chosen
        if own is None:
            return
        known = own.lower if low is None else low, own.upper if high is None else high
        typed = low if low is not None else high
        assert typed is not None
        ends = [-abs(typed) if known[0] is None else known[0], abs(typed) if known[1] is None else known[1]]
        if ends[0] > ends[1]:
            self._model.session.notify("the lower limit is above the upper one: it stays as it was")
            self._show()
            return
        self._model.session.run(SetReadout(own.replace(lower=ends[0], upper=ends[1])))

    def _on_decimals(self, value: float) -> None:
        own, wanted = self.chosen, None if value < 0 else int(value)
        if own is not None and own.decimals != wanted:
            self._model.session.run(SetReadout(own.replace(decimals=wanted), f"decimals {own.id}"))

    def _on_frame(self, key: str) -> None:
        own = self.chosen
        if own is not None and own.alignment != key:
            self._model.session.run(SetReadout(own.replace(alignment=key)))

    def _on_sound(self, on: bool) -> None:
        own = self.chosen
        if own is not None and own.sound != on:
            self._model.session.run(SetReadout(own.replace(sound=on)))

    def name(self, readout: Readout) -> str:
        """Return the line of a readout in the list."""
        plan = self._model.session.plan
        words = dict(SUBJECTS)[readout.subject]
        if not readout.feature:
            return words
        known = plan.feature(readout.feature).name if plan.has_feature(readout.feature) else "a feature that is gone"
        return words.replace("the selected feature", known)

    def refresh(self) -> None:
        """Show the readouts as they are."""
        if not self.isVisible():
            return
        own = self._model.session.plan.readouts
        rows = [(self.name(r), r.id) for r in own]
        there = [(self.list.item(k).text(), self.list.item(k).data(Qt.ItemDataRole.UserRole))
                 for k in range(self.list.count())]  # fmt: skip
        if rows != there:
            at = self.list.currentRow()
            self.list.clear()
            for text, key in rows:
                item = QListWidgetItem(text)
                item.setData(Qt.ItemDataRole.UserRole, key)
                self.list.addItem(item)
            self.list.setCurrentRow(min(max(at, 0), len(rows) - 1))
        self.list.setVisible(bool(own))
        self._show()

    def _show(self) -> None:
        own = self.chosen
        choose(self.subject, self._subject)
        plan = self._model.session.plan
        frames = [("", "in the alignment in force"), *((a.id, f"in {a.name or a.id}") for a in plan.alignments)]
        if [self.frame.itemText(k) for k in range(self.frame.count())] != [words for _, words in frames]:
            self.frame.clear()
            for key, words in frames:
                self.frame.addItem(words, key)
        choose(self.frame, own.alignment if own is not None else "")
        self.decimals.blockSignals(True)
        self.decimals.setValue(-1 if own is None or own.decimals is None else own.decimals)
        self.decimals.blockSignals(False)
        for widget in (self.low, self.high, self.decimals, self.frame, self.sound, self.apart, self.remove):
            widget.setEnabled(own is not None)
        for field, value in ((self.low, own.lower if own else None), (self.high, own.upper if own else None)):
            if value is None:
                field.show_nothing()
            else:
                field.show_length(value)
        self.sound.blockSignals(True)
        self.sound.setChecked(own is not None and own.sound)
        self.sound.blockSignals(False)

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self.refresh()
