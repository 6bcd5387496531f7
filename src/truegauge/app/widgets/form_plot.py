"""The form plot: polar for sections, unrolled for cylinders and cones, a height map for planes, with its scale.

Drawn by QPainter on whatever there is: a panel, a page of the window, a printer, a PDF.
"""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QImage, QPainter, QPen, QPolygonF

from truegauge.app.widgets.theme import Theme, font
from truegauge.core.association.features import Plane
from truegauge.core.errors import TrueGaugeError
from truegauge.core.filters.form_map import FormMap
from truegauge.drawing.units import NumberFormat
from truegauge.palette import bands, hexadecimal

_SPARSE = 0.3  # share of the cells that hold something: below it they are single touches


def draw_form(painter: QPainter, box: QRectF, shown: FormMap, numbers: NumberFormat, theme: Theme) -> None:
    """Draw the whole plot into a box; large boxes also get the worst section of a turned feature."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    scale = _text_scale(box)
    if shown.is_profile:
        if shown.closed_u:
            _polar(painter, box, shown, 0, numbers, theme, scale)
        else:
            _profile(painter, box, shown, numbers, theme, scale)
    elif shown.closed_u and box.width() > 520 and box.height() > 300:
        left = QRectF(box.x(), box.y(), box.width() * 0.56, box.height())
        _height_map(painter, left, shown, numbers, theme, scale)
        right = QRectF(left.right() + 14, box.y(), box.right() - left.right() - 14, box.height())
        try:
            value, row = shown.roundness()
            _polar(painter, right, shown, row, numbers, theme, scale)
            _caption(painter, right, f"section at {numbers.value(float(shown.v[row]))}: roundness "
                     f"{numbers.value(value)} {numbers.unit}", theme, scale)  # fmt: skip
        except TrueGaugeError as error:
            _caption(painter, right, str(error), theme, scale)
    else:
        _height_map(painter, box, shown, numbers, theme, scale)
    painter.restore()


def _text_scale(box: QRectF) -> float:
    return 1.0 if box.width() < 900 else box.width() / 900


def _font(scale: float, size: float = 11, *, bold: bool = False) -> QFont:
    return font(size * scale, bold=bold)


def _caption(painter: QPainter, box: QRectF, text: str, theme: Theme, scale: float) -> None:
    painter.setFont(_font(scale, 12))
    painter.setPen(QColor(theme.soft))
    painter.drawText(QRectF(box.x(), box.bottom() - 20 * scale, box.width(), 20 * scale),
                     Qt.AlignmentFlag.AlignCenter, text)  # fmt: skip


def _nice(value: float) -> float:
    power = 10.0 ** np.floor(np.log10(max(value, 1e-12)))
    return float(max(k * power for k in (1, 2, 5) if k * power <= value * (1 + 1e-9)))


def _reach(heights: np.ndarray, numbers: NumberFormat) -> float:
    """Return the height (mm) that fills a plot: at least a step of what is shown, so that nothing looks like form."""
    return max(float(np.nanmax(np.abs(heights))), numbers.step)


def _polar(
    painter: QPainter, box: QRectF, shown: FormMap, row: int, numbers: NumberFormat, theme: Theme, scale: float
) -> None:  # fmt: skip
    """A section around its axis: the reference circle, the profile magnified, its peak and valley."""
    raw, smooth = shown.raw[row], shown.heights[row]
    if not np.isfinite(smooth).any():
        return
    room = QRectF(box.x(), box.y() + 4, box.width(), box.height() - 26 * scale)
    center, radius = room.center(), min(room.width(), room.height()) * 0.36
    top = _reach(smooth, numbers)
    gain = radius * 0.3 / top
    painter.setPen(QPen(QColor(theme.rule), 1))
    step = _nice(top)
    for k in (-1, 1):
        painter.drawEllipse(center, radius + k * gain * step, radius + k * gain * step)
    painter.setPen(QPen(QColor(theme.tick), 1, Qt.PenStyle.DashLine))
    painter.drawEllipse(center, radius, radius)
    for k in range(4):
        direction = QPointF(np.cos(k * np.pi / 2), -np.sin(k * np.pi / 2))
        painter.drawLine(center + direction * radius * 0.92, center + direction * radius * 1.08)
    if shown.heights is not shown.raw:
        _ring(painter, center, radius, gain, shown.u, np.clip(raw, -1.4 * top, 1.4 * top), QPen(QColor(theme.tick), 1))
    _ring(painter, center, radius, gain, shown.u, smooth, QPen(QColor(theme.accent), 1.8 * scale))
    for pick, color in ((np.nanargmax, theme.outside), (np.nanargmin, theme.within)):
        k = int(pick(smooth))
        r = radius + gain * smooth[k]
        _peak(painter, center + QPointF(np.cos(shown.u[k]), -np.sin(shown.u[k])) * r, color, scale)
    painter.setFont(_font(scale))
    painter.setPen(QColor(theme.soft))
    painter.drawText(QRectF(center.x() - radius * 0.7, center.y() - 19 * scale, radius * 1.4, 18 * scale),
                     Qt.AlignmentFlag.AlignCenter, f"grid {_amount(numbers, step)}")  # fmt: skip
    painter.setPen(QColor(theme.ink))
    painter.setFont(_font(scale, 13, bold=True))
    painter.drawText(QRectF(center.x() - radius * 0.8, center.y() + 1, radius * 1.6, 20 * scale),
                     Qt.AlignmentFlag.AlignCenter,
                     f"{_amount(numbers, float(np.nanmax(smooth) - np.nanmin(smooth)))}")  # fmt: skip


def _amount(numbers: NumberFormat, value: float) -> str:
    if numbers.unit == "mm" and value < 0.01:
        return f"{value * 1000:.3g} µm"
    return f"{numbers.value(value)} {numbers.unit}"


def _ring(
    painter: QPainter, center: QPointF, radius: float, gain: float, angle: np.ndarray, height: np.ndarray, pen: QPen
) -> None:  # fmt: skip
    """Draw a closed profile, open where points are missing."""
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    piece: list[QPointF] = []
    closed = bool(np.isfinite(height).all())
    for a, h in zip(angle, height, strict=True):
        if np.isfinite(h):
            piece.append(center + QPointF(np.cos(a), -np.sin(a)) * (radius + gain * h))
        elif piece:
            painter.drawPolyline(QPolygonF(piece))
            piece = []
    if closed and piece:
        piece.append(piece[0])
    if piece:
        painter.drawPolyline(QPolygonF(piece))


def _profile(painter: QPainter, box: QRectF, shown: FormMap, numbers: NumberFormat, theme: Theme, scale: float) -> None:
    """A line: heights over the length."""
    raw, smooth = shown.raw[0], shown.heights[0]
    room = box.adjusted(10, 10, -10, -26 * scale)
    top = _reach(smooth, numbers)
    low, high = float(shown.u[0]), float(shown.u[-1])
    middle, gain = room.center().y(), room.height() * 0.45 / top
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.drawLine(QPointF(room.left(), middle), QPointF(room.right(), middle))
    for values, pen in ((raw, QPen(QColor(theme.tick), 1)), (smooth, QPen(QColor(theme.accent), 1.8 * scale))):
        there = np.isfinite(values)
        x = room.left() + (shown.u[there] - low) / max(high - low, 1e-12) * room.width()
        y = middle - gain * np.clip(values[there], -1.2 * top, 1.2 * top)
        painter.setPen(pen)
        painter.drawPolyline(QPolygonF([QPointF(a, b) for a, b in zip(x, y, strict=True)]))
    _caption(painter, box, f"peak to valley {_amount(numbers, shown.peak_to_valley())}", theme, scale)


def _peak(painter: QPainter, at: QPointF, color: str, scale: float) -> None:
    painter.setPen(QPen(QColor("#FFFFFF"), 1.2))
    painter.setBrush(QColor(color))
    painter.drawEllipse(at, 4.2 * scale, 4.2 * scale)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def _height_map(
    painter: QPainter, box: QRectF, shown: FormMap, numbers: NumberFormat, theme: Theme, scale: float
) -> None:
    """Heights as colours over the plane or the unrolled mantle; peak and valley marked; the scale below."""
    values = shown.heights
    if not np.isfinite(values).any():
        return
    foot = 44 * scale
    margin = 18 * scale if not isinstance(shown.feature, Plane) else 4
    room = QRectF(box.x() + margin, box.y() + 4, box.width() - margin - 4, box.height() - foot - 6)
    across, along = _extents(shown)
    k = min(room.width() / max(across, 1e-9), room.height() / max(along, 1e-9))
    # An unrolled mantle fills the room; a slim plane is stretched to be readable.
    least = 1.0 if shown.closed_u else 0.4
    width = max(across * k, room.width() * least)
    height = max(along * k, room.height() * least)
    area = QRectF(room.center().x() - width / 2, room.center().y() - height / 2, width, height)
    limit = _reach(values, numbers)
    if np.isfinite(values).mean() < _SPARSE:
        _touches(painter, area, values, limit, theme, scale)
    else:
        painter.drawImage(area, _image(values, limit))
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRect(area)
    rows, columns = values.shape
    for pick, color in ((np.nanargmax, theme.outside), (np.nanargmin, theme.within)):
        j, i = divmod(int(pick(values)), columns)
        at = QPointF(area.left() + (i + 0.5) / columns * area.width(), area.bottom() - (j + 0.5) / rows * area.height())
        _peak(painter, at, color, scale)
    if shown.closed_u:
        painter.setFont(_font(scale, 10))
        painter.setPen(QColor(theme.soft))
        left, center, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignHCenter, Qt.AlignmentFlag.AlignRight
        for side, text in ((left, "-180°"), (center, "0°"), (right, "180°")):
            painter.drawText(QRectF(area.left(), area.bottom() + 2, area.width(), 14 * scale), side, text)
        painter.save()
        painter.translate(area.left() - 3, area.bottom())
        painter.rotate(-90)
        text = f"{numbers.value(along)} {numbers.unit}"
        painter.drawText(QRectF(0, -14 * scale, area.height(), 14 * scale), center, text)
        painter.restore()
    _color_bar(painter, QRectF(area.left(), box.bottom() - 26 * scale, area.width(), 9 * scale), values, limit,
               numbers, theme, scale)  # fmt: skip


def _touches(
    painter: QPainter, area: QRectF, values: np.ndarray, limit: float, theme: Theme, scale: float
) -> None:  # fmt: skip
    """Single touches as discs: cells of their own would be too small to see."""
    painter.fillRect(area, QColor(theme.view))
    shades = bands(limit, limit * 0.625)
    rows, columns = values.shape
    painter.setPen(QPen(QColor(theme.rule), 1))
    for j, i in zip(*np.nonzero(np.isfinite(values)), strict=True):
        band = int(np.clip(np.searchsorted(shades.edges, values[j, i]) - 1, 0, len(shades.colors) - 1))
        painter.setBrush(QColor(hexadecimal(shades.colors[band])))
        at = QPointF(area.left() + (i + 0.5) / columns * area.width(), area.bottom() - (j + 0.5) / rows * area.height())
        painter.drawEllipse(at, 4.5 * scale, 4.5 * scale)


def _extents(shown: FormMap) -> tuple[float, float]:
    along = float(np.ptp(shown.v)) * len(shown.v) / max(len(shown.v) - 1, 1)
    if shown.closed_u:
        radius = float(shown.feature.parameters.get("radius", 0.0)) or along / 2
        return 2 * np.pi * radius, along
    return float(np.ptp(shown.u)) * len(shown.u) / max(len(shown.u) - 1, 1), along


def _image(values: np.ndarray, limit: float) -> QImage:
    scale = bands(limit, limit * 0.625)
    colors = np.array([*scale.colors, (176, 175, 170)], dtype=np.uint8)
    band = np.clip(np.searchsorted(scale.edges, np.nan_to_num(values)) - 1, 0, len(scale.colors) - 1)
    band = np.where(np.isfinite(values), band, len(scale.colors))
    picture = np.ascontiguousarray(colors[band[::-1]])
    rows, columns = values.shape
    return QImage(picture.data, columns, rows, 3 * columns, QImage.Format.Format_RGB888).copy()


def _color_bar(
    painter: QPainter, box: QRectF, values: np.ndarray, limit: float, numbers: NumberFormat, theme: Theme, scale: float
) -> None:  # fmt: skip
    shades = bands(limit, limit * 0.625)
    for low, high, color in zip(shades.edges[:-1], shades.edges[1:], shades.colors, strict=True):
        left = box.left() + (low + limit) / (2 * limit) * box.width()
        painter.fillRect(QRectF(left, box.top(), (high - low) / (2 * limit) * box.width() + 0.5, box.height()),
                         QColor(hexadecimal(color)))  # fmt: skip
    painter.setPen(QPen(QColor(theme.rule), 1))
    painter.drawRect(box)
    painter.setFont(_font(scale, 10))
    metrics = QFontMetricsF(painter.font())
    ends = [float(np.nanmin(values)), float(np.nanmax(values))]
    at = [box.left() + (value + limit) / (2 * limit) * box.width() for value in ends]
    texts = [numbers.signed(value) for value in ends]
    widths = [metrics.horizontalAdvance(text) for text in texts]
    lefts = [min(max(x - width / 2, box.left()), box.right() - width) for x, width in zip(at, widths, strict=True)]
    apart = max(lefts[0] + widths[0] + 6 * scale - lefts[1], 0.0)  # two words at one place cannot be read
    lefts = [lefts[0] - apart / 2, lefts[1] + apart / 2]
    for x, left, text, mark in zip(at, lefts, texts, (theme.within, theme.outside), strict=True):
        painter.setPen(QPen(QColor(mark), 2))
        painter.drawLine(QPointF(x, box.top() - 3), QPointF(x, box.bottom() + 2))
        painter.setPen(QColor(theme.ink))
        painter.drawText(QPointF(left, box.bottom() + 13 * scale), text)
