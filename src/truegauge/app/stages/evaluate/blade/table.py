"""All sections of a blade in a table: a row a section, a column a value that is told."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QAbstractItemView, QTableWidget, QTableWidgetItem

from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.widgets.theme import LiveTheme, state_color
from truegauge.core.blades.names import taken_apart
from truegauge.core.evaluation.results import Result
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.units import NumberFormat, limits_text

_MARKS = {State.WITHIN: "●", State.NEAR: "◆", State.OUTSIDE: "▲", State.UNDECIDED: "○", State.NOT_MEASURED: "○"}
_ID = 256


class BladeTable(QTableWidget):
    """Values with the mark of their state; a cell selects its characteristic."""

    def __init__(self, model: BladeModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model, self._theme = model, theme
        self.setAccessibleName("Sections and their values")
        self.setCornerButtonEnabled(False)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.horizontalHeader().setDefaultAlignment(Qt.AlignmentFlag.AlignCenter)
        self.currentCellChanged.connect(self._on_cell)
        model.changed.connect(self._on_changed)

    def showEvent(self, event: object) -> None:
        """Catch up on what happened while hidden."""
        self.refresh()

    def _on_changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def _on_cell(self, row: int, column: int, *before: int) -> None:
        item = self.item(row, column)
        if item is not None and self.hasFocus() and item.data(_ID):
            self._model.session.selection.select_characteristic(str(item.data(_ID)))

    def refresh(self) -> None:
        """Show all values as they are now."""
        m, s = self._model, self._model.session
        sections = () if m.blade is None else tuple(reversed(m.blade.sections))
        whats = list(dict.fromkeys(v.what for x in sections for v in x.values))
        numbers = NumberFormat(s.plan.unit, s.plan.decimals)
        results: dict[str, Result] = {}
        if s.evaluation is not None:
            results = {r.characteristic.features[0]: r for r in s.evaluation.results}
        self.blockSignals(True)
        self.setRowCount(len(sections))
        self.setColumnCount(len(whats))
        self.setHorizontalHeaderLabels([_wrapped(taken_apart(w).words) for w in whats])
        self.setVerticalHeaderLabels([f"{numbers.value(x.height)} {numbers.unit}" for x in sections])
        for row, section in enumerate(sections):
            own = {v.what: v for v in section.values}
            for column, what in enumerate(whats):
                value = own.get(what)
                self.setItem(row, column, self._item(None if value is None else results.get(value.id), numbers))
        self.resizeColumnsToContents()
        self.blockSignals(False)

    def _item(self, result: Result | None, numbers: NumberFormat) -> QTableWidgetItem:
        if result is None:
            return QTableWidgetItem("")
        own, c = numbers.of(result.characteristic.kind), result.characteristic
        text = "–" if result.measured is None else own.value(result.measured)
        item = QTableWidgetItem(f"{_MARKS[result.state]} {text}")
        item.setData(_ID, c.id)
        item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        item.setForeground(QColor(state_color(self._theme, str(result.state))))
        tip = [c.name, f"nominal {own.value(c.nominal)}, {limits_text(own, c.nominal, c.lower, c.upper)}"]
        item.setToolTip("\n".join([*tip, *([result.reason] if result.reason else [])]))
        return item


def _wrapped(words: str) -> str:
    """Return words in lines that make no column wide."""
    lines = [""]
    for word in words.split():
        longer = f"{lines[-1]} {word}".strip()
        if len(longer) <= 14 or not lines[-1]:
            lines[-1] = longer
        else:
            lines.append(word)
    return "\n".join(lines)
