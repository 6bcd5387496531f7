"""Painting a picture of a shadow, paler than it is, and where its edges are looked for."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QRectF
from PySide6.QtGui import QImage, QPainter

from truegauge.app.stages.silhouette.handles import arrow_of, outline_of

if TYPE_CHECKING:
    from truegauge.app.widgets.painter_surface import PainterSurface
    from truegauge.core.arrays import Floats
    from truegauge.core.plan.silhouette import ShadowBand, ShadowBox
    from truegauge.core.silhouette.edges import Picture
    from truegauge.drawing.shadow_figure import Figure, Placed, View

_STILL = 3.0  # pixels that a part trembles by at most
_PALE = 0.72  # of the darkness of a shadow that is painted: what is drawn on it can be read
_PALED = (255 - (255 - np.arange(256)) * _PALE).astype(np.uint8)


class ShownPicture:
    """Keeps the grey values that are painted as long as Qt needs them."""

    def __init__(self) -> None:
        self._image: QImage | None = None
        self._pixels: Picture | None = None

    def paint(self, painter: QPainter, picture: Picture, view: View) -> None:
        """Paint what is seen of a picture, made as small as it is shown first."""
        import cv2  # the window opens without it

        high, wide = picture.shape
        device, room = painter.device(), view.room
        x0, y0 = (int(max(0, v)) for v in view.back(room[0], room[1]))
        x1, y1 = view.back(room[0] + room[2], room[1] + room[3])
        x1, y1 = int(min(wide, x1 + 2)), int(min(high, y1 + 2))
        if x1 <= x0 or y1 <= y0:
            return
        scale = painter.transform().m11() * (device.devicePixelRatioF() if device is not None else 1.0)
        size = (max(1, round((x1 - x0) * view.scale * scale)), max(1, round((y1 - y0) * view.scale * scale)))
        small = picture[y0:y1, x0:x1]
        whole = int((x1 - x0) // size[0])
        if whole > 1:  # by a whole number it is quick, what is left is little
            about = (max(1, small.shape[1] // whole), max(1, small.shape[0] // whole))
            small = np.asarray(cv2.resize(small, about, interpolation=cv2.INTER_AREA), dtype=np.uint8)
        how = cv2.INTER_LINEAR if size[0] < x1 - x0 else cv2.INTER_NEAREST
        small = np.asarray(cv2.resize(small, size, interpolation=how), dtype=np.uint8)
        self._pixels = np.ascontiguousarray(_PALED[small])
        self._image = QImage(self._pixels.data, size[0], size[1], self._pixels.strides[0],
                             QImage.Format.Format_Grayscale8)  # fmt: skip
        target = QRectF(view.x + view.scale * x0, view.y + view.scale * y0, view.scale * (x1 - x0),
                        view.scale * (y1 - y0))  # fmt: skip
        painter.save()
        painter.setClipRect(QRectF(*room))
        painter.drawImage(target, self._image)
        painter.restore()


class StillValues:
    """Where values stood, while the part lies where it lay: they do not tremble with it."""

    def __init__(self) -> None:
        self._last: tuple[Figure, View, dict[str, Floats]] | None = None

    def kept(self, figure: Figure, view: View) -> dict[str, Floats] | None:
        """Return the middles of values by the ids of their sizes; None: they are to be placed anew."""
        if self._last is None or self._last[1] != view:
            return None
        before, _, values = self._last
        corners = np.array([[0.0, 0.0], [10.0, 0.0], [0.0, 10.0]])
        moved = np.abs(view.on(before.px(corners)) - view.on(figure.px(corners))).max()
        same = [(s[0], s[1].value_at is None) for s in before.shapes] == [
            (s[0], s[1].value_at is None) for s in figure.shapes
        ]
        return values if moved < _STILL and same else None

    def keep(self, figure: Figure, view: View, placed: Sequence[Placed]) -> None:
        """Take note of where values stand."""
        middles = {p.key: np.array([p.box[0] + p.box[2] / 2, p.box[1] + p.box[3] / 2]) for p in placed}
        self._last = (figure, view, middles)


def paint_look(
    surface: PainterSurface, on: Callable[[Floats], Floats], look: ShadowBox | ShadowBand, color: str, rim: str
) -> None:
    """Paint a box or a band with an arrow the way it is looked; `on` puts mm of the part on the surface."""
    line = [(float(x), float(y)) for x, y in on(outline_of(look))]
    surface.line(line, rim, 3.4)
    surface.line(line, color, 1.6)
    a, b = on(arrow_of(look))
    way = (b - a) / max(float(np.linalg.norm(b - a)), 1e-9)
    aside = np.array([-way[1], way[0]])
    tip = [b, b - 7 * way + 3 * aside, b - 7 * way - 3 * aside]
    surface.loop([(float(p[0]), float(p[1])) for p in tip], fill=color)
