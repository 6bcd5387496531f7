"""The track: a time ruler, a lane for each stylus pose, chips as wide as their time, and the play-head."""

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt
from PySide6.QtGui import (
    QColor,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QToolTip, QWidget

from truegauge.app.track.model import RouteModel
from truegauge.app.widgets.painting import draw_marker
from truegauge.app.widgets.text_size import TEXT, painter_on, point_at_100, room_of, sized
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.routes.track import NO_LANE, Chip, Track
from truegauge.drawing.gauge_bar import DISC, RING, TRIANGLE_RIGHT

_NAMES, _RULER, _LANE, _RIGHT = 168.0, 22.0, 25.0, 14.0
_LEAST_CHIP, _LEAST_DRAG, _MOST_ZOOM = 3.0, 6.0, 400.0
_STEPS = (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300, 600, 1200, 3600)
_APART = 70.0  # pixels between numbers of the ruler


class TrackView(QWidget):
    """Click a chip to choose its step, drag it to reorder; drag in the ruler to move the play-head."""

    def __init__(self, model: RouteModel, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.model, self._theme = model, theme
        self._zoom, self._first = 1.0, 0.0  # times the whole fits; s at the left end
        self._pressed: QPointF | None = None
        self._held: str = ""  # the step that is dragged
        self._before: str | None = None  # where it would go
        self._scrubbing = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Track of the route")
        model.changed.connect(self._on_changed)
        model.moved.connect(self.update)
        theme.changed.connect(self.update)
        TEXT.changed.connect(self._on_changed)
        self._on_changed()

    def _on_changed(self) -> None:
        lanes = self._lane_count()
        self.setMinimumHeight(sized(_RULER + _LANE * max(lanes, 1) + 4))
        self.update()

    # Places -------------------------------------------------------------------------------------------------------

    @property
    def track(self) -> Track | None:
        """What is shown."""
        return self.model.track

    def _lane_count(self) -> int:
        t = self.track
        return 0 if t is None else len(t.lanes) + any(c.lane == NO_LANE for c in t.chips)

    def _room(self) -> QRectF:
        return room_of(self)

    def _scale(self) -> float:
        """Pixels a second."""
        t = self.track
        width = max(60.0, self._room().width() - _NAMES - _RIGHT)
        return width * self._zoom / max(t.seconds if t else 1.0, 1e-3)

    def x_of(self, seconds: float) -> float:
        """Return where an instant is, pixels at 100 %."""
        return _NAMES + (seconds - self._first) * self._scale()

    def seconds_at(self, x: float) -> float:
        """Return the instant at a place, pixels at 100 %."""
        return (x - _NAMES) / self._scale() + self._first

    def chip_box(self, chip: Chip) -> QRectF:
        """Return where a chip is, pixels at 100 %."""
        t = self.track
        lane = chip.lane if chip.lane != NO_LANE or t is None else len(t.lanes)
        width = max(_LEAST_CHIP, chip.seconds * self._scale())
        if chip.lane == NO_LANE:
            width = max(width, 14.0)
        return QRectF(self.x_of(chip.start), _RULER + lane * _LANE + 2, width, _LANE - 4)

    def chip_at(self, at: QPointF) -> Chip | None:
        """Return the chip at a place, pixels at 100 %."""
        t = self.track
        if t is None or at.x() < _NAMES:
            return None
        return next((c for c in reversed(t.chips) if self.chip_box(c).contains(at)), None)

    def _show(self, first: float) -> None:
        t = self.track
        if t is not None:
            self._first = min(max(0.0, first), t.seconds * (1 - 1 / self._zoom))
            self.update()

    def zoom(self, factor: float, at: float) -> None:
        """Zoom about a place, pixels at 100 %."""
        held = self.seconds_at(at)
        self._zoom = min(max(1.0, self._zoom * factor), _MOST_ZOOM)
        self._show(held - (at - _NAMES) / self._scale())

    # Painting -----------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint lanes, chips, ruler and play-head."""
        painter, t, theme = painter_on(self), self.track, self._theme
        room = self._room()
        painter.fillRect(room, QColor(theme.paper))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if t is None:
            painter.setPen(QColor(theme.soft))
            painter.setFont(font(12))
            words = "The route is being planned" if self.model.is_there else "There is no route yet"
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, words)
            return
        self._lanes(painter, room, t)
        painter.save()
        painter.setClipRect(QRectF(_NAMES, 0, room.width() - _NAMES, room.height()))
        self._ruler(painter, room)
        for chip in t.chips:
            self._chip(painter, chip)
        self._marks(painter, t)
        self._insertion(painter, room)
        self._play_head(painter, room)
        painter.restore()

    def _lanes(self, painter: QPainter, room: QRectF, t: Track) -> None:
        theme = self._theme
        names = [*t.lanes, *(["no stylus"] if self._lane_count() > len(t.lanes) else [])]
        painter.setFont(font(12))
        for k, name in enumerate(names):
            box = QRectF(0, _RULER + k * _LANE, room.width(), _LANE)
            if k % 2 == 0:
                painter.fillRect(box, QColor(theme.band))
            painter.setPen(QColor(theme.soft if k == len(t.lanes) else theme.ink))
            inside = QRectF(10, box.y(), _NAMES - 16, _LANE)
            said = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, int(inside.width()))
            painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, said)
        painter.setPen(QPen(QColor(theme.rule), 1))
        painter.drawLine(QPointF(_NAMES - 0.5, 0), QPointF(_NAMES - 0.5, room.height()))

    def _ruler(self, painter: QPainter, room: QRectF) -> None:
        theme, scale = self._theme, self._scale()
        step = next((s for s in _STEPS if s * scale >= _APART), _STEPS[-1])
        painter.setFont(font(11))
        k = int(max(0.0, self._first) / step)
        while self.x_of(k * step) < room.width():
            x = self.x_of(k * step)
            painter.setPen(QPen(QColor(theme.rule), 1))
            painter.drawLine(QPointF(x, _RULER - 5), QPointF(x, room.height()))
            painter.setPen(QColor(theme.soft))
            painter.drawText(QRectF(x + 3, 1, _APART, _RULER - 4), Qt.AlignmentFlag.AlignVCenter, clock(k * step))
            k += 1

    def _chip(self, painter: QPainter, chip: Chip) -> None:
        theme, box = self._theme, self.chip_box(chip)
        chosen, bad = chip.step in self.model.chosen, chip.state == "failed"
        fill = QColor(theme.raised if chip.on else theme.paper)
        if chosen:
            fill = QColor(theme.accent_soft)
        now = chip.state == "running"
        edge = QColor(theme.outside if bad else theme.accent if chosen or now else theme.tick)
        pen = QPen(edge, 3.0 if now else 2.0 if chosen or bad else 1.0)
        if not chip.on:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(fill)
        painter.drawRoundedRect(box, 3, 3)
        inside = box.adjusted(5, 0, -3, 0)
        if box.width() >= 18 and chip.kind == "measure":
            at = QPointF(box.x() + 9, box.center().y())
            marker, color = self._marker(chip)
            draw_marker(painter, marker, at, 4.0, color)
            inside = box.adjusted(17, 0, -3, 0)
        if chip.pinned and box.width() >= 30:
            painter.setPen(QPen(QColor(theme.soft), 1.4))
            x = box.right() - 7
            painter.drawLine(QPointF(x, box.top() + 4), QPointF(x, box.bottom() - 4))
            inside.setRight(x - 4)
        if inside.width() >= 22:
            painter.setFont(font(12, bold=chosen))
            painter.setPen(QColor(theme.ink if chip.on else theme.soft))
            said = painter.fontMetrics().elidedText(chip.name, Qt.TextElideMode.ElideRight, int(inside.width()))
            painter.drawText(inside, Qt.AlignmentFlag.AlignVCenter, said)

    def _marker(self, chip: Chip) -> tuple[str, str]:
        """Return shape and colour of what is known of a step; the shape carries it as well."""
        theme = self._theme
        if chip.state == "done":
            return DISC, theme.within
        if chip.state in ("outside", "failed"):
            return TRIANGLE_RIGHT, theme.outside
        return RING, theme.soft

    def _marks(self, painter: QPainter, t: Track) -> None:
        """Where something collides."""
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self._theme.outside))
        for seconds in t.meetings:
            x = self.x_of(seconds)
            painter.drawPolygon(QPolygonF([QPointF(x - 5, 2), QPointF(x + 5, 2), QPointF(x, 12)]))

    def _insertion(self, painter: QPainter, room: QRectF) -> None:
        t = self.track
        if self._before is None or t is None:
            return
        there = t.chips_of(self._before)
        x = self.x_of(min(c.start for c in there)) if there else self.x_of(t.seconds)
        painter.setPen(QPen(QColor(self._theme.accent), 3))
        painter.drawLine(QPointF(x, _RULER), QPointF(x, room.height()))

    def _play_head(self, painter: QPainter, room: QRectF) -> None:
        if not self.model.rehearsing:
            return
        x = self.x_of(self.model.seconds)
        color = QColor(self._theme.accent)
        painter.setPen(QPen(color, 2))
        painter.drawLine(QPointF(x, 0), QPointF(x, room.height()))
        painter.setBrush(color)
        painter.drawRoundedRect(QRectF(x - 5, 1, 10, 13), 3, 3)

    # Mouse and keys -----------------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a chip, or take hold of the play-head."""
        at = point_at_100(event.position())
        self.setFocus()
        if event.button() != Qt.MouseButton.LeftButton or at.x() < _NAMES:
            return
        if at.y() < _RULER:
            self._scrubbing = True
            self.model.set_seconds(self.seconds_at(at.x()))
            return
        chip = self.chip_at(at)
        if chip is None:
            self.model.choose(())
            return
        self._pressed, self._held = at, chip.step
        if event.modifiers() & (Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier):
            kept = tuple(s for s in self.model.chosen if s != chip.step)
            self.model.choose(kept if chip.step in self.model.chosen else (*kept, chip.step))
        else:
            self.model.choose((chip.step,))
        if self.model.rehearsing:
            self.model.set_seconds(chip.start)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the play-head, or a chip."""
        at = point_at_100(event.position())
        if self._scrubbing:
            self.model.set_seconds(self.seconds_at(at.x()))
        elif self._pressed is not None and abs(at.x() - self._pressed.x()) > _LEAST_DRAG:
            self._before = self._step_after(at.x())
            self.update()

    def _step_after(self, x: float) -> str:
        """Return the step in front of which something is dropped; empty: at the end."""
        t = self.track
        middles = [] if t is None else [(self.chip_box(c).center().x(), c.step) for c in t.chips]
        return next((step for middle, step in sorted(middles) if middle > x and step != self._held), "")

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Drop."""
        before, held = self._before, self._held
        self._pressed, self._before, self._held, self._scrubbing = None, None, "", False
        if before is not None and held:
            self.model.move(held, before)
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Rehearse from a chip on."""
        chip = self.chip_at(point_at_100(event.position()))
        if chip is not None:
            self.model.set_seconds(chip.start)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Shift in time; with Ctrl zoom at the pointer."""
        turns = event.angleDelta().y() or event.angleDelta().x()
        at = point_at_100(event.position())
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom(1.0015**turns, at.x())
        else:
            self._show(self._first - turns / self._scale() / 2)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Walk from chip to chip, move, play, remove."""
        m, key = self.model, event.key()
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._walk(1 if key == Qt.Key.Key_Right else -1, moves=bool(
                event.modifiers() & Qt.KeyboardModifier.ControlModifier))  # fmt: skip
        elif key == Qt.Key.Key_Space:
            m.play()
        elif key == Qt.Key.Key_Delete:
            m.remove()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Minus):
            self.zoom(1.5 if key == Qt.Key.Key_Plus else 1 / 1.5, _NAMES)
        elif key == Qt.Key.Key_Home:
            m.set_seconds(0.0)
        else:
            super().keyPressEvent(event)

    def _walk(self, by: int, *, moves: bool) -> None:
        ids = [s.id for s in self.model.route.steps]
        if not ids:
            return
        now = ids.index(self.model.chosen[-1]) if self.model.chosen and self.model.chosen[-1] in ids else -1
        if moves and now >= 0:
            to = now + (2 if by > 0 else -1)
            if 0 <= now + by < len(ids):
                self.model.move(ids[now], ids[to] if to < len(ids) else "")
            return
        self.model.choose((ids[min(max(now + by, 0), len(ids) - 1)],))

    def event(self, event: QEvent) -> bool:
        """Tell what a chip is."""
        if isinstance(event, QHelpEvent):
            chip = self.chip_at(point_at_100(QPointF(event.pos())))
            text = "" if chip is None else "\n".join(filter(None, (
                chip.name, f"{clock(chip.start)}, {chip.seconds:.1f} s", "switched off" if not chip.on else "",
                chip.note)))  # fmt: skip
            QToolTip.showText(event.globalPos(), text, self)
            return True
        return super().event(event)


def clock(seconds: float) -> str:
    """Return an instant in words: seconds, or minutes and seconds."""
    if seconds < 60:
        return f"{seconds:g} s" if seconds == round(seconds) else f"{seconds:.1f} s"
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02d}"
