"""What was found by surface checks on the sample that is open, kept for who asks next: the page, the report."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal

from truegauge.app.document.document import Document
from truegauge.core.evaluation.located import Lie

if TYPE_CHECKING:
    from truegauge.core.imperfections.search import Found
    from truegauge.core.plan.surface_checks import SurfaceCheck
    from truegauge.core.samples.sample import Sample
    from truegauge.jobs.records import Earlier

_MOST = 6  # of which each keeps a surface of its own


class SurfaceFinds(QObject):
    """Held by scan and check; what is allowed and where places are counted from changes nothing of what is found.

    Signals: `changed` (something more is known), `earlier_changed` (the other scan is another one),
    `wanted` (id of a check, number of an imperfection or -1: somebody wants to look at it).
    """

    changed = Signal()
    earlier_changed = Signal()
    wanted = Signal(str, int)

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._kept: dict[object, Found] = {}
        self.earlier: Sample | None = None  # the other scan of the same surface, in the same coordinates
        self.earlier_file: Earlier | None = None
        document.sample_changed.connect(self._kept.clear)

    def key(self, check: SurfaceCheck) -> object:
        """Return what a result belongs to; None without a scan."""
        sample = self._document.sample
        if sample is None or not len(sample.points):
            return None
        lie = self.lie() if check.reference == "part" else None
        where = None if lie is None else (lie.part_from_device.tobytes(), lie.growth)
        other = self.earlier.scans_key if check.reference == "scan" and self.earlier is not None else None
        looked_for = check.replace(name="-", id="-", limits=(), frame=None, tags="number", to=())
        return sample.scans_key, where, other, looked_for

    def set_earlier(self, scan: Sample | None, file: Earlier | None = None) -> None:
        """Have another scan to compare with, and to measure from."""
        if scan is not self.earlier:
            self.earlier, self.earlier_file = scan, file
            self.earlier_changed.emit()

    def lie(self) -> Lie | None:
        """Return how the part lies; None without a part, or before it is aligned."""
        d = self._document
        if d.evaluation is None or d.sample is None:
            return None
        return Lie.best_known(d.plan, d.sample, d.evaluation.alignments)

    def keep(self, key: object, found: Found) -> None:
        """Keep a result."""
        self._kept.pop(key, None)
        self._kept[key] = found
        for old in list(self._kept)[:-_MOST]:
            del self._kept[old]
        self.changed.emit()

    def kept(self, key: object) -> Found | None:
        """Return a result that is kept."""
        return self._kept.get(key)

    def known(self) -> dict[str, Found]:
        """Return what is known of the checks of the plan as they are now, by their ids."""
        checks = self._document.plan.surface_checks
        return {c.id: self._kept[key] for c in checks if (key := self.key(c)) in self._kept}
