"""Small pictures of saved views, drawn with the scene of the window, which then is as it was."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtGui import QImage

from truegauge.app.document.session import Session
from truegauge.core.plan.views import SavedView
from truegauge.rendering.report_views import camera_of

if TYPE_CHECKING:
    from truegauge.app.view.view import View

WIDTH, HEIGHT = 152, 96


def thumbnail(view: View, session: Session, saved: SavedView) -> QImage | None:
    """Return a picture of the part as a saved view shows it; None without a part."""
    if session.model is None:
        return None
    scene = view.scene
    hidden = np.zeros(len(session.model.faces), dtype=bool)
    hidden[[f for f in saved.hidden if f < len(hidden)]] = True
    box = None if saved.section_box is None else np.array(saved.section_box)
    scene.set_look(hidden if hidden.any() else None, saved.opacity, saved.edges_only, box)
    found = session.evaluator.known_deviation_map(session.plan, session.sample) if session.evaluator else None
    scene.set_map(found if saved.show == "map" else None, saved.scale or session.plan.scale)
    scene.show_points(saved.show == "scan" or saved.points)
    pixels = scene.render(camera_of(saved.eye), WIDTH, HEIGHT, moving=True)
    view.shown.refresh()
    return QImage(pixels.data, WIDTH, HEIGHT, 4 * WIDTH, QImage.Format.Format_RGBX8888).copy()
