"""The map: what it is shown on, its scale, statistics of picked faces, and the areas outside."""

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QCheckBox, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from truegauge.app.document.needs import needs_alignment
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.widgets.bench import Pairs, button, label, number_box, say
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.parts import LengthField, choice, choose, row
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.deviations.areas import OutsideArea
from truegauge.core.nodes.graph import NotComputed
from truegauge.drawing.units import NumberFormat

_SIDES = (("both", "too much and too little"), ("plus", "too much only"), ("minus", "too little only"))
_PALETTES = (("indigo", "indigo to vermilion"), ("teal", "teal to amber"), ("plum", "green to plum"),
             ("print", "black to ochre"))  # fmt: skip
_LISTED = 40


class MapPage(QWidget):
    """Switches for map, points and needles; the scale; statistics; areas outside."""

    area_wanted = Signal(object)

    def __init__(self, model: EvaluateModel) -> None:
        super().__init__()
        self._model, self.session = model, model.session
        s = self.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.map, self.scan_map = QCheckBox("Map on the part"), QCheckBox("On the scan")
        self.points, self.needles = QCheckBox("Points"), QCheckBox("Needles")
        self.map.toggled.connect(lambda on: s.show(map=on))
        self.scan_map.toggled.connect(lambda on: s.show(scan_map=on))
        self.points.toggled.connect(lambda on: s.show(points=on))
        self.needles.toggled.connect(lambda on: s.show(map_needles=on))
        column.addWidget(row(self.map, self.scan_map))
        column.addWidget(row(self.points, self.needles))
        self.limit = LengthField(s, "the limit of the scale", lambda v: self._limits(limit=v), least=1e-6)
        self.tolerance = LengthField(s, "the tolerance of the map", lambda v: self._limits(tolerance=v), least=1e-6)
        self.limit.setAccessibleName("scale limit")
        self.tolerance.setAccessibleName("scale tolerance")
        column.addWidget(row("Limit ±", self.limit))
        column.addWidget(row("Tolerance ±", self.tolerance))
        column.addWidget(self._scale_fold())
        self.what = label("", "heading")
        self.reason = label("", "soft", wrap=True)
        self.pairs = Pairs()
        column.addWidget(self.what)
        column.addWidget(self.reason)
        column.addWidget(self.pairs)
        self.outside = label("", "heading")
        self.list = QListWidget()
        self.list.setAccessibleName("areas outside, the largest first")
        keep_size(self.list, least_height=120)
        self.list.currentItemChanged.connect(self._on_area)
        self.list.itemClicked.connect(lambda item: self._on_area(item, None))
        column.addWidget(self.outside)
        column.addWidget(self.list, 1)
        column.addStretch()  # takes the height where there is no list

    def _scale_fold(self) -> Fold:
        fold = Fold("Steps and colours")
        s = self.session
        self.inner = number_box(1, 31, 0, tip="Steps within the tolerance, an odd number")
        self.inner.setSingleStep(2)
        self.outer = number_box(1, 30, 0, tip="Steps from the tolerance to the limit, on each side")
        self.inner.valueChanged.connect(lambda v: self._change(inner=int(v) | 1))
        self.outer.valueChanged.connect(lambda v: self._change(outer=int(v)))
        self.sides = choice(_SIDES, lambda k: self._change(sided=k), "sides of the scale")
        self.palette_choice = choice(_PALETTES, lambda k: self._change(palette=k), "colours of the scale")
        self.only_outside = QCheckBox("Colour only what is outside")
        self.only_outside.toggled.connect(lambda on: self._change(only_outside=on))
        self.edges, self.colors = QLineEdit(), QLineEdit()
        self.edges.setPlaceholderText("-0.2 -0.05 0.05 0.2")
        self.edges.setToolTip("Edges of the steps, from the least on; empty for even steps")
        self.edges.setAccessibleName("edges of the steps")
        self.colors.setPlaceholderText("#3B3A8F #F1EDE2 #C4472B")
        self.colors.setToolTip("Colours of the steps, one less than edges; empty for those of the scale")
        self.colors.setAccessibleName("colours of the steps")
        self.edges.editingFinished.connect(self._on_steps)
        self.colors.editingFinished.connect(self._on_steps)
        self.own = LengthField(s, "the tolerance of the picked faces", self._on_own, least=1e-6)
        self.own_reset = button("As the others", lambda: self._model.set_own_tolerance(None))
        for widget in (row("Steps within", self.inner), row("Steps outside", self.outer), self.sides,
                       self.palette_choice, self.only_outside, label("Own steps: edges, colours", "soft"), self.edges,
                       self.colors, row("Picked faces ±", self.own), self.own_reset):  # fmt: skip
            fold.column.addWidget(widget)
        return fold

    def _change(self, **changes: object) -> None:
        s = self.session
        if all(getattr(s.showing.scale, name) == value for name, value in changes.items()):
            return
        try:
            s.showing.set_scale(s.showing.scale.replace(**changes))
        except ValueError as error:
            s.notify(error)
            self.refresh()

    def _limits(self, *, limit: float | None = None, tolerance: float | None = None) -> None:
        scale = self.session.showing.scale
        if tolerance is not None:
            self._change(tolerance=tolerance, limit=max(scale.limit, tolerance))
        elif limit is not None and limit < scale.tolerance:
            self.session.notify("the limit cannot be smaller than the tolerance; the scale stays as it was")
            self.refresh()
        else:
            self._change(limit=limit)

    def _on_steps(self) -> None:
        numbers = NumberFormat(self.session.plan.unit, self.session.plan.decimals)
        try:
            edges = tuple(numbers.parse(w) for w in self.edges.text().replace(";", " ").split())
        except ValueError:
            self.session.notify(f"{self.edges.text()!r}: the edges of the steps are numbers with spaces between")
            return
        colors = tuple(self.colors.text().upper().replace(",", " ").split()) if edges else ()
        if (edges, colors) != (self.session.showing.scale.edges, self.session.showing.scale.colors):
            self._change(edges=edges, colors=colors)

    def _on_own(self, value: float) -> None:
        self._model.set_own_tolerance(value)

    def _on_area(self, item: QListWidgetItem | None, before: object) -> None:
        if item is not None and self.list.hasFocus():
            self.area_wanted.emit(item.data(256))

    def refresh(self) -> None:
        """Show the switches and the numbers."""
        s, scale = self.session, self.session.showing.scale
        numbers = NumberFormat(s.plan.unit, s.plan.decimals)
        for box, shown in ((self.map, s.shown.map), (self.scan_map, s.shown.scan_map), (self.points, s.shown.points),
                           (self.needles, s.shown.map_needles), (self.only_outside, scale.only_outside)):  # fmt: skip
            box.blockSignals(True)
            box.setChecked(shown)
            box.setEnabled(s.sample is not None)
            box.blockSignals(False)
        self.limit.show_length(scale.limit)
        self.tolerance.show_length(scale.tolerance)
        for spin, value in ((self.inner, scale.inner), (self.outer, scale.outer)):
            spin.blockSignals(True)
            spin.setValue(value)
            spin.blockSignals(False)
        choose(self.sides, scale.sided)
        choose(self.palette_choice, scale.palette)
        if not self.edges.hasFocus():
            self.edges.setText(" ".join(numbers.value(e) for e in scale.edges))
        if not self.colors.hasFocus():
            self.colors.setText(" ".join(scale.colors))
        faces = tuple(sorted(set(s.selection.faces())))
        self.own.setEnabled(bool(faces))
        self.own_reset.setEnabled(any(set(o.faces) & set(faces) for o in scale.own))
        self.own.show_length(scale.tolerance_of(faces[0]) if faces else scale.tolerance)
        self._show_statistics(faces, numbers)
        self._show_areas(numbers)

    def _show_statistics(self, faces: tuple[int, ...], numbers: NumberFormat) -> None:
        s = self.session
        cloud = s.evaluation.cloud if s.evaluation else None
        self.what.setText("Picked faces" if faces else "All points of the part")
        if cloud is None or isinstance(cloud, NotComputed) or s.model is None:
            reason = cloud.reason if isinstance(cloud, NotComputed) else ""
            say(self.reason, reason or ("working …" if s.queue.is_busy else needs_alignment(s.document)))
            self.pairs.show_pairs([])
            return
        known = self._model.statistics(faces)
        if known is None:
            return  # they come in a moment
        (found,) = known
        if found is None:
            say(self.reason, "no points on the picked faces")
            self.pairs.show_pairs([])
            return
        say(self.reason, "")
        t = found.all
        self.pairs.show_pairs(
            [
                ("within tolerance", f"{100 * found.within:.1f} %"),
                ("points", f"{t.count:,}"),
                ("strays left out", f"{t.strays:,}"),
                ("mean", numbers.fine_signed(t.mean)),
                ("standard deviation", numbers.fine(t.std)),
                ("5 %, 95 %", f"{numbers.signed(t.p05)}, {numbers.signed(t.p95)}"),
                ("median", numbers.fine_signed(t.p50)),
                ("least, greatest", f"{numbers.signed(t.min)}, {numbers.signed(t.max)}"),
            ]
        )

    def _show_areas(self, numbers: NumberFormat) -> None:
        areas = self._model.areas()
        if areas is None:
            self.outside.setText("Looking for areas outside …")
            self.outside.setVisible(self.session.shown.map)
            return
        total = sum(a.size for a in areas)
        self.outside.setText(f"Outside: {len(areas)} areas, {numbers.area(total)}" if areas else "Nothing outside")
        self.outside.setVisible(self.session.shown.map)
        self.list.setVisible(self.session.shown.map and bool(areas))
        words = [self._words(a, numbers) for a in areas[:_LISTED]]
        if words == [self.list.item(k).text() for k in range(self.list.count())]:
            return
        self.list.blockSignals(True)
        self.list.clear()
        for text, area in zip(words, areas, strict=False):
            item = QListWidgetItem(text)
            item.setData(256, area)
            self.list.addItem(item)
        self.list.blockSignals(False)

    def _words(self, area: OutsideArea, numbers: NumberFormat) -> str:
        s = self.session
        feature = s.plan.feature_with_faces(whole_surface(s.model, area.face)) if s.model is not None else None
        where = feature.name if feature else f"face {area.face}"
        return f"{numbers.signed(area.worst)}   {numbers.area(area.size)}   {where}"
