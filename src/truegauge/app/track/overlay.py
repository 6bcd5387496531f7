"""The route of the chosen steps over the part: where it is touched, and the ways between."""

import itertools
from collections.abc import Callable

import numpy as np
from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from truegauge.app.track.model import RouteModel
from truegauge.app.track.places_hand import PlacesHand
from truegauge.app.view.content import OverlayHand
from truegauge.app.widgets.theme import Theme
from truegauge.core.arrays import Points
from truegauge.core.datums.freedoms import Freedoms
from truegauge.core.frames import apply, invert
from truegauge.core.routes.legs import Visit
from truegauge.rendering.camera import Camera

_DENSE = 250  # places
OnScreen = Callable[[Points], list[QPointF]]


class RouteOverlay:
    """Painted in the Measure stage while a step is chosen."""

    def __init__(self, model: RouteModel, hand: PlacesHand) -> None:
        self._model, self._hand = model, hand

    @property
    def hand(self) -> OverlayHand | None:
        """Places that were clicked one by one."""
        return self._hand

    def freedoms(self) -> Freedoms | None:
        """That is not the question here."""
        return None

    def paint(self, painter: QPainter, camera: Camera, theme: Theme, size: QSize) -> None:
        """Paint places and ways."""
        m = self._model
        if m.routed is None or not m.chosen:
            return
        back = invert(m.routed.scene.machine_from_part)

        def on_screen(places: Points) -> list[QPointF]:
            flat = camera.project(places, size.width() / max(size.height(), 1))
            return [QPointF(x * size.width(), y * size.height()) for x, y, _ in flat]

        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for step_id in m.chosen:
            if m.preview is not None and m.preview[0] == step_id:
                places = m.preview[1].points
                dense = len(places) > _DENSE  # those of continuous contact are seen as a line
                painter.setPen(Qt.PenStyle.NoPen if dense else QPen(QColor(theme.view), 1.2))
                painter.setBrush(QColor(theme.accent))
                for at in on_screen(places):
                    painter.drawEllipse(at, 1.5 if dense else 4.0, 1.5 if dense else 4.0)
                continue
            plan = m.step_plan(step_id)
            if plan is None:
                continue
            for visit in plan.visits:
                self._visit(painter, theme, visit, lambda at: on_screen(apply(back, at)))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            for trouble in plan.troubles:
                at = on_screen(np.array([trouble.place]))[0]
                painter.setPen(QPen(QColor(theme.soft if trouble.moved else theme.outside), 1.6))
                if trouble.moved:
                    painter.drawEllipse(at, 3.5, 3.5)
                else:
                    painter.drawLine(at + QPointF(-4, -4), at + QPointF(4, 4))
                    painter.drawLine(at + QPointF(-4, 4), at + QPointF(4, -4))
        painter.restore()

    def _visit(self, painter: QPainter, theme: Theme, visit: Visit, on_screen: OnScreen) -> None:
        color = QColor(theme.accent)
        touched = on_screen(visit.places.points)
        for k in range(len(visit.places)):
            if k and visit.traced and not len(visit.ways[k]):
                # Along the surface: a line of contact, no places of their own.
                painter.setPen(QPen(color, 2.4))
                painter.drawLine(touched[k - 1], touched[k])
                continue
            way = visit.ways[k] if k else visit.ways[0][-2:]
            start = [visit.before(k - 1)] if k else []
            line = on_screen(np.vstack([*start, *way]) if len(way) or start else visit.before(k)[None])
            painter.setPen(QPen(color, 1.2))
            for a, b in itertools.pairwise(line):
                painter.drawLine(a, b)
            ends = on_screen(np.array([visit.before(k), visit.places.points[k]]))
            painter.setPen(QPen(color, 1.2, Qt.PenStyle.DotLine))
            painter.drawLine(ends[0], ends[1])
            painter.setPen(QPen(QColor(theme.view), 1.2))
            painter.setBrush(color)
            painter.drawEllipse(ends[1], 4.0, 4.0)
