"""What was found by surface checks on the sample that is open, kept for who asks next: the page, the report."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject

from truegauge.app.document.document import Document

if TYPE_CHECKING:
    from truegauge.core.imperfections.search import Found
    from truegauge.core.plan.surface_checks import SurfaceCheck

_MOST = 6  # of which each keeps a surface of its own


class SurfaceFinds(QObject):
    """Held by scan and check; what is allowed and where places are counted from changes nothing of what is found."""

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._kept: dict[object, Found] = {}
        document.sample_changed.connect(self._kept.clear)

    def key(self, check: SurfaceCheck) -> object:
        """Return what a result belongs to; None without a scan."""
        sample = self._document.sample
        if sample is None or not len(sample.points):
            return None
        return sample.scans_key, check.replace(name="-", id="-", limits=(), frame=None)

    def keep(self, key: object, found: Found) -> None:
        """Keep a result."""
        self._kept.pop(key, None)
        self._kept[key] = found
        for old in list(self._kept)[:-_MOST]:
            del self._kept[old]

    def known(self) -> dict[str, Found]:
        """Return what is known of the checks of the plan as they are now, by their ids."""
        checks = self._document.plan.surface_checks
        return {c.id: self._kept[key] for c in checks if (key := self.key(c)) in self._kept}
