"""The gauge bar: a small ruler whose middle band is the tolerance. One geometry for window, tags and reports."""

from dataclasses import dataclass

from truegauge.core.evaluation.results import Result
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.surface import Surface

BAND_START, BAND_END = 0.25, 0.75
_LEAST, _MOST = 0.02, 0.98
TICKS = 21

# Marker by state, so that colour is never the only carrier.
DISC, DIAMOND, TRIANGLE_LEFT, TRIANGLE_RIGHT, RING = "disc", "diamond", "triangle_left", "triangle_right", "ring"


@dataclass(frozen=True, slots=True)
class GaugeBar:
    """Where things are, as shares of the width: the nominal mark (None for one-sided), and the marker."""

    marker: str
    position: float
    nominal: float | None


def gauge_bar(
    measured: float | None, nominal: float, lower: float | None, upper: float | None, state: State
) -> GaugeBar:
    """Return the bar of a value; limits in the same unit as the value, None for none.

    The band runs from the lower to the upper limit. With one limit only, the nominal (zero for form) takes the place
    of the other.
    """
    start = nominal if lower is None else lower
    end = nominal if upper is None else upper
    width = end - start

    def place(value: float) -> float:
        if width <= 0:  # a negative bonus has eaten the tolerance
            return _MOST if value > end else BAND_START
        return BAND_START + (BAND_END - BAND_START) * (value - start) / width

    mark = place(nominal) if lower is not None and upper is not None else None
    if measured is None or state == State.NOT_MEASURED:
        return GaugeBar(RING, 0.5, mark)
    position = min(max(place(measured), _LEAST), _MOST)
    if state == State.OUTSIDE:
        below = lower is not None and measured < lower
        return GaugeBar(TRIANGLE_LEFT if below else TRIANGLE_RIGHT, position, mark)
    if state == State.UNDECIDED:
        return GaugeBar(RING, position, mark)
    return GaugeBar(DIAMOND if state == State.NEAR else DISC, position, mark)


def marker_outline(marker: str, x: float, y: float, radius: float) -> list[tuple[float, float]]:
    """Return the corners of a marker with straight sides (empty for the round ones); y grows downwards."""
    r = radius
    if marker == DIAMOND:
        return [(x, y - 1.25 * r), (x + 1.25 * r, y), (x, y + 1.25 * r), (x - 1.25 * r, y)]
    if marker == TRIANGLE_RIGHT:
        return [(x - r, y - 1.15 * r), (x + 1.3 * r, y), (x - r, y + 1.15 * r)]
    if marker == TRIANGLE_LEFT:
        return [(x + r, y - 1.15 * r), (x - 1.3 * r, y), (x + r, y + 1.15 * r)]
    return []


def bar_of(result: Result) -> GaugeBar:
    """Return the bar of a result."""
    nominal = result.characteristic.nominal
    return gauge_bar(result.measured, nominal, result.lower_limit, result.upper_limit, result.state)


def draw_marker(surface: Surface, marker: str, x: float, y: float, radius: float, color: str) -> None:
    """Draw the marker of a state."""
    corners = marker_outline(marker, x, y, radius)
    if corners:
        surface.loop(corners, fill=color)
    elif marker == RING:
        surface.circle(x, y, radius - 0.6 * surface.unit, color=color, width=1.6 * surface.unit)
    else:
        surface.circle(x, y, radius, fill=color)


@dataclass(frozen=True, slots=True)
class BarColors:
    """The colours of a bar: of its band, its ticks, and of the state."""

    band: str
    tick: str
    state: str


def draw_gauge_bar(surface: Surface, box: tuple[float, float, float, float], result: Result, colors: BarColors) -> None:
    """Draw the gauge bar of a result into a box (x, y, width, height)."""
    draw_bar(surface, box, bar_of(result), colors)


def draw_bar(surface: Surface, box: tuple[float, float, float, float], g: GaugeBar, colors: BarColors) -> None:
    """Draw a gauge bar into a box (x, y, width, height): band, ticks, nominal mark, marker."""
    x, y, width, height = box
    u = surface.unit
    tall = 0.62 * height
    surface.box(x + BAND_START * width, y, (BAND_END - BAND_START) * width, tall, fill=colors.band)
    top = y + tall + 2 * u
    places = [surface.crisp(x + width * k / (TICKS - 1)) for k in range(TICKS)]
    ticks = [(at, top, at, top + (4 if k % 5 == 0 else 2) * u) for k, at in enumerate(places)]
    marks = [surface.crisp(x + share * width) for share in (BAND_START, BAND_END, g.nominal) if share is not None]
    surface.lines([*ticks, *((at, y, at, y + tall) for at in marks)], colors.tick, u)
    draw_marker(surface, g.marker, x + g.position * width, y + tall / 2, 5.0 * u, colors.state)
