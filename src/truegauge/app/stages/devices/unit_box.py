"""A box for a length or a speed that is typed and shown in the unit of the plan; mm and mm/s behind it."""

from PySide6.QtWidgets import QDoubleSpinBox

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import number_box
from truegauge.drawing.units import MM_PER_INCH


class UnitBox:
    """Wraps a number box. `suffix` stands behind the number in mm: " mm" or " mm/s"; others stay as they are."""

    def __init__(self, session: Session, low: float, high: float, decimals: int, suffix: str) -> None:
        self._session, self._range, self._decimals, self._suffix = session, (low, high), decimals, suffix
        self.widget: QDoubleSpinBox = number_box(low, high, decimals, suffix=suffix)
        self._unit = "mm"

    @property
    def _factor(self) -> float:
        return MM_PER_INCH if self._unit == "inch" else 1.0

    def show_value(self, value: float) -> None:
        """Show a value (mm, mm/s, or whatever has no unit)."""
        unit = self._session.plan.unit if self._suffix.startswith(" mm") else "mm"
        if unit != self._unit:
            self._unit = unit
            inch = unit == "inch"
            self.widget.blockSignals(True)
            self.widget.setDecimals(self._decimals + 1 if inch else self._decimals)
            self.widget.setRange(self._range[0] / self._factor, self._range[1] / self._factor)
            self.widget.setSuffix(self._suffix.replace("mm", "in") if inch else self._suffix)
            self.widget.blockSignals(False)
        self.widget.setValue(value / self._factor)

    def value_of(self, shown: float) -> float:
        """Return what a shown number means (mm, mm/s)."""
        return shown * self._factor
