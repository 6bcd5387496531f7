"""What the Evaluate stage paints over the view: where sections cut the part, how long needles are, dents in space."""

from collections.abc import Callable

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPainter

from truegauge.app.document.session import Session
from truegauge.app.stages.evaluate.blade.in_view import BladeHand, paint_blade
from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.stages.evaluate.section_hand import SectionHand
from truegauge.app.stages.evaluate.section_maker import SectionMaker
from truegauge.app.stages.evaluate.surface.in_space import SpaceModel
from truegauge.app.view.overlays import paint_sections
from truegauge.app.view.view import View
from truegauge.app.view.view_marks import paint_note
from truegauge.app.widgets.theme import Theme
from truegauge.rendering.camera import Camera


class EvaluateOverlay:
    """Painted by the view in the Evaluate stage."""

    def __init__(
        self, session: Session, view: View, sections: SectionMaker, space: SpaceModel, blade: BladeModel,
        is_blade: Callable[[], bool],
    ) -> None:  # fmt: skip
        self._session, self._view, self._space = session, view, space
        self._hand, self._blade_hand, self._blade, self._is_blade = (
            SectionHand(session, sections), BladeHand(blade), blade, is_blade,
        )  # fmt: skip

    @property
    def hand(self) -> SectionHand | BladeHand | None:
        """Sections are dragged where they are shown."""
        if self._is_blade():
            return self._blade_hand
        return self._hand if self._session.shown.sections else None

    def freedoms(self) -> None:
        """Alignments are not the question here."""

    def paint(self, painter: QPainter, camera: Camera, theme: Theme, size: QSize) -> None:
        """Paint what is shown of them."""
        self._space.paint(painter, camera, theme, size)
        if self._is_blade():
            paint_blade(painter, self._blade_hand, self._blade, camera, theme, size)
        elif self._session.shown.sections:
            paint_sections(painter, self._session, camera, theme, size, self._hand.held)
        if self._session.shown.map_needles and self._view.needle_factor:
            text = f"needles {self._view.needle_factor:,.0f} times"
            paint_note(painter, text, theme, QRectF(0, 0, size.width(), size.height()))
