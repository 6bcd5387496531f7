"""Where tags stand: at the sides of the view, near their feature, never over each other."""

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF

from truegauge.core.plan.results import Result

HEIGHT = 66.0
FRAMED = 24.0  # more for a tag with a frame
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
    height: float = HEIGHT


def place_tags(tags: list[Tag], area: QRectF) -> list[tuple[Tag, QRectF]]:
    """Return each tag's box: left or right column by where its feature is, in the order of height.

    The first tags are the most important; those that find no room are left out.
    """
    middle = area.center().x()
    sides: dict[bool, list[Tag]] = {False: [], True: []}

    def fits(side: list[Tag], tag: Tag) -> bool:
        return sum(t.height + _GAP for t in side) + tag.height <= area.height()

    for tag in tags:
        right = tag.anchor.x() > middle
        for chosen in (right, not right):
            if fits(sides[chosen], tag):
                sides[chosen].append(tag)
                break
    placed: list[tuple[Tag, QRectF]] = []
    for right, members in sides.items():
        members.sort(key=lambda t: t.anchor.y())
        least = area.top()
        for i, tag in enumerate(members):
            below = sum(t.height + _GAP for t in members[i + 1 :])
            most = area.bottom() - tag.height - below
            top = min(max(tag.anchor.y() - tag.height - 26, least), most)
            least = top + tag.height + _GAP
            x = area.right() - tag.width if right else area.left()
            placed.append((tag, QRectF(x, top, tag.width, tag.height)))
    return placed
