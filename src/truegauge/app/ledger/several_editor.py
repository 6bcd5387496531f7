"""Changing the tolerances of several characteristics in one step of undo."""

from PySide6.QtWidgets import QDialog, QDialogButtonBox, QFormLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.core.authoring.drafts import change_of_several
from truegauge.core.commands.command import Command, Several
from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.core.plan.requirements import Characteristic
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
        plan = self._session.plan
        numbers = NumberFormat(plan.unit, plan.decimals).of(c.kind)
        changes = change_of_several(plan, c, numbers, {name: field.text() for name, field in self.fields.items()})
        return EditCharacteristic(c.id, tuple(changes.items())) if changes else None
