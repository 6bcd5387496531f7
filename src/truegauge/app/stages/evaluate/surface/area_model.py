"""Choosing where on the surface it is looked: what is drawn becomes steps of the check. No widget."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QObject, Signal

from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.core.arrays import three
from truegauge.core.clouds.recipe import CropOutline
from truegauge.core.imperfections.area_steps import AreaBrush, AreaGrown, AreaOutline, AreaPatch, AreaSmooth, AreaStep

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.drawing.units import NumberFormat

Draw = Callable[[str, Callable[[CropOutline], None]], None]
# What is drawn on the flat map, and what is said while it is.
TOOLS = {
    "lasso": "Draw around it with the button held",
    "polyline": "Click corners around it; Enter or a double click closes",
    "brush": "Paint with the button held", "smooth": "Click a place: all that is reached without crossing a crease",
    "frame": "Click the origin, a place along x, and a third one on the side of y",
}  # fmt: skip
_FRAME_PLACES = 3
_NO_FARTHER = 1e-3  # mm between two places of a line that are kept apart


class AreaModel(QObject):
    """The tool in hand and what it makes. Signals: `changed`."""

    changed = Signal()

    def __init__(self, surface: SurfaceModel, draw: Draw, parent: QObject | None = None) -> None:
        """`draw` lets an outline of a kind be drawn in the view of the part, and hands it over."""
        super().__init__(parent)
        self.surface, self.session, self._draw = surface, surface.session, draw
        self.tool = ""
        self.way = "only"
        self.radius = 10.0
        self.by = 5.0
        self.turn = 0.25
        self.deep = False
        self.in_view = False  # the view of the part is shown instead of the flat map
        surface.changed.connect(self._on_surface)

    def _on_surface(self) -> None:
        if self.tool and self.surface.check is None:
            self.tool = ""
        self.changed.emit()

    def set_way(self, way: str) -> None:
        """Have what is drawn be all that is kept, be added, or be taken out."""
        self.way = way

    def take(self, tool: str) -> None:
        """Take a tool in hand; the one in hand or none: put it away."""
        self.tool = "" if tool == self.tool else tool
        if self.tool:
            self.in_view = False
        self.changed.emit()
        self.surface.changed.emit()

    def show_view(self, *, shown: bool) -> None:
        """Show the view of the part, or the flat map."""
        self.in_view, self.tool = shown, ""
        self.surface.changed.emit()

    def draw_in_view(self, mode: str) -> None:
        """Let an outline be drawn over the view of the part."""
        if self.session.sample is None:
            return
        self.show_view(shown=True)
        self._draw(mode, self._take_outline)

    # What was drawn -------------------------------------------------------------------------------------------------

    def finish(self, drawn: Floats) -> None:
        """Take what was drawn on the flat map: places (n, 2) mm of the laid out surface."""
        found = self.surface.found
        if found is None or not len(drawn):
            return
        places = tuple(three(p) for p in found.prepared.surface.place_at(np.asarray(drawn)))
        way = {"way": self.way}
        match self.tool:
            case "lasso" | "polyline":
                if len(places) >= 3:
                    self.add(AreaPatch.model_validate({"corners": _apart(places), **way}))
            case "brush":
                self.add(AreaBrush.model_validate({"places": _apart(places), "radius": self.radius, **way}))
            case "smooth":
                self.add(AreaSmooth.model_validate({"place": places[-1], "turn": self.turn, **way}))
            case "frame":
                if len(places) < _FRAME_PLACES:
                    return
                self.tool = ""
                self.surface.change(frame=places[:_FRAME_PLACES])
        self.changed.emit()

    def _take_outline(self, drawn: CropOutline) -> None:
        """Take an outline that was drawn over the view: there the scan lies as it is aligned."""
        right, up, corners = np.array(drawn.right), np.array(drawn.up), np.array(drawn.outline)
        lie = self.surface.lie()
        if lie is not None:
            zero = lie.places(np.zeros((1, 3)))[0]
            turned = lie.places(np.eye(3)) - zero  # its rows: where x, y and z of the scan go
            corners = corners - np.array([right @ zero, up @ zero])
            right, up = turned @ right, turned @ up
        self.add(AreaOutline.model_validate({
            "way": self.way, "right": three(right), "up": three(up), "deep": self.deep,
            "outline": tuple((float(a), float(b)) for a, b in corners),
        }))  # fmt: skip
        self.show_view(shown=False)

    # Steps ----------------------------------------------------------------------------------------------------------

    @property
    def steps(self) -> tuple[AreaStep, ...]:
        """The steps of the check that is looked at."""
        return self.surface.check.area if self.surface.check is not None else ()

    def add(self, step: AreaStep) -> None:
        """Put a step at the end."""
        self.surface.change(area=(*self.steps, step))

    def grow(self, by: float) -> None:
        """Make the area wider or (negative) narrower."""
        last = self.steps[-1] if self.steps else None
        if isinstance(last, AreaGrown):
            rest = self.steps[:-1]
            self.surface.change(area=rest if last.by + by == 0 else (*rest, AreaGrown(by=last.by + by)))
        elif self.steps or by < 0:
            self.add(AreaGrown(by=by))

    def remove(self, number: int) -> None:
        """Take a step out."""
        self.surface.change(area=(*self.steps[:number], *self.steps[number + 1 :]))

    def forget_frame(self) -> None:
        """Tell places as the scan has them."""
        self.surface.change(frame=None)


def words_of(step: AreaStep, numbers: NumberFormat) -> str:
    """Say what a step does."""
    if isinstance(step, AreaGrown):
        return f"{'wider' if step.by > 0 else 'narrower'} by {numbers.rough(abs(step.by))} {numbers.unit}"
    way = {"only": "Only", "also": "Also", "not": "Not"}[step.way]
    match step:
        case AreaOutline():
            return f"{way} in an outline of the view"
        case AreaPatch():
            return f"{way} in a line of {len(step.corners)} corners"
        case AreaBrush():
            return f"{way} painted, {numbers.rough(2 * step.radius)} {numbers.unit} wide"
        case _:
            return f"{way} up to creases of {np.degrees(step.turn):.0f}°"


def _apart(places: tuple[tuple[float, float, float], ...]) -> tuple[tuple[float, float, float], ...]:
    """Leave out places where the one before is."""
    made: list[tuple[float, float, float]] = []
    for p in places:
        if not made or np.linalg.norm(np.subtract(p, made[-1])) > _NO_FARTHER:
            made.append(p)
    return tuple(made)
