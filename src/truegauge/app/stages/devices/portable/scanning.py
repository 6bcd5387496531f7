"""Scanning: points are compared, thinned and mapped on a thread of their own while they come; stop makes the sample."""

from __future__ import annotations

import datetime
import logging
import time
from collections import deque
from dataclasses import dataclass, field
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.document.jobs import background_thread
from truegauge.app.document.shown import LiveValues
from truegauge.app.stages.devices.portable.line import Borrowed
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.core.errors import FormatError
from truegauge.core.progress import Progress
from truegauge.core.samples.sample import Sample
from truegauge.core.scanning.live_scan import LiveScan
from truegauge.devices.protocol import Lost, PointBlock
from truegauge.devices.scanner_sim.scanner import ScannerStandIn
from truegauge.formats.kept_scan import KeptScan, ScanKeeper, find_kept_scans
from truegauge.formats.taken_scan import taken_scan

if TYPE_CHECKING:
    from collections.abc import Callable
    from concurrent.futures import Future

    from truegauge.core.arrays import Floats, Points, Vector
    from truegauge.core.deviations.deviation_map import MapMesh
    from truegauge.core.evaluation.located import Lie
    from truegauge.core.scanning.advice import Advice
    from truegauge.formats.files import Content

log = logging.getLogger(__name__)
_TOLD_S = 0.04  # between two states that are shown
_LOOK_MS = 30
SPACING = 0.4  # mm, that is offered
_AT_ONCE = 20_000  # points
_KEPT_S = 5.0  # between two times that it is written
_BEAMS = 60  # points of the line that are shown


# A block, the clock and place of the scanner, and up to which number of the device it brings what there is.
_Waiting = tuple[PointBlock, "tuple[float, Vector] | None", int]


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
    line: Points = field(default_factory=lambda: np.zeros((0, 3)))
    scanner: Vector | None = None


class ScanModel(QObject):
    """One scan at a time. Signals: `changed` (begun, ended), `moved` (there is another `state`)."""

    changed = Signal()
    moved = Signal()
    _told = Signal(object)  # from the thread
    _kept = Signal(int)  # from it: up to this number of the device all is on disk
    _failed = Signal(object)  # from it: why it is not

    def __init__(self, portable: PortableModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.portable, self.session = portable, portable.session
        self.state = ScanState()
        self.spacing, self.only_selected = SPACING, False
        self._taken: Borrowed | None = None
        self._live: LiveScan | None = None
        self._thread = background_thread("scan")
        self._last: Future[None] | None = None
        self._blocks: deque[_Waiting] = deque()
        self._waiting, self._done = 0, 0  # blocks that were handed over, and that were taken
        self._told_at = 0.0
        self._lie: Lie | None = None
        self._left: list[KeptScan] = []
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self._take)
        self._told.connect(self._on_told)
        self._kept.connect(self._on_kept)
        self._failed.connect(self._on_failed)
        self._keeper: ScanKeeper | None = None
        self._keep_at, self._said = 0.0, ""
        portable.moved.connect(self._take)
        self.session.document.part_changed.connect(self.throw_away)

    @property
    def on(self) -> bool:
        """Whether a scan is taken now."""
        return self._taken is not None

    @property
    def is_aligned(self) -> bool:
        """Whether it is known how the part lies."""
        return self._lie is not None

    @property
    def hand(self) -> ScannerStandIn | None:
        """The stand-in whose hand can sweep, if it is one of this window."""
        line = self.portable.scanner
        own = None if line is None else line.stand_in
        return own if isinstance(own, ScannerStandIn) else None

    def start(self) -> None:
        """Begin a scan with the first scanner; the stand-in is started where there is none."""
        s, evaluator = self.session, self.session.evaluator
        if self.on or evaluator is None:
            return
        line = self.portable.scanner or self.portable.start_stand_in("scanner")
        if line is None:
            return
        if self.portable.placement(line) is None:
            # Points of a device that is not joined to the sample are another sample.
            if not s.document.may_let_sample_go():
                return
            s.document.take_sample_out()
        faces = tuple(s.selection.faces()) if self.only_selected else ()
        model, projector, limits = evaluator.model, evaluator.projector, line.device.limits
        lie, spacing = self.portable.lie(line), self.spacing
        self._taken, self._lie = self.portable.borrow(line), lie
        name = f"Scan {datetime.datetime.now():%Y-%m-%d %H-%M-%S}"
        self._keeper, self._keep_at, self._said = ScanKeeper(self._taken.identity, name), time.monotonic(), ""
        line.is_held = True
        self._blocks.clear()
        self._waiting = self._done = 0

        def begin() -> None:
            self._live = LiveScan(model, projector, lie, spacing, faces=faces, limits=limits)
            self._tell()

        s.uncertainties.hold(True)
        self._submit(begin)
        self._taken.connect()
        self._timer.start()
        self.changed.emit()

    def stop(self) -> None:
        """End it, and make it (part of) the sample: all features are extracted from it as from any scan."""
        taken = self._end()
        if taken is None:
            return
        identity, name = taken.identity, f"Scan {datetime.datetime.now():%Y-%m-%d %H-%M-%S}"
        last, keeper = self._last, self._keeper

        def work(progress: Progress) -> tuple[Sample, tuple[Content, ...]] | None:
            if last is not None:
                last.result()  # what has come is taken first
            live, self._live = self._live, None
            if live is None or not live.grid.count:
                return None
            progress(0.3, "making the scan")
            words = f"{taken.name}, thinned to {live.grid.spacing:g} mm"
            return taken_scan(live.grid.places.copy(), name, identity, words)

        def done(made: tuple[Sample, tuple[Content, ...]] | None) -> None:
            if made is None:
                self.session.notify("nothing was scanned")
            else:
                self.session.document.take_scan(*made)
                if keeper is not None:
                    self.session.document.keep(keeper.end)  # once it is kept with the sample

        self.session.queue.start(work, done, "Taking the scan")

    def throw_away(self) -> None:
        """End it, and forget it."""
        if self._end() is not None:
            self._blocks.clear()
            keeper = self._keeper

            def forget() -> None:
                self._live = None
                if keeper is not None:
                    keeper.end()

            self._submit(forget)

    def _end(self) -> Borrowed | None:
        taken, self._taken = self._taken, None
        if taken is None:
            return None
        if self.hand is not None:
            self.hand.stop_sweep()
        self.portable.poll()
        self._hand_over(taken)
        taken.close()
        taken.line.is_held = False
        self.session.uncertainties.hold(False)
        self._timer.stop()
        self.state = ScanState()
        self.session.showing.set_live(None)
        self.changed.emit()
        return taken

    def close(self) -> None:
        """Leave."""
        self.throw_away()
        self._thread.shutdown(wait=True)
        for kept in self._left:
            kept.folder.release()

    def let_hand_scan(self) -> None:
        """Have the hand of the stand-in sweep over the part, over the selected faces only where they are wanted."""
        hand, model = self.hand, self.session.model
        if hand is None or model is None:
            return
        if hand.is_sweeping:
            hand.stop_sweep()
        else:
            faces = list(self.session.selection.faces()) if self.only_selected else []
            box = None
            if faces:
                corners = model.mesh.vertices[model.mesh.triangles[np.isin(model.mesh.triangle_face, faces)]]
                box = np.array([corners.min(axis=(0, 1)), corners.max(axis=(0, 1))])
            hand.start_sweep(box)
        self.changed.emit()

    # On the window's thread ---------------------------------------------------------------------------------------

    def _take(self) -> None:
        taken = self._taken
        if taken is None:
            return
        self._hand_over(taken)
        if self.state.behind and self._waiting == self._done and self._taken is not None:
            self._submit(self._tell)  # nothing comes just now: how it stands at last
        lie = self.portable.lie(taken.line)
        if lie is not None and self._lie is None:  # aligned meanwhile

            def align() -> None:
                if self._live is not None:
                    self._live.set_lie(lie)

            self._lie = lie
            self._submit(align)

    def _hand_over(self, taken: Borrowed) -> None:
        at, pose = taken.line.device.at, self.portable.placement(taken.line)
        for event in taken.drain():
            if isinstance(event, Lost):
                self.stop()  # what was scanned is kept
                self.session.notify(f"{event.words}: what was scanned is the sample now")
                return
            if isinstance(event, PointBlock) and len(event):
                self._waiting += 1
                place = None
                if at is not None and pose is not None:
                    place = (at.time, pose[:3, :3] @ np.array(at.place) + pose[:3, 3])
                self._blocks.append((event, place, taken.line.device.taken))
                self._submit(self._on_blocks)

    def _submit(self, work: Callable[[], None]) -> None:
        def guarded() -> None:
            try:
                work()
            except Exception as error:  # a pool hides what nobody fetches
                log.exception("a scan that is taken")
                self._failed.emit(error)

        self._last = self._thread.submit(guarded)

    def _on_kept(self, number: int) -> None:
        if self._taken is not None:
            self._said = ""
            self._taken.line.device.confirm(number)

    def _on_failed(self, error: Exception) -> None:
        if str(error) != self._said:  # once, not every few seconds
            self._said = str(error)
            self.session.notify(error)

    def offer_kept(self) -> None:
        """Offer scans that were being taken when a program ended."""
        for kept in find_kept_scans():
            self.session.notify(f"A scan of {kept.count:,} points that was being taken was kept", "Bring it in",
                                partial(self._bring_in, kept), "Delete it", kept.folder.remove)  # fmt: skip
            self._left.append(kept)

    def _bring_in(self, kept: KeptScan) -> None:
        def work(progress: Progress) -> tuple[Sample, tuple[Content, ...]]:
            progress(0.2, "reading it")
            return taken_scan(kept.points(), kept.name, kept.device, "kept when the program ended")

        def done(made: tuple[Sample, tuple[Content, ...]]) -> None:
            self.session.document.take_scan(*made)
            self.session.document.keep(kept.folder.remove)

        self.session.queue.start(work, done, "Bringing the scan in")

    def _on_told(self, state: ScanState) -> None:
        if self.on:
            self.state = state
            aligned = self.is_aligned and state.mesh is not None
            self.session.showing.set_live(LiveValues(state.mesh, state.values) if aligned and state.mesh else None)
            self.moved.emit()

    # On the thread of the scan ------------------------------------------------------------------------------------

    def _on_blocks(self) -> None:
        """Take what waits, several blocks at once where more do: the more wait, the less each costs."""
        live = self._live
        taken: list[_Waiting] = []
        while self._blocks and sum((len(b) for b, _, _ in taken), 0) < _AT_ONCE:
            taken.append(self._blocks.popleft())
        if live is None or not taken:
            return
        block, scanner = _together([b for b, _, _ in taken]), taken[-1][1]
        if scanner is not None:
            live.advice.moved(*scanner)
        live.take(block.time, block.places, block.beams, block.intensities)
        self._done += len(taken)
        self._keep_now_and_then(live, taken[-1][2])
        if time.monotonic() - self._told_at > _TOLD_S:
            self._tell(taken[-1][0].places, None if scanner is None else scanner[1])

    def _keep_now_and_then(self, live: LiveScan, number: int) -> None:
        """Write what is kept of the points: not all the time, and less often where it takes long."""
        began, keeper = time.monotonic(), self._keeper
        if keeper is None or began < self._keep_at:
            return
        try:
            keeper.keep(live.grid.places)
        except FormatError as error:
            self._failed.emit(error)
        else:
            self._kept.emit(number)
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
        self._told.emit(ScanState(
            live.map.mesh, live.map.values, live.map.coverage, live.came, live.grid.count, live.grid.spacing,
            live.advice.now(), live.advice.speed, live.advice.fastest, self._waiting - self._done, line, at,
        ))  # fmt: skip


def _together(blocks: list[PointBlock]) -> PointBlock:
    """Return blocks as one; what one of them does not tell, none does."""
    if len(blocks) == 1:
        return blocks[0]
    beams = [b.beams for b in blocks if b.beams is not None]
    light = [b.intensities for b in blocks if b.intensities is not None]
    return PointBlock(
        np.vstack([b.places for b in blocks]), beams=np.vstack(beams) if len(beams) == len(blocks) else None,
        intensities=np.concatenate(light) if len(light) == len(blocks) else None, time=blocks[-1].time,
    )  # fmt: skip
