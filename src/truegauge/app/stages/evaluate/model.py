"""The presentation model of the Evaluate stage: what is picked for, and what is made of it. No widget."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.session import Session
from truegauge.app.document.worked_out import WorkedOut
from truegauge.app.stages.evaluate.section_maker import AXES, SectionMaker
from truegauge.core.arrays import Points, Vector
from truegauge.core.authoring.readings import (
    SpotWish,
    add_compared,
    add_spots,
    new_id,
    places_along,
    places_on_grid,
    three,
)
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.commands.readings import SetViews
from truegauge.core.deviations.areas import FaceStatistics, OutsideArea, areas_outside, face_statistics
from truegauge.core.deviations.map_scale import FaceTolerance
from truegauge.core.errors import TrueGaugeError
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.views import SavedView
from truegauge.core.typed_number import typed_number
from truegauge.formats.spots_csv import read_named_places, read_spots
from truegauge.rendering.camera import Camera
from truegauge.rendering.report_views import eye_of


class EvaluateModel(QObject):
    """What the pages of the Evaluate stage do."""

    changed = Signal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.page = "map"
        self.picking = ""  # spot, highest, lowest, edge, section
        self.tolerance = 0.1
        self.radius = 1.0
        self.area = 8.0
        self.spacing = 10.0
        self.inset = 2.0
        self.direction = ""  # normal, or an axis
        self.sections = SectionMaker(session, lambda: self.tolerance, self.changed.emit)
        self._areas = WorkedOut[tuple[OutsideArea, ...]](session.document, "Areas outside", self.changed.emit)
        self._statistics = WorkedOut[tuple[FaceStatistics | None]](session.document, "Statistics", self.changed.emit)
        session.stage_changed.connect(self._on_stage)
        session.pointer.picking_stopped.connect(lambda: self.pick_for(""))

    # Picking ---------------------------------------------------------------------------------------------------

    def set_page(self, page: str) -> None:
        """Show a page of the bench."""
        if page != self.page:
            self.page = page
            self.session.show(sections=page == "sections")
            self.pick_for("")
            self.changed.emit()

    def pick_for(self, what: str) -> None:
        """Let clicks in the view make something; empty lets them select again."""
        if what == self.picking:
            return
        self.picking = what
        self.session.pointer.take_places(self._take if what else None, escape_stops=True)
        self.changed.emit()

    def _on_stage(self) -> None:
        if self.session.stage != "evaluate" and self.picking:
            self.picking = ""
            if self.session.pointer.picker == self._take:
                self.session.pointer.take_places(None)

    def _take(self, face: int, place: Vector) -> bool:
        if self.session.stage != "evaluate" or self.session.model is None:
            return False
        if self.picking == "section":
            self.sections.add_at(place, self.direction or "Y")
        elif self.picking == "edge":
            self.add_along_edge(face, place)
        else:
            self.add_spot_at(place, face)
        return True

    # Spot checks -----------------------------------------------------------------------------------------------

    def _wish(self, place: Vector, **more: object) -> SpotWish:
        direction = AXES.get(self.direction)
        return SpotWish(three(place), lower=-self.tolerance, upper=self.tolerance, radius=self.radius,
                        direction=direction, **more)  # type: ignore[arg-type]  # fmt: skip

    def add_spot_at(self, place: Vector, face: int = -1) -> None:
        """Add a spot check, or the extreme of an area, at a place."""
        reads = self.picking if self.picking in ("highest", "lowest") else "at"
        if reads == "at":
            self._add_spots([self._wish(place)])
        elif self.area > 0:
            self._add_spots([self._wish(place, reads=reads, area=self.area)])
        elif self.session.model is not None and face >= 0:
            self._add_spots([self._wish(place, reads=reads, faces=whole_surface(self.session.model, face))])

    def add_typed(self, text: str) -> bool:
        """Add a spot check at a typed place "x y z"; False with a notice when it is none."""
        words = text.replace(";", " ").replace(",", " ").split()
        try:
            values = [typed_number(w) for w in words]
        except ValueError:
            values = []
        if len(values) != 3:
            self.session.notify(f"{text!r} is no place: type three numbers, x y z in mm")
            return False
        return self._add_spots([self._wish(np.array(values))])

    def add_from_table(self, path: Path) -> bool:
        """Add the spot checks of a table."""
        try:
            wishes = read_spots(path)
        except TrueGaugeError as error:
            self.session.notify(error)
            return False
        return self._add_spots(wishes, f"add {len(wishes)} spot checks of {path.name}")

    def add_grid(self) -> bool:
        """Add spot checks on a grid over the selected faces."""
        return self._add_places(
            lambda: places_on_grid(self._model(), self._projector(), self.session.selection.faces(), self.spacing)
        )

    def add_along_edge(self, face: int, place: Vector) -> bool:
        """Add spot checks along the edge of a face that is next to a place."""
        faces = whole_surface(self._model(), face)
        return self._add_places(
            lambda: places_along(self._model(), self._projector(), faces, place, self.spacing, self.inset)
        )

    def _add_places(self, find: Callable[[], Points]) -> bool:
        try:
            places = find()
        except TrueGaugeError as error:
            self.session.notify(error)
            return False
        return self._add_spots([self._wish(p) for p in places])

    def _add_spots(self, wishes: Sequence[SpotWish], label: str = "") -> bool:
        try:
            command = add_spots(self.session.plan, self._model(), self._projector(), wishes, label)
        except (TrueGaugeError, ValueError) as error:
            self.session.notify(error)
            return False
        done = self.session.run(command)
        if done:
            self.session.selection.select_characteristic(command.characteristics[0].id)
        return done

    def _model(self) -> CadModel:
        assert self.session.model is not None
        return self.session.model

    def _projector(self) -> Projector:
        assert self.session.evaluator is not None
        return self.session.evaluator.projector

    # Points by name --------------------------------------------------------------------------------------------

    def compare_from_table(self, path: Path, parts: Sequence[str]) -> bool:
        """Compare the nominal points of a table with the measured ones of their names."""
        if not parts:
            self.session.notify("choose what is compared: dx, dy, dz, the distance, or along the normal")
            return False
        try:
            command = add_compared(self.session.plan, read_named_places(path), parts, self.tolerance)
            if not command.characteristics:
                self.session.notify(f"{path.name}: no point has a normal (columns i, j, k) to compare along")
                return False
            return self.session.run(command)
        except (TrueGaugeError, ValueError) as error:
            self.session.notify(error)
            return False

    # The map ---------------------------------------------------------------------------------------------------

    def areas(self) -> tuple[OutsideArea, ...] | None:
        """Return the areas outside of the map as it is shown now, the largest first; None while they are looked for."""
        s = self.session
        found = s.evaluator.known_deviation_map(s.plan, s.sample) if s.evaluator is not None else None
        if found is None:
            return ()
        scale = s.showing.scale
        key = (found, scale.model_dump_json())
        return self._areas.get(key, lambda: areas_outside(found.fine, found.fine_values, scale))

    def statistics(self, faces: tuple[int, ...]) -> tuple[FaceStatistics | None] | None:
        """Return how faces (none: all) deviate, (None,) where no point is on them; None while it is worked out."""
        s = self.session
        cloud = s.evaluation.cloud if s.evaluation else None
        if cloud is None or isinstance(cloud, NotComputed) or s.model is None:
            return None
        count, scale = len(s.model.faces), s.showing.scale
        return self._statistics.get(
            (cloud, faces, scale.model_dump_json()),
            lambda: (face_statistics(cloud.found, cloud.usable, faces, count, scale, cloud.stray),),
        )

    def set_own_tolerance(self, value: float | None) -> None:
        """Give the selected faces a tolerance band of their own in the map; None takes it away."""
        s = self.session
        faces = tuple(sorted(set(s.selection.faces())))
        if not faces:
            s.notify("select the faces first that have a tolerance of their own")
            return
        kept = []
        for own in s.showing.scale.own:
            rest = tuple(f for f in own.faces if f not in faces)
            if rest:
                kept.append(own.replace(faces=rest))
        if value is not None:
            kept.append(FaceTolerance(faces=faces, tolerance=value))
        s.showing.set_scale(s.showing.scale.replace(own=tuple(kept)))

    # Saved views -----------------------------------------------------------------------------------------------

    def save_view(self, camera: Camera | None, name: str = "") -> None:
        """Save what is seen now as a view."""
        s = self.session
        if camera is None:
            return
        names = {v.name for v in s.plan.views}
        number = len(names) + 1
        while not name and f"view {number}" in names:
            number += 1
        view = self._as_seen(camera, SavedView(id=new_id("view"), name=name or f"view {number}", eye=eye_of(camera)))
        if s.run(SetViews((*s.plan.views, view.replace(tags=s.showing.tags)), f"save {view.name}")):
            s.showing.look_at_view(view.id)

    def update_view(self, view_id: str, camera: Camera | None) -> None:
        """Let a saved view be as it is seen now."""
        s = self.session
        if camera is not None:
            changed = tuple(self._as_seen(camera, v) if v.id == view_id else v for v in s.plan.views)
            s.run(SetViews(changed, "change the view"))

    def _as_seen(self, camera: Camera, view: SavedView) -> SavedView:
        s = self.session
        box = s.shown.look.section
        corners = None if box is None else (three(box[0]), three(box[1]))
        show = "scan" if s.shown.scan_map else "map" if s.shown.map else "part"
        return view.replace(
            eye=eye_of(camera),
            show=show,
            points=s.shown.points,
            needles=s.shown.map_needles,
            opacity=s.shown.look.opacity,
            edges_only=s.shown.look.edges_only,
            hidden=tuple(sorted(s.shown.look.hidden)),
            section_box=corners,
        )

    def change_view(self, view_id: str, label: str, **changes: object) -> None:
        """Change the name of a view, or whether it goes into the report."""
        views = self.session.plan.views
        self.session.run(SetViews(tuple(v.replace(**changes) if v.id == view_id else v for v in views), label))

    def move_view(self, view_id: str, by: int) -> None:
        """Move a view up or down in their order."""
        views = list(self.session.plan.views)
        at = next(k for k, v in enumerate(views) if v.id == view_id)
        to = min(max(at + by, 0), len(views) - 1)
        views.insert(to, views.pop(at))
        self.session.run(SetViews(tuple(views), "order the views"))

    def remove_view(self, view_id: str) -> None:
        """Remove a saved view."""
        self.session.run(SetViews(tuple(v for v in self.session.plan.views if v.id != view_id), "remove a view"))
