"""How points are chosen: for the selected feature, its shape, or the whole plan; seen while it changes."""

from functools import partial
from math import degrees, radians

import numpy as np
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import Choice, button, label, say
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.cad.recognition import Nominal
from truegauge.core.commands.readings import SetExtraction
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.points import Extraction
from truegauge.core.typed_number import typed_number
from truegauge.drawing.units import NumberFormat

FIELDS = (
    ("reach", "farthest from the faces", "Points farther from the CAD faces do not belong to a feature"),
    ("max_angle", "turned by at most (°)", "Points whose own normal is turned more do not belong; empty: all do"),
    ("edge_margin", "distance from edges", "Points nearer to the border of a face are not used"),
    (
        "averaging",
        "smallest surface cells",
        "What is told from noise is told in cells no smaller; 0: every point counts",
    ),
    ("reject", "left out beyond (scales)", "Points farther than so many robust scales are strays; 0 keeps all"),
    ("low_coverage", "warn below (% covered)", "A result of a feature with fewer points than this is warned about"),
)
FEATURE, SHAPE, PLAN = "feature", "shape", "plan"


class ExtractionPanel(QWidget):
    """A choice of what the settings are for, their fields, and how many points are chosen or left out."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(5)
        column.addWidget(label("How points are chosen", "heading"))
        self.scope = Choice()
        self.scope.setAccessibleName("what the choice of points is for")
        self.scope.activated.connect(lambda _: self.refresh())
        column.addWidget(self.scope)
        self.fields: dict[str, QLineEdit] = {}
        for name, text, tip in FIELDS:
            row = QHBoxLayout()
            field = QLineEdit()
            keep_size(field, width=58)
            field.setAccessibleName(text)
            field.setToolTip(tip)
            field.editingFinished.connect(partial(self._on_typed, name))
            field.textEdited.connect(partial(self._on_edited, name))
            row.addWidget(label(text, "soft"))
            row.addStretch()
            row.addWidget(field)
            column.addLayout(row)
            self.fields[name] = field
        self.counts = label("", "soft", wrap=True)
        self.reset = button("As for the others", self._on_reset)
        column.addWidget(self.counts)
        column.addWidget(self.reset)
        self._for = ""
        session.proposing.extraction_changed.connect(self._show_counts)

    # What the settings are for ---------------------------------------------------------------------------------

    def _feature(self) -> NominalFeature | None:
        found = self.session.selection.features()
        one = found[0] if len(found) == 1 and len(self.session.selection.groups) == 1 else None
        return one if isinstance(one, NominalFeature) else None

    def _shape(self) -> str:
        feature, evaluator = self._feature(), self.session.evaluator
        if feature is None or evaluator is None:
            return ""
        nominal = evaluator.nominal(feature.faces)
        return str(nominal.shape) if isinstance(nominal, Nominal) else "free_form"

    def now(self) -> Extraction:
        """The settings of what is chosen."""
        plan, feature = self.session.plan, self._feature()
        scope = self.scope.currentData()
        if feature is not None and scope == FEATURE and feature.extraction is not None:
            return feature.extraction
        if scope in (FEATURE, SHAPE):
            shape = self._shape()
            own = next((x.extraction for x in plan.extraction_of_shapes if x.shape == shape), None)
            return own or plan.extraction
        return plan.extraction

    def _command(self, extraction: Extraction | None) -> SetExtraction:
        feature, scope = self._feature(), self.scope.currentData()
        if feature is not None and scope == FEATURE:
            return SetExtraction(extraction, feature=feature.id, label=f"choose the points of {feature.name}")
        if feature is not None and scope == SHAPE:
            return SetExtraction(extraction, shape=self._shape(), label=f"choose the points of every {self._shape()}")
        return SetExtraction(extraction, label="change how points are chosen")

    # Editing ---------------------------------------------------------------------------------------------------

    def _text(self, name: str, settings: Extraction) -> str:
        value = getattr(settings, name)
        if name == "max_angle":
            return "" if value is None else f"{degrees(value):g}"
        if name == "low_coverage":
            return f"{100 * value:g}"
        if name == "reject":
            return f"{value:g}"
        plan = self.session.plan
        return NumberFormat(plan.unit, plan.decimals).value(value)

    def _parsed(self, name: str) -> Extraction:
        text = self.fields[name].text().strip()
        if name == "max_angle":
            value = radians(typed_number(text)) if text else None
        elif name == "low_coverage":
            value = typed_number(text) / 100
        elif name == "reject":
            value = typed_number(text)
        else:
            value = NumberFormat(self.session.plan.unit, self.session.plan.decimals).parse(text)
        return self.now().replace(**{name: value})  # type: ignore[no-any-return]

    def _on_edited(self, name: str, text: str) -> None:
        """Show what would be chosen, while it is typed."""
        feature = self._feature()
        if feature is None:
            return
        try:
            plan: Plan = self._command(self._parsed(name)).apply(self.session.plan)
        except ValueError:
            return
        self.session.proposing.show_extraction(plan, feature.faces)

    def _on_typed(self, name: str) -> None:
        now = self.now()
        if self.fields[name].text() == self._text(name, now):
            return
        try:
            self.session.run(self._command(self._parsed(name)))
        except ValueError:
            self.session.notify("a number of 0 or more is needed (the reach above 0)")
        self.fields[name].setText(self._text(name, self.now()))

    def _on_reset(self) -> None:
        self.session.run(self._command(None))

    # Showing ---------------------------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Show the settings of what is chosen."""
        feature, shape = self._feature(), self._shape()
        wanted = [(PLAN, "for all features")]
        if feature is not None:
            wanted = [(FEATURE, f"for {feature.name}"), (SHAPE, f"for every {shape.replace('_', ' ')}"), *wanted]
        key = f"{feature.id if feature else ''}"
        if [self.scope.itemData(k) for k in range(self.scope.count())] != [k for k, _ in wanted] or key != self._for:
            self._for = key
            self.scope.clear()
            for data, words in wanted:
                self.scope.addItem(words, data)
            if feature is not None and feature.extraction is None:
                plan = self.session.plan
                has_shape = any(x.shape == shape for x in plan.extraction_of_shapes)
                self.scope.setCurrentIndex(1 if has_shape else 2)
        now, scope = self.now(), self.scope.currentData()
        for name, field in self.fields.items():
            if not field.hasFocus():
                field.setText(self._text(name, now))
        own = scope == FEATURE and feature is not None and feature.extraction is not None
        own |= scope == SHAPE and any(x.shape == shape for x in self.session.plan.extraction_of_shapes)
        self.reset.setVisible(own)
        self._show_counts()

    def _show_counts(self) -> None:
        e = self.session.proposing.extraction
        if e is None or self._feature() is None:
            say(self.counts, "")
            return
        parts = [f"{len(e.rows):,} chosen"]
        for rows, words in ((e.too_far, "too far (red)"), (e.near_edge, "near an edge (brass)"),
                            (e.turned_away, "turned away (blue)")):  # fmt: skip
            if np.size(rows):
                parts.append(f"{len(rows):,} {words}")
        say(self.counts, ", ".join(parts))
