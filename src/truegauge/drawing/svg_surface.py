"""A surface of SVG elements."""

import base64
from collections.abc import Sequence
from html import escape

from truegauge.drawing.jpeg import jpeg
from truegauge.drawing.surface import Pixels, Points

_WIDE = 0.58  # of its size: a letter, where nobody can measure it


class SvgSurface:
    """Collects the elements of a picture; `picture` returns it."""

    unit = 1.0

    def __init__(self, width: float, height: float) -> None:
        self._width, self._height = width, height
        self._parts: list[str] = []

    def picture(self, kind: str = "") -> str:
        """Return the picture; one of a kind (a class of the page) is as large as the page wants it."""
        width, height = _n(self._width), _n(self._height)
        size = f'class="{kind}" viewBox="0 0 {width} {height}"' if kind else f'width="{width}" height="{height}"'
        return f"<svg {size}>{''.join(self._parts)}</svg>"

    def crisp(self, value: float) -> float:
        """Return the middle of a pixel."""
        return round(value) + 0.5

    def line(self, points: Points, color: str, width: float = 1.0) -> None:
        """Draw an open polyline."""
        self._parts.append(f'<polyline points="{_corners(points)}" {_drawn("", color, width)}/>')

    def lines(self, segments: Sequence[tuple[float, float, float, float]], color: str, width: float = 1.0) -> None:
        """Draw many straight lines."""
        path = "".join(f"M{_n(a)} {_n(b)}L{_n(c)} {_n(d)}" for a, b, c, d in segments)
        self._parts.append(f'<path d="{path}" {_drawn("", color, width)}/>')

    def loop(self, points: Points, *, fill: str = "", color: str = "", width: float = 1.0) -> None:
        """Draw a closed polygon."""
        self._parts.append(f'<polygon points="{_corners(points)}" {_drawn(fill, color, width)}/>')

    def circle(self, x: float, y: float, radius: float, *, fill: str = "", color: str = "", width: float = 1.0) -> None:
        """Draw a circle."""
        at = f'cx="{_n(x)}" cy="{_n(y)}" r="{_n(radius)}"'
        self._parts.append(f"<circle {at} {_drawn(fill, color, width)}/>")

    def arc(
        self, x: float, y: float, radius: float, start: float, sweep: float, color: str, width: float = 1.0
    ) -> None:
        """Draw an arc."""
        from math import cos, radians, sin

        ends = [(x + radius * cos(radians(a)), y - radius * sin(radians(a))) for a in (start, start + sweep)]
        large, way = int(abs(sweep) > 180), int(sweep < 0)
        (x0, y0), (x1, y1) = ends
        path = f"M{_n(x0)} {_n(y0)}A{_n(radius)} {_n(radius)} 0 {large} {way} {_n(x1)} {_n(y1)}"
        self._parts.append(f'<path d="{path}" {_drawn("", color, width)}/>')

    def box(
        self, x: float, y: float, width: float, height: float, *, fill: str = "", color: str = "", line: float = 1.0,
        rounded: float = 0.0,
    ) -> None:  # fmt: skip
        """Draw a box."""
        at = f'x="{_n(x)}" y="{_n(y)}" width="{_n(width)}" height="{_n(height)}"'
        corner = f' rx="{_n(rounded)}"' if rounded else ""
        self._parts.append(f"<rect {at}{corner} {_drawn(fill, color, line)}/>")

    def text(self, x: float, y: float, text: str, size: float, color: str, *, bold: bool = False) -> None:
        """Write."""
        self._write(x, y, text, size, color, ' font-weight="bold"' if bold else "")

    def centered(self, box: tuple[float, float, float, float], text: str, size: float, color: str) -> None:
        """Write in the middle of a box."""
        x, y, width, height = box
        self._write(x + width / 2, y + height / 2 + 0.36 * size, text, size, color, ' text-anchor="middle"')

    def _write(self, x: float, y: float, text: str, size: float, color: str, more: str) -> None:
        at = f'x="{_n(x)}" y="{_n(y)}" font-size="{_n(size)}" fill="{color}"{more}'
        self._parts.append(f"<text {at}>{escape(text)}</text>")

    def image(self, box: tuple[float, float, float, float], pixels: Pixels) -> None:
        """Draw a picture."""
        x, y, width, height = box
        at = f'x="{_n(x)}" y="{_n(y)}" width="{_n(width)}" height="{_n(height)}" preserveAspectRatio="none"'
        data = base64.b64encode(jpeg(pixels)).decode()
        self._parts.append(f'<image {at} href="data:image/jpeg;base64,{data}"/>')

    def advance(self, text: str, size: float, *, bold: bool = False) -> float:
        """Return how wide a text is, roughly."""
        return _WIDE * size * len(text)


def _n(value: float) -> str:
    return f"{value:.2f}".rstrip("0").rstrip(".")


def _corners(points: Points) -> str:
    return " ".join(f"{_n(x)},{_n(y)}" for x, y in points)


def _drawn(fill: str, color: str, width: float) -> str:
    stroke = f' stroke="{color}" stroke-width="{_n(width)}" stroke-linecap="round"' if color else ""
    return f'fill="{fill or "none"}"{stroke}'
