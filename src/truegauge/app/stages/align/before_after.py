"""The slider over the view that shows the points before and after the chosen alignment."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSlider, QWidget

from truegauge.app.stages.align.model import AlignModel
from truegauge.app.widgets.text_size import keep_size

_STEPS = 100


class BeforeAfter(QFrame):
    """Shown where the chosen alignment starts from another one."""

    def __init__(self, align: AlignModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._align = align
        self.setProperty("role", "card")
        line = QHBoxLayout(self)
        line.setContentsMargins(12, 5, 12, 5)
        line.setSpacing(8)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _STEPS)
        self.slider.setValue(_STEPS)
        keep_size(self.slider, width=150)
        self.slider.setAccessibleName("Before and after the alignment")
        self.text = QLabel()
        self.text.setProperty("role", "soft")
        line.addWidget(QLabel("before"))
        line.addWidget(self.slider)
        line.addWidget(QLabel("after"))
        line.addWidget(self.text)
        self.slider.valueChanged.connect(self._on_value)
        align.changed.connect(self.refresh)
        self.hide()

    def _on_value(self, value: int) -> None:
        self._align.session.show(points=True)
        self._align.set_share(value / _STEPS)

    def refresh(self) -> None:
        """Show it where there is something to compare."""
        there = self._align.session.stage == "align" and self._align.has_before
        self.slider.blockSignals(True)
        self.slider.setValue(round(_STEPS * self._align.share))
        self.slider.blockSignals(False)
        times = self._align.exaggeration if there else 1.0
        self.text.setText(f"motion {times:,.0f} times" if times > 1 else "")
        self.setVisible(there)
        self.adjustSize()
