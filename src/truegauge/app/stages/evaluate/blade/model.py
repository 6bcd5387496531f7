"""Sections of the blade that is looked at: which, how they are set, what comes of them. No widget."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.app.document.session import Session
from truegauge.app.document.worked_out import WorkedOut
from truegauge.core.authoring.blades import USUAL_VALUES, heights_in, new_blade, set_blade, with_heights
from truegauge.core.blades.result import SectionResult
from truegauge.core.commands.blades import RemoveBlade
from truegauge.core.deviations.deviation_map import DeviationMap
from truegauge.core.evaluation.blade_heights import HeightCurve, height_curves
from truegauge.core.nodes.blades import MeasuredBlade, NominalBlade
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.unbent import UnbentMap
from truegauge.core.plan.blades import BladeCheck, BladeConstruction, BladeSection
from truegauge.core.progress import Progress
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.blade_sheet import blade_sheet, whole_words
from truegauge.drawing.units import NumberFormat

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.drawing.blade_figure import BladeSheet

_CONSTRUCTION = "change the construction of sections"
Change = Callable[[BladeCheck], BladeCheck]


class BladeModel(QObject):
    """Works out the sheet of the chosen section. Signals: `changed`."""

    changed = Signal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.shown = "section"  # what the middle shows: a section, or curves over the height
        self.for_all = True  # whether a construction that is changed holds for all sections
        self.preview: BladeCheck | None = None  # while a handle is dragged
        self._dragged: Change | None = None
        self.is_unbent = False  # the view shows the map with every section where its fit puts it
        self._blade_id = self._section_id = ""
        self._unbent = WorkedOut[DeviationMap | NotComputed](session.document, "Unbending", self._show_unbent)
        self._sheet = WorkedOut["BladeSheet | NotComputed"](session.document, "Section of the blade", self.changed.emit)
        for signal in (session.document.plan_changed, session.document.evaluated, session.document.sample_changed,
                       session.showing.changed):  # fmt: skip
            signal.connect(self.changed)
        for signal in (session.document.plan_changed, session.document.evaluated, session.document.sample_changed):
            signal.connect(lambda: self._show_unbent() if self.is_unbent else None)
        session.selection.changed.connect(self._on_selected)
        session.queue.stopped.connect(self._on_stopped)

    # What is looked at ----------------------------------------------------------------------------------------------

    @property
    def _kept(self) -> BladeCheck | None:
        """The blade that is looked at, as the plan has it."""
        blades = self.session.plan.blades
        return next((b for b in blades if b.id == self._blade_id), blades[0] if blades else None)

    @property
    def blade(self) -> BladeCheck | None:
        """The blade that is looked at, as it is dragged."""
        found, drawn = self._kept, self.preview
        return drawn if drawn is not None and found is not None and drawn.id == found.id else found

    @property
    def section(self) -> BladeSection | None:
        """The section that is looked at."""
        sections = () if self.blade is None else self.blade.sections
        return next((s for s in sections if s.id == self._section_id), sections[0] if sections else None)

    @property
    def construction(self) -> BladeConstruction:
        """How the section that is looked at is constructed."""
        blade, section = self.blade, self.section
        return BladeConstruction() if blade is None or section is None else blade.construction_of(section)

    def choose_blade(self, blade_id: str) -> None:
        """Look at another blade."""
        self._blade_id, self._section_id = blade_id, ""
        self.changed.emit()

    def choose(self, section_id: str) -> None:
        """Look at another section."""
        self._section_id = section_id
        self.changed.emit()

    def show(self, page: str) -> None:
        """Show sections, or curves over the height."""
        self.shown = page
        self.changed.emit()

    def step(self, by: int) -> None:
        """Look at the section above, or below."""
        sections = () if self.blade is None else self.blade.sections
        at = next((k for k, s in enumerate(sections) if s is self.section), 0) + by
        if 0 <= at < len(sections):
            self.choose(sections[at].id)

    def _on_stopped(self) -> None:
        """What was dragged and not kept is as it was."""
        self.preview = self._dragged = None
        self.changed.emit()

    def _on_selected(self) -> None:
        """Look at the section of the characteristic that is selected."""
        plan, chosen = self.session.plan, self.session.selection.characteristic
        own = next((c for c in plan.characteristics if c.id == chosen), None)
        found = None if own is None else plan.blade_with(own.features[0])
        if found is not None and found[1].id != self._section_id:
            self._blade_id = found[0].id
            self.choose(found[1].id)

    # What is changed ------------------------------------------------------------------------------------------------

    def add(self, text: str) -> bool:
        """Cut sections at heights: of the blade that is looked at, or of a new one; False with a notice for none."""
        s = self.session
        if s.model is None:
            return False
        try:
            heights = heights_in(text, NumberFormat(s.plan.unit, s.plan.decimals).parse)
        except ValueError as error:
            s.notify(error)
            return False
        if self.blade is None:
            self._put_new(with_heights(new_blade(s.plan, s.model), heights), "cut sections of a blade")
        else:
            self.edit(lambda blade: with_heights(blade, heights), "cut sections of a blade")
        return True

    def add_another(self) -> None:
        """Begin another blade, with the heights of this one."""
        s, blade = self.session, self.blade
        if blade is not None and s.model is not None:
            made = with_heights(new_blade(s.plan, s.model), [x.height for x in blade.sections])
            self._put_new(made, "another blade")

    def remove_section(self) -> None:
        """Take the section away that is looked at, with its characteristics."""
        if self.section is not None:
            gone = self.section.id
            self.edit(lambda b: b.replace(sections=tuple(s for s in b.sections if s.id != gone)), "remove a section")

    def set_in_report(self, on: bool) -> None:
        """Have a page of the report for the section that is looked at, or none."""
        if self.section is not None and self.section.in_report != on:
            self.edit(partial(_with_section, self.section.id, in_report=on), "a section in the report")

    def remove(self) -> None:
        """Take the blade out of the plan."""
        if self.blade is not None:
            self.session.run(RemoveBlade(self.blade.id))

    def change(self, label: str, **changes: object) -> None:
        """Change how the blade is cut or measured."""
        self.edit(lambda blade: blade.replace(**changes), label)

    def change_fit(self, **changes: object) -> None:
        """Change how sections are put onto their nominal."""
        self.edit(lambda blade: blade.replace(fit=blade.fit.replace(**changes)), "change the fit of sections")

    def construct(self, changes: dict[str, object], *, drag: bool = False) -> None:
        """Change how edges and tangent are constructed; while it is dragged the plan stays as it is."""
        if self.section is None:
            return
        change = partial(_constructed, self.section.id, changes, for_all=self.for_all)
        if drag:
            self._drag(change)
        else:
            self.edit(change, _CONSTRUCTION)

    def move(self, section_id: str, height: float) -> None:
        """Show a section at another height, while it is dragged; it never comes to where another one is."""
        blade = self.blade
        if blade is not None and all(s.height != height or s.id == section_id for s in blade.sections):
            self._drag(partial(_with_section, section_id, height=height))

    def dropped(self, label: str = "") -> None:
        """Keep what was dragged."""
        if self._dragged is not None:
            self.edit(self._dragged, label or _CONSTRUCTION)

    def _drag(self, change: Change) -> None:
        kept = self._kept
        try:
            self.preview = None if kept is None else change(kept)
        except ValueError as error:
            self._refused(error)
            return
        self._dragged = change
        self.changed.emit()

    def tell(self, whats: Sequence[str]) -> None:
        """Make these values of every section characteristics, and no others."""
        self.edit(lambda blade: blade, "values of sections", tuple(whats))

    @property
    def told(self) -> tuple[str, ...]:
        """The values that are characteristics, by their names."""
        section = self.section
        return () if section is None else tuple(v.what for v in section.values)

    def _refused(self, error: ValueError) -> None:
        self.session.notify(error)
        self.changed.emit()

    def edit(self, change: Change, label: str, whats: Sequence[str] | None = None) -> None:
        """Change the blade that is looked at once its nominal sections are there, which takes a moment.

        What is changed meanwhile stays: the change is made to the blade as the plan has it then.
        """
        s, blade = self.session, self._kept
        if blade is None:
            return
        try:
            made = change(blade)
        except ValueError as error:
            self._refused(error)
            return
        if made == blade and whats is None:
            return

        def done() -> None:
            now = next((b for b in s.plan.blades if b.id == blade.id), None)
            if now is not None and s.evaluator is not None:
                try:
                    s.run(set_blade(s.evaluator.context(s.plan, None), change(now), whats, label))
                except ValueError as error:
                    self._refused(error)

        self._cut(made, done)

    def _put_new(self, made: BladeCheck, label: str) -> None:
        """Put another blade into the plan, with the usual values, and look at it."""
        s = self.session

        def done() -> None:
            if s.evaluator is not None and s.run(
                set_blade(s.evaluator.context(s.plan, None), made, USUAL_VALUES, label)
            ):
                self._blade_id, self._section_id = made.id, ""

        self._cut(made, done)

    def _cut(self, made: BladeCheck, then: Callable[[], None]) -> None:
        """Work the nominal sections of a blade out, and go on; not where another part was opened meanwhile."""
        s = self.session
        evaluator, plan = s.evaluator, s.plan
        if evaluator is None:
            return

        def work(progress: Progress) -> None:
            context = evaluator.context(plan, None)
            for k, section in enumerate(made.sections):
                progress(k / len(made.sections), f"section at {section.height:g} mm")
                context.get(NominalBlade(made, section))

        def done(_: object) -> None:
            self.preview = self._dragged = None
            if s.evaluator is evaluator:
                then()
            self.changed.emit()

        s.queue.start(work, done, "Sections of the blade")

    # In space -------------------------------------------------------------------------------------------------------

    def unbend(self, on: bool) -> None:
        """Show the map of the part with every section where its fit puts it, or as it is aligned."""
        self.is_unbent = on
        if on:
            self.session.show(map=True)
        self._show_unbent()
        self.changed.emit()

    def _show_unbent(self) -> None:
        s, blade = self.session, self.blade
        found: DeviationMap | NotComputed | None = None
        if self.is_unbent and blade is not None and s.evaluator is not None and s.sample is not None:
            context = s.evaluator.context(s.plan, s.sample)
            key = (s.evaluator, s.sample, s.plan.alignment(), s.plan.limits, s.plan.recipe, blade)
            found = self._unbent.get(key, lambda: context.get(UnbentMap(blade)))
        if isinstance(found, NotComputed):
            self.is_unbent = False
            s.notify(found.reason)
        if not (self.is_unbent and found is None):  # the one before stays while another is worked out
            s.showing.set_other_map(found if isinstance(found, DeviationMap) else None)

    # What came of it ------------------------------------------------------------------------------------------------

    @property
    def sheet(self) -> BladeSheet | NotComputed | None:
        """The sheet of the section that is looked at; the one before while it is worked out."""
        s, blade, section = self.session, self.blade, self.section
        evaluator = s.evaluator
        if blade is None or section is None or evaluator is None or not evaluator.can_pick:
            return None
        if self.preview is not None and self._sheet.is_waiting:  # the newest one is asked for when it has come
            return self._sheet.last
        plan, scale = s.plan, s.showing.scale
        sample = s.sample if s.evaluation is not None else None
        key = (evaluator, sample, plan.alignment(), plan.limits, plan.recipe, plan.unit, plan.decimals, blade, section,
               scale, plan.features, plan.constructed)  # fmt: skip
        found = self._sheet.get(key, lambda: blade_sheet(evaluator.context(plan, sample), blade, section, scale))
        return self._sheet.last if found is None else found

    def curves(self) -> tuple[HeightCurve, ...]:
        """Return the curves over the height, of what is worked out."""
        s, blade = self.session, self.blade
        if blade is None or s.evaluator is None or s.evaluation is None or s.sample is None:
            return ()
        return height_curves(s.evaluator.context(s.plan, s.sample), s.evaluation, blade)

    @property
    def matrix(self) -> Floats | None:
        """The motion (3, 3) that puts the section that is looked at onto its nominal; None while it is not known."""
        s, blade, section = self.session, self.blade, self.section
        if blade is None or section is None or s.evaluator is None or s.sample is None:
            return None
        found = s.evaluator.context(s.plan, s.sample).peek(MeasuredBlade(blade, section))
        return found.fit.matrix if isinstance(found, SectionResult) and found.fit is not None else None

    def whole_words(self) -> str:
        """Say what the sections tell of the whole blade: lean and bow."""
        s, blade = self.session, self.blade
        if blade is None or s.evaluator is None or s.sample is None:
            return ""
        numbers = NumberFormat(s.plan.unit, s.plan.decimals)
        return whole_words(s.evaluator.context(s.plan, s.sample), blade, numbers)

    def state_of(self, section: BladeSection) -> tuple[int, int, int]:
        """Return how many values of a section are outside, how many are judged, and how many are told."""
        e = self.session.evaluation
        ids = {v.id for v in section.values}
        own = [] if e is None else [r for r in e.results if r.characteristic.features[0] in ids]
        judged = [r for r in own if r.state != State.NOT_MEASURED]
        return sum(r.state == State.OUTSIDE for r in judged), len(judged), len(ids)


def _with_section(section_id: str, blade: BladeCheck, **changes: object) -> BladeCheck:
    """Return a blade with one of its sections changed, from low to high."""
    made = (s.replace(**changes) if s.id == section_id else s for s in blade.sections)
    return blade.replace(sections=tuple(sorted(made, key=lambda s: s.height)))


def _constructed(section_id: str, changes: dict[str, object], blade: BladeCheck, *, for_all: bool) -> BladeCheck:
    """Return a blade with the construction of a section changed: its own, or that of all of them."""
    section = next(s for s in blade.sections if s.id == section_id)
    own = blade.construction_of(section).replace(**changes)
    if not for_all:
        return _with_section(section_id, blade, construction=own)
    return blade.replace(construction=own, sections=tuple(s.replace(construction=None) for s in blade.sections))
