"""Changing the tolerances of several characteristics in one step of undo."""

from typing import Any

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.core.authoring.frame_text import frame_problems, parse_datum, parse_modifiers
from truegauge.core.commands.command import Command, Several
from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.core.plan.requirements import Characteristic
from truegauge.drawing.frame_cells import has_frame
from truegauge.drawing.units import NumberFormat

_FIELDS = (
    ("lower", "lower deviation"), ("upper", "upper deviation"), ("warn_lower", "lower warning limit"),
    ("warn_upper", "upper warning limit"), ("modifiers", "modifiers"), ("datums", "datum system"),
    ("sheet_zone", "drawing zone"), ("simultaneous", "simultaneous with"),
)  # fmt: skip


class SeveralEditor(QDialog):
    """Fields that stay empty change nothing; a hyphen clears."""

    def __init__(self, session: Session, chosen: list[Characteristic], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._chosen = session, chosen
        self.setWindowTitle(f"Edit {len(chosen)} characteristics")
        layout = QVBoxLayout(self)
        numbers = ", ".join(str(c.number) for c in chosen)
        text = QLabel(f"Characteristics {numbers}.\nFields left empty stay as they are; - takes a value away.")
        text.setProperty("role", "soft")
        text.setWordWrap(True)
        layout.addWidget(text)
        form = QFormLayout()
        self.fields: dict[str, QLineEdit] = {}
        for name, words in _FIELDS:
            field = QLineEdit()
            field.setAccessibleName(words)
            form.addRow(words, field)
            self.fields[name] = field
        self.fields["datums"].setPlaceholderText("A | B(M) | C")
        layout.addLayout(form)
        self.problem = QLabel()
        self.problem.setProperty("role", "bad")
        self.problem.setWordWrap(True)
        layout.addWidget(self.problem)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._on_ok)
        buttons.rejected.connect(self.reject)
        layout.addWidget(buttons)

    def _on_ok(self) -> None:
        try:
            commands = [c for one in self._chosen if (c := self._command(one)) is not None]
        except ValueError as error:
            self.problem.setText(str(error))
            return
        if commands and not self._session.run(Several(tuple(commands), f"edit {len(commands)} characteristics")):
            return
        self.accept()

    def _command(self, c: Characteristic) -> Command | None:
        numbers = NumberFormat(self._session.plan.unit, self._session.plan.decimals).of(c.kind)
        changes: dict[str, Any] = {}
        for name, field in self.fields.items():
            text = field.text().strip()
            if not text or (name == "datums" and not has_frame(c)):
                continue
            changes |= self._change(name, "" if text == "-" else text, numbers, c)
        if not changes:
            return None
        try:
            candidate = c.replace(**changes)
        except ValueError as error:
            raise ValueError(f"characteristic {c.number}: {error}".split("\n")[0]) from None
        problems = frame_problems(self._session.plan, candidate, [])
        if problems:
            raise ValueError(f"characteristic {c.number}: {problems[0]}")
        return EditCharacteristic(c.id, tuple(changes.items()))

    @staticmethod
    def _change(name: str, text: str, numbers: NumberFormat, c: Characteristic) -> dict[str, Any]:
        if name in ("sheet_zone", "simultaneous"):
            return {name: text}
        if name == "modifiers":
            letters, zone = parse_modifiers(text, c.zone)
            return {"modifiers": letters, "zone": zone}
        if name == "datums":
            return {"datums": tuple(d for part in text.split("|") if (d := parse_datum(part)) is not None)}
        try:
            return {name: numbers.parse(text) if text else None}
        except ValueError:
            raise ValueError(f"{text!r} is not a number") from None
