"""Values of the sections of a blade over its height: one panel a value, its deviations against their band."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.names import AREAS
from truegauge.core.tolerancing.judgement import State
from truegauge.drawing.gauge_bar import DIAMOND, DISC, RING, TRIANGLE_LEFT, TRIANGLE_RIGHT, draw_marker
from truegauge.drawing.units import NumberFormat

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from truegauge.core.arrays import Floats
    from truegauge.core.evaluation.blade_heights import HeightCurve
    from truegauge.drawing.blade_figure import BladeColors
    from truegauge.drawing.surface import Surface

Box = tuple[float, float, float, float]
_GAP, _TOP, _FOOT, _AXIS = 12.0, 42.0, 20.0, 34.0  # pixels: between panels, over and below a curve, heights at its left
_ROOM = 1.15  # times the largest deviation or limit, that a panel shows


@dataclass(frozen=True, slots=True)
class Panel:
    """A panel of a curve: its frame, and the box that the curve is drawn into."""

    curve: HeightCurve
    frame: Box
    inside: Box
    reach: float  # deviation at the left and right end
    low: float  # heights at the lower and the upper end
    high: float

    def x(self, deviation: float) -> float:
        """Return where a deviation stands."""
        return self.inside[0] + self.inside[2] * (0.5 + 0.5 * deviation / self.reach)

    def y(self, height: float) -> float:
        """Return where a height stands."""
        return self.inside[1] + self.inside[3] * (self.high - height) / max(self.high - self.low, 1e-9)


def panels(curves: Sequence[HeightCurve], box: Box, unit: float, columns: int = 3) -> list[Panel]:
    """Lay panels out in rows that fill a box."""
    if not curves:
        return []
    columns = min(columns, len(curves))
    rows = (len(curves) + columns - 1) // columns
    gap = _GAP * unit
    wide, high = (box[2] - gap * (columns - 1)) / columns, (box[3] - gap * (rows - 1)) / rows
    made = []
    for k, curve in enumerate(curves):
        x, y = box[0] + (k % columns) * (wide + gap), box[1] + (k // columns) * (high + gap)
        inside = (x + _AXIS * unit, y + _TOP * unit, wide - (_AXIS + 12) * unit, high - (_TOP + _FOOT) * unit)
        every = np.concatenate([curve.deviations, curve.lower, curve.upper])
        known = np.abs(every[np.isfinite(every)])
        reach = _ROOM * float(known.max()) if len(known) and known.max() > 0 else 1.0
        low, top = float(curve.heights.min()), float(curve.heights.max())
        aside = 0.06 * (top - low) or 1.0
        made.append(Panel(curve, (x, y, wide, high), inside, reach, low - aside, top + aside))
    return made


def format_of(what: str, numbers: NumberFormat) -> NumberFormat:
    """Return how the deviations of a value are shown."""
    return numbers.of(f"blade_{'area' if what in AREAS else what.split('.')[0]}")


def worst_of(curve: HeightCurve) -> int | None:
    """Return the number of the section that is nearest to a limit, or most beyond one; without limits that is off most.

    None: nothing is known.
    """
    known = np.isfinite(curve.deviations)
    if not known.any():
        return None
    beyond = np.fmax(curve.deviations - curve.upper, curve.lower - curve.deviations)
    judged = known & np.isfinite(beyond)
    score = np.where(judged, beyond, -np.inf) if judged.any() else np.where(known, np.abs(curve.deviations), -1.0)
    return int(np.argmax(score))


def draw_panel(
    surface: Surface, panel: Panel, colors: BladeColors, size: float, numbers: NumberFormat,
    state_color: Callable[[State], str], chosen: float | None = None,
) -> None:  # fmt: skip
    """Draw a panel: band, zero, curve with a marker a section, the deviation that matters most above it."""
    u, c, own = surface.unit, panel.curve, format_of(panel.curve.what, numbers)
    x, y, width, height = panel.frame
    surface.box(x, y, width, height, fill=colors.plate, color=colors.rule, line=1.0 * u, rounded=4 * u)
    left, top, _, high = panel.inside
    worst = worst_of(c)
    _title(surface, c.words, (x + 9 * u, y + 1.45 * size, width - 18 * u), colors, size)
    if worst is None:
        surface.text(x + 9 * u, y + 2.9 * size, "not measured", size, colors.soft)
    else:
        own_state = c.states[worst]
        color = colors.ink if own_state is None or own_state == State.WITHIN else state_color(own_state)
        value = own.signed(float(c.deviations[worst]))
        surface.text(x + 9 * u, y + 3.0 * size, value, 1.25 * size, color, bold=True)
        at = f"at {numbers.value(float(c.heights[worst]))}"
        surface.text(x + 9 * u + surface.advance(value, 1.25 * size, bold=True) + 8 * u, y + 3.0 * size, at, size,
                     colors.soft)  # fmt: skip
    _band(surface, panel, colors)
    surface.line([(panel.x(0.0), top), (panel.x(0.0), top + high)], colors.soft, 0.8 * u)
    for k, h in enumerate(c.heights.tolist()):
        if len(c.heights) <= 12 or k % 2 == 0:
            words = f"{h / (25.4 if numbers.unit == 'inch' else 1.0):g}"
            surface.text(left - 6 * u - surface.advance(words, 0.85 * size), panel.y(h) + 0.3 * size, words,
                         0.85 * size, colors.ink if chosen == h else colors.soft, bold=chosen == h)  # fmt: skip
    known = np.flatnonzero(np.isfinite(c.deviations))
    places = [(panel.x(float(c.deviations[k])), panel.y(float(c.heights[k]))) for k in known]
    for run in np.split(np.arange(len(known)), np.flatnonzero(np.diff(known) > 1) + 1):
        if len(run) > 1:
            surface.line([places[k] for k in run], colors.ink, 1.4 * u)
    for row, (px, py) in zip(known.tolist(), places, strict=True):
        marker, state = _marker(c.states[row], float(c.deviations[row]))
        draw_marker(surface, marker, px, py, 4.2 * u, colors.ink if state is None else state_color(state))
    for sign in (-1.0, 1.0):
        words = own.signed(sign * panel.reach / _ROOM)
        at_x = panel.x(sign * panel.reach / _ROOM) - surface.advance(words, 0.85 * size) / 2
        at_x = min(max(at_x, x + 4 * u), x + width - surface.advance(words, 0.85 * size) - 4 * u)
        surface.text(at_x, top + high + 1.3 * size, words, 0.85 * size, colors.soft)


def _title(surface: Surface, words: str, room: tuple[float, float, float], colors: BladeColors, size: float) -> None:
    x, y, width = room
    while surface.advance(words, size) > width and len(words) > 4:
        words = words[:-2].rstrip() + "…"
    surface.text(x, y, words, size, colors.soft)


def _marker(state: State | None, deviation: float) -> tuple[str, State | None]:
    if state is None or state == State.NOT_MEASURED:
        return RING, None
    if state == State.WITHIN:
        return DISC, state
    if state == State.OUTSIDE:
        return (TRIANGLE_RIGHT if deviation > 0 else TRIANGLE_LEFT), state
    return (DIAMOND if state == State.NEAR else RING), state


def _band(surface: Surface, panel: Panel, colors: BladeColors) -> None:
    c = panel.curve
    left, _, wide, _ = panel.inside
    has = np.isfinite(c.lower) | np.isfinite(c.upper)
    for run in np.split(np.arange(len(has)), np.flatnonzero(np.diff(has.astype(int))) + 1):
        if not len(run) or not has[run[0]]:
            continue
        heights = c.heights[run]
        sides: list[Floats] = [c.lower[run], c.upper[run]]
        if len(run) == 1:
            heights = np.array([heights[0] - 1.0, heights[0] + 1.0])
            sides = [np.repeat(s, 2) for s in sides]
        lows = [left if not np.isfinite(v) else panel.x(float(v)) for v in sides[0]]
        highs = [left + wide if not np.isfinite(v) else panel.x(float(v)) for v in sides[1]]
        ys = [panel.y(float(h)) for h in heights]
        surface.loop([*zip(lows, ys, strict=True), *zip(highs[::-1], ys[::-1], strict=True)], fill=colors.band)
        for side, xs in zip(sides, (lows, highs), strict=True):
            if np.isfinite(side).all():
                surface.line(list(zip(xs, ys, strict=True)), colors.soft, 0.8 * surface.unit)
