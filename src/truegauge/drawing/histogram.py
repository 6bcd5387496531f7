"""Bars of how many values lie where, on any surface to draw on."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.drawing.surface import Surface
    from truegauge.drawing.units import NumberFormat

_BARS = 12
_STEPS = (1.0, 2.0, 2.5, 5.0, 10.0)


def bars_of(values: Floats) -> tuple[Floats, Floats]:
    """Return the edges (n + 1,) of some round classes over all values (m,), and how many (n,) lie in each."""
    low, high = float(np.min(values)), float(np.max(values))
    rough = max((high - low) / _BARS, 1e-9 * max(1.0, abs(high)), 1e-12)
    power = 10.0 ** np.floor(np.log10(rough))
    step = next(s * power for s in _STEPS if s * power >= rough * (1 - 1e-9))
    first, last = np.floor(low / step + 1e-9), np.floor(high / step + 1e-9) + 1
    edges = np.arange(first, last + 0.5) * step
    return edges, np.histogram(values, edges)[0].astype(np.float64)


def draw_histogram(
    surface: Surface, box: tuple[float, float, float, float], values: Floats, numbers: NumberFormat,
    colors: tuple[str, str, str], size: float,
) -> None:  # fmt: skip
    """Draw bars into a box, the largest number over them and the ends below; colours of bars, letters and base line."""
    bar, soft, rule = colors
    edges, counts = bars_of(values)
    x, y, width, height = box
    top, base = y + 1.3 * size, y + height - 1.5 * size
    most, unit = float(counts.max()), surface.unit
    wide = width / len(counts)
    for k, count in enumerate(counts):
        tall = (base - top) * float(count) / most
        if count:
            surface.box(x + k * wide + 0.5 * unit, base - tall, max(wide - unit, unit), tall, fill=bar)
    surface.line([(x, base), (x + width, base)], rule, unit)
    k = int(np.argmax(counts))
    words = f"{most:.0f}"
    at = min(max(x + (k + 0.5) * wide - surface.advance(words, size) / 2, x), x + width - surface.advance(words, size))
    surface.text(at, top - 0.2 * size, words, size, soft)
    left, right = numbers.value(float(edges[0])), numbers.value(float(edges[-1]))
    surface.text(x, y + height - 0.2 * size, left, size, soft)
    surface.text(x + width - surface.advance(right, size), y + height - 0.2 * size, right, size, soft)
    if edges[0] < 0 < edges[-1]:
        zero = x + width * float(-edges[0] / (edges[-1] - edges[0]))
        surface.line([(zero, base), (zero, base + 0.4 * size)], soft, unit)
