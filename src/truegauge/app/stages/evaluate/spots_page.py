"""Spot checks: picked, typed, from a table, along an edge, as a grid; the extremes of areas."""

from collections.abc import Callable

from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem, QPushButton, QVBoxLayout, QWidget

from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.widgets.bench import button, label
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import LengthField, choice, choose, row
from truegauge.core.commands.readings import RemoveCharacteristics
from truegauge.core.plan.readings import SpotCheck
from truegauge.drawing.units import NumberFormat

_DIRECTIONS = (("", "along the normal there"), ("X", "along X"), ("Y", "along Y"), ("Z", "along Z"))
_HINTS = {
    "spot": "Click places on the part. Escape ends.",
    "highest": "Click an area: its highest place is looked for.",
    "lowest": "Click an area: its lowest place is looked for.",
    "edge": "Click on a face beside the edge to follow.",
}


class SpotsPage(QWidget):
    """Ways to make spot checks, and the list of them."""

    def __init__(self, model: EvaluateModel, ask_table: Callable[[], object]) -> None:
        super().__init__()
        self._model, self.session = model, model.session
        s = self.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.pick = self._toggle("Pick places in the view", "spot", main=True)
        self.highest, self.lowest = self._toggle("Highest", "highest"), self._toggle("Lowest", "lowest")
        self.edge = self._toggle("Along an edge", "edge")
        self.grid = button("Grid on faces", model.add_grid)
        self.typed = QLineEdit()
        self.typed.setPlaceholderText("x y z, then Enter")
        self.typed.setAccessibleName("place of a spot check")
        self.typed.returnPressed.connect(self._on_typed)
        column.addWidget(self.pick)
        column.addWidget(row(self.highest, self.lowest))
        column.addWidget(row(self.edge, self.grid))
        column.addWidget(row("Place", self.typed))
        column.addWidget(button("From a table …", ask_table))
        self.hint = label("", "soft", wrap=True)
        column.addWidget(self.hint)
        settings = Fold("How they are made")
        self.tolerance = LengthField(s, "the tolerance", lambda v: setattr(model, "tolerance", v))
        self.radius = LengthField(s, "the radius", lambda v: setattr(model, "radius", v), least=1e-3)
        self.area = LengthField(s, "the area", lambda v: setattr(model, "area", v))
        self.spacing = LengthField(s, "the spacing", lambda v: setattr(model, "spacing", v), least=1e-3)
        self.inset = LengthField(s, "the distance", lambda v: setattr(model, "inset", v), least=1e-3)
        self.direction = choice(_DIRECTIONS, lambda k: setattr(model, "direction", k), "direction of spot checks")
        self.radius.setToolTip("Points within this of the place are read")
        self.area.setToolTip("Highest and lowest are looked for within this of the place; 0 takes the whole face")
        for words, field in (("Tolerance ±", self.tolerance), ("Read within", self.radius), ("Area within", self.area),
                             ("Spacing", self.spacing), ("Inside the edge", self.inset)):  # fmt: skip
            settings.column.addWidget(row(words, field))
        settings.column.addWidget(self.direction)
        column.addWidget(settings)
        self.count = label("", "heading")
        self.list = QListWidget()
        self.list.setAccessibleName("spot checks")
        self.list.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.list.currentItemChanged.connect(self._on_chosen)
        self.remove = button("Remove", self._on_remove)
        column.addWidget(self.count)
        column.addWidget(self.list, 1)
        column.addWidget(self.remove)
        column.addStretch()  # takes the height where there is no list

    def _toggle(self, text: str, what: str, *, main: bool = False) -> QPushButton:
        made = button(text, lambda: self._model.pick_for("" if self._model.picking == what else what), main=main)
        made.setCheckable(True)
        return made

    def _on_typed(self) -> None:
        if self._model.add_typed(self.typed.text()):
            self.typed.clear()

    def _on_chosen(self, item: QListWidgetItem | None, before: object) -> None:
        if item is not None and self.list.hasFocus():
            self.session.selection.select_characteristic(str(item.data(256)))

    def _on_remove(self) -> None:
        ids = frozenset(str(item.data(256)) for item in self.list.selectedItems())
        if ids:
            self.session.run(RemoveCharacteristics(ids, f"remove {len(ids)} spot checks"))

    def refresh(self) -> None:
        """Show what is picked for, the settings, and the values."""
        m, s = self._model, self.session
        there = s.evaluator is not None and s.evaluator.can_pick
        for made, what in ((self.pick, "spot"), (self.highest, "highest"), (self.lowest, "lowest"),
                           (self.edge, "edge")):  # fmt: skip
            made.setChecked(m.picking == what)
            made.setEnabled(there)
        self.grid.setEnabled(there and bool(s.selection.faces()))
        self.typed.setEnabled(there)
        self.hint.setText(_HINTS.get(m.picking, ""))
        self.hint.setVisible(m.picking in _HINTS)
        for field, value in ((self.tolerance, m.tolerance), (self.radius, m.radius), (self.area, m.area),
                             (self.spacing, m.spacing), (self.inset, m.inset)):  # fmt: skip
            field.show_length(value)
        choose(self.direction, m.direction)
        self._show_list()

    def _show_list(self) -> None:
        s = self.session
        numbers = NumberFormat(s.plan.unit, s.plan.decimals)
        rows = []
        for c in s.plan.characteristics:
            spot = s.plan.reading(c.features[0])
            if not isinstance(spot, SpotCheck):
                continue
            result = s.evaluation.result(c.id) if s.evaluation else None
            value = "…" if result is None else "not measured"
            if result is not None and result.measured is not None:
                value = numbers.signed(result.measured)
            rows.append((c.id, f"{value}   {c.name}", "" if result is None else result.reason))
        self.count.setText(f"{len(rows)} spot checks" if rows else "No spot checks yet")
        self.list.setVisible(bool(rows))
        self.remove.setVisible(bool(rows))
        if [r[:2] for r in rows] != [(self.list.item(k).data(256), self.list.item(k).text())
                                     for k in range(self.list.count())]:  # fmt: skip
            self.list.blockSignals(True)
            self.list.clear()
            for key, text, reason in rows:
                item = QListWidgetItem(text)
                item.setData(256, key)
                item.setToolTip(reason)
                self.list.addItem(item)
            self.list.blockSignals(False)
