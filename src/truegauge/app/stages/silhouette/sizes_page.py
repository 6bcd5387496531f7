"""The page Sizes: what a drag does, what can be told of the edges that are chosen, and how an edge is looked for."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QCheckBox, QPushButton, QVBoxLayout, QWidget

from truegauge.app.stages.silhouette.fields import show_text, text_field
from truegauge.app.widgets.bench import PageTabs, button, empty_layout, label, say
from truegauge.app.widgets.parts import LengthField, choice, choose, row
from truegauge.core.plan.silhouette import ShadowBand, ShadowBox, ShadowEdge, ShadowSize
from truegauge.drawing.units import NumberFormat

if TYPE_CHECKING:
    from truegauge.app.stages.silhouette.model import SilhouetteModel

TOOLS = (("across", "Across"), ("along", "Along an edge"))
_OFFERED = 9
_TURNS = (("to light", "dark to light"), ("to dark", "light to dark"), ("either", "either"))
_CHOSEN = (("strongest", "the strongest"), ("first", "the first"))
_HINTS = {
    "across": "Drag from one side of the part to the other, or across a slot: both edges and their size are put in.",
    "along": "Drag along an edge from end to end, straight or round: a fillet, a hole, a shoulder. Then choose two "
             "edges and take what is offered here.",
}  # fmt: skip


class SizesPage(QWidget):
    """Tools, then what is chosen with its offers, then the settings of one edge."""

    def __init__(self, model: SilhouetteModel, ask_contour: Callable[[], object]) -> None:
        super().__init__()
        self._model, self.session = model, model.session
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self.tools = PageTabs(TOOLS, model.set_tool)
        self.hint = label("", "soft", wrap=True)
        self.chosen = label("", "heading", wrap=True)
        self.offers = QWidget()
        self._offers = QVBoxLayout(self.offers)
        self._offers.setContentsMargins(0, 0, 0, 0)
        self._offers.setSpacing(4)
        self.buttons: dict[str, QPushButton] = {}
        self.corner = button("Corner", lambda: model.edits.make_point("meeting"))
        self.corner.setToolTip("The place where the two edges meet")
        self.middle = button("Middle line", lambda: model.edits.make_point("middle"))
        self.middle.setToolTip("The line in the middle of the two edges")
        self.points = row(self.corner, self.middle)
        self.remove = button("Remove", model.edits.remove_selected)
        self.at = LengthField(
            self.session, "x where the size is told", self._on_at, least=-5000.0, emptied=lambda: self._on_at(None)
        )
        self.at.setPlaceholderText("middle")
        self.at.setToolTip("The size across is told at this x of the part; empty: in the middle of what is seen")
        self._at = row("Size across, at x", self.at)
        self.contour = button("Contour from DXF …", ask_contour)
        self.contour.setToolTip("Compare the outline with a nominal contour, in coordinates of the part")
        self.name = text_field("name of the edge", self._on_name)
        self.turn = choice(_TURNS, partial(self._set, "turn"), "how the edge turns")
        self.which = choice(_CHOSEN, partial(self._set, "chosen"), "which edge of several")
        self.wide = LengthField(self.session, "how wide it is looked", partial(self._look, "wide"), least=0.01)
        self.reach = LengthField(self.session, "how far it is looked", partial(self._look, "reach"), least=0.01)
        self.inwards = QCheckBox("Look from outside in")
        self.inwards.toggled.connect(lambda on: self._look("inwards", on))
        self._wide, self._reach = row("Wide", self.wide), row("Reach", self.reach)
        self._turn, self._which = row("Edge", self.turn), row("Of several", self.which)
        self.settings = (self.name, self._turn, self._which, self._wide, self._reach, self.inwards)
        for widget in (
            self.tools,
            self.hint,
            self.chosen,
            self.offers,
            self.points,
            *self.settings,
            self.remove,
            self._at,
            self.contour,
        ):
            column.addWidget(widget)
        column.addStretch()

    @property
    def edge(self) -> ShadowEdge | None:
        """The edge that is chosen alone."""
        own = self._model.silhouette
        return own.edge(self._model.selected[0]) if own is not None and len(self._model.selected) == 1 else None

    @property
    def across(self) -> ShadowSize | None:
        """The size across whose row is selected, if it is one of straight edges."""
        own, chosen = self._model.silhouette, self.session.selection.characteristic
        found = next((c for c in self.session.plan.characteristics if c.id == chosen), None)
        size = None if own is None or found is None else own.size(found.features[0])
        return size if size is not None and size.what == "size" else None

    def _on_at(self, at: float | None) -> None:
        size = self.across
        if size is not None and size.at != at:
            self._model.edits.set_place(size.id, at)

    def _on_name(self, name: str) -> None:
        edge, own = self.edge, self._model.silhouette
        if edge is None or own is None or name in ("", edge.name):
            return
        if any(t.name == name for t in own.things):
            self.session.notify(f"there is an edge called {name} already")
            self.refresh()
            return
        self._model.edits.edit_edge(edge.id, name=name)

    def _set(self, field: str, value: str) -> None:
        if self.edge is not None:
            self._model.edits.edit_edge(self.edge.id, **{field: value})

    def _look(self, field: str, value: object) -> None:
        edge = self.edge
        if edge is not None and getattr(edge.look, field) != value:
            try:
                self._model.edits.edit_edge(edge.id, look=edge.look.replace(**{field: value}))
            except ValueError as error:
                self.session.notify(error)

    def refresh(self) -> None:
        """Show what is chosen, and what can be told of it."""
        m, own = self._model, self._model.silhouette
        self.tools.buttons[m.tool].setChecked(True)
        say(self.hint, _HINTS[m.tool] if not m.selected else "")
        names = [] if own is None else [own.named(k) for k in m.selected]
        say(self.chosen, " and ".join(names))
        self._show_offers()
        two = len(m.selected) == 2 and own is not None and all(
            isinstance(getattr(own.edge(k), "look", None), ShadowBox) for k in m.selected)  # fmt: skip
        self.points.setVisible(two)
        self.remove.setVisible(bool(m.selected))
        size = self.across
        self._at.setVisible(size is not None)
        if size is not None and size.at is not None:
            self.at.show_length(size.at)
        elif size is not None:
            self.at.show_nothing()
        self._show_edge()

    def _show_offers(self) -> None:
        """Show what can be told; buttons stay while values change, so that a click is never lost."""
        every = self._model.edits.offered()
        offered = [o for o in every if not isinstance(o.value, str)][:_OFFERED] or every[:1]
        if list(self.buttons) != [o.what for o in offered]:
            empty_layout(self._offers)
            self.buttons = {}
            for k, offer in enumerate(offered):
                made = button("", partial(self._on_offer, offer.what), main=k == 0)
                self.buttons[offer.what] = made
                self._offers.addWidget(made)
        numbers = NumberFormat(self.session.plan.unit, self.session.plan.decimals)
        for offer in offered:
            made, shown = self.buttons[offer.what], numbers.of(f"shadow_{offer.what}")
            value = "–" if isinstance(offer.value, str) else shown.value(offer.value.value)
            made.setText(f"{offer.words}   {value}")
            made.setEnabled(not isinstance(offer.value, str))
            made.setToolTip(offer.value if isinstance(offer.value, str) else "")
        self.offers.setVisible(bool(offered))

    def _on_offer(self, what: str) -> None:
        found = next((o for o in self._model.edits.offered() if o.what == what), None)
        if found is not None:
            self._model.edits.accept(found)

    def _show_edge(self) -> None:
        edge = self.edge
        for widget in self.settings:
            widget.setVisible(edge is not None)
        if edge is None:
            return
        show_text(self.name, edge.name)
        choose(self.turn, edge.turn)
        choose(self.which, edge.chosen)
        self._wide.setVisible(isinstance(edge.look, ShadowBox))
        if isinstance(edge.look, ShadowBox):
            self.wide.show_length(edge.look.wide)
        self.reach.show_length(edge.look.reach)
        self.inwards.setVisible(isinstance(edge.look, ShadowBand))
        if isinstance(edge.look, ShadowBand):
            self.inwards.blockSignals(True)
            self.inwards.setChecked(edge.look.inwards)
            self.inwards.blockSignals(False)
