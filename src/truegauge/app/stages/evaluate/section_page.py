"""The flat view of a section with the tools that make dimensions."""

from typing import Any

from PySide6.QtWidgets import QHBoxLayout, QPushButton, QVBoxLayout, QWidget

from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.evaluate.section_sheet import SectionView
from truegauge.app.widgets.bench import button, label
from truegauge.app.widgets.parts import LengthField, choice
from truegauge.app.widgets.text_size import keep_size
from truegauge.app.widgets.theme import Theme
from truegauge.core.plan.readings import DimensionKind

TOOLS: tuple[tuple[DimensionKind, str], ...] = (
    ("aligned", "Distance"), ("horizontal", "Horizontal"), ("vertical", "Vertical"), ("diameter", "Diameter"),
    ("radius", "Radius"), ("angle", "Angle"),
)  # fmt: skip
_FITS = (("line", "to lines"), ("point", "to places"), ("circle", "to centres"))


class SectionPage(QWidget):
    """The flat view with its tools over it."""

    def __init__(self, model: EvaluateModel, theme: Theme) -> None:
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
        self.title = label("", "heading")
        line.addStretch()
        self.tools: dict[str, QPushButton] = {}
        for key, words in TOOLS:
            made = QPushButton(words)
            made.setCheckable(True)
            made.setStyleSheet("padding: 4px 7px;")
            made.clicked.connect(lambda on, k=key: self._on_tool(k if on else None))
            line.addWidget(made)
            self.tools[key] = made
        self.fits = choice(_FITS, self._on_fits, "what is fitted in the spans")
        self.fits.setMinimumContentsLength(7)
        self.reach = LengthField(model.session, "the length of a span", self._on_reach, least=1e-3)
        self.reach.setToolTip("How far a span reaches to both sides; or press on the curve and drag")
        keep_size(self.reach, width=66)
        line.addStretch()
        below = QWidget()
        second = QHBoxLayout(below)
        second.setContentsMargins(12, 3, 10, 3)
        second.setSpacing(6)
        second.addWidget(self.title)
        second.addStretch()
        keep_size(self.fits, width=112)
        for widget in (self.fits, label("span ±", "soft"), self.reach, button("Fit", self._on_fit)):
            second.addWidget(widget)
        outer.addWidget(bar)
        outer.addWidget(below)
        self.sheet = SectionView(model, theme)
        self.sheet.tool_changed.connect(self.refresh)
        outer.addWidget(self.sheet, 1)
        s = model.session
        for signal in (s.document.plan_changed, s.document.evaluated, s.showing.changed, s.selection.changed):
            signal.connect(self._on_changed)

    def _on_changed(self) -> None:
        if self.isVisible():
            self.refresh()

    def showEvent(self, event: object) -> None:
        """Catch up on what happened while hidden."""
        self.refresh()

    def _on_tool(self, tool: DimensionKind | None) -> None:
        self.sheet.set_tool(tool)
        self.sheet.setFocus()

    def _on_fits(self, key: str) -> None:
        self._set_measuring(fits=key)

    def _on_reach(self, value: float) -> None:
        self._set_measuring(reach=value)

    def _set_measuring(self, **how: Any) -> None:
        """Change how the chosen dimension takes its ends, or the next one when none is chosen."""
        own = self.sheet.chosen()
        if own is not None and self.sheet.tool is None:
            self.sheet.change(own, spans=tuple(s.replace(**how) for s in own.spans))
            return
        for name, value in how.items():
            setattr(self.sheet, name, value)
        self.sheet.update()

    def _on_fit(self) -> None:
        self.sheet.fit()

    def refresh(self) -> None:
        """Show the section and the tools."""
        section, sheet = self.sheet.section, self.sheet
        self.title.setText(section.name if section else "")
        for key, made in self.tools.items():
            made.setChecked(sheet.tool == key)
        own = None if sheet.tool is not None else sheet.chosen()
        fits, reach = (sheet.fits, sheet.reach) if own is None else (own.spans[0].fits, own.spans[0].reach)
        kind = sheet.tool if own is None else own.kind
        self.fits.blockSignals(True)
        self.fits.setCurrentIndex(self.fits.findData(fits))
        self.fits.blockSignals(False)
        self.fits.setEnabled(kind in ("aligned", "horizontal", "vertical"))
        self.reach.show_length(reach)
        sheet.refresh()
