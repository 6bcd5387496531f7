"""A scan that is looked at without a part: its points in a spatial order, lit as the surface that they are of."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.document.document import Document
from truegauge.app.document.worked_out import WorkedOut
from truegauge.core.clouds.spatial import spatial_order
from truegauge.core.imperfections.cubes import rough_directions

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Normals, Points

_LAMPS = np.array([(0.5, 0.42, 0.76), (-0.6, -0.75, 0.28)])
_SHADE, _LAMP, _SECOND = 0.3, 0.58, 0.16  # of the colour that is seen anyway, and by the lamps
_GREY = np.array([196.0, 201.0, 204.0])
_ALIKE = 0.5  # of the logarithm of an extent: what differs by less is looked at as it was
_FAR = 0.002  # of the points at each end that may be strays: the view does not show them all


@dataclass(frozen=True, slots=True, eq=False)
class DrawnScan:
    """Points (n, 3) mm in a spatial order with their colours (n, 3), and the box (2, 3) that the view shows."""

    points: Points
    colors: NDArray[np.uint8]
    box: Points


def drawn_scan(points: Points, colors: NDArray[np.uint8]) -> DrawnScan:
    """Put points (n, 3) with colours (n, 3) in order to be drawn."""
    finite = np.isfinite(points).all(axis=1)
    if not finite.all():
        points, colors = points[finite], colors[finite]
    order = spatial_order(points)
    some = points[:: max(1, len(points) // 200_000)]
    box = np.quantile(some, [_FAR, 1.0 - _FAR], axis=0) if len(some) else np.zeros((2, 3))
    if not np.ptp(box, axis=0).any():  # a single place has no extent to look at
        box = box + np.array([[-1.0], [1.0]])
    return DrawnScan(points[order], colors[order], box)


def lit(points: Points, normals: Normals | None) -> NDArray[np.uint8]:
    """Return the grey (n, 3) of a surface by two lamps; without normals it is lit by the course of its points."""
    there = np.isfinite(points).all(axis=1)
    if normals is None or not np.any(normals):
        normals = np.zeros(points.shape)
        if there.any():
            normals[there] = rough_directions(points[there])
    return np.asarray((shades(normals)[:, None] * _GREY).astype(np.uint8))


def shades(normals: Normals) -> NDArray[np.float64]:
    """Return how much light (n,) falls on surfaces, 0 to 1: both of their sides are lit."""
    lamps = _LAMPS / np.linalg.norm(_LAMPS, axis=1, keepdims=True)
    seen = np.abs(normals @ lamps.T)
    return np.asarray(np.clip(_SHADE + _LAMP * seen[:, 0] + _SECOND * seen[:, 1], 0.0, 1.0))


class BareScan(QObject):
    """What the view draws while there is no part, or instead of the coloured part. Signals: `changed`."""

    changed = Signal()

    def __init__(self, document: Document, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._document = document
        self._own: DrawnScan | None = None  # instead of the plain scan
        self.on_part: DrawnScan | None = None  # in coordinates of the part, which is seen by its edges below it
        self._plain = WorkedOut[DrawnScan](document, "Drawing the scan", self.changed.emit)
        document.sample_changed.connect(self._on_sample)
        document.part_changed.connect(self.changed)

    def _on_sample(self) -> None:
        self._own = self.on_part = None
        self.changed.emit()

    @property
    def is_there(self) -> bool:
        """Whether there is a scan and no part."""
        sample = self._document.sample
        return self._document.model is None and sample is not None and len(sample.points) > 0

    def show(self, own: DrawnScan | None) -> None:
        """Draw something else instead of the scan as it is; None: the scan again."""
        if own is not self._own:
            self._own = own
            self.changed.emit()

    def show_on_part(self, drawn: DrawnScan | None) -> None:
        """Draw a surface where the part lies; None: the part again."""
        if drawn is not self.on_part:
            self.on_part = drawn
            self.changed.emit()

    @property
    def seen(self) -> object:
        """What the view goes to see all of when it is another one: the scan, or the piece of it; None for nothing."""
        drawn, sample = self.drawn(), self._document.sample
        if drawn is None or sample is None:
            return None
        return sample.scans_key, tuple(np.round(np.log(np.ptp(drawn.box, axis=0) + 1e-9) / _ALIKE))

    def drawn(self) -> DrawnScan | None:
        """Return what is drawn; None while it is got ready, or with a part."""
        sample = self._document.sample
        if not self.is_there or sample is None:
            return None
        if self._own is not None:
            return self._own
        points, normals = sample.points, sample.normals
        return self._plain.get((sample.scans_key,), lambda: drawn_scan(points, lit(points, normals)))
