"""The route of a plan: made, changed and looked over without a window."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from truegauge.api.plan_requirements import PlanRequirements
from truegauge.core.commands.routes import SetRoute, take_shorter
from truegauge.core.errors import TrueGaugeError
from truegauge.core.progress import Progress, silent
from truegauge.core.routes.document import Coming, MeasureStep, PartFixture, Route, step_id
from truegauge.core.routes.original import as_before
from truegauge.core.routes.shortening import Shorter
from truegauge.core.routes.strategies import Strategy
from truegauge.formats.fixture_file import read_fixture
from truegauge.jobs.routing import Routed, routed, shortened

if TYPE_CHECKING:
    from truegauge.api.plan_features import Feature
    from truegauge.core.probing.probing import StylusUse


class PlanRoutes(PlanRequirements):
    """Its route."""

    def route(self, *, make: bool = False, check: bool = True, progress: Progress = silent) -> Routed:
        """Plan the route: ways, times, what is not reached; with `check` look it over for collisions and near misses.

        With `make` it is made first: a step for each feature, in a good order; the plan keeps it.

        Raises
        ------
        TrueGaugeError
            There is no probe to measure with.
        """
        if not self.document.probing.assemblies:
            raise TrueGaugeError("the plan has no probe")
        done = routed(self.document, self.evaluator, make=make, look=check, progress=progress)
        if done.route != self.document.route:
            self.run(SetRoute(done.route, "make the route"))
        return done

    def shorten(
        self, *, seconds: float = 1.2, groups: bool = True, patterns: bool = False, poses: bool = False,
        progress: Progress = silent,
    ) -> Shorter:  # fmt: skip
        """Put the route in a shorter order by the machine's time; the plan keeps it, and the order that it had.

        What others are measured from comes first, alignments and notes stay between what they stand between, pinned
        steps at their numbers; groups stay together (`groups`), and so do `patterns` where that is wanted. With `poses`
        those are added that the route is missing; what none gets at is told by ``planned.unreached``.

        Raises
        ------
        TrueGaugeError
            There is no route, or no probe to measure with.
        """
        if not self.document.probing.assemblies or not self.document.route.steps:
            raise TrueGaugeError("the plan has no probe" if self.document.route.steps else "the plan has no route")
        found = shortened(self.document, self.evaluator, groups=groups, patterns=patterns, poses=poses,
                          at_most_s=seconds, progress=progress)  # fmt: skip
        if found.route != self.document.route or found.added:
            self.run(take_shorter(self.document, found))
        return found

    def original_order(self) -> None:
        """Put the route back into the order that it had before it was made shorter."""
        if self.document.route.original:
            self.run(SetRoute(as_before(self.document.route), "the original order"))

    def measure_by(
        self, feature: Feature | str, strategy: Strategy | None = None, *, stylus: StylusUse | None = None,
        coming: Coming | None = None,
    ) -> None:  # fmt: skip
        """Say how a feature is touched: its strategy (`truegauge.core.routes.strategies`), stylus, how the probe comes.

        What is not said stays as it is.
        """
        own = self._feature(feature)
        route = self.document.route
        step = route.step_of(own.id) or MeasureStep(id=step_id(own.id), feature=own.id)
        changes = {"strategy": strategy, "stylus": stylus, "coming": coming}
        made = step.replace(**{k: v for k, v in changes.items() if v is not None})
        self.run(SetRoute(route.with_step(made), f"how {own.name} is touched"))

    def set_route(self, route: Route) -> None:
        """Take another route: other steps or order, another envelope or placement."""
        self.run(SetRoute(route, "change the route"))

    def add_fixture(self, fixture: PartFixture | Path | str, *, on_table: bool = False) -> None:
        """Add something that holds the part; ways keep away from it.

        Parameters
        ----------
        fixture : PartFixture or path
            A box, a cylinder, or a file with a mesh (STL, mm) or CAD (STEP, IGES).
        on_table : bool
            Whether a file is in coordinates of the table on which the part is placed, not of the part.

        Raises
        ------
        FormatError
            The file cannot be read.
        """
        if not isinstance(fixture, PartFixture):
            fixture = read_fixture(Path(fixture), on_table=on_table)
        route = self.document.route
        kept = tuple(f for f in route.fixtures if f.name != fixture.name)
        self.run(SetRoute(route.replace(fixtures=(*kept, fixture)), f"add {fixture.name}"))
