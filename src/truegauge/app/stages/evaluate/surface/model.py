"""What is looked for on the surface of the scan, what was found, and which of it is chosen. No widget."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.session import Session
from truegauge.app.document.worked_out import WorkedOut
from truegauge.core.arrays import Floats
from truegauge.core.commands.surface_checks import RemoveSurfaceCheck, SetSurfaceCheck
from truegauge.core.errors import TrueGaugeError
from truegauge.core.evaluation.located import Lie
from truegauge.core.evaluation.surface_distances import FeatureDistance, feature_distances
from truegauge.core.evaluation.surface_judgement import Judged, flagged, judge
from truegauge.core.frames import apply
from truegauge.core.imperfections.held import expanded_uncertainty
from truegauge.core.imperfections.preparing import Prepared, prepare, reference_depth
from truegauge.core.imperfections.search import Found, find
from truegauge.core.plan.surface_checks import SMOOTH_WAVELENGTH, SurfaceCheck, SurfaceLimit
from truegauge.core.progress import Progress
from truegauge.jobs.imperfections import given_by, given_for, rules_of

if TYPE_CHECKING:
    from truegauge.core.arrays import Points
    from truegauge.core.imperfections.measuring import Imperfection
    from truegauge.core.imperfections.reference import Given

# What is compared in the list: a word, and what of an imperfection.
ORDERS = (
    ("depth", "deepest first"), ("area", "largest first"), ("volume", "most volume first"), ("length", "longest first"),
    ("edge_to_edge", "nearest neighbours first"), ("border", "nearest border first"),
)  # fmt: skip
_RISING = ("edge_to_edge", "border")
FILTERS = (
    ("all", "all of them"), ("flagged", "those that break a limit"), ("dent", "dents"), ("pit", "pits"),
    ("bump", "bumps"), ("scratch", "scratches"),
)  # fmt: skip


class SurfaceModel(QObject):
    """Works out the chosen surface check of the plan for the scan that is open. Signals: `changed`."""

    changed = Signal()

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.found: Found | None = None
        self.problem = ""
        self.order, self.filter, self.map = "depth", "all", "deviations"
        self._held = WorkedOut[Floats](session.document, "Looking how the reference is held", self.changed.emit)
        self._check_id = ""
        self._chosen = -1  # number in what was found
        self._prepared: tuple[object, Prepared] | None = None
        self._for: object = None  # what `found` is of
        self._wanted: object = None  # what is being worked out
        self._stopped: object = None  # what was stopped, and is not begun again by itself
        session.queue.stopped.connect(self._on_stopped)
        session.document.sample_changed.connect(self._on_sample)
        session.document.plan_changed.connect(self.changed)
        session.document.evaluated.connect(self._on_evaluated)
        session.surfaces.earlier_changed.connect(self.changed)

    # The check ------------------------------------------------------------------------------------------------------

    @property
    def check(self) -> SurfaceCheck | None:
        """The check that is looked at."""
        checks = self.session.plan.surface_checks
        return next((c for c in checks if c.id == self._check_id), checks[0] if checks else None)

    def add(self) -> None:
        """Look for imperfections; another check where there is one already."""
        from truegauge.core.authoring.readings import new_id

        names = {c.name for c in self.session.plan.surface_checks}
        k = next(k for k in range(1, 100) if f"surface {k}" not in names)
        made = SurfaceCheck(id=new_id("surface"), name=f"surface {k}")
        if self.session.run(SetSurfaceCheck(made, label="look for imperfections")):
            self.choose_check(made.id)

    def choose_check(self, check_id: str) -> None:
        """Look at another check."""
        self._check_id = check_id
        self._chosen = -1
        self.changed.emit()

    def remove(self) -> None:
        """Take the check out of the plan."""
        if self.check is not None:
            self.session.run(RemoveSurfaceCheck(self.check.id))

    def change(self, **changes: object) -> None:
        """Change what is looked for."""
        check = self.check
        if check is None:
            return
        if changes.get("reference") not in (None, check.reference):
            changes.setdefault("wavelength", SMOOTH_WAVELENGTH if changes["reference"] == "smooth" else 0.0)
        try:
            made = check.replace(**changes)
        except ValueError as error:
            self.session.notify(error)
            self.changed.emit()
            return
        if made != check:
            self.session.run(SetSurfaceCheck(made, label="change the surface check"))

    # What is found --------------------------------------------------------------------------------------------------

    def look(self) -> Found | None:
        """Return what is found; None while it is worked out, or where there is nothing to look at."""
        check, sample = self.check, self.session.sample
        if check is None or sample is None or not len(sample.points):
            return None
        key = self.session.surfaces.key(check)
        if key == self._for:
            return self.found
        kept = self.session.surfaces.kept(key)
        if kept is not None:  # of another check, or what was looked for before
            before = self.chosen
            self.found, self.problem, self._for, self._wanted = kept, "", key, key
            if before is not None:
                self._chosen = self._same_place(before)
            return kept
        if key not in (self._wanted, self._stopped):
            self._wanted, self._stopped = key, None
            self._start(key, check)
        return None

    @property
    def is_stopped(self) -> bool:
        """Whether it was stopped while it was worked out."""
        return self._stopped is not None and self._stopped != self._for

    def look_again(self) -> None:
        """Work out what was stopped."""
        self._stopped = None
        self.changed.emit()

    @property
    def is_working(self) -> bool:
        """Whether it is being worked out."""
        return self._wanted is not None and self._wanted != self._for

    def _start(self, key: object, check: SurfaceCheck) -> None:
        sample, kept = self.session.sample, self._prepared
        assert sample is not None
        points, normals = sample.points, sample.normals
        reference, wanted = rules_of(check)
        area, beyond = check.area, check.beyond
        evaluator, lie = self.session.evaluator, self.lie()
        from_part = check.reference == "part" and evaluator is not None and lie is not None
        where = (lie.part_from_device.tobytes(), lie.growth) if from_part and lie is not None else None
        earlier = self.session.surfaces.earlier if check.reference == "scan" else None
        other = None if earlier is None else earlier.scans_key
        of = (sample.scans_key, reference, reference_depth(check.least), area, beyond, where, other)

        def work(progress: Progress) -> tuple[tuple[object, Prepared] | None, Found | None, str]:
            try:
                prepared = kept
                if prepared is None or prepared[0] != of:

                    def part() -> Given | None:
                        if evaluator is None or lie is None:
                            return None
                        progress(0.0, "distance to the part")
                        return given_by(evaluator.projector, lie, points)

                    given = given_for(check, part, earlier)
                    prepared = of, prepare(points, normals, reference, depth=check.least, area=area,
                                           beyond=beyond, given=given, progress=progress)  # fmt: skip
                progress(0.9, "finding imperfections")
                return prepared, find(prepared[1], wanted), ""
            except TrueGaugeError as error:
                return None, None, str(error)

        def done(made: tuple[tuple[object, Prepared] | None, Found | None, str]) -> None:
            if key != self._wanted:
                return  # something else is wanted by now
            before = self.chosen
            prepared, self.found, self.problem = made
            self._prepared = prepared or self._prepared
            self._for = key
            if self.found is not None:
                self.session.surfaces.keep(key, self.found)
            self._chosen = self._same_place(before)
            self.changed.emit()

        self.session.queue.start(work, done, "Looking at the surface")

    def _same_place(self, before: Imperfection | None) -> int:
        """Return the number of what is now where something was."""
        if before is None or self.found is None:
            return -1
        for k, one in enumerate(self.found.imperfections):
            apart = sum((a - b) ** 2 for a, b in zip(one.deepest, before.deepest, strict=True)) ** 0.5
            if apart < before.width / 2:
                return k
        return -1

    def _on_stopped(self) -> None:
        if self.is_working:
            self._stopped, self._wanted = self._wanted, self._for
            self.changed.emit()

    def _on_evaluated(self) -> None:
        if self.check is not None and self.check.reference == "part":  # where it lies may be another place now
            self.changed.emit()

    def _on_sample(self) -> None:
        if self.session.sample is None:
            self.found, self._prepared, self._for, self._wanted, self.problem = None, None, None, None, ""
        self._chosen = -1
        self.changed.emit()

    # What is allowed ------------------------------------------------------------------------------------------------

    def judged(self) -> tuple[Judged, ...]:
        """Return the limits of the check with what was found."""
        check, found = self.check, self.look()
        return () if check is None or found is None else judge(found, check.limits, self.session.plan.decision)

    def flagged(self) -> tuple[int, ...]:
        """Return the numbers of the imperfections that break a limit."""
        return flagged(self.judged())

    def amount(self, quantity: str) -> float:
        """Return how much of a quantity was found: of the worst one, or of all."""
        if self.found is None:
            return 0.0
        wish = SurfaceLimit.model_validate({"quantity": quantity, "limit": 0.0})
        value = judge(self.found, (wish,))[0].value
        return value if value == value else 0.0

    def place(self, place: tuple[float, float, float]) -> Points:
        """Return a place (3,) of the scan in the frame that places are told in, mm."""
        check = self.check
        at = np.array([place])
        told = at if check is None else apply(check.frame_from_scan(), at)
        return np.asarray(told[0])

    def lie(self) -> Lie | None:
        """Return how the part lies; None without a part, or before it is aligned."""
        return self.session.surfaces.lie()

    def distances(self) -> tuple[FeatureDistance, ...]:
        """Return how far the chosen one is from the features that are wanted."""
        check, one, evaluation, lie = self.check, self.chosen, self.session.evaluation, self.lie()
        if check is None or one is None or evaluation is None or lie is None:
            return ()
        return feature_distances(check.to, evaluation, lie, one)

    # The list -------------------------------------------------------------------------------------------------------

    def listed(self) -> list[tuple[int, Imperfection]]:
        """Return number and imperfection, those that are wanted in the order that is chosen."""
        every = list(enumerate(self.found.imperfections if self.found is not None else ()))
        if self.filter == "flagged":
            bad = self.flagged()
            every = [one for one in every if one[0] in bad]
        elif self.filter != "all":
            every = [one for one in every if one[1].kind == self.filter]
        rising = self.order in _RISING

        def key(one: tuple[int, Imperfection]) -> float:
            value = abs(float(getattr(one[1], self.order)))
            return (value if value == value else float("inf")) if rising else -value

        return sorted(every, key=key)

    def set_order(self, order: str) -> None:
        """List by something else."""
        self.order = order
        self.changed.emit()

    def set_filter(self, wanted: str) -> None:
        """List some of them only."""
        self.filter = wanted
        self.changed.emit()

    # What the map shows ---------------------------------------------------------------------------------------------

    def set_map(self, wanted: str) -> None:
        """Show the deviations, or how well the reference is held."""
        self.map = wanted
        self.changed.emit()

    def held(self) -> Floats | None:
        """Return by how much (r, c) the reference may be off, mm; None while it is worked out, or nothing tells."""
        found = self.found
        if found is None or self.held_problem:
            return None
        return self._held.get((found.prepared, found.smoothed),
                              lambda: expanded_uncertainty(found.prepared, found.smoothed, found.waves))  # fmt: skip

    @property
    def held_problem(self) -> str:
        """Why there is nothing to show of it; empty where there is."""
        if self.found is None or self.found.prepared.smooth:
            return ""
        return "This reference follows nothing: all of the surface holds it alike."

    def weakest(self) -> float | None:
        """Return by how much the reference may be off where it is held least, mm."""
        held = self.held()
        return None if held is None or not np.isfinite(held).any() else float(np.nanmax(held))

    @property
    def chosen(self) -> Imperfection | None:
        """The imperfection that is chosen."""
        return None if self.number < 0 or self.found is None else self.found.imperfections[self.number]

    @property
    def number(self) -> int:
        """Its number in what was found; -1 for none."""
        there = self.found is not None and 0 <= self._chosen < len(self.found.imperfections)
        return self._chosen if there else -1

    def choose(self, number: int) -> None:
        """Choose one; -1: none."""
        if number != self._chosen:
            self._chosen = number
            self.changed.emit()
