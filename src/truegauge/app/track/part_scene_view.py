"""A view of the part where it lies on a machine, with what holds it and a probe: of rehearsals, and of runs."""

from collections.abc import Callable

import numpy as np
from PySide6.QtWidgets import QWidget

from truegauge.app.view.turned_view import TurnedView
from truegauge.app.widgets.theme import LiveTheme
from truegauge.core.arrays import Rigid, Vector
from truegauge.core.cad.model import CadModel
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.routes.document import PartFixture, Route
from truegauge.core.routes.facets import facets_from_text
from truegauge.core.routes.scene import fixture_pose
from truegauge.rendering.camera import Camera
from truegauge.rendering.solids import Solid, plate, rod

_FIXTURE = (150, 140, 122)


class PartSceneView(TurnedView):
    """Keeps scene and eye. Subclasses say in `refresh` what stands there, and paint."""

    def __init__(self, theme: LiveTheme, is_restless: Callable[[], bool], parent: QWidget | None = None) -> None:
        super().__init__(theme, is_restless, parent)
        self._camera: Camera | None = None
        self._standing: object = None  # what stands there
        self._use: StylusUse | None = None  # that is shown
        self._fixtures = 0
        theme.changed.connect(self._on_theme_changed)

    def _on_theme_changed(self) -> None:
        self.take_palette()
        self._standing = None
        self.refresh()

    def refresh(self) -> None:
        """Show what stands there, and the probe."""
        raise NotImplementedError

    def _show_part(self, part: CadModel, pose: Rigid, route: Route) -> bool:
        """Show a part where it lies, with its fixtures; False where all of that is shown already."""
        standing = (part.key, pose.tobytes(), route.fixtures)
        if standing == self._standing:
            return False
        self._standing = standing
        self.scene.set_part(part, pose)
        for k in range(max(len(route.fixtures), self._fixtures)):
            fixture = route.fixtures[k] if k < len(route.fixtures) else None
            self.scene.set_solid(f"fixture {k}", None if fixture is None else solid_of(fixture), _FIXTURE)
            if fixture is not None:
                self.scene.place(f"fixture {k}", fixture_pose(fixture, part, route, pose))
        self._fixtures = len(route.fixtures)
        return True

    def _show_probe(self, probing: Probing, use: StylusUse | None, quill: Vector | None = None) -> None:
        """Show the probe of a stylus with its quill at a place (3,), or none."""
        if use != self._use:
            self._use = use
            if use is None:
                self.scene.set_probe(None)
            else:
                self.scene.set_probe(probing.assembly(use.assembly), use.pose, "", use.stylus)
        if quill is not None:
            self.scene.place_probe(quill)

    @property
    def camera(self) -> Camera | None:
        """The eye."""
        return self._camera

    def look(self, camera: Camera) -> None:
        """Take another eye."""
        self._camera = camera

    def showEvent(self, event: object) -> None:
        """Catch up."""
        self.refresh()


def solid_of(fixture: PartFixture) -> Solid:
    """Return what is drawn of a fixture."""
    low, high = np.array(fixture.low), np.array(fixture.high)
    if fixture.shape == "mesh":
        corners = facets_from_text(fixture.facets)
        flat = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
        flat /= np.maximum(np.linalg.norm(flat, axis=1, keepdims=True), 1e-12)
        count = 3 * len(corners)
        return Solid(corners.reshape(-1, 3), np.arange(count).reshape(-1, 3), np.repeat(flat, 3, axis=0))
    return plate(low, high - low) if fixture.shape == "box" else rod(low, high, fixture.radius)
