"""What the run is at: the part where it lies with what holds it, the probe where it is now, and the touches made."""

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.measure.running.model import RunModel
from truegauge.app.track.part_scene_view import PartSceneView
from truegauge.app.widgets.text_size import enlarge, room_of
from truegauge.app.widgets.theme import LiveTheme
from truegauge.core.arrays import Rigid, box_corners
from truegauge.core.frames import apply
from truegauge.core.probing.records import Fixture
from truegauge.core.routes.scene import placed
from truegauge.rendering.camera import standard_camera

_AROUND = 30.0  # mm around the part that are shown
_ELSEWHERE = 15.0


class RunView(PartSceneView):
    """The place of the part is the one by which its ways are planned; before a run it lies as the route places it."""

    def __init__(self, model: RunModel, theme: LiveTheme, parent: QWidget | None = None) -> None:
        super().__init__(theme, lambda: model.at == "running", parent)
        self.model = model
        self._box: np.ndarray | None = None  # that is looked at
        self._others: tuple[Fixture, ...] = ()  # pieces beside the part
        self.setMinimumSize(240, 140)
        self.setAccessibleName("View of the run")
        model.changed.connect(self.refresh)
        model.machine.moved.connect(self._on_moved)

    def _pose(self) -> Rigid | None:
        """Where the part lies, as far as anybody knows."""
        m, part = self.model, self.model.session.model
        if m.run is not None:
            return m.run.program.router.planner.scene.machine_from_part
        known = m.pose()
        return known if known is not None or part is None else placed(part, m.route.route.placement)

    def refresh(self) -> None:
        """Show what stands there, and the probe."""
        part, route = self.model.session.model, self.model.route.route
        pose = self._pose() if self.isVisible() and part is not None else None
        if pose is None or part is None:
            return
        self._show_others(part.box, pose)
        if self._show_part(part, pose, route):
            corners = apply(pose, box_corners(part.box))
            box = np.array([corners.min(axis=0) - _AROUND, corners.max(axis=0) + _AROUND])
            # Found a little elsewhere it is looked at as before; another part, or in another place, is looked for.
            if self._box is None or np.abs(box - self._box).max() > _ELSEWHERE:
                self._box = box
                self._camera = standard_camera("corner", box, self._aspect)
        self._on_moved()

    def _show_others(self, box: np.ndarray, pose: Rigid) -> None:
        """Show the other pieces on the table."""
        pieces, run = self.model.pieces, self.model.run
        number = pieces.number if run is None else run.piece
        others = () if pieces.layout is None else pieces.layout.neighbours(box, pose, number)
        if others != self._others:
            self._others = others
            self.scene.set_fixtures(others)

    def _on_moved(self) -> None:
        if not self.isVisible():
            return
        cmm, run = self.model.machine.cmm, self.model.run
        probing, quill = self.model.session.plan.probing, None
        use = None if cmm is None or run is None or self.model.at == "done" else cmm.use
        if use is not None and not probing.has_stylus(use):
            use = None
        if use is not None and run is not None and cmm is not None and cmm.position is not None:
            quill = run.program.router.planner.scene.quill(use, cmm.position)
        self._show_probe(probing, use, quill)
        self._redraw(moving=self.model.at == "running")

    # Drawing ------------------------------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the picture, and the places of the feature: touched, and to be touched."""
        painter, t = QPainter(self), self._theme
        painter.fillRect(self.rect(), QColor(t.view))
        if self._camera is None:
            return
        camera = self.picture.paint(painter)
        visit, run = self.model.visit, self.model.run
        if visit is None or run is None or self.model.at not in ("running", "stopped", "note"):
            return
        enlarge(painter)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = room_of(self)
        taken = run.program.taken(visit)
        flat = camera.project(visit.places.points, room.width() / max(room.height(), 1.0))
        for k, (x, y, _) in enumerate(flat):
            painter.setPen(QColor(t.accent))
            painter.setBrush(QColor(t.accent) if k in taken else Qt.BrushStyle.NoBrush)
            painter.drawEllipse(QPointF(x * room.width(), y * room.height()), 4.0, 4.0)
