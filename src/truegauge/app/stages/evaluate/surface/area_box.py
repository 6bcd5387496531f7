"""Where it is looked: tools for the flat map and the view, and the steps that they made."""

import math
from functools import partial

from PySide6.QtWidgets import QCheckBox, QListWidget

from truegauge.app.stages.evaluate.surface.area_model import TOOLS, AreaModel, words_of
from truegauge.app.view.outline_tool import MODES
from truegauge.app.widgets.bench import button, label, number_box, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import LengthField, choice, choose, row
from truegauge.app.widgets.text_size import grow_to, keep_size
from truegauge.drawing.units import NumberFormat

_WAYS = (("only", "only what is drawn"), ("also", "also what is drawn"), ("not", "not what is drawn"))
_BUTTONS = (("lasso", "Free line"), ("polyline", "Corners"), ("brush", "Brush"), ("smooth", "Up to creases"))
_IN_VIEW = {"box": "Box", "lasso": "Free line", "polyline": "Corners"}
_ROW = 22


class AreaBox(Fold):
    """Folded away until somebody wants less than all of the scan."""

    def __init__(self, model: AreaModel) -> None:
        super().__init__("Where")
        self._model, s = model, model.session
        self.said = label("", "soft", wrap=True)
        self.way = choice(_WAYS, model.set_way, "what becomes of what is drawn")
        self.tools = {key: button(words, partial(model.take, key)) for key, words in _BUTTONS}
        for key, made in self.tools.items():
            made.setCheckable(True)
            made.setToolTip(TOOLS[key])
        self.outlines = [button(_IN_VIEW[mode], partial(model.draw_in_view, mode)) for mode in MODES]
        self.deep = QCheckBox("Through to the back")
        self.deep.toggled.connect(self._set_deep)
        self.radius = LengthField(s, "the radius of the brush", self._set_radius, least=1e-3)
        self.turn = number_box(1.0, 90.0, 0, suffix="°", tip="What turns by more is a crease")
        self.turn.setAccessibleName("turn of a crease")
        self.turn.valueChanged.connect(self._set_turn)
        keep_size(self.turn, width=84)
        self.by = LengthField(s, "how far", self._set_by, least=1e-3)
        self.wider = button("Wider", lambda: model.grow(model.by))
        self.narrower = button("Narrower", lambda: model.grow(-model.by))
        self.beyond = LengthField(s, "how far beyond", lambda v: model.surface.change(beyond=v))
        self.beyond.setToolTip("How far beyond the area the reference may look")
        self.steps = QListWidget()
        self.steps.setAccessibleName("steps of the area")
        self.remove = button("Take the step out", self._remove)
        tools = self.tools
        for widget in (
            self.said, self.way, row("On the flat map"), row(tools["lasso"], tools["polyline"]),
            row(tools["brush"], tools["smooth"]), row("Radius of the brush", self.radius),
            row("Creases from", self.turn), row("In the view"), row(*self.outlines), self.deep, row("By", self.by),
            row(self.wider, self.narrower), row("Reference beyond it", self.beyond), self.steps, self.remove,
        ):  # fmt: skip
            self.column.addWidget(widget)

    def _set_deep(self, deep: bool) -> None:
        self._model.deep = deep

    def _set_radius(self, radius: float) -> None:
        self._model.radius = radius

    def _set_turn(self, degrees: float) -> None:
        self._model.turn = math.radians(degrees)

    def _set_by(self, by: float) -> None:
        self._model.by = by

    def _remove(self) -> None:
        number = self.steps.currentRow()
        self._model.remove(number if number >= 0 else len(self._model.steps) - 1)

    def refresh(self) -> None:
        """Show the steps and the tool in hand."""
        m, check = self._model, self._model.surface.check
        if check is None:
            return
        steps = m.steps
        self.header.setText(
            "Where: all of the scan" if not steps else f"Where: {len(steps)} step{'s' * (len(steps) > 1)}"
        )
        say(self.said, TOOLS.get(m.tool, ""))
        choose(self.way, m.way)
        for key, made in self.tools.items():
            made.setChecked(key == m.tool)
            made.setEnabled(m.surface.found is not None)
        for made in (self.wider, self.narrower):
            made.setEnabled(m.surface.found is not None)
        self.turn.blockSignals(True)
        self.turn.setValue(math.degrees(m.turn))
        self.turn.blockSignals(False)
        self.radius.show_length(m.radius)
        self.by.show_length(m.by)
        self.beyond.show_length(check.beyond)
        plan = m.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        words = [f"{k}  {words_of(step, numbers)}" for k, step in enumerate(steps, 1)]
        if [self.steps.item(k).text() for k in range(self.steps.count())] != words:
            self.steps.clear()
            self.steps.addItems(words)
        self.steps.setVisible(bool(steps))
        self.remove.setVisible(bool(steps))
        grow_to(self.steps, _ROW * max(1, len(steps)) + 6, _ROW * min(5, max(1, len(steps))) + 6)
