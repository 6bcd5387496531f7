"""The deviation scale beside the view: bands, values, and two handles to drag; or type the values."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QLineEdit, QWidget

from truegauge.app.document.session import Session
from truegauge.app.document.worked_out import WorkedOut
from truegauge.app.widgets.text_size import keep_size, painter_on, point_at_100, room_of, sized
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.deviations.areas import histogram
from truegauge.core.nodes.graph import NotComputed
from truegauge.drawing.units import NumberFormat
from truegauge.palette import hexadecimal, scale_bands

_TOP, _BOTTOM, _BAR = 26, 16, 16
LIMIT, TOLERANCE = "limit", "tolerance"


class DeviationScaleBar(QWidget):
    """Drag an end to change the limits, a band edge to change the tolerance; double-click to type."""

    def __init__(self, session: Session, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session, self._theme = session, theme
        self._dragged = ""
        self._start = (0.0, session.showing.scale)
        keep_size(self, width=104)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Deviation scale")
        self.setToolTip("Drag an end or a band edge to change it, or double-click a value and type")
        self._editor = QLineEdit(self)
        self._editor.hide()
        self._editor.editingFinished.connect(self._on_typed)
        self._edited = ""
        self._histogram = WorkedOut[np.ndarray](session.document, "Histogram", self.update)
        for signal in (
            session.document.plan_changed,
            session.selection.changed,
            session.document.evaluated,
            session.showing.changed,
        ):
            signal.connect(self.update)

    def _bar(self) -> QRectF:
        return QRectF(8, _TOP, _BAR, room_of(self).height() - _TOP - _BOTTOM)

    def y_of(self, value: float) -> float:
        """Return where a deviation (mm) stands on the bar."""
        bar, edges = self._bar(), scale_bands(self._session.showing.scale).edges
        return bar.top() + bar.height() * (1 - (value - edges[0]) / (edges[-1] - edges[0]))

    def _handles(self) -> list[tuple[str, float]]:
        s = self._session.showing.scale
        edges = scale_bands(s).edges
        every = [(LIMIT, s.limit), (TOLERANCE, s.tolerance), (TOLERANCE, -s.tolerance), (LIMIT, -s.limit)]
        return [h for h in every if edges[0] <= h[1] <= edges[-1]]

    def _handle_at(self, at: QPointF) -> tuple[str, float] | None:
        near = [h for h in self._handles() if abs(self.y_of(h[1]) - at.y()) < 10]
        return min(near, key=lambda h: abs(self.y_of(h[1]) - at.y())) if near else None

    def paintEvent(self, event: QPaintEvent) -> None:
        """Draw bands, ends, values."""
        painter = painter_on(self)
        t, s = self._theme, self._session.showing.scale
        numbers = NumberFormat(self._session.plan.unit, self._session.plan.decimals)
        bar, b = self._bar(), scale_bands(s)
        self._paint_histogram(painter, bar, b.edges)
        for low, high, color in zip(b.edges, b.edges[1:], b.colors, strict=False):
            top, bottom = self.y_of(high), self.y_of(low)
            painter.fillRect(QRectF(bar.x(), top, bar.width(), bottom - top + 0.5), QColor(hexadecimal(color)))
        for end, y0 in ((b.colors[-1], bar.top() - 9), (b.colors[0], bar.bottom())):
            painter.fillRect(QRectF(bar.x(), y0, bar.width(), 9), QColor(hexadecimal(end)))
            painter.fillRect(
                QRectF(bar.x(), y0, bar.width(), 9), QBrush(QColor(0, 0, 0, 110), Qt.BrushStyle.BDiagPattern)
            )
        painter.setPen(QPen(QColor(t.ink), 1))
        painter.drawRect(bar.adjusted(0, -9, 0, 9))
        painter.setFont(font(12))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        own = [("", e) for e in s.edges] if s.edges else [("", 0.0)]
        for name, value in [*self._handles(), *own]:
            if not b.edges[0] <= value <= b.edges[-1]:
                continue
            y = self.y_of(value)
            painter.setPen(QPen(QColor(t.ink), 1.6 if name == TOLERANCE else 1))
            painter.drawLine(QPointF(bar.left(), y), QPointF(bar.right() + 5, y))
            if name:
                painter.setBrush(QColor(t.accent if name == TOLERANCE else t.ink))
                painter.setPen(Qt.PenStyle.NoPen)
                x = bar.right() + 5
                painter.drawPolygon([QPointF(x, y), QPointF(x + 6, y - 4.5), QPointF(x + 6, y + 4.5)])
            if not name and value and any(abs(self.y_of(v) - y) < 12 for _, v in self._handles()):
                continue  # a handle says it already
            painter.setPen(QColor(t.ink if name == LIMIT or not name else t.accent))
            text = numbers.signed(value) if value else "0"
            wide = painter.fontMetrics().horizontalAdvance(text)
            painter.fillRect(QRectF(bar.right() + 13, y - 7, wide + 4, 14), QColor(t.view))  # not on the histogram
            painter.drawText(QPointF(bar.right() + 15, y + 4), text)
        painter.setPen(QColor(t.soft))
        painter.setFont(font(11))
        painter.drawText(QPointF(8, 11), f"{numbers.unit}{', by share of own' if s.own else ''}")

    def _paint_histogram(self, painter: QPainter, bar: QRectF, edges: tuple[float, ...]) -> None:
        """Draw how many points have which deviation, to the right of the bands."""
        shares = self._shares(edges)
        if shares is None or not shares.any():
            return
        room, step = room_of(self).width() - bar.right() - 10, bar.height() / len(shares)
        fill = QColor(self._theme.tick)
        fill.setAlpha(120)
        for k, share in enumerate(shares / shares.max()):
            if share > 0:
                y = bar.bottom() - (k + 1) * step
                painter.fillRect(QRectF(bar.right() + 1, y, max(1.0, room * share), max(1.0, step - 0.6)), fill)

    def _shares(self, edges: tuple[float, ...]) -> np.ndarray | None:
        """Return the histogram of the picked faces, or of all; kept until something changes."""
        s = self._session
        cloud = s.evaluation.cloud if s.evaluation is not None else None
        if cloud is None or isinstance(cloud, NotComputed) or s.shown.live or s.showing.other_map is not None:
            return None
        faces = tuple(sorted(set(s.selection.faces())))
        ends = (edges[0], edges[-1])
        found = self._histogram.get((cloud, faces, ends), lambda: histogram(cloud.found, cloud.usable, faces, ends))
        return self._histogram.last if found is None else found

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a handle."""
        at = point_at_100(event.position())
        handle = self._handle_at(at)
        if handle is not None:
            self._dragged = handle[0]
            self._start = (at.y(), self._session.showing.scale)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Move the handle: away from zero widens."""
        if not self._dragged:
            grip = self._handle_at(point_at_100(event.position()))
            self.setCursor(Qt.CursorShape.SizeVerCursor if grip else Qt.CursorShape.ArrowCursor)
            return
        y0, scale = self._start
        middle = self.y_of(0.0)
        reach = max(6.0, abs(y0 - middle))
        share = (reach + (y0 - point_at_100(event.position()).y()) * (1 if y0 < middle else -1)) / reach
        if self._dragged == LIMIT:
            # The end itself stays where it is: dragging it outwards makes room, so the limit grows with the way.
            self._set(limit=scale.limit * min(max(share, 0.1), 10.0))
        else:
            self._set(tolerance=scale.tolerance * min(max(share, 0.05), 20.0))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go: the next drag is an edit of its own."""
        self._dragged = ""
        self._session.document.history.end_merge()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Type a value."""
        self._dragged = ""
        handle = self._handle_at(point_at_100(event.position()))
        self.edit(handle[0] if handle else LIMIT)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Enter types the limit, T the tolerance; up and down widen and narrow."""
        scale = self._session.showing.scale
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.edit(LIMIT)
        elif event.key() == Qt.Key.Key_T:
            self.edit(TOLERANCE)
        elif event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._set(limit=scale.limit * (1.1 if event.key() == Qt.Key.Key_Up else 1 / 1.1))
        else:
            super().keyPressEvent(event)

    def edit(self, which: str) -> None:
        """Open the field for the limit or the tolerance."""
        scale = self._session.showing.scale
        value = scale.limit if which == LIMIT else scale.tolerance
        self._edited = which
        plan = self._session.plan
        self._editor.setText(NumberFormat(plan.unit, plan.decimals).value(value))
        self._editor.setGeometry(sized(self._bar().right() + 6), sized(self.y_of(value) - 13), sized(70), sized(26))
        self._editor.show()
        self._editor.setFocus()
        self._editor.selectAll()

    def _on_typed(self) -> None:
        if not self._edited:
            return
        which, self._edited = self._edited, ""
        self._editor.hide()
        plan = self._session.plan
        try:
            value = abs(NumberFormat(plan.unit, plan.decimals).parse(self._editor.text()))
        except ValueError:
            self._session.notify(f"{self._editor.text()!r} is not a number; the scale stays as it was")
            return
        if value > 0:
            self._set(**{which: value})
            self._session.document.history.end_merge()

    def _set(self, *, limit: float | None = None, tolerance: float | None = None) -> None:
        scale = self._session.showing.scale
        new_limit = _neat(limit if limit is not None else scale.limit)
        new_tolerance = _neat(tolerance if tolerance is not None else scale.tolerance)
        if tolerance is not None:
            new_limit = max(new_limit, new_tolerance)
        else:
            new_tolerance = min(new_tolerance, new_limit)
        self._session.showing.set_scale(scale.replace(limit=new_limit, tolerance=new_tolerance), "scale")


def _neat(value: float) -> float:
    """Round to three significant digits, so that dragging gives numbers that can be read."""
    return float(f"{max(value, 1e-4):.3g}")
