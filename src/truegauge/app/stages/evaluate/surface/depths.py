"""How deep and high they are, and how many: bars on the page."""

import numpy as np
from PySide6.QtGui import QPaintEvent
from PySide6.QtWidgets import QWidget

from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.widgets.painter_surface import PainterSurface
from truegauge.app.widgets.text_size import keep_size, painter_on, room_of
from truegauge.drawing.histogram import draw_histogram
from truegauge.drawing.units import NumberFormat
from truegauge.palette import BRASS

_HIGH = 92


class DepthBars(QWidget):
    """A histogram of the depths that were found."""

    def __init__(self, model: SurfaceModel) -> None:
        super().__init__()
        self._model = model
        keep_size(self, height=_HIGH)
        self.setAccessibleName("How many are how deep")

    def refresh(self) -> None:
        """Paint them again."""
        found = self._model.found
        self.setVisible(found is not None and len(found.imperfections) > 1)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the bars."""
        found, plan = self._model.found, self._model.session.plan
        if found is None or not found.imperfections:
            return
        room, palette = room_of(self), self.palette()
        depths = np.array([i.depth for i in found.imperfections])
        soft, rule = palette.text().color().name(), palette.mid().color().name()
        with PainterSurface(painter_on(self)) as surface:
            box = (room.x() + 2, room.y() + 2, room.width() - 4, room.height() - 4)
            draw_histogram(surface, box, depths, NumberFormat(plan.unit, plan.decimals), (BRASS, soft, rule), 11.0)
