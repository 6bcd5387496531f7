"""Places that were clicked one by one: added by a click on the face, taken away by a click on them, moved by a drag."""

import numpy as np
from PySide6.QtCore import QPointF, QSize

from truegauge.app.track.model import RouteModel
from truegauge.core.arrays import Vector, three
from truegauge.core.plan.features import NominalFeature
from truegauge.core.routes.document import MeasureStep
from truegauge.core.routes.strategies import Clicked, Usual
from truegauge.rendering.camera import Camera

_NEAR = 9.0  # pixels


class PlacesHand:
    """Of the one step that is chosen."""

    def __init__(self, model: RouteModel) -> None:
        self._model, self._session = model, model.session
        self._held, self._moved = -1, False

    def _step(self) -> tuple[MeasureStep, NominalFeature] | None:
        m = self._model
        own = m.step(m.chosen[0]) if len(m.chosen) == 1 else None
        if not isinstance(own, MeasureStep) or not self._session.plan.has_feature(own.feature):
            return None
        feature = self._session.plan.feature(own.feature)
        return (own, feature) if isinstance(feature, NominalFeature) else None

    def _places(self) -> tuple[tuple[Vector, Vector], ...]:
        found = self._step()
        if found is None or not isinstance(found[0].strategy, Clicked):
            return ()
        return tuple((np.array(p), np.array(n)) for p, n in found[0].strategy.places)

    def click(self, face: int, place: Vector) -> bool:
        """Add a place of the chosen step's feature, or take the one away that was clicked on; False: another face."""
        found, evaluator = self._step(), self._session.evaluator
        held, self._held = self._held, -1
        kept = list(self._places())
        if 0 <= held < len(kept):
            del kept[held]
            self._keep(kept, "take a touch away")
            return True
        if found is None or evaluator is None or face not in found[1].faces:
            return False
        self._keep([*self._places(), self._on_surface(place)], "click a touch")
        return True

    def _on_surface(self, place: Vector) -> tuple[Vector, Vector]:
        evaluator = self._session.evaluator
        assert evaluator is not None
        found = evaluator.projector.deviations(np.ascontiguousarray(place[None]))
        return found.feet[0], np.asarray(found.normals[0], dtype=np.float64)

    def _keep(self, places: list[tuple[Vector, Vector]], label: str, merge_key: str = "") -> None:
        found = self._step()
        if found is None:
            return
        strategy = Clicked(places=tuple((three(p), three(n)) for p, n in places)) if places else Usual()
        self._model.edit(found[0].replace(strategy=strategy), label, merge_key)

    # What is dragged in the view ------------------------------------------------------------------------------------

    def press(self, at: QPointF, camera: Camera, size: QSize) -> bool:
        """Take hold of the place at a pixel."""
        kept = self._places()
        if not kept:
            return False
        flat = camera.project(np.array([p for p, _ in kept]), size.width() / max(size.height(), 1))
        away = np.hypot(flat[:, 0] * size.width() - at.x(), flat[:, 1] * size.height() - at.y())
        self._held, self._moved = (int(np.argmin(away)) if away.min() < _NEAR else -1), False
        return self._held >= 0

    def drag(self, at: QPointF, camera: Camera, size: QSize) -> None:
        """Move the place that is held over its face."""
        found, evaluator, kept = self._step(), self._session.evaluator, list(self._places())
        if found is None or evaluator is None or not 0 <= self._held < len(kept):
            return
        far = 2 * evaluator.model.diagonal
        shares = at.x() / size.width(), at.y() / size.height()
        origin, direction = camera.ray(*shares, size.width() / max(size.height(), 1), far)
        self._moved = True
        hit = evaluator.projector.pick_point(origin, direction)
        if hit is None or hit[0] not in found[1].faces:
            return
        kept[self._held] = self._on_surface(np.asarray(hit[1]))
        self._keep(kept, "move a touch", f"move a touch {found[0].id} {self._held}")

    def release(self) -> None:
        """Let go; whether it was only clicked on, the click tells."""
        if self._moved:
            self._held = -1
