"""A surface on a painter of the window."""

from collections.abc import Sequence

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QImage, QPainter, QPainterPath, QPen, QPolygonF

from truegauge.app.widgets.theme import font
from truegauge.drawing.surface import Pixels, Points


class PainterSurface:
    """Draws with a painter, smoothly; its pen, brush and font are its own, and given back at the end of a ``with``."""

    unit = 1.0

    def __init__(self, painter: QPainter) -> None:
        self._painter = painter
        self._drawn_as: tuple[str, str, float] | None = None  # pen and brush, while they are ours

    def __enter__(self) -> "PainterSurface":
        """Keep the state of the painter."""
        self._painter.save()
        self._painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        return self

    def __exit__(self, *_: object) -> None:
        """Give the painter back as it was."""
        self._drawn_as = None
        self._painter.restore()

    def crisp(self, value: float) -> float:
        """Return the middle of a pixel."""
        return round(value) + 0.5

    def line(self, points: Points, color: str, width: float = 1.0) -> None:
        """Draw an open polyline."""
        self._set("", color, width)
        self._painter.drawPolyline(QPolygonF([QPointF(x, y) for x, y in points]))

    def lines(self, segments: Sequence[tuple[float, float, float, float]], color: str, width: float = 1.0) -> None:
        """Draw many straight lines."""
        self._set("", color, width)
        self._painter.drawLines([QLineF(*segment) for segment in segments])

    def loop(self, points: Points, *, fill: str = "", color: str = "", width: float = 1.0) -> None:
        """Draw a closed polygon."""
        self._set(fill, color, width)
        self._painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in points]))

    def circle(self, x: float, y: float, radius: float, *, fill: str = "", color: str = "", width: float = 1.0) -> None:
        """Draw a circle."""
        self._set(fill, color, width)
        self._painter.drawEllipse(QPointF(x, y), radius, radius)

    def arc(
        self, x: float, y: float, radius: float, start: float, sweep: float, color: str, width: float = 1.0
    ) -> None:
        """Draw an arc."""
        self._set("", color, width)
        path, around = QPainterPath(), QRectF(x - radius, y - radius, 2 * radius, 2 * radius)
        path.arcMoveTo(around, start)
        path.arcTo(around, start, sweep)
        self._painter.drawPath(path)

    def box(
        self, x: float, y: float, width: float, height: float, *, fill: str = "", color: str = "", line: float = 1.0,
        rounded: float = 0.0,
    ) -> None:  # fmt: skip
        """Draw a box."""
        box = QRectF(x, y, width, height)
        if fill and not color and not rounded:
            self._painter.fillRect(box, QColor(fill))
            return
        self._set(fill, color, line)
        if rounded:
            self._painter.drawRoundedRect(box, rounded, rounded)
        else:
            self._painter.drawRect(box)

    def text(self, x: float, y: float, text: str, size: float, color: str, *, bold: bool = False) -> None:
        """Write."""
        self._drawn_as = None
        self._painter.setPen(QColor(color))
        self._painter.setFont(font(round(size), bold=bold))
        self._painter.drawText(QPointF(x, y), text)

    def centered(self, box: tuple[float, float, float, float], text: str, size: float, color: str) -> None:
        """Write in the middle of a box."""
        self._drawn_as = None
        self._painter.setPen(QColor(color))
        self._painter.setFont(font(round(size)))
        self._painter.drawText(QRectF(*box), Qt.AlignmentFlag.AlignCenter, text)

    def image(self, box: tuple[float, float, float, float], pixels: Pixels) -> None:
        """Draw a picture."""
        shown = np.ascontiguousarray(pixels[:, :, :3])
        height, width = shown.shape[:2]
        image = QImage(shown.data, width, height, 3 * width, QImage.Format.Format_RGB888)
        self._painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        self._painter.drawImage(QRectF(*box), image)

    def advance(self, text: str, size: float, *, bold: bool = False) -> float:
        """Return how wide a text is."""
        return QFontMetricsF(font(round(size), bold=bold)).horizontalAdvance(text)

    def _set(self, fill: str, color: str, width: float) -> None:
        if self._drawn_as == (fill, color, width):
            return
        self._drawn_as = (fill, color, width)
        painter = self._painter
        painter.setBrush(QBrush(QColor(fill)) if fill else Qt.BrushStyle.NoBrush)
        if color:
            cap, join = Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin
            painter.setPen(QPen(QColor(color), width, Qt.PenStyle.SolidLine, cap, join))
        else:
            painter.setPen(Qt.PenStyle.NoPen)
