"""The Align bench: the sample, and how well it lies on the part."""

from collections.abc import Callable

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QWidget

from truegauge.app.benches.base import Bench, Pairs, button, label, number_box, rule, say
from truegauge.app.benches.points_panel import PointsPanel
from truegauge.app.session import Session
from truegauge.core.arrays import Mask
from truegauge.core.plan.commands import SetAlignment, SetLimits
from truegauge.core.plan.alignments import BestFitAlignment
from truegauge.core.plan.document import PointLimits
from truegauge.core.plan.graph import NotComputed
from truegauge.core.plan.results import Cloud


def _row(text: str, widget: QWidget) -> QWidget:
    row = QWidget()
    line = QHBoxLayout(row)
    line.setContentsMargins(0, 0, 0, 0)
    line.addWidget(label(text, "soft"))
    line.addStretch()
    line.addWidget(widget)
    return row


class AlignBench(Bench):
    """The residual is the number that matters here."""

    title = "Alignment"

    def __init__(
        self, session: Session, open_scan: Callable[[], object], add_scan: Callable[[], object],
        draw: Callable[[str], None], parent: QWidget | None = None,
    ) -> None:  # fmt: skip
        self._open_scan, self._add_scan, self._draw = open_scan, add_scan, draw
        super().__init__(session, parent)

    def _build(self) -> None:
        self.kind = label("Best fit on the CAD surfaces", "soft")
        self.rms = label("–", "big")
        self.rms_unit = label("", "soft", wrap=True)
        self.doubts = label("", "bad", wrap=True)
        self.notes = label("", "soft", wrap=True)
        self.pairs = Pairs()
        self.trim = number_box(
            1.0,
            10.0,
            1,
            suffix=" x",
            tip="Points farther off than this many robust scales are not used for the fit",
        )
        self.trim.setSingleStep(0.5)
        self.trim.valueChanged.connect(self._on_trim)
        trim_row = _row("Leave out beyond", self.trim)
        self.scan = button("Bring in a scan …", self._open_scan)
        self.more = button("Add a scan to these …", self._add_scan)
        self.farthest = number_box(
            0.0, 1e5, 3, suffix=" mm", tip="Points farther from the part than this have no deviation"
        )
        self.angle = number_box(
            0.0, 180.0, 0, suffix="°", tip="Points whose normal is turned farther than this from the surface have none"
        )
        for box in (self.farthest, self.angle):
            box.setSpecialValueText("any")
        for box in (self.farthest, self.angle):
            box.valueChanged.connect(self._on_limits)
        self.points = PointsPanel(self.session, self._draw)
        widgets = (self.kind, self.rms, self.rms_unit, self.doubts, self.notes, rule(), self.pairs, rule())
        rows = (trim_row, _row("Deviations up to", self.farthest), _row("Normals up to", self.angle))
        for widget in (*widgets, *rows, self.scan, self.more, rule(), self.points):
            self.column.addWidget(widget)
        self.column.addStretch()

    def _on_limits(self) -> None:
        distance, angle = self.farthest.value() or None, self.angle.value() or None
        wanted = PointLimits(max_distance=distance, max_angle=None if angle is None else float(np.radians(angle)))
        if wanted != self.session.plan.limits:
            self.session.run(SetLimits(wanted))

    def _on_trim(self, value: float) -> None:
        if value != self.session.plan.alignment.trim:
            self.session.run(SetAlignment(BestFitAlignment(trim=value)))

    def refresh(self) -> None:
        """Show the alignment, or what is missing."""
        s, n = self.session, self.numbers
        limits = s.plan.limits
        for box, value in (
            (self.farthest, limits.max_distance), (self.angle, limits.max_angle and np.degrees(limits.max_angle)),
        ):  # fmt: skip
            box.blockSignals(True)
            box.setValue(value or 0.0)
            box.blockSignals(False)
        self.angle.setEnabled(s.sample is not None and s.sample.normals is not None)
        self.more.setVisible(s.sample is not None)
        self.points.setVisible(s.sample is not None)
        self.points.refresh()
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
        scans = "the scan" if len(s.sample.data.scans) < 2 else f"{len(s.sample.data.scans)} scans"
        self.rms.setText(n.value(a.rms))
        self.rms_unit.setText(f"{n.unit} rms of the distances to the surfaces")
        say(self.doubts, "\n".join(f"Not trusted: {d}." for d in a.doubts))
        say(self.notes, "\n".join(f"Note: {x}." for x in a.notes))
        self.pairs.show_pairs(
            [
                ("points used", f"{a.points_used:,}"),
                (f"points in {scans}", f"{a.points_total:,}"),
                ("on a table", f"{int(a.table.sum()):,}"),
                ("stray", f"{int((a.isolated & ~_removed(evaluation.cloud)).sum()):,}"),
                ("robust scale", f"{n.value(a.scale)} {n.unit}"),
                ("part covered", f"{100 * a.coverage:.0f} %"),
            ]
        )


def _removed(cloud: Cloud | NotComputed) -> Mask | bool:
    """Return what the recipe took away: it is no stray."""
    return False if isinstance(cloud, NotComputed) else cloud.removed
