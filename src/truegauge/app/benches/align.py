"""The Align bench: the sample, and how well it lies on the part."""

from collections.abc import Callable

from PySide6.QtWidgets import QDoubleSpinBox, QHBoxLayout, QWidget

from truegauge.app.benches.base import Bench, Pairs, button, label, rule, say
from truegauge.app.session import Session
from truegauge.core.plan.commands import SetAlignment
from truegauge.core.plan.document import BestFitAlignment
from truegauge.core.plan.graph import NotComputed


class AlignBench(Bench):
    """The residual is the number that matters here."""

    title = "Alignment"

    def __init__(self, session: Session, open_scan: Callable[[], object], parent: QWidget | None = None) -> None:
        self._open_scan = open_scan
        super().__init__(session, parent)

    def _build(self) -> None:
        self.kind = label("Best fit on the CAD surfaces", "soft")
        self.rms = label("–", "big")
        self.rms_unit = label("", "soft", wrap=True)
        self.doubts = label("", "bad", wrap=True)
        self.notes = label("", "soft", wrap=True)
        self.pairs = Pairs()
        self.trim = QDoubleSpinBox()
        self.trim.setRange(1.0, 10.0)
        self.trim.setSingleStep(0.5)
        self.trim.setDecimals(1)
        self.trim.setSuffix(" x")
        self.trim.setFixedWidth(64)
        self.trim.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.trim.setKeyboardTracking(False)
        self.trim.setToolTip("Points farther off than this many robust scales are not used for the best fit")
        self.trim.valueChanged.connect(self._on_trim)
        trim_row = QWidget()
        line = QHBoxLayout(trim_row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(label("Leave out beyond", "soft"))
        line.addStretch()
        line.addWidget(self.trim)
        self.scan = button("Bring in a scan …", self._open_scan)
        widgets = (self.kind, self.rms, self.rms_unit, self.doubts, self.notes, rule(), self.pairs, rule())
        for widget in (*widgets, trim_row, self.scan):
            self.column.addWidget(widget)
        self.column.addStretch()

    def _on_trim(self, value: float) -> None:
        if value != self.session.plan.alignment.trim:
            self.session.run(SetAlignment(BestFitAlignment(trim=value)))

    def refresh(self) -> None:
        """Show the alignment, or what is missing."""
        s, n = self.session, self.numbers
        self.trim.blockSignals(True)
        self.trim.setValue(s.plan.alignment.trim)
        self.trim.blockSignals(False)
        self.scan.setProperty("main", s.sample is None)
        self.scan.style().polish(self.scan)
        evaluation = s.evaluation
        if s.sample is None or evaluation is None or isinstance(evaluation.alignment, NotComputed):
            self.rms.setText("–")
            missing = s.missing("align")
            self.rms_unit.setText("working …" if s.sample is not None and s.is_busy else missing)
            say(self.doubts, "")
            if evaluation is not None and isinstance(evaluation.alignment, NotComputed) and s.sample is not None:
                say(self.doubts, evaluation.alignment.reason)
            say(self.notes, "")
            self.pairs.show_pairs([("points", f"{len(s.sample.points):,}")] if s.sample else [])
            return
        a = evaluation.alignment
        self.rms.setText(n.value(a.rms))
        self.rms_unit.setText(f"{n.unit} rms of the distances to the surfaces")
        say(self.doubts, "\n".join(f"Not trusted: {d}." for d in a.doubts))
        say(self.notes, "\n".join(f"Note: {x}." for x in a.notes))
        self.pairs.show_pairs(
            [
                ("points used", f"{a.points_used:,}"),
                ("points in the scan", f"{a.points_total:,}"),
                ("on a table", f"{int(a.table.sum()):,}"),
                ("stray", f"{int(a.isolated.sum()):,}"),
                ("robust scale", f"{n.value(a.scale)} {n.unit}"),
                ("part covered", f"{100 * a.coverage:.0f} %"),
            ]
        )
