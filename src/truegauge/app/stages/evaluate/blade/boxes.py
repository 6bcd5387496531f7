"""What is set of the sections of a blade, in folds: axes and sides, fit, bands by zone, construction."""

from __future__ import annotations

from functools import partial
from math import degrees, radians

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox

from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.widgets.bench import Choice, label, number_box, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import LengthField, choice, choose, row
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.frozen_model import Three
from truegauge.core.plan.blades import ZONE_NAMES, BladeBand, BladeCheck, ZoneName
from truegauge.drawing.blade_figure import ZONE_WORDS

_WAYS: dict[str, Three] = {
    "X": (1.0, 0.0, 0.0), "Y": (0.0, 1.0, 0.0), "Z": (0.0, 0.0, 1.0),
    "-X": (-1.0, 0.0, 0.0), "-Y": (0.0, -1.0, 0.0), "-Z": (0.0, 0.0, -1.0),
}  # fmt: skip
_AXES = tuple((k, f"along {k}") for k in _WAYS)
_SIDES = (("", "found"), *((k, f"towards {k}") for k in _WAYS))
_SHAPES = (("planes", "planes"), ("cones", "unrolled cones"))
_CRITERIA = (("least squares", "least squares"), ("minimax", "smallest largest deviation"))
_SHIFTS = (("both", "shifted both ways"), ("along", "shifted along the axis"), ("across", "shifted across the axis"),
           ("none", "not shifted"))  # fmt: skip
_ABOUT = (("centroid", "about the centroid"), ("stacking", "about the stacking axis"), ("place", "about a place"),
          ("feature", "about a feature's axis"))  # fmt: skip
_JUDGED = (("after", "shown after the fit"), ("before", "shown as measured"))


def _name_of(way: Three | None) -> str:
    return "" if way is None else next((k for k, v in _WAYS.items() if v == way), "own")


class AxesBox(Fold):
    """Stacking and machine axis, the sides where they are not to be found, and how thick a section is."""

    def __init__(self, model: BladeModel) -> None:
        super().__init__("Axes and sides")
        self._model, s = model, model.session
        self.axis = choice(_AXES, lambda k: self._set("axis", k), "stacking axis")
        self.machine = choice(_AXES, lambda k: self._set("machine", k), "machine axis")
        self.leading = choice(_SIDES, lambda k: self._set("leading", k), "leading edge")
        self.pressure = choice(_SIDES, lambda k: self._set("pressure", k), "pressure side")
        self.thickness = LengthField(s, "the thickness", lambda v: model.change("thickness of sections", thickness=v),
                                     least=0.01)  # fmt: skip
        self.thickness.setToolTip("Points from so much of height are carried along the surface into a section")
        self.tilts = []
        for k, which in enumerate(("lowest", "highest")):
            box = number_box(-68.0, 68.0, 2, suffix=" °", tip="Sections rise along the machine axis")
            box.setAccessibleName(f"rise of the {which} section")
            box.editingFinished.connect(partial(self._on_tilt, k))
            self.tilts.append(box)
        self.shape = choice(_SHAPES, self._on_shape, "shape of sections")
        self.below = LengthField(s, "the way to the machine axis", self._on_below, least=-1e6)
        self.below.setToolTip("The machine axis goes so far below the origin, against the stacking axis")
        self.below_row = row("Machine axis below", self.below)
        for widget in (row("Stacking axis", self.axis), row("Machine axis", self.machine),
                       row("Leading edge", self.leading), row("Pressure side", self.pressure),
                       row("Thickness", self.thickness), row("Sections", self.shape), self.below_row,
                       row("Rise of the lowest", self.tilts[0]),
                       row("of the highest", self.tilts[1])):  # fmt: skip
            self.column.addWidget(widget)

    def _on_shape(self, key: str) -> None:
        if self._model.blade is not None:
            kept = self._model.blade.machine_below
            self._model.change("shape of sections", machine_below=(kept or 0.0) if key == "cones" else None)

    def _on_below(self, value: float) -> None:
        self._model.change("place of the machine axis", machine_below=value)

    def _on_tilt(self, k: int) -> None:
        blade, own = self._model.blade, radians(self.tilts[k].value())
        if blade is not None and abs(own - blade.tilts[k]) > 1e-7:
            self._model.edit(partial(_with_tilt, k, own), "rise of sections")

    def _set(self, name: str, key: str) -> None:
        self._model.change("axes of the blade", **{name: _WAYS.get(key)})

    def refresh(self) -> None:
        """Show what is set."""
        blade = self._model.blade
        if blade is None:
            return
        for made, way in ((self.axis, blade.axis), (self.machine, blade.machine), (self.leading, blade.leading),
                          (self.pressure, blade.pressure)):  # fmt: skip
            name = _name_of(way)
            if name == "own" and made.findData("own") < 0:
                made.addItem("along " + ", ".join(f"{v:g}" for v in way or ()), "own")
            choose(made, name)
        self.thickness.show_length(blade.thickness)
        choose(self.shape, "planes" if blade.machine_below is None else "cones")
        self.below_row.setVisible(blade.machine_below is not None)
        self.below.show_length(blade.machine_below or 0.0)
        for box, tilt in zip(self.tilts, blade.tilts, strict=True):
            box.blockSignals(True)
            box.setValue(degrees(tilt))
            box.blockSignals(False)


class FitBox(Fold):
    """How sections are put onto their nominal."""

    def __init__(self, model: BladeModel) -> None:
        super().__init__("Fit onto the nominal")
        self._model, s = model, model.session
        self.judged = choice(_JUDGED, lambda k: model.change("what is shown of sections", judged=k), "what is shown")
        self.criterion = choice(_CRITERIA, lambda k: model.change_fit(criterion=k), "criterion")
        self.shifts = choice(_SHIFTS, lambda k: model.change_fit(shifts=k), "shifts")
        self.turns = QCheckBox("Turned")
        self.turns.toggled.connect(lambda on: model.change_fit(turns=on))
        self.about = choice(_ABOUT, self._on_about, "what it turns about")
        self.place_x = LengthField(s, "x of the place", lambda v: self._on_place(0, v), least=-1e6)
        self.place_y = LengthField(s, "y of the place", lambda v: self._on_place(1, v), least=-1e6)
        self.place = row("Place in the section", self.place_x, self.place_y)
        self.feature = choice((), lambda k: model.change_fit(feature=k, about="feature"), "feature")
        self.shift_limit = LengthField(s, "the limit", lambda v: model.change_fit(shift_limit=v or None))
        self.turn_limit = number_box(0.0, 180.0, 3, suffix=" °", tip="0: no limit")
        self.shift_limit.setToolTip("The fit shifts no farther; 0: no limit")
        self.turn_limit.editingFinished.connect(self._on_turn_limit)
        self.weights = []
        for widget in (self.judged, self.criterion, self.shifts, self.turns, self.about, self.place, self.feature,
                       row("Shift at most", self.shift_limit), row("Turn at most", self.turn_limit),
                       label("How much zones count", "soft")):  # fmt: skip
            self.column.addWidget(widget)
        for k, zone in enumerate(ZONE_NAMES):
            box = number_box(0.0, 1000.0, 2)
            box.editingFinished.connect(partial(self._on_weight, k))
            self.weights.append(box)
            self.column.addWidget(row(ZONE_WORDS[zone], box))
        self.matrix = label("", "soft", wrap=True)
        self.matrix.setToolTip("Nominal from measured, in the coordinates of the section (mm)")
        self.matrix.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.column.addWidget(self.matrix)

    def _on_about(self, key: str) -> None:
        plan = self._model.session.plan
        if key == "feature" and self._model.blade is not None and not self._model.blade.fit.feature:
            if not plan.all_features:
                self._model.session.notify("the plan has no feature whose axis a section could turn about")
                self.refresh()
                return
            self._model.change_fit(about=key, feature=plan.all_features[0].id)
            return
        self._model.change_fit(about=key)

    def _on_place(self, k: int, value: float) -> None:
        self._model.edit(lambda b: b.replace(fit=b.fit.replace(place=_put(b.fit.place, k, value))), "place of the fit")

    def _on_turn_limit(self) -> None:
        value = self.turn_limit.value()
        if self._model.blade is not None and abs(value - degrees(self._model.blade.fit.turn_limit or 0.0)) > 1e-9:
            self._model.change_fit(turn_limit=radians(value) or None)

    def _on_weight(self, k: int) -> None:
        value, blade = self.weights[k].value(), self._model.blade
        if blade is not None and blade.fit.weights[k] != value:
            self._model.edit(lambda b: b.replace(fit=b.fit.replace(weights=_put(b.fit.weights, k, value))),
                             "weights of zones")  # fmt: skip

    def refresh(self) -> None:
        """Show what is set."""
        blade = self._model.blade
        if blade is None:
            return
        fit, motion = blade.fit, self._model.matrix
        rows = [] if motion is None else ["  ".join(f"{v:+.6f}" for v in line) for line in motion.tolist()]
        say(self.matrix, "\n".join(["Motion of this section:", *rows]) if rows else "")
        shown: tuple[tuple[Choice, str], ...] = (
            (self.judged, blade.judged), (self.criterion, fit.criterion), (self.shifts, fit.shifts),
            (self.about, fit.about),
        )  # fmt: skip
        for made, key in shown:
            choose(made, key)
        self.turns.blockSignals(True)
        self.turns.setChecked(fit.turns)
        self.turns.blockSignals(False)
        self.about.setEnabled(fit.turns)
        self.place.setVisible(fit.about == "place" and fit.turns)
        self.feature.setVisible(fit.about == "feature" and fit.turns)
        features = [(f.id, f.name) for f in self._model.session.plan.all_features]
        if [self.feature.itemData(k) for k in range(self.feature.count())] != [f for f, _ in features]:
            self.feature.clear()
            for key, name in features:
                self.feature.addItem(name, key)
        choose(self.feature, fit.feature)
        self.place_x.show_length(fit.place[0])
        self.place_y.show_length(fit.place[1])
        self.shift_limit.show_length(fit.shift_limit or 0.0)
        boxes = [(self.turn_limit, degrees(fit.turn_limit or 0.0)), *zip(self.weights, fit.weights, strict=True)]
        for box, value in boxes:
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)


class BandsBox(Fold):
    """What each zone is allowed to be off, and how far one band goes over into the next."""

    def __init__(self, model: BladeModel) -> None:
        super().__init__("Bands by zone")
        self._model, s = model, model.session
        self.fields: dict[tuple[ZoneName, str], LengthField] = {}
        for zone in ZONE_NAMES:
            pair = []
            for side in ("lower", "upper"):
                field = LengthField(s, f"{side} limit of the {ZONE_WORDS[zone]}", partial(self._on_limit, zone, side),
                                    least=-1e3, emptied=partial(self._on_limit, zone, side, None))  # fmt: skip
                keep_size(field, width=66)
                self.fields[zone, side] = field
                pair.append(field)
            self.column.addWidget(row(ZONE_WORDS[zone], *pair))
        self.blend = LengthField(s, "the length", lambda v: model.change("bands of zones", blend=v))
        self.blend.setToolTip("At a joint of two zones one band goes straight over into the other along this length")
        self.column.addWidget(row("Go over along", self.blend))

    def _on_limit(self, zone: ZoneName, side: str, value: float | None) -> None:
        self._model.edit(partial(_with_limit, zone, side, value), "bands of zones")

    def refresh(self) -> None:
        """Show what is set."""
        blade = self._model.blade
        if blade is None:
            return
        own = {b.zone: b for b in blade.bands}
        for (zone, side), field in self.fields.items():
            value = getattr(own.get(zone), side, None)
            if value is None:
                field.show_nothing()
            else:
                field.show_length(value)
        self.blend.show_length(blade.blend)
        self.header.setText(f"Bands by zone: {len(own)} of 4" if own else "Bands by zone")


class ConstructionBox(Fold):
    """How edges and tangent are constructed: the numbers behind the handles."""

    def __init__(self, model: BladeModel) -> None:
        super().__init__("Construction")
        self._model, s = model, model.session
        self.scope = choice((("all", "holds for all sections"), ("own", "holds for this section")), self._on_scope,
                            "what a construction holds for")  # fmt: skip
        self.shares, self.moved = {}, {}
        self.column.addWidget(self.scope)
        for edge in ("leading", "trailing"):
            share = number_box(10.0, 100.0, 1, suffix=" %", tip="How much of a quarter turn to either side is fitted")
            share.editingFinished.connect(partial(self._on_share, edge))
            moved = LengthField(s, f"how far the {edge} circle is moved",
                                partial(self._on_moved, edge), least=-50.0)  # fmt: skip
            moved.setToolTip("Where the middle of what is fitted lies, from the end of the mean line towards the "
                             "pressure side")  # fmt: skip
            self.shares[edge], self.moved[edge] = share, moved
            share.setAccessibleName(f"share of the {edge} edge")
            self.column.addWidget(row(f"{edge.capitalize()} edge fitted", share))
            self.column.addWidget(row("moved by", moved))
        self.found = QCheckBox("Tangent where it touches")
        self.found.toggled.connect(self._on_found)
        self.column.addWidget(self.found)
        self.tangent = []
        for k, words in enumerate(("Tangent from", "to")):
            box = number_box(0.0, 100.0, 1, suffix=" %", tip="Share of the chord")
            box.editingFinished.connect(partial(self._on_tangent, k))
            self.tangent.append(box)
            self.column.addWidget(row(words, box))

    def _on_scope(self, key: str) -> None:
        self._model.for_all = key == "all"
        self.refresh()

    def _on_moved(self, edge: str, value: float) -> None:
        self._model.construct(changes={f"{edge}_moved": value})

    def _on_share(self, edge: str) -> None:
        value = self.shares[edge].value() / 100
        if abs(value - getattr(self._model.construction, f"{edge}_share")) > 5e-4:
            self._model.construct(changes={f"{edge}_share": value})

    def _on_found(self, on: bool) -> None:
        self._model.construct(changes={"tangent": None if on else (0.2, 0.8)})

    def _on_tangent(self, k: int) -> None:
        own = self._model.construction.tangent
        value = self.tangent[k].value() / 100
        if own is not None and abs(own[k] - value) > 5e-4:
            self._model.construct(changes={"tangent": (value, own[1]) if k == 0 else (own[0], value)})

    def refresh(self) -> None:
        """Show what is set."""
        m, own = self._model, self._model.construction
        choose(self.scope, "all" if m.for_all else "own")
        boxes = [(self.shares[e], 100 * getattr(own, f"{e}_share")) for e in self.shares]
        for k, box in enumerate(self.tangent):
            box.setEnabled(own.tangent is not None)
            boxes.append((box, 100 * (own.tangent or (0.2, 0.8))[k]))
        for box, value in boxes:
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)
        for edge, field in self.moved.items():
            field.show_length(getattr(own, f"{edge}_moved"))
        self.found.blockSignals(True)
        self.found.setChecked(own.tangent is None)
        self.found.blockSignals(False)


def _put(values: tuple[float, ...], k: int, value: float) -> tuple[float, ...]:
    return (*values[:k], value, *values[k + 1 :])


def _with_tilt(k: int, value: float, blade: BladeCheck) -> BladeCheck:
    """Return a blade whose sections rise otherwise: the first that is typed counts for all of them."""
    return blade.replace(tilts=(value, value) if blade.tilts == (0.0, 0.0) else _put(blade.tilts, k, value))


def _with_limit(zone: ZoneName, side: str, value: float | None, blade: BladeCheck) -> BladeCheck:
    """Return a blade with a limit of a zone, None: without it; the first one is taken for both sides."""
    own = {b.zone: b for b in blade.bands}
    if value is None and zone not in own:
        return blade
    first = abs(value or 0.0)
    made = (own.get(zone) or BladeBand(zone=zone, lower=-first, upper=first)).replace(**{side: value})
    own[zone] = made
    return blade.replace(
        bands=tuple(own[z] for z in ZONE_NAMES if z in own and (own[z].lower, own[z].upper) != (None, None))
    )
