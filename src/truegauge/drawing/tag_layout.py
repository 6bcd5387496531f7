"""Where tags stand: in slots along the margins, so that none overlap, and with leaders that do not cross.

One layout for window and report. Lengths are those of the sheet (pixels or points), y downwards.
"""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from truegauge.drawing.silhouette import Silhouette

Layout = Literal["around", "sides", "rows"]
_GAP = 8.0
_CLEAR = 5.0  # between a tag and the part
_COVERING = 250.0  # the length of leader that a slot is worth avoiding
_STAY = 1.3  # times the shortest leaders that tags put up with before they change places


@dataclass(frozen=True, slots=True)
class Box:
    """A rectangle on the sheet."""

    x: float
    y: float
    width: float
    height: float

    @property
    def right(self) -> float:
        """Its right side."""
        return self.x + self.width

    @property
    def bottom(self) -> float:
        """Its lower side."""
        return self.y + self.height

    def overlaps(self, other: "Box") -> bool:
        """Tell whether two boxes share area."""
        across = self.x < other.right and other.x < self.right
        return across and self.y < other.bottom and other.y < self.bottom


@dataclass(frozen=True, slots=True)
class TagBox:
    """A tag to be placed: the foot of its leader, its size, and its middle where it is pinned."""

    key: str
    anchor: tuple[float, float]
    width: float
    height: float
    pinned: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True)
class Placed:
    """A tag in its place: its box, where its leader starts, and the number of its slot (-1: pinned)."""

    tag: TagBox
    box: Box
    start: tuple[float, float]
    slot: int


@dataclass(frozen=True, slots=True)
class _Slot:
    box: Box
    side: str  # where its leader starts: left, right, top, bottom, or a corner of these: "bottom right"


def load_ahead() -> None:
    """Load what placing tags takes, in a thread that may wait for it: the first tags are placed while painting."""
    import scipy.optimize  # noqa: F401


def place_beside(
    full: Sequence[TagBox], small: Sequence[TagBox], area: Box, layout: Layout, part: Silhouette | None,
    before: Mapping[str, int] | None = None,
) -> tuple[list[Placed], bool]:  # fmt: skip
    """Return where tags stand so that they do not cover the part, and whether they are the small ones.

    Full ones stand beside it where all find room, else small ones do; only where the part fills the sheet do these
    stand over it. `before` holds while they are as large as they were.
    """
    for tags, how in ((full, layout), (full, "around"), (small, layout), (small, "around")):
        placed = place_tags(tags, area, how, before, part)  # type: ignore[arg-type]
        if len(placed) == len(tags):
            return placed, tags is small
    return place_tags(small, area, "around", before), True


def place_tags(
    tags: Sequence[TagBox], area: Box, layout: Layout = "sides", before: Mapping[str, int] | None = None,
    part: Silhouette | None = None,
) -> list[Placed]:  # fmt: skip
    """Return where each tag stands; those that find no room are left out, the last first.

    With a silhouette slots that would cover the part are not taken.

    Among all ways to fill the slots the one with the shortest leaders is taken: leaders of the shortest matching never
    cross (two that cross could be exchanged for shorter ones). Tags keep the slots of `before` while that is
    not much longer and no leaders cross, so that they are quiet while the view turns.
    """
    from scipy.optimize import linear_sum_assignment

    pinned: list[Placed] = []
    free: list[TagBox] = []
    for tag in tags:
        # Of two that were pinned onto each other, or grew since, the first stays.
        own = None if tag.pinned is None else _pinned(tag, area)
        if own is None or any(own.box.overlaps(p.box) for p in pinned):
            free.append(tag)
        else:
            pinned.append(own)
    if not free:
        return pinned
    slots = _slots(free, area, layout)
    usable = [k for k, s in enumerate(slots) if all(not s.box.overlaps(p.box) for p in pinned)]
    if part is not None:
        usable = [k for k in usable if not part.meets(_whole(slots[k].box), _CLEAR)]
    free = free[: len(usable)]
    if not free:
        return pinned
    anchors = np.array([t.anchor for t in free], dtype=np.float64)
    starts = _starts([slots[k] for k in usable], free, anchors)
    cost = np.linalg.norm(anchors[:, None] - starts, axis=2)
    # Whoever takes a slot that covers a foot pays for it, all alike: what is said of crossings above stays true.
    cost += _COVERING * np.array([_covers(slots[k].box, anchors) for k in usable])[None, :]
    every = np.arange(len(free))
    chosen = _uncrossed(linear_sum_assignment(cost)[1], anchors, starts)
    if before is not None:
        column = {slot: k for k, slot in enumerate(usable)}
        kept = np.array([column.get(before.get(t.key, -1), -1) for t in free])
        if (kept >= 0).all() and len(set(kept.tolist())) == len(kept):
            length, shortest = float(cost[every, kept].sum()), float(cost[every, chosen].sum())
            if length <= _STAY * shortest and not crossings(anchors, starts[every, kept]):
                chosen = kept
    placed = list(pinned)
    for k, tag in enumerate(free):
        slot, start = usable[int(chosen[k])], starts[k, chosen[k]]
        placed.append(Placed(tag, _box_in(slots[slot], tag), (float(start[0]), float(start[1])), slot))
    return placed


def _uncrossed(
    chosen: NDArray[np.int64], anchors: NDArray[np.float64], starts: NDArray[np.float64]
) -> NDArray[np.int64]:
    """Exchange slots of leaders that still cross: tags of different heights leave a slot at different places."""
    chosen = chosen.copy()
    for _ in range(len(chosen) ** 2):
        ends = starts[np.arange(len(chosen)), chosen]
        pairs = ((i, j) for i in range(len(chosen)) for j in range(i))
        found = next((p for p in pairs if _cross(anchors[p[0]], ends[p[0]], anchors[p[1]], ends[p[1]])), None)
        if found is None:
            break
        chosen[list(found)] = chosen[list(found[::-1])]
    return chosen


def _whole(box: Box) -> tuple[float, float, float, float]:
    return box.x, box.y, box.width, box.height


def _covers(box: Box, anchors: NDArray[np.float64]) -> float:
    inside = (anchors[:, 0] > box.x) & (anchors[:, 0] < box.right)
    return float((inside & (anchors[:, 1] > box.y) & (anchors[:, 1] < box.bottom)).any())


def crossings(anchors: NDArray[np.float64], starts: NDArray[np.float64]) -> int:
    """Return how many pairs of leaders cross."""
    count = 0
    for i in range(len(anchors)):
        for j in range(i):
            count += _cross(anchors[i], starts[i], anchors[j], starts[j])
    return count


def _cross(a: NDArray[np.float64], b: NDArray[np.float64], c: NDArray[np.float64], d: NDArray[np.float64]) -> bool:
    def side(p: NDArray[np.float64], q: NDArray[np.float64], r: NDArray[np.float64]) -> float:
        return float((q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0]))

    return side(a, b, c) * side(a, b, d) < 0 and side(c, d, a) * side(c, d, b) < 0


def _pinned(tag: TagBox, area: Box) -> Placed:
    assert tag.pinned is not None
    x = min(max(tag.pinned[0] - tag.width / 2, area.x), max(area.x, area.right - tag.width))
    y = min(max(tag.pinned[1] - tag.height / 2, area.y), max(area.y, area.bottom - tag.height))
    box = Box(x, y, tag.width, tag.height)
    return Placed(tag, box, nearest_on(box, tag.anchor), -1)


def nearest_on(box: Box, anchor: tuple[float, float]) -> tuple[float, float]:
    """Return the middle of the side of a box that faces a place."""
    x, y = anchor
    if box.x <= x <= box.right:
        return box.x + box.width / 2, box.bottom if y > box.bottom else box.y
    return (box.right if x > box.right else box.x), box.y + box.height / 2


def _slots(tags: Sequence[TagBox], area: Box, layout: Layout) -> list[_Slot]:
    width, height = max(t.width for t in tags), max(t.height for t in tags)
    slots: list[_Slot] = []
    if layout in ("sides", "around"):
        count = max(1, int((area.height + _GAP) // (height + _GAP)))
        step = (area.height - height) / max(1, count - 1) if count > 1 else 0.0
        for k in range(count):
            y = area.y + k * step
            # Beside a row of tags a leader starts at the inner corner: it would run under them.
            end = ""
            if layout == "around":
                end = "bottom " if y < area.y + height else "top " if y + height > area.bottom - height else ""
            slots.append(_Slot(Box(area.x, y, width, height), f"{end}right"))
            if area.width >= 2 * width + _GAP:  # else the columns would lie on each other
                slots.append(_Slot(Box(area.right - width, y, width, height), f"{end}left"))
    if layout in ("rows", "around"):
        inner = area.x + width + _GAP if layout == "around" else area.x
        room = area.width - 2 * (width + _GAP) if layout == "around" else area.width
        count = int((room + _GAP) // (width + _GAP))
        step = (room - width) / max(1, count - 1) if count > 1 else 0.0
        for k in range(count):
            x = inner + k * step
            slots.append(_Slot(Box(x, area.y, width, height), "bottom"))
            slots.append(_Slot(Box(x, area.bottom - height, width, height), "top"))
    return slots


def _starts(slots: Sequence[_Slot], tags: Sequence[TagBox], anchors: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return where the leader of each tag would leave each slot (n, m, 2): on its inner edge, nearest to the foot.

    From the nearest place follows that of two crossing leaders an exchange makes both together shorter.
    """
    low, high, grows = np.empty((len(slots), 2)), np.empty((len(slots), 2)), np.zeros(len(slots))
    for k, slot in enumerate(slots):
        b = slot.box
        y = b.bottom if "bottom" in slot.side else b.y if "top" in slot.side else b.y + b.height / 2
        if "right" in slot.side or "left" in slot.side:
            low[k] = high[k] = (b.right if "right" in slot.side else b.x, y)
            grows[k] = 0.5 * (slot.side in ("left", "right"))  # a tag stands in the middle of its slot
        else:
            low[k], high[k] = (b.x, y), (b.right, y)
    half = grows[None, :] * np.array([t.height for t in tags])[:, None]
    off = np.stack([np.zeros_like(half), half], axis=2)
    return np.clip(anchors[:, None], low - off, high + off)


def _box_in(slot: _Slot, tag: TagBox) -> Box:
    """Return the tag's box in a slot, as wide as the slot: tags in a column look alike; against the leader's side."""
    b = slot.box
    y = b.y + (b.height - tag.height) / 2
    if "bottom" in slot.side:
        y = b.bottom - tag.height
    elif "top" in slot.side:
        y = b.y
    return Box(b.x, y, b.width, tag.height)
