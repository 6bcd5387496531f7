"""What a report says of a surface check: its reference, its limits, what was found, and which are shown closely."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.evaluation.surface_distances import feature_distances
from truegauge.core.evaluation.surface_judgement import WORDS, flagged, judge
from truegauge.core.frames import apply
from truegauge.core.plan.surface_checks import AT_LEAST
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.surface_numbers import amount_text

if TYPE_CHECKING:
    from truegauge.core.evaluation.located import Lie
    from truegauge.core.evaluation.results import Evaluation
    from truegauge.core.evaluation.surface_distances import FeatureDistance
    from truegauge.core.evaluation.surface_judgement import Judged
    from truegauge.core.imperfections.search import Found
    from truegauge.core.plan.surface_checks import SurfaceCheck
    from truegauge.core.tolerancing.judgement import DecisionRule
    from truegauge.drawing.units import NumberFormat

MOST_CLOSE = 24  # that are shown closely
_FILTERS = {"spline": "robust spline", "gaussian": "robust Gaussian"}
_SOME_CLOSE = 4  # where none breaks a limit
HEADS = ("No.", "Kind", "Depth", "U", "Length", "Width", "Area", "Volume", "Next", "Border", "x", "y", "z")


@dataclass(frozen=True, slots=True, eq=False)
class SurfaceSheet:
    """A surface check with what came of it; `bad` are the numbers of those that break a limit.

    Where it could not be done nothing is found, and `problem` says why.
    """

    check: SurfaceCheck
    found: Found | None
    judged: tuple[Judged, ...] = ()
    bad: tuple[int, ...] = ()
    problem: str = ""
    distances: tuple[tuple[FeatureDistance, ...], ...] = ()  # of each that was found, where some are wanted

    @staticmethod
    def of(
        check: SurfaceCheck, found: Found, rule: DecisionRule, evaluation: Evaluation | None = None,
        lie: Lie | None = None,
    ) -> SurfaceSheet:  # fmt: skip
        """Judge what was found, and tell how far it is from features where the part is evaluated and lies."""
        judged = judge(found, check.limits, rule)
        told: tuple[tuple[FeatureDistance, ...], ...] = ()
        if check.to and evaluation is not None and lie is not None:
            told = tuple(feature_distances(check.to, evaluation, lie, one) for one in found.imperfections)
        return SurfaceSheet(check, found, judged, flagged(judged), distances=told)

    def close_words(self, number: int, numbers: NumberFormat) -> str:
        """Return what stands above one that is shown closely."""
        assert self.found is not None
        one = self.found.imperfections[number]
        far = "".join(
            f"; {d.feature} {numbers.value(d.value)} {d.words}" if d.value is not None else f"; {d.feature} {d.words}"
            for d in (self.distances[number] if self.distances else ())
        )
        return (f"{number + 1}  {one.kind}  {numbers.signed(one.depth)} ± {numbers.value(2 * one.depth_u)} "
                f"{numbers.unit}{far}")  # fmt: skip

    @property
    def close(self) -> tuple[int, ...]:
        """The numbers of those that are shown closely: those that break a limit, or the deepest."""
        many = 0 if self.found is None else len(self.found.imperfections)
        return (self.bad or tuple(range(min(_SOME_CLOSE, many))))[:MOST_CLOSE]

    @property
    def states(self) -> tuple[State, ...]:
        """The states of the limits; of a check that could not be done: not measured."""
        return (State.NOT_MEASURED,) if self.found is None else tuple(one.decision.state for one in self.judged)

    def words(self, numbers: NumberFormat) -> tuple[str, ...]:
        """Say how it was looked for, how well the reference stands, and what was found."""
        if self.found is None:
            return (f"Not looked at: {self.problem}",)
        c, q, unit = self.check, self.found.quality, numbers.unit
        follows = f", waves longer than {numbers.rough(c.wavelength)} {unit} followed by a {_FILTERS[c.by]}"
        follows = follows if c.wavelength else ""
        sides = {"both": "dents and bumps", "in": "into the material", "out": "out of the material"}[c.sides]
        sides += f" beyond {' and '.join(dict.fromkeys(numbers.value(abs(level)) for level in c.levels))} {unit}"
        many = len(self.found.imperfections)
        where = f"; {len(c.area)} step{'s' * (len(c.area) != 1)} choose where" if c.area else ""
        heads = f", {len(self.found.left_out)} heads of rivets or the like left out" if self.found.left_out else ""
        lines = [
            f"Reference: {c.reference}{follows}; looked for: {sides}{where}",
            f"{many} found{heads} on {amount_text(q.area, 'area', numbers)}; outside of them {numbers.value(q.rms)} "
            f"{unit} rms, noise of a point {numbers.value(q.noise)} {unit}",
            "Places in the frame of the check" if c.frame is not None else "Places in coordinates of the scan",
        ]
        return (*lines, *(f"{n[:1].upper()}{n[1:]}" for n in (*self.found.prepared.notes, q.advice) if n))

    def limit_rows(self, numbers: NumberFormat) -> list[tuple[str, str, str, str, State]]:
        """Return for each limit what it is of, the limit, what was found, of which one, and the state."""
        rows = []
        for one in self.judged:
            quantity = one.limit.quantity
            sign = "≥" if quantity in AT_LEAST else "≤"
            value = "none" if one.value != one.value else amount_text(one.value, quantity, numbers)
            of = f"number {one.worst + 1}" if one.worst >= 0 else ""
            limit = f"{sign} {amount_text(one.limit.limit, quantity, numbers)}"
            rows.append((WORDS[quantity], limit, value, of, one.decision.state))
        return rows

    def rows(self, numbers: NumberFormat) -> list[tuple[str, ...]]:
        """Return one row of words for each that was found, as `HEADS` names them."""
        frame = self.check.frame_from_scan()
        made = []
        for k, i in enumerate(() if self.found is None else self.found.imperfections, 1):
            place = apply(frame, np.array([i.deepest]))[0]
            near = numbers.value(i.edge_to_edge) if i.neighbour >= 0 else "-"
            area, volume = (amount_text(v, q, numbers).split(" ")[0]
                            for v, q in ((i.area, "area"), (i.volume, "volume")))  # fmt: skip
            made.append((str(k), i.kind, numbers.signed(i.depth), numbers.value(2 * i.depth_u), numbers.value(i.length),
                         numbers.value(i.width), area, volume, near, numbers.value(i.border),
                         *(numbers.value(float(c)) for c in place)))  # fmt: skip
        return made
