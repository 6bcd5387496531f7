"""The freedom dial: six arcs, three shifts above and three turns below, each filled with the name of what holds it."""

import math

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from truegauge.app.widgets.text_size import keep_size, painter_on, point_at_100, room_of
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.datums.freedoms import NAMES, NOBODY, Freedoms

_GAP, _SMALL_GAP = 5.0, 17.0  # degrees between arcs

_LARGE = 34  # pixels: from this radius on there is room for names


def _middle(k: int) -> float:
    return (150.0, 90.0, 30.0, 210.0, 270.0, 330.0)[k]


def arc_path(center: QPointF, outer: float, inner: float, k: int) -> QPainterPath:
    """Return the outline of the arc of one freedom."""
    gap = _GAP if outer >= _LARGE else _SMALL_GAP
    start = _middle(k) - 30 + gap / 2
    span = 60 - gap
    path = QPainterPath()
    box = QRectF(center.x() - outer, center.y() - outer, 2 * outer, 2 * outer)
    hole = QRectF(center.x() - inner, center.y() - inner, 2 * inner, 2 * inner)
    path.arcMoveTo(box, start)
    path.arcTo(box, start, span)
    path.arcTo(hole, start + span, -span)
    path.closeSubpath()
    return path


def draw_dial(painter: QPainter, center: QPointF, radius: float, freedoms: Freedoms, theme: Theme) -> None:
    """Draw the dial; of larger ones the axes and the number of held freedoms too."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    large = radius >= _LARGE
    inner = radius * (0.56 if large else 0.5)
    for k in range(6):
        path = arc_path(center, radius, inner, k)
        holder = freedoms.holders[k]
        painter.setPen(QPen(QColor(theme.accent if holder != NOBODY else theme.tick), 1.2))
        if holder == NOBODY:
            painter.setBrush(QBrush(QColor(theme.tick), Qt.BrushStyle.BDiagPattern) if freedoms.partly[k]
                             else QBrush(QColor(theme.raised)))  # fmt: skip
        else:
            painter.setBrush(QColor(theme.soft if holder == "locked" else theme.accent))
        painter.drawPath(path)
        angle = math.radians(_middle(k))
        if large:
            if holder != NOBODY:
                _text(painter, center, (radius + inner) / 2, angle, _short(holder), 10.5, "#FFFFFF", bold=True,
                      room=1.12 * (radius - inner))  # fmt: skip
            name = "xyz"[k % 3]
            _text(painter, center, inner - 9, angle, name, 10.5, theme.ink if holder != NOBODY else theme.soft)
    painter.setPen(QColor(theme.ink))
    if large:
        painter.setFont(font(12.5, bold=True))
        painter.drawText(QRectF(center.x() - 20, center.y() - 9, 40, 18), Qt.AlignmentFlag.AlignCenter,
                         f"{freedoms.held}/6")  # fmt: skip
    painter.restore()


def _short(holder: str) -> str:
    """Return a text that fits into an arc: letters as they are, of more names how many."""
    if holder in ("surfaces", "locked"):
        return {"surfaces": "fit", "locked": "lock"}[holder]
    names = holder.split("\n")
    if len(names) > 2 or (len(names) == 2 and len("".join(names)) > 5):
        return f"{len(names)} pts"
    return " ".join(names) if len(names) > 1 else holder if len(holder) < 6 else f"{holder[:4]}."


def _text(
    painter: QPainter, center: QPointF, radius: float, angle: float, text: str, size: float, color: str, *,
    bold: bool = False, room: float = 1e9,
) -> None:  # fmt: skip
    at = QPointF(center.x() + radius * math.cos(angle), center.y() - radius * math.sin(angle))
    chosen = font(size, bold=bold)
    while QFontMetricsF(chosen).horizontalAdvance(text) > room and size > 7:
        size -= 0.5
        chosen = font(size, bold=bold)
    painter.setFont(chosen)
    painter.setPen(QColor(color))
    painter.drawText(QRectF(at.x() - 40, at.y() - 9, 80, 18), Qt.AlignmentFlag.AlignCenter, text)


class FreedomDial(QWidget):
    """A dial that tells under the pointer who holds what, and may let arcs be clicked."""

    arc_clicked = Signal(int)

    def __init__(self, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._theme, self._freedoms = theme, Freedoms()
        self.clickable = False
        self.setMouseTracking(True)
        keep_size(self, width=104, height=104)
        self.setAccessibleName("Freedom dial")

    def show_freedoms(self, freedoms: Freedoms) -> None:
        """Show who holds what."""
        self._freedoms = freedoms
        self.setAccessibleDescription("; ".join(self.tell(k) for k in range(6)))
        self.update()

    def tell(self, k: int) -> str:
        """Say who holds one of the freedoms."""
        holder, partly = self._freedoms.holders[k], self._freedoms.partly[k]
        if holder == NOBODY:
            return f"{NAMES[k]}: free" + (" together with another freedom" if partly else "")
        return f"{NAMES[k]}: locked" if holder == "locked" else f"{NAMES[k]}: held by {', '.join(holder.splitlines())}"

    def arc_at(self, x: float, y: float) -> int:
        """Return the arc at a place, -1 for none."""
        room, at = room_of(self), point_at_100(QPointF(x, y))
        paths = (arc_path(room.center(), room.width() / 2 - 3, 6, k) for k in range(6))
        return next((k for k, path in enumerate(paths) if path.contains(at)), -1)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw it."""
        painter, room = painter_on(self), room_of(self)
        draw_dial(painter, room.center(), room.width() / 2 - 3, self._freedoms, self._theme)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Tell who holds what is under the pointer."""
        k = self.arc_at(event.position().x(), event.position().y())
        if k >= 0:
            QToolTip.showText(event.globalPosition().toPoint(), self.tell(k), self)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Tell that an arc was clicked."""
        k = self.arc_at(event.position().x(), event.position().y())
        if k >= 0 and self.clickable:
            self.arc_clicked.emit(k)


def axis_style(freedoms: Freedoms, k: int) -> tuple[bool, bool]:
    """Return whether the shift along an axis of the view, and the turn about it, are still free."""
    return freedoms.holders[k] == NOBODY, freedoms.holders[k + 3] == NOBODY
