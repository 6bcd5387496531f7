"""The drawing of a section: curves, needles, dimensions, as strokes and words that any painter can put on a sheet.

Coordinates are those of the section in mm, y upwards; sizes of text and line widths are the painter's.
"""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.sections import DimensionReading, SectionCurves
from truegauge.core.plan.readings import Section, SectionDimension
from truegauge.core.sections.dimension import Fitted
from truegauge.palette import colors_of

Flat = NDArray[np.float64]
_NEEDLE_SHARE = 0.06  # of the drawing's size: the longest needle
_ALONG = 1 - 1e-6  # cosine: an axis is named where the section shows it in its true length
_APART = 0.045  # of the drawing's size: dimension lines off the curves


@dataclass(frozen=True, slots=True, eq=False)
class Stroke:
    """A polyline (n, 2): `role` is nominal, measured, dimension or fit."""

    points: Flat
    role: str


@dataclass(frozen=True, slots=True)
class Words:
    """Text at a place; `role` as of a stroke, `key` the id of the dimension that it belongs to."""

    text: str
    at: tuple[float, float]
    role: str
    key: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class SectionDrawing:
    """What is drawn: `needles` (n, 2, 2) with colours (n, 3), magnified `magnification` times."""

    name: str
    box: tuple[float, float, float, float]
    strokes: list[Stroke] = field(default_factory=list)
    words: list[Words] = field(default_factory=list)
    needles: Flat = field(default_factory=lambda: np.zeros((0, 2, 2)))
    needle_colors: NDArray[np.uint8] = field(default_factory=lambda: np.zeros((0, 3), dtype=np.uint8))
    magnification: float = 1.0
    reason: str = ""
    axes: tuple[str, str] = ("", "")  # what runs to the right and upwards: an axis of the part, "" for none


@dataclass(frozen=True, slots=True, eq=False)
class ShownDimension:
    """A dimension with its reading and what its value says."""

    dimension: SectionDimension
    reading: DimensionReading | NotComputed
    nominal_fit: tuple[Fitted, ...]
    text: str


def draw_section(
    section: Section, curves: SectionCurves, scale: DeviationScale, shown: tuple[ShownDimension, ...] = ()
) -> SectionDrawing:
    """Return the drawing of a section."""
    nominal, measured = curves.nominal, curves.measured
    if not len(nominal.flat):
        return SectionDrawing(section.name, (-1, -1, 1, 1), reason="the plane does not meet the part")
    low, high = nominal.flat.min(axis=0), nominal.flat.max(axis=0)
    size = float(np.linalg.norm(high - low)) or 1.0
    drawing = SectionDrawing(section.name, (low[0], low[1], high[0], high[1]))
    drawing.strokes.extend(Stroke(nominal.flat[rows], "nominal") for rows in nominal.pieces())
    needles, colors, magnification, reason = drawing.needles, drawing.needle_colors, 1.0, ""
    if isinstance(measured, NotComputed):
        reason = measured.reason
    else:
        known = np.isfinite(measured.values)
        magnification = section.magnification or needle_factor(measured.values[known], _NEEDLE_SHARE * size)
        values = np.where(known, measured.values, 0.0)
        tips = nominal.flat + magnification * values[:, None] * nominal.normals
        needles = np.stack([nominal.flat[known], tips[known]], axis=1)
        colors = colors_of(measured.values[known], scale)
        for rows in nominal.pieces():
            drawing.strokes.extend(Stroke(tips[run], "measured") for run in _runs(rows, known))
    for number, one in enumerate(shown):
        _dimension(drawing, one, number, low, high, size)
    return SectionDrawing(
        section.name, _box_of(drawing, needles), drawing.strokes, drawing.words, needles, colors, magnification, reason,
        (axis_name(curves.plane.across), axis_name(curves.plane.up)),
    )  # fmt: skip


def axis_name(direction: NDArray[np.float64]) -> str:
    """Return the axis of the part along a unit vector (3,), with its sign; empty for one askew."""
    k = int(np.argmax(np.abs(direction)))
    return f"{'-' if direction[k] < 0 else ''}{'XYZ'[k]}" if abs(direction[k]) > _ALONG else ""


def needle_factor(values: NDArray[np.float64], longest: float) -> float:
    """Return a magnification of 1, 2 or 5 times a power of ten at which the largest value is about `longest` mm."""
    largest = float(np.abs(values).max()) if len(values) else 0.0
    if largest <= 0:
        return 1.0
    wanted = longest / largest
    power = 10.0 ** np.floor(np.log10(wanted))
    return float(max(k * power for k in (1, 2, 5) if k * power <= wanted * (1 + 1e-12)))


def _runs(rows: NDArray[np.int64], known: NDArray[np.bool_]) -> list[NDArray[np.int64]]:
    """Return the pieces of a curve without gaps."""
    there = known[rows]
    ends = np.flatnonzero(np.diff(there.astype(int))) + 1
    return [rows[run] for run in np.split(np.arange(len(rows)), ends) if len(run) > 1 and there[run[0]]]


def _box_of(drawing: SectionDrawing, needles: Flat) -> tuple[float, float, float, float]:
    every = [s.points for s in drawing.strokes] + [needles.reshape(-1, 2)] + [np.array([w.at]) for w in drawing.words]
    places = np.vstack([e for e in every if len(e)])
    return (*places.min(axis=0).tolist(), *places.max(axis=0).tolist())


def _dimension(drawing: SectionDrawing, one: ShownDimension, number: int, low: Flat, high: Flat, size: float) -> None:
    """Draw a dimension as on a drawing: extension lines, the line with its ends, the value on it."""
    fitted = one.nominal_fit if isinstance(one.reading, NotComputed) else one.reading.fitted
    d = one.dimension
    if not fitted:
        return
    for f in fitted:
        drawing.strokes.append(Stroke(_outline(f), "fit"))
    first = fitted[0]
    if d.kind in ("radius", "diameter"):
        toward = np.array([0.8, 0.6])
        start = first.point - (first.radius * toward if d.kind == "diameter" else 0 * toward)
        end = first.point + (first.radius + 0.12 * size) * toward
        if d.value_at is not None:
            end = np.array(d.value_at)
            toward = _unit(end - first.point, toward)
            start = first.point - (first.radius * toward if d.kind == "diameter" else 0 * toward)
        drawing.strokes.append(Stroke(np.array([start, end]), "dimension"))
        drawing.words.append(Words(one.text, (float(end[0]), float(end[1])), "dimension", d.id))
        return
    second = fitted[1]
    if d.kind == "angle":
        middle = (first.point + second.point) / 2 if d.value_at is None else np.array(d.value_at)
        drawing.strokes.append(Stroke(np.array([first.point, middle, second.point]), "dimension"))
        drawing.words.append(Words(one.text, (float(middle[0]), float(middle[1])), "dimension", d.id))
        return
    off = _APART * size * (1 + number)
    a, b = first.point, second.point
    if d.kind == "horizontal":
        y = low[1] - off if d.value_at is None else d.value_at[1]
        c, e = np.array([a[0], y]), np.array([b[0], y])
    elif d.kind == "vertical":
        x = high[0] + off if d.value_at is None else d.value_at[0]
        c, e = np.array([x, a[1]]), np.array([x, b[1]])
    else:
        lines = [f for f in fitted if f.fits == "line"]
        along = b - a
        if lines:
            across = np.array([-lines[0].direction[1], lines[0].direction[0]])
            along = float(along @ across) * across
        c, e = a, a + along
    drawing.strokes.append(Stroke(np.array([a, c, e, b]), "dimension"))
    middle = (c + e) / 2
    if d.value_at is not None:
        middle, foot = np.array(d.value_at), c + _along(np.array(d.value_at), c, e) * (e - c)
        if float(np.linalg.norm(middle - foot)) > 1e-9 or not 0 <= _along(middle, c, e) <= 1:
            drawing.strokes.append(Stroke(np.array([(c + e) / 2, foot, middle]), "dimension"))
    drawing.words.append(Words(one.text, (float(middle[0]), float(middle[1])), "dimension", d.id))


def _unit(v: Flat, otherwise: Flat) -> Flat:
    length = float(np.linalg.norm(v))
    return v / length if length > 1e-9 else otherwise


def _along(place: Flat, start: Flat, end: Flat) -> float:
    """Return the share of the way from one place to another that is next to a third."""
    way = end - start
    return float((place - start) @ way / max(float(way @ way), 1e-12))


def _outline(f: Fitted) -> Flat:
    if f.fits == "circle":
        angle = np.linspace(0, 2 * np.pi, 73)
        return f.point + f.radius * np.column_stack([np.cos(angle), np.sin(angle)])
    if f.fits == "line":
        return np.array([f.point - f.reach * f.direction, f.point + f.reach * f.direction])
    return np.array([f.point, f.point])
