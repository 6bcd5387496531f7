"""A surface on a page of a PDF: its y grows downwards, that of the page upwards."""

import io
from collections.abc import Sequence
from functools import lru_cache

from reportlab.lib.colors import HexColor
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

from truegauge import assets
from truegauge.drawing.jpeg import jpeg
from truegauge.drawing.surface import Pixels, Points

_PLAIN, _BOLD = "B612", "B612-Bold"
_UNIT = 0.55  # points for a pixel of the window


@lru_cache(maxsize=1)
def load_fonts() -> frozenset[int]:
    """Make the fonts known; returns the characters that they have."""
    for name, path in ((_PLAIN, assets.REGULAR), (_BOLD, assets.BOLD)):
        if name not in pdfmetrics.getRegisteredFontNames():
            pdfmetrics.registerFont(TTFont(name, str(path)))
    return frozenset(pdfmetrics.getFont(_PLAIN).face.charToGlyph)


def drawable(text: str) -> str:
    """Replace what the font lacks: a missing sign would vanish without a word."""
    known = load_fonts()
    return "".join(c if ord(c) in known else "?" for c in text)


class PdfSurface:
    """Draws on a canvas; `top` is the y of the page (points, upwards) at which y = 0 lies."""

    unit = _UNIT

    def __init__(self, canvas: Canvas, top: float) -> None:
        self._canvas, self._top = canvas, top
        load_fonts()

    def crisp(self, value: float) -> float:
        """Return it as it is: paper has no pixels."""
        return value

    def line(self, points: Points, color: str, width: float = 1.0) -> None:
        """Draw an open polyline."""
        self._path(points, "", color, width, closed=False)

    def lines(self, segments: Sequence[tuple[float, float, float, float]], color: str, width: float = 1.0) -> None:
        """Draw many straight lines."""
        self._set("", color, width)
        self._canvas.lines([(a, self._top - b, c, self._top - d) for a, b, c, d in segments])

    def loop(self, points: Points, *, fill: str = "", color: str = "", width: float = 1.0) -> None:
        """Draw a closed polygon."""
        self._path(points, fill, color, width, closed=True)

    def circle(self, x: float, y: float, radius: float, *, fill: str = "", color: str = "", width: float = 1.0) -> None:
        """Draw a circle."""
        self._set(fill, color, width)
        self._canvas.circle(x, self._top - y, radius, stroke=int(bool(color)), fill=int(bool(fill)))

    def arc(
        self, x: float, y: float, radius: float, start: float, sweep: float, color: str, width: float = 1.0
    ) -> None:
        """Draw an arc."""
        self._set("", color, width)
        middle = self._top - y
        self._canvas.arc(x - radius, middle - radius, x + radius, middle + radius, start, sweep)

    def box(
        self, x: float, y: float, width: float, height: float, *, fill: str = "", color: str = "", line: float = 1.0,
        rounded: float = 0.0,
    ) -> None:  # fmt: skip
        """Draw a box."""
        self._set(fill, color, line)
        drawn = {"stroke": int(bool(color)), "fill": int(bool(fill))}
        if rounded:
            self._canvas.roundRect(x, self._top - y - height, width, height, rounded, **drawn)
        else:
            self._canvas.rect(x, self._top - y - height, width, height, **drawn)

    def text(self, x: float, y: float, text: str, size: float, color: str, *, bold: bool = False) -> None:
        """Write."""
        self._canvas.setFont(_BOLD if bold else _PLAIN, size)
        self._canvas.setFillColor(HexColor(color))
        self._canvas.drawString(x, self._top - y, drawable(text))

    def centered(self, box: tuple[float, float, float, float], text: str, size: float, color: str) -> None:
        """Write in the middle of a box."""
        x, y, width, height = box
        self.text(x + (width - self.advance(text, size)) / 2, y + height / 2 + 0.36 * size, text, size, color)

    def image(self, box: tuple[float, float, float, float], pixels: Pixels) -> None:
        """Draw a picture."""
        x, y, width, height = box
        self._canvas.drawImage(ImageReader(io.BytesIO(jpeg(pixels))), x, self._top - y - height, width, height)

    def advance(self, text: str, size: float, *, bold: bool = False) -> float:
        """Return how wide a text is."""
        return float(pdfmetrics.stringWidth(drawable(text), _BOLD if bold else _PLAIN, size))

    def _path(self, points: Points, fill: str, color: str, width: float, *, closed: bool) -> None:
        self._set(fill, color, width)
        path = self._canvas.beginPath()
        for k, (x, y) in enumerate(points):
            (path.moveTo if k == 0 else path.lineTo)(x, self._top - y)
        if closed:
            path.close()
        self._canvas.drawPath(path, stroke=int(bool(color)), fill=int(bool(fill)))

    def _set(self, fill: str, color: str, width: float) -> None:
        if fill:
            self._canvas.setFillColor(HexColor(fill))
        if color:
            self._canvas.setStrokeColor(HexColor(color))
            self._canvas.setLineWidth(width)
