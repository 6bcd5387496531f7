"""Scanning, on the Portable page: begin, what is scanned, how far apart the points are kept, and stop."""

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.app.widgets.bench import button, label, number_box, say
from truegauge.app.widgets.parts import row

_READ_MS = 200


class ScanSection(QWidget):
    """Seen while there is a scanner."""

    def __init__(self, scan: ScanModel) -> None:
        super().__init__()
        self._scan = scan
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.start = button("Scan", self._toggle, main=True)
        self.seen = label("", "big", wrap=True)
        self.advice = label("", wrap=True)
        self.hand = button("Let the hand scan", scan.let_hand_scan)
        self.forget = button("Throw away", scan.throw_away)
        self.spacing = number_box(0.05, 10.0, 2, suffix=" mm", tip="Of every cube so wide the point seen best is kept")
        self.spacing.setValue(scan.spacing)
        self.spacing.setAccessibleName("spacing of the points that are kept")
        self.spacing.valueChanged.connect(self._on_spacing)
        self.only = QCheckBox("Only the faces that are selected")
        self.only.toggled.connect(self._on_only)
        for widget in (self.start, self.seen, self.advice, row(self.hand, self.forget),
                       row("Keep a point every", self.spacing), self.only):  # fmt: skip
            column.addWidget(widget)
        scan.changed.connect(self.refresh)
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_READ_MS)
        self._soon.timeout.connect(self._show)
        scan.moved.connect(lambda: None if self._soon.isActive() else self._soon.start())

    def _toggle(self) -> None:
        (self._scan.stop if self._scan.on else self._scan.start)()

    def _on_spacing(self, value: float) -> None:
        self._scan.spacing = value

    def _on_only(self, only: bool) -> None:
        self._scan.only_selected = only

    def refresh(self) -> None:
        """Show whether a scan is taken."""
        on = self._scan.on
        self.start.setText("Stop, and make it the scan" if on else "Scan")
        self.hand.setVisible(on and self._scan.hand is not None)
        sweeping = self._scan.hand is not None and self._scan.hand.is_sweeping
        self.hand.setText("Let the hand rest" if sweeping else "Let the hand scan")
        self.forget.setVisible(on)
        for widget in (self.spacing, self.only):
            widget.setEnabled(not on)
        self._show()

    def _show(self) -> None:
        if not self.isVisible():
            return
        state = self._scan.state
        seen = f"{100 * state.coverage:.0f} % seen" if self._scan.is_aligned else f"{state.kept:,} points"
        say(self.seen, seen if self._scan.on else "")
        say(self.advice, state.advice.what_to_do if state.advice is not None else "")
