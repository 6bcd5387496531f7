"""Colours of the product, and the bands of the deviation scale: the same in window, pictures and reports."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Rgb = tuple[int, int, int]

INK, PAPER, BRASS = "#1F2A33", "#F6F4EF", "#A87B24"
WITHIN, NEAR, OUTSIDE = "#1E7F86", "#C98A12", "#BF3A2B"
MINUS, ZERO, PLUS = "#3B3A8F", "#F1EDE2", "#C4472B"

INNER_BANDS = 5  # between the tolerance limits; odd, so that zero lies in a band
OUTER_BANDS = 3  # from a tolerance limit to the end of the scale


def rgb(text: str) -> Rgb:
    """Return #RRGGBB as three bytes."""
    return int(text[1:3], 16), int(text[3:5], 16), int(text[5:7], 16)


def hexadecimal(color: Rgb) -> str:
    """Return three bytes as #RRGGBB."""
    return "#{:02X}{:02X}{:02X}".format(*color)


def _lab(color: Rgb) -> NDArray[np.float64]:
    """Convert sRGB to CIELAB (D65)."""
    c = np.array(color) / 255
    linear = np.where(c <= 0.04045, c / 12.92, ((c + 0.055) / 1.055) ** 2.4)
    xyz = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]]) @ linear
    f = np.cbrt(xyz / np.array([0.9505, 1.0, 1.089]))
    f = np.where(f > 6 / 29, f, xyz / np.array([0.9505, 1.0, 1.089]) * (29 / 6) ** 2 / 3 + 4 / 29)
    return np.array([116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])])


def _from_lab(lab: NDArray[np.float64]) -> Rgb:
    fy = (lab[0] + 16) / 116
    f = np.array([fy + lab[1] / 500, fy, fy - lab[2] / 200])
    xyz = np.where(f > 6 / 29, f**3, 3 * (6 / 29) ** 2 * (f - 4 / 29)) * np.array([0.9505, 1.0, 1.089])
    linear = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]]) @ xyz
    c = np.where(linear <= 0.0031308, 12.92 * linear, 1.055 * np.maximum(linear, 0) ** (1 / 2.4) - 0.055)
    r, g, b = (round(255 * float(min(max(v, 0), 1))) for v in c)
    return r, g, b


@dataclass(frozen=True, slots=True)
class Bands:
    """The bands of a deviation scale: `edges` (k + 1,) in mm from -limit to +limit, `colors` (k)."""

    edges: tuple[float, ...]
    colors: tuple[Rgb, ...]


def bands(limit: float, tolerance: float) -> Bands:
    """Return the bands: edges at the tolerance limits, lightness falling in equal steps on both sides of zero."""
    inner = np.linspace(-tolerance, tolerance, INNER_BANDS + 1)
    outer = np.linspace(tolerance, limit, OUTER_BANDS + 1)[1:] if limit > tolerance else np.zeros(0)
    edges = np.concatenate([-outer[::-1], inner, outer])
    steps = INNER_BANDS // 2 + OUTER_BANDS
    count = len(edges) - 1
    colors = []
    zero, minus, plus = _lab(rgb(ZERO)), _lab(rgb(MINUS)), _lab(rgb(PLUS))
    for k in range(count):
        step = k - count // 2
        end = plus if step > 0 else minus
        colors.append(_from_lab(zero + abs(step) / steps * (end - zero)))
    return Bands(tuple(float(e) for e in edges), tuple(colors))
