"""The picture of the part in the view: at once without the details while it moves, at rest a band at a time."""

import time
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QRectF, QTimer
from PySide6.QtGui import QImage, QPainter
from PySide6.QtWidgets import QWidget

from truegauge.rendering.camera import Camera
from truegauge.rendering.fine_picture import FinePicture, Pace
from truegauge.rendering.scene import Scene

_REST_MS = 180
_SLOW_FRAME = 1 / 20
_BETWEEN_MS = 4  # bands of the picture at rest
_STALE_S = 0.25  # that a picture may be behind what has changed


class ViewPicture:
    """Renders a scene in the size of a widget, in between of what else happens; the widget paints what there is."""

    def __init__(self, widget: QWidget, scene: Scene, is_restless: Callable[[], bool]) -> None:
        self._widget, self.scene, self._is_restless = widget, scene, is_restless
        self.camera: Camera | None = None  # the eye that is wanted
        self.image: QImage | None = None
        self.seen_from: Camera | None = None  # the eye of the image
        self.is_fine = True  # a picture with all details is wanted
        self._moving_share = 0.75  # of the resolution while moving; follows the machine's speed
        self._coarse_wanted = False
        self._image_is_of: tuple[object, int, int] | None = None  # None for a picture without the details
        self._refining: FinePicture | None = None
        self._stale_since = 0.0  # that the picture is not of what there is; 0 while it is
        self._pace = Pace()
        self._rest = self._timer(_REST_MS, self._on_rest)
        self._bands = self._timer(_BETWEEN_MS, self._refine)

    def _timer(self, after_ms: int, then: Callable[[], None]) -> QTimer:
        timer = QTimer(self._widget)
        timer.setSingleShot(True)
        timer.setInterval(after_ms)
        timer.timeout.connect(then)
        return timer

    def forget(self) -> None:
        """Show nothing of what was: another part is there."""
        self.camera = self.image = self.seen_from = None

    def redraw(self, *, moving: bool = False) -> None:
        """Show what has changed, as soon as there is time for it: never while something else is painted."""
        moving = moving or self._is_restless()
        self.is_fine = not moving
        self._refining = None
        self._stale_since = self._stale_since or time.perf_counter()
        # What comes faster than pictures get ready is shown without the details.
        late = time.perf_counter() - self._stale_since > _STALE_S
        self._coarse_wanted = moving or self._image_is_of != self._wanted() or late
        if moving:
            self._rest.start()
        if not self._bands.isActive():
            self._bands.start()
        self._widget.update()

    def catch_up(self) -> None:
        """Draw what has changed while nobody looked."""
        if self._stale_since:
            self.redraw()

    def finish(self) -> None:
        """Have the picture at rest at once: for who takes a picture of the window."""
        self._rest.stop()
        self.redraw()
        while self._bands.isActive():
            self._bands.stop()
            self._refine()
        self._widget.repaint()

    def paint(self, painter: QPainter) -> Camera:
        """Paint what there is (at once, where there is nothing yet) over the widget; return the eye of it."""
        assert self.camera is not None
        if self.image is None:
            self.render()
        if self.image is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(QRectF(self._widget.rect()), self.image)
        return self.seen_from or self.camera

    def render(self) -> None:
        """Render a picture without the details, at once."""
        if self.camera is None:
            return
        started = time.perf_counter()
        ratio = self._moving_share * self._widget.devicePixelRatioF()
        width, height = self._size(ratio)
        self.image = _image(self.scene.render(self.camera, width, height, moving=True))
        self.seen_from, self._coarse_wanted = self.camera, False
        self._image_is_of, self._stale_since = None, time.perf_counter()
        spent = time.perf_counter() - started
        if spent > _SLOW_FRAME:
            self._moving_share = max(0.4, self._moving_share * 0.92)
        elif spent < 0.5 * _SLOW_FRAME:
            self._moving_share = min(1.0, self._moving_share * 1.04)

    def _size(self, ratio: float) -> tuple[int, int]:
        return max(16, round(self._widget.width() * ratio)), max(16, round(self._widget.height() * ratio))

    def _wanted(self) -> tuple[object, int, int]:
        """What the picture at rest is of: the eye, and its size in pixels."""
        return self.camera, *self._size(self._widget.devicePixelRatioF())

    def _on_rest(self) -> None:
        if self._is_restless():
            self._rest.start()
        else:
            self.redraw()

    def _refine(self) -> None:
        """Render what is wanted next: a picture without the details, or a band more of the one at rest."""
        if self.camera is None or not self._widget.isVisible():
            return
        if self._coarse_wanted:
            self.render()
            self._widget.update()
            if self.is_fine:
                self._bands.start()
            return
        if not self.is_fine:
            return
        _, width, height = self._wanted()
        picture = self._refining
        if picture is None or (picture.width, picture.height) != (width, height):
            picture = self._refining = FinePicture(self.scene, self.camera, width, height, self._pace)
        picture.step()
        if picture.done:
            self.image, self.seen_from, self._image_is_of = _image(picture.pixels), self.camera, self._wanted()
            self._refining, self._stale_since = None, 0.0
            self._widget.update()
        else:
            self._bands.start()


def _image(pixels: np.ndarray) -> QImage:
    height, width = pixels.shape[:2]
    return QImage(pixels.data, width, height, 4 * width, QImage.Format.Format_RGBX8888).copy()
