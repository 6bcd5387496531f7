"""The tags over the view: results that point at the place on the part that they belong to, and do not cover it."""

from dataclasses import dataclass, field

from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainter

from truegauge.app.document.session import Session
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.painting import bar_colors
from truegauge.app.widgets.text_size import TEXT
from truegauge.app.widgets.theme import Theme
from truegauge.core.evaluation.results import Result
from truegauge.drawing.silhouette import Silhouette, silhouette_of
from truegauge.drawing.tag_layout import Box, Placed, TagBox, place_beside
from truegauge.drawing.tag_text import SmallText, TagText, small_text, tag_text, tagged_results
from truegauge.drawing.tags import HANDLE, TagColors, draw_small_tag, draw_tag, small_size, tag_size
from truegauge.drawing.units import NumberFormat
from truegauge.rendering.camera import Camera
from truegauge.rendering.outline import outermost_places
from truegauge.rendering.tag_anchors import Anchor, compared_delta, tag_anchor

SCALE_SIDE, BELOW = 120.0, 104.0  # pixels that belong to the deviation scale, and to hover text and ruler
_STRIP = 58.0  # and to the strip of proposals, when something is selected
_MARGIN = 12.0


@dataclass(slots=True)
class TagsShown:
    """What was painted last: the box of each tag by the id of its characteristic, and its slot."""

    boxes: dict[str, QRectF] = field(default_factory=dict)
    slots: dict[str, int] = field(default_factory=dict)
    small: bool = False
    left_out: int = 0
    taken_above: int = 0  # pixels
    under_pointer: str = ""  # a small one opens
    feet: dict[str, tuple[Result, Anchor]] = field(default_factory=dict)  # they stay while the view moves
    feet_of: tuple[Camera, frozenset[int]] | None = None  # seen from where, without which faces

    def at(self, place: QPointF) -> str:
        """Return the characteristic whose tag is at a place; empty for none."""
        return next((c for c, box in reversed(self.boxes.items()) if box.contains(place)), "")

    def is_handle(self, key: str, place: QPointF) -> bool:
        """Tell whether a tag is taken hold of at a place: at its first line."""
        box = self.boxes[key]
        return box.contains(place) and place.y() - box.top() <= HANDLE


@dataclass(frozen=True, slots=True)
class _Tag:
    result: Result
    text: TagText
    small: SmallText
    foot: Anchor
    full_box: TagBox
    small_box: TagBox


def paint_tags(
    painter: QPainter, session: Session, camera: Camera, theme: Theme, view: QRectF, shown: TagsShown,
    dragged: tuple[str, QPointF] | None = None, *, tags: bool = True, moving: bool = False,
) -> None:  # fmt: skip
    """Paint the tags; `shown` is what was painted before and takes what is now, `dragged` one under the pointer.

    While the view is `moving` feet stay where they are on the part: what is seen is looked for at rest.
    """
    shown.boxes.clear()
    shown.left_out = 0
    if session.evaluation is None or session.evaluator is None or not tags or not session.shown.tags:
        return
    with PainterSurface(painter) as surface:
        seen = (camera, session.shown.look.hidden)
        # Looking for places that are seen takes a while: once for every place to look from.
        still = shown.feet_of is not None and shown.feet_of[0] is camera and shown.feet_of[1] == seen[1]
        every = _tags(surface, session, camera, view, dragged, shown.feet if moving or still else {})
        if not moving:
            shown.feet_of = seen
        shown.feet = {key: (tag.result, tag.foot) for key, tag in every.items()}
        beside = SCALE_SIDE if session.shows_scale else _MARGIN
        below = BELOW + (_STRIP if session.selection.groups else 0.0)
        above = max(_MARGIN, shown.taken_above / TEXT.factor + 6.0)
        area = Box(
            view.left() + _MARGIN, view.top() + above, max(40.0, view.width() - _MARGIN - beside),
            max(40.0, view.height() - above - below),
        )  # fmt: skip
        full, small = [t.full_box for t in every.values()], [t.small_box for t in every.values()]
        part = part_outline(session, camera, view)
        placed, is_small = place_beside(full, small, area, session.showing.tags.layout, part, shown.slots)
        shown.slots = {p.tag.key: p.slot for p in placed if p.slot >= 0}
        shown.small, shown.left_out = is_small, len(every) - len(placed)
        for p in placed:
            _leader(surface, p, every[p.tag.key], theme)
        for p in placed:
            shown.boxes[p.tag.key] = QRectF(p.box.x, p.box.y, p.box.width, p.box.height)
        for p in sorted(placed, key=lambda p: p.tag.key == shown.under_pointer):
            opened = is_small and p.tag.key == shown.under_pointer
            _draw(surface, session, every[p.tag.key], p, theme, view, small=is_small and not opened)
        if shown.left_out:
            said = f"{shown.left_out} more tags find no room"
            surface.text(area.x + area.width / 2 - 60, view.bottom() - 14, said, 11, theme.soft)


def part_outline(session: Session, camera: Camera, view: QRectF) -> Silhouette | None:
    """Return where the part is seen, in pixels."""
    model = session.model
    if model is None:
        return None
    places = outermost_places(model, session.shown.look.hidden)
    if not len(places):
        return None
    shares = camera.project(places, view.width() / max(1.0, view.height()))[:, :2]
    return silhouette_of(shares * [view.width(), view.height()] + [view.left(), view.top()])


def _tags(
    surface: PainterSurface, s: Session, camera: Camera, view: QRectF, dragged: tuple[str, QPointF] | None,
    known: dict[str, tuple[Result, Anchor]],
) -> dict[str, _Tag]:  # fmt: skip
    evaluation, evaluator, settings = s.evaluation, s.evaluator, s.showing.tags
    assert evaluation is not None
    assert evaluator is not None
    if s.shown.why:  # only the one that is explained
        settings = settings.replace(shown="none")
    lengths = NumberFormat(s.plan.unit, s.plan.decimals)
    pinned = {p.characteristic: (p.x * view.width(), p.y * view.height()) for p in settings.pinned}
    if dragged is not None:
        pinned[dragged[0]] = (dragged[1].x(), dragged[1].y())
    hidden = s.shown.look.mask(len(evaluator.model.faces)) if s.shown.look.hidden else None
    found: dict[str, _Tag] = {}
    held = dragged[0] if dragged is not None else ""  # comes first: others make room for it
    results = tagged_results(evaluation, settings, s.selection.characteristic)
    for result in sorted(results, key=lambda r: r.characteristic.id != held):
        before = known.get(result.characteristic.id)
        if before is not None and before[0] is result:
            at: Anchor | None = before[1]
        else:
            at = tag_anchor(evaluator, s.plan, s.sample, result, camera, hidden)
        if at is None:
            continue
        x, y, _ = camera.project(at.place, view.width() / max(1.0, view.height()))[0]
        if not (0 <= x <= 1 and 0 <= y <= 1):  # what is out of sight has no tag
            continue
        text = tag_text(result, settings, lengths, compared_delta(evaluator, s.plan, s.sample, result))
        small, key = small_text(result, lengths), result.characteristic.id
        foot, pin = (float(x) * view.width(), float(y) * view.height()), pinned.get(key)
        full_box = TagBox(key, foot, *tag_size(surface, result, text, lengths), pin)
        found[key] = _Tag(result, text, small, at, full_box, TagBox(key, foot, *small_size(surface, small), pin))
    return found


def _leader(surface: PainterSurface, p: Placed, tag: _Tag, theme: Theme) -> None:
    """Draw the line to the foot: of a place that is behind the part paler, with a ring for a dot."""
    color = theme.ink if tag.foot.is_seen else theme.soft
    surface.line([p.start, p.tag.anchor], color, 1.0)
    if tag.foot.is_seen:
        surface.circle(*p.tag.anchor, 2.4, fill=color)
    else:
        surface.circle(*p.tag.anchor, 3.2, fill=theme.view, color=color, width=1.2)


def _draw(
    surface: PainterSurface, s: Session, tag: _Tag, p: Placed, theme: Theme, view: QRectF, *, small: bool
) -> None:
    chosen = p.tag.key == s.selection.characteristic
    border = theme.accent if chosen else theme.ink
    colors = TagColors(border, theme.raised, theme.ink, theme.soft, theme.accent, bar_colors(theme, tag.result))
    if small:
        where = (p.box.x, p.box.y, p.box.width, p.box.height)
        draw_small_tag(surface, where, tag.result, tag.small, colors, chosen=chosen)
        return
    width, height = max(tag.full_box.width, p.box.width), max(tag.full_box.height, p.box.height)
    x = min(max(p.box.x, view.left() + 2), view.right() - width - 2)
    y = min(max(p.box.y, view.top() + 2), view.bottom() - height - 2)
    lengths = NumberFormat(s.plan.unit, s.plan.decimals)
    opened = p.box.height < tag.full_box.height
    where = (x, y, width, height) if opened else (p.box.x, p.box.y, p.box.width, p.box.height)
    draw_tag(surface, where, tag.result, tag.text, lengths, colors, chosen=chosen, pinned=p.slot < 0)
