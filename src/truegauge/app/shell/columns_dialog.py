"""Asking which columns of a text are x, y and z, with its first lines in sight."""

from PySide6.QtWidgets import QDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from truegauge.app.widgets.bench import Choice, button, label
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.errors import ColumnsUnknownError
from truegauge.formats.scan import Columns


class ColumnsDialog(QDialog):
    """Three choices and the first lines."""

    def __init__(self, error: ColumnsUnknownError, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Columns of the scan")
        column = QVBoxLayout(self)
        column.addWidget(label(str(error), "", wrap=True))
        lines = QLabel("\n".join([" | ".join(error.names), *error.lines]))
        lines.setProperty("role", "soft")
        column.addWidget(lines)
        row = QHBoxLayout()
        self.choices: list[Choice] = []
        for k, axis in enumerate("XYZ"):
            choice = Choice()
            choice.addItems([f"{i + 1}: {name}" for i, name in enumerate(error.names)])
            choice.setCurrentIndex(min(k, len(error.names) - 1))
            choice.currentIndexChanged.connect(self._check)
            row.addWidget(QLabel(axis))
            row.addWidget(choice, 1)
            self.choices.append(choice)
        column.addLayout(row)
        below = QHBoxLayout()
        below.addStretch()
        below.addWidget(button("Cancel", self.reject))
        self.read = button("Read", self.accept, main=True)
        below.addWidget(self.read)
        column.addLayout(below)
        keep_size(self, least_width=460)

    def columns(self) -> Columns:
        """Return where x, y and z stand."""
        x, y, z = (choice.currentIndex() for choice in self.choices)
        return x, y, z

    def _check(self) -> None:
        self.read.setEnabled(len(set(self.columns())) == 3)
