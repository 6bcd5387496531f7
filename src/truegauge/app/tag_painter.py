"""The tags over the view: results that point at the place on the part that they belong to."""

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen

from truegauge.app.frame_painter import draw_frame, frame_width
from truegauge.app.painting import draw_gauge_bar, draw_marker, state_marker
from truegauge.app.session import Session
from truegauge.app.tags import FRAMED, HEIGHT, Tag, place_tags
from truegauge.app.theme import Theme, font, state_color
from truegauge.core.cad.recognition import Nominal
from truegauge.core.plan.results import Result
from truegauge.core.tolerancing.judgement import State
from truegauge.core.tolerancing.kinds import KINDS
from truegauge.rendering.camera import Camera
from truegauge.reporting.frame_cells import has_frame
from truegauge.reporting.units import NumberFormat

_TAGS = 8
_FRAME = 18.0


def _tagged(session: Session, camera: Camera) -> list[tuple[Result, np.ndarray]]:
    """The results with a tag: the selected one, then what is outside or near."""
    s = session
    evaluation, evaluator = s.evaluation, s.evaluator
    if evaluation is None or evaluator is None or s.stage in ("part", "align"):
        return []
    rank = {State.OUTSIDE: 1, State.NEAR: 2}
    chosen = [
        (0 if r.characteristic.id == s.selected_characteristic else rank.get(r.state, 9), r) for r in evaluation.results
    ]
    chosen = sorted((c for c in chosen if c[0] < (1 if s.show_why else 9)), key=lambda c: c[0])[:_TAGS]
    tagged = []
    for _, r in chosen:
        sketch = None if r.outcome is None else r.outcome.sketch
        nominal = evaluator.nominal(s.plan.named(r.characteristic.features[0]).group, s.plan)
        if sketch is not None and (len(r.characteristic.features) > 1 or not isinstance(nominal, Nominal)):
            tagged.append((r, sketch.places[sketch.worst]))  # of several features the one that decides
        elif isinstance(nominal, Nominal):
            tagged.append((r, _anchor(nominal, camera)))
    return tagged


def paint_tags(painter: QPainter, session: Session, camera: Camera, theme: Theme, view: QRectF) -> None:
    """Paint the tags of the selected result and of what is outside or near."""
    lengths = NumberFormat(session.plan.unit, session.plan.decimals)
    bold, plain = font(13, bold=True), font(12)
    tags = []
    for result, anchor in _tagged(session, camera):
        x, y, _ = camera.project(anchor, view.width() / max(1.0, view.height()))[0]
        c = result.characteristic
        title = f"{c.number}  {c.name}"
        kind = KINDS.get(c.kind)
        numbers = lengths.of(c.kind)
        value = "not measured" if result.measured is None else numbers.value(result.measured)
        detail = ""
        if result.measured is not None and result.deviation is not None:
            one_sided = kind is not None and kind.one_sided and result.upper is not None
            detail = f"of {numbers.value(result.upper or 0)}" if one_sided else numbers.signed(result.deviation)
        framed = has_frame(c)
        width = max(
            frame_width(c, numbers, _FRAME) + 24 if framed else 120.0,
            QFontMetricsF(plain).horizontalAdvance(title) + 42,
            QFontMetricsF(bold).horizontalAdvance(value) + QFontMetricsF(plain).horizontalAdvance(detail) + 36,
        )
        anchored = QPointF(x * view.width(), y * view.height())
        tags.append(Tag(result, title, value, detail, anchored, width, HEIGHT + (FRAMED if framed else 0.0)))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    area = view.adjusted(12, 12, -108, -92)
    for tag, box in place_tags(tags, area):
        _paint_tag(painter, tag, box, (bold, plain), theme, session)


def _paint_tag(
    painter: QPainter, tag: Tag, box: QRectF, fonts: tuple[QFont, QFont], theme: Theme, session: Session
) -> None:
    bold, plain = fonts
    t = theme
    color = QColor(state_color(t, str(tag.result.state)))
    selected = tag.result.characteristic.id == session.selected_characteristic
    start = QPointF(box.right() if tag.anchor.x() > box.right() else box.left(), box.center().y())
    if box.left() <= tag.anchor.x() <= box.right():
        start = QPointF(box.center().x(), box.bottom() if tag.anchor.y() > box.bottom() else box.top())
    painter.setPen(QPen(QColor(t.ink), 1))
    painter.drawLine(start, tag.anchor)
    painter.setBrush(QColor(t.ink))
    painter.drawEllipse(tag.anchor, 2.4, 2.4)
    painter.setPen(QPen(QColor(t.accent if selected else t.ink), 1.6 if selected else 1))
    painter.setBrush(QColor(t.raised))
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    painter.drawRect(QRectF(box.left(), box.top() + 1, 4, box.height() - 2))
    painter.setPen(QColor(t.ink))
    painter.setFont(plain)
    painter.drawText(QPointF(box.left() + 12, box.top() + 17), tag.title)
    draw_marker(painter, state_marker(tag.result), QPointF(box.right() - 13, box.top() + 12), 4, color.name())
    c = tag.result.characteristic
    plan = session.plan
    top = box.top() + 24
    if has_frame(c):  # the frame as on the drawing, the result under it
        numbers = NumberFormat(plan.unit, plan.decimals).of(c.kind)
        draw_frame(painter, c, numbers, QPointF(box.left() + 12, top), _FRAME, t.ink)
        top += FRAMED
    painter.setPen(QColor(t.ink))
    painter.setFont(bold)
    painter.drawText(QPointF(box.left() + 12, top + 12), tag.value)
    advance = QFontMetricsF(bold).horizontalAdvance(tag.value)
    painter.setFont(plain)
    painter.setPen(QColor(t.soft))
    painter.drawText(QPointF(box.left() + 20 + advance, top + 12), tag.detail)
    draw_gauge_bar(painter, QRectF(box.left() + 12, top + 20, box.width() - 24, 16), tag.result, t)


def _anchor(nominal: Nominal, camera: Camera | None) -> np.ndarray:
    """Return a place on the feature for the foot of a tag's line: the end of an axis that faces the eye."""
    feature = nominal.feature
    radius = getattr(feature, "radius", None)
    direction = getattr(feature, "direction", None)
    if radius is not None and direction is not None:
        toward = 1.0 if camera is None or float(direction @ camera.back) >= 0 else -1.0
        return np.asarray(nominal.center + 0.5 * nominal.length * direction * toward)
    return nominal.center
