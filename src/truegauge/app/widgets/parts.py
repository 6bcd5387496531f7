"""Small things that the pages of the Evaluate stage share."""

from collections.abc import Callable, Sequence

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import Choice, label
from truegauge.app.widgets.text_size import keep_size
from truegauge.drawing.units import NumberFormat


def row(*widgets: QWidget | str) -> QWidget:
    """Return widgets side by side; words are soft labels, what follows the last word stands at the right."""
    made = QWidget()
    line = QHBoxLayout(made)
    line.setContentsMargins(0, 0, 0, 0)
    line.setSpacing(5)
    words = ""
    for k, w in enumerate(widgets):
        if isinstance(w, str):
            words = w
            line.addWidget(label(w, "soft"))
            if k == 0 and len(widgets) == 2:
                line.addStretch()
        else:
            line.addWidget(w, 1 if isinstance(w, QPushButton | Choice) else 0)
            if words and not w.accessibleName() and not isinstance(w, QPushButton):
                w.setAccessibleName(words)
    return made


def choice(names: Sequence[tuple[str, str]], changed: Callable[[str], None], what: str) -> Choice:
    """Return a choice of (id, words); the id of the one chosen by hand is told."""
    made = Choice()
    made.setAccessibleName(what)
    for key, words in names:
        made.addItem(words, key)
    made.activated.connect(lambda k: changed(str(made.itemData(k))))
    return made


def choose(made: Choice, key: str) -> None:
    """Show what is chosen, without telling."""
    made.blockSignals(True)
    made.setCurrentIndex(max(0, made.findData(key)))
    made.blockSignals(False)


class LengthField(QLineEdit):
    """A length typed in the unit of the plan; what is no number is said and taken back.

    It may be emptied where there is something to do then.
    """

    def __init__(
        self, session: Session, what: str, taken: Callable[[float], None], *, least: float = 0.0,
        emptied: Callable[[], None] | None = None,
    ) -> None:  # fmt: skip
        super().__init__()
        self._emptied = emptied
        self._session, self._what, self._taken, self._least = session, what, taken, least
        self._shown = ""
        self.setAccessibleName(what)
        keep_size(self, width=84)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.editingFinished.connect(self._on_typed)

    def show_length(self, value: float) -> None:
        """Show a length, mm."""
        plan = self._session.plan
        self._shown = NumberFormat(plan.unit, plan.decimals).value(value)
        if not self.hasFocus():
            self.setText(self._shown)

    def show_nothing(self) -> None:
        """Show that there is none."""
        self._shown = ""
        if not self.hasFocus():
            self.setText("")

    def _on_typed(self) -> None:
        if self.text() == self._shown:
            return
        plan = self._session.plan
        if self._emptied is not None and not self.text().strip():
            self._shown = ""
            self._emptied()
            return
        try:
            value = NumberFormat(plan.unit, plan.decimals).parse(self.text())
            if value < self._least:
                raise ValueError
        except ValueError:
            self._session.notify(f"{self.text()!r} is not a length for {self._what}; it stays as it was")
            self.setText(self._shown)
            return
        self._shown = self.text()
        self._taken(value)
