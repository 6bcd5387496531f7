"""What can be set for the chosen alignment: by its kind, and for the target chosen in its list."""

from __future__ import annotations

from functools import partial

from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDoubleSpinBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.guide_panel import GuidePanel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.widgets.bench import Choice, button, label, number_box
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.authoring.alignments import with_weight
from truegauge.core.datums.freedoms import NAMES
from truegauge.core.datums.named_frame import AXES
from truegauge.core.plan.alignments import (
    AlignmentDatum,
    BestFitAlignment,
    DatumAlignment,
    GivenAlignment,
    GuidedAlignment,
    MatchedPlace,
    MatchedPointAlignment,
    ReferencePlace,
    ReferencePointAlignment,
)
from truegauge.core.registration.alignment import Alignment
from truegauge.core.typed_number import typed_number
from truegauge.drawing.units import NumberFormat

_CRITERIA = {"least_squares": "least squares", "largest": "smallest largest deviation", "within": "most points within"}
_MATCHINGS = {"name": "by name", "order": "by order", "geometry": "by their distances"}
_ANY_POSE = "any pose"
_AS_ON_PART = "as on the part"


def row_of(text: str, *widgets: QWidget) -> QWidget:
    """Return a soft label with widgets at the right."""
    row = QWidget()
    line = QHBoxLayout(row)
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(4)
    line.addWidget(label(text, "soft"))
    if not any(isinstance(widget, QComboBox) for widget in widgets):
        line.addStretch()
    for widget in widgets:
        line.addWidget(widget, 1 if isinstance(widget, QComboBox) else 0)
        if not widget.accessibleName():
            widget.setAccessibleName(text)
    return row


class KindPanel(QWidget):
    """Shows only what the kind of the chosen alignment has."""

    def __init__(self, align: AlignModel, guide: GuideModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._align, self._guide = align, guide
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self._build_target(column)
        self._build_base(column)
        self._build_fit(column)
        self._build_points(column)
        self.guide = GuidePanel(align, guide)

    # Building ------------------------------------------------------------------------------------------------------

    def _build_target(self, column: QVBoxLayout) -> None:
        """What can be set for one target."""
        self.axis = Choice()
        self.axis.addItems([_AS_ON_PART, *AXES])
        self.axis.activated.connect(self._on_axis)
        self.axis_row = row_of("Points along", self.axis)
        self.target_name, self.held = QLineEdit(), QLineEdit()
        keep_size(self.target_name, width=90)
        keep_size(self.held, width=70)
        self.held.setToolTip("The directions that it holds: x, y, z, or n along its normal")
        self.target_name.editingFinished.connect(lambda: self._edit_point(name=self.target_name.text().strip()))
        self.held.editingFinished.connect(lambda: self._edit_point(held=self.held.text().strip()))
        self.held_row = row_of("Name, held along", self.target_name, self.held)
        self.weights = QLineEdit()
        keep_size(self.weights, width=90)
        self.weights.setToolTip("How much it counts along x, y and z; 0 for not at all")
        self.weights.editingFinished.connect(self._on_weights)
        self.used = QCheckBox("used")
        self.used.clicked.connect(lambda on: self._edit_point(used=on))
        self.weights_row = row_of("Weights x y z", self.weights, self.used)
        self.remove_target = button("Take it out", self._on_remove)
        for widget in (self.axis_row, self.held_row, self.weights_row, self.remove_target):
            column.addWidget(widget)

    def _build_base(self, column: QVBoxLayout) -> None:
        self.pick = QPushButton("Pick in the view")
        self.pick.setCheckable(True)
        self.pick.clicked.connect(self._align.set_picking)
        self.base = Choice()
        self.base.activated.connect(self._on_base)
        self.features = Choice()
        self.features.setAccessibleName("add a feature of the plan")
        self.features.activated.connect(self._on_feature)
        column.addWidget(self.pick)
        column.addWidget(self.features)
        column.addWidget(row_of("Starts from", self.base))

    def _build_fit(self, column: QVBoxLayout) -> None:
        self.fit = QWidget()
        inside = QVBoxLayout(self.fit)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(6)
        self.poses = label("", "soft")
        self.before = button("‹", lambda: self._align.step_candidate(-1))
        self.after = button("›", lambda: self._align.step_candidate(1))
        for b, text in ((self.before, "Take the pose before"), (self.after, "Take the next pose that fits")):
            keep_size(b, width=34)
            b.setToolTip(text)
        self.poses_row = QWidget()
        line = QHBoxLayout(self.poses_row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(self.poses, 1)
        line.addWidget(self.before)
        line.addWidget(self.after)
        self.criterion = Choice()
        self.criterion.setAccessibleName("criterion of the fit")
        for key, text in _CRITERIA.items():
            self.criterion.addItem(text, key)
        self.criterion.activated.connect(lambda _: self._align.edit(criterion=self.criterion.currentData()))
        self.tolerance = number_box(0.0001, 100, 3, suffix=" mm", tip="Points within this distance of the surfaces")
        self.tolerance.valueChanged.connect(lambda v: self._align.edit(tolerance=v))
        self.tolerance_row = row_of("Within", self.tolerance)
        self.trim = number_box(1.0, 20.0, 1, suffix=" x", tip="Points beyond so many robust scales are not used")
        self.trim.setSingleStep(0.5)
        self.trim.valueChanged.connect(lambda v: self._align.edit(trim=v))
        self.faces = label("", "soft", wrap=True)
        self.all_faces = button("All faces", lambda: self._align.edit(faces=()))
        self.weight = number_box(0.0, 1000.0, 2, tip="How much the distances to the selected faces count")
        self.weight.setValue(1.0)
        self.set_weight = button("Set for selected faces", self._on_weight)
        self.locks: list[QPushButton] = []
        locks = QWidget()
        line = QHBoxLayout(locks)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(3)
        for k, name in enumerate(NAMES):
            lock = QPushButton("xyz"[k % 3])
            lock.setCheckable(True)
            keep_size(lock, width=31)
            lock.setStyleSheet("padding: 4px 0;")
            lock.setToolTip(f"Lock the {name}: it stays as in the alignment before")
            lock.clicked.connect(partial(self._on_lock, k))
            if k in (0, 3):
                line.addWidget(label("shift" if k == 0 else " turn", "soft"))
            line.addWidget(lock)
            self.locks.append(lock)
        line.addStretch()
        self.lock_row = QWidget()
        both = QVBoxLayout(self.lock_row)
        both.setContentsMargins(0, 0, 0, 0)
        both.setSpacing(3)
        both.addWidget(label("Locked freedoms", "soft"))
        both.addWidget(locks)
        inside.addWidget(self.poses_row)
        inside.addWidget(self.criterion)
        for widget in (self.tolerance_row, row_of("Leave out beyond", self.trim), self.faces,
                       row_of("Weight", self.weight), self.set_weight, self.all_faces, self.lock_row):  # fmt: skip
            inside.addWidget(widget)
        column.addWidget(self.fit)

    def _build_points(self, column: QVBoxLayout) -> None:
        self.radius = number_box(0.1, 50, 2, suffix=" mm", tip="Points this near to a reference point measure it")
        self.radius.valueChanged.connect(lambda v: self._align.edit(radius=v))
        self.radius_row = row_of("Measured within", self.radius)
        self.matching = Choice()
        for key, text in _MATCHINGS.items():
            self.matching.addItem(text, key)
        self.matching.activated.connect(lambda _: self._align.edit(matching=self.matching.currentData()))
        self.matching_row = row_of("Touches match", self.matching)
        self.scale = QCheckBox("Let the points shrink or grow")
        self.scale.clicked.connect(lambda on: self._align.edit(with_scale=on))
        self.leave_out = button("", self._on_leave_out)
        for widget in (self.radius_row, self.matching_row, self.scale):
            column.addWidget(widget)

    # Showing -------------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the chosen alignment as it is."""
        own, result = self._align.own, self._align.result
        self._refresh_target()
        is_fit = isinstance(own, BestFitAlignment)
        self.pick.setVisible(not isinstance(own, GivenAlignment))
        self.pick.setText("Pick the faces to fit" if is_fit else "Pick in the view")
        self.pick.setChecked(self._align.picking)
        self.base.clear()
        plan = self._align.session.plan
        self.features.clear()
        self.features.addItem("Add a feature of the plan …", "")
        for feature in plan.all_features:
            self.features.addItem(feature.name, feature.id)
        takes = isinstance(own, DatumAlignment | ReferencePointAlignment | MatchedPointAlignment)
        self.features.setVisible(takes and bool(plan.all_features))
        self.base.addItem(_ANY_POSE, "")
        for a in plan.alignments:
            if a.id == own.id:
                break
            self.base.addItem(a.name, a.id)
        self.base.setCurrentIndex(max(0, self.base.findData(own.base)))
        self.fit.setVisible(is_fit)
        if isinstance(own, BestFitAlignment):
            self._refresh_fit(own, result if isinstance(result, Alignment) else None)
        self.radius_row.setVisible(isinstance(own, ReferencePointAlignment))
        if isinstance(own, ReferencePointAlignment):
            _show(self.radius, own.radius)
        matched = isinstance(own, MatchedPointAlignment)
        by_touch = isinstance(own, MatchedPointAlignment) and any(not p.feature for p in own.points)
        self.matching_row.setVisible(by_touch)
        self.scale.setVisible(matched)
        if isinstance(own, MatchedPointAlignment):
            self.matching.setCurrentIndex(self.matching.findData(own.matching))
            self.scale.setChecked(own.with_scale)
        suggestion = result.suggestion if isinstance(result, Alignment) else ""
        again = isinstance(own, GuidedAlignment)
        self.leave_out.setVisible(bool(suggestion) and (matched or again))
        self.leave_out.setText(f"Measure {suggestion} again" if again else f"Leave {suggestion} out")
        self.guide.setVisible(again)
        if isinstance(own, GuidedAlignment):
            self.guide.refresh(own)

    def _refresh_fit(self, own: BestFitAlignment, result: Alignment | None) -> None:
        count = len(result.candidates) if result is not None else 0
        self.poses_row.setVisible(count > 1)
        if result is not None and count > 1:
            plan = self._align.session.plan
            numbers = NumberFormat(plan.unit, plan.decimals)
            one = result.candidates[min(own.candidate, count - 1)]
            self.poses.setText(f"pose {own.candidate + 1} of {count}, rms {numbers.fine(one.rms)}")
            lines = [
                f"{k + 1}: rms {numbers.fine(c.rms)}, {100 * c.share:.1f} % of the points"
                for k, c in enumerate(result.candidates)
            ]
            self.poses.setToolTip("\n".join(lines))
        self.criterion.setCurrentIndex(self.criterion.findData(own.criterion))
        self.tolerance_row.setVisible(own.criterion == "within")
        _show(self.tolerance, own.tolerance)
        _show(self.trim, own.trim)
        weights = "".join(f", {len(w.faces)} with weight {w.weight:g}" for w in own.weights)
        fitted = f"{len(own.faces)} chosen faces" if own.faces else "all faces"
        self.faces.setText(f"Fitted to {fitted}{weights}")
        self.all_faces.setVisible(bool(own.faces))
        self.lock_row.setVisible(bool(own.base))
        for lock, on in zip(self.locks, own.locked, strict=True):
            lock.setChecked(on)

    def _refresh_target(self) -> None:
        own, name = self._align.own, self._align.chosen_target
        point, use = self._point(), self._use()
        self.axis_row.setVisible(use is not None)
        if use is not None:
            self.axis.setCurrentText(use.axis or _AS_ON_PART)
        reference = isinstance(point, ReferencePlace)
        self.held_row.setVisible(reference)
        matched = isinstance(point, MatchedPlace)
        self.weights_row.setVisible(matched)
        if isinstance(point, ReferencePlace):
            self.target_name.setText(point.name)
            self.held.setText(point.held)
        if isinstance(point, MatchedPlace):
            self.weights.setText(" ".join(f"{w:g}" for w in point.weights))
            self.used.setChecked(point.used)
        there = use is not None or point is not None
        if isinstance(own, GuidedAlignment):
            there = any(t.name == name for t in own.targets)
        self.remove_target.setVisible(there)
        say_text = f"Take {self._shown_name(name)} out" if there else ""
        self.remove_target.setText(say_text)

    def _shown_name(self, key: str) -> str:
        plan = self._align.session.plan
        return plan.feature(key).name if plan.has_feature(key) else key

    def _point(self) -> ReferencePlace | MatchedPlace | None:
        own = self._align.own
        if isinstance(own, ReferencePointAlignment | MatchedPointAlignment):
            points: tuple[ReferencePlace | MatchedPlace, ...] = own.points
            return next((p for p in points if (p.name or p.feature) == self._align.chosen_target), None)
        return None

    def _use(self) -> AlignmentDatum | None:
        own = self._align.own
        if isinstance(own, DatumAlignment):
            return next((d for d in own.datums if d.feature == self._align.chosen_target), None)
        return None

    # Changing ------------------------------------------------------------------------------------------------------

    def _on_axis(self) -> None:
        own, use, text = self._align.own, self._use(), self.axis.currentText()
        if isinstance(own, DatumAlignment) and use is not None:
            changed = use.replace(axis=None if text == _AS_ON_PART else text)
            self._align.edit(datums=tuple(changed if d is use else d for d in own.datums))

    def _edit_point(self, **changes: object) -> None:
        own, point = self._align.own, self._point()
        if point is None or not isinstance(own, ReferencePointAlignment | MatchedPointAlignment):
            return
        if all(getattr(point, k) == v for k, v in changes.items()):
            return
        changed = point.replace(**changes)
        if self._align.edit(points=tuple(changed if p is point else p for p in own.points)) and "name" in changes:
            self._align.choose_target(str(changes["name"]))

    def _on_weights(self) -> None:
        try:
            values = tuple(typed_number(w) for w in self.weights.text().replace(",", " ").split())
        except ValueError:
            values = ()
        if len(values) == 3 and all(0 <= v < 1e6 for v in values):
            self._edit_point(weights=values)
        else:
            self._align.session.notify("weights are three numbers from 0 on, for x, y and z: 1 1 0")
            self.refresh()

    def _on_remove(self) -> None:
        own, key = self._align.own, self._align.chosen_target
        if isinstance(own, DatumAlignment):
            self._align.edit(datums=tuple(d for d in own.datums if d.feature != key))
        elif isinstance(own, ReferencePointAlignment | MatchedPointAlignment):
            self._align.edit(points=tuple(p for p in own.points if (p.name or p.feature) != key))
        elif isinstance(own, GuidedAlignment):
            self._align.edit(targets=tuple(t for t in own.targets if t.name != key))

    def _on_feature(self) -> None:
        if self.features.currentData():
            self._align.add_feature(self.features.currentData())

    def _on_base(self) -> None:
        self._align.edit(base=self.base.currentData())

    def _on_weight(self) -> None:
        own, faces = self._align.own, tuple(f for f in self._align.session.selection.faces() if f >= 0)
        if not isinstance(own, BestFitAlignment):
            return
        if not faces:
            self._align.session.notify("select faces in the view first; then set their weight")
            return
        self._align.edit(weights=with_weight(own, faces, self.weight.value()).weights)

    def _on_lock(self, k: int) -> None:
        own = self._align.own
        if isinstance(own, BestFitAlignment):
            self._align.edit(locked=tuple(lock.isChecked() for lock in self.locks))

    def _on_leave_out(self) -> None:
        own, result = self._align.own, self._align.result
        if not isinstance(result, Alignment):
            return
        if isinstance(own, GuidedAlignment):
            self._guide.measure_again(result.suggestion)
        elif isinstance(own, MatchedPointAlignment):
            names = {p.name or p.feature: {p.name, p.feature} for p in own.points}
            wanted = next((key for key, called in names.items() if result.suggestion in called), "")
            self._align.choose_target(wanted)
            self._edit_point(used=False)


def _show(box: QDoubleSpinBox, value: float) -> None:
    box.blockSignals(True)
    box.setValue(value)
    box.blockSignals(False)
