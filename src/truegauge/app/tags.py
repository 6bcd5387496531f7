"""Where tags stand: at the sides of the view, near their feature, never over each other."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF

from truegauge.core.plan.results import Result

HEIGHT = 44.0
_GAP = 8.0


@dataclass(frozen=True, slots=True, eq=False)
class Tag:
    """A label that points at a result."""

    result: Result
    title: str
    value: str
    detail: str
    anchor: QPointF
    width: float


def place_tags(tags: list[Tag], area: QRectF) -> list[tuple[Tag, QRectF]]:
    """Return each tag's box: left or right column by where its feature is, in the order of height.

    The first tags are the most important; those that find no room are left out.
    """
    room = int((area.height() + _GAP) / (HEIGHT + _GAP))
    middle = area.center().x()
    sides: dict[bool, list[Tag]] = {False: [], True: []}
    for tag in tags:
        right = tag.anchor.x() > middle
        side = sides[right] if len(sides[right]) < room else sides[not right]
        if len(side) < room:
            side.append(tag)
    placed: list[tuple[Tag, QRectF]] = []
    for right, members in sides.items():
        members.sort(key=lambda t: t.anchor.y())
        tops: list[float] = []
        for i, tag in enumerate(members):
            least = area.top() if i == 0 else tops[-1] + HEIGHT + _GAP
            most = area.bottom() - HEIGHT - (len(members) - 1 - i) * (HEIGHT + _GAP)
            tops.append(min(max(tag.anchor.y() - HEIGHT - 26, least), most))
        for tag, top in zip(members, tops, strict=True):
            x = area.right() - tag.width if right else area.left()
            placed.append((tag, QRectF(x, top, tag.width, HEIGHT)))
    return placed
