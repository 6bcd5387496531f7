"""Holding what an overlay lets be dragged, from the press to the release."""

from PySide6.QtCore import QPointF, QSize

from truegauge.app.view.content import OverlayHand
from truegauge.rendering.camera import Camera


class Grip:
    """Of one view."""

    def __init__(self) -> None:
        self._hand: OverlayHand | None = None
        self._dragged = False

    def press(self, hand: OverlayHand | None, at: QPointF, camera: Camera | None, size: QSize) -> bool:
        """Take hold of what is at a place; False where there is nothing."""
        held = hand is not None and camera is not None and hand.press(at, camera, size)
        self._hand, self._dragged = (hand if held else None), False
        return held

    def drag(self, at: QPointF, camera: Camera, size: QSize) -> bool:
        """Move what is held; False when nothing is."""
        if self._hand is None:
            return False
        self._dragged = True
        self._hand.drag(at, camera, size)
        return True

    def release(self) -> bool:
        """Let go; True when something was moved."""
        hand, self._hand = self._hand, None
        if hand is not None:
            hand.release()
        return hand is not None and self._dragged
