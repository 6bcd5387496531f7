"""How the selected feature is touched: its strategy with its numbers, its stylus, how the probe comes; seen at once."""

from collections.abc import Callable
from functools import partial

from PySide6.QtWidgets import QCheckBox, QDoubleSpinBox, QHBoxLayout, QLabel, QWidget

from truegauge.app.track.model import RouteModel
from truegauge.app.track.places_hand import PlacesHand
from truegauge.app.track.strategy_numbers import KINDS, NUMBERS, TRACE
from truegauge.app.track.via_fields import ViaFields
from truegauge.app.widgets.bench import button, label, number_box, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import choice, choose
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.plan.features import NominalFeature
from truegauge.core.probing.probing import StylusUse
from truegauge.core.routes.document import Coming, MeasureStep, step_id
from truegauge.core.routes.strategies import (
    Clicked,
    Helix,
    Rings,
    SheetEdge,
    Strategy,
    Trace,
    Traceable,
    Usual,
    trace_of,
)
from truegauge.core.routes.usual import resolved

_CLICKED = "clicked"
_BEST = "best"
_FAR = 20.0  # mm


class StrategyPanel(Fold):
    """Numbers by typing, wheel or arrow keys; what comes fast is one step of undo."""

    def __init__(self, model: RouteModel, parent: QWidget | None = None) -> None:
        super().__init__("How it is touched", parent)
        self.model, self.session = model, model.session
        self._filling = False
        self._kinds: tuple[str, ...] = ()
        self.kind = choice([(k, words) for k, (words, _) in KINDS.items()], self._on_kind, "strategy")
        self.column.addWidget(self.kind)
        self.boxes: dict[str, QDoubleSpinBox] = {}
        self.rows: dict[str, QWidget] = {}
        self._labels: dict[str, QLabel] = {}
        self._rows_kept: list[QWidget] = []
        for name in dict.fromkeys(n.name for fields in (*NUMBERS.values(), TRACE) for n in fields):
            box = number_box(0, 1, 0)
            keep_size(box, width=84)
            box.valueChanged.connect(partial(self._on_number, name))
            words = label("", "soft")
            row = self._numbered(words, box)
            self.column.addWidget(row)
            self.boxes[name], self.rows[name], self._labels[name] = box, row, words
        self.end = choice([("outer", "from the outer end"), ("inner", "from the inner end")], self._on_end, "end")
        self.other = QCheckBox("from the other side of the sheet")
        self.other.toggled.connect(self._on_other)
        self.trace = choice([("", "single touches"), ("trace", "continuous contact")], self._on_trace, "contact")
        self.stylus = choice([(_BEST, "the stylus that fits best")], self._on_stylus, "stylus")
        self.coming = choice(
            [("normal", "comes along the normal"), ("0", "comes along X"), ("1", "comes along Y"),
             ("2", "comes along Z"), ("-0", "comes along -X"), ("-1", "comes along -Y"), ("-2", "comes along -Z")],
            self._on_coming, "way to the feature",
        )  # fmt: skip
        self.frame = choice([("", "of the part")], self._on_frame, "frame whose axis it is")
        self.far = self._own_number("from before it, mm", 0, 1000, self._on_far)
        self.approach = self._own_number("stops before, mm", 0, 100, partial(self._on_own, "approach"))
        self.speed = self._own_number("travels at, mm/s", 0, 2000, partial(self._on_own, "speed"))
        for box in (self.approach, self.speed):
            box.setSpecialValueText("as usual")
        self.via = ViaFields(self.session, self._step, lambda via: self._edit(via=via))
        self.places = PlacesHand(model)
        self.click = button("Touches by clicking", self._on_click)
        self.click.setCheckable(True)
        self.click.setToolTip("Click places on the face; a click on a place takes it away, a drag moves it")
        self.session.pointer.picking_stopped.connect(lambda: self.click.setChecked(False))
        self.said = label("", "soft", wrap=True)
        self.back = button("As usual", self._on_usual)
        for widget in (
            self.end, self.other, self.trace, self.stylus, self.coming, self.frame, self.far.parentWidget(),
            self.approach.parentWidget(), self.speed.parentWidget(), self.via, self.click, self.said, self.back,
        ):  # fmt: skip
            assert widget is not None
            self.column.addWidget(widget)
        model.changed.connect(self._on_changed)
        self.header.toggled.connect(lambda _: self.refresh())

    @staticmethod
    def _numbered(words: QLabel, box: QDoubleSpinBox) -> QWidget:
        """Return a row of words and a number."""
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(words)
        line.addStretch()
        line.addWidget(box)
        return row

    def _own_number(self, words: str, least: float, most: float, then: Callable[[float], None]) -> QDoubleSpinBox:
        """Return a number of the step, in a row of its own."""
        box = number_box(least, most, 1)
        keep_size(box, width=84)
        box.setAccessibleName(words)
        box.valueChanged.connect(then)
        self._rows_kept.append(self._numbered(label(words, "soft"), box))
        return box

    def _on_changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def _feature(self) -> NominalFeature | None:
        found = self.session.selection.features()
        one = found[0] if len(found) == 1 and len(self.session.selection.groups) == 1 else None
        return one if isinstance(one, NominalFeature) else None

    def _step(self) -> MeasureStep | None:
        feature = self._feature()
        if feature is None:
            return None
        return self.model.route.step_of(feature.id) or MeasureStep(id=step_id(feature.id), feature=feature.id)

    def _placing(self, step: MeasureStep) -> Strategy:
        """Return the strategy with the numbers that it has for the feature."""
        feature, evaluator = self._feature(), self.session.evaluator
        if feature is None or evaluator is None or not isinstance(step.strategy, Usual):
            return step.strategy
        from truegauge.core.evaluation.touch_needs import features_to_touch

        found = features_to_touch(evaluator.context(self.session.plan, None), (feature,)).get(feature.id)
        if found is None:
            return step.strategy
        return resolved(step.strategy, found)

    def refresh(self) -> None:
        """Show how the selected feature is touched."""
        step = self._step()
        if self.click.isChecked() and (step is None or self.model.chosen != (step.id,)):
            self.session.pointer.stop_picking()  # it is about another feature now
        self.setVisible(step is not None and bool(self.session.plan.probing.assemblies))
        if step is None or not self.header.isChecked():
            return
        self._filling = True
        strategy = self._placing(step)
        known = self.kind.findData(_CLICKED)
        if (step.strategy.kind == _CLICKED) != (known >= 0):
            if known >= 0:
                self.kind.removeItem(known)
            else:
                self.kind.addItem("Places one by one", _CLICKED)
        choose(self.kind, step.strategy.kind)
        trace = trace_of(strategy)
        fields = {n.name: n for n in (*NUMBERS.get(strategy.kind, ()), *(TRACE if trace is not None else ()))}
        for name, box in self.boxes.items():
            self.rows[name].setVisible(name in fields)
            if name not in fields:
                continue
            n = fields[name]
            self._labels[name].setText(n.words)
            box.setAccessibleName(n.words)
            box.setDecimals(n.decimals)
            box.setRange(n.least, n.most)
            box.setSingleStep(n.step)
            value = getattr(trace if name in ("spacing", "speed") else strategy, name)
            box.setSpecialValueText("by itself" if name in ("first", "last") else "")
            box.setValue(n.least if value is None else float(value))
        self.end.setVisible(isinstance(strategy, Rings | Helix))
        self.trace.setVisible(isinstance(strategy, Traceable))
        self.other.setVisible(isinstance(strategy, SheetEdge))
        if isinstance(strategy, SheetEdge):
            self.other.setChecked(strategy.other)
        if isinstance(strategy, Rings | Helix):
            choose(self.end, strategy.end)
        choose(self.trace, "" if trace is None else "trace")
        self._fill_styli(step)
        axis = [k for k in range(3) if abs(step.coming.axis[k]) > 0.5]
        key = "normal" if step.coming.far <= 0 or step.coming.along == "normal" or not axis else (
            f"{'-' if step.coming.axis[axis[0]] < 0 else ''}{axis[0]}")  # fmt: skip
        choose(self.coming, key)
        self._fill_coming(step, comes=key != "normal")
        say(self.said, self._told(step))
        plain = MeasureStep(id=step.id, feature=step.feature, group=step.group, on=step.on, pinned=step.pinned)
        self.back.setVisible(step != plain)
        self._filling = False

    def _fill_coming(self, step: MeasureStep, *, comes: bool) -> None:
        named = [("", "of the part"), *((a.id, f"of {a.name}") for a in self.session.plan.alignments)]
        if [(self.frame.itemData(k), self.frame.itemText(k)) for k in range(self.frame.count())] != named:
            self.frame.clear()
            for key, words in named:
                self.frame.addItem(words, key)
        choose(self.frame, step.coming.frame if step.coming.frame in dict(named) else "")
        self.frame.setVisible(comes)
        self._rows_kept[0].setVisible(comes)
        self.far.setValue(step.coming.far)
        self.approach.setValue(step.approach or 0.0)
        self.speed.setValue(step.speed or 0.0)
        self.via.refresh()

    def _fill_styli(self, step: MeasureStep) -> None:
        probing = self.session.plan.probing
        names = {f"{k}": probing.name_of(u) for k, u in enumerate(probing.uses())}
        if [self.stylus.itemText(k) for k in range(1, self.stylus.count())] != list(names.values()):
            self.stylus.clear()
            self.stylus.addItem("the stylus that fits best", _BEST)
            for key, name in names.items():
                self.stylus.addItem(name, key)
        chosen = _BEST if step.stylus is None else str(list(probing.uses()).index(step.stylus))
        choose(self.stylus, chosen)

    def _told(self, step: MeasureStep) -> str:
        """Say what comes of it."""
        found = self.model.step_plan(step.id)
        if found is None:
            return ""
        if found.unreached is not None:
            return f"Not reached: {found.unreached.reason}"
        styli = "; ".join(f"{len(v.places)} by {self.session.plan.probing.name_of(v.use)}" for v in found.visits)
        moved = sum(t.moved for t in found.troubles)
        gone = len(found.troubles) - moved
        told = [styli, f"{moved} moved" if moved else "", f"{gone} dropped" if gone else ""]
        first = next((t.why for t in found.troubles), "")
        return ", ".join(filter(None, told)) + (f": {first}" if first else "")

    # Editing ------------------------------------------------------------------------------------------------------

    def _edit(self, merge_key: str = "", **changes: object) -> None:
        step, feature = self._step(), self._feature()
        if step is None or feature is None or self._filling:
            return
        try:
            made = step.replace(**changes)
        except ValueError as error:
            self.session.notify(error)
            self.refresh()
            return
        self.model.edit(made, f"how {feature.name} is touched", merge_key and f"{merge_key} {step.id}")

    def _on_kind(self, key: str) -> None:
        step = self._step()
        if step is None or self._filling or key == _CLICKED:
            return
        now = self._placing(step)
        self._edit(strategy=now if now.kind == key else KINDS[key][1]())

    def _on_number(self, name: str, value: float) -> None:
        step = self._step()
        if step is None or self._filling:
            return
        strategy = self._placing(step)
        if isinstance(strategy, Clicked | Usual):
            return
        kept: float | int | Trace | None = value
        trace = trace_of(strategy)
        if name in ("spacing", "speed"):
            if trace is None:
                return
            name, kept = "trace", trace.replace(**{name: value})
        elif isinstance(getattr(strategy, name), int):
            kept = round(value)
        elif name in ("first", "last") and value <= 0:
            kept = None
        try:
            changed = strategy.replace(**{name: kept})
        except ValueError as error:
            self.session.notify(error)
            self.refresh()
            return
        self._edit(f"strategy {name}", strategy=changed)

    def _on_end(self, key: str) -> None:
        step = self._step()
        strategy = None if step is None else self._placing(step)
        if isinstance(strategy, Rings | Helix):
            self._edit(strategy=strategy.replace(end=key))

    def _on_other(self, on: bool) -> None:
        step = self._step()
        if step is not None and isinstance(step.strategy, SheetEdge):
            self._edit(strategy=step.strategy.replace(other=on))

    def _on_trace(self, key: str) -> None:
        step = self._step()
        strategy = None if step is None else self._placing(step)
        if isinstance(strategy, Traceable):
            self._edit(strategy=strategy.replace(trace=Trace() if key else None))

    def _on_stylus(self, key: str) -> None:
        uses: tuple[StylusUse, ...] = self.session.plan.probing.uses()
        self._edit(stylus=None if key == _BEST else uses[int(key)])

    def _on_coming(self, key: str) -> None:
        if key == "normal":
            self._edit(coming=Coming())
            return
        axis = [0.0, 0.0, 0.0]
        axis[int(key[-1])] = -1.0 if key.startswith("-") else 1.0
        step = self._step()
        now = Coming() if step is None else step.coming
        far = now.far or _FAR
        self._edit(coming=Coming(along="axis", axis=(axis[0], axis[1], axis[2]), far=far, frame=now.frame))

    def _on_frame(self, key: str) -> None:
        step = self._step()
        if step is not None:
            self._edit(coming=step.coming.replace(frame=key))

    def _on_far(self, value: float) -> None:
        step = self._step()
        if step is not None and value > 0:
            self._edit("how far before", coming=step.coming.replace(far=value))

    def _on_own(self, name: str, value: float) -> None:
        self._edit(f"own {name}", **{name: value or None})

    def _on_click(self) -> None:
        feature, step = self._feature(), self._step()
        if not self.click.isChecked() or feature is None or step is None:
            self.session.pointer.take_places(None)
            return
        if self.model.step(step.id) is None:
            self.model.edit(step, f"how {feature.name} is touched")
        self.model.choose((step.id,))
        self.session.pointer.take_places(self.places.click, escape_stops=True)

    def _on_usual(self) -> None:
        self._edit(strategy=Usual(), stylus=None, coming=Coming(), approach=None, speed=None, via=())
