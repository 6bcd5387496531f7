"""What a stage wants to be seen in the view beside the part, and what it paints over it."""

from dataclasses import dataclass
from typing import Protocol

from PySide6.QtCore import QPointF, QSize
from PySide6.QtGui import QPainter

from truegauge.app.widgets.theme import Theme
from truegauge.core.datums.freedoms import Freedoms
from truegauge.rendering.camera import Camera


@dataclass(frozen=True, slots=True)
class ViewContent:
    """What of the results is painted over the part."""

    tags: bool = True
    datums: bool = False  # their letters on the part
    selection: bool = False  # needles, constructions and readings of what is selected
    revision: bool = False  # faces that differ from the revision before


class OverlayHand(Protocol):
    """What the pointer takes hold of in an overlay; places are pixels of the view."""

    def press(self, at: QPointF, camera: Camera, size: QSize) -> bool:
        """Take hold of what is at a place; False where there is nothing."""
        ...

    def drag(self, at: QPointF, camera: Camera, size: QSize) -> None:
        """Move what is held."""
        ...

    def release(self) -> None:
        """Let go."""
        ...


class Overlay(Protocol):
    """Painted over the part, under the tags."""

    @property
    def hand(self) -> OverlayHand | None:
        """What can be dragged in it."""
        ...

    def freedoms(self) -> Freedoms | None:
        """Who holds which freedom, for the directions in the corner; None where that is not the question."""
        ...

    def paint(self, painter: QPainter, camera: Camera, theme: Theme, size: QSize) -> None:
        """Paint it."""
        ...
