"""The header: plan, revision, sample, alignment in force, units."""

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QToolButton, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import Shrinking
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.commands.shown import SetDisplay
from truegauge.core.evaluation.touch_needs import datum_features
from truegauge.core.nodes.graph import NotComputed
from truegauge.drawing.units import NumberFormat

_NAME_ROOM = 110  # pixels: a long name must not widen the window


class Header(QWidget):
    """One line over everything."""

    finder_wanted = Signal()

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setObjectName("header")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        keep_size(self, height=44)
        self._build()
        for signal in (
            session.document.plan_changed,
            session.document.sample_changed,
            session.document.evaluated,
            session.document.part_changed,
            session.queue.busy_changed,
        ):
            signal.connect(self.refresh)
        self.refresh()

    def _build(self) -> None:
        layout = QHBoxLayout(self)
        layout.setContentsMargins(14, 0, 8, 0)
        layout.setSpacing(10)
        self.title, self.revision = Shrinking(), Shrinking()
        self.title.setProperty("role", "title")
        self.revision.setProperty("role", "soft")
        self.sample, self.alignment = Shrinking(), Shrinking()
        for chip in (self.sample, self.alignment):
            chip.setProperty("role", "chip")
            keep_size(chip, height=25)
        self.busy = Shrinking()
        self.busy.setProperty("role", "soft")
        self.progress = QProgressBar()
        keep_size(self.progress, width=96)
        self.progress.setTextVisible(False)
        self.progress.setRange(0, 1000)
        self.stop = QPushButton("Cancel")
        self.stop.setStyleSheet("padding: 2px 9px;")
        self.stop.clicked.connect(self._session.queue.cancel)
        self.unit = QToolButton()
        self.unit.setToolTip("Switch between mm and inch")
        self.unit.clicked.connect(self._on_unit)
        finder = QToolButton()
        finder.setText("Find  Ctrl+K")
        finder.setToolTip("Find a command by its name")
        finder.clicked.connect(self.finder_wanted)
        for widget in (self.title, self.revision, self.sample, self.alignment):
            layout.addWidget(widget)
        layout.addStretch()
        for tool in (self.busy, self.progress, self.stop, self.unit, finder):
            layout.addWidget(tool)

    def _on_unit(self) -> None:
        unit = "inch" if self._session.plan.unit == "mm" else "mm"
        self._session.run(SetDisplay((("unit", unit),)))

    def refresh(self) -> None:
        """Show plan, sample and alignment as they are."""
        s, plan = self._session, self._session.plan
        self.title.setText(plan.name)
        edited = "" if s.document.history.is_saved else ", not saved"
        self.revision.setText(f"revision {plan.revision}{edited}")
        self.sample.setText(f"Sample {s.sample.name}" if s.sample else "No sample")
        self._refresh_alignment(NumberFormat(plan.unit, plan.decimals))
        self.unit.setText(plan.unit)
        busy = bool(s.queue.busy_text)
        for widget in (self.busy, self.progress):
            widget.setVisible(busy)
        self.stop.setVisible(busy and s.queue.can_stop)
        metrics = self.busy.fontMetrics()
        room = 220 if self.width() > 1400 else 110  # the window must not grow for a passing text
        self.busy.setText(metrics.elidedText(s.queue.busy_text, Qt.TextElideMode.ElideRight, room))
        self.busy.setToolTip(s.queue.busy_text)
        self.progress.setValue(round(1000 * s.queue.busy_fraction))

    def _refresh_alignment(self, numbers: NumberFormat) -> None:
        evaluation = self._session.evaluation
        alert = False
        shadow = self._session.plan.silhouette
        self.alignment.setVisible(shadow is None or self._session.sample is not None)
        if shadow is not None:
            found = evaluation is not None and not isinstance(evaluation.shadow, NotComputed)
            text = "Not found" if not found else "Found by its edges" if shadow.datums else "As the picture lies"
            alert = not found and evaluation is not None
        elif evaluation is None or self._session.sample is None:
            text = "Not aligned"
        elif isinstance(evaluation.alignment, NotComputed):
            comes = bool(self._session.in_run & datum_features(self._session.plan))
            text, alert = ("Alignment in this run", False) if comes else ("Not aligned", True)
        else:
            alert = not evaluation.alignment.trusted
            doubt = ", not trusted" if alert else ""
            name = self._session.plan.alignment().name or "Aligned"
            name = self.alignment.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, _NAME_ROOM)
            text = f"{name}   rms {numbers.fine(evaluation.alignment.rms)}{doubt}"
            if evaluation.temperature:
                text += "   at 20 °C"
        self.alignment.setToolTip(evaluation.temperature if evaluation is not None else "")
        if self.alignment.property("alert") != alert:
            self.alignment.setProperty("alert", alert)
            self.alignment.style().unpolish(self.alignment)
            self.alignment.style().polish(self.alignment)
        self.alignment.setText(text)
