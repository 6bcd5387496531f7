"""The transform of the chosen alignment, and the frame that it reports in."""

import numpy as np
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QGridLayout, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from truegauge.app.stages.align.model import AlignModel
from truegauge.app.widgets.bench import button, label, number_box
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.frames import turn_angles
from truegauge.core.plan.alignments import GivenAlignment
from truegauge.core.registration.alignment import Alignment
from truegauge.core.typed_number import typed_number
from truegauge.drawing.units import NumberFormat


class FramePanel(QWidget):
    """Shifts and turns as numbers, the matrix to copy, and the offset to a drawing's origin."""

    def __init__(self, align: AlignModel, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._align = align
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        grid = QGridLayout()
        grid.setSpacing(4)
        self.shifts, self.turns = [label("–") for _ in range(3)], [label("–") for _ in range(3)]
        grid.addWidget(label("shift", "soft"), 0, 1)
        grid.addWidget(label("turn", "soft"), 0, 2)
        for k in range(3):
            grid.addWidget(label("xyz"[k], "soft"), k + 1, 0)
            grid.addWidget(self.shifts[k], k + 1, 1)
            grid.addWidget(self.turns[k], k + 1, 2)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(2, 1)
        column.addLayout(grid)
        column.addWidget(button("Copy the matrix", self.copy))
        self.matrix = QPlainTextEdit()
        keep_size(self.matrix, height=92)
        self.matrix.setPlaceholderText("four lines of four numbers")
        self.apply = button("Use this matrix", self._on_matrix)
        column.addWidget(self.matrix)
        column.addWidget(self.apply)
        column.addWidget(label("Reported from an origin at (mm, °)", "soft"))
        entries = QGridLayout()
        entries.setSpacing(4)
        self.offset = [number_box(-1e6, 1e6, 4, tip=f"Origin of the frame along {a}") for a in "xyz"]
        self.angles = [number_box(-360, 360, 4, suffix="°", tip=f"Turn of the frame about {a}") for a in "xyz"]
        for k in range(3):
            entries.addWidget(label("xyz"[k], "soft"), k, 0)
            entries.addWidget(self.offset[k], k, 1)
            entries.addWidget(self.angles[k], k, 2)
            self.offset[k].valueChanged.connect(self._on_frame)
            self.angles[k].valueChanged.connect(self._on_frame)
        entries.setColumnStretch(3, 1)
        column.addLayout(entries)
        self.name = QLineEdit()
        self.name.setToolTip("The name of the alignment and of its frame")
        self.name.editingFinished.connect(self._on_name)
        column.addWidget(label("Name", "soft"))
        column.addWidget(self.name)

    def refresh(self) -> None:
        """Show the chosen alignment."""
        own, result = self._align.own, self._align.result
        plan = self._align.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        if isinstance(result, Alignment):
            angles = np.degrees(turn_angles(result.part_from_scan))
            for k in range(3):
                self.shifts[k].setText(f"{numbers.value(float(result.part_from_scan[k, 3]))} {numbers.unit}")
                self.turns[k].setText(f"{angles[k]:.4f}°")
        else:
            for text in (*self.shifts, *self.turns):
                text.setText("–")
        given = isinstance(own, GivenAlignment)
        self.matrix.setVisible(given)
        self.apply.setVisible(given)
        if isinstance(own, GivenAlignment) and not self.matrix.hasFocus():
            self.matrix.setPlainText(_text(np.array(own.matrix).reshape(4, 4)))
        for boxes, values in ((self.offset, own.offset), (self.angles, tuple(np.degrees(own.turns)))):
            for box, value in zip(boxes, values, strict=True):
                box.blockSignals(True)
                box.setValue(float(value))
                box.blockSignals(False)
        if not self.name.hasFocus():
            self.name.setText(own.name)

    def copy(self) -> None:
        """Put the matrix, part coordinates from those of the scan, on the clipboard."""
        result = self._align.result
        if isinstance(result, Alignment):
            QGuiApplication.clipboard().setText(_text(result.part_from_scan))

    def _on_matrix(self) -> None:
        try:
            values = tuple(typed_number(w) for w in self.matrix.toPlainText().replace(",", " ").split())
        except ValueError:
            self._align.session.notify("the matrix holds something that is no number; four lines of four numbers")
            return
        self._align.edit(matrix=values)

    def _on_frame(self) -> None:
        offset = tuple(b.value() for b in self.offset)
        turns = tuple(float(np.radians(b.value())) for b in self.angles)
        self._align.edit(offset=offset, turns=turns)

    def _on_name(self) -> None:
        name = self.name.text().strip()
        if name and name != self._align.own.name:
            self._align.edit(name=name)


def _text(matrix: np.ndarray) -> str:
    return "\n".join(" ".join(f"{v:.12g}" for v in row) for row in matrix)
