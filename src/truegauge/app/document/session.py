"""The presentation model: what is open, selected, shown and being worked on. No widget; tests drive it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.look import Look
from truegauge.app.document.open_document import OpenDocument
from truegauge.app.document.uncertainty import UncertaintyWorker
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
from truegauge.core.cad.element import Element
from truegauge.core.cad.patterns import Pattern
from truegauge.core.cad.recognition import describe_face, whole_surface
from truegauge.core.commands.command import Several
from truegauge.core.commands.features import RemoveFeature
from truegauge.core.commands.readings import SetTags, SetViews
from truegauge.core.commands.requirements import AddCharacteristic, RemoveCharacteristic
from truegauge.core.commands.shown import SetScale
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.plan.views import SavedView, TagSettings
from truegauge.core.progress import Progress
from truegauge.drawing.units import NumberFormat
from truegauge.reporting.survey_text import survey_text

if TYPE_CHECKING:
    from truegauge.core.arrays import Ints
    from truegauge.core.features.extraction import Built, Extracted, Measured
    from truegauge.core.plan.document import Plan

WIDE = 1860 / 1080  # width over height of the pictures in a report


class Session(OpenDocument):
    """What the window shows. Signals say what has happened; widgets listen and read."""

    selection_changed = Signal()
    proposals_changed = Signal()
    preview_changed = Signal()
    hover_changed = Signal()
    stage_changed = Signal()
    eye_wanted = Signal(object)
    extraction_changed = Signal()
    picking_stopped = Signal()
    run_changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.selection: Groups = ()
        self.selected_characteristic = ""
        self.hovered_face = -1
        self.proposals: list[Proposal] = []
        self.offers: list[Offer] = []
        self.preview: Offer | None = None
        self.stage = "part"
        self.show_points = False
        self.show_needles = True
        self.show_colors = False
        self.show_why = False
        self.show_scan_map = False  # the deviations on the points of the scan, not on the part
        self.show_map_needles = False
        self.extraction: Extracted | None = None  # the points of the selected feature, while their choice is changed
        self.open_view = ""  # the saved view that is looked at
        self.show_sections = False  # where they cut the part
        self.open_section = ""  # the section that is looked at flat
        self.uncertainties = UncertaintyWorker(self)
        self.look = Look()
        self.in_run: frozenset[str] = frozenset()  # features that the machine still touches in this run
        self.picker: Callable[[int, np.ndarray], bool] | None = None  # takes places in the view, while there is one

    def close(self) -> None:
        """Stop all work and wait for it."""
        self.uncertainties.close()
        super().close()

    # A run of the machine -----------------------------------------------------------------------------------------

    def set_in_run(self, features: frozenset[str]) -> None:
        """Know which features are still touched in this run: what needs them is not missing, it comes."""
        if features != self.in_run:
            self.in_run = features
            self.run_changed.emit()

    # Selecting -----------------------------------------------------------------------------------------------------

    def remove_selected_characteristic(self) -> None:
        """Remove the selected row."""
        if self.selected_characteristic:
            self.run(RemoveCharacteristic(self.selected_characteristic))

    def hover(self, face: int) -> None:
        """The pointer is over a face (-1: none)."""
        if face != self.hovered_face:
            self.hovered_face = face
            self.hover_changed.emit()

    def hover_text(self) -> str:
        """Say what would be picked, and what was measured of it."""
        text = self._nominal_text()
        found = self._measured_text() if text else ""
        return f"{text}\n{found}" if found else text

    def _measured_text(self) -> str:
        """Say kind, size, deviation, points and coverage of the hovered face, where they are known."""
        evaluator, sample, faces = self.evaluator, self.sample, self.hovered_faces()
        if evaluator is None or sample is None or not faces:
            return ""
        found = evaluator.known_survey(self.plan, sample, faces)
        return "" if found is None else survey_text(found, NumberFormat(self.plan.unit, self.plan.decimals))

    def _nominal_text(self) -> str:
        if self.model is None or self.hovered_face < 0:
            return ""
        text = describe_face(self.model, self.hovered_face)
        element = self.element_of(self.hovered_face)
        if element is not None and self.evaluator is not None:
            pattern = self.evaluator.patterns.of(element)
            text = element.describe() + (f" · one of a {pattern.describe()}" if pattern else "")
        elif self.model.faces[self.hovered_face].name:
            text = f"{self.model.faces[self.hovered_face].name}: {text}"
        feature = self.plan.feature_with_faces(whole_surface(self.model, self.hovered_face))
        return f"{feature.name}: {text}" if feature else text

    def element_of(self, face: int) -> Element | None:
        """Return what a face belongs to: a hole, a slot, ... None before that is worked out."""
        evaluator = self.evaluator
        return (
            evaluator.elements.of_face(face)
            if evaluator is not None and evaluator.knows_patterns and face >= 0
            else None
        )

    def selected_pattern(self) -> Pattern | None:
        """Return the pattern that the selected faces are one of."""
        faces = self.selected_faces()
        element = self.element_of(faces[0]) if faces else None
        if element is None or self.evaluator is None or not set(faces) <= set(element.faces):
            return None
        return self.evaluator.patterns.of(element)

    def take_pattern(self) -> None:
        """Select, besides what is selected, the same faces of all the others of its pattern."""
        pattern = self.selected_pattern()
        if pattern is None:
            return
        element = next(m for m in pattern.members if set(self.selected_faces()) <= set(m.faces))
        places = [i for i, g in enumerate(element.groups) if g in self.selection] or [0]
        self.select_groups(tuple(m.groups[i] for m in pattern.members for i in places))

    def take_element(self) -> None:
        """Select all faces of the slot, hole or pad that the selected one belongs to."""
        faces = self.selected_faces()
        element = self.element_of(faces[0]) if faces else None
        if element is not None:
            self.select_groups(element.groups)

    def take_width(self) -> None:
        """Select the plane face that forms a width with the selected one too."""
        faces = self.selected_faces()
        if len(faces) == 1 and self.evaluator is not None:
            other = self.evaluator.elements.parallel_to(faces[0])
            if other is not None:
                self.select_groups((*self.selection, (other[0],)))

    def hovered_faces(self) -> tuple[int, ...]:
        """The faces that a click would pick."""
        if self.model is None or self.hovered_face < 0:
            return ()
        return whole_surface(self.model, self.hovered_face)

    def pick_at(self, face: int, place: np.ndarray | None, *, add: bool = False) -> None:
        """Pick in the view: what waits for a place takes it, else the feature of the face is selected."""
        if self.picker is None or face < 0 or place is None or not self.picker(face, place):
            self.pick(face, add=add)

    def stop_picking(self) -> None:
        """Let clicks select again."""
        self.picker = None
        self.picking_stopped.emit()

    def pick(self, face: int, *, add: bool = False) -> None:
        """Select the feature of a face; with `add` besides what is selected (again: take it out)."""
        if self.model is None:
            return
        if face < 0:
            if not add:
                self.select_groups(())
            return
        group = whole_surface(self.model, face)
        if not add:
            self.select_groups((group,))
        elif group in self.selection:
            self.select_groups(tuple(g for g in self.selection if g != group))
        else:
            self.select_groups((*self.selection, group))

    def select_groups(self, groups: Groups) -> None:
        """Select features by their faces; the ledger follows."""
        if groups == self.selection:
            return
        self.selection = groups
        self.preview = self.extraction = None
        related = self.related_characteristics()
        if self.selected_characteristic not in related:
            self.selected_characteristic = related[0] if related else ""
        self.selection_changed.emit()
        self._propose()

    def select_characteristic(self, characteristic_id: str) -> None:
        """Select a row of the ledger; the view follows."""
        if characteristic_id == self.selected_characteristic or not characteristic_id:
            return
        self.selected_characteristic = characteristic_id
        characteristic = self.plan.characteristic(characteristic_id)
        self.selection = tuple(self.plan.named(f).group for f in characteristic.features)
        self.preview = None
        self.selection_changed.emit()
        self._propose()

    def related_characteristics(self) -> list[str]:
        """The characteristics whose features are all selected, then those that use a selected one."""
        chosen = {f.id for f in self.selected_features()}
        every = [c.id for c in self.plan.characteristics if chosen and set(c.features) == chosen]
        some = [c.id for c in self.plan.characteristics if chosen & set(c.features) and c.id not in every]
        return every + some

    def selected_faces(self) -> tuple[int, ...]:
        """All faces of the selection."""
        return tuple(f for group in self.selection for f in self.plan.faces_of(group))

    def selected_features(self) -> list[NominalFeature | ConstructedFeature]:
        """The features of the plan among the selected."""
        return [f for g in self.selection if (f := self.plan.feature_of(g)) is not None]

    def selected_measured(self) -> list[Measured | Built]:
        """The measured features among the selected."""
        evaluation = self.evaluation
        found = [evaluation.features.get(f.id) for f in self.selected_features()] if evaluation else []
        return [m for m in found if m is not None and not isinstance(m, NotComputed)]

    def selected_points(self) -> np.ndarray | None:
        """The points behind the selected features, part coordinates."""
        return self._points_of([m.rows for m in self.selected_measured()])

    def selected_strays(self) -> np.ndarray | None:
        """The points that were left out of the selected features, part coordinates."""
        return self._points_of([m.strays for m in self.selected_measured()])

    def _points_of(self, rows: list[Ints]) -> np.ndarray | None:
        evaluation = self.evaluation
        if evaluation is None or isinstance(evaluation.cloud, NotComputed) or not rows:
            return None
        return evaluation.cloud.points[np.concatenate(rows)]

    def show_extraction(self, plan: Plan, faces: tuple[int, ...]) -> None:
        """Show which points a plan (with a setting on trial) would choose for faces, in the background."""
        evaluator, sample = self.evaluator, self.sample
        if evaluator is None or sample is None or self.evaluation is None:
            return

        def work(progress: Progress) -> Extracted:
            from truegauge.core.nodes.features import chosen_points

            return chosen_points(evaluator.context(plan, sample), faces)

        def done(found: Extracted) -> None:
            if tuple(self.selected_faces()) == faces:
                self.extraction = found
                self.extraction_changed.emit()

        self._start(work, done, "Choosing points")

    def accept(self, index: int = 0) -> None:
        """Take a proposal: it becomes a numbered characteristic."""
        if not 0 <= index < len(self.proposals) or self.evaluator is None:
            return
        proposal = self.proposals[index]
        plan = self.plan if proposal.made is None else proposal.made.apply(self.plan)
        nominals = tuple(self.evaluator.nominal(g, plan) for g in proposal.groups)
        command = accept(self.plan, proposal, tuple(n for n in nominals if not isinstance(n, NotComputed)))
        if self.run(command):
            last = command.commands[proposal.made is not None] if isinstance(command, Several) else command
            if isinstance(last, AddCharacteristic):
                self.selected_characteristic = last.characteristic.id
            self.selection_changed.emit()

    def set_preview(self, offer: Offer | None) -> None:
        """Show what a construction would give, before it is made."""
        if offer is not self.preview:
            self.preview = offer
            self.preview_changed.emit()

    def offer_with(self, offer: Offer, values: tuple[float, ...]) -> Offer | None:
        """Return the same construction with other values; None when it cannot be built with them."""
        if self.evaluator is None:
            return None
        return offered(self.evaluator.context(self.plan, self.sample), offer.construction, offer.groups, values)

    def construct(self, offer: Offer) -> None:
        """Make a constructed feature and select it."""
        if self.evaluator is None:
            return
        nominals = tuple(
            n for g in offer.groups if not isinstance(n := self.evaluator.nominal(g, self.plan), NotComputed)
        )
        command = accept_construction(self.plan, offer, nominals)
        self.preview = None
        if self.run(command):
            self.select_groups((command.feature.id,))

    def remove_selected_features(self) -> None:
        """Remove the selected features with all that needs them."""
        features = self.selected_features()
        self.select_groups(())
        for feature in features:
            if self.plan.has_feature(feature.id):
                self.run(RemoveFeature(feature.id))

    def _propose(self) -> None:
        evaluator, plan, sample, selection = self.evaluator, self.plan, self.sample, self.selection
        if evaluator is None or not selection:
            self.proposals, self.offers = [], []
            self.proposals_changed.emit()
            return

        def work(progress: Progress) -> tuple[list[Proposal], list[Offer]]:
            context = evaluator.context(plan, sample)
            return proposals(context, selection), construction_offers(context, selection)

        def done(found: tuple[list[Proposal], list[Offer]]) -> None:
            if selection == self.selection:
                self.proposals, self.offers = found
                self.proposals_changed.emit()

        self._start(work, done, "Measuring the selection")

    def _forget_selection(self) -> None:
        self.look = Look()
        self.open_view = self.open_section = ""
        self.selection, self.selected_characteristic, self.hovered_face = (), "", -1
        self.proposals, self.offers, self.preview = [], [], None
        super()._forget_selection()
        self.selection_changed.emit()
        self.proposals_changed.emit()

    def _keep_selection_possible(self) -> None:
        gone = tuple(g for g in self.selection if isinstance(g, str) and self.plan.feature_of(g) is None)
        if gone:
            self.select_groups(tuple(g for g in self.selection if g not in gone))
        if self.selected_characteristic not in {c.id for c in self.plan.characteristics}:
            self.selected_characteristic = ""
        if self.open_view and self.saved_view is None:
            self.open_view = ""
        if self.open_section not in {s.id for s in self.plan.sections}:
            self.open_section = ""

    # Showing -------------------------------------------------------------------------------------------------------

    def set_stage(self, stage: str) -> None:
        """Open a stage."""
        if stage != self.stage:
            self.stage = stage
            self.stage_changed.emit()

    @property
    def wants_map(self) -> bool:
        """Whether the map is shown, on the part or as needles."""
        return self.show_map or self.show_map_needles

    def set_show_map(self, show: bool) -> None:
        """Turn the deviation map on or off."""
        if show != self.show_map:
            self.show_map = show
            self.display_changed.emit()
            self._make_map()

    @property
    def saved_view(self) -> SavedView | None:
        """The saved view that is looked at, if there is one."""
        return next((v for v in self.plan.views if v.id == self.open_view), None)

    @property
    def tags(self) -> TagSettings:
        """What tags are shown: those of the saved view, or of the plan."""
        view = self.saved_view
        return self.plan.tags if view is None else view.tags

    @property
    def scale(self) -> DeviationScale:
        """The deviation scale: that of the saved view if it has its own, or of the plan."""
        view = self.saved_view
        return self.plan.scale if view is None or view.scale is None else view.scale

    def set_scale(self, scale: DeviationScale, merge_key: str = "") -> None:
        """Change the scale: of the saved view if it has its own, else of the plan."""
        view = self.saved_view
        if view is None or view.scale is None:
            self.run(SetScale(scale, merge_key=merge_key))
            return
        changed = tuple(v.replace(scale=scale) if v.id == view.id else v for v in self.plan.views)
        self.run(SetViews(changed, "change deviation scale", merge_key))

    def set_tags(self, label: str = "change the tags", merge_key: str = "", **changes: Any) -> None:
        """Change the tags of the saved view that is looked at, or of the plan."""
        try:
            tags = self.tags.replace(**changes)
        except ValueError as error:
            self.notify(error)
            return
        view = self.saved_view
        if view is None:
            self.run(SetTags(tags, label, merge_key))
            return
        changed = tuple(v.replace(tags=tags) if v.id == view.id else v for v in self.plan.views)
        self.run(SetViews(changed, label, merge_key))

    def look_at_view(self, view_id: str) -> None:
        """Look as a saved view does; an empty id goes back to a view of its own."""
        self.open_view = view_id
        view = self.saved_view
        if view is not None:
            self.open_section = ""
            box = None if view.section_box is None else np.array(view.section_box)
            self.look = Look(frozenset(view.hidden), view.opacity, view.edges_only, box)
            self.show_map, self.show_scan_map = view.show == "map", view.show == "scan"
            self.show_points, self.show_map_needles = view.points, view.needles
            self.eye_wanted.emit(view.eye)
        self.display_changed.emit()
        self._make_map()

    def look_at_section(self, section_id: str) -> None:
        """Show a section flat; an empty id goes back to the part."""
        if section_id != self.open_section:
            self.open_section = section_id
            self.display_changed.emit()

    def set_show_scan_map(self, show: bool) -> None:
        """Colour the points of the scan by their deviation, or not."""
        if show != self.show_scan_map:
            self.show_scan_map = show
            self.display_changed.emit()

    def set_show_map_needles(self, show: bool) -> None:
        """Show the deviations of the map as needles, or not."""
        if show != self.show_map_needles:
            self.show_map_needles = show
            self.display_changed.emit()
            self._make_map()

    def set_look(self, **changes: Any) -> None:
        """Change how the part is shown: hidden faces, transparency, edges only, section box."""
        self.look = replace(self.look, **changes)
        self.display_changed.emit()

    def hide_selected(self) -> None:
        """Hide the selected faces."""
        faces = frozenset(f for f in self.selected_faces() if f >= 0)
        self.select_groups(())
        self.set_look(hidden=self.look.hidden | faces)

    def show_only_selected(self) -> None:
        """Hide all faces but the selected ones and those of the same element."""
        if self.model is None:
            return
        wanted = set(self.selected_faces())
        for face in tuple(wanted):
            element = self.element_of(face)
            wanted |= set(element.faces) if element else set()
        self.set_look(hidden=frozenset(f.index for f in self.model.faces if f.index not in wanted))

    def show_all(self) -> None:
        """Show every face again."""
        self.set_look(hidden=frozenset())

    def set_show_points(self, show: bool) -> None:
        """Turn the points on or off."""
        if show != self.show_points:
            self.show_points = show
            self.display_changed.emit()

    def set_show_why(self, show: bool) -> None:
        """Say why the number of the selected characteristic is what it is, or go back to the bench."""
        if show != self.show_why:
            self.show_why = show
            self.display_changed.emit()

    def set_show_colors(self, show: bool) -> None:
        """Show the points in the colours that the scanner gave them, or in one."""
        if show != self.show_colors:
            self.show_colors = show
            self.display_changed.emit()

    def set_show_needles(self, show: bool) -> None:
        """Turn the residual needles of the selected feature on or off."""
        if show != self.show_needles:
            self.show_needles = show
            self.display_changed.emit()
