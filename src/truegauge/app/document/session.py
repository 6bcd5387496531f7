"""What a window works on: a document, its files and evaluation, what is selected and shown. Tests drive it."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal

from truegauge.app.document.bare_scan import BareScan
from truegauge.app.document.document import Document
from truegauge.app.document.evaluating import Evaluating
from truegauge.app.document.files import Files
from truegauge.app.document.pointer import Pointer
from truegauge.app.document.proposing import Proposing
from truegauge.app.document.queue import WorkQueue
from truegauge.app.document.selection import Selection
from truegauge.app.document.shown import Showing, Shown
from truegauge.app.document.surfaces import SurfaceFinds
from truegauge.app.document.uncertainty import UncertaintyWorker

if TYPE_CHECKING:
    from truegauge.core.cad.model import CadModel
    from truegauge.core.commands.command import Command
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.evaluation.results import Evaluation
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample


class Session(QObject):
    """Holds the parts together. What is asked most, of the document, is asked here; all else of its owner."""

    stage_changed = Signal()
    run_changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.queue = WorkQueue(self)
        self.document = Document(self.queue, self)
        self.files = Files(self.document)
        # In this order they hear of a change: what is gone is not selected any more when it is evaluated and shown.
        self.selection = Selection(self.document, self)
        self.pointer = Pointer(self.document, self.selection, self)
        self.showing = Showing(self.document, self.selection, self)
        self.bare_scan = BareScan(self.document, self)
        self.surfaces = SurfaceFinds(self.document, self)
        self.evaluating = Evaluating(self.document, self)
        self.proposing = Proposing(self.document, self.selection, self)
        self.uncertainties = UncertaintyWorker(self.document, self)
        self.showing.changed.connect(lambda: self.evaluating.want_map(self.shown.wants_map))
        self.evaluating.more_known.connect(self.showing.changed)
        self.stage = "part"
        self.in_run: frozenset[str] = frozenset()  # features that the machine still touches in this run

    def close(self) -> None:
        """Stop all work and wait for it; what comes late (a touch of a machine, a timer) is told to nobody any more."""
        self.uncertainties.close()
        self.queue.close()
        for part in (self, *self.findChildren(QObject)):
            part.blockSignals(True)

    # The document, as it is now

    @property
    def plan(self) -> Plan:
        """The plan."""
        return self.document.plan

    @property
    def model(self) -> CadModel | None:
        """The part; there before its evaluator."""
        return self.document.model

    @property
    def evaluator(self) -> Evaluator | None:
        """What evaluates plans of the part."""
        return self.document.evaluator

    @property
    def sample(self) -> Sample | None:
        """The sample."""
        return self.document.sample

    @property
    def evaluation(self) -> Evaluation | None:
        """The results; None while they are worked out."""
        return self.document.evaluation

    def run(self, command: Command) -> bool:
        """Apply a command to the plan; a refused one becomes a notice."""
        return self.document.run(command)

    def notify(
        self, problem: Exception | str, action: str = "", callback: Callable[[], None] | None = None,
        second: str = "", second_callback: Callable[[], None] | None = None,
    ) -> None:  # fmt: skip
        """Show a message."""
        self.queue.notify(problem, action, callback, second, second_callback)

    # What is shown, and where the user is

    @property
    def shows_scale(self) -> bool:
        """Whether what the colours of a map mean is to be told: there is one, or it comes."""
        scanned = self.sample is not None and len(self.sample.points) > 0
        if self.model is None:  # nothing to deviate from
            return self.shown.live
        return self.shown.live or self.shown.scan_map or (self.shown.wants_map and scanned)

    @property
    def shown(self) -> Shown:
        """What is shown."""
        return self.showing.value

    def show(self, **changes: Any) -> None:
        """Show this too, or not any more (fields of `Shown`)."""
        self.showing.set(**changes)

    def set_stage(self, stage: str) -> None:
        """Open a stage."""
        if stage != self.stage:
            self.stage = stage
            self.stage_changed.emit()

    def set_in_run(self, features: frozenset[str]) -> None:
        """Know which features are still touched in this run: what needs them is not missing, it comes."""
        if features != self.in_run:
            self.in_run = features
            self.run_changed.emit()
