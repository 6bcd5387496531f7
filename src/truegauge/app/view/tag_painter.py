"""The tags over the view: results that point at the place on the part that they belong to."""

from dataclasses import dataclass, field

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen

from truegauge.app.document.session import Session
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.painting import bar_colors
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.evaluation.results import Result
from truegauge.drawing.tag_layout import Box, TagBox, place_tags
from truegauge.drawing.tag_text import TagText, tag_text, tagged_results
from truegauge.drawing.tags import TagColors, draw_tag, tag_size
from truegauge.drawing.units import NumberFormat
from truegauge.rendering.camera import Camera
from truegauge.rendering.tag_anchors import compared_delta, tag_anchor


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
    dragged: tuple[str, QPointF] | None = None, *, tags: bool = True,
) -> None:  # fmt: skip
    """Paint the tags; `shown` is what was painted before and takes what is now, `dragged` one under the pointer."""
    shown.boxes.clear()
    shown.left_out = 0
    s = session
    evaluation, evaluator = s.evaluation, s.evaluator
    if evaluation is None or evaluator is None or not tags:
        return
    settings = s.showing.tags
    if s.shown.why:  # only the one that is explained
        settings = settings.replace(shown="none")
    lengths = NumberFormat(s.plan.unit, s.plan.decimals)
    pinned = {p.characteristic: (p.x * view.width(), p.y * view.height()) for p in settings.pinned}
    if dragged is not None:
        pinned[dragged[0]] = (dragged[1].x(), dragged[1].y())
    texts: dict[str, tuple[Result, TagText]] = {}
    surface = PainterSurface(painter)
    boxes: list[TagBox] = []
    for result in tagged_results(evaluation, settings, s.selection.characteristic):
        at = tag_anchor(evaluator, s.plan, s.sample, result, camera)
        if at is None:
            continue
        x, y, _ = camera.project(at, view.width() / max(1.0, view.height()))[0]
        text = tag_text(result, settings, lengths, compared_delta(evaluator, s.plan, s.sample, result))
        key = result.characteristic.id
        width, height = tag_size(surface, result, text, lengths)
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
        chosen = p.tag.key == s.selection.characteristic
        result, text = texts[p.tag.key]
        border = theme.accent if chosen else theme.ink
        colors = TagColors(border, theme.raised, theme.ink, theme.soft, theme.accent, bar_colors(theme, result))
        where = (p.box.x, p.box.y, p.box.width, p.box.height)
        draw_tag(surface, where, result, text, lengths, colors, chosen=chosen, pinned=p.slot < 0)
    if shown.left_out:
        painter.setPen(QColor(theme.soft))
        painter.setFont(font(11))
        said = f"{shown.left_out} more tags find no room"
        painter.drawText(QPointF(area.x + area.width / 2 - 60, view.bottom() - 14), said)
