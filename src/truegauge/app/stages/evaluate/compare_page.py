"""Nominal points compared with measured ones of the same names."""

from collections.abc import Callable

from PySide6.QtWidgets import QCheckBox, QHeaderView, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.widgets.bench import button, label
from truegauge.app.widgets.parts import LengthField, row
from truegauge.core.commands.readings import RemoveCharacteristics
from truegauge.core.nodes.compared import ComparedReading, PointCompared
from truegauge.core.nodes.graph import NotComputed
from truegauge.drawing.units import NumberFormat

_PARTS = (("x", "dx"), ("y", "dy"), ("z", "dz"), ("total", "distance"), ("normal", "normal"))
_COLUMNS = ("point", "dx", "dy", "dz", "distance", "normal")


class ComparePage(QWidget):
    """What is compared, and the table of differences."""

    def __init__(self, model: EvaluateModel, ask_table: Callable[[], object]) -> None:
        super().__init__()
        self._model, self.session = model, model.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(label("A nominal point is compared with the touches, or the feature, of its name.", "soft",
                               wrap=True))  # fmt: skip
        self.parts = {key: QCheckBox(words) for key, words in _PARTS}
        self.parts["total"].setChecked(True)
        column.addWidget(row(*[self.parts[k] for k in "xyz"]))
        column.addWidget(row(self.parts["total"], self.parts["normal"]))
        self.tolerance = LengthField(self.session, "the tolerance", lambda v: setattr(model, "tolerance", v))
        column.addWidget(row("Tolerance", self.tolerance))
        self.add = button("Nominal points from a table …", ask_table, main=True)
        column.addWidget(self.add)
        self.table = QTableWidget(0, len(_COLUMNS))
        self.table.setHorizontalHeaderLabels(_COLUMNS)
        self.table.verticalHeader().hide()
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        self.table.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.table.setSelectionBehavior(QTableWidget.SelectionBehavior.SelectRows)
        self.table.setAccessibleName("compared points")
        self.table.itemSelectionChanged.connect(self._on_chosen)
        column.addWidget(self.table, 1)
        self.remove = button("Remove", self._on_remove)
        column.addWidget(self.remove)

    def chosen_parts(self) -> list[str]:
        """What is compared of new points."""
        return [key for key, box in self.parts.items() if box.isChecked()]

    def _rows(self) -> list[str]:
        cells = [self.table.item(i.row(), 0) for i in self.table.selectionModel().selectedRows()]
        return [str(cell.data(256)) for cell in cells if cell is not None]

    def _on_chosen(self) -> None:
        ids = self._rows()
        if ids and self.table.hasFocus():
            found = next((c.id for c in self.session.plan.characteristics if c.features[0] == ids[0]), "")
            self.session.selection.select_characteristic(found)

    def _on_remove(self) -> None:
        ids = set(self._rows())
        gone = frozenset(c.id for c in self.session.plan.characteristics if c.features[0] in ids)
        if gone:
            self.session.run(RemoveCharacteristics(gone, "remove compared points"))

    def refresh(self) -> None:
        """Show the differences."""
        s = self.session
        numbers = NumberFormat(s.plan.unit, s.plan.decimals)
        self.tolerance.show_length(self._model.tolerance)
        self.add.setEnabled(s.model is not None)
        points = s.plan.compared
        self.table.setVisible(bool(points))
        self.remove.setVisible(bool(points))
        self.table.setRowCount(len(points))
        for k, p in enumerate(points):
            ready = s.evaluator is not None and s.evaluation is not None
            found = (
                s.evaluator.context(s.plan, s.sample).get(PointCompared(p))
                if ready and s.evaluator is not None
                else None
            )
            cells = [p.name, *[""] * 5]
            if isinstance(found, ComparedReading):
                along = found.along_normal
                cells[1:] = [*(numbers.signed(float(d)) for d in found.delta), numbers.value(found.total),
                             "" if along is None else numbers.signed(along)]  # fmt: skip
            elif isinstance(found, NotComputed):
                cells[1] = found.reason
            for column, text in enumerate(cells):
                item = QTableWidgetItem(text)
                item.setData(256, p.id)
                item.setToolTip(text)
                self.table.setItem(k, column, item)
