"""Threads in their shadow: pitch, flank angle, outer, core and pitch diameter (ISO 5408 for the words).

Of both sides the flanks are told by where they are half as high as the thread; lines through the middle half of each
give all that crests and roots, which a lens rounds, do not.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.edges import READING
from truegauge.core.silhouette.fitting import straight_edge
from truegauge.core.silhouette.sizes import EDGE_U, Reading

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.calibrating import Calibration

_LEAST = 3  # turns that are seen
_FLAT = 0.25  # of the height, that the middle half of a flank begins above the root
_MIDDLE = 0.3  # of a crest or root, that its middle is read from
_NARROW = 0.05  # of a tooth or gap, that its level is first read from
_ROUNDED = 0.015  # px, that a lens rounds off narrow crests and roots
_PLACES = 4  # places of a flank, crest or root
_LEFT_OUT = 0.5  # px that a place is off a flank, from which it may be none of it


@dataclass(frozen=True, slots=True)
class Thread:
    """What is told of a thread: mm, and the angle between its flanks, rad; from how many flanks."""

    pitch: Reading
    flank_angle: Reading
    outer: Reading
    core: Reading
    pitch_diameter: Reading
    flanks: int


@dataclass(frozen=True, slots=True, eq=False)
class _Flank:
    rises: bool  # away from the axis, along it
    at: float  # along the axis, at half the height
    slope: float  # along the axis by height
    at_u: float
    slope_u: float

    def where(self, off: float) -> float:
        """Return where along the axis the flank is, by how far above half the height."""
        return self.at + self.slope * off


def thread_of(above: Floats, below: Floats, known: Calibration) -> Thread:
    """Return what a thread is.

    Parameters
    ----------
    above, below : (n, 2) float64
        Places of both sides, mm, the axis along x at y = 0; seen along dense rays across the axis.

    Raises
    ------
    EvaluationError
        There is no thread, or too little of it.
    """
    sides = [
        _side(points[np.isfinite(points[:, 0])] * [1.0, sign], known) for points, sign in ((above, 1), (below, -1))
    ]
    scale, floor = known.scale_u, EDGE_U * known.lens.pixel
    pitches = [p for side in sides for p in side.pitches]
    pitch, pitch_u = _mean([p for p, _ in pitches], [u for _, u in pitches])
    angles = [a for side in sides for a in side.angles]
    angle, angle_u = _mean([a for a, _ in angles], [u for _, u in angles])
    outer, core = (sum(getattr(side, name)[0] for side in sides) for name in ("crest", "root"))
    outer_u, core_u = (float(np.linalg.norm([getattr(s, name)[1] for s in sides])) for name in ("crest", "root"))
    middle = [side.pitch_radius(pitch) for side in sides]
    flanks = sum(len(side.flanks) for side in sides)

    def told(value: float, own: float, edges: int = 2) -> Reading:
        return Reading(value, float(np.linalg.norm(np.array([own, np.sqrt(edges) * floor, scale * value]))))

    # Each flank makes two angles; and an edge as a whole may be off at either end of it.
    turned = float(np.hypot(np.sqrt(2.0) * angle_u, np.sqrt(2.0) * floor / sides[0].seen))
    middle_u = float(np.linalg.norm([u for _, u in middle]))
    outer_u, core_u = (float(np.hypot(own, _ROUNDED * known.lens.pixel)) for own in (outer_u, core_u))
    return Thread(told(pitch, pitch_u, 0), Reading(angle, turned), told(outer, outer_u), told(core, core_u),
                  told(sum(r for r, _ in middle), middle_u), flanks)  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class _Side:
    flanks: list[_Flank]
    half: float  # radius at half the height
    seen: float  # how much of the height flanks are seen along
    crest: tuple[float, float]
    root: tuple[float, float]

    @property
    def pitches(self) -> list[tuple[float, float]]:
        """The pitch by rising and by falling flanks, and how sure each is."""
        made = []
        for rises in (True, False):
            own = [f for f in self.flanks if f.rises == rises]
            if len(own) < _LEAST:
                continue
            at = np.array([f.at for f in own])
            steps = np.round((at - at[0]) / np.median(np.diff(at)))
            (pitch, _), covariance = (
                np.polyfit(steps, at, 1),
                np.linalg.inv(
                    np.column_stack([steps, np.ones(len(at))]).T @ np.column_stack([steps, np.ones(len(at))])
                ),
            )
            noise = float(np.mean([f.at_u for f in own]))
            made.append((float(pitch), noise * float(np.sqrt(covariance[0, 0]))))
        return made

    @property
    def angles(self) -> list[tuple[float, float]]:
        """The angle between each two flanks beside each other, rad, and how sure it is."""
        made = []
        for a, b in pairwise(self.flanks):
            if a.rises != b.rises:
                own = np.hypot(a.slope_u / (1 + a.slope**2), b.slope_u / (1 + b.slope**2))
                made.append((float(np.arctan(abs(a.slope)) + np.arctan(abs(b.slope))), float(own)))
        return made

    def pitch_radius(self, pitch: float) -> tuple[float, float]:
        """Return the radius where a tooth is as wide as the gap, half a pitch, and how sure it is."""
        made, own = [], []
        for a, b in pairwise(self.flanks):
            if a.rises == b.rises:
                continue
            # Between a rising and a falling one is a tooth, else a gap: each is half a pitch wide there.
            off = (pitch / 2 - (b.at - a.at)) / (b.slope - a.slope)
            made.append(self.half + off)
            own.append(np.hypot(a.at_u, b.at_u) / abs(b.slope - a.slope))
        return _mean(made, own)


def _side(points: Floats, known: Calibration) -> _Side:
    order = np.argsort(points[:, 0])
    x, r = points[order, 0], points[order, 1]
    if len(x) < 8 * _PLACES:
        raise EvaluationError(f"{len(x)} places are too few for a thread: look along more of it")
    low, high = np.percentile(r, [5.0, 95.0])
    tall = float(high - low)
    half = float(low + high) / 2
    above = r > half
    changes = np.flatnonzero(above[1:] != above[:-1])
    flanks = []
    for k in changes.tolist():
        rises = bool(above[k + 1])
        near = _flank_places(r, k, rises, low + _FLAT * tall, high - _FLAT * tall)
        if near is None:
            continue
        own = np.column_stack([r[near] - half, x[near]])
        edge = straight_edge(own, _LEFT_OUT * known.lens.pixel) if len(own) > _PLACES else None
        if edge is None or abs(edge.way[0]) < 0.1:
            continue
        slope = float(edge.way[1] / edge.way[0])
        at = float(edge.point[1] - slope * edge.point[0])
        steep = 1.0 / abs(float(edge.way[0]))
        flanks.append(_Flank(rises, at, slope, steep * edge.offset_u, steep**2 * edge.turn_u))
    if len(flanks) < 2 * _LEAST:
        raise EvaluationError(f"{len(flanks)} flanks are seen: {2 * _LEAST} on each side are the least for a thread")
    spread = known.lens.pixel * float(np.sqrt(known.lens.blur**2 + READING))
    crest, root = (_level(flanks, x, r, half, spread, top=top) for top in (True, False))
    return _Side(flanks, half, (1.0 - 2.0 * _FLAT) * tall, crest, root)


def _flank_places(r: Floats, k: int, rises: bool, low: float, high: float) -> slice | None:
    """Return the places about number k that are between two heights, one after the other; None: too few."""
    first, last = k, k + 1
    sign = 1 if rises else -1
    while first > 0 and low < r[first - 1] < high and sign * (r[first] - r[first - 1]) > 0:
        first -= 1
    while last < len(r) - 1 and low < r[last + 1] < high and sign * (r[last + 1] - r[last]) > 0:
        last += 1
    own = slice(first, last + 1)
    return own if last - first + 1 > _PLACES and low < r[own].min() and r[own].max() < high else None


def _level(flanks: list[_Flank], x: Floats, r: Floats, half: float, spread: float, *, top: bool) -> tuple[float, float]:
    """Return how far off the axis crests or roots are in their middles, and how sure that is."""
    made, noise, put_right = [], [], []
    for a, b in pairwise(flanks):
        if a.rises == b.rises or a.rises != top:
            continue
        middle, wide = (a.at + b.at) / 2, b.at - a.at
        near = r[np.abs(x - middle) < _NARROW * wide]
        if not len(near):
            continue
        flat = max(wide + (b.slope - a.slope) * (float(np.median(near)) - half), 0.1 * wide)
        own = r[np.abs(x - middle) < _MIDDLE / 2 * flat]
        if len(own):
            lens = _lowered(flat / 2, 2.0 / abs(b.slope - a.slope), spread)
            made.append(float(np.mean(own)) + (lens if top else -lens))
            put_right.append(lens)
            noise.append(float(np.std(own)) / np.sqrt(len(own)) if len(own) > 2 else np.nan)
    if not made:
        raise EvaluationError("crests and roots of the thread are too narrow to be seen")
    sure = float(np.std(made)) / np.sqrt(len(made)) if len(made) > 2 else float(np.nanmean(noise))
    # Half of what it is put right by may be wrong: the crest is no corner of two straight lines.
    return float(np.mean(made)), float(np.hypot(sure, 0.5 * np.mean(put_right)))


def _lowered(half: float, steep: float, spread: float) -> float:
    """Return by how much a lens lowers the middle of a crest of a half width with flanks of a slope beside it, mm.

    Half the light comes through there where the crest, blurred by a Gaussian, covers half.
    """
    from scipy.optimize import brentq
    from scipy.special import ndtr

    x = np.linspace(-5.0, 5.0, 401)
    weight = np.exp(-0.5 * x * x)
    weight /= weight.sum()
    height = -np.clip(np.abs(x) - half / spread, 0.0, None) * steep

    def off(y: float) -> float:
        return float(weight @ ndtr(height - y)) - 0.5

    return float(-brentq(off, -20.0, 1.0)) * spread


def _mean(values: list[float], own: list[float]) -> tuple[float, float]:
    """Return the mean, and how sure it is: by what each is, or by how they differ, the larger."""
    if not values:
        raise EvaluationError("too few flanks of the thread are seen")
    count = len(values)
    stated = float(np.sqrt(np.mean(np.square(own)) / count))
    spread = float(np.std(values, ddof=1) / np.sqrt(count)) if count > 2 else 0.0
    return float(np.mean(values)), max(stated, spread)
