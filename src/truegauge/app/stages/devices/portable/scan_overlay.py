"""What is painted over the part while it is scanned: advice and coverage, to be read from three metres."""

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.app.widgets.theme import Theme, font
from truegauge.drawing.units import NumberFormat
from truegauge.rendering.camera import Camera

_MARGIN = 18.0
_BEHIND = 120  # blocks that wait: some seconds of a fast scanner
_RIGHT = 112.0  # that the scale has


class ScanOverlay:
    """Painted by the view in the Devices stage."""

    def __init__(self, scan: ScanModel) -> None:
        self._scan = scan

    @property
    def hand(self) -> None:
        """Nothing is dragged."""

    def freedoms(self) -> None:
        """Alignments are not the question here."""

    def texts(self) -> tuple[str, str, str]:
        """Return the advice (empty: all is well), how much is seen, and the small line below."""
        state, plan = self._scan.state, self._scan.session.plan
        numbers = NumberFormat(plan.unit, plan.decimals)
        advice = "" if state.advice is None else state.advice.what_to_do
        if state.behind > _BEHIND:
            advice = "Rest a moment: this computer catches up"
        if state.one_of > 1:
            advice = f"Too fast for this computer: it takes 1 point of {state.one_of}"
        if state.mesh is None:
            return "", "Getting ready", ""
        coverage = f"{100 * state.coverage:.0f} %" if self._scan.is_aligned else f"{state.kept:,} points"
        words = f"{state.kept:,} points kept of {state.came:,}, {numbers.value(state.spacing)} {numbers.unit} apart"
        if state.fastest:
            words += f"; {state.speed:.0f} of at most {state.fastest:.0f} mm/s"
        if not self._scan.is_aligned:
            words += "; compared as soon as the part is aligned"
        return advice, coverage, words

    def paint(self, painter: QPainter, camera: Camera, theme: Theme, size: QSize) -> None:
        """Paint it."""
        if not self._scan.on:
            return
        painter.save()
        painter.setRenderHints(QPainter.RenderHint.Antialiasing | QPainter.RenderHint.TextAntialiasing)
        self._paint_line(painter, camera, theme, size)
        advice, coverage, words = self.texts()
        room = QRectF(_MARGIN, _MARGIN, size.width() - 2 * _MARGIN - _RIGHT, size.height() - 2 * _MARGIN)
        tall = max(40.0, 0.13 * size.height())
        self._say(painter, theme, QRectF(room.left(), room.top(), room.width(), tall), coverage, theme.ink)
        self._say(painter, theme, QRectF(room.left(), room.top() + tall, room.width(), 22.0), words, theme.soft)
        if advice:
            box = QRectF(room.left(), room.bottom() - tall - 60.0, room.width(), 0.8 * tall)
            self._say(painter, theme, box, advice, theme.outside, filled=True)
        painter.restore()

    def _say(
        self, painter: QPainter, theme: Theme, box: QRectF, text: str, color: str, *, filled: bool = False
    ) -> None:  # fmt: skip
        """Paint a line as high as its box, smaller where it is too wide."""
        size = 0.78 * box.height()
        wide = QFontMetricsF(font(size, bold=True)).horizontalAdvance(text)
        if wide > 0.94 * box.width():
            size *= 0.94 * box.width() / wide
            wide = 0.94 * box.width()
        painter.setFont(font(size, bold=True))
        back = QRectF(box.left() - 8, box.top(), wide + 28, box.height())
        paper = QColor(color if filled else theme.view)
        paper.setAlpha(255 if filled else 190)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(paper)
        painter.drawRoundedRect(back, 6, 6)
        painter.setPen(QColor(theme.raised if filled else color))
        painter.drawText(box.adjusted(4, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

    def _paint_line(self, painter: QPainter, camera: Camera, theme: Theme, size: QSize) -> None:
        """Paint the line of the scanner, and the light that makes it."""
        state = self._scan.state
        if not len(state.line):
            return
        aspect = size.width() / max(1, size.height())
        places = camera.project(state.line, aspect)[:, :2] * (size.width(), size.height())
        if state.scanner is not None:
            at = camera.project(state.scanner[None], aspect)[0, :2] * (size.width(), size.height())
            beam = QColor(theme.accent)
            beam.setAlpha(70)
            painter.setPen(QPen(beam, 1.0))
            for x, y in places[:: max(1, len(places) // 12)]:
                painter.drawLine(QPointF(*at), QPointF(x, y))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(theme.accent))
        for x, y in places:
            painter.drawEllipse(QPointF(x, y), 2.0, 2.0)
