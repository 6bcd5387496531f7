"""The middle of the Set-up page: what to do now in big words, and how each check stands."""

from __future__ import annotations

import datetime

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.devices.portable.tile import paint_line
from truegauge.app.stages.devices.setup.model import SetupModel
from truegauge.app.widgets.painting import draw_marker
from truegauge.app.widgets.text_size import painter_on, room_of
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.device_checks.records import Check, CheckRecord
from truegauge.drawing.gauge_bar import DISC, RING, TRIANGLE_RIGHT
from truegauge.drawing.units import NumberFormat

_BIG = 56.0  # pixels, of a line that is read from afar
_LEFT = Qt.AlignmentFlag.AlignLeft
_MARKS = {"within": DISC, "outside": TRIANGLE_RIGHT, "": RING}


class SetupView(QWidget):
    """Painted whole, for somebody who stands at the part."""

    def __init__(self, model: SetupModel, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model, self._theme = model, theme
        self.setAccessibleName("Set-up checks")
        model.changed.connect(self.update)
        model.portable.changed.connect(self.update)
        theme.changed.connect(self.update)

    def texts(self, check: Check) -> tuple[str, str, str]:
        """Return the value of a check (empty: not done), what it is judged by, and when it is due."""
        m = self._model
        if m.line is None:
            return "", "", ""
        record, now = m.book.record(m.line), m.book.clock()
        last = record.last(check)
        if last is None:
            return "", check.how, "not done yet" if record.is_due(check, now) else "not asked for"
        judged = f"at most {self._value(last, last.limit)}" if last.limit > 0 else "nothing is stated to judge it by"
        on = datetime.datetime.fromisoformat(last.at).astimezone().strftime("%Y-%m-%d %H:%M")
        due = record.due_on(check)
        words = "never due" if due is None else f"due {due.astimezone():%Y-%m-%d}"
        late = "due now" if record.is_due(check, now) else words
        return self._value(last, last.value), f"{judged}; {last.words}" if last.words else judged, f"{on}, {late}"

    def _value(self, made: CheckRecord, value: float) -> str:
        if made.unit == "K":
            return f"{value:.2f} K"
        numbers = NumberFormat(self._model.session.plan.unit, self._model.session.plan.decimals)
        return f"{numbers.value(value)} {numbers.unit}"

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint it."""
        painter, t, m = painter_on(self), self._theme, self._model
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = room_of(self)
        painter.fillRect(room, QColor(t.view))
        box = room.adjusted(24, 18, -24, -18)
        doing, below = m.words()
        if m.line is None:
            paint_line(
                painter, QRectF(box.x(), box.y(), box.width(), 64), "Connect an arm or a tracker", _BIG, t.ink, _LEFT
            )
            return
        if not doing:
            count = len(m.due())
            doing = "All checks are done" if not count else f"{count} check{'' if count == 1 else 's'} due"
            below = below or m.line.device.own_identity
        paint_line(painter, QRectF(box.x(), box.y(), box.width(), 64), doing, _BIG, t.ink, _LEFT)
        painter.setFont(font(15))
        painter.setPen(QColor(t.soft))
        painter.drawText(QRectF(box.x(), box.y() + 66, box.width(), 24), Qt.AlignmentFlag.AlignLeft, below)
        top = box.y() + 108
        step = max(58.0, (box.bottom() - top) / len(Check))
        for k, check in enumerate(Check):
            self._card(painter, QRectF(box.x(), top + k * step, box.width(), step - 10), check)

    def _card(self, painter: QPainter, box: QRectF, check: Check) -> None:
        t, m = self._theme, self._model
        assert m.line is not None
        last = m.book.record(m.line).last(check)
        verdict = "" if last is None else last.verdict
        is_due = m.book.record(m.line).is_due(check, m.book.clock())
        color = {"within": t.within, "outside": t.outside, "": t.soft}[verdict]
        at_it = m.task is check
        painter.setPen(QPen(QColor(t.accent if at_it else t.rule), 2.0 if at_it else 1.0))
        painter.setBrush(QColor(t.accent_soft if at_it else t.raised))
        painter.drawRoundedRect(box, 8, 8)
        draw_marker(painter, _MARKS[verdict], QPointF(box.x() + 28, box.center().y()), 11.0, color)
        value, judged, when = self.texts(check)
        wide = max(150.0, 0.3 * box.width())
        left = QRectF(box.x() + 56, box.y() + 6, box.width() - 56 - wide - 16, box.height() - 12)
        painter.setPen(QColor(t.ink))
        painter.setFont(font(17, bold=True))
        painter.drawText(left, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, check.called)
        painter.setPen(QColor(t.soft))
        painter.setFont(font(12.5))
        painter.drawText(left.adjusted(0, 25, 0, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft
                         | Qt.TextFlag.TextWordWrap, judged)  # fmt: skip
        right = QRectF(box.right() - wide - 14, box.y() + 4, wide, box.height() - 8)
        if value:
            tall = max(26.0, right.height() - 22)
            where = QRectF(right.x(), right.y(), right.width(), tall)
            paint_line(painter, where, value, min(_BIG, tall), color, Qt.AlignmentFlag.AlignRight)
        painter.setPen(QColor(t.near if is_due else t.soft))
        painter.setFont(font(12.5, bold=is_due))
        side = Qt.AlignmentFlag.AlignBottom if value else Qt.AlignmentFlag.AlignVCenter
        painter.drawText(right, side | Qt.AlignmentFlag.AlignRight, when)
