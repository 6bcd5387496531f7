"""Questions: before something would be lost (every answer says what it does), and for a line of text."""

from functools import partial

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from truegauge.app.widgets.bench import button, label
from truegauge.app.widgets.text_size import keep_size

CANCEL = "Cancel"


class Question(QDialog):
    """A title, a text, and a button for each answer. Escape cancels; Enter does the first, where there is a second.

    A single answer is one that loses something: it is not given by Enter.
    """

    def __init__(self, parent: QWidget | None, title: str, text: str, answers: tuple[str, ...]) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.answer = CANCEL
        column = QVBoxLayout(self)
        column.setContentsMargins(20, 16, 20, 16)
        column.setSpacing(12)
        column.addWidget(label(title, "heading"))
        column.addWidget(label(text, "", wrap=True))
        row = QHBoxLayout()
        cancel = button(CANCEL, self.reject)
        row.addWidget(cancel)
        row.addStretch()
        self.buttons: dict[str, QPushButton] = {}
        for a in reversed(answers):
            self.buttons[a] = button(a, partial(self._answered, a), main=a == answers[0] and len(answers) > 1)
        for made in self.buttons.values():
            row.addWidget(made)
        (self.buttons[answers[0]] if len(answers) > 1 else cancel).setDefault(True)
        column.addLayout(row)
        keep_size(self, least_width=440)

    def _answered(self, answer: str) -> None:
        self.answer = answer
        self.accept()


def open_dialog(dialog: QDialog) -> None:
    """Open a dialog over its window; it goes when it is closed."""
    dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    dialog.open()


def ask(parent: QWidget, title: str, text: str, *answers: str) -> str:
    """Return the answer that was chosen, or `CANCEL`."""
    asked = Question(parent, title, text, answers)
    asked.exec()
    asked.deleteLater()
    return asked.answer


def ask_text(parent: QWidget, title: str, words: str, answer: str) -> str | None:
    """Return the line that was typed; None where it was cancelled. `answer` is the button that takes it."""
    asked = Question(parent, title, words, (answer,))
    field = QLineEdit()
    field.setAccessibleName(words)
    column = asked.layout()
    assert isinstance(column, QVBoxLayout)
    column.insertWidget(column.count() - 1, field)
    asked.buttons[answer].setDefault(True)
    field.setFocus()
    asked.exec()
    asked.deleteLater()
    return field.text().strip() if asked.answer == answer else None
