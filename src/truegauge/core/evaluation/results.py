"""What an evaluation returns. Light to import: a window can show that there are no results yet without the kernels."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.document import Plan
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.tolerancing.judgement import State

if TYPE_CHECKING:
    from truegauge.core.features.extraction import Built, Measured
    from truegauge.core.nodes.cloud import Cloud
    from truegauge.core.registration.alignment import Alignment
    from truegauge.core.silhouette.measuring import Measured as Shadow
    from truegauge.core.tolerancing.outcome import Outcome

FOREIGN = "another part"  # what the doubts of a registration say where the scan may be of one


@dataclass(frozen=True, slots=True)
class Result:
    """The result of one characteristic: a value with its judgement, or a reason why there is none.

    `lower` and `upper` are the deviations allowed in the end: those of the characteristic, or of the general tolerances
    (`general` names these), with bonus or reciprocity. `uncertainty` is the standard one (mm or rad), None until it is
    known; `outcome` says how a geometrical tolerance came about.
    """

    characteristic: Characteristic
    measured: float | None
    state: State
    reason: str
    lower: float | None = None
    upper: float | None = None
    general: str = ""
    decision: str = ""
    uncertainty: float | None = None
    dominated: bool = False  # the uncertainty is more than a third of the tolerance
    outcome: Outcome | None = field(default=None, compare=False)
    notes: tuple[str, ...] = ()
    coverage: float | None = None  # the least share of the area of its features that has points
    warning: str = ""  # why the number is to be looked at with care
    surface: str = ""  # how the surface of a scanned feature was estimated from its points
    definition: str = ""  # of a size: what it is by the standard, LP, GX ACS, (E) ...

    @property
    def deviation(self) -> float | None:
        """Measured minus nominal, mm."""
        return None if self.measured is None else self.measured - self.characteristic.nominal

    @property
    def lower_limit(self) -> float | None:
        """The smallest value allowed, mm."""
        return None if self.lower is None else self.characteristic.nominal + self.lower

    @property
    def upper_limit(self) -> float | None:
        """The largest value allowed, mm, bonus included."""
        return None if self.upper is None else self.characteristic.nominal + self.upper

    @property
    def bonus(self) -> float:
        """What the actual size adds to the tolerance, mm."""
        return 0.0 if self.outcome is None else self.outcome.bonus


@dataclass(frozen=True, slots=True, eq=False)
class Evaluation:
    """All results of a plan for a sample."""

    plan: Plan
    alignment: Alignment | NotComputed
    cloud: Cloud | NotComputed
    features: dict[str, Measured | Built | NotComputed]
    results: tuple[Result, ...]
    alignments: dict[str, Alignment | NotComputed] = field(default_factory=dict)  # all of the plan, by id
    temperature: str = ""  # what was done for it, in words
    partial: str = ""  # of a partial run: what there are results of, in words
    shadow: Shadow | NotComputed | None = None  # of a plan for silhouettes: what was seen

    def result(self, characteristic_id: str) -> Result | None:
        """Return the result of a characteristic."""
        return next((r for r in self.results if r.characteristic.id == characteristic_id), None)

    def foreign(self) -> str:
        """Return why the scan seems to be of another part, by the alignment in force or any that it starts from."""
        every = (d for own in self.plan.chain() for d in getattr(self.alignments.get(own.id), "doubts", ()))
        return next((str(d) for d in every if FOREIGN in d), "")

    def uncertainties(self) -> str:
        """Say whether all values have their uncertainties: "worked out", or how many are without."""
        measured = [r for r in self.results if r.measured is not None and not r.characteristic.basic]
        without = sum(r.uncertainty is None for r in measured)
        if not without:
            return "worked out"
        return "not worked out" if without == len(measured) else f"not worked out for {without} of {len(measured)}"

    def counts(self) -> dict[State, int]:
        """Return how many characteristics are in each state."""
        return {s: sum(r.state == s for r in self.results) for s in State}
