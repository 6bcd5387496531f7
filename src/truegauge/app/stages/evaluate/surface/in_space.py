"""The surface in space, coloured by its deviations, with heights enlarged when that is wanted; numbers over it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, QSize, Signal
from PySide6.QtGui import QPainter

from truegauge.app.document.bare_scan import DrawnScan, drawn_scan, shades
from truegauge.app.document.worked_out import WorkedOut
from truegauge.app.stages.evaluate.surface.area_model import AreaModel
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.theme import Theme
from truegauge.drawing.flat_map import scale_of
from truegauge.drawing.scale_figure import ScaleLook, draw_scale
from truegauge.drawing.units import NumberFormat
from truegauge.palette import colors_of
from truegauge.rendering.camera import Camera

if TYPE_CHECKING:
    from truegauge.core.evaluation.located import Lie
    from truegauge.core.imperfections.search import Found

TIMES = (1, 10, 30, 100)
_PALE = 0.6
_LETTERS = 12.0


class SpaceModel(QObject):
    """What of the surface is drawn in space: alone, or where an aligned part lies. Signals: `changed`."""

    changed = Signal()

    def __init__(self, surface: SurfaceModel, area: AreaModel, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._surface, self._area, self._bare = surface, area, surface.session.bare_scan
        self.times = 1
        self._drawn = WorkedOut[DrawnScan](surface.session.document, "Drawing the surface", self.refresh)
        area.changed.connect(self.refresh)
        surface.session.stage_changed.connect(self.refresh)

    def set_times(self, times: int) -> None:
        """Enlarge the heights."""
        self.times = times
        self.refresh()
        self.changed.emit()

    @property
    def is_shown(self) -> bool:
        """Whether the surface is drawn in space with its deviations."""
        s = self._surface
        there = self._area.in_view and s.session.stage == "evaluate" and s.found is not None and s.check is not None
        return there and (self._bare.is_there or self._surface.lie() is not None)

    def refresh(self) -> None:
        """Have the view draw the surface, or the plain scan."""
        found, check = self._surface.found, self._surface.check
        if not self.is_shown or found is None or check is None:
            self._bare.show(None)
            self._bare.show_on_part(None)
            return
        times, depth, lie = self.times, check.least, None if self._bare.is_there else self._surface.lie()
        where = "" if lie is None else lie.part_from_device.tobytes().hex()
        drawn = self._drawn.get((found, times, depth, where), lambda: in_space(found, times, depth, lie))
        if drawn is not None and lie is None:
            self._bare.show(drawn)
        elif drawn is not None:
            self._bare.show_on_part(drawn)

    def paint(self, painter: QPainter, camera: Camera, theme: Theme, size: QSize) -> None:
        """Paint numbers at the deepest places, and what the colours mean."""
        found, check, plan = self._surface.found, self._surface.check, self._surface.session.plan
        if not self.is_shown or found is None or check is None:
            return
        bad, aspect = set(self._surface.flagged()), size.width() / max(1, size.height())
        with PainterSurface(painter) as surface:
            if found.imperfections:
                places = np.array([i.deepest for i in found.imperfections])
                ways = np.array([np.multiply(i.normal, i.depth * (self.times - 1)) for i in found.imperfections])
                lie = None if self._bare.is_there else self._surface.lie()
                seen = places + ways if lie is None else lie.places(places + ways)
                shares = camera.project(seen, aspect)
                for k, (x, y) in reversed(list(enumerate(shares[:, :2]))):
                    words = str(k + 1)
                    chosen = k == self._surface.number
                    color = theme.accent if chosen else theme.outside if k in bad else theme.raised
                    wide = surface.advance(words, _LETTERS, bold=True) + 10
                    at = (float(x) * size.width() + 8, float(y) * size.height() - 24)
                    surface.line([(at[0] - 8, at[1] + 24), (at[0], at[1] + 16)], theme.ink, 1.0)
                    surface.box(*at, wide, 18.0, fill=color, rounded=4.0)
                    ink = theme.raised if chosen or k in bad else theme.ink
                    surface.text(at[0] + 5, at[1] + 13.4, words, _LETTERS, ink, bold=True)
            numbers = NumberFormat(plan.unit, plan.decimals)
            height = max(90.0, min(260.0, size.height() - 120.0))
            look = ScaleLook(13, 11.0, theme.ink, theme.soft)
            draw_scale(surface, scale_of(found, check.least), (size.width() - 84.0, 40.0, height), numbers, look)


def in_space(found: Found, times: float, depth: float, lie: Lie | None = None) -> DrawnScan:
    """Return the points of a surface with their heights over the reference enlarged, coloured and lit.

    On the part where it is known how that lies.
    """
    surface = found.prepared.surface
    by_cell, cells = surface.by_cell, surface.cells
    number = np.repeat(np.arange(len(by_cell.starts) - 1), np.diff(by_cell.starts))
    row, column = np.divmod(number, cells.shape[1])
    middle = cells.middles(row, column)
    slope = surface.slope[row, column]
    height = surface.reference[row, column] + np.einsum("ij,ij->i", by_cell.at - middle, slope)
    rise = np.sqrt(1.0 + np.square(slope).sum(axis=1))
    raised = height + times * by_cell.deviation * rise
    points = surface.chart.back(np.column_stack([by_cell.at, raised]))
    points = points if lie is None else lie.places(points)
    colors = colors_of(by_cell.deviation, scale_of(found, depth)).astype(np.float64)
    # Lit as the enlarged surface would be.
    whole = surface.reference + times * np.nan_to_num(found.smoothed.height)
    across = np.gradient(np.where(found.prepared.part > 0, whole, np.nan), cells.size)
    normal = np.nan_to_num(np.column_stack([-across[1][row, column], -across[0][row, column], np.ones(len(row))]))
    share = shades(normal / np.linalg.norm(normal, axis=1, keepdims=True))
    if found.prepared.inside is not None:
        pale = ~found.prepared.inside[row, column]
        colors[pale] = (1 - _PALE) * colors[pale] + _PALE * 235.0
    return drawn_scan(points, (colors * (0.35 + 0.65 * share)[:, None]).astype(np.uint8))
