"""A list of boxes along the axes, and the fields of one more: from and to along each axis."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Protocol

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.widgets.bench import button, label
from truegauge.app.widgets.parts import row
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.frozen_model import Three
from truegauge.drawing.units import NumberFormat

_AXES = "XYZ"


class Named(Protocol):
    """What is listed: two corners, mm, and a name."""

    @property
    def name(self) -> str:
        """What it is called."""

    @property
    def low(self) -> Three:
        """One corner."""

    @property
    def high(self) -> Three:
        """The other one."""


def in_order(a: Three, b: Three) -> tuple[Three, Three]:
    """Return the low and the high corner of a box: which of two comes first does not matter to who types them."""
    (x, u), (y, v), (z, w) = (sorted(pair) for pair in zip(a, b, strict=True))
    return (x, y, z), (u, v, w)


@dataclass(frozen=True, slots=True)
class BoxOwner:
    """Whose boxes they are: those there are, how one is added (ValueError: it cannot be) and removed by its number.

    It is added by two corners as they were typed.
    """

    boxes: Callable[[], Sequence[Named]]
    add: Callable[[str, Three, Three], None]
    remove: Callable[[int], None]
    numbers: Callable[[], NumberFormat]
    notify: Callable[[str], None]


class BoxList(QWidget):
    """A list, and the fields of one more."""

    def __init__(self, owner: BoxOwner, words: str, what: str) -> None:
        super().__init__()
        self._owner = owner
        column = self._column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        column.addWidget(label(words, "soft", wrap=True))
        self.list = QListWidget()
        self.list.setAccessibleName(what)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        keep_size(self.list, height=74)
        column.addWidget(self.list)
        self.name = QLineEdit()
        self.name.setPlaceholderText("name, as clamp 1")
        self.name.setAccessibleName("name of what stands there")
        column.addWidget(self.name)
        self._corners_at = column.count()
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

    def put_before_corners(self, *widgets: QWidget) -> None:
        """Put what else is asked of one more between its name and its corners."""
        for k, widget in enumerate(widgets):
            self._column.insertWidget(self._corners_at + k, widget)

    def _on_add(self) -> None:
        numbers, corners = self._owner.numbers(), []
        for c in (0, 1):
            values = []
            for axis in _AXES:
                text = self.fields[axis, c].text()
                try:
                    values.append(numbers.parse(text))
                except ValueError:
                    self._owner.notify(f"{text!r} is not a place: type {axis} {('from', 'to')[c]} as a number")
                    return
            corners.append((values[0], values[1], values[2]))
        name = self.name.text().strip() or f"thing {len(self._owner.boxes()) + 1}"
        try:
            self._owner.add(name, corners[0], corners[1])
        except ValueError:
            self._owner.notify(f"{name} has no size: from and to are the same")
            return
        for field in (self.name, *self.fields.values()):
            field.clear()

    def _on_remove(self) -> None:
        k = self.list.currentRow()
        if 0 <= k < len(self._owner.boxes()):
            self._owner.remove(k)

    def refresh(self) -> None:
        """Show what was said."""
        numbers = self._owner.numbers()
        now = (tuple(self._owner.boxes()), numbers.unit)
        if now == self._shown:
            return
        self._shown = now
        self.list.clear()
        for f in self._owner.boxes():
            ends = "  ".join(f"{a} {numbers.value(x)} to {numbers.value(y)}"
                             for a, x, y in zip(_AXES, f.low, f.high, strict=True))  # fmt: skip
            item = QListWidgetItem(f"{f.name}   {ends}")
            item.setToolTip(f"{f.name}: {ends}")
            self.list.addItem(item)
