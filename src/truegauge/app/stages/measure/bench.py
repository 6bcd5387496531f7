"""The Measure bench: the features of the plan, and the details of the selected one."""

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QApplication,
    QCheckBox,
    QHBoxLayout,
    QLineEdit,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.document.session import Session
from truegauge.app.stages.devices.touch_model import TouchModel
from truegauge.app.stages.measure.construct_panel import ConstructPanel
from truegauge.app.stages.measure.extraction_panel import ExtractionPanel
from truegauge.app.stages.measure.feature_pairs import built_pairs, criterion_text, measured_pairs
from truegauge.app.stages.measure.feature_row import FeatureRow
from truegauge.app.stages.measure.form_page import FormModel, FormPanel
from truegauge.app.stages.measure.points.model import PointsModel
from truegauge.app.stages.measure.points.panel import PointsPanel
from truegauge.app.stages.measure.touch_panel import TouchPanel
from truegauge.app.stages.part.datum_panel import DatumList, DatumRow, RulesPanel
from truegauge.app.track.around_panel import AroundPanel
from truegauge.app.track.model import RouteModel
from truegauge.app.track.strategy_panel import StrategyPanel
from truegauge.app.widgets.bench import Bench, Choice, PageTabs, Pairs, label, rule, say
from truegauge.app.widgets.text_size import grow_to, keep_size
from truegauge.app.widgets.theme import Theme
from truegauge.core.association.by_criterion import criteria_for
from truegauge.core.association.features import Circle, Countersink, Cylinder, Shape, Slot, Sphere
from truegauge.core.commands.features import EditFeature
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.features import ConstructedFeature, Group, NominalFeature
from truegauge.core.tolerancing.judgement import State, decide
from truegauge.core.typed_number import typed_number

_ROWS = 5  # features that are shown at least, where there is little room
_WORST = (State.OUTSIDE, State.NEAR, State.UNDECIDED, State.WITHIN)


class MeasureBench(Bench):
    """Features to find and select; below, the association of the selected one and what can be built from them."""

    title = "Features"

    def __init__(
        self, session: Session, theme: Theme, form: FormModel, touches: TouchModel, route: RouteModel,
        points: PointsModel, parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        self._theme, self._points = theme, points
        self._form, self._touches, self._route = form, touches, route
        self.rows: dict[str, FeatureRow] = {}
        super().__init__(session, parent)
        points.changed.connect(self._on_changed)

    def _build(self) -> None:
        self.pages = PageTabs((("features", "Features"), ("points", "Points")), self._points.set_page)
        self.column.addWidget(self.pages)
        self.points_panel = PointsPanel(self._points, self._theme)
        self.column.addWidget(self.points_panel, 1)
        self._of_features = QWidget()
        whole, column = self.column, QVBoxLayout(self._of_features)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(whole.spacing())
        whole.addWidget(self._of_features, 1)
        self.column = column
        self._build_features()
        self.column = whole

    def _build_features(self) -> None:
        self.touching = TouchPanel(self._touches)
        self.column.addWidget(self.touching)
        self.find_field = QLineEdit()
        self.find_field.setPlaceholderText("Find")
        self.find_field.setAccessibleName("find features")
        self.find_field.setClearButtonEnabled(True)
        self.find_field.textChanged.connect(self.refresh)
        self.column.addWidget(self.find_field)
        self.hint = label("No features yet. Pick a face in the view: what can be measured on it is offered below "
                          "the part.", "soft", wrap=True)  # fmt: skip
        self.column.addWidget(self.hint)
        holder = QWidget()
        self._list = QVBoxLayout(holder)
        self._list.setContentsMargins(0, 0, 0, 0)
        self._list.setSpacing(0)
        self._scroll = QScrollArea()
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self._scroll.setWidget(holder)
        self.column.addWidget(self._scroll)
        self.construct = ConstructPanel(self.session)
        self.column.addWidget(self.construct)
        self.line = rule()
        self.column.addWidget(self.line)
        self.name_field = QLineEdit()
        self.name_field.setAccessibleName("name of the feature")
        self.name_field.setProperty("role", "name")
        self.name_field.editingFinished.connect(self._on_name)
        self.reason = label("", "bad", wrap=True)
        self.details = Pairs()
        self.criterion = _choice("criterion", "How the feature is associated with its points", self._on_criterion)
        self.filter_kind = _choice("form filter", "The filter before form is read", self._on_filter)
        for kind, text in (("none", "form unfiltered"), ("gaussian", "form, Gaussian filter"),
                           ("robust_gaussian", "form, robust Gaussian")):  # fmt: skip
            self.filter_kind.addItem(text, kind)
        self.cutoffs = QWidget()
        row = QHBoxLayout(self.cutoffs)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(5)
        self.upr_field = _small_field("undulations per revolution", self._on_filter)
        self.cutoff_field = _small_field("cut-off wavelength", self._on_filter)
        self.upr_label, self.cutoff_label = label("UPR", "soft"), label("mm", "soft")
        for part in (self.upr_field, self.upr_label, self.cutoff_field, self.cutoff_label):
            row.addWidget(part)
        row.addStretch()
        self.points = ExtractionPanel(self.session)
        self.point_fields = self.points.fields
        self.plot = FormPanel(self._form, self._theme)
        self.strategy, self.around = StrategyPanel(self._route), AroundPanel(self._route)
        self.datum_row = DatumRow(self.session)
        self.datum_heading = label("Datums", "heading")
        self.datum_list = DatumList(self.session)
        self.rules = RulesPanel(self.session)
        self.needles = QCheckBox("residual needles in the view")
        self.needles.toggled.connect(lambda on: self.session.show(needles=on))
        for widget in (self.name_field, self.reason, self.datum_row, self.criterion, self.plot, self.filter_kind,
                       self.cutoffs, self.details, self.needles, self.strategy, self.datum_heading, self.datum_list,
                       self.rules, self.points, self.around):  # fmt: skip
            self.column.addWidget(widget)
        self.column.addStretch()

    # Editing ---------------------------------------------------------------------------------------------------

    def _feature(self) -> NominalFeature | ConstructedFeature | None:
        """The one selected feature."""
        found = self.session.selection.features()
        return found[0] if len(found) == 1 and len(self.session.selection.groups) == 1 else None

    def _on_name(self) -> None:
        feature, text = self._feature(), self.name_field.text().strip()
        if feature is not None and text and text != feature.name:
            self.session.run(EditFeature(feature.id, (("name", text),), "rename feature"))

    def _on_criterion(self) -> None:
        feature = self._feature()
        if feature is not None:
            change = (("criterion", str(self.criterion.currentData())),)
            self.session.run(EditFeature(feature.id, change, "change criterion"))

    def _on_filter(self) -> None:
        feature = self._feature()
        if not isinstance(feature, NominalFeature):
            return
        now = feature.form_filter
        try:
            wanted = now.replace(
                kind=str(self.filter_kind.currentData()),
                upr=_positive(self.upr_field.text()) if self.upr_field.isVisible() else now.upr,
                cutoff=self.numbers.parse(self.cutoff_field.text()) if self.cutoff_field.isVisible() else now.cutoff,
            )
        except ValueError:
            self.session.notify("a cut-off is a number above 0")
            self._refresh_details()
            return
        if wanted != now:
            self.session.run(EditFeature(feature.id, (("form_filter", wanted),), "change form filter"))

    # Showing ---------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the features and the selected one, or the points."""
        s = self.session
        there, points = bool(self._points.points), self._points.page == "points"
        self.pages.setVisible(there or points)
        self.pages.buttons[self._points.page].setChecked(True)
        self.pages.buttons["points"].setText(f"Points  {len(self._points.points)}")
        self.points_panel.setVisible(points)
        self._of_features.setVisible(not points)
        self.heading.setText("Points" if points else self.title)
        if points:
            self.aside.setText("")
            self.points_panel.refresh()
            return
        features = s.plan.all_features
        if list(self.rows) != [f.id for f in features]:
            for row in self.rows.values():
                row.hide()
                row.deleteLater()
            self.rows = {}
            for feature in features:
                row = FeatureRow(self._theme)
                row.clicked.connect(lambda _=False, group=feature.group: self._on_row(group))
                self._list.addWidget(row)
                self.rows[feature.id] = row
        wanted = self.find_field.text().lower()
        measured = shown = 0
        chosen = {f.id for f in s.selection.features()}
        for feature in features:
            row = self.rows[feature.id]
            result = s.evaluation.features.get(feature.id) if s.evaluation else None
            row.state = self._worst(feature)
            row.measured = isinstance(result, Measured | Built) or row.state is not None
            measured += row.measured
            row.setText(feature.name)
            row.setVisible(wanted in feature.name.lower())
            shown += wanted in feature.name.lower()
            row.setChecked(feature.id in chosen)
            row.what = self._what(feature)
            row.letter = next((d.letter for d in s.plan.datums if d.feature == feature.id), "")
            row.setAccessibleDescription(", ".join(filter(None, (row.what, f"datum {row.letter}" if row.letter else "",
                                                                 str(row.state or "not judged")))))  # fmt: skip
            row.update()
        self._take_tab(chosen)
        self.hint.setVisible(not features)
        self.find_field.setVisible(bool(features))
        self._scroll.setVisible(bool(features))
        grow_to(self._scroll, 27 * max(shown, 1) + 4, 27 * _ROWS + 4)
        if chosen and any(feature_id in self.rows for feature_id in chosen):
            first = next(f.id for f in features if f.id in chosen)
            self._scroll.ensureWidgetVisible(self.rows[first], 0, 4)
        self.aside.setText(f"{measured} of {len(features)} measured" if features else "")
        self.touching.refresh()
        self._refresh_details()

    def _take_tab(self, chosen: set[str]) -> None:
        """Let Tab come to one row of the list, the chosen or the first; arrows go on from there."""
        rows = {i: r for i, r in self.rows.items() if not r.isHidden()}
        stop = next((i for i in rows if i in chosen), next(iter(rows), ""))
        for feature_id, row in self.rows.items():
            wanted = Qt.FocusPolicy.StrongFocus if feature_id == stop else Qt.FocusPolicy.ClickFocus
            row.setFocusPolicy(wanted)

    def _on_row(self, group: Group) -> None:
        """Select the feature; with Ctrl or Shift besides the others."""
        s = self.session
        held = QApplication.keyboardModifiers()
        if not held & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier):
            s.selection.select((group,))
        elif group in s.selection.groups:
            s.selection.select(tuple(g for g in s.selection.groups if g != group))
        else:
            s.selection.select((*s.selection.groups, group))
        self.refresh()

    def _worst(self, feature: NominalFeature | ConstructedFeature) -> State | None:
        evaluation = self.session.evaluation
        states = set()
        for r in evaluation.results if evaluation else ():
            members = r.characteristic.features
            if feature.id == members[0] and (r.outcome is None or len(r.outcome.units) < 2):
                states.add(r.state)
            elif feature.id in members and r.outcome is not None and r.upper is not None:
                # Of several features each by its own value and bonus.
                for unit in r.outcome.units:
                    if unit.name == feature.name:
                        states.add(decide(unit.value, None, r.upper - r.bonus + unit.bonus).state)
        return next((s for s in _WORST if s in states), None)

    def _what(self, feature: NominalFeature | ConstructedFeature) -> str:
        evaluator = self.session.evaluator
        nominal = evaluator.nominal(feature.group, self.session.plan) if evaluator else None
        if nominal is None or isinstance(nominal, NotComputed):
            return ""
        f = nominal.feature
        if isinstance(f, Slot):
            return f"slot {float(self.numbers.value(f.width)):g} x {float(self.numbers.value(f.length)):g}"
        if isinstance(f, Cylinder | Sphere | Circle | Countersink):
            return f"{nominal.shape} {float(self.numbers.value(2 * f.radius)):g}"
        return str(nominal.shape)

    def _refresh_details(self) -> None:
        s = self.session
        feature = self._feature()
        result = s.evaluation.features.get(feature.id) if feature and s.evaluation else None
        part_feature = feature if isinstance(feature, NominalFeature) else None
        self.line.setVisible(feature is not None or not s.selection.groups)
        self.points.setVisible((part_feature is not None or not s.selection.groups) and s.model is not None)
        self.datum_row.refresh()
        self.strategy.refresh()
        self.around.setVisible(not s.selection.groups and bool(s.plan.probing.assemblies) and s.model is not None)
        self.around.refresh()
        for widget in (self.datum_heading, self.datum_list, self.rules):
            widget.setVisible(not s.selection.groups and s.model is not None)
        self.datum_list.refresh()
        self.rules.refresh()
        if self.points.isVisibleTo(self):
            self.points.refresh()
        self.name_field.setVisible(feature is not None)
        if feature is not None and not self.name_field.hasFocus():
            self.name_field.setText(feature.name)
        say(self.reason, result.reason if isinstance(result, NotComputed) else "")
        self._refresh_criterion(part_feature)
        self._refresh_filter(part_feature)
        self.plot.refresh()
        self.needles.setVisible(isinstance(result, Measured))
        self.needles.setChecked(s.shown.needles)
        if isinstance(result, Measured):
            self.details.show_pairs(measured_pairs(result, self.numbers))
        elif isinstance(result, Built) and isinstance(feature, ConstructedFeature):
            names = [s.plan.feature(m).name for m in feature.members]
            self.details.show_pairs(built_pairs(result, feature, self.numbers, names))
        else:
            self.details.show_pairs([])

    def _refresh_criterion(self, feature: NominalFeature | None) -> None:
        evaluator = self.session.evaluator
        nominal = evaluator.nominal(feature.faces) if evaluator and feature else None
        there = feature is not None and nominal is not None and not isinstance(nominal, NotComputed)
        self.criterion.setVisible(there)
        if feature is None or nominal is None or isinstance(nominal, NotComputed):
            return
        offered = ["by_use", *(str(c) for c in criteria_for(nominal.shape))]
        if [self.criterion.itemData(i) for i in range(self.criterion.count())] != offered:
            self.criterion.clear()
            for c in offered:
                self.criterion.addItem(criterion_text(c), c)
        self.criterion.setCurrentIndex(offered.index(feature.criterion))

    def _refresh_filter(self, feature: NominalFeature | None) -> None:
        evaluator = self.session.evaluator
        nominal = evaluator.nominal(feature.faces) if evaluator and feature else None
        shape = None if nominal is None or isinstance(nominal, NotComputed) else nominal.shape
        there = feature is not None and shape in (Shape.PLANE, Shape.CYLINDER, Shape.CONE)
        self.filter_kind.setVisible(there)
        self.cutoffs.setVisible(there and feature is not None and feature.form_filter.kind != "none")
        if feature is None or not there:
            return
        chosen = feature.form_filter
        self.filter_kind.setCurrentIndex([self.filter_kind.itemData(i) for i in range(3)].index(chosen.kind))
        for widget in (self.upr_field, self.upr_label):
            widget.setVisible(shape != Shape.PLANE)
        self.upr_field.setText(f"{chosen.upr:g}" if chosen.upr else "")
        self.cutoff_field.setText(self.numbers.value(chosen.cutoff) if chosen.cutoff else "")
        self.cutoff_label.setText(self.numbers.unit)


def _positive(text: str) -> float:
    value = typed_number(text)
    if value <= 0:
        raise ValueError
    return value


def _choice(name: str, tip: str, changed: Callable[[], None]) -> Choice:
    made = Choice()
    made.setAccessibleName(name)
    made.setToolTip(tip)
    made.activated.connect(lambda _: changed())
    return made


def _small_field(name: str, changed: Callable[[], None]) -> QLineEdit:
    made = QLineEdit()
    keep_size(made, width=62)
    made.setAccessibleName(name)
    made.setToolTip(name)
    made.editingFinished.connect(changed)
    return made
