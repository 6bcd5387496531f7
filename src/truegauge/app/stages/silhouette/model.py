"""The silhouette in the window: what is seen now, what is selected, and what drags and choices make of the plan."""

from __future__ import annotations

import collections
import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.app.stages.silhouette.camera_model import CameraModel, now
from truegauge.app.stages.silhouette.edits import SilhouetteEdits
from truegauge.app.stages.silhouette.live import LiveMeasuring, Seen, Task
from truegauge.core.errors import TrueGaugeError
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.shadow import SeenShadow, lens_for
from truegauge.core.plan.silhouette import Silhouette
from truegauge.core.samples.document import PictureFile, SampleData
from truegauge.core.samples.sample import Sample
from truegauge.core.silhouette.looking import Place
from truegauge.core.silhouette.measuring import Measured
from truegauge.drawing.shadow_figure import Figure, figure_of

if TYPE_CHECKING:
    from collections.abc import Callable

    from truegauge.app.document.session import Session
    from truegauge.core.evaluation.results import Evaluation
    from truegauge.core.plan.lens import LensRecord
    from truegauge.core.silhouette.recognising import KnownPart
    from truegauge.devices.camera.source import Taken

_PUTS = 10
_TOLD_S = 0.15  # s between results of a part that lies still


class SilhouetteModel(QObject):
    """Signals: `changed` (selection, tool, plan), `frame_changed` (what is seen), `put_down` (a part lies still)."""

    changed = Signal()
    frame_changed = Signal()
    put_down = Signal(object)

    def __init__(self, session: Session, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.session = session
        self.camera = CameraModel(session, self)
        self.edits = SilhouetteEdits(self)
        self.live = LiveMeasuring(self)
        self.seen: Seen | None = None
        self.selected: tuple[str, ...] = ()  # edges and points
        self.tool = "across"
        self.page = "camera"
        # Which parts are recognised when one is put down, by the calibration; None: none are.
        self.known: Callable[[LensRecord], tuple[KnownPart, ...]] | None = None
        self.sample_about: dict[str, str] = {}  # what is said of the next sample: name, serial, operator
        self._about: dict[str, str] = {}  # of the part that lies there
        self.holds = False  # what was measured of a part that lies there stays as it was when it was put down
        # Values of the last puts, by characteristics: how well they repeat where it was one part.
        self.puts: dict[str, collections.deque[float]] = {}
        self._last: Taken | None = None
        self._told_at = 0.0
        self._content: object = None
        self._figure: tuple[Seen, Evaluation | None, Figure] | None = None
        self._tells = False  # what comes from the camera is being told to the document
        self.camera.arrived.connect(self._on_arrived)
        self.camera.changed.connect(self._on_camera)
        self.live.seen.connect(self._on_seen)
        session.document.plan_changed.connect(self._on_plan)
        session.document.sample_changed.connect(self._on_sample)
        session.document.evaluated.connect(self._on_evaluated)

    def close(self) -> None:
        """Let go of camera and thread."""
        self.camera.close()
        self.live.close()

    # What is seen ---------------------------------------------------------------------------------------------------

    @property
    def silhouette(self) -> Silhouette | None:
        """That of the plan."""
        return self.session.plan.silhouette

    @property
    def lens(self) -> LensRecord | None:
        """The calibration that is measured by; None where nothing may be."""
        return None if self.camera.trouble() else self.camera.lens

    @property
    def found(self) -> Measured | None:
        """What was measured in the picture that is seen."""
        return self.seen.found if self.seen is not None and isinstance(self.seen.found, Measured) else None

    @property
    def why_not(self) -> str:
        """Why nothing is measured now, in words."""
        if self.camera.source is None:
            if self.seen is None:
                return "Connect a camera, or open a picture"
            return self.seen.found if isinstance(self.seen.found, str) else ""
        trouble = self.camera.trouble()
        if trouble and self.camera.picture is not None:
            return trouble
        if self.seen is None:
            return self.camera.words or "Waiting for a picture"
        return self.seen.found if isinstance(self.seen.found, str) else ""

    @property
    def place(self) -> Place:
        """How the part lies."""
        return self.found.place if self.found is not None else Place()

    def figure(self) -> Figure | None:
        """Return what is drawn over the picture that is seen."""
        seen, own, evaluation = self.seen, self.silhouette, self.session.evaluation
        if seen is None or own is None or seen.lens is None or self.found is None or seen.silhouette is not own:
            return None
        known = self._figure
        if known is None or known[0] is not seen or known[1] is not evaluation:
            results = () if evaluation is None else evaluation.results
            known = (seen, evaluation, figure_of(own, self.found, seen.lens.calibration.lens, results))
            self._figure = known
        return known[2]

    def _on_arrived(self) -> None:
        taken = self.camera.take()
        if taken is not None:
            self._last = taken
            self._measure(taken)

    def _measure(self, taken: Taken) -> None:
        own = self.silhouette
        if own is None:
            return
        source, lens = self.camera.source, self.lens
        identity = "" if source is None else source.identity
        file = PictureFile(file_name=taken.name, camera=identity, lens=lens if identity else None,
                           taken_at="" if taken.name else now())  # fmt: skip
        self.live.measure(Task(taken, file, own, lens, self.known))

    def look_again(self) -> None:
        """Measure the picture that is seen anew."""
        if self._last is not None:
            self._measure(self._last)

    def _on_sample(self) -> None:
        """A picture or a sample was opened from a file: it is shown in place of what a camera sees."""
        sample = self.session.sample
        if sample is not None and sample.pictures and not self._tells and self.camera.source is not None:
            self.camera.close()

    def _on_evaluated(self) -> None:
        """Show the picture of the sample where there is no camera."""
        sample, evaluation, own = self.session.sample, self.session.evaluation, self.silhouette
        if self.camera.source is not None or own is None:
            return
        if sample is None or not sample.pictures or evaluation is None or evaluation.shadow is None:
            if self.seen is not None:
                self.seen = None
                self.frame_changed.emit()
            return
        picture, found = sample.pictures[-1], evaluation.shadow
        try:
            lens: LensRecord | None = lens_for(own, picture)
        except TrueGaugeError:
            lens = None
        told = found.reason if isinstance(found, NotComputed) else found
        self.seen = Seen(picture, 0, "lying", own, lens, told, 0)
        self.frame_changed.emit()

    def _on_camera(self) -> None:
        if self.camera.source is None:
            self.seen = self._last = None
            self.live.begin_anew()
            self._on_evaluated()
            self.frame_changed.emit()
        self.look_again()
        self.changed.emit()

    def _on_plan(self) -> None:
        own = self.silhouette
        there = set() if own is None else {t.id for t in own.things}
        content = None if own is None else own.content
        if content != self._content:
            self._content, self.puts = content, {}
        self.selected = tuple(k for k in self.selected if k in there)
        if own is None and self.camera.source is not None:
            self.camera.close()
        self.look_again()
        self.changed.emit()

    def _on_seen(self, seen: Seen) -> None:
        if self.camera.source is None:
            return
        self.seen = seen
        self._tell(seen)
        self.frame_changed.emit()
        if seen.happening == "put down":
            self._note_put()
            self.put_down.emit(seen)

    def _note_put(self) -> None:
        evaluation = self.session.evaluation
        for r in () if evaluation is None or self.found is None else evaluation.results:
            if r.measured is not None:
                self.puts.setdefault(r.characteristic.id, collections.deque(maxlen=_PUTS)).append(r.measured)

    def tell_now(self) -> None:
        """Let the document have what is seen now."""
        if self.seen is not None:
            self._tell(self.seen, at_once=True)

    def _tell(self, seen: Seen, *, at_once: bool = False) -> None:
        """Let the document have what was measured, some times a second while nothing happens."""
        document, own = self.session.document, self.silhouette
        evaluator = document.evaluator
        if own is None or evaluator is None or seen.silhouette is not own or not isinstance(seen.found, Measured):
            return
        still = seen.happening == "lying" and (self.holds or time.monotonic() - self._told_at < _TOLD_S)
        if seen.happening == "moving" or (still and not at_once):
            return
        self._told_at = time.monotonic()
        if seen.happening == "put down":
            self._about = dict(self.sample_about)
        name = seen.picture.file.file_name.rpartition(".")[0] or f"picture {seen.number}"
        data = SampleData.model_validate({"name": name, "measured_at": seen.picture.file.taken_at, **self._about})
        sample = Sample.of(data, pictures=(seen.picture,))
        evaluator.forget_other_samples(sample.origin)
        plan = self.session.plan
        evaluator.context(plan, sample).know(SeenShadow(), seen.found)
        for c in plan.characteristics:  # in closed form: at once
            evaluator.uncertainty(plan, sample, c)
        self._tells = True
        try:
            document.show_picture(sample)
        finally:
            self._tells = False

    # The selection --------------------------------------------------------------------------------------------------

    def set_tool(self, tool: str) -> None:
        """Choose what a drag does: "across" or "along"."""
        self.tool = tool
        self.changed.emit()

    def set_page(self, page: str) -> None:
        """Open a page of the bench."""
        self.page = page
        self.changed.emit()

    def select(self, things: tuple[str, ...]) -> None:
        """Select edges and points."""
        self.selected = things
        self.changed.emit()
        self.frame_changed.emit()

    def toggle(self, thing: str) -> None:
        """Select one more, or one less; the last two stay."""
        kept = tuple(k for k in self.selected if k != thing)
        self.select(kept if thing in self.selected else (*kept[-1:], thing))
