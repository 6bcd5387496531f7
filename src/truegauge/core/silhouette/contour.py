"""The outline of a part against a nominal contour: places all along it, looked at square to it, how far they are off.

At corners a lens rounds the outline off, and none is told there.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.edges import edges_of_rays
from truegauge.core.silhouette.looking import Place
from truegauge.core.silhouette.sizes import EDGE_U, Reading

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats, Ints, Mask
    from truegauge.core.silhouette.calibrating import Calibration
    from truegauge.core.silhouette.edges import Picture
    from truegauge.core.silhouette.lens import Lens

_SPACING = 2.0  # px between places
_CORNER, _OFF_CORNER = 0.35, 5.0  # rad that a contour turns by at once; px about it that nothing is told
_PIECE = 16  # places that one deviation is read from
_MOST = 20_000  # places
_BESIDE = 5.0  # px to either side, where dark and light are read
_TURNS, _LOOKS = 4, 2
_LEAST = 0.5  # of the places that see an edge
_TO_EDGE = np.array([0, 0])  # either way, the strongest


@dataclass(frozen=True, slots=True, eq=False)
class Along:
    """Places (n, 2) mm along a contour with unit normals (n, 2), to the left; which of its lines each is of (n,)."""

    places: Floats
    normals: Floats
    line: Ints


@dataclass(frozen=True, slots=True, eq=False)
class Contoured:
    """What is seen of a contour: nominal places (n, 2) with their normals towards the light, deviations (n,) mm.

    Deviations are positive where there is more material, NaN where nothing is seen; `told` (n,) are means of
    neighbours, which noise does not widen.
    """

    places: Floats
    normals: Floats
    deviations: Floats
    told: Floats


def along(lines: Sequence[Floats], pixel: float) -> Along:
    """Return the places along lines (n, 2) mm that are looked at, away from corners."""
    places, normals, own = [], [], []
    long = sum(float(np.linalg.norm(np.diff(line, axis=0), axis=1).sum()) for line in lines)
    spacing = max(_SPACING * pixel, long / _MOST)
    for k, line in enumerate(lines):
        steps = np.diff(line, axis=0)
        far = np.linalg.norm(steps, axis=1)
        keep = far > 0
        steps, far, starts = steps[keep], far[keep], line[:-1][keep]
        if not len(steps):
            continue
        ends = np.concatenate([[0.0], np.cumsum(far)])
        ways = steps / far[:, None]
        count = max(2, int(ends[-1] / spacing))
        at = (np.arange(count) + 0.5) / count * ends[-1]
        row = np.clip(np.searchsorted(ends, at, side="right") - 1, 0, len(far) - 1)
        corners = _corners(ways, ends, closed=bool(np.linalg.norm(line[0] - line[-1]) < 1e-9))
        apart = np.full(count, np.inf)
        for c in corners:
            apart = np.minimum(apart, np.abs(at - c))
        free = apart > _OFF_CORNER * pixel
        places.append((starts[row] + (at - ends[row])[:, None] * ways[row])[free])
        normals.append(np.column_stack([-ways[row, 1], ways[row, 0]])[free])
        own.append(np.full(int(free.sum()), k))
    if not places:
        return Along(np.zeros((0, 2)), np.zeros((0, 2)), np.zeros(0, dtype=np.int64))
    return Along(np.vstack(places), np.vstack(normals), np.concatenate(own).astype(np.int64))


def _corners(ways: Floats, ends: Floats, *, closed: bool) -> list[float]:
    """Return how far along a line it turns sharply, and where an open one ends."""
    after = np.roll(ways, -1, axis=0)
    turn = np.abs(np.arctan2(ways[:, 0] * after[:, 1] - ways[:, 1] * after[:, 0], np.sum(ways * after, axis=1)))
    found = [float(ends[k + 1]) for k in range(len(ways) - 1) if turn[k] > _CORNER]
    if not closed or turn[-1] > _CORNER:
        found += [0.0, float(ends[-1])]
    return found


class ContourLooks:
    """A contour that is looked at again and again, `reach` mm along its normals."""

    def __init__(self, lines: Sequence[Floats], reach: float, pixel: float) -> None:
        self._along, self._reach = along(lines, pixel), reach

    def seen(self, picture: Picture, known: Calibration, place: Place) -> Contoured:
        """Return what is seen of it in a picture.

        Raises
        ------
        EvaluationError
            Most of it is not seen: said in words.
        """
        lens, a = known.lens, self._along
        if not len(a.places):
            raise EvaluationError("the contour is too short to be seen")
        starts = lens.pixels(place.picture_from_part(a.places - 0.5 * self._reach * a.normals))
        ends = lens.pixels(place.picture_from_part(a.places + 0.5 * self._reach * a.normals))
        way = ends - starts
        far = np.linalg.norm(way, axis=1)
        kinds = np.tile(_TO_EDGE, (len(starts), 1))
        found = edges_of_rays(picture, starts, way / far[:, None], far, lens.blur, kinds)
        seen = np.isfinite(found.along)
        if seen.mean() < _LEAST:
            raise EvaluationError(f"only {100 * seen.mean():.0f} % of the contour is seen where it should be")
        normals = a.normals * _to_light(picture, lens, place, a, seen)[a.line][:, None]
        points = place.part_from_picture(lens.mm(found.places))
        off = np.sum((points - a.places) * normals, axis=1)
        return Contoured(a.places, normals, off, _told(off, a.line))

    def fitted(self, picture: Picture, known: Calibration, place: Place) -> Contoured:
        """Return what is seen of it where it lies on the outline best: shifted and turned by least squares.

        Raises
        ------
        EvaluationError
            Most of it is not seen: said in words.
        """
        for _ in range(_LOOKS):
            place = place.after(lies_of(self.seen(picture, known, place)))
        return self.seen(picture, known, place)


def _to_light(picture: Picture, lens: Lens, place: Place, a: Along, seen: Mask) -> Floats:
    """Return for each line whether its normals go to the light (1) or away from it (-1)."""
    high, wide = picture.shape
    made = np.ones(int(a.line.max()) + 1)
    px = _BESIDE * lens.pixel
    sides = []
    for sign in (1.0, -1.0):
        at = np.rint(lens.pixels(place.picture_from_part(a.places + sign * px * a.normals))).astype(np.int64)
        at = np.clip(at, 0, [wide - 1, high - 1])
        sides.append(picture[at[:, 1], at[:, 0]].astype(np.float64))
    rises = sides[0] - sides[1]
    for k in range(len(made)):
        own = (a.line == k) & seen
        if own.any() and np.median(rises[own]) < 0:
            made[k] = -1.0
    return made


def _told(off: Floats, line: Ints) -> Floats:
    """Return the mean (n,) of each place and its neighbours on the same line; NaN where most of them are not seen."""
    made = np.full(len(off), np.nan)
    for k in np.unique(line):
        rows = np.flatnonzero(line == k)
        own = off[rows]
        known = np.isfinite(own)
        if len(rows) < _PIECE:  # a short one has one deviation
            made[rows] = own[known].mean() if 2 * known.sum() >= len(rows) else np.nan
            continue
        total = np.convolve(np.where(known, own, 0.0), np.ones(_PIECE), mode="same")
        many = np.convolve(known.astype(np.float64), np.ones(_PIECE), mode="same")
        made[rows] = np.where(many >= _PIECE / 2, total / np.maximum(many, 1.0), np.nan)
    return made


def profile_of(seen: Contoured, known: Calibration) -> Reading:
    """Return how wide a zone is that has its middle on the nominal contour and all of the outline in it (ISO 1101).

    Raises
    ------
    EvaluationError
        Nothing is seen.
    """
    told = seen.told
    if not np.isfinite(told).any():
        raise EvaluationError("nothing of the contour is seen")
    noise = float(np.nanstd(seen.deviations - seen.told)) / np.sqrt(_PIECE)
    size = float(np.linalg.norm(np.ptp(seen.places, axis=0)))
    # Both ends of a zone are extremes of means, which noise widens by some of their own.
    own = [3.0 * noise, EDGE_U * known.lens.pixel, 0.5 * known.scale_u * size]
    return Reading(2.0 * float(np.nanmax(np.abs(told))), 2.0 * float(np.linalg.norm(np.array(own))))


def lies_of(seen: Contoured) -> Place:
    """Return where the outline lies, seen in coordinates of the nominal contour: by least squares, without strays.

    Raises
    ------
    EvaluationError
        Nothing is seen.
    """
    middle = seen.places.mean(axis=0)
    off = seen.places - middle
    rows = np.column_stack([seen.normals, off[:, 0] * seen.normals[:, 1] - off[:, 1] * seen.normals[:, 0]])
    kept = np.isfinite(seen.deviations)
    if kept.sum() < len(rows) * _LEAST:
        raise EvaluationError("too little of the contour is seen")
    step = np.zeros(3)
    for _ in range(_TURNS):
        step = np.linalg.lstsq(rows[kept], seen.deviations[kept], rcond=None)[0]
        left = np.abs(seen.deviations - rows @ step)
        kept = left < 4.0 * 1.4826 * np.nanmedian(left)  # beside corners a moved outline is seen where none should be
    turn = float(step[2])
    return Place(step[:2] - turn * np.array([-middle[1], middle[0]]), turn)
