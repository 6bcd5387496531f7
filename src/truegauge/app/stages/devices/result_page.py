"""The result of a qualification: the verdict, the numbers, every touch on the sphere, what to check, the history."""

import math
from itertools import pairwise

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.stylus_states import color_of, marker_of
from truegauge.app.widgets.painting import draw_marker
from truegauge.app.widgets.text_size import painter_on, room_of
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.arrays import any_perpendicular
from truegauge.core.probing.records import QualificationRecord, StylusState
from truegauge.drawing.units import NumberFormat
from truegauge.palette import MINUS, PLUS

_VERDICTS = {"good": "Good", "acceptable": "Acceptable", "look into it": "Look into it", "stop": "Stop: do not measure"}
_VERDICT_STATES = {"good": StylusState.QUALIFIED, "acceptable": StylusState.QUALIFIED,
                   "look into it": StylusState.DUE, "stop": StylusState.FAILED}  # fmt: skip


class ResultPage(QWidget):
    """Painted whole; shown while a stylus is chosen on the Qualify page."""

    def __init__(self, model: DevicesModel, theme: Theme, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._model, self.theme = model, theme
        self.setAccessibleName("Result of a qualification")
        model.changed.connect(self.update)

    def record(self) -> QualificationRecord | None:
        """The last qualification of the chosen stylus."""
        use = self._model.chosen_use
        return None if use is None else self._model.machine.record.latest(self._model.probing, use)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the page."""
        painter, t, use = painter_on(self), self.theme, self._model.chosen_use
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(room_of(self), QColor(t.view))
        if use is None:
            return
        record = self.record()
        room = room_of(self).adjusted(22, 16, -22, -14)
        self._title(painter, room, record)
        if record is None:
            painter.setPen(QColor(t.soft))
            painter.setFont(font(14))
            words = "It was never qualified as it is built now. Nothing is measured with it until it is."
            flags = Qt.AlignmentFlag.AlignHCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(room.adjusted(0, 120, 0, 0), flags, words)
            return
        numbers = QRectF(room.x(), room.y() + 74, room.width(), 112)
        self._numbers(painter, numbers, record)
        top = numbers.bottom() + 6
        history_height = 104.0
        height = max(120.0, room.bottom() - top - history_height - 12)
        half = room.width() * (0.5 if record.causes else 1.0)
        self._touches(painter, QRectF(room.x(), top, half - 8, height), record)
        if record.causes:
            self._causes(painter, QRectF(room.x() + half + 4, top, half - 4, height), record)
        self._history(painter, QRectF(room.x(), room.bottom() - history_height, room.width(), history_height))

    @property
    def _lengths(self) -> NumberFormat:
        return NumberFormat(self._model.session.plan.unit, 4)

    def _title(self, painter: QPainter, room: QRectF, record: QualificationRecord | None) -> None:
        t, m = self.theme, self._model
        assert m.chosen_use is not None
        said = m.machine.state(m.chosen_use, m.probing.moves.touch_speed)
        verdict = None if record is None else _VERDICT_STATES[record.verdict]
        state = said.state if verdict is None or said.state == StylusState.DUE else verdict
        draw_marker(painter, marker_of(state), QPointF(room.x() + 14, room.y() + 20), 12.0, color_of(state, t))
        painter.setPen(QColor(t.ink))
        painter.setFont(font(26, bold=True))
        words = "Not qualified" if record is None else _VERDICTS[record.verdict]
        if record is not None and said.state == StylusState.DUE:
            words += ", but due"
        painter.drawText(room.adjusted(38, 0, 0, 0), Qt.AlignmentFlag.AlignLeft, words)
        painter.setPen(QColor(t.soft))
        painter.setFont(font(13))
        name = m.probing.name_of(m.chosen_use)
        when = "" if record is None else f"   ·   {record.at.replace('T', ' ')}, {record.temperature_c:.1f} °C"
        painter.drawText(room.adjusted(0, 40, 0, 0), Qt.AlignmentFlag.AlignLeft, f"{name}{when}")
        if said.why and said.state != StylusState.FAILED and record is not None:
            painter.setPen(QColor(t.near))
            painter.drawText(room.adjusted(0, 57, 0, 0), Qt.AlignmentFlag.AlignLeft, said.why)

    def _numbers(self, painter: QPainter, box: QRectF, r: QualificationRecord) -> None:
        """Four numbers large, the offsets below."""
        t, v = self.theme, self._lengths.value
        limits = self._model.probing.limits
        speed = f"{r.touch_speed / 25.4:.3g} in/s" if self._lengths.unit == "inch" else f"{r.touch_speed:g} mm/s"
        cells = (
            ("effective diameter", v(r.diameter), f"entered {v(r.entered_diameter)}   ±{v(r.diameter_error)}"),
            ("standard deviation", v(r.deviation), f"good ≤ {v(limits.good)}, stop > {v(limits.look)}"),
            ("form (max - min)", v(r.form), f"{len(r.residuals)} touches at {speed}"),
        )
        width = box.width() / len(cells)
        for k, (word, value, small) in enumerate(cells):
            cell = QRectF(box.x() + k * width, box.y(), width - 8, 76)
            painter.setPen(QColor(t.soft))
            painter.setFont(font(12))
            painter.drawText(cell, Qt.AlignmentFlag.AlignLeft, word)
            painter.setPen(QColor(t.ink))
            painter.setFont(font(24, bold=True))
            painter.drawText(cell.adjusted(0, 16, 0, 0), Qt.AlignmentFlag.AlignLeft, value)
            painter.setPen(QColor(t.soft))
            painter.setFont(font(11.5))
            painter.drawText(cell.adjusted(0, 48, 0, 0), Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap, small)
        words = "   ".join(f"{n} {self._lengths.signed(x)}" for n, x in zip("XYZ", r.from_master, strict=True))
        words += f"   ±{v(max(r.offset_errors))}"
        painter.setPen(QColor(t.ink))
        painter.setFont(font(13))
        text = (
            "the master stylus: all offsets are seen from it"
            if r.master
            else f"from the master, {self._lengths.unit}:   {words}"
        )
        painter.drawText(QRectF(box.x(), box.y() + 84, box.width(), 22), Qt.AlignmentFlag.AlignLeft, text)

    def _touches(self, painter: QPainter, box: QRectF, r: QualificationRecord) -> None:
        """The sphere seen along the stylus: each touch where it was, with its residual in micrometres."""
        t = self.theme
        small, factor = ("µin", 1e6 / 25.4) if self._lengths.unit == "inch" else ("µm", 1000.0)
        radius = min(box.width() / 2 - 44, box.height() / 2 - 20)
        middle = QPointF(box.center().x(), box.center().y() + 6)
        directions = np.array(r.directions)
        use = self._model.chosen_use
        assert use is not None
        pole = -self._model.probing.assembly(use.assembly).stylus(use.stylus, use.pose).direction
        x = any_perpendicular(pole)
        y = np.cross(pole, x)
        painter.setPen(QPen(QColor(t.rule), 1.2))
        painter.setBrush(QColor(t.raised))
        painter.drawEllipse(middle, radius, radius)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(t.rule), 1, Qt.PenStyle.DotLine))
        painter.drawEllipse(middle, radius / 2, radius / 2)
        painter.setPen(QColor(t.soft))
        painter.setFont(font(12))
        painter.drawText(QRectF(box.x(), box.y() - 2, box.width(), 18), Qt.AlignmentFlag.AlignLeft,
                         f"residuals, {small}, seen along the stylus")  # fmt: skip
        worst = max(1e-9, max(abs(v) for v in r.residuals))
        widest = max(np.arccos(np.clip(directions @ pole, -1, 1)).max(), np.radians(60.0))
        for k, (d, residual) in enumerate(zip(directions, r.residuals, strict=True)):
            angle = math.acos(max(-1.0, min(1.0, float(d @ pole))))
            turn = math.atan2(float(d @ y), float(d @ x))
            at = middle + radius * angle / widest * QPointF(math.cos(turn), -math.sin(turn))
            size = 5.0 + 9.0 * abs(residual) / worst
            painter.setPen(QPen(QColor(t.ink), 1))
            painter.setBrush(QColor(PLUS if residual > 0 else MINUS))
            painter.drawEllipse(at, size, size)
            painter.setPen(QColor(t.ink))
            painter.setFont(font(12, bold=abs(residual) == worst))
            painter.drawText(QPointF(at.x() + size + 3, at.y() + 5), f"{k + 1}: {factor * residual:+.1f}")

    def _causes(self, painter: QPainter, box: QRectF, r: QualificationRecord) -> None:
        """What to look for, in the order to check it."""
        t = self.theme
        painter.setPen(QColor(t.ink))
        painter.setFont(font(14, bold=True))
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft, "Check, in this order")
        y = box.y() + 26
        for k, (what, why, likely) in enumerate(r.causes):
            area = QRectF(box.x() + 22, y, box.width() - 24, 60)
            painter.setPen(QColor(t.outside if likely else t.ink))
            painter.setFont(font(13, bold=likely))
            painter.drawText(QPointF(box.x(), y + 12), f"{k + 1}")
            flags = Qt.AlignmentFlag.AlignLeft | Qt.TextFlag.TextWordWrap
            used = painter.boundingRect(area, flags, what)
            painter.drawText(area, flags, what)
            painter.setPen(QColor(t.soft))
            painter.setFont(font(11.5))
            below = QRectF(area.x(), y + used.height() + 1, area.width(), 40)
            more = painter.boundingRect(below, flags, why)
            painter.drawText(below, flags, why)
            y += used.height() + more.height() + 9

    def _history(self, painter: QPainter, box: QRectF) -> None:
        """Effective diameter over time, and the standard deviation beside it."""
        m, t = self._model, self.theme
        assert m.chosen_use is not None
        known = m.machine.record.history(m.probing, m.chosen_use)[-30:]
        painter.setPen(QColor(t.soft))
        painter.setFont(font(12))
        count = f"{len(known)} qualification{'s' if len(known) != 1 else ''}"
        painter.drawText(box, Qt.AlignmentFlag.AlignLeft, f"history of {count}: effective diameter")
        area = box.adjusted(6, 24, -90, -18)
        values = [q.diameter for q in known]
        low, high = min(values), max(values)
        reach = max(high - low, 0.001)
        middle = (low + high) / 2
        painter.setPen(QPen(QColor(t.rule), 1))
        painter.drawLine(QLineF(area.bottomLeft(), area.bottomRight()))
        places = []
        for k, q in enumerate(known):
            x = area.x() + area.width() * (k / max(1, len(known) - 1) if len(known) > 1 else 0.0) + 6
            places.append(QPointF(x, area.center().y() - (q.diameter - middle) / reach * area.height() * 0.8))
        painter.setPen(QPen(QColor(t.soft), 1.2))
        for a, b in pairwise(places):
            painter.drawLine(QLineF(a, b))
        for q, at in zip(known, places, strict=True):
            state = _VERDICT_STATES[q.verdict]
            draw_marker(painter, marker_of(state), at, 5.0, color_of(state, t))
        painter.setPen(QColor(t.ink))
        painter.setFont(font(12))
        painter.drawText(QRectF(area.right() + 10, area.center().y() - 20, 84, 40), Qt.AlignmentFlag.AlignLeft,
                         f"{high:.4f}\n{low:.4f}")  # fmt: skip
        painter.setPen(QColor(t.soft))
        painter.drawText(QRectF(area.x(), area.bottom() + 2, area.width(), 16), Qt.AlignmentFlag.AlignLeft,
                         known[0].at[:10])  # fmt: skip
        if len(known) > 1:
            painter.drawText(QRectF(area.x(), area.bottom() + 2, area.width(), 16), Qt.AlignmentFlag.AlignRight,
                             known[-1].at[:10])  # fmt: skip
