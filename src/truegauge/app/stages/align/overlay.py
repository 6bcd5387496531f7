"""What the Align stage paints over the view: the dial, the targets with their deviations, frames, and the guide."""

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.widgets.dial import draw_dial
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.arrays import Vector
from truegauge.core.datums.freedoms import Freedoms
from truegauge.core.frames import invert
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import ReportFrame
from truegauge.core.plan.alignments import (
    AnyAlignment,
    DatumAlignment,
    GuidedAlignment,
    MatchedPointAlignment,
    ReferencePointAlignment,
)
from truegauge.core.registration.alignment import Alignment
from truegauge.drawing.units import NumberFormat
from truegauge.palette import MINUS, PLUS
from truegauge.rendering.camera import Camera

DIAL_RADIUS = 52
_LONGEST = 46.0  # pixels of the longest needle


class AlignOverlay:
    """Painted by the view in the Align stage."""

    def __init__(self, align: AlignModel, guide: GuideModel) -> None:
        self._align, self._guide = align, guide

    hand = None

    def freedoms(self) -> Freedoms:
        """Who holds what in the chosen alignment."""
        return self._align.freedoms_of(self._align.own.id)

    def paint(self, painter: QPainter, camera: Camera, theme: Theme, size: QSize) -> None:
        """Paint everything."""
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        place = _Places(camera, size)
        self._frames(painter, place, theme)
        self._targets(painter, place, theme)
        draw_dial(painter, QPointF(150, size.height() - 78), DIAL_RADIUS, self.freedoms(), theme)
        if isinstance(self._align.own, GuidedAlignment):
            self._guide_text(painter, place, theme, size)
        painter.restore()

    # Frames --------------------------------------------------------------------------------------------------------

    def _frames(self, painter: QPainter, place: "_Places", theme: Theme) -> None:
        """Draw the frame that the chosen alignment reports in, with its name, where it is not the part's own."""
        session = self._align.session
        if session.evaluator is None or session.model is None:
            return
        frame = session.evaluator.context(session.plan, None, self._align.own.id).get(ReportFrame())
        if isinstance(frame, NotComputed):
            return
        own = np.allclose(frame, np.eye(4), atol=1e-12)
        part_from_frame = invert(frame)
        origin, length = part_from_frame[:3, 3], 0.13 * session.model.diagonal
        axes = part_from_frame[:3, :3].T
        start = place.at(origin)
        painter.setFont(font(12, bold=True))
        for name, axis in zip("xyz", axes, strict=True):
            end = place.at(origin + length * axis)
            painter.setPen(QPen(QColor(theme.soft if own else theme.accent), 1.4 if own else 2.4))
            painter.drawLine(QLineF(start, end))
            out = end - start
            reach = max(1.0, (out.x() ** 2 + out.y() ** 2) ** 0.5)
            painter.drawText(QRectF(end.x() + 9 * out.x() / reach - 9, end.y() + 9 * out.y() / reach - 9, 18, 18),
                             Qt.AlignmentFlag.AlignCenter, name)  # fmt: skip
        if not own:
            _chip(painter, self._align.own.name, start + QPointF(8, 20), theme)

    # Targets -------------------------------------------------------------------------------------------------------

    def _targets(self, painter: QPainter, place: "_Places", theme: Theme) -> None:
        own, result = self._align.own, self._align.result
        session = self._align.session
        numbers = NumberFormat(session.plan.unit, session.plan.decimals)
        planned = self._planned(own)
        behind = self._behind(own, place.camera)
        told = {t.name: t for t in result.targets} if isinstance(result, Alignment) else {}
        longest = max((t.length for t in told.values() if t.used), default=0.0)
        smallest = 0.5 * numbers.step  # what shows as zero has no needle
        factor = _needle_factor(longest, place.mm_per_pixel) if longest > smallest else 0.0
        taken: list[QRectF] = []
        following = self._guide.current() if isinstance(own, GuidedAlignment) else None
        for name, at in planned.items() or {t.name: t.place for t in told.values()}.items():
            spot = place.at(at)
            target = told.get(name)
            known = target is not None and (target.used or target.length > 0)
            poor = target is not None and target.poor
            color = QColor(theme.outside if poor else theme.accent if known else theme.soft)
            chosen = name == self._align.chosen_target
            wanted = following is not None and following[0].name == name
            dashes = Qt.PenStyle.DotLine if name in behind else Qt.PenStyle.SolidLine
            if wanted:
                painter.setPen(QPen(QColor(theme.accent), 4, dashes))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(spot, 19, 19)
                painter.drawEllipse(spot, 4, 4)
            painter.setPen(QPen(color, 2.6 if chosen else 1.8, dashes))
            painter.setBrush(Qt.BrushStyle.NoBrush if name in behind else QColor(theme.raised))
            painter.drawEllipse(spot, 5.5, 5.5)
            if target is not None and known and factor > 0:
                tip = place.at(at + factor * target.deviation)
                painter.setPen(QPen(QColor(PLUS if _outward(target.deviation, at, place) else MINUS), 2.4))
                painter.drawLine(QLineF(spot, tip))
            text = name
            if target is not None and known:
                text += f"  {numbers.value(target.length)}"
            text += "  behind" if name in behind else ""
            where = spot + QPointF(11, -9)
            while any(box.contains(where + QPointF(20, 0)) or box.contains(where + QPointF(60, 0)) for box in taken):
                where += QPointF(0, 22)
            taken.append(_chip(painter, text, where, theme, strong=chosen or wanted, alert=poor))
        if factor > 0 and told:
            text = f"needles {factor:,.0f} times, longest {numbers.value(longest)} {numbers.unit}"
            _chip(painter, text, QPointF(14, 62), theme)

    @staticmethod
    def _behind(own: AnyAlignment, camera: Camera) -> frozenset[str]:
        """Return the targets of a guided alignment that lie on sides which the eye does not see."""
        targets = own.targets if isinstance(own, GuidedAlignment) else ()
        return frozenset(t.name for t in targets if float(np.array(t.direction) @ camera.back) < 0)

    def _planned(self, own: AnyAlignment) -> dict[str, Vector]:
        """Return where the targets lie on the part, also of those not measured yet."""
        if isinstance(own, GuidedAlignment):
            return {t.name: np.array(t.place) for t in own.targets}
        places: dict[str, Vector] = {}
        if isinstance(own, ReferencePointAlignment | MatchedPointAlignment):
            for p in own.points:
                found = self._feature_place(p.feature) if p.feature else np.array(p.place)
                if found is not None:
                    places[p.name or self._align.session.plan.feature(p.feature).name] = found
        elif isinstance(own, DatumAlignment):
            plan = self._align.session.plan
            for use in own.datums:
                found = self._feature_place(use.feature)
                letter = next((d.letter for d in plan.datums if d.feature == use.feature), "")
                if found is not None:
                    places[letter or plan.feature(use.feature).name] = found
        return places

    def _feature_place(self, feature_id: str) -> Vector | None:
        session = self._align.session
        if session.evaluator is None or not session.plan.has_feature(feature_id):
            return None
        nominal = session.evaluator.nominal(session.plan.feature(feature_id).group, session.plan)
        return None if isinstance(nominal, NotComputed) else nominal.center

    # Guide ---------------------------------------------------------------------------------------------------------

    def _guide_text(self, painter: QPainter, place: "_Places", theme: Theme, size: QSize) -> None:
        """Say in big type what to touch next, and how far along it is."""
        big, small = self._guide.text()
        own = self._guide.own
        targets = own.targets if own else ()
        done = sum(a >= b for a, b in map(self._guide.count, targets))
        if targets:
            small = f"{small}  ·  {done} of {len(targets)} targets"
        width = max(QFontMetricsF(font(34, bold=True)).horizontalAdvance(big),
                    QFontMetricsF(font(14)).horizontalAdvance(small)) + 44  # fmt: skip
        room = size.width() - 60.0
        small_size = 14 if width < room else 12
        width = min(width, room)
        box = QRectF((size.width() - width) / 2, 88, width, 84)
        painter.setPen(QPen(QColor(theme.accent), 1.4))
        painter.setBrush(QColor(theme.raised))
        painter.drawRoundedRect(box, 10, 10)
        painter.setPen(QColor(theme.ink))
        painter.setFont(
            font(34 if QFontMetricsF(font(34, bold=True)).horizontalAdvance(big) < width else 24, bold=True)
        )
        painter.drawText(box.adjusted(0, 8, 0, -32), Qt.AlignmentFlag.AlignCenter, big)
        painter.setFont(font(small_size))
        painter.setPen(QColor(theme.soft))
        painter.drawText(box.adjusted(12, 52, -12, -6), Qt.AlignmentFlag.AlignCenter, small)


class _Places:
    """From places on the part to pixels."""

    def __init__(self, camera: Camera, size: QSize) -> None:
        self.camera, self._width, self._height = camera, size.width(), size.height()

    @property
    def mm_per_pixel(self) -> float:
        return self.camera.height / max(1, self._height)

    def at(self, point: Vector) -> QPointF:
        x, y, _ = self.camera.project(point[None], self._width / max(1, self._height))[0]
        return QPointF(x * self._width, y * self._height)


def _needle_factor(longest: float, mm_per_pixel: float) -> float:
    if longest < 1e-9:
        return 0.0
    wanted = _LONGEST * mm_per_pixel / longest
    power = 10.0 ** np.floor(np.log10(wanted))
    return float(max(k * power for k in (1, 2, 5) if k * power <= wanted))


def _outward(deviation: Vector, at: Vector, place: _Places) -> bool:
    """Tell whether a deviation shows in the colour of plus: towards growing coordinates."""
    k = int(np.argmax(np.abs(deviation)))
    return bool(deviation[k] > 0)


def _chip(
    painter: QPainter, text: str, at: QPointF, theme: Theme, *, strong: bool = False, alert: bool = False
) -> QRectF:
    painter.setFont(font(12.5, bold=strong))
    width = painter.fontMetrics().horizontalAdvance(text) + 14
    box = QRectF(at.x(), at.y() - 10, width, 21)
    painter.setPen(QPen(QColor(theme.outside if alert else theme.accent if strong else theme.rule), 1.2))
    painter.setBrush(QColor(theme.raised))
    painter.drawRoundedRect(box, 5, 5)
    painter.setPen(QColor(theme.outside if alert else theme.ink))
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)
    return box.adjusted(-2, -11, 2, 11)
