"""An earlier scan of the same surface, in the same coordinates: what is new, gone, deeper, shallower since."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QObject, Signal

from truegauge.app.document.queue import WrongUnit
from truegauge.app.document.worked_out import WorkedOut
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.core.clouds.extent import scan_diagonal, unit_doubt
from truegauge.core.errors import TrueGaugeError
from truegauge.core.imperfections.comparing import Change, compare
from truegauge.core.progress import Progress
from truegauge.core.samples.sample import Sample
from truegauge.jobs.imperfections import scan_of, surface_of
from truegauge.jobs.records import Earlier

_STATES = ("new", "gone", "deeper", "shallower", "same")


class BeforeModel(QObject):
    """The earlier scan is looked at by the check as it is now. Signals: `changed`."""

    changed = Signal()

    def __init__(self, surface: SurfaceModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._surface, self.session = surface, surface.session
        self.name = ""
        self._changes = WorkedOut[tuple[Change, ...] | str](self.session.document, "Comparing scans", self.changed.emit)
        self.session.document.sample_changed.connect(self._on_sample)
        self.session.surfaces.earlier_changed.connect(self.changed)

    @property
    def scan(self) -> Sample | None:
        """The earlier scan; some checks measure from it."""
        return self.session.surfaces.earlier

    def _on_sample(self) -> None:
        if self.session.sample is None:
            self.forget()

    def open(self, path: Path, unit: str = "") -> None:
        """Take the earlier scan from a file; without a unit, as it says, where that fits the scan that is open."""
        present = self.session.sample

        def work(progress: Progress) -> Sample:
            came = scan_of(path, unit, progress)
            if not unit and path.suffix.lower() != ".tgsample" and present is not None and len(present.points):
                size = scan_diagonal(came.points)
                doubt = unit_doubt(size, scan_diagonal(present.points), came.unit, "scan that is open")
                if doubt is not None:
                    raise WrongUnit(path, doubt.text, doubt.unit, came.unit)
            return came

        def done(came: Sample) -> None:
            self.name = path.name
            self.session.surfaces.set_earlier(came, Earlier(path, came.unit))

        self.session.queue.start(work, done, f"Opening {path.name}", again=lambda u, _: self.open(path, u or unit))

    def forget(self) -> None:
        """Compare no more."""
        self.name = ""
        self.session.surfaces.set_earlier(None)

    def changes(self) -> tuple[Change, ...]:
        """Return what became of each that is there now, in its order, then what is gone; nothing before it is known."""
        made = self._made()
        return made if isinstance(made, tuple) else ()

    @property
    def problem(self) -> str:
        """Why the earlier scan cannot be looked at; empty where it can."""
        made = self._made()
        return made if isinstance(made, str) else ""

    def _made(self) -> tuple[Change, ...] | str | None:
        scan, found, check = self.scan, self._surface.look(), self._surface.check
        if scan is None or found is None or check is None or check.reference == "scan":
            return None  # all that is found has changed since, where that is measured

        def work() -> tuple[Change, ...] | str:
            try:
                return compare(surface_of(check, scan.points, scan.normals).imperfections, found.imperfections)
            except TrueGaugeError as error:
                return str(error)

        return self._changes.get((scan, found), work)

    def state(self, number: int) -> str:
        """Return what became of an imperfection that is there now; empty where that is not known, or it is the same."""
        changes = self.changes()
        state = changes[number].state if number < len(changes) else ""
        return "" if state == "same" else state

    def words(self) -> str:
        """Say how many are new, gone and so on since the earlier scan."""
        check = self._surface.check
        if self.scan is None or check is None:
            return ""
        if check.reference == "scan":
            return f"Measured from {self.name}: what is found has changed since"
        if self.problem:
            return f"{self.name}: {self.problem}"
        changes = self.changes()
        if not changes and self._made() is None:
            return f"Comparing with {self.name} …"
        counts = {s: sum(c.state == s for c in changes) for s in _STATES}
        said = ", ".join(f"{n} {s}" for s, n in counts.items() if n)
        return f"Since {self.name}: {said or 'nothing there, now or then'}"
