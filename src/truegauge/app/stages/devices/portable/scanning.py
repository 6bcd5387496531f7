"""Scanning: points are compared, thinned and mapped on a thread of their own while they come; stop makes the sample."""

from __future__ import annotations

import datetime
from functools import partial
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QTimer, Signal

from truegauge.app.document.calm import want_calm
from truegauge.app.document.jobs import background_thread
from truegauge.app.document.shown import LiveValues
from truegauge.app.stages.devices.portable.line import Borrowed
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.scan_run import SPACING, ScanRun, ScanState
from truegauge.core.progress import Progress
from truegauge.core.samples.sample import Sample
from truegauge.core.scanning.live_scan import LiveScan
from truegauge.devices.protocol import Lost, PointBlock
from truegauge.devices.scanner_sim.scanner import ScannerStandIn
from truegauge.formats.kept_scan import KeptScan, ScanKeeper, find_kept_scans
from truegauge.formats.taken_scan import taken_scan

if TYPE_CHECKING:
    from truegauge.core.evaluation.located import Lie
    from truegauge.formats.files import Content

_LOOK_MS = 30


class ScanModel(QObject):
    """One scan at a time. Signals: `changed` (begun, ended), `moved` (there is another `state`)."""

    changed = Signal()
    moved = Signal()

    def __init__(self, portable: PortableModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.portable, self.session = portable, portable.session
        self.state = ScanState()
        self.spacing, self.only_selected = SPACING, False
        self._taken: Borrowed | None = None
        self._thread = background_thread("scan")
        self._run: ScanRun | None = None
        self._lie: Lie | None = None
        self._left: list[KeptScan] = []
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self._take)
        self._said = ""
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
        self._said = ""

        def make() -> LiveScan:
            return LiveScan(model, projector, lie, spacing, faces=faces, limits=limits)

        s.uncertainties.hold(True)
        want_calm(self, True)
        run = self._run = ScanRun(self._thread, ScanKeeper(self._taken.identity, name), make, self)
        run.told.connect(self._on_told)
        run.kept.connect(self._on_kept)
        run.failed.connect(self._on_failed)
        run.ended.connect(self._on_ended)
        line.holders.add(run)
        self._taken.connect()
        self._timer.start()
        self.changed.emit()

    def stop(self) -> None:
        """End it, and make it (part of) the sample: all features are extracted from it as from any scan."""
        taken, run = self._end()
        if taken is None or run is None:
            return
        identity, name = taken.identity, f"Scan {datetime.datetime.now():%Y-%m-%d %H-%M-%S}"

        def work(progress: Progress) -> tuple[Sample, tuple[Content, ...]] | None:
            live = run.taken()  # what has come is taken first
            if live is None or not live.grid.count:
                return None
            progress(0.3, "making the scan")
            words = f"{taken.name}, thinned to {live.grid.spacing:g} mm"
            return taken_scan(live.grid.places.copy(), name, identity, words)

        def done(made: tuple[Sample, tuple[Content, ...]] | None) -> None:
            if made is None:
                self.session.notify("nothing was scanned")
                run.end()
            else:
                self.session.document.take_scan(*made)
                self.session.document.keep(run.end)

        self.session.queue.start(work, done, "Taking the scan", must=True)

    def throw_away(self) -> None:
        """End it, and forget it."""
        _, run = self._end()
        if run is not None:
            run.forget()

    def _end(self) -> tuple[Borrowed | None, ScanRun | None]:
        taken, self._taken = self._taken, None
        if taken is None:
            return None, None
        if self.hand is not None:
            self.hand.stop_sweep()
        self.portable.poll()
        self._hand_over(taken)
        taken.close()
        run, self._run = self._run, None
        self.session.uncertainties.hold(False)
        want_calm(self, False)
        self._timer.stop()
        self.state = ScanState()
        self.session.showing.set_live(None)
        self.changed.emit()
        return taken, run

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
        run = self._run
        if run is None:  # the device has gone
            return
        if self.state.behind and not run.is_waited_for:
            run.tell()  # nothing comes just now: how it stands at last
        run.rest()
        lie = self.portable.lie(taken.line)
        if lie is not None and self._lie is None:  # aligned meanwhile
            self._lie = lie
            run.align(lie)

    def _hand_over(self, taken: Borrowed) -> None:
        at, pose = taken.line.device.at, self.portable.placement(taken.line)
        for event in taken.drain():
            if isinstance(event, Lost):
                self.stop()  # what was scanned is kept
                self.session.notify(f"{event.words}: what was scanned is the sample now")
                return
            if isinstance(event, PointBlock) and len(event):
                place = None
                if at is not None and pose is not None:
                    place = (at.time, pose[:3, :3] @ np.array(at.place) + pose[:3, 3])
                if self._run is not None:
                    self._run.put(event, place, taken.line.device.taken)

    def _on_ended(self, run: ScanRun) -> None:
        for line in self.portable.lines:
            line.holders.discard(run)
        run.deleteLater()

    def _on_kept(self, run: ScanRun, number: int) -> None:
        if run is self._run and self._taken is not None:
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

    def _on_told(self, run: ScanRun, state: ScanState) -> None:
        if run is self._run:
            self.state = state
            aligned = self.is_aligned and state.mesh is not None
            self.session.showing.set_live(LiveValues(state.mesh, state.values) if aligned and state.mesh else None)
            self.moved.emit()
