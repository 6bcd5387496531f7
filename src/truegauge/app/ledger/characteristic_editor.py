"""Editing a characteristic where it stands: name, limits or the cells of its frame, and what a drawing says beside."""

import re
from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.painting import glyph_icon
from truegauge.app.widgets.theme import Theme
from truegauge.core.authoring.frame_text import frame_problems, modifiers_text, parse_datum, parse_modifiers
from truegauge.core.characteristics.registry import KINDS, kind_named
from truegauge.core.errors import EvaluationError
from truegauge.core.plan.requirements import Characteristic, DatumReference
from truegauge.core.tolerancing.fits import fit_limits
from truegauge.core.tolerancing.zone import Zone
from truegauge.drawing.frame_cells import has_frame
from truegauge.drawing.units import NumberFormat

_DATUM_CELLS = 3
_ZONES: tuple[tuple[str, str, dict[str, Any]], ...] = (
    ("–", "the usual zone of this tolerance", {"shape": "", "direction": None}),
    ("⌀", "a cylinder", {"shape": "cylinder", "direction": None}),
    ("S⌀", "a sphere", {"shape": "sphere", "direction": None}),
    ("↔X", "between two planes, measured along X", {"shape": "planes", "direction": (1.0, 0.0, 0.0)}),
    ("↔Y", "between two planes, measured along Y", {"shape": "planes", "direction": (0.0, 1.0, 0.0)}),
    ("↔Z", "between two planes, measured along Z", {"shape": "planes", "direction": (0.0, 0.0, 1.0)}),
    ("⌀Z", "a cylinder along Z", {"shape": "cylinder", "direction": (0.0, 0.0, 1.0)}),
    ("▭X", "a rectangle, its first width along X", {"shape": "rectangle", "direction": (1.0, 0.0, 0.0)}),
    ("▭Y", "a rectangle, its first width along Y", {"shape": "rectangle", "direction": (0.0, 1.0, 0.0)}),
    ("∥X", "the usual zone, lines or change along X", {"shape": "", "direction": (1.0, 0.0, 0.0)}),
    ("∥Y", "the usual zone, lines or change along Y", {"shape": "", "direction": (0.0, 1.0, 0.0)}),
    ("∥Z", "the usual zone, lines or change along Z", {"shape": "", "direction": (0.0, 0.0, 1.0)}),
)


class CharacteristicEditor(QFrame):
    """The fields of one characteristic, in the row itself."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self._kind, self._zone = "", Zone()
        self._c: Characteristic | None = None
        self.setProperty("role", "card")
        self.setAutoFillBackground(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(5, 4, 5, 4)
        self._layout.setSpacing(3)
        self.name = _field("name")
        self.nominal, self.lower_field, self.upper_field = _field("nominal"), _field("lower deviation"), _field(
            "upper deviation", "upper deviation, or a fit class such as H7"
        )  # fmt: skip
        self.symbol, self.zone = QPushButton(), QPushButton()
        self.symbol.setAccessibleName("kind of tolerance")
        self.zone.setAccessibleName("zone")
        self.modifiers = _field(
            "modifiers", "M L R F T ST, P30 projected, UZ+0.05, OZ, CZ or SZ, -0.3 for a zone that varies, ∥B or ⊥B "
            "intersection plane; sizes: E I LP LS GG GN GX CC CA CV, SX ... SQ, ACS, SCS+5; form: C G N X and P V T Q"
        )  # fmt: skip
        self.modifiers.setPlaceholderText("–")
        self.datums = [_field(f"datum {k + 1}", "A, A-B, B(M), B><, B[PL], B[turn z, x]") for k in range(_DATUM_CELLS)]
        self.warn_lower, self.warn_upper = _field("lower warning limit"), _field("upper warning limit")
        self.warn_lower.setPlaceholderText("warn −")
        self.warn_upper.setPlaceholderText("warn +")
        self.sheet = _field("drawing zone", "where the drawing has it, such as C4")
        self.together = _field("simultaneous with", "characteristics with the same name here are one requirement")
        self._layout.addWidget(self.name)
        self._limits_row = self._row((self.nominal, 3), (self.lower_field, 3), (self.upper_field, 3))
        self._frame_row = self._row((self.symbol, 0), (self.zone, 0))
        self._more_row = self._row((self.warn_lower, 2), (self.warn_upper, 2), (self.sheet, 2), (self.together, 3))
        self.problem = QLabel()
        self.problem.setProperty("role", "bad")
        self.problem.setWordWrap(True)
        self.problem.hide()
        self._layout.addWidget(self.problem)
        for button in (self.symbol, self.zone):
            button.setFixedWidth(40)
            button.setStyleSheet("padding: 1px 2px; font-size: 12px;")
        self.setFocusProxy(self.upper_field)

    def _row(self, *fields: tuple[QWidget, int]) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(3)
        for field, share in fields:
            row.addWidget(field, share)
        self._layout.addLayout(row)
        return row

    def shows(self, c: Characteristic) -> bool:
        """Whether this characteristic is being edited, unchanged since."""
        return self._c == c

    def load(self, c: Characteristic, numbers: NumberFormat) -> None:
        """Show a characteristic."""
        self._c, self._numbers = c, numbers
        self._kind, self._zone = c.kind, c.zone
        framed = has_frame(c)
        self.nominal.setVisible(not framed)
        self.lower_field.setVisible(not framed)
        placed = kind_named(c.kind).placed
        for widget in (self.symbol, self.zone):
            widget.setVisible(framed)
        for cell in self.datums:  # coordinates can be told in a datum system too
            cell.setVisible(framed or placed)
        self.warn_lower.setVisible(not framed)
        target = self._frame_row if framed else self._limits_row
        target.addWidget(self.upper_field, 3)
        target.addWidget(self.modifiers, 2)
        for field in self.datums:
            self._frame_row.addWidget(field, 2)
        for first, second in zip((self.name, self.upper_field, self.modifiers, *self.datums), (
            self.upper_field, self.modifiers, *self.datums, self.sheet
        ), strict=False):  # fmt: skip
            QWidget.setTabOrder(first, second)
        self._texts = {
            "name": c.name,
            "nominal": numbers.value(c.nominal),
            "lower": "" if c.lower is None else numbers.signed(c.lower),
            "upper": self._upper_text(c, framed=framed),
            "modifiers": modifiers_text(c),
            "warn_lower": "" if c.warn_lower is None else numbers.signed(c.warn_lower),
            "warn_upper": "" if c.warn_upper is None else numbers.signed(c.warn_upper),
            "sheet_zone": c.sheet_zone,
            "simultaneous": c.simultaneous,
        }
        self._fields = {
            "name": self.name, "nominal": self.nominal, "lower": self.lower_field, "upper": self.upper_field,
            "modifiers": self.modifiers, "warn_lower": self.warn_lower, "warn_upper": self.warn_upper,
            "sheet_zone": self.sheet, "simultaneous": self.together,
        }  # fmt: skip
        for name, text in self._texts.items():
            self._fields[name].setText(text)
        said = [d.say() for d in c.datums]
        for k, field in enumerate(self.datums):
            field.setText(said[k] if k < len(said) else "")
        self._show_cells()
        self._build_menus()
        for field in (*self._fields.values(), *self.datums):
            field.textChanged.connect(self._explain)
        self._explain()
        self.upper_field.selectAll()

    def _upper_text(self, c: Characteristic, *, framed: bool) -> str:
        if c.fit:
            return c.fit
        if c.upper is None:
            return ""
        if not framed:
            return self._numbers.signed(c.upper)
        second = f"x{self._numbers.value(c.zone.second)}" if c.zone.second is not None else ""
        if c.zone.per is not None:
            second = f"/{c.zone.per:g}" + (f"x{c.zone.per_second:g}" if c.zone.per_second is not None else "")
        return f"{self._numbers.value(c.upper)}{second}"

    def _build_menus(self) -> None:
        kinds, zones = QMenu(self), QMenu(self)
        for kind in (k for k in KINDS.values() if k.framed and not k.reading):
            action = kinds.addAction(glyph_icon(kind.symbol, self._theme.ink, 18), kind.label)
            action.triggered.connect(lambda _=False, n=kind.name: self._set_kind(n))
        for mark, text, changes in _ZONES:
            zones.addAction(f"{mark}   {text}").triggered.connect(
                lambda _=False, c=changes: self._set_zone(c)  # type: ignore[misc]
            )
        self.symbol.setMenu(kinds)
        self.zone.setMenu(zones)

    def _set_kind(self, name: str) -> None:
        self._kind = name
        self._show_cells()
        self._explain()

    def _set_zone(self, changes: dict[str, Any]) -> None:
        self._zone = self._zone.replace(**changes)
        self._show_cells()
        self._explain()

    def _show_cells(self) -> None:
        kind = kind_named(self._kind)
        if kind.symbol:
            self.symbol.setIcon(glyph_icon(kind.symbol, self._theme.ink, 18))
            self.symbol.setToolTip(kind.label)
        now = {"shape": self._zone.shape, "direction": self._zone.direction}
        shown = next((m for m, _, changes in _ZONES if changes == now), "…")
        self.zone.setText(shown)

    # Reading ---------------------------------------------------------------------------------------------------

    def changes(self, c: Characteristic) -> tuple[tuple[str, Any], ...]:
        """Return the fields that were changed; ValueError says in words what cannot be."""
        found: dict[str, Any] = {}
        for field, before in self._texts.items():
            text = self._fields[field].text().strip()
            if text != before:
                found |= self._changed(field, text, c)
        if has_frame(c):
            found |= self._frame_changes(c, found)
        elif kind_named(c.kind).placed:
            found["datums"] = self._read_datums(c)
        if found.get("nominal") is not None and c.fit and "upper" not in found:
            found["lower"], found["upper"] = fit_limits(found["nominal"], c.fit)
        candidate = c.replace(**found)
        if set(found) & {"kind", "datums", "modifiers", "zone", "upper"}:
            problems = frame_problems(self._session.plan, candidate, self._nominals(c))
            if problems:
                raise ValueError(problems[0].rstrip("."))
        return tuple((name, value) for name, value in found.items() if getattr(c, name) != value)

    def _changed(self, field: str, text: str, c: Characteristic) -> dict[str, Any]:
        if field == "name":
            return {"name": text} if text else {}
        if field in ("sheet_zone", "simultaneous"):
            return {field: text}
        if field == "modifiers":
            letters, zone = parse_modifiers(text, self._zone)
            self._zone = zone
            return {"modifiers": letters, "zone": zone}
        if field == "upper" and re.match(r"^[A-Za-z]{1,2}\s*\d", text):
            try:
                lower, upper = fit_limits(c.nominal, text)
            except EvaluationError as error:
                raise ValueError(str(error)) from None
            return {"fit": text, "lower": lower, "upper": upper}
        if field == "upper" and "/" in text:  # over a unit length or area: 0.02/100, 0.05/50x50
            value_text, per = text.lower().split("/", 1)
            sides = [self._number(field, part) for part in per.split("x")]
            if not 1 <= len(sides) <= 2 or min(sides) <= 0:
                raise ValueError(f"{per!r} is no unit length or area: type 0.02/100 or 0.05/50x50")
            self._zone = self._zone.replace(per=sides[0], per_second=sides[1] if len(sides) > 1 else None)
            return {"upper": self._number(field, value_text), "zone": self._zone}
        if field == "upper" and self._zone.per is not None:
            self._zone = self._zone.replace(per=None, per_second=None)
            return {"upper": self._number(field, text) if text else None, "zone": self._zone}
        if field == "upper" and "x" in text.lower():
            first, second = (self._number(field, part) for part in text.lower().split("x", 1))
            return {"upper": first, "zone": self._zone.replace(second=second)}
        value = None if not text and field != "nominal" else self._number(field, text)
        return {field: value, "fit": ""} if field in ("lower", "upper") else {field: value}

    def _number(self, field: str, text: str) -> float:
        try:
            return self._numbers.parse(text)
        except ValueError:
            words = field.replace("_", " ").replace("warn", "warning")
            raise ValueError(f"the {words} {text!r} is not a number") from None

    def _read_datums(self, c: Characteristic) -> tuple[DatumReference, ...]:
        datums = [parse_datum(field.text()) for field in self.datums]
        while datums and datums[-1] is None:
            datums.pop()
        if any(d is None for d in datums):
            raise ValueError("a datum cell before the last one is empty")
        return tuple(d for d in datums if d is not None) + c.datums[_DATUM_CELLS:]

    def _frame_changes(self, c: Characteristic, found: dict[str, Any]) -> dict[str, Any]:
        more = self._read_datums(c)
        zone = found.get("zone", self._zone)
        shape = {"shape": self._zone.shape, "direction": self._zone.direction}
        return {"kind": self._kind, "datums": more, "zone": zone.replace(**shape)}

    def _nominals(self, c: Characteristic) -> list[Any]:
        from truegauge.core.cad.recognition import Nominal

        s = self._session
        if s.evaluator is None:
            return []
        found = [s.evaluator.nominal(s.plan.named(f).group, s.plan) for f in c.features]
        return [n for n in found if isinstance(n, Nominal)]

    def _explain(self) -> None:
        """Say while typing what cannot be."""
        zone = self._zone
        if self._c is None:
            return
        try:
            self.changes(self._c)
            text = ""
        except ValueError as error:
            text = str(error).removeprefix("Value error, ").split("\n")[0]
        self._zone = zone
        self.problem.setText(text)
        self.problem.setVisible(bool(text))
        self._layout.activate()
        if self.height() < self.sizeHint().height():
            self.resize(self.width(), self.sizeHint().height())


def _field(name: str, tip: str = "") -> QLineEdit:
    made = QLineEdit()
    made.setPlaceholderText(name.removesuffix(" deviation"))
    made.setToolTip(tip or name)
    made.setAccessibleName(name)
    made.setMinimumWidth(24)
    made.setStyleSheet("padding: 1px 4px; font-size: 12px;")
    return made
