"""What came of the last check of the machine, and of those before it."""

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.widgets.painting import draw_marker
from truegauge.app.widgets.text_size import painter_on, room_of
from truegauge.app.widgets.theme import LiveTheme, font
from truegauge.core.probing.machine_check import MachineCheck, Verdict
from truegauge.drawing.gauge_bar import DIAMOND, DISC, RING, TRIANGLE_RIGHT
from truegauge.drawing.units import NumberFormat

_TITLES = {"within": "The machine is as stated", "outside": "The machine is worse than stated",
           "undecided": "Undecided: at the limit", "": "Checked; nothing is stated to judge it by"}  # fmt: skip
_MARKS = {"within": DISC, "outside": TRIANGLE_RIGHT, "undecided": DIAMOND, "": RING}
_SHOWN = 24  # checks of the trend


class CheckResult(QWidget):
    """Painted whole: verdict, numbers, every length against what is stated, and the trend."""

    def __init__(self, model: DevicesModel, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model, self._theme = model, theme
        self.setAccessibleName("Check of the machine")
        model.changed.connect(self.update)

    @property
    def _lengths(self) -> NumberFormat:
        return NumberFormat(self._model.session.plan.unit, 4)

    def color(self, verdict: Verdict) -> str:
        """Return the colour of a verdict."""
        t = self._theme
        return {"within": t.within, "outside": t.outside, "undecided": t.near, "": t.soft}[verdict]

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint it."""
        painter, t, check = painter_on(self), self._theme, self._model.checking.last
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(room_of(self), QColor(t.view))
        if check is None:
            return
        room = room_of(self).adjusted(22, 16, -22, -14)
        draw_marker(painter, _MARKS[check.verdict], QPointF(room.x() + 14, room.y() + 20), 12.0,
                    self.color(check.verdict))  # fmt: skip
        painter.setPen(QColor(t.ink))
        painter.setFont(font(26, bold=True))
        painter.drawText(room.adjusted(38, 0, 0, 0), Qt.AlignmentFlag.AlignLeft, _TITLES[check.verdict])
        painter.setPen(QColor(t.soft))
        painter.setFont(font(13))
        warm = "" if check.temperature_c is None else f", {check.temperature_c:.1f} °C"
        who = f", {check.operator}" if check.operator else ""
        words = f"{check.at.replace('T', ' ')}{warm}   ·   {check.stylus}{who}"
        painter.drawText(room.adjusted(0, 42, 0, 0), Qt.AlignmentFlag.AlignLeft, words)
        self._numbers(painter, QRectF(room.x(), room.y() + 76, room.width(), 78), check)
        trend = 112.0
        top = room.y() + 166
        if check.lengths:
            self._plot(painter, QRectF(room.x(), top, room.width(), room.bottom() - top - trend - 14), check)
        self._trend(painter, QRectF(room.x(), room.bottom() - trend, room.width(), trend))

    def _numbers(self, painter: QPainter, box: QRectF, check: MachineCheck) -> None:
        v, s, unit, u = self._lengths.value, self._lengths.signed, self._lengths.unit, check.stated
        limit = f"stated {v(u.probing)}" if u.probing > 0 else "nothing stated"
        cells: list[tuple[str, str, str, Verdict]] = []
        if check.form is not None and check.size is not None:
            cells.append(("form on the sphere", v(check.form), limit, check.of_form))
            cells.append(("size of the sphere", s(check.size), limit, check.of_size))
        worst = check.worst()
        if worst is not None:
            allowed = check.allowed(worst.length)
            said = f"stated {v(allowed)}" if allowed > 0 else "nothing stated"
            small = f"in {NumberFormat(unit, 0).value(worst.length)} {unit}, {said}"
            cells.append(("worst length", s(worst.error), small, check.of_lengths))
        width = box.width() / max(len(cells), 1)
        for k, (word, value, small, verdict) in enumerate(cells):
            cell = QRectF(box.x() + k * width, box.y(), width - 8, 76)
            for size, bold, color, down, text in (
                (12.0, False, self._theme.soft, 0, word), (24.0, True, self.color(verdict), 16, value),
                (11.5, False, self._theme.soft, 50, small),
            ):  # fmt: skip
                painter.setPen(QColor(color if verdict or down != 16 else self._theme.ink))
                painter.setFont(font(size, bold=bold))
                flags = Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap
                painter.drawText(cell.adjusted(0, down, 0, 0), flags, text)

    def _plot(self, painter: QPainter, box: QRectF, check: MachineCheck) -> None:
        """Errors over lengths, between what is stated."""
        t, s = self._theme, self._lengths.signed
        lengths = np.array([e.length for e in check.lengths])
        errors = np.array([e.error for e in check.lengths])
        longest = float(lengths.max()) * 1.05
        limits = np.array([check.allowed(0.0), check.allowed(longest)])
        top = 1.25 * max(float(np.abs(errors).max()), float(limits.max()), 1e-5)
        plot = box.adjusted(64, 22, -8, -22)
        self._heading(painter, box, "error of each length")

        def at(length: float, error: float) -> QPointF:
            return QPointF(
                plot.x() + plot.width() * length / longest, plot.center().y() - plot.height() * error / (2 * top)
            )

        painter.setPen(QPen(QColor(t.rule), 1.0))
        painter.drawLine(at(0, 0), at(longest, 0))
        if limits.max() > 0:
            painter.setPen(QPen(QColor(t.ink), 1.2, Qt.PenStyle.DashLine))
            for sign in (1, -1):
                painter.drawLine(at(0, sign * limits[0]), at(longest, sign * limits[1]))
        painter.setFont(font(11.5))
        painter.setPen(QColor(t.soft))
        for value in (top / 1.25, 0.0, -top / 1.25):
            y = at(0, value).y()
            painter.drawText(QRectF(box.x(), y - 8, 58, 16), Qt.AlignmentFlag.AlignRight, s(value))
        for length in sorted(set(lengths.tolist())):
            x = at(length, 0).x()
            painter.drawText(QRectF(x - 40, plot.bottom() + 4, 80, 16), Qt.AlignmentFlag.AlignHCenter,
                             NumberFormat(self._lengths.unit, 0).value(length))  # fmt: skip
        for e in check.lengths:
            verdict = MachineCheck(at="", lengths=(e,), stated=check.stated, gauge_uncertainty=check.gauge_uncertainty,
                                   gauge_expansion=check.gauge_expansion,
                                   temperature_c=check.temperature_c).of_lengths  # fmt: skip
            draw_marker(painter, _MARKS[verdict], at(e.length, e.error), 4.6, self.color(verdict))

    def _trend(self, painter: QPainter, box: QRectF) -> None:
        """The largest error of each check as a share of what was stated then."""
        t = self._theme
        checks = self._model.machine.record.checks[-_SHOWN:]
        shares = [c.share() for c in checks]
        known = [v for v in shares if v is not None]
        self._heading(painter, box, "checks so far: largest error as a share of what is stated")
        plot = box.adjusted(64, 26, -8, -18)
        painter.setFont(font(11.5))
        painter.setPen(QColor(t.soft))
        if not known:
            painter.drawText(plot, Qt.AlignmentFlag.AlignLeft, "Nothing was stated in any of them.")
            return
        top = 1.2 * max(*known, 1.0)
        y = plot.bottom() - plot.height() / top
        painter.drawText(QRectF(box.x(), y - 8, 58, 16), Qt.AlignmentFlag.AlignRight, "100 %")
        painter.setPen(QPen(QColor(t.ink), 1.2, Qt.PenStyle.DashLine))
        painter.drawLine(QLineF(plot.x(), y, plot.right(), y))
        painter.setPen(QPen(QColor(t.rule), 1.0))
        painter.drawLine(plot.bottomLeft(), plot.bottomRight())
        step = plot.width() / max(len(checks), 6)
        for k, (check, share) in enumerate(zip(checks, shares, strict=True)):
            x = plot.x() + (k + 0.5) * step
            if share is not None:
                place = QPointF(x, plot.bottom() - plot.height() * share / top)
                draw_marker(painter, _MARKS[check.verdict], place, 5.0, self.color(check.verdict))
            if k in (0, len(checks) - 1):
                painter.setPen(QColor(t.soft))
                label = QRectF(x - 44, plot.bottom() + 2, 88, 16)
                label.moveLeft(max(box.x(), min(label.x(), box.right() - 88)))
                painter.drawText(label, Qt.AlignmentFlag.AlignHCenter, check.at[:10])

    def _heading(self, painter: QPainter, box: QRectF, words: str) -> None:
        painter.setPen(QColor(self._theme.ink))
        painter.setFont(font(12.5, bold=True))
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft, words)
