"""Making sections and their dimensions, shifting and changing them. No widget."""

from collections.abc import Callable

import numpy as np

from truegauge.app.document.session import Session
from truegauge.core.arrays import Points, Vector
from truegauge.core.association.features import Plane
from truegauge.core.authoring.readings import new_id, parallel_sections, sections_around, three, upwards
from truegauge.core.cad.recognition import Nominal
from truegauge.core.commands.readings import AddDimension, EditDimension, RemoveSection, SetSections
from truegauge.core.constructions.parts import axis_of
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.sections import DimensionNominal
from truegauge.core.plan.readings import DimensionKind, Section, SectionDimension, Span
from truegauge.core.plan.requirements import Characteristic

AXES = {"X": (1.0, 0.0, 0.0), "Y": (0.0, 1.0, 0.0), "Z": (0.0, 0.0, 1.0)}


class SectionMaker:
    """Of one window; `tolerance` is what new dimensions get, `changed` tells that sections came or went."""

    def __init__(self, session: Session, tolerance: Callable[[], float], changed: Callable[[], None]) -> None:
        self.session, self._tolerance, self._changed = session, tolerance, changed

    def _box(self) -> Points:
        assert self.session.model is not None
        return self.session.model.box

    def add(self, axis: str, position: float, count: int = 1, spacing: float = 10.0) -> None:
        """Add sections across an axis of the part (X, Y, Z) or the normal or axis of the selection ("selected")."""
        way = self._way(axis)
        if way is None:
            self.session.notify("select a plane or something with an axis first: the section is square to it")
            return
        normal, origin = way
        self._set(parallel_sections(self.session.plan, origin + position * normal, normal, count, spacing))

    def add_around(self, count: int) -> None:
        """Add sections through the axis of the selection, turned about it."""
        found = self._selected_axis()
        if found is None:
            self.session.notify("select a cylinder, a cone or something else with an axis first")
            return
        self._set(sections_around(self.session.plan, found[0], found[1], count))

    def add_at(self, place: Vector, axis: str) -> None:
        """Add a section through a place, square to an axis of the part."""
        normal = np.array(AXES.get(axis, AXES["Y"]))
        self._set(parallel_sections(self.session.plan, place, normal, 1, 1.0))

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

    def _set(self, sections: tuple[Section, ...]) -> None:
        label = f"add {sections[0].name}" if len(sections) == 1 else f"add {len(sections)} sections"
        if self.session.run(SetSections(sections, label)):
            self.session.showing.look_at_section(sections[0].id)
            self._changed()

    def middle_of(self, axis: str) -> float:
        """Return where the middle of the part is along an axis (X, Y, Z), mm; 0 along what is selected."""
        model = self.session.model
        return 0.0 if model is None or axis not in AXES else float(model.box.mean(axis=0)["XYZ".index(axis)])

    def range(self, section: Section) -> tuple[float, float, float]:
        """Return where a section may stand along its normal (mm): least, now, most."""
        normal = upwards(section)
        corners = self._box()
        every = [sum(corners[i][k] * normal[k] for k, i in enumerate(c)) for c in np.ndindex(2, 2, 2)]
        return min(every), float(np.array(section.origin) @ normal), max(every)

    def move(self, section: Section, position: float) -> None:
        """Shift a section along its normal; a drag is one step of undo."""
        normal = upwards(section)
        origin = np.array(section.origin)
        moved = section.replace(origin=three(origin + (position - float(origin @ normal)) * normal))
        self.session.run(SetSections((moved,), f"move {section.name}", f"move {section.id}"))

    def change(self, section: Section, label: str, **changes: object) -> None:
        """Change the name, thickness, magnification or place in the report."""
        try:
            changed = section.replace(**changes)
        except ValueError as error:
            self.session.notify(error)
            return
        self.session.run(SetSections((changed,), label))

    def remove(self, section_id: str) -> None:
        """Remove a section with its dimensions."""
        self.session.run(RemoveSection(section_id))
        self._changed()

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
        tolerance = np.radians(0.5) if kind == "angle" else self._tolerance()
        characteristic = Characteristic(
            id=new_id("c"), number=s.plan.next_number, name=f"{section.name}: {made.name}", kind=f"section_{kind}",
            features=(made.id,), nominal=round(nominal, 6), lower=-tolerance, upper=tolerance,
        )  # fmt: skip
        done = s.run(AddDimension(section_id, made, characteristic))
        if done:
            s.selection.select_characteristic(characteristic.id)
        return done

    def edit_dimension(self, section_id: str, made: SectionDimension, merge_key: str = "") -> bool:
        """Put a changed dimension in the place of the one with its id; False with a notice when it makes no sense."""
        s = self.session
        assert s.evaluator is not None
        section = s.plan.section(section_id)
        before = next(d for d in section.dimensions if d.id == made.id)
        if made == before:
            return False
        wanted = None
        if (made.kind, made.spans) != (before.kind, before.spans):
            context = s.evaluator.context(s.plan, None)
            nominal, was = (context.get(DimensionNominal(section, d)) for d in (made, before))
            if isinstance(nominal, NotComputed):
                s.notify(nominal.reason)
                return False
            own = next((c for c in s.plan.characteristics if c.features == (made.id,)), None)
            # What was typed from a drawing stays; what was taken from the part follows it.
            if own is not None and not isinstance(was, NotComputed) and own.nominal == round(was, 6):
                wanted = round(nominal, 6)
        return s.run(EditDimension(section_id, made, wanted, merge_key=merge_key))
