"""Which values of the sections are characteristics, and the places where thickness is told."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLineEdit, QListWidget, QListWidgetItem

from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.widgets.bench import button, label
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import LengthField, row
from truegauge.app.widgets.text_size import grow_to, keep_size
from truegauge.core.authoring.blades import cells_of, names_of
from truegauge.core.blades.names import taken_apart
from truegauge.core.typed_number import typed_number
from truegauge.drawing.units import MM_PER_INCH, NumberFormat

_WHAT, _ROW, _SEEN = 256, 22, 11


class ValuesBox(Fold):
    """A list to tick; what is ticked is told of every section once it is taken."""

    def __init__(self, model: BladeModel) -> None:
        super().__init__("What is told")
        self._model = model
        s = model.session
        self.list = QListWidget()
        self.list.setAccessibleName("values of sections")
        self.list.itemChanged.connect(lambda _: self._on_ticked())
        self.take = button("Tell these of every section", self._on_take, main=True)
        self.edges, self.shares = QLineEdit(), QLineEdit()
        for field, name, tip, then in (
            (self.edges, "distances from the edges", "Thickness so far from either edge: 2, 5", self._on_edges),
            (self.shares, "shares of the chord", "Thickness at these shares of the chord, %: 25, 50", self._on_shares),
        ):
            field.setAccessibleName(name)
            field.setToolTip(tip)
            field.editingFinished.connect(then)
            keep_size(field, width=110)
        self.waves = LengthField(s, "the wavelength", lambda v: model.change("change the wavelength", wavelength=v))
        self.waves.setToolTip("Waves of the sides that are shorter than this are told as waviness; 0: none are")
        for widget in (label("Thickness at", "soft"), row("from the edges", self.edges),
                       row("% of the chord", self.shares), row("Waves shorter than", self.waves), self.list,
                       self.take):  # fmt: skip
            self.column.addWidget(widget)

    def _on_edges(self) -> None:
        plan = self._model.session.plan
        self._typed(self.edges, "edge_distances", NumberFormat(plan.unit, plan.decimals).parse, "distances")

    def _on_shares(self) -> None:
        self._typed(self.shares, "chord_shares", lambda text: typed_number(text) / 100, "shares of the chord")

    def _typed(self, field: QLineEdit, name: str, number: Callable[[str], float], words: str) -> None:
        if not field.isModified():
            return
        field.setModified(False)
        try:
            values = tuple(sorted({round(number(cell), 6) for cell in cells_of(field.text())}))
        except ValueError:
            self._model.session.notify(f"{field.text()!r} are no {words}; they stay as they were")
            self.refresh()
            return
        self._model.change(f"change the {words}", **{name: values})

    def ticked(self) -> list[str]:
        """Return what is ticked, by name."""
        items = [self.list.item(k) for k in range(self.list.count())]
        return [str(i.data(_WHAT)) for i in items if i.checkState() == Qt.CheckState.Checked]

    def _on_ticked(self) -> None:
        self.take.setEnabled(self.ticked() != [w for w in self._names() if w in self._model.told])

    def _on_take(self) -> None:
        self._model.tell(self.ticked())

    def _names(self) -> tuple[str, ...]:
        return () if self._model.blade is None else names_of(self._model.blade)

    def refresh(self) -> None:
        """Show what can be told, and what is."""
        blade, told = self._model.blade, set(self._model.told)
        if blade is None:
            return
        names = self._names()
        self.list.blockSignals(True)
        if [self.list.item(k).data(_WHAT) for k in range(self.list.count())] != list(names):
            self.list.clear()
            for what in names:
                item = QListWidgetItem(taken_apart(what).words)
                item.setToolTip(taken_apart(what).words)
                item.setData(_WHAT, what)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                self.list.addItem(item)
        for k, what in enumerate(names):
            wanted = Qt.CheckState.Checked if what in told else Qt.CheckState.Unchecked
            if self.list.item(k).checkState() != wanted:
                self.list.item(k).setCheckState(wanted)
        self.list.blockSignals(False)
        grow_to(self.list, _ROW * _SEEN, _ROW * _SEEN)
        mm = MM_PER_INCH if self._model.session.plan.unit == "inch" else 1.0
        for field, values, one in ((self.edges, blade.edge_distances, mm), (self.shares, blade.chord_shares, 0.01)):
            if not field.hasFocus():
                field.setText(", ".join(f"{v / one:g}" for v in values))
        self.waves.show_length(blade.wavelength)
        self._on_ticked()
        self.header.setText(f"What is told: {len(told)} values a section")
