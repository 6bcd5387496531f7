"""The picture of the part for the report: the map if there is one, rendered apart from the window's view."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from truegauge.core.plan.document import Plan
from truegauge.core.plan.graph import NotComputed
from truegauge.core.plan.sample import Sample
from truegauge.rendering.camera import Camera, standard_camera
from truegauge.rendering.scene import Palette, Scene

if TYPE_CHECKING:
    from truegauge.core.plan.evaluation import Evaluator


def report_picture(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, camera: Camera | None = None
) -> NDArray[np.uint8]:
    """Return the picture (height, width, 3), on white."""
    width, height = 1240, 720
    scene = Scene(Palette(background=(255, 255, 255)))
    try:
        scene.set_model(evaluator.model)
        found = evaluator.deviation_map(plan, sample)
        if not isinstance(found, NotComputed):
            scene.set_map(found, plan.scale.limit, plan.scale.tolerance)
        eye = camera or standard_camera("corner", evaluator.model.box, width / height)
        eye = eye.fitted(evaluator.model.box, width / height, 1.04)
        return scene.render(eye, width, height)[:, :, :3]
    finally:
        scene.close()
