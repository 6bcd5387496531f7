"""One scan that is taken, on a thread of its own: compared, thinned, kept on disk, and told as it stands."""

from __future__ import annotations

import logging
import time
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.stages.devices.portable.waiting import WaitingBlocks, together
from truegauge.core.errors import FormatError

if TYPE_CHECKING:
    from collections.abc import Callable
    from concurrent.futures import Executor, Future

    from truegauge.core.arrays import Floats, Points, Vector
    from truegauge.core.deviations.deviation_map import MapMesh
    from truegauge.core.evaluation.located import Lie
    from truegauge.core.scanning.advice import Advice
    from truegauge.core.scanning.live_scan import LiveScan
    from truegauge.devices.protocol import PointBlock
    from truegauge.formats.kept_scan import ScanKeeper

log = logging.getLogger(__name__)
SPACING = 0.4  # mm, that is offered
_TOLD_S = 0.04  # between two states that are shown
_AT_ONCE = 20_000  # points
_KEPT_S = 5.0  # between two times that it is written
_BEAMS = 60  # points of the line that are shown


@dataclass(frozen=True, slots=True, eq=False)
class ScanState:
    """How a scan stands: values (v,) mm at the vertices of `mesh`; where the scanner and its line are, of the part."""

    mesh: MapMesh | None = None
    values: Floats = field(default_factory=lambda: np.zeros(0))
    coverage: float = 0.0
    came: int = 0
    kept: int = 0
    spacing: float = SPACING
    advice: Advice | None = None
    speed: float = 0.0
    fastest: float = 0.0
    behind: int = 0  # blocks that wait
    one_of: int = 1  # of so many points that come just now
    line: Points = field(default_factory=lambda: np.zeros((0, 3)))
    scanner: Vector | None = None


class ScanRun(QObject):
    """What is submitted is done one after the other. A scan that begins meanwhile is another run, with its own points.

    Signals, from the thread: `told` (itself, a `ScanState`), `kept` (itself, up to which number of the device all is on
    disk), `failed` (why it is not, or what else went wrong), `ended` (itself; its sample is kept).
    """

    told = Signal(object, object)
    kept = Signal(object, int)
    failed = Signal(object)
    ended = Signal(object)

    def __init__(self, thread: Executor, keeper: ScanKeeper, make: Callable[[], LiveScan], parent: QObject) -> None:
        super().__init__(parent)
        self.keeper, self._thread = keeper, thread
        self._live: LiveScan | None = None
        self._blocks = WaitingBlocks()
        self._told_at, self._keep_at = 0.0, time.monotonic()
        self._number = self._kept_number = 0  # up to which the points were taken, and are on disk
        self._last: Future[None] | None = None

        def begin() -> None:
            self._live = make()
            self._tell()

        self._submit(begin)

    # From the window's thread ---------------------------------------------------------------------------------------

    @property
    def is_waited_for(self) -> bool:
        """Whether there are points that were not looked at."""
        return self._blocks.count > 0

    def put(self, block: PointBlock, scanner: tuple[float, Vector] | None, number: int) -> None:
        """Take points, with the clock and place of the scanner, which bring what there is up to a number of it."""
        self._blocks.put(block, scanner, number)
        self._submit(self._on_blocks)

    def tell(self) -> None:
        """Have it told how it stands."""
        self._submit(self._tell)

    def rest(self) -> None:
        """Nothing comes just now: what was taken is written when it is due; a device may wait for that."""
        if self._number > self._kept_number and time.monotonic() >= self._keep_at and not self.is_waited_for:
            self._submit(self._keep_now_and_then)

    def align(self, lie: Lie) -> None:
        """Take how the part lies."""

        def work() -> None:
            if self._live is not None:
                self._live.set_lie(lie)

        self._submit(work)

    def forget(self) -> None:
        """Throw away what was taken, here and on disk."""
        self._blocks.clear()

        def work() -> None:
            self._live = None
            self.end()

        self._submit(work)

    def taken(self) -> LiveScan | None:
        """Wait until all that has come was taken, and return it; the run is over then. From any other thread."""
        if self._last is not None:
            self._last.result()
        live, self._live = self._live, None
        return live

    def end(self) -> None:
        """Its points are kept with the sample now: those on disk are not needed any more."""
        self.keeper.end()
        self.ended.emit(self)

    def _submit(self, work: Callable[[], None]) -> None:
        def guarded() -> None:
            try:
                work()
            except Exception as error:  # a pool hides what nobody fetches
                log.exception("a scan that is taken")
                self.failed.emit(error)

        self._last = self._thread.submit(guarded)

    # On its thread --------------------------------------------------------------------------------------------------

    def _on_blocks(self) -> None:
        """Take what waits, several blocks at once where more do: the more wait, the less each costs."""
        live, waiting = self._live, self._blocks
        taken = waiting.take(_AT_ONCE)
        try:
            if live is None or not taken:
                return
            block, scanner = together([w.block for w in taken]), taken[-1].scanner
            if scanner is not None:
                live.advice.moved(*scanner)
            live.take(block.time, block.places, block.beams, block.intensities)
        finally:
            waiting.done(taken)
        self._number = taken[-1].number
        self._keep_now_and_then()
        if time.monotonic() - self._told_at > _TOLD_S:
            self._tell(taken[-1].block.places, None if scanner is None else scanner[1])

    def _keep_now_and_then(self) -> None:
        """Write what is kept of the points: not all the time, and less often where it takes long."""
        began, live, number = time.monotonic(), self._live, self._number
        if live is None or began < self._keep_at:
            return
        try:
            self.keeper.keep(live.grid.places)
        except FormatError as error:
            self.failed.emit(error)
        else:
            self._kept_number = number
            self.kept.emit(self, number)
        self._keep_at = time.monotonic() + max(_KEPT_S, 20 * (time.monotonic() - began))

    def _tell(self, places: Points | None = None, scanner: Vector | None = None) -> None:
        live = self._live
        if live is None:
            return
        self._told_at = time.monotonic()
        line, at = np.zeros((0, 3)), None
        if live.lie is not None and places is not None:
            line = live.lie.places(places[:: max(1, len(places) // _BEAMS)])
            at = None if scanner is None else live.lie.places(scanner[None])[0]
        self.told.emit(self, ScanState(
            live.map.mesh, live.map.values, live.map.coverage, live.came, live.grid.count, live.grid.spacing,
            live.advice.now(), live.advice.speed, live.advice.fastest, self._blocks.count, self._blocks.one_of,
            line, at,
        ))  # fmt: skip
