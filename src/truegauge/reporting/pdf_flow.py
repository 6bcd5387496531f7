"""Pieces of a PDF that flow onto its pages, each drawn on a surface of its own."""

from collections.abc import Callable
from typing import Any

from reportlab.lib.colors import HexColor
from reportlab.lib.units import mm
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable

from truegauge.drawing.fitting import fitting
from truegauge.palette import INK
from truegauge.reporting.pdf_surface import PdfSurface

Paint = Callable[[PdfSurface, float], None]


class Drawn(Flowable):  # type: ignore[misc]
    """A piece of a height that takes all the width there is; `paint` draws it, y downwards from its top."""

    def __init__(self, height: float, paint: Paint) -> None:
        super().__init__()
        self.height, self.width, self._paint_on = height, 0.0, paint

    def wrap(self, width: float, height: float) -> tuple[float, float]:
        """Take the width."""
        self.width = width
        return width, self.height

    def draw(self) -> None:
        """Draw on the canvas, whose zero is the lower left corner now."""
        self._paint_on(PdfSurface(self.canv, self.height), self.width)


NAME = 7 * float(mm)  # how high a name is


def named(words: str) -> Drawn:
    """Return the name of what follows."""
    return Drawn(NAME, lambda s, width: s.text(0, 4 * float(mm), words, 9, INK, bold=True))


class CountedCanvas(Canvas):  # type: ignore[misc]
    """Knows how many pages there are when it writes their feet: pages are kept until the last."""

    foot: tuple[float, float, float, str]  # right end, base line, size, colour

    def __init__(self, *arguments: Any, **named: Any) -> None:
        super().__init__(*arguments, **named)
        self._kept: list[dict[str, Any]] = []

    def showPage(self) -> None:
        """Keep the page."""
        self._kept.append(dict(self.__dict__))
        self._startPage()

    def save(self) -> None:
        """Write all pages."""
        right, base, size, color = self.foot
        for number, page in enumerate(self._kept, 1):
            self.__dict__.update(page)
            self.setFont("B612", size)
            self.setFillColor(HexColor(color))
            self.drawRightString(right, base, f"page {number} of {len(self._kept)}")
            super().showPage()
        super().save()


def right(s: PdfSurface, x: float, y: float, text: str, size: float, color: str, *, bold: bool = False) -> None:
    """Write so that the text ends at a place."""
    s.text(x - s.advance(text, size, bold=bold), y, text, size, color, bold=bold)


def fitted(s: PdfSurface, x: float, y: float, text: str, width: float, size: float, color: str) -> None:
    """Write no wider than a width."""
    s.text(x, y, fitting(text, lambda part: s.advance(part, size) <= width), size, color)
