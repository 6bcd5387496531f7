"""Colours of the product, and the bands of the deviation scale: the same in window, pictures and reports."""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from truegauge.core.deviations.map_scale import DeviationScale

Rgb = tuple[int, int, int]

INK, PAPER, BRASS = "#1F2A33", "#F6F4EF", "#A87B24"
WITHIN, NEAR, OUTSIDE = "#1E7F86", "#C98A12", "#BF3A2B"
MINUS, ZERO, PLUS = "#3B3A8F", "#F1EDE2", "#C4472B"

# Of devices that measure one sample; apart in lightness too.
DEVICE_COLORS = ("#2E5E78", "#C98A12", "#7A4A8C", "#3F7D3A", "#B0533A", "#5C666E")

# Ends of the deviation scale (too little, zero, too much); lightness falls alike on both sides, so that they can be
# told apart without colour vision and in print.
SCALE_ENDS = {
    "indigo": (MINUS, ZERO, PLUS),
    "teal": ("#145A66", "#F3EFE6", "#A45A12"),
    "plum": ("#2C5E2E", "#F4F0EA", "#7C2A72"),
    "print": ("#23282D", "#F7F5F0", "#9A6A24"),
}
NEUTRAL = "#C5C4BE"  # within the band, where only what is outside is coloured

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
    """Return the bands of a plain scale (see `scale_bands`)."""
    return scale_bands(DeviationScale(limit=limit, tolerance=tolerance, inner=INNER_BANDS, outer=OUTER_BANDS))


@lru_cache(maxsize=64)
def scale_bands(scale: DeviationScale) -> Bands:
    """Return the bands: edges at the tolerance limits, lightness falling in equal steps on both sides of zero.

    Custom edges take their places, with their own colours or those of the palette by how far from zero they are. A
    one-sided scale starts at zero.
    """
    edges = np.array(scale.edges) if scale.edges else _usual_edges(scale)
    middles = (edges[:-1] + edges[1:]) / 2
    if scale.colors:
        colors = [rgb(c) for c in scale.colors]
    else:
        minus, zero, plus = (_lab(rgb(c)) for c in SCALE_ENDS[scale.palette])
        shares = _steps_from_zero(edges)
        colors = [
            _from_lab(zero + share * ((plus if m > 0 else minus) - zero))
            for m, share in zip(middles, shares, strict=True)
        ]
    if scale.only_outside:
        colors = [rgb(NEUTRAL) if abs(m) < scale.tolerance else c for m, c in zip(middles, colors, strict=True)]
    return Bands(tuple(float(e) for e in edges), tuple(colors))


def _usual_edges(scale: DeviationScale) -> NDArray[np.float64]:
    limit, tolerance = scale.limit, scale.tolerance
    outer = np.linspace(tolerance, limit, scale.outer + 1)[1:] if limit > tolerance else np.zeros(0)
    if scale.sided == "both":
        inner = np.linspace(-tolerance, tolerance, scale.inner + 1)
        return np.concatenate([-outer[::-1], inner, outer])
    half = np.concatenate([np.linspace(0.0, tolerance, scale.inner // 2 + 2), outer])
    return half if scale.sided == "plus" else -half[::-1]


def _steps_from_zero(edges: NDArray[np.float64]) -> NDArray[np.float64]:
    """Return for each band how far (0 to 1) it is from the one at zero, counted in bands; one-sided from the end."""
    count = len(edges) - 1
    at = int(np.clip(np.searchsorted(edges, 0.0, side="right") - 1, 0, count - 1))
    off = np.abs(np.arange(count) - at)
    return np.asarray(off / max(1, off.max()))


def colors_of(values: NDArray[np.float64], scale: DeviationScale) -> NDArray[np.uint8]:
    """Return the colours (n, 3) of deviations (n,) mm; those beyond the ends have the colour of the end."""
    found = scale_bands(scale)
    band = np.clip(np.searchsorted(found.edges, values, side="right") - 1, 0, len(found.colors) - 1)
    return np.asarray(np.array(found.colors, dtype=np.uint8)[band])
