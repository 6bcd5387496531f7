"""Where in the view the whole part is shown: beside the deviation scale, with room for tags around it."""

from dataclasses import dataclass, replace

import numpy as np
from PySide6.QtCore import QSize

from truegauge.app.view.tag_painter import BELOW, SCALE_SIDE
from truegauge.rendering.camera import Camera

_EDGE = 14.0  # pixels
_ROW, _COLUMN, _SMALL_COLUMN = 112.0, 232.0, 122.0  # of tags: height of a row, width of a column
_SMALL_IS_WORTH = 0.75  # of a view whose tags say all


@dataclass(frozen=True, slots=True)
class Room:
    """What is left free at the sides of the view, pixels, and what a part shown in it is worth."""

    left: float
    top: float
    right: float
    bottom: float
    worth: float = 1.0


_WITHOUT_TAGS = (Room(_EDGE, _EDGE, SCALE_SIDE, _EDGE),)
_WITH_TAGS = (
    Room(_EDGE, _ROW, SCALE_SIDE, BELOW + _ROW - _EDGE),
    Room(_COLUMN, _EDGE, SCALE_SIDE + _COLUMN, BELOW),
    Room(_SMALL_COLUMN, _EDGE, SCALE_SIDE + _SMALL_COLUMN, BELOW, _SMALL_IS_WORTH),
    Room(_EDGE, 48.0, SCALE_SIDE, BELOW + 40.0, _SMALL_IS_WORTH),  # a row of small ones
)


def fitted(camera: Camera, box: np.ndarray, size: QSize, *, tags: bool) -> Camera:
    """Show the whole box (2, 3) mm, as large as it can be beside scale and tags."""
    width, height = max(1, size.width()), max(1, size.height())
    best, best_worth = camera.fitted(box, width / height), 0.0
    for room in _WITH_TAGS if tags else _WITHOUT_TAGS:
        across, along = width - room.left - room.right, height - room.top - room.bottom
        if across < 60 or along < 60:
            continue
        found = camera.fitted(box, across / along)
        found = replace(found, height=found.height * height / along)
        dx = (room.left + across / 2) / width - 0.5
        dy = (room.top + along / 2) / height - 0.5
        if room.worth / found.height > best_worth:
            best, best_worth = found.panned(dx, dy, width / height), room.worth / found.height
    return best
