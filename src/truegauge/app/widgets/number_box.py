"""A box for a number that takes sums and units too: "30+0.02", "0.1/25.4", "2 in"."""

from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QDoubleSpinBox, QWidget

from truegauge.drawing.typed_length import ANGLES, UNITS, typed_value


class NumberBox(QDoubleSpinBox):
    """What is typed counts when Enter is pressed or the box is left; what is no number leaves the value as it was."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setKeyboardTracking(False)

    def _read(self, text: str) -> float | None:
        """Return the number in the unit of the box; None for none, or one out of its range."""
        suffix = self.suffix().strip()
        units = UNITS if suffix in UNITS else ANGLES if suffix in ANGLES else {}
        factor = units.get(suffix, 1.0)
        own = text.removesuffix(self.suffix()).strip()  # the box writes it behind everything
        try:
            value = typed_value(own if units else own.removesuffix(suffix), factor, units) / factor
        except ValueError:
            return None
        return value if self.minimum() <= value <= self.maximum() else None

    def validate(self, text: str, position: int) -> tuple[QValidator.State, str, int]:
        """Let everything be typed; only a number that can be counts."""
        state = QValidator.State.Intermediate if self._read(text) is None else QValidator.State.Acceptable
        return state, text, position

    def valueFromText(self, text: str) -> float:
        """Return the number, or the value as it was."""
        value = self._read(text)
        return self.value() if value is None else value
