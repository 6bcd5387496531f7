"""The middle of the window for blades: a bar to go through the sections, the flat view, curves, or the table."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from truegauge.app.stages.evaluate.blade.flat import BladeFlat
from truegauge.app.stages.evaluate.blade.heights import BladeHeights
from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.stages.evaluate.blade.table import BladeTable
from truegauge.app.widgets.bench import Stack, button, label
from truegauge.app.widgets.text_size import keep_size
from truegauge.app.widgets.theme import LiveTheme

_PAGES = (("section", "Section"), ("height", "Over the height"), ("table", "Table"), ("part", "Part"))


class BladeMiddle(QWidget):
    """One page at a time; "part" is the 3-D view, which stands in its place."""

    def __init__(self, model: BladeModel, theme: LiveTheme) -> None:
        super().__init__()
        self._model = model
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        bar = QWidget()
        bar.setObjectName("header")
        line = QHBoxLayout(bar)
        line.setContentsMargins(10, 5, 10, 5)
        line.setSpacing(5)
        self.pages: dict[str, QPushButton] = {}
        for key, words in _PAGES:
            made = QPushButton(words)
            made.setCheckable(True)
            made.setStyleSheet("padding: 4px 9px;")
            made.clicked.connect(lambda _=False, k=key: model.show(k))
            line.addWidget(made)
            self.pages[key] = made
        line.addStretch()
        self.below = button("▾", lambda: model.step(-1))
        self.above = button("▴", lambda: model.step(1))
        self.at = label("")
        self.at.setAlignment(Qt.AlignmentFlag.AlignCenter)
        for step, words in ((self.below, "section below"), (self.above, "section above")):
            step.setAccessibleName(words)
            step.setToolTip(words)
            keep_size(step, width=34)
        for widget in (self.below, self.at, self.above):
            line.addWidget(widget)
        outer.addWidget(bar)
        self.flat, self.heights, self.table = (
            BladeFlat(model, theme),
            BladeHeights(model, theme),
            BladeTable(model, theme),
        )
        self.stack = Stack()
        for page in (self.flat, self.heights, self.table):
            self.stack.addWidget(page)
        outer.addWidget(self.stack, 1)
        model.changed.connect(self.refresh)
        self.refresh()

    def refresh(self) -> None:
        """Show the page that is chosen, and which section it is."""
        m = self._model
        shown = m.shown if m.shown in ("section", "height", "table") else "section"
        self.pages[m.shown if m.shown in self.pages else "section"].setChecked(True)
        for key, made in self.pages.items():
            made.setChecked(key == m.shown)
        self.stack.setCurrentIndex(("section", "height", "table").index(shown))
        sections = () if m.blade is None else m.blade.sections
        at = next((k for k, s in enumerate(sections) if m.section is not None and s.id == m.section.id), -1)
        self.at.setText(f"{at + 1} of {len(sections)}" if sections else "")
        self.below.setEnabled(at > 0)
        self.above.setEnabled(0 <= at < len(sections) - 1)
