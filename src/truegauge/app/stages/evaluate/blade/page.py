"""Sections of a blade on the Evaluate bench: where they are, and everything that is set of them."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.evaluate.blade.boxes import AxesBox, BandsBox, ConstructionBox, FitBox
from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.stages.evaluate.blade.values_box import ValuesBox
from truegauge.app.widgets.bench import button, label, number_box, say
from truegauge.app.widgets.parts import choice, choose, row
from truegauge.app.widgets.text_size import grow_to
from truegauge.drawing.units import NumberFormat

_ROW, _ID = 18, 256
_SHOWN = (("section", "the section, flat"), ("height", "curves over the height"), ("table", "all in a table"),
          ("part", "the part"))  # fmt: skip
_HINT = ("Sections square to the stacking axis: chords, angle, edges, thickness, profile. "
         "Type their heights: 20, 40, 60 - or 10 to 90 by 20 - or 9 from 10 to 90")  # fmt: skip


class BladePage(QWidget):
    """Heights first; then the list of sections, and what is set of them in folds."""

    def __init__(self, model: BladeModel) -> None:
        super().__init__()
        self._model, self.session = model, model.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.hint = label(_HINT, "soft", wrap=True)
        self.blades = choice((), model.choose_blade, "blade")
        self.heights = QLineEdit()
        self.heights.setAccessibleName("heights of sections")
        self.heights.setPlaceholderText("10 to 90 by 20")
        self.heights.returnPressed.connect(self._on_add)
        self.add = button("Cut sections", self._on_add, main=True)
        self.list = QListWidget()
        self.list.setAccessibleName("sections of the blade")
        self.list.currentItemChanged.connect(self._on_item)
        self.shown = choice(_SHOWN, model.show, "what the middle shows")
        self.unbent = QCheckBox("Unbent, by the fits")
        self.unbent.setToolTip("The map with every section where its fit puts it: without twist, lean and bow")
        self.unbent.toggled.connect(model.unbend)
        self.whole = label("", "soft", wrap=True)
        self.values, self.axes = ValuesBox(model), AxesBox(model)
        self.fit, self.bands, self.construction = FitBox(model), BandsBox(model), ConstructionBox(model)
        self.folds = (self.values, self.fit, self.bands, self.construction, self.axes)
        self.magnification = number_box(0, 1_000_000, 0, tip="Of needles and bands; 0 chooses as fits")
        self.magnification.setSpecialValueText("as fits")
        self.magnification.editingFinished.connect(self._on_magnification)
        self.needles = row("Needles, times", self.magnification)
        self.in_report = QCheckBox("This section in the report")
        self.in_report.toggled.connect(model.set_in_report)
        self.remove_section = button("Remove this section", model.remove_section)
        self.another, self.remove = button("Another blade", model.add_another), button("Remove blade", model.remove)
        self.ends = row(self.another, self.remove)
        for widget in (self.hint, self.blades, self.heights, self.add, self.list, self.shown, self.unbent, self.whole,
                       *self.folds, self.needles, self.in_report, self.remove_section, self.ends):  # fmt: skip
            column.addWidget(widget)
        column.addStretch()

    def _on_add(self) -> None:
        if self._model.add(self.heights.text()):
            self.heights.clear()

    def _on_magnification(self) -> None:
        blade, value = self._model.blade, self.magnification.value()
        if blade is not None and value != blade.magnification:
            self._model.change("magnification of needles", magnification=value)

    def _on_item(self, item: QListWidgetItem | None, before: object) -> None:
        if item is not None and self.list.hasFocus():
            self._model.choose(str(item.data(_ID)))

    def refresh(self) -> None:
        """Show the blade as the plan and the results have it now."""
        m, s = self._model, self.session
        blade, section = m.blade, m.section
        there = s.evaluator is not None and s.evaluator.can_pick
        self.add.setEnabled(there)
        self.heights.setEnabled(there)
        self.add.setText("Cut sections" if blade is None else "More sections")
        say(self.hint, _HINT if blade is None else "")
        blades = s.plan.blades
        self.blades.setVisible(len(blades) > 1)
        if [self.blades.itemData(k) for k in range(self.blades.count())] != [b.id for b in blades]:
            self.blades.clear()
            for b in blades:
                self.blades.addItem(b.name, b.id)
        if blade is not None:
            choose(self.blades, blade.id)
        for widget in (self.list, *self.folds, self.ends):
            widget.setVisible(blade is not None)
        self.remove_section.setVisible(section is not None)
        choose(self.shown, m.shown)
        self.shown.setVisible(blade is not None)
        self.unbent.setVisible(blade is not None and m.shown == "part")
        self.needles.setVisible(blade is not None)
        self.in_report.setVisible(section is not None)
        for box, value in ((self.in_report, section is not None and section.in_report), (self.unbent, m.is_unbent)):
            box.blockSignals(True)
            box.setChecked(value)
            box.blockSignals(False)
        self.magnification.blockSignals(True)
        self.magnification.setValue(0.0 if blade is None else blade.magnification)
        self.magnification.blockSignals(False)
        say(self.whole, m.whole_words() if blade is not None else "")
        self._list()
        for fold in self.folds:
            fold.refresh()

    def _list(self) -> None:
        m = self._model
        sections = () if m.blade is None else m.blade.sections
        numbers = NumberFormat(self.session.plan.unit, self.session.plan.decimals)
        self.list.blockSignals(True)
        if [self.list.item(k).data(_ID) for k in range(self.list.count())] != [s.id for s in sections]:
            self.list.clear()
            for section in sections:
                item = QListWidgetItem()
                item.setData(_ID, section.id)
                self.list.addItem(item)
        for k, section in enumerate(sections):
            outside, judged, told = m.state_of(section)
            came = f"{outside} outside" if outside else "within" if judged else "not measured"
            missing = f", {told - judged} not told" if judged and judged < told else ""
            self.list.item(k).setText(f"{numbers.value(section.height)} {numbers.unit}   {came}{missing}")
            if m.section is not None and section.id == m.section.id and self.list.currentRow() != k:
                self.list.setCurrentRow(k)
        self.list.blockSignals(False)
        grow_to(self.list, _ROW * len(sections) + 8, _ROW * 7 + 8)
