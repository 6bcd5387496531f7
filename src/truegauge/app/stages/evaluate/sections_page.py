"""Sections: made across an axis or around one, moved, and looked at flat."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QLineEdit, QListWidget, QListWidgetItem, QSlider, QVBoxLayout, QWidget

from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.widgets.bench import button, label, number_box, rule
from truegauge.app.widgets.parts import LengthField, choice, choose, row
from truegauge.app.widgets.text_size import grow_to
from truegauge.core.plan.readings import Section

_ACROSS = (("X", "square to X"), ("Y", "square to Y"), ("Z", "square to Z"), ("selected", "square to the selection"))
_STEPS = 1000
_ROW = 20


class SectionsPage(QWidget):
    """New sections, the list of them, and the one that is chosen."""

    def __init__(self, model: EvaluateModel) -> None:
        super().__init__()
        self._model, self.session = model, model.session
        s = self.session
        self._axis, self._spacing = "Y", 10.0
        self._at: float | None = None  # typed; None: the middle of the part
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.axis = choice(_ACROSS, self._on_axis, "direction of the section")
        self.at = LengthField(s, "the place", lambda v: setattr(self, "_at", v), least=-1e6)
        self.count = number_box(1, 50, 0, tip="How many, one after the other at the spacing")
        self.count.setValue(1)
        self.spacing = LengthField(s, "the spacing", lambda v: setattr(self, "_spacing", v), least=1e-3)
        column.addWidget(self.axis)
        column.addWidget(row("At", self.at))
        column.addWidget(row("Number", self.count))
        column.addWidget(row("Spacing", self.spacing))
        self.add = button("Add", self._on_add, main=True)
        self.around = button("Around an axis", lambda: model.sections.add_around(int(self.count.value())))
        self.around.setToolTip("So many sections through the axis of the selected feature")
        self.through = button(
            "Through a picked place", lambda: model.pick_for("" if model.picking == "section" else "section")
        )
        self.through.setCheckable(True)
        column.addWidget(row(self.add, self.around))
        column.addWidget(self.through)
        column.addWidget(rule())
        self.list = QListWidget()
        self.list.setAccessibleName("sections")
        self.list.currentItemChanged.connect(self._on_chosen)
        self.list.itemClicked.connect(lambda item: self._on_chosen(item, None))
        self.none = label("No section yet", "soft")
        column.addWidget(self.none)
        column.addWidget(self.list)
        self.own = QWidget()
        inside = QVBoxLayout(self.own)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(6)
        self.name = QLineEdit()
        self.name.setAccessibleName("name of the section")
        self.name.editingFinished.connect(self._on_name)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _STEPS)
        self.slider.setAccessibleName("place of the section")
        self.slider.valueChanged.connect(self._on_slid)
        self.slider.sliderReleased.connect(s.document.history.end_merge)
        self.position = LengthField(s, "the place", self._on_position, least=-1e6)
        self.thickness = LengthField(s, "the thickness", self._on_thickness, least=1e-3)
        self.thickness.setToolTip("Points within half of this of the plane are read")
        self.magnification = number_box(0, 100_000, 0, tip="Of the needles; 0 chooses as fits")
        self.magnification.setSpecialValueText("as fits")
        self.magnification.valueChanged.connect(self._on_magnification)
        self.in_report = QCheckBox("In the report")
        self.in_report.toggled.connect(self._on_in_report)
        for widget in (self.name, self.slider, row("At", self.position), row("Thickness", self.thickness),
                       row("Needles, times", self.magnification), self.in_report,
                       row(button("Back to the part", lambda: s.showing.look_at_section("")),
                           button("Remove", self._on_remove))):  # fmt: skip
            inside.addWidget(widget)
        column.addWidget(self.own)
        column.addStretch()

    def _on_axis(self, key: str) -> None:
        self._axis, self._at = key, None
        self._model.direction = key if key in "XYZ" else ""

    @property
    def _place(self) -> float:
        return self._model.sections.middle_of(self._axis) if self._at is None else self._at

    def _on_add(self) -> None:
        self._model.sections.add(self._axis, self._place, int(self.count.value()), self._spacing)

    def chosen(self) -> Section | None:
        """The section that is looked at."""
        return next((x for x in self.session.plan.sections if x.id == self.session.shown.section), None)

    def _on_chosen(self, item: QListWidgetItem | None, before: object) -> None:
        if item is not None and self.list.hasFocus():
            self.session.showing.look_at_section(str(item.data(256)))

    def _on_name(self) -> None:
        section, text = self.chosen(), self.name.text().strip()
        if section is not None and text and text != section.name:
            self._model.sections.change(section, "rename section", name=text)

    def _on_slid(self, step: int) -> None:
        section = self.chosen()
        if section is not None:
            low, _, high = self._model.sections.range(section)
            self._model.sections.move(section, round(low + (high - low) * step / _STEPS, 3))

    def _on_position(self, value: float) -> None:
        section = self.chosen()
        if section is not None:
            self._model.sections.move(section, value)
            self.session.document.history.end_merge()

    def _on_thickness(self, value: float) -> None:
        section = self.chosen()
        if section is not None:
            self._model.sections.change(section, "change the thickness", thickness=value)

    def _on_magnification(self, value: float) -> None:
        section = self.chosen()
        if section is not None and value != section.magnification:
            self._model.sections.change(section, "change the needles", magnification=value)

    def _on_in_report(self, on: bool) -> None:
        section = self.chosen()
        if section is not None and on != section.in_report:
            self._model.sections.change(section, "section in the report", in_report=on)

    def _on_remove(self) -> None:
        section = self.chosen()
        if section is not None:
            self._model.sections.remove(section.id)

    def refresh(self) -> None:
        """Show the list and the chosen section."""
        s = self.session
        there = s.evaluator is not None and s.evaluator.can_pick
        for made in (self.add, self.around, self.through):
            made.setEnabled(there)
        self.through.setChecked(self._model.picking == "section")
        choose(self.axis, self._axis)
        self.at.show_length(self._place)
        self.spacing.show_length(self._spacing)
        sections = s.plan.sections
        self.none.setVisible(not sections)
        self.list.setVisible(bool(sections))
        grow_to(self.list, _ROW * len(sections) + 8, _ROW * 4 + 8)
        if [(x.id, x.name) for x in sections] != [
            (self.list.item(k).data(256), self.list.item(k).text()) for k in range(self.list.count())
        ]:
            self.list.blockSignals(True)
            self.list.clear()
            for x in sections:
                item = QListWidgetItem(x.name)
                item.setData(256, x.id)
                self.list.addItem(item)
            self.list.blockSignals(False)
        section = self.chosen()
        self.own.setVisible(section is not None)
        if section is None or s.model is None:
            self.list.blockSignals(True)
            self.list.setCurrentRow(-1)
            self.list.blockSignals(False)
            return
        for k, x in enumerate(sections):
            if x.id == section.id and self.list.currentRow() != k:
                self.list.blockSignals(True)
                self.list.setCurrentRow(k)
                self.list.blockSignals(False)
        if not self.name.hasFocus():
            self.name.setText(section.name)
        low, now, high = self._model.sections.range(section)
        for widget, shown in ((self.slider, round(_STEPS * (now - low) / max(high - low, 1e-9))),):
            widget.blockSignals(True)
            widget.setValue(shown)
            widget.blockSignals(False)
        self.position.show_length(now)
        self.thickness.show_length(section.thickness)
        self.magnification.blockSignals(True)
        self.magnification.setValue(section.magnification)
        self.magnification.blockSignals(False)
        self.in_report.blockSignals(True)
        self.in_report.setChecked(section.in_report)
        self.in_report.blockSignals(False)
