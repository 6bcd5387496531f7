"""Painting what the window shares with the report: glyphs, gauge bars, markers."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QIcon, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from truegauge.app.theme import Theme, state_color
from truegauge.core.evaluation.results import Result
from truegauge.reporting.gauge_bar import BAND_END, BAND_START, RING, TICKS, gauge_bar, marker_outline
from truegauge.reporting.glyphs import GLYPHS


def glyph_path(name: str, box: QRectF) -> QPainterPath:
    """Return a glyph scaled into a box."""
    path, k = QPainterPath(), box.width() / 24
    for stroke in GLYPHS[name]:
        kind, n = stroke[0], [float(v) for v in stroke[1:]]
        if kind == "circle":
            path.addEllipse(QPointF(box.x() + n[0] * k, box.y() + n[1] * k), n[2] * k, n[2] * k)
        elif kind == "arc":
            around = QRectF(box.x() + (n[0] - n[2]) * k, box.y() + (n[1] - n[2]) * k, 2 * n[2] * k, 2 * n[2] * k)
            path.arcMoveTo(around, n[3])
            path.arcTo(around, n[3], n[4])
        else:
            corners = [QPointF(box.x() + x * k, box.y() + y * k) for x, y in zip(n[::2], n[1::2], strict=True)]
            path.moveTo(corners[0])
            for corner in corners[1:]:
                path.lineTo(corner)
            if kind == "loop":
                path.closeSubpath()
    return path


def draw_glyph(painter: QPainter, name: str, box: QRectF, color: str, width: float = 1.5) -> None:
    """Draw a glyph."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    cap, join = Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin
    painter.setPen(QPen(QColor(color), width, Qt.PenStyle.SolidLine, cap, join))
    painter.drawPath(glyph_path(name, box))
    painter.restore()


def glyph_icon(name: str, color: str, size: int = 20) -> QIcon:
    """Return a glyph as an icon."""
    pixmap = QPixmap(QSize(2 * size, 2 * size))
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    draw_glyph(painter, name, QRectF(1, 1, size - 2, size - 2), color)
    painter.end()
    return QIcon(pixmap)


def application_icon(size: int = 128) -> QIcon:
    """Return the product's mark: a measuring arc in brass on ink."""
    pixmap = QPixmap(size, size)
    pixmap.fill(Qt.GlobalColor.transparent)
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(QColor("#1F2A33"))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.drawRoundedRect(QRectF(0, 0, size, size), size * 0.2, size * 0.2)
    draw_glyph(painter, "mark", QRectF(size * 0.12, size * 0.14, size * 0.76, size * 0.76), "#D3A54B", size * 0.05)
    painter.end()
    return QIcon(pixmap)


def draw_marker(painter: QPainter, marker: str, at: QPointF, radius: float, color: str) -> None:
    """Draw the marker of a state."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    corners = marker_outline(marker, at.x(), at.y(), radius)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(QColor(color))
    if corners:
        painter.drawPolygon(QPolygonF([QPointF(x, y) for x, y in corners]))
    elif marker == RING:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(color), 1.6))
        painter.drawEllipse(at, radius - 0.6, radius - 0.6)
    else:
        painter.drawEllipse(at, radius, radius)
    painter.restore()


def draw_gauge_bar(painter: QPainter, box: QRectF, result: Result, theme: Theme) -> None:
    """Draw the gauge bar of a result: band, ticks, nominal mark, marker."""
    c = result.characteristic
    g = gauge_bar(result.measured, c.nominal, result.lower_limit, result.upper_limit, result.state)
    painter.save()
    band_height = box.height() * 0.62
    band = QRectF(box.x() + BAND_START * box.width(), box.y(), (BAND_END - BAND_START) * box.width(), band_height)
    painter.fillRect(band, QColor(theme.band))
    painter.setPen(QPen(QColor(theme.tick), 1))
    for k in range(TICKS):
        x = round(box.x() + box.width() * k / (TICKS - 1)) + 0.5
        top = box.y() + band_height + 2
        painter.drawLine(QPointF(x, top), QPointF(x, top + (4 if k % 5 == 0 else 2)))
    for share in (BAND_START, BAND_END):
        x = round(box.x() + share * box.width()) + 0.5
        painter.drawLine(QPointF(x, band.top()), QPointF(x, band.bottom()))
    if g.nominal is not None:
        x = round(box.x() + g.nominal * box.width()) + 0.5
        painter.drawLine(QPointF(x, band.top()), QPointF(x, band.bottom()))
    at = QPointF(box.x() + g.position * box.width(), band.center().y())
    draw_marker(painter, g.marker, at, 5.0, state_color(theme, str(result.state)))
    painter.restore()


def state_marker(result: Result) -> str:
    """Return the marker of a result's state."""
    c = result.characteristic
    return gauge_bar(result.measured, c.nominal, result.lower_limit, result.upper_limit, result.state).marker
