"""Drawing an outline over the view: a box, a free line (lasso), or corners clicked one by one (polyline)."""

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from truegauge.app.widgets.text_size import at_100, enlarge
from truegauge.app.widgets.theme import Theme, font
from truegauge.core.arrays import three
from truegauge.core.clouds.recipe import CropOutline
from truegauge.rendering.camera import Camera

MODES = {"box": "Box", "lasso": "Free outline", "polyline": "Outline by corners"}
_HINTS = {
    "box": "Drag a box over the points",
    "lasso": "Draw around the points with the button held",
    "polyline": "Click corners around the points; Enter or a double click closes",
}
_LEAST_PIXELS = 3.0


class DrawnOver(Protocol):
    """The view."""

    @property
    def camera(self) -> Camera | None:
        """Its eye."""

    def size(self) -> QSize:
        """Its size in pixels."""

    def update(self) -> None:
        """Paint it again."""


class OutlineTool:
    """The outline being drawn, in pixels of the view. While it is on, the mouse draws instead of turning."""

    def __init__(self, view: DrawnOver, closed: Callable[[], None], forgotten: Callable[[], None]) -> None:
        self._view, self._changed, self._closed, self._forgotten = view, view.update, closed, forgotten
        self.mode = ""
        self.corners: list[QPointF] = []
        self._pointer: QPointF | None = None
        self._drawing = False
        self.done = False
        self._then: Callable[[CropOutline], None] | None = None

    @property
    def active(self) -> bool:
        """Whether an outline is being drawn."""
        return bool(self.mode) and not self.done

    def start(self, mode: str, then: Callable[[CropOutline], None] | None = None) -> None:
        """Begin an outline, for somebody who wants it or (without) for the recipe."""
        self._then = then
        self.mode, self.corners, self._pointer, self._drawing, self.done = mode, [], None, False, False
        self._changed()

    def cancel(self) -> None:
        """Forget the outline."""
        self.mode, self.corners, self.done = "", [], False
        self._changed()
        self._forgotten()

    def press(self, at: QPointF) -> None:
        """The button went down."""
        if self.mode == "polyline":
            self.corners.append(at)
        else:
            self.corners = [at]
        self._drawing = True
        self._changed()

    def move(self, at: QPointF) -> None:
        """The pointer moved."""
        self._pointer = at
        if self._drawing and self.mode == "lasso" and (at - self.corners[-1]).manhattanLength() >= _LEAST_PIXELS:
            self.corners.append(at)
        elif self._drawing and self.mode == "box":
            self.corners = _box(self.corners[0], at)
        self._changed()

    def release(self) -> None:
        """The button went up: a box and a free line are complete."""
        self._drawing = False
        if self.mode != "polyline":
            self.close()

    def close(self) -> None:
        """Complete the outline, if it encloses anything."""
        if len(self.corners) >= 3:
            self.done = True
            if not self._hand_over():
                self._closed()
        elif self.mode != "polyline":
            self.corners = []
        self._changed()

    def _hand_over(self) -> bool:
        """Give the outline to who wants it; False where nobody does."""
        camera = self._view.camera
        if self._then is None or camera is None:
            return False
        then, found = self._then, self.step(camera, self._view.size(), keep=True, aligned=True)
        self.cancel()
        then(found)
        return True

    def step(self, camera: Camera, size: QSize, *, keep: bool, aligned: bool) -> CropOutline:
        """Return the outline as a step of the recipe, seen by the camera of a view of this size."""
        outline, width, height = [], size.width(), size.height()
        for corner in self.corners:
            origin, _ = camera.ray(corner.x() / width, corner.y() / height, width / max(1, height), 1.0)
            outline.append((float(origin @ camera.right), float(origin @ camera.up)))
        return CropOutline(
            right=three(camera.right), up=three(camera.up), outline=tuple(outline), keep=keep, aligned=aligned
        )

    def paint(self, painter: QPainter, theme: Theme, area: QRectF) -> None:
        """Draw the outline and what to do next."""
        if not self.mode:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        shape = QPolygonF([*self.corners, *([self._pointer] if self._pointer and self.mode == "polyline" else [])])
        fill = QColor(theme.accent)
        fill.setAlpha(40)
        painter.setPen(QPen(QColor(theme.accent), 1.8))
        painter.setBrush(fill)
        painter.drawPolygon(shape)
        painter.setBrush(QColor(theme.raised))
        if self.mode == "polyline":
            for corner in self.corners:
                painter.drawEllipse(corner, 3.2, 3.2)
        if self.done:
            return
        enlarge(painter)
        area = at_100(area)
        painter.setFont(font(14, bold=True))
        text = f"{_HINTS[self.mode]}. Esc stops."
        box = QRectF(area.center().x() - 260, area.top() + 14, 520, 34)
        painter.setPen(QPen(QColor(theme.accent), 1.2))
        painter.setBrush(QColor(theme.raised))
        painter.drawRoundedRect(box, 6, 6)
        painter.setPen(QColor(theme.ink))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def _box(a: QPointF, b: QPointF) -> list[QPointF]:
    return [a, QPointF(b.x(), a.y()), b, QPointF(a.x(), b.y())]
