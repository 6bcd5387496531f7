"""Material and temperatures: lengths are brought to 20 degrees."""

from PySide6.QtWidgets import QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.stages.align.kind_panel import row_of
from truegauge.app.widgets.bench import Choice, label, number_box
from truegauge.core.commands.part import SetMaterial
from truegauge.core.plan.part import PartMaterial
from truegauge.core.temperature import MATERIALS, REFERENCE_C

_NONE = "not corrected"
_OTHER = "other"


class TemperaturePanel(QWidget):
    """The material belongs to the plan, the temperatures to the sample."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.material = Choice()
        self.material.addItems([_NONE, *MATERIALS, _OTHER])
        self.material.activated.connect(self._on_material)
        self.expansion = number_box(-10, 1000, 2, tip="Expansion of the part, micrometres a metre and kelvin")
        self.part_c = number_box(-50, 190, 1, suffix=" °C", tip="Temperature of the part while it was measured")
        self.scale_c = number_box(-50, 190, 1, suffix=" °C", tip="Temperature of the device's scale")
        self.scale = number_box(0, 1000, 2, tip="Expansion of the device's scale; 0 where the device corrects itself")
        self.expansion.valueChanged.connect(self._on_expansion)
        for box in (self.part_c, self.scale_c, self.scale):
            box.valueChanged.connect(self._on_sample)
        column.addWidget(row_of("Material", self.material))
        column.addWidget(row_of("Expansion, µm/(m K)", self.expansion))
        column.addWidget(row_of("Part", self.part_c))
        column.addWidget(row_of("Scale", self.scale_c))
        column.addWidget(row_of("Scale expansion", self.scale))
        self.result = label("", "soft", wrap=True)
        column.addWidget(self.result)

    def refresh(self) -> None:
        """Show what is set."""
        s = self._session
        material = s.plan.material
        if material is None:
            self.material.setCurrentText(_NONE)
        else:
            self.material.setCurrentText(material.name if material.name in MATERIALS else _OTHER)
        data = s.sample.about if s.sample else None
        values = (
            (self.expansion, 0.0 if material is None else 1e6 * material.expansion),
            (self.part_c, REFERENCE_C if data is None or data.temperature_c is None else data.temperature_c),
            (self.scale_c, REFERENCE_C if data is None or data.scale_temperature_c is None
             else data.scale_temperature_c),
            (self.scale, 0.0 if data is None else 1e6 * data.scale_expansion),
        )  # fmt: skip
        for box, value in values:
            box.blockSignals(True)
            box.setValue(value)
            box.blockSignals(False)
        self.expansion.setEnabled(material is not None)
        for box in (self.part_c, self.scale_c, self.scale):
            box.setEnabled(data is not None)
        done = s.evaluation.temperature if s.evaluation else ""
        self.result.setText(f"{done[:1].upper()}{done[1:]}." if done else "Lengths are as measured.")

    def _on_material(self) -> None:
        name = self.material.currentText()
        if name == _NONE:
            self._session.run(SetMaterial(None))
        else:
            expansion = MATERIALS.get(name, self.expansion.value() * 1e-6)
            self._session.run(SetMaterial(PartMaterial(name=name, expansion=expansion)))

    def _on_expansion(self, value: float) -> None:
        material = self._session.plan.material
        if material is not None:
            same = abs(MATERIALS.get(material.name, -1.0) * 1e6 - value) < 1e-6
            self._session.run(SetMaterial(PartMaterial(name=material.name if same else _OTHER, expansion=value * 1e-6)))

    def _on_sample(self) -> None:
        self._session.document.set_sample_data(
            temperature_c=self.part_c.value(), scale_temperature_c=self.scale_c.value(),
            scale_expansion=self.scale.value() * 1e-6,
        )  # fmt: skip
