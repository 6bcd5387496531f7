"""Measuring pictures as they come, on a thread of its own; what comes while it works is left out."""

from __future__ import annotations

import logging
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.app.document.jobs import background_thread
from truegauge.core.errors import TrueGaugeError
from truegauge.core.samples.contributions import ShadowPicture
from truegauge.core.silhouette.measuring import Measured, Measurer
from truegauge.core.silhouette.watching import Watch

if TYPE_CHECKING:
    from collections.abc import Callable

    from truegauge.core.plan.lens import LensRecord
    from truegauge.core.plan.silhouette import Silhouette
    from truegauge.core.samples.document import PictureFile
    from truegauge.core.silhouette.recognising import KnownPart, Recognition
    from truegauge.core.silhouette.watching import Happening
    from truegauge.devices.camera.source import Taken

log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True, eq=False)
class Seen:
    """A picture, what happens in it, and what was measured by which silhouette and calibration; or in words why not.

    `recognised` is told where it was asked for.
    """

    picture: ShadowPicture
    number: int
    happening: Happening
    silhouette: Silhouette
    lens: LensRecord | None
    found: Measured | str
    dirt: int
    recognised: Recognition | None = None


@dataclass(frozen=True, slots=True, eq=False)
class Task:
    """A picture to measure, by what, and which parts to recognise."""

    taken: Taken
    file: PictureFile
    silhouette: Silhouette
    lens: LensRecord | None
    known: Callable[[LensRecord], tuple[KnownPart, ...]] | None = None


class LiveMeasuring(QObject):
    """Signals: `seen`, for each picture that was measured."""

    seen = Signal(object)
    _done = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._thread = background_thread("silhouette")
        self._measurer: tuple[Silhouette, LensRecord, Measurer] | None = None
        self._watch = Watch()
        self._waiting: Task | None = None
        self._shown: Taken | None = None
        self.is_busy = False
        self._closed = False
        self._done.connect(self._on_done)

    def close(self) -> None:
        """Stop, and wait for the thread."""
        self._closed, self._waiting = True, None
        self._thread.shutdown(wait=True, cancel_futures=True)

    def begin_anew(self) -> None:
        """Forget what was seen before: another source."""
        self._watch = Watch()

    def measure(self, task: Task) -> None:
        """Measure a picture; while one is measured, the newest waits."""
        if self._closed:
            return
        if self.is_busy:
            self._waiting = task
            return
        self.is_busy = True
        self._thread.submit(self._work, task)

    def _work(self, task: Task) -> None:
        try:
            made = self._measured(task)
        except Exception:  # one picture never ends the stream
            log.exception("measuring a picture")
            made = None
        if not self._closed:
            self._done.emit(made)

    def _measured(self, task: Task) -> Seen:
        pixels = task.taken.pixels
        picture = ShadowPicture.of(task.file, pixels)
        happening = self._watch.follow(pixels)
        if task.taken.name and happening != "nothing":  # a file lies still, and is put down once
            happening = "lying" if task.taken is self._shown else "put down"
        self._shown = task.taken
        found: Measured | str = self._watch.words
        recognised = None
        if happening != "nothing" and task.lens is None:
            found = "the camera is not calibrated: nothing is measured in mm before it is"
        elif happening != "nothing" and task.lens is not None and tuple(task.lens.shape) != pixels.shape:
            found = "the camera was calibrated with pictures of another size"
        elif happening != "nothing" and task.lens is not None:
            if happening == "put down" and task.known is not None:
                recognised = self._recognised(task)
            try:
                found = self._by(task.silhouette, task.lens).measure(pixels)
            except TrueGaugeError as error:
                found = str(error)
        dirt = len(self._watch.dirt)
        return Seen(picture, task.taken.number, happening, task.silhouette, task.lens, found, dirt, recognised)

    def _recognised(self, task: Task) -> Recognition | None:
        from truegauge.core.silhouette.recognising import recognised

        assert task.lens is not None
        assert task.known is not None
        try:
            return recognised(task.taken.pixels, task.lens.calibration.lens, task.known(task.lens))
        except TrueGaugeError:
            return None

    def _by(self, silhouette: Silhouette, lens: LensRecord) -> Measurer:
        known = self._measurer
        if known is None or known[0] is not silhouette or known[1] is not lens:
            known = self._measurer = (silhouette, lens, Measurer(silhouette.recipe, lens.calibration))
        return known[2]

    def _on_done(self, made: Seen | None) -> None:
        self.is_busy = False
        waiting, self._waiting = self._waiting, None
        if waiting is not None:
            self.measure(waiting)
        if made is not None and not self._closed:
            self.seen.emit(made)
