"""Editing a characteristic where it stands: name, limits or the cells of its frame, and what a drawing says beside."""

from typing import Any

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.painting import glyph_icon
from truegauge.app.widgets.text_size import keep_sheet, keep_size
from truegauge.app.widgets.theme import Theme
from truegauge.core.authoring.drafts import DATUM_CELLS, ZONES, Draft, ZoneChoice, draft_of
from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import KINDS, kind_named
from truegauge.core.plan.requirements import Characteristic
from truegauge.drawing.units import NumberFormat


class CharacteristicEditor(QFrame):
    """The fields of one characteristic, in the row itself."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self._draft: Draft | None = None
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
        self.datums = [_field(f"datum {k + 1}", "A, A-B, B(M), B><, B[PL], B[turn z, x]") for k in range(DATUM_CELLS)]
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
            keep_size(button, width=40)
            keep_sheet(button, "padding: 1px 2px; font-size: 12px;")
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
        return self._draft is not None and self._draft.of == c

    def load(self, c: Characteristic, numbers: NumberFormat) -> None:
        """Show a characteristic."""
        self._show(draft_of(c, numbers))

    def go_on_with(self, draft: Draft) -> None:
        """Show what was typed before."""
        self._show(draft)

    def _show(self, draft: Draft) -> None:
        self._draft = draft
        for field in (self.nominal, self.lower_field, self.warn_lower):
            field.setVisible(not draft.framed)
        for widget in (self.symbol, self.zone):
            widget.setVisible(draft.framed)
        for cell in self.datums:
            cell.setVisible(draft.takes_datums)
        target = self._frame_row if draft.framed else self._limits_row
        target.addWidget(self.upper_field, 3)
        target.addWidget(self.modifiers, 2)
        for field in self.datums:
            self._frame_row.addWidget(field, 2)
        for first, second in zip((self.name, self.upper_field, self.modifiers, *self.datums), (
            self.upper_field, self.modifiers, *self.datums, self.sheet
        ), strict=False):  # fmt: skip
            QWidget.setTabOrder(first, second)
        self._fields = {
            "name": self.name, "nominal": self.nominal, "lower": self.lower_field, "upper": self.upper_field,
            "modifiers": self.modifiers, "warn_lower": self.warn_lower, "warn_upper": self.warn_upper,
            "sheet_zone": self.sheet, "simultaneous": self.together,
        }  # fmt: skip
        for name, text in draft.texts.items():
            self._fields[name].setText(text)
        for field, text in zip(self.datums, draft.datums, strict=True):
            field.setText(text)
        self._show_cells()
        self._build_menus()
        for field in (*self._fields.values(), *self.datums):
            field.textChanged.connect(self._explain)
        self._explain()
        self.upper_field.selectAll()

    def _build_menus(self) -> None:
        kinds, zones = QMenu(self), QMenu(self)
        for kind in (k for k in KINDS.values() if k.framed and not k.reading):
            action = kinds.addAction(glyph_icon(kind.symbol, self._theme.ink, 18), kind.label)
            action.triggered.connect(lambda _=False, n=kind.name: self._set_kind(n))
        for choice in ZONES:
            zones.addAction(f"{choice.mark}   {choice.words}").triggered.connect(
                lambda _=False, z=choice: self._set_zone(z)  # type: ignore[misc]
            )
        self.symbol.setMenu(kinds)
        self.zone.setMenu(zones)

    def _set_kind(self, name: str) -> None:
        if self._draft is not None:
            self._draft = self._draft.with_kind(name)
            self._show_cells()
            self._explain()

    def _set_zone(self, choice: ZoneChoice) -> None:
        if self._draft is not None:
            self._draft = self._draft.with_zone(choice)
            self._show_cells()
            self._explain()

    def _show_cells(self) -> None:
        draft = self._draft
        if draft is None:
            return
        kind = kind_named(draft.kind)
        if kind.symbol:
            self.symbol.setIcon(glyph_icon(kind.symbol, self._theme.ink, 18))
            self.symbol.setToolTip(kind.label)
        self.zone.setText("…" if draft.zone_choice is None else draft.zone_choice.mark)

    # Reading ---------------------------------------------------------------------------------------------------

    def changes(self) -> tuple[tuple[str, Any], ...]:
        """Return the fields that were changed; ValueError says in words what cannot be."""
        draft = self.typed()
        return () if draft is None else draft.changes(self._session.plan, self._nominals(draft.of))

    def typed(self) -> Draft | None:
        """Return what is typed, whether it can be or not."""
        if self._draft is None:
            return None
        texts = {name: field.text() for name, field in self._fields.items()}
        return self._draft.typed(texts, [field.text() for field in self.datums])

    def _nominals(self, c: Characteristic) -> list[Nominal]:
        s = self._session
        if s.evaluator is None:
            return []
        found = [s.evaluator.nominal(s.plan.named(f).group, s.plan) for f in c.features]
        return [n for n in found if isinstance(n, Nominal)]

    def problem_now(self) -> str:
        """Return why what is typed cannot be; empty when it can."""
        draft = self.typed()
        return "" if draft is None else draft.problem(self._session.plan, self._nominals(draft.of))

    def _explain(self) -> None:
        """Say while typing what cannot be."""
        text = self.problem_now()
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
    keep_size(made, least_width=24)
    keep_sheet(made, "padding: 1px 4px; font-size: 12px;")
    return made
