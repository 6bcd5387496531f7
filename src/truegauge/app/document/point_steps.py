"""Changes of what the points of the sample serve, taken back in one order with the edits of the plan."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.points import PointsChange
    from truegauge.core.samples.sample import Sample


class PointSteps:
    """Each belongs to the plan as it was then: it comes before all edits of the plan that were made later."""

    def __init__(self) -> None:
        self._origin = ""
        self._done: list[tuple[Plan, PointsChange]] = []
        self._undone: list[tuple[Plan, PointsChange]] = []

    def record(self, plan: Plan, sample: Sample, change: PointsChange) -> None:
        """Remember what was done to a sample; what was done to another one cannot be taken back any more."""
        if sample.origin != self._origin:
            self._done.clear()
            self._origin = sample.origin
        self._done.append((plan, change))
        self._undone.clear()

    def forget_redo(self) -> None:
        """Something else was done since: what was taken back is not done again."""
        self._undone.clear()

    def to_undo(self, plan: Plan, sample: Sample | None) -> PointsChange | None:
        """Return what undo takes back now; None: an edit of the plan, if anything."""
        return _last(self._done, plan) if sample is not None and sample.origin == self._origin else None

    def to_redo(self, plan: Plan, sample: Sample | None) -> PointsChange | None:
        """Return what redo does again now; None: an edit of the plan, if anything."""
        return _last(self._undone, plan) if sample is not None and sample.origin == self._origin else None

    def undone(self) -> None:
        """The last was taken back."""
        self._undone.append(self._done.pop())

    def redone(self) -> None:
        """The last one taken back was done again."""
        self._done.append(self._undone.pop())


def _last(steps: list[tuple[Plan, PointsChange]], plan: Plan) -> PointsChange | None:
    return steps[-1][1] if steps and steps[-1][0] is plan else None
