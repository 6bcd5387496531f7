"""The Measure bench: the features of the plan, and the details of the selected one."""

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QAbstractButton, QComboBox, QLineEdit, QVBoxLayout, QWidget

from truegauge.app.benches.base import Bench, Pairs, label, rule, say
from truegauge.app.painting import draw_marker
from truegauge.app.session import Session
from truegauge.app.theme import Theme, font, state_color
from truegauge.core.association import Cylinder, Sphere, criteria_for
from truegauge.core.extraction import Measured
from truegauge.core.plan.commands import EditFeature
from truegauge.core.plan.document import NominalFeature
from truegauge.core.plan.graph import NotComputed
from truegauge.core.tolerancing.judgement import State

_WORST = (State.OUTSIDE, State.NEAR, State.WITHIN)
_MARKERS = {State.OUTSIDE: "triangle_right", State.NEAR: "diamond", State.WITHIN: "disc"}


class FeatureRow(QAbstractButton):
    """A feature: the worst state of its characteristics, its name, what it is."""

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.theme = theme
        self.state: State | None = None
        self.measured = False
        self.what = ""
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        """Return the size of a row."""
        return QSize(180, 27)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter, t = QPainter(self), self.theme
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.isChecked() or self.hasFocus():
            painter.setPen(QColor(t.accent) if self.hasFocus() else Qt.PenStyle.NoPen)
            painter.setBrush(QColor(t.accent_soft) if self.isChecked() else Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5)
        marker = _MARKERS.get(self.state, "disc" if self.measured else "ring") if self.state else (
            "disc" if self.measured else "ring")  # fmt: skip
        color = state_color(t, str(self.state)) if self.state else t.soft
        middle = self.height() / 2
        draw_marker(painter, marker, QRectF(0, 0, 22, self.height()).center(), 4.2, color)
        painter.setPen(QColor(t.ink))
        painter.setFont(font(13))
        painter.drawText(QRectF(24, 0, self.width() - 100, 2 * middle), Qt.AlignmentFlag.AlignVCenter, self.text())
        painter.setPen(QColor(t.soft))
        painter.setFont(font(11))
        painter.drawText(
            QRectF(0, 0, self.width() - 8, 2 * middle),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, self.what,
        )  # fmt: skip


class MeasureBench(Bench):
    """Features to find and select; below, the association of the selected one."""

    title = "Features"

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        self._theme = theme
        self.rows: dict[str, FeatureRow] = {}
        super().__init__(session, parent)

    def _build(self) -> None:
        self.find_field = QLineEdit()
        self.find_field.setPlaceholderText("Find")
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
        self.column.addWidget(holder)
        self.column.addWidget(rule())
        self.name = label("", "heading", wrap=True)
        self.reason = label("", "bad", wrap=True)
        self.details = Pairs()
        self.criterion = QComboBox()
        self.criterion.setAccessibleName("criterion")
        self.criterion.setToolTip("How the feature is associated with its points")
        self.criterion.activated.connect(self._on_criterion)
        for widget in (self.name, self.reason, self.criterion, self.details):
            self.column.addWidget(widget)
        self.column.addStretch()

    def _on_criterion(self, index: int) -> None:
        s = self.session
        feature = s.plan.feature_with_faces(s.selection[0]) if s.selection else None
        if feature is not None:
            s.run(EditFeature(feature.id, (("criterion", str(self.criterion.itemData(index))),), "change criterion"))

    def _refresh_criterion(self, feature: NominalFeature | None) -> None:
        evaluator = self.session.evaluator
        nominal = evaluator.nominal(feature.faces) if evaluator and feature else None
        there = feature is not None and nominal is not None and not isinstance(nominal, NotComputed)
        self.criterion.setVisible(there)
        if feature is None or nominal is None or isinstance(nominal, NotComputed):
            return
        offered = criteria_for(nominal.shape)
        if [self.criterion.itemData(i) for i in range(self.criterion.count())] != [str(c) for c in offered]:
            self.criterion.clear()
            for c in offered:
                self.criterion.addItem(str(c).replace("_", " "), str(c))
        self.criterion.setCurrentIndex([str(c) for c in offered].index(feature.criterion))

    def set_theme(self, theme: Theme) -> None:
        """Change the colours."""
        self._theme = theme
        for row in self.rows.values():
            row.theme = theme
            row.update()

    def refresh(self) -> None:
        """Show the features and the selected one."""
        s = self.session
        features = s.plan.features
        if list(self.rows) != [f.id for f in features]:
            for row in self.rows.values():
                row.hide()
                row.deleteLater()
            self.rows = {}
            for feature in features:
                row = FeatureRow(self._theme)
                row.clicked.connect(lambda _=False, faces=feature.faces: s.select_groups((faces,)))
                self._list.addWidget(row)
                self.rows[feature.id] = row
        wanted = self.find_field.text().lower()
        measured = 0
        for feature in features:
            row = self.rows[feature.id]
            result = s.evaluation.features.get(feature.id) if s.evaluation else None
            row.measured = isinstance(result, Measured)
            measured += row.measured
            row.setText(feature.name)
            row.setVisible(wanted in feature.name.lower())
            row.setChecked(any(set(g) == set(feature.faces) for g in s.selection))
            row.state = self._worst(feature)
            row.what = self._what(feature)
            row.update()
        self.hint.setVisible(not features)
        self.find_field.setVisible(bool(features))
        self.aside.setText(f"{measured} of {len(features)} measured" if features else "")
        self._refresh_details()

    def _worst(self, feature: NominalFeature) -> State | None:
        evaluation = self.session.evaluation
        states = (
            {r.state for r in evaluation.results if feature.id == r.characteristic.features[0]} if evaluation else set()
        )
        return next((s for s in _WORST if s in states), None)

    def _what(self, feature: NominalFeature) -> str:
        evaluator = self.session.evaluator
        nominal = evaluator.nominal(feature.faces) if evaluator else None
        if nominal is None or isinstance(nominal, NotComputed):
            return ""
        f = nominal.feature
        if isinstance(f, Cylinder | Sphere):
            n = self.numbers
            return f"{nominal.shape} {float(n.value(2 * f.radius)):g}"
        return str(nominal.shape)

    def _refresh_details(self) -> None:
        s, n = self.session, self.numbers
        feature = s.plan.feature_with_faces(s.selection[0]) if s.selection else None
        say(self.name, feature.name if feature else "")
        self._refresh_criterion(feature)
        result = s.evaluation.features.get(feature.id) if feature and s.evaluation else None
        say(self.reason, result.reason if isinstance(result, NotComputed) else "")
        if not isinstance(result, Measured):
            self.details.show_pairs([])
            return
        fit, f = result.fit, result.feature
        pairs = []
        if isinstance(f, Cylinder | Sphere):
            pairs.append(("diameter", f"{n.value(2 * f.radius)} {n.unit}"))
        pairs += [
            ("form", f"{n.value(result.form)} {n.unit}"),
            ("form by", str(result.form_criterion).replace("_", " ")),
            ("rms", f"{n.value(fit.rms)} {n.unit}"),
            ("points used", f"{len(result.rows):,}"),
            ("points left out", f"{result.rejected:,}"),
        ]
        self.details.show_pairs(pairs)
