"""What the Evaluate stage paints over the view: where sections cut the part, and how long the needles are."""

from PySide6.QtCore import QRectF, QSize
from PySide6.QtGui import QPainter

from truegauge.app.document.session import Session
from truegauge.app.view.overlays import paint_sections
from truegauge.app.view.view import View
from truegauge.app.view.view_marks import paint_note
from truegauge.app.widgets.theme import Theme
from truegauge.rendering.camera import Camera


class EvaluateOverlay:
    """Painted by the view in the Evaluate stage."""

    def __init__(self, session: Session, view: View) -> None:
        self._session, self._view = session, view

    def freedoms(self) -> None:
        """Alignments are not the question here."""

    def paint(self, painter: QPainter, camera: Camera, theme: Theme, size: QSize) -> None:
        """Paint what is shown of both."""
        if self._session.shown.sections:
            paint_sections(painter, self._session, camera, theme, size)
        if self._session.shown.map_needles and self._view.needle_factor:
            text = f"needles {self._view.needle_factor:,.0f} times"
            paint_note(painter, text, theme, QRectF(0, 0, size.width(), size.height()))
