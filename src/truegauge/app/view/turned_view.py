"""A view of a machine's scene that is turned, shifted and zoomed by the mouse."""

from collections.abc import Callable
from functools import cached_property

from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QMouseEvent, QWheelEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.view.picture import ViewPicture
from truegauge.app.widgets.theme import LiveTheme
from truegauge.rendering.camera import Camera
from truegauge.rendering.machine_scene import MachineScene


class TurnedView(QWidget):
    """Turns with the left button, shifts with the right, zooms with the wheel. Subclasses keep the eye."""

    def __init__(
        self, theme: LiveTheme, is_restless: Callable[[], bool] = lambda: False, parent: QWidget | None = None
    ) -> None:  # fmt: skip
        super().__init__(parent)
        self._theme, self._is_restless = theme, is_restless
        self._last, self._press = QPointF(), False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)

    @cached_property
    def scene(self) -> MachineScene:
        """What is drawn; made when it is seen first."""
        return MachineScene(self._theme.palette)

    @cached_property
    def picture(self) -> ViewPicture:
        """Its picture."""
        return ViewPicture(self, self.scene, self._is_restless)

    def take_palette(self) -> None:
        """Draw in the colours of the theme as it is now."""
        if "scene" in self.__dict__:
            self.scene.set_palette(self._theme.palette)

    def let_go(self) -> None:
        """Let go of what the picture is drawn with, if it was ever seen."""
        if "scene" in self.__dict__:
            self.scene.close()

    @property
    def camera(self) -> Camera | None:
        """The eye."""
        raise NotImplementedError

    def look(self, camera: Camera) -> None:
        """Take another eye."""
        raise NotImplementedError

    def _redraw(self, *, moving: bool = False) -> None:
        self.picture.camera = self.camera
        self.picture.redraw(moving=moving)

    @property
    def _aspect(self) -> float:
        return self.width() / max(1, self.height())

    def finish(self) -> None:
        """Have the picture at rest at once: for who takes a picture of the window."""
        self.picture.finish()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to turn or shift."""
        self.setFocus()
        self._last, self._press = event.position(), True

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Turn (left), shift (right or middle)."""
        camera = self.camera
        if not self._press or camera is None:
            return
        at = event.position()
        dx, dy = (at.x() - self._last.x()) / self.width(), (at.y() - self._last.y()) / self.height()
        self._last = at
        turns = bool(event.buttons() & Qt.MouseButton.LeftButton)
        self.look(camera.orbited(dx, -dy, camera.target) if turns else camera.panned(dx, dy, self._aspect))
        self._redraw(moving=True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """End."""
        self._press = False

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom at the pointer."""
        camera, at = self.camera, event.position()
        if camera is not None:
            factor = 1.0015 ** event.angleDelta().y()
            self.look(camera.zoomed(factor, at.x() / self.width(), at.y() / self.height(), self._aspect))
            self._redraw(moving=True)

    def resizeEvent(self, event: object) -> None:
        """Keep what is seen in the picture."""
        self._redraw()
