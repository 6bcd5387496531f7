"""What stands on the table of a machine beside part and sphere, as boxes: kept with the machine, gone around."""

from PySide6.QtWidgets import QGridLayout, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.widgets.bench import button, label
from truegauge.app.widgets.parts import row
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.probing.records import Fixture
from truegauge.drawing.units import NumberFormat

_AXES = "XYZ"


class Fixtures(QWidget):
    """A list, and the fields of one more: from and to along each axis."""

    def __init__(self, model: DevicesModel) -> None:
        super().__init__()
        self._model, self._machine = model, model.machine
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        words = "Clamps, vices, a rack: boxes in machine coordinates that no probe is sent into."
        column.addWidget(label(words, "soft", wrap=True))
        self.list = QListWidget()
        self.list.setAccessibleName("what stands on the table")
        keep_size(self.list, height=74)
        column.addWidget(self.list)
        self.name = QLineEdit()
        self.name.setPlaceholderText("name, as clamp 1")
        self.name.setAccessibleName("name of what stands there")
        column.addWidget(self.name)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.fields: dict[tuple[str, int], QLineEdit] = {}
        for c, word in enumerate(("from", "to")):
            grid.addWidget(label(word, "soft"), 0, c + 1)
        for r, axis in enumerate(_AXES):
            grid.addWidget(label(axis, "soft"), r + 1, 0)
            for c, word in enumerate(("from", "to")):
                field = self.fields[axis, c] = QLineEdit()
                field.setAccessibleName(f"{axis} {word}")
                grid.addWidget(field, r + 1, c + 1)
        column.addLayout(grid)
        self.add, self.remove = button("Add", self._on_add), button("Remove", self._on_remove)
        column.addWidget(row(self.add, self.remove))
        self._shown: object = None

    @property
    def _numbers(self) -> NumberFormat:
        return NumberFormat(self._model.session.plan.unit, 1)

    def _on_add(self) -> None:
        numbers, corners = self._numbers, []
        for c in (0, 1):
            values = []
            for axis in _AXES:
                text = self.fields[axis, c].text()
                try:
                    values.append(numbers.parse(text))
                except ValueError:
                    self._model.session.notify(f"{text!r} is not a place: type {axis} {('from', 'to')[c]} as a number")
                    return
            corners.append(values)
        # Which of two corners comes first does not matter to who types them.
        low, high = (tuple(f(a, b) for a, b in zip(*corners, strict=True)) for f in (min, max))
        name = self.name.text().strip() or f"thing {len(self._machine.record.fixtures) + 1}"
        try:
            made = Fixture(name=name, low=(low[0], low[1], low[2]), high=(high[0], high[1], high[2]))
        except ValueError:
            self._model.session.notify(f"{name} has no size: from and to are the same")
            return
        rest = tuple(f for f in self._machine.record.fixtures if f.name != name)
        self._machine.set_record(self._machine.record.replace(fixtures=(*rest, made)))
        for field in (self.name, *self.fields.values()):
            field.clear()

    def _on_remove(self) -> None:
        k = self.list.currentRow()
        kept = self._machine.record.fixtures
        if 0 <= k < len(kept):
            self._machine.set_record(self._machine.record.replace(fixtures=kept[:k] + kept[k + 1 :]))

    def refresh(self) -> None:
        """Show what was said."""
        numbers = self._numbers
        now = (self._machine.record.fixtures, numbers.unit)
        if now == self._shown:
            return
        self._shown = now
        self.list.clear()
        for f in self._machine.record.fixtures:
            ends = "  ".join(f"{a} {numbers.value(x)} to {numbers.value(y)}"
                             for a, x, y in zip(_AXES, f.low, f.high, strict=True))  # fmt: skip
            item = QListWidgetItem(f"{f.name}   {ends}")
            item.setToolTip(f"{f.name}: {ends}")
            self.list.addItem(item)
