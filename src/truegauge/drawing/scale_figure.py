"""The deviation scale beside a figure: bands with the values at the ends, at the tolerance and at zero."""

from dataclasses import dataclass

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.drawing.surface import Surface
from truegauge.drawing.units import NumberFormat
from truegauge.palette import hexadecimal, scale_bands


@dataclass(frozen=True, slots=True)
class ScaleLook:
    """Width of the bands, size of the letters, colours."""

    bar: float
    size: float
    ink: str
    soft: str


def draw_scale(
    surface: Surface, scale: DeviationScale, box: tuple[float, float, float], numbers: NumberFormat, look: ScaleLook
) -> None:
    """Draw a scale with its upper left corner at (x, y), of a height: `box` (x, y, height)."""
    bands, (x, top, height) = scale_bands(scale), box
    low, high = bands.edges[0], bands.edges[-1]

    def y_of(value: float) -> float:
        return top + height * (high - value) / (high - low)

    for a, c, color in zip(bands.edges, bands.edges[1:], bands.colors, strict=False):
        surface.box(x, y_of(c), look.bar, y_of(a) - y_of(c), fill=hexadecimal(color))
    surface.box(x, top, look.bar, height, color=look.ink, line=0.5)
    marks = set(bands.edges) if scale.edges else {-scale.limit, -scale.tolerance, 0.0, scale.tolerance, scale.limit}
    last = float("inf")
    for value in sorted(m for m in marks if low <= m <= high):
        y = y_of(value)
        if last - y < look.size:
            continue
        last = y
        surface.line([(x + look.bar, y), (x + 1.3 * look.bar, y)], look.ink, 0.5)
        surface.text(x + 1.6 * look.bar, y + 0.36 * look.size, "0" if value == 0 else numbers.signed(value), look.size,
                     look.ink)  # fmt: skip
    surface.text(x, top - 0.7 * look.size, numbers.unit, look.size, look.soft)
    if scale.own:
        surface.text(x, top + height + 1.4 * look.size, "by share of own", 0.8 * look.size, look.soft)
