"""Datum letters of the plan and of the selection, their targets, and the rules by which all is judged."""

from collections.abc import Callable
from typing import Any

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import Choice, empty_layout, label
from truegauge.app.widgets.fold import Fold
from truegauge.app.widgets.text_size import keep_sheet, keep_size
from truegauge.core.authoring.new_features import new_feature
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.commands.requirements import SetDatum, SetRules
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.requirements import Datum, DatumTarget
from truegauge.core.typed_number import typed_number
from truegauge.drawing.units import NumberFormat

_SLIDES = (("fixed", None), ("slides X", (1.0, 0.0, 0.0)), ("slides Y", (0.0, 1.0, 0.0)), ("slides Z", (0.0, 0.0, 1.0)))


class DatumRow(QWidget):
    """The datum letter of the selected features: one letter for several makes them one datum."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(label("datum letter", "soft"))
        line.addStretch()
        self.letter = QLineEdit()
        self.letter.setAccessibleName("datum letter")
        keep_size(self.letter, width=44)
        self.letter.setMaxLength(2)
        self.letter.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.letter.setToolTip("Type a letter, Enter; empty takes it away. With several features selected they are "
                               "one datum: a pattern, or two opposite faces and their middle plane")  # fmt: skip
        self.letter.editingFinished.connect(self._on_letter)
        line.addWidget(self.letter)

    def _datum(self) -> Datum | None:
        ids = {f.id for f in self._session.selection.features()}
        return next((d for d in self._session.plan.datums if ids and set(d.features) == ids), None)

    def refresh(self) -> None:
        """Show the letter."""
        datum = self._datum()
        self.setVisible(bool(self._session.selection.groups) and self._session.evaluator is not None)
        if not self.letter.hasFocus():
            self.letter.setText(datum.letter if datum else "")

    def _on_letter(self) -> None:
        s, datum, text = self._session, self._datum(), self.letter.text().strip().upper()
        if text == (datum.letter if datum else "") or s.evaluator is None:
            return
        if text and not (text.isalpha() and text.isascii()):
            s.notify(f"{text!r} is no datum letter: use A to Z, or two letters")
            self.refresh()
            return
        if not text:
            if datum is not None:
                s.run(SetDatum(datum.letter, ""))
            return
        new: list[NominalFeature] = []
        ids = []
        for group in s.selection.groups:
            feature = s.plan.feature_of(group)
            if feature is None and not isinstance(group, str):
                nominal = s.evaluator.nominal(group, s.plan)
                if isinstance(nominal, NotComputed):
                    s.notify(f"this cannot be a datum: {nominal.reason}")
                    return
                feature = new_feature(s.plan.replace(features=(*s.plan.features, *new)), group, nominal)
                new.append(feature)
            if feature is not None:
                ids.append(feature.id)
        if ids:
            s.run(SetDatum(text, ids[0], tuple(new), others=tuple(ids[1:])))


class DatumList(QWidget):
    """All datums of the plan: letter, feature, whether it is measured; targets of the one that is opened."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.open_letter = ""
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(3)
        self.said: dict[str, str] = {}
        self._shown: object = None

    def refresh(self) -> None:
        """Show the datums."""
        s = self._session
        key = (s.plan.datums, tuple(f.name for f in s.plan.all_features), s.evaluation is not None and id(s.evaluation),
               self.open_letter)  # fmt: skip
        if key == self._shown:
            return
        self._shown = key
        empty_layout(self._column)
        self.said = {}
        for datum in s.plan.datums:
            self._column.addWidget(self._row(datum))
            if datum.letter == self.open_letter:
                self._column.addWidget(self._targets(datum))
        if not s.plan.datums:
            self._column.addWidget(label("None yet: select a feature and type its letter.", "soft", wrap=True))

    def _row(self, datum: Datum) -> QWidget:
        s = self._session
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(6)
        pick = QPushButton(datum.letter)
        keep_size(pick, width=34)
        pick.setToolTip("Select what carries this letter")
        pick.clicked.connect(lambda: s.selection.select(tuple(s.plan.feature(f).group for f in datum.features)))
        names = " + ".join(s.plan.feature(f).name for f in datum.features)
        missing = self._missing(datum)
        self.said[datum.letter] = missing
        text = label(f"{names}\n{missing}" if missing else names, "bad" if missing else "", wrap=True)
        text.setToolTip(missing or names)
        targets = QPushButton(f"{len(datum.targets)} targets" if datum.targets else "targets")
        targets.setCheckable(True)
        targets.setChecked(datum.letter == self.open_letter)
        keep_sheet(targets, "padding: 2px 5px; font-size: 11px;")
        targets.clicked.connect(lambda on: self._open(datum.letter if on else ""))
        line.addWidget(pick)
        line.addWidget(text, 1)
        line.addWidget(targets)
        return row

    def _missing(self, datum: Datum) -> str:
        s = self._session
        if s.evaluation is None or s.sample is None:
            return ""
        for feature in datum.features:
            found = s.evaluation.features.get(feature)
            if isinstance(found, NotComputed):
                return f"not measured yet: {found.reason}"
        return ""

    def _open(self, letter: str) -> None:
        self.open_letter = letter
        self._session.pointer.take_places(self._picked if letter else None)
        self._session.showing.changed.emit()
        self.refresh()

    def _picked(self, face: int, place: np.ndarray) -> bool:
        """A click on a datum feature makes a target there."""
        s = self._session
        if not self.open_letter or s.model is None or not any(d.letter == self.open_letter for d in s.plan.datums):
            return False
        datum = s.plan.datum(self.open_letter)
        faces = {x for f in datum.features for x in s.plan.faces_of(s.plan.feature(f).group)}
        if not faces & set(whole_surface(s.model, face)):
            s.notify(f"a target of datum {datum.letter} lies on its feature; click there")
            return True
        x, y, z = (round(float(v), 3) for v in place)
        target = DatumTarget(name=f"{datum.letter}{len(datum.targets) + 1}", place=(x, y, z))
        self._set(datum, (*datum.targets, target))
        return True

    def _set(self, datum: Datum, targets: tuple[DatumTarget, ...]) -> None:
        self._session.run(SetDatum(datum.letter, datum.feature, others=datum.others, targets=targets))

    def _targets(self, datum: Datum) -> QWidget:
        numbers = NumberFormat(self._session.plan.unit, self._session.plan.decimals)
        held = QWidget()
        grid = QGridLayout(held)
        grid.setContentsMargins(14, 0, 0, 6)
        grid.setSpacing(4)
        hint = label("Click on the feature in the view to add a target.", "soft", wrap=True)
        grid.addWidget(hint, 0, 0, 1, 4)
        for k, target in enumerate(datum.targets):
            radius = QLineEdit(numbers.value(target.radius))
            keep_size(radius, width=54)
            radius.setToolTip("radius of the area whose points count")
            radius.editingFinished.connect(lambda k=k, field=radius: self._on_radius(datum, k, field))
            slide = Choice()
            for text, way in _SLIDES:
                slide.addItem(text, way)
            ways = [way for _, way in _SLIDES]
            slide.setCurrentIndex(ways.index(target.slides) if target.slides in ways else 0)
            slide.activated.connect(lambda i, k=k: self._change(datum, k, slides=_SLIDES[i][1]))
            gone = QPushButton("×")
            keep_size(gone, width=24)
            gone.setToolTip("remove this target")
            gone.clicked.connect(lambda _=False, k=k: self._set(datum, datum.targets[:k] + datum.targets[k + 1 :]))
            for column, widget in enumerate((QLabel(target.name), radius, slide, gone)):
                grid.addWidget(widget, k + 1, column)
        return held

    def _on_radius(self, datum: Datum, k: int, field: QLineEdit) -> None:
        numbers = NumberFormat(self._session.plan.unit, self._session.plan.decimals)
        try:
            value = numbers.parse(field.text())
        except ValueError:
            self._session.notify("the radius of a target is a number above 0")
            return
        if value > 0 and abs(value - datum.targets[k].radius) > 1e-9:
            self._change(datum, k, radius=value, kind="area")

    def _change(self, datum: Datum, k: int, **changes: Any) -> None:
        targets = list(datum.targets)
        targets[k] = targets[k].replace(**changes)
        if targets[k] != datum.targets[k]:
            self._set(datum, tuple(targets))


_SIZES = (
    ("", "by the standard"), ("LP", "LP two-point"), ("E", "envelope (E)"), ("GG", "GG least squares"),
    ("GN", "GN circumscribed"), ("GX", "GX inscribed"),
)  # fmt: skip


class RulesPanel(Fold):
    """Standard, association of datums, decision rule, stated errors, general tolerances."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__("Rules", parent)
        self._session = session
        self.standard = self._choice("standard", (("ISO", "ISO GPS"), ("ASME", "ASME")), self._on_standard)
        self.usual_size = self._choice("default size", _SIZES, self._on_usual_size)
        self.association = self._choice(
            "datums by", (("outside", "outside"), ("least_squares", "least squares"),
                          ("high_points", "high points")), self._on_association,
        )  # fmt: skip
        self.rule = self._choice("decision", (("simple", "simple"), ("guard_band", "guard band")), self._on_rule)
        self.k = self._field("k", self._on_rule)
        self.column.addWidget(label("Stated errors of the device", "soft"))
        self.probing = self._field("probing", self._on_device)
        self.constant = self._field("length, constant", self._on_device)
        self.per_metre = self._field("length, per metre", self._on_device)
        self.column.addWidget(label("General tolerances", "soft"))
        self.linear = self._choice(
            "ISO 2768-1", (("", "none"), ("f", "f fine"), ("m", "m medium"), ("c", "c coarse"), ("v", "v very coarse")),
            self._on_general,
        )  # fmt: skip
        classes = (("", "none"), ("H", "H"), ("K", "K"), ("L", "L"))
        self.geometry_class = self._choice("ISO 2768-2", classes, self._on_general)
        self.size_limit = self._field("ISO 22081 size ±", self._on_general)
        self.surface = self._field("ISO 22081 profile", self._on_general)

    def _line(self, text: str, widget: QWidget) -> None:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(label(text, "soft"))
        line.addStretch()
        line.addWidget(widget)
        self.column.addWidget(row)

    def _choice(self, text: str, items: tuple[tuple[str, str], ...], changed: Callable[[], None]) -> Choice:
        made = Choice()
        made.setAccessibleName(text)
        for key, words in items:
            made.addItem(words, key)
        made.activated.connect(lambda _: changed())
        self._line(text, made)
        return made

    def _field(self, text: str, changed: Callable[[], None]) -> QLineEdit:
        made = QLineEdit()
        keep_size(made, width=68)
        made.setAccessibleName(text)
        made.editingFinished.connect(changed)
        self._line(text, made)
        return made

    @property
    def _numbers(self) -> NumberFormat:
        return NumberFormat(self._session.plan.unit, self._session.plan.decimals)

    def refresh(self) -> None:
        """Show the rules of the plan."""
        plan, n = self._session.plan, self._numbers
        for choice, value in (
            (self.standard, plan.standard), (self.usual_size, plan.usual_size),
            (self.association, plan.datum_association), (self.rule, plan.decision.rule),
            (self.linear, plan.general.linear or ""), (self.geometry_class, plan.general.geometry or ""),
        ):  # fmt: skip
            choice.setCurrentIndex(max(0, choice.findData(value)))
        texts = (
            (self.k, f"{plan.decision.k:g}"), (self.probing, _value(n, plan.device.probing)),
            (self.constant, _value(n, plan.device.constant)), (self.per_metre, _value(n, plan.device.per_metre)),
            (self.size_limit, _value(n, plan.general.size)), (self.surface, _value(n, plan.general.surface)),
        )  # fmt: skip
        for field, text in texts:
            if not field.hasFocus():
                field.setText(text)

    def _set(self, **changes: Any) -> None:
        plan = self._session.plan
        if any(getattr(plan, name) != value for name, value in changes.items()):
            self._session.run(SetRules(tuple(changes.items())))

    def _on_standard(self) -> None:
        self._set(standard=self.standard.currentData())

    def _on_usual_size(self) -> None:
        self._set(usual_size=self.usual_size.currentData())

    def _on_association(self) -> None:
        self._set(datum_association=self.association.currentData())

    def _on_rule(self) -> None:
        def change() -> dict[str, Any]:
            k = typed_number(self.k.text())
            return {"decision": self._session.plan.decision.replace(rule=self.rule.currentData(), k=k)}

        self._try(change, "k is a number above 0, usually 2")

    def _on_device(self) -> None:
        def change() -> dict[str, Any]:
            values = {name: self._number(getattr(self, name)) or 0.0 for name in ("probing", "constant", "per_metre")}
            return {"device": self._session.plan.device.replace(**values)}

        self._try(change, "a stated error is a number of 0 or more")

    def _on_general(self) -> None:
        def change() -> dict[str, Any]:
            return {"general": self._session.plan.general.replace(
                linear=self.linear.currentData() or None, geometry=self.geometry_class.currentData() or None,
                size=self._number(self.size_limit), surface=self._number(self.surface),
            )}  # fmt: skip

        self._try(change, "a general tolerance is a number above 0, or empty")

    def _number(self, field: QLineEdit) -> float | None:
        text = field.text().strip()
        return self._numbers.parse(text) if text else None

    def _try(self, change: Callable[[], dict[str, Any]], what: str) -> None:
        try:
            changes = change()
        except ValueError:
            self._session.notify(what)
            self.refresh()
            return
        self._set(**changes)


def _value(numbers: NumberFormat, value: float | None) -> str:
    return "" if not value else numbers.value(value)
