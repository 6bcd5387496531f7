"""The size of all text of the application, and what grows with it: painted rows and pages, fields, panels.

Widgets take their sizes at 100 % from here and are told again when the setting changes.
"""

import re
from collections.abc import Callable, Mapping

from PySide6.QtCore import QObject, QPointF, QRectF, QSize, Signal
from PySide6.QtGui import QPaintDevice, QPainter
from PySide6.QtWidgets import QAbstractItemView, QSizePolicy, QWidget

SIZES = (90, 100, 110, 125, 150)  # percent
_PROPERTY, _SHEET = "size_at_100", "sheet_at_100"


class TextSize(QObject):
    """How many percent of its usual size text has."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.percent = 100

    @property
    def factor(self) -> float:
        """By what lengths grow."""
        return self.percent / 100

    def become(self, percent: int) -> None:
        """Take the nearest of the sizes there are."""
        percent = min(SIZES, key=lambda s: abs(s - percent))
        if percent != self.percent:
            self.percent = percent
            self.changed.emit()


TEXT = TextSize()  # of the application: like its palette, it belongs to all windows


def sized(pixels: float) -> int:
    """Return a length that grows with the text."""
    return round(pixels * TEXT.factor)


def panel_sized(pixels: float) -> int:
    """Return the width of a panel: it grows less than its text, so that the view keeps its room."""
    return round(pixels * (1 + 0.7 * (TEXT.factor - 1)))


def sized_size(width: float, height: float) -> QSize:
    """Return a size that grows with the text."""
    return QSize(sized(width), sized(height))


def enlarge(painter: QPainter) -> None:
    """Paint larger, as the text size says: coordinates stay those at 100 %."""
    painter.scale(TEXT.factor, TEXT.factor)


def painter_on(device: QPaintDevice) -> QPainter:
    """Return a painter whose coordinates are those at 100 %."""
    painter = QPainter(device)
    enlarge(painter)
    return painter


def room_of(widget: QWidget) -> QRectF:
    """Return what a painter of `painter_on` can paint on."""
    return at_100(QRectF(widget.rect()))


def at_100(box: QRectF) -> QRectF:
    """Return a rectangle of pixels in coordinates at 100 %."""
    k = TEXT.factor
    return QRectF(box.x() / k, box.y() / k, box.width() / k, box.height() / k)


def point_at_100(at: QPointF) -> QPointF:
    """Return a place in pixels in coordinates at 100 %."""
    return at / TEXT.factor


_SETTERS: dict[str, Callable[[QWidget, int], None]] = {
    "width": QWidget.setFixedWidth, "height": QWidget.setFixedHeight, "least_width": QWidget.setMinimumWidth,
    "least_height": QWidget.setMinimumHeight, "most_width": QWidget.setMaximumWidth,
    "most_height": QWidget.setMaximumHeight,
}  # fmt: skip


def keep_size(widget: QWidget, **pixels: int) -> None:
    """Fix sizes of a widget, pixels at 100 %, by the names of `_SETTERS`; they follow the text size."""
    widget.setProperty(_PROPERTY, pixels)
    _apply(widget, pixels)


def _apply(widget: QWidget, pixels: Mapping[str, int]) -> None:
    for name, value in pixels.items():
        _SETTERS[name](widget, sized(value))


def grow_to(widget: QWidget, most: int, least: int) -> None:
    """Let a list take the height that is free, between two heights, pixels at 100 %."""
    policy = widget.sizePolicy()
    if policy.verticalPolicy() != QSizePolicy.Policy.Expanding:
        policy.setVerticalPolicy(QSizePolicy.Policy.Expanding)
        policy.setVerticalStretch(100)  # the empty end of a bench gets what no list takes
        widget.setSizePolicy(policy)
    keep_size(widget, least_height=min(least, most), most_height=most)


def keep_sheet(widget: QWidget, sheet: str) -> None:
    """Give a widget a style sheet with the font sizes of 100 %; it follows the text size."""
    widget.setProperty(_SHEET, sheet)
    widget.setStyleSheet(sized_sheet(sheet))


def resize_all(window: QWidget) -> None:
    """Give all widgets of a window the sizes they keep, as the text size is now."""
    for widget in (window, *window.findChildren(QWidget)):
        kept, sheet = widget.property(_PROPERTY), widget.property(_SHEET)
        if isinstance(kept, dict):
            _apply(widget, kept)
        if isinstance(sheet, str):
            widget.setStyleSheet(sized_sheet(sheet))
        if isinstance(widget, QAbstractItemView):
            widget.doItemsLayout()
        widget.updateGeometry()


def sized_sheet(sheet: str) -> str:
    """Return a style sheet whose fonts have the text size."""
    return re.sub(r"font-size: ([\d.]+)px", lambda m: f"font-size: {sized(float(m[1]))}px", sheet)
