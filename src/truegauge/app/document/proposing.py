"""What can be made of the selection: characteristics, constructions, and a look at either before it is made."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.app.document.document import Document
from truegauge.app.document.selection import Selected, Selection
from truegauge.core.authoring.proposals import (
    Groups,
    Offer,
    Proposal,
    accept,
    accept_construction,
    construction_offers,
    offered,
    proposals,
)
from truegauge.core.commands.command import Several
from truegauge.core.commands.requirements import AddCharacteristic
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.progress import Progress

if TYPE_CHECKING:
    from truegauge.core.features.extraction import Extracted
    from truegauge.core.plan.document import Plan


class Proposing(QObject):
    """Proposals for the selection, worked out anew with every evaluation."""

    changed = Signal()
    preview_changed = Signal()
    extraction_changed = Signal()

    def __init__(self, document: Document, selection: Selection, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document, self._selection = document, selection
        self._groups: Groups = ()
        self._made_of: tuple[object, ...] = ()  # what the proposals are from
        self.proposals: list[Proposal] = []
        self.offers: list[Offer] = []
        self.preview: Offer | None = None
        self.extraction: Extracted | None = None  # the points of the selected feature, while their choice is changed
        selection.changed.connect(self._on_selection_changed)
        document.evaluated.connect(self._propose)
        document.part_changed.connect(self._propose)

    def _on_selection_changed(self) -> None:
        if self._selection.groups != self._groups:
            self._groups = self._selection.groups
            self.preview = self.extraction = None
            self._propose()

    def show_extraction(self, plan: Plan, faces: tuple[int, ...]) -> None:
        """Show which points a plan (with a setting on trial) would choose for faces, in the background."""
        evaluator, sample = self._document.evaluator, self._document.sample
        if evaluator is None or sample is None or self._document.evaluation is None:
            return

        def work(progress: Progress) -> Extracted:
            from truegauge.core.nodes.features import chosen_points

            return chosen_points(evaluator.context(plan, sample), faces)

        def done(found: Extracted) -> None:
            if tuple(self._selection.faces()) == faces:
                self.extraction = found
                self.extraction_changed.emit()

        self._document.queue.start(work, done, "Choosing points")

    def accept(self, index: int = 0) -> None:
        """Take a proposal: it becomes a numbered characteristic."""
        if not 0 <= index < len(self.proposals) or self._document.evaluator is None:
            return
        proposal = self.proposals[index]
        plan = self._document.plan if proposal.made is None else proposal.made.apply(self._document.plan)
        nominals = tuple(self._document.evaluator.nominal(g, plan) for g in proposal.groups)
        command = accept(self._document.plan, proposal, tuple(n for n in nominals if not isinstance(n, NotComputed)))
        if self._document.run(command):
            last = command.commands[proposal.made is not None] if isinstance(command, Several) else command
            if isinstance(last, AddCharacteristic):
                self._selection.set(Selected(self._selection.groups, last.characteristic.id))

    def set_preview(self, offer: Offer | None) -> None:
        """Show what a construction would give, before it is made."""
        if offer is not self.preview:
            self.preview = offer
            self.preview_changed.emit()

    def offer_with(self, offer: Offer, values: tuple[float, ...]) -> Offer | None:
        """Return the same construction with other values; None when it cannot be built with them."""
        if self._document.evaluator is None:
            return None
        return offered(
            self._document.evaluator.context(self._document.plan, self._document.sample),
            offer.construction,
            offer.groups,
            values,
        )

    def construct(self, offer: Offer) -> None:
        """Make a constructed feature and select it."""
        if self._document.evaluator is None:
            return
        nominals = tuple(
            n
            for g in offer.groups
            if not isinstance(n := self._document.evaluator.nominal(g, self._document.plan), NotComputed)
        )
        command = accept_construction(self._document.plan, offer, nominals)
        self.preview = None
        if self._document.run(command):
            self._selection.select((command.feature.id,))

    def _propose(self) -> None:
        d, selection = self._document, self._selection.groups
        evaluator, plan, sample = d.evaluator, d.plan, d.sample
        if evaluator is None or not selection or plan.silhouette is not None:
            self.proposals, self.offers, self._made_of = [], [], ()
            self.changed.emit()
            return
        made_of = (evaluator, plan, sample, selection)
        if all(a is b for a, b in zip(made_of, self._made_of or (None,), strict=False)):
            return  # evaluated again with uncertainties: what was measured is the same

        def work(progress: Progress) -> tuple[list[Proposal], list[Offer]]:
            context = evaluator.context(plan, sample)
            return proposals(context, selection), construction_offers(context, selection)

        def done(found: tuple[list[Proposal], list[Offer]]) -> None:
            if selection == self._selection.groups:
                self.proposals, self.offers = found
                self._made_of = made_of
                self.changed.emit()

        d.queue.start(work, done, "Measuring the selection")
