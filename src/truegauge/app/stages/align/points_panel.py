"""What is done to the points: the steps of the recipe, each with what it took away, its number, on or off."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.view.outline_tool import MODES
from truegauge.app.widgets.bench import Choice, button, label, number_box
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.arrays import three
from truegauge.core.clouds.recipe import (
    TITLES,
    CropBox,
    CropDistance,
    CropNormal,
    Islands,
    Outliers,
    Step,
    ThinByCurvature,
    ThinEvenly,
    describe,
)
from truegauge.core.clouds.spatial import guessed_spacing
from truegauge.core.nodes.graph import NotComputed

# The number of a step that is changed most: field, label, decimals, step.
_NUMBERS: dict[str, tuple[tuple[str, str, int, float], ...]] = {
    "outliers": (("factor", "robust scales", 1, 0.5),),
    "islands": (("gap", "gap, mm", 2, 0.5), ("smallest", "points at least", 0, 50)),
    "thin": (("spacing", "spacing, mm", 2, 0.1),),
    "thin_curved": (("fine", "where curved, mm", 2, 0.1), ("coarse", "where flat, mm", 2, 0.5)),
    "distance": (("farthest", "from the part, mm", 2, 0.1),),
    "normal": (("largest", "angle, °", 0, 5),),
}
_ADD = "Add a step …"
_ROW = 19


class PointsPanel(QWidget):
    """The recipe as a list; the step chosen in it can be changed below it."""

    def __init__(self, session: Session, draw: Callable[[str], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._draw = session, draw
        self._chosen = -1
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(label("What is done to the points", "heading"))
        self.steps = QListWidget()
        self.steps.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.steps.currentRowChanged.connect(self._on_row)
        self.steps.itemChanged.connect(self._on_checked)
        column.addWidget(self.steps)
        self.numbers: list[QDoubleSpinBox] = []
        self._names = []
        self._rows: list[QWidget] = []
        for _ in range(2):
            row = QWidget()
            line = QHBoxLayout(row)
            line.setContentsMargins(0, 0, 0, 0)
            name, spin = label("", "soft"), number_box(0.01, 1e6, 2)
            spin.valueChanged.connect(self._on_number)
            line.addWidget(name)
            line.addStretch()
            line.addWidget(spin)
            column.addWidget(row)
            self._rows.append(row)
            self.numbers.append(spin)
            self._names.append(name)
        self.remove = button("Take the step out", self._remove)
        column.addWidget(self.remove)
        self.add = Choice()
        self.add.addItem(_ADD)
        for kind, title in TITLES.items():
            if kind == "outline":
                for mode, words in MODES.items():
                    self.add.addItem(f"{words} in the view", f"draw-{mode}")
            elif kind == "box":
                self.add.addItem("What the section box shows", kind)
            else:
                self.add.addItem(title, kind)
        self.add.activated.connect(self._on_add)
        column.addWidget(self.add)

    def refresh(self) -> None:
        """Show the recipe as it is."""
        s = self._session
        recipe = s.plan.recipe
        evaluation = s.evaluation
        cloud = evaluation.cloud if evaluation is not None else None
        counts = () if cloud is None or isinstance(cloud, NotComputed) else cloud.left_out
        self.steps.blockSignals(True)
        self.steps.clear()
        for k, step in enumerate(recipe):
            taken = f"  -{counts[k]:,}" if k < len(counts) and step.active else ""
            item = QListWidgetItem(f"{describe(step)}{taken}")
            item.setToolTip(f"{describe(step)}; left out: {counts[k]:,} points" if taken else describe(step))
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if step.active else Qt.CheckState.Unchecked)
            self.steps.addItem(item)
        self._chosen = min(self._chosen, len(recipe) - 1)
        self.steps.setCurrentRow(self._chosen)
        self.steps.blockSignals(False)
        keep_size(self.steps, height=max(1, min(6, len(recipe))) * _ROW + 6)
        self.steps.setVisible(bool(recipe))
        self._show_numbers()

    def _step(self) -> Step | None:
        recipe = self._session.plan.recipe
        return recipe[self._chosen] if 0 <= self._chosen < len(recipe) else None

    def _show_numbers(self) -> None:
        step = self._step()
        fields = _NUMBERS.get(step.kind, ()) if step is not None else ()
        for k, (name, spin, row) in enumerate(zip(self._names, self.numbers, self._rows, strict=True)):
            row.setVisible(k < len(fields))
            if k < len(fields):
                field, words, decimals, single = fields[k]
                spin.blockSignals(True)
                name.setText(words)
                spin.setDecimals(decimals)
                spin.setSingleStep(single)
                spin.setValue(float(getattr(step, field)))
                spin.blockSignals(False)
        self.remove.setVisible(step is not None)

    def _on_row(self, row: int) -> None:
        self._chosen = row
        self._show_numbers()

    def _replace(self, step: Step, label_text: str) -> None:
        recipe = list(self._session.plan.recipe)
        recipe[self._chosen] = step
        self._session.document.set_recipe(tuple(recipe), label_text)

    def _on_checked(self, item: QListWidgetItem) -> None:
        self._chosen = self.steps.row(item)
        step = self._step()
        active = item.checkState() == Qt.CheckState.Checked
        if step is not None and step.active != active:
            self._replace(step.replace(active=active), f"{describe(step).lower()} {'on' if active else 'off'}")

    def _on_number(self) -> None:
        step = self._step()
        if step is None:
            return
        changes = {}
        for (field, _, decimals, _), spin in zip(_NUMBERS.get(step.kind, ()), self.numbers, strict=False):
            changes[field] = round(spin.value()) if decimals == 0 and field == "smallest" else spin.value()
        if any(getattr(step, f) != v for f, v in changes.items()):
            self._replace(step.replace(**changes), f"change {describe(step).lower()}")

    def _remove(self) -> None:
        recipe = list(self._session.plan.recipe)
        step = recipe.pop(self._chosen)
        self._session.document.set_recipe(tuple(recipe), f"take out {describe(step).lower()}")

    def _on_add(self, index: int) -> None:
        kind = self.add.itemData(index)
        self.add.setCurrentIndex(0)
        if not kind:
            return
        if kind.startswith("draw-"):
            self._draw(kind.removeprefix("draw-"))
            return
        self._chosen = len(self._session.plan.recipe)
        if kind == "box":
            self.keep_section()
        else:
            sample = self._session.sample
            spacing = 0.25 if sample is None else guessed_spacing(sample.points)
            made: dict[str, Step] = {
                "outliers": Outliers(),
                "islands": Islands(gap=round(max(1.0, 6 * spacing), 2)),
                "thin": ThinEvenly(spacing=round(max(0.1, 2 * spacing), 2)),
                "thin_curved": ThinByCurvature(fine=round(max(0.1, 1.5 * spacing), 2),
                                               coarse=round(max(0.5, 6 * spacing), 2)),
                "distance": CropDistance(),
                "normal": CropNormal(),
            }  # fmt: skip
            self._session.document.add_step(made[kind])

    def keep_section(self) -> None:
        """Keep what the section box shows; without one, say how to get one."""
        section = self._session.shown.look.section
        if section is None:
            self._session.notify("turn on the section box (X) and set it around what should stay, then add this step")
            return
        self._session.document.add_step(CropBox(low=three(section[0]), high=three(section[1])))
