"""The presentation model of the Evaluate stage: what is picked for, and what is made of it. No widget."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.session import Session
from truegauge.app.document.worked_out import WorkedOut
from truegauge.core.arrays import Points, Vector
from truegauge.core.association.features import Plane
from truegauge.core.authoring.readings import (
    SpotWish,
    add_compared,
    add_spots,
    new_id,
    parallel_sections,
    places_along,
    places_on_grid,
    sections_around,
    three,
    upwards,
)
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal, whole_surface
from truegauge.core.commands.readings import AddDimension, RemoveSection, SetSections, SetViews
from truegauge.core.constructions.parts import axis_of
from truegauge.core.deviations.areas import FaceStatistics, OutsideArea, areas_outside, face_statistics
from truegauge.core.deviations.map_scale import FaceTolerance
from truegauge.core.errors import TrueGaugeError
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.sections import DimensionNominal
from truegauge.core.plan.readings import DimensionKind, Section, SectionDimension, Span
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.plan.views import SavedView
from truegauge.core.typed_number import typed_number
from truegauge.formats.spots_csv import read_named_places, read_spots
from truegauge.rendering.camera import Camera
from truegauge.rendering.report_views import eye_of

AXES = {"X": (1.0, 0.0, 0.0), "Y": (0.0, 1.0, 0.0), "Z": (0.0, 0.0, 1.0)}


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
            self.add_section_at(place)
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

    # Sections --------------------------------------------------------------------------------------------------

    def add_sections(self, axis: str, position: float, count: int = 1, spacing: float = 10.0) -> None:
        """Add sections across an axis of the part (X, Y, Z) or the normal or axis of the selection ("selected")."""
        way = self._way(axis)
        if way is None:
            self.session.notify("select a plane or something with an axis first: the section is square to it")
            return
        normal, origin = way
        self._set_sections(parallel_sections(self.session.plan, origin + position * normal, normal, count, spacing))

    def add_sections_around(self, count: int) -> None:
        """Add sections through the axis of the selection, turned about it."""
        found = self._selected_axis()
        if found is None:
            self.session.notify("select a cylinder, a cone or something else with an axis first")
            return
        self._set_sections(sections_around(self.session.plan, found[0], found[1], count))

    def add_section_at(self, place: Vector) -> None:
        """Add a section through a place, square to the axis that was chosen last."""
        normal = np.array(AXES.get(self.direction or "Y", AXES["Y"]))
        self._set_sections(parallel_sections(self.session.plan, place, normal, 1, 1.0))

    def _way(self, axis: str) -> tuple[Vector, Vector] | None:
        if axis in AXES:
            return np.array(AXES[axis]), np.zeros(3)
        nominal = self._selected_nominal()
        if nominal is not None and isinstance(nominal.feature, Plane):
            return nominal.feature.normal, nominal.feature.point
        found = self._selected_axis()
        return None if found is None else (found[1], found[0])

    def _selected_nominal(self) -> Nominal | None:
        s = self.session
        if s.evaluator is None or not s.selection.groups:
            return None
        nominal = s.evaluator.nominal(s.selection.groups[0], s.plan)
        return nominal if isinstance(nominal, Nominal) else None

    def _selected_axis(self) -> tuple[Vector, Vector] | None:
        nominal = self._selected_nominal()
        line = None if nominal is None else axis_of(nominal.feature)
        return None if line is None or nominal is None else (nominal.center, line.direction)

    def _set_sections(self, sections: tuple[Section, ...]) -> None:
        label = f"add {sections[0].name}" if len(sections) == 1 else f"add {len(sections)} sections"
        if self.session.run(SetSections(sections, label)):
            self.session.showing.look_at_section(sections[0].id)
            self.changed.emit()

    def section_range(self, section: Section) -> tuple[float, float, float]:
        """Return where a section may stand along its normal (mm): least, now, most."""
        normal = upwards(section)
        corners = self._model().box
        every = [sum(corners[i][k] * normal[k] for k, i in enumerate(c)) for c in np.ndindex(2, 2, 2)]
        return min(every), float(np.array(section.origin) @ normal), max(every)

    def move_section(self, section: Section, position: float) -> None:
        """Shift a section along its normal; a drag is one step of undo."""
        normal = upwards(section)
        origin = np.array(section.origin)
        moved = section.replace(origin=three(origin + (position - float(origin @ normal)) * normal))
        self.session.run(SetSections((moved,), f"move {section.name}", f"move {section.id}"))

    def change_section(self, section: Section, label: str, **changes: object) -> None:
        """Change the name, thickness, magnification or place in the report."""
        try:
            changed = section.replace(**changes)
        except ValueError as error:
            self.session.notify(error)
            return
        self.session.run(SetSections((changed,), label))

    def remove_section(self, section_id: str) -> None:
        """Remove a section with its dimensions."""
        self.session.run(RemoveSection(section_id))
        self.changed.emit()

    def add_dimension(self, section_id: str, kind: DimensionKind, spans: tuple[Span, ...]) -> bool:
        """Add a dimension to a section, with a characteristic; False with a notice when it makes no sense."""
        s = self.session
        section = s.plan.section(section_id)
        count = 1 + sum(len(x.dimensions) for x in s.plan.sections)
        try:
            made = SectionDimension(id=new_id("dimension"), name=f"{kind} {count}", kind=kind, spans=spans)
        except ValueError as error:
            s.notify(error)
            return False
        assert s.evaluator is not None
        nominal = s.evaluator.context(s.plan, None).get(DimensionNominal(section, made))
        if isinstance(nominal, NotComputed):
            s.notify(nominal.reason)
            return False
        tolerance = np.radians(0.5) if kind == "angle" else self.tolerance
        characteristic = Characteristic(
            id=new_id("c"), number=s.plan.next_number, name=f"{section.name}: {made.name}", kind=f"section_{kind}",
            features=(made.id,), nominal=round(nominal, 6), lower=-tolerance, upper=tolerance,
        )  # fmt: skip
        done = s.run(AddDimension(section_id, made, characteristic))
        if done:
            s.selection.select_characteristic(characteristic.id)
        return done

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
