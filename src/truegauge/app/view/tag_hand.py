"""What the pointer does to tags: choose, drag and pin, hide, open."""

from collections.abc import Callable

from PySide6.QtCore import QPointF, QSize

from truegauge.app.document.session import Session
from truegauge.app.view.tag_painter import TagsShown
from truegauge.core.plan.views import PinnedTag


class TagHand:
    """Of one view. Tags let through to the part what is not done at their first line."""

    def __init__(self, session: Session, shown: TagsShown, repaint: Callable[[], None]) -> None:
        self._session, self._shown, self._repaint = session, shown, repaint
        self.pressed = ""
        self.dragged: tuple[str, QPointF] | None = None

    def over(self, at: QPointF) -> str:
        """Open the small tag under the pointer; returns the characteristic whose tag is there."""
        key = self._shown.at(at)
        if key != self._shown.under_pointer:
            self._shown.under_pointer = key
            self._repaint()
        return key

    def press(self, at: QPointF, on_part: Callable[[], bool]) -> bool:
        """Take hold of the tag at a place; False where there is none, or the part is meant."""
        # While places are picked, tags are in nobody's way.
        key = "" if self._session.pointer.picker is not None else self._shown.at(at)
        if key and not self._shown.is_handle(key, at) and on_part():
            key = ""
        self.pressed = key
        return bool(key)

    def drag(self, at: QPointF) -> bool:
        """Move the tag that is held; False when none is."""
        if not self.pressed:
            return False
        self.dragged = (self.pressed, at)
        self._repaint()
        return True

    def release(self, size: QSize, *, add: bool = False) -> bool:
        """Pin a tag where it was dragged to, or select its characteristic (with `add` beside others).

        False when none was held.
        """
        key, dragged = self.pressed, self.dragged
        self.pressed, self.dragged = "", None
        if not key:
            return False
        s = self._session
        if dragged is None:
            choose = s.selection.toggle_characteristic if add else s.selection.select_characteristic
            choose(key)
            return True
        x, y = dragged[1].x() / size.width(), dragged[1].y() / size.height()
        pin = PinnedTag(characteristic=key, x=min(max(x, 0.0), 1.0), y=min(max(y, 0.0), 1.0))
        others = (p for p in s.showing.tags.pinned if p.characteristic != key)
        s.showing.set_tags("pin a tag", pinned=(*others, pin))
        return True

    def hide(self) -> None:
        """Hide the tag that is held."""
        s, key = self._session, self.pressed
        self.pressed = ""
        s.showing.set_tags(
            "hide a tag", hidden=(*(h for h in s.showing.tags.hidden if h != key), key),
            listed=tuple(c for c in s.showing.tags.listed if c != key),
        )  # fmt: skip
        if s.selection.characteristic == key:
            s.selection.select(())
