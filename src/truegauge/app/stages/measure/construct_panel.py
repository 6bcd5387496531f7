"""The construct panel: what can be built from the selection, with a live preview and the numbers it asks for."""

import numpy as np
from PySide6.QtCore import QEvent, QObject
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QPushButton, QSizePolicy, QVBoxLayout, QWidget

from truegauge.app.document.session import Session
from truegauge.app.widgets.bench import empty_layout, label, say
from truegauge.app.widgets.text_size import keep_size
from truegauge.core.authoring.proposals import Offer
from truegauge.core.constructions.parts import place_of
from truegauge.drawing.units import NumberFormat


class ConstructPanel(QWidget):
    """A heading and a row an offer; hovering or focusing a row shows it in the view, pressing makes it."""

    def __init__(self, session: Session, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(4)
        self.heading = label("Construct from the selection", "heading", wrap=True)
        self.preview_text = label("", "soft", wrap=True)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(4)
        self._column.addWidget(self.heading)
        self._column.addLayout(self._rows)
        self._column.addWidget(self.preview_text)
        self.buttons: list[QPushButton] = []
        self.fields: dict[str, QLineEdit] = {}
        self._offers: dict[QObject, Offer] = {}
        session.proposing.changed.connect(self.refresh)
        session.selection.changed.connect(self.refresh)
        session.proposing.preview_changed.connect(self._refresh_text)
        self.hide()

    @property
    def _numbers(self) -> NumberFormat:
        return NumberFormat(self._session.plan.unit, self._session.plan.decimals)

    def refresh(self) -> None:
        """Show the offers for the selection."""
        empty_layout(self._rows)
        self.buttons, self.fields, self._offers = [], {}, {}
        offers = self._session.proposing.offers if self._session.selection.groups else []
        self.setVisible(bool(offers))
        for offer in offers:
            self._add(offer)
        self._refresh_text()

    def _add(self, offer: Offer) -> None:
        row = QWidget()
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        button = QPushButton(offer.construction.label)
        button.setProperty("role", "row")
        button.setToolTip(f"Make this: {offer.construction.label}")
        button.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        button.clicked.connect(lambda: self._make(button))
        button.installEventFilter(self)
        line.addWidget(button, 1)
        for value, now in zip(offer.construction.values, offer.values, strict=True):
            field = QLineEdit(self._numbers.value(now))
            keep_size(field, width=66)
            field.setAccessibleName(value.label)
            field.setToolTip(f"{value.label}, {self._numbers.unit}")
            field.textEdited.connect(lambda _, b=button: self._on_typed(b))
            line.addWidget(field)
            self.fields[f"{offer.construction.name} {value.label}"] = field
            field.installEventFilter(self)
        self._offers[button] = offer
        self._rows.addWidget(row)
        self.buttons.append(button)

    def _fields_of(self, offer: Offer) -> list[QLineEdit]:
        return [self.fields[f"{offer.construction.name} {v.label}"] for v in offer.construction.values]

    def _on_typed(self, button: QPushButton) -> None:
        """Show at once what the typed number gives."""
        offer = self._offers[button]
        fields = self._fields_of(offer)
        try:
            values = tuple(self._numbers.parse(f.text()) for f in fields)
            changed = self._session.proposing.offer_with(offer, values)
        except ValueError:
            changed = None
        button.setEnabled(changed is not None)
        for field in fields:
            field.setProperty("wrong", changed is None)
            field.style().polish(field)
        if changed is not None:
            self._offers[button] = changed
            self._session.proposing.set_preview(changed)

    def _make(self, button: QPushButton) -> None:
        self._session.proposing.construct(self._offers[button])

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Preview the offer under the pointer or the focus."""
        offer = self._offers.get(watched)
        if event.type() in (QEvent.Type.Enter, QEvent.Type.FocusIn) and offer is not None:
            self._session.proposing.set_preview(offer)
        elif event.type() in (QEvent.Type.Leave, QEvent.Type.FocusOut) and offer is not None:
            self._session.proposing.set_preview(None)
        return False

    def _refresh_text(self) -> None:
        offer = self._session.proposing.preview
        say(self.preview_text, describe_offer(offer, self._numbers) if offer is not None else "")


def describe_offer(offer: Offer, numbers: NumberFormat) -> str:
    """Say what a construction gives: measured where there is a sample, else nominal."""
    feature = offer.measured or offer.nominal.feature
    kind = "measured" if offer.measured is not None else "nominal"
    place = place_of(feature)
    place = feature.parameters.get("point", np.zeros(3)) if place is None else place
    text = f"{kind} {offer.construction.word} at {'  '.join(numbers.value(float(v)) for v in place)}"
    for name in ("direction", "normal"):
        if name in feature.parameters:
            text += f", {name} " + "  ".join(f"{v:.4f}" for v in feature.parameters[name])
            break
    for name in ("radius", "major_radius", "minor_radius"):
        if name in feature.parameters:
            text += f", {name.replace('_', ' ')} {numbers.value(feature.parameters[name])}"
    return text if not offer.reason else f"{text} ({offer.reason})"
