"""The tags over the view: results that point at the place on the part that they belong to."""

from dataclasses import dataclass, field

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from truegauge.app.frame_painter import draw_frame, frame_width
from truegauge.app.painting import draw_gauge_bar, draw_marker, state_marker
from truegauge.app.session import Session
from truegauge.app.theme import Theme, font, state_color
from truegauge.core.evaluation.results import Result
from truegauge.rendering.camera import Camera
from truegauge.rendering.tag_anchors import compared_delta, tag_anchor
from truegauge.reporting.tag_layout import Box, Placed, TagBox, place_tags
from truegauge.reporting.tag_text import TagText, tag_text, tagged_results
from truegauge.reporting.units import NumberFormat

_FRAME = 18.0
_LINE, _VALUE, _GAUGE, _FRAMED = 17.0, 19.0, 20.0, 24.0


@dataclass(slots=True)
class TagsShown:
    """What was painted last: the box of each tag by the id of its characteristic, and its slot."""

    boxes: dict[str, QRectF] = field(default_factory=dict)
    slots: dict[str, int] = field(default_factory=dict)
    left_out: int = 0

    def at(self, place: QPointF) -> str:
        """Return the characteristic whose tag is at a place; empty for none."""
        return next((c for c, box in reversed(self.boxes.items()) if box.contains(place)), "")


def paint_tags(
    painter: QPainter, session: Session, camera: Camera, theme: Theme, view: QRectF, shown: TagsShown,
    dragged: tuple[str, QPointF] | None = None,
) -> None:  # fmt: skip
    """Paint the tags; `shown` is what was painted before and takes what is now, `dragged` one under the pointer."""
    shown.boxes.clear()
    shown.left_out = 0
    s = session
    evaluation, evaluator = s.evaluation, s.evaluator
    if evaluation is None or evaluator is None or s.stage in ("part", "align"):
        return
    settings = s.tags
    if s.show_why:  # only the one that is explained
        settings = settings.replace(shown="none")
    lengths = NumberFormat(s.plan.unit, s.plan.decimals)
    pinned = {p.characteristic: (p.x * view.width(), p.y * view.height()) for p in settings.pinned}
    if dragged is not None:
        pinned[dragged[0]] = (dragged[1].x(), dragged[1].y())
    texts: dict[str, tuple[Result, TagText]] = {}
    boxes: list[TagBox] = []
    for result in tagged_results(evaluation, settings, s.selected_characteristic):
        at = tag_anchor(evaluator, s.plan, s.sample, result, camera)
        if at is None:
            continue
        x, y, _ = camera.project(at, view.width() / max(1.0, view.height()))[0]
        text = tag_text(result, settings, lengths, compared_delta(evaluator, s.plan, s.sample, result))
        key = result.characteristic.id
        width, height = _size(result, text, lengths)
        texts[key] = (result, text)
        boxes.append(TagBox(key, (x * view.width(), y * view.height()), width, height, pinned.get(key)))
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    area = Box(view.left() + 12, view.top() + 12, max(40.0, view.width() - 132), max(40.0, view.height() - 110))
    placed = place_tags(boxes, area, settings.layout, shown.slots)
    shown.slots = {p.tag.key: p.slot for p in placed if p.slot >= 0}
    shown.left_out = len(boxes) - len(placed)
    painter.setPen(QPen(QColor(theme.ink), 1))
    for p in placed:
        painter.drawLine(QPointF(*p.start), QPointF(*p.tag.anchor))
        painter.setBrush(QColor(theme.ink))
        painter.drawEllipse(QPointF(*p.tag.anchor), 2.4, 2.4)
    for p in placed:
        box = QRectF(p.box.x, p.box.y, p.box.width, p.box.height)
        shown.boxes[p.tag.key] = box
        _paint_tag(painter, p, box, texts[p.tag.key], theme, session)
    if shown.left_out:
        painter.setPen(QColor(theme.soft))
        painter.setFont(font(11))
        said = f"{shown.left_out} more tags find no room"
        painter.drawText(QPointF(area.x + area.width / 2 - 60, view.bottom() - 14), said)


def _size(result: Result, text: TagText, lengths: NumberFormat) -> tuple[float, float]:
    bold, plain = QFontMetricsF(font(13, bold=True)), QFontMetricsF(font(12))
    c = result.characteristic
    width = max(
        frame_width(c, lengths.of(c.kind), _FRAME) + 24 if text.framed else 0.0,
        plain.horizontalAdvance(text.title) + 42 if text.title else 0.0,
        bold.horizontalAdvance(text.value) + plain.horizontalAdvance(text.detail) + 36,
        *(plain.horizontalAdvance(line) + 24 for line in text.lines),
        110.0 if text.gauge else 0.0,
    )
    height = 8 + _LINE * bool(text.title) + _FRAMED * text.framed + _VALUE * bool(text.value)
    return width, height + _LINE * len(text.lines) + _GAUGE * text.gauge


def _paint_tag(
    painter: QPainter, placed: Placed, box: QRectF, said: tuple[Result, TagText], theme: Theme, session: Session
) -> None:
    result, text = said
    t, plain = theme, font(12)
    color = QColor(state_color(t, str(result.state)))
    selected = result.characteristic.id == session.selected_characteristic
    painter.setPen(QPen(QColor(t.accent if selected else t.ink), 1.6 if selected else 1))
    painter.setBrush(QColor(t.raised))
    painter.drawRoundedRect(box, 3, 3)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    painter.drawRect(QRectF(box.left(), box.top() + 1, 4, box.height() - 2))
    left, top = box.left() + 12, box.top() + 4
    draw_marker(painter, state_marker(result), QPointF(box.right() - 12, box.top() + 12), 4, color.name())
    if placed.slot < 0:  # pinned: a small ring says so
        painter.setPen(QPen(QColor(t.accent), 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(box.right() - 3, box.top() + 3), 3.2, 3.2)
    if text.title:
        painter.setPen(QColor(t.ink))
        painter.setFont(plain)
        painter.drawText(QPointF(left, top + 13), text.title)
        top += _LINE
    c, plan = result.characteristic, session.plan
    if text.framed:  # the frame as on the drawing, the result under it
        draw_frame(painter, c, NumberFormat(plan.unit, plan.decimals).of(c.kind), QPointF(left, top + 3), _FRAME, t.ink)
        top += _FRAMED
    if text.value:
        bold = font(13, bold=True)
        painter.setPen(QColor(t.ink))
        painter.setFont(bold)
        painter.drawText(QPointF(left, top + 15), text.value)
        advance = QFontMetricsF(bold).horizontalAdvance(text.value)
        painter.setFont(plain)
        painter.setPen(QColor(t.soft))
        painter.drawText(QPointF(left + 8 + advance, top + 15), text.detail)
        top += _VALUE
    painter.setFont(plain)
    painter.setPen(QColor(t.soft))
    for line in text.lines:
        painter.drawText(QPointF(left, top + 13), line)
        top += _LINE
    if text.gauge:
        draw_gauge_bar(painter, QRectF(left, top + 3, box.width() - 24, 16), result, t)
