"""Small fields of the silhouette pages."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtWidgets import QLineEdit

from truegauge.app.widgets.text_size import keep_size


def text_field(what: str, taken: Callable[[str], object], *, hint: str = "", width: int = 0) -> QLineEdit:
    """Return a field for words; what is typed counts when Enter is pressed or the field is left."""
    made = QLineEdit()
    made.setAccessibleName(what)
    made.setPlaceholderText(hint)
    made.editingFinished.connect(lambda: taken(made.text().strip()))
    if width:
        keep_size(made, width=width)
    return made


def show_text(field: QLineEdit, text: str) -> None:
    """Show a text, unless somebody types there."""
    if not field.hasFocus():
        field.setText(text)
