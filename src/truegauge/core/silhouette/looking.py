"""Where edges are looked for in a picture, in a straight box or a round band of the part, and what is found there."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.silhouette.edges import LEAST_CONTRAST, Chosen, Turn, blur_of, edges_of_rays, kind_of
from truegauge.core.silhouette.fitting import RoundEdge, StraightEdge, edges_through
from truegauge.core.silhouette.rounding import true_radius

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.edges import Picture
    from truegauge.core.silhouette.lens import Lens

LEFT_OUT = 0.3  # px off an edge, from which on a point may be none of it
_SPACING, _FINE = 1.5, 0.7  # px between rays
_MOST, _DENSE = 120, 1500  # rays
_OF_BLUR, _ABOUT = 200, 10.0  # rays that tell how blurred edges are; px to either side of them
_SEEN = 0.3  # of the rays, that find an edge at least
_USED = 0.5  # of what was found, that is an edge at least


@dataclass(frozen=True, slots=True, eq=False)
class Place:
    """How a part lies: its coordinates begin at `origin` (2,) mm of the picture and are turned to the left by rad.

    One that lies upside down is `mirrored`: its y goes to the right of its x.
    """

    origin: Floats = field(default_factory=lambda: np.zeros(2))
    turn: float = 0.0
    mirrored: bool = False

    @property
    def rotation(self) -> Floats:
        """The matrix (2, 2) picture_from_part."""
        c, s = np.cos(self.turn), np.sin(self.turn)
        side = -1.0 if self.mirrored else 1.0
        return np.array([[c, -s * side], [s, c * side]])

    def picture_from_part(self, points: Floats) -> Floats:
        """Return where points (n, 2) of the part lie, mm."""
        return np.asarray(points @ self.rotation.T + self.origin)

    def part_from_picture(self, points: Floats) -> Floats:
        """Return points (n, 2) mm in the coordinates of the part."""
        return np.asarray((points - self.origin) @ self.rotation)

    def after(self, inner: Place) -> Place:
        """Return where the coordinates `inner` (of these) are in the picture."""
        way = -inner.turn if self.mirrored else inner.turn
        origin = self.picture_from_part(inner.origin[None])[0]
        return Place(origin, self.turn + way, self.mirrored != inner.mirrored)

    def moved(self, off: Floats, turn: float) -> Place:
        """Return the place whose coordinates begin at a place (2,) of these, turned in them by rad."""
        return self.after(Place(off, turn))


def _count(long: float, pixel: float, *, dense: bool, fine: bool = False) -> int:
    """Return how many rays there are along an edge of a length, mm."""
    spacing = _FINE if fine else _SPACING
    return int(np.clip(long / (spacing * pixel), 8, _DENSE if dense or fine else _MOST))


@dataclass(frozen=True, slots=True)
class Box:
    """A box of the part, mm: its middle, the direction `turn` (rad) that it is looked along, how far and how wide.

    It is looked along `dense` rays for what an edge is like from place to place: extremes, straightness; along `fine`
    ones for the flanks of a thread, which are short.
    """

    x: float
    y: float
    turn: float
    reach: float
    wide: float
    edge: Turn = "either"
    chosen: Chosen = "strongest"
    dense: bool = False
    fine: bool = False

    def rays(self, pixel: float) -> tuple[Floats, Floats, float]:
        """Return starts (n, 2) and directions (n, 2) of rays, mm, and how long they are."""
        count = _count(self.wide, pixel, dense=self.dense, fine=self.fine)
        way = np.array([np.cos(self.turn), np.sin(self.turn)])
        aside = np.linspace(-0.5, 0.5, count)[:, None] * self.wide * np.array([-way[1], way[0]])
        return np.array([self.x, self.y]) - self.reach / 2 * way + aside, np.tile(way, (count, 1)), self.reach


@dataclass(frozen=True, slots=True)
class Band:
    """A band along an arc of the part, mm and rad: it is looked outwards (or inwards) through it."""

    x: float
    y: float
    radius: float
    begin: float
    end: float
    reach: float
    edge: Turn = "either"
    chosen: Chosen = "strongest"
    inwards: bool = False
    dense: bool = False

    def rays(self, pixel: float) -> tuple[Floats, Floats, float]:
        """Return starts (n, 2) and directions (n, 2) of rays, mm, and how long they are."""
        count = _count(self.radius * abs(self.end - self.begin), pixel, dense=self.dense)
        closed = abs(self.end - self.begin) > 2 * np.pi - 1e-9
        a = np.linspace(self.begin, self.end, count, endpoint=not closed)
        out = np.column_stack([np.cos(a), np.sin(a)])
        sign = -1.0 if self.inwards else 1.0
        return np.array([self.x, self.y]) + (self.radius - sign * self.reach / 2) * out, sign * out, self.reach


@dataclass(frozen=True, slots=True, eq=False)
class Seen:
    """What was found: places (n, 2) mm of the part, NaN where there is none, and the edge that fits them."""

    points: Floats
    edge: StraightEdge | RoundEdge


class Looks:
    """Boxes and bands of a part that are looked at again and again, all at once."""

    def __init__(self, looks: Sequence[Box | Band], pixel: float) -> None:
        self.looks = tuple(looks)
        rays = [look.rays(pixel) for look in self.looks]
        ends = np.cumsum([0, *(len(starts) for starts, _, _ in rays)])
        self._rows = np.column_stack([ends[:-1], ends[1:]]).astype(np.int64)
        self._starts = np.vstack([np.zeros((0, 2)), *(starts for starts, _, _ in rays)])
        self._ends = np.vstack([np.zeros((0, 2)), *(starts + reach * ways for starts, ways, reach in rays)])
        kinds = [kind_of(k.edge, k.chosen) for k, (s, _, _) in zip(self.looks, rays, strict=True) for _ in s]
        self._kinds = np.array(kinds, dtype=np.int64).reshape(-1, 2)
        self._shapes = np.array([int(isinstance(look, Band)) for look in self.looks], dtype=np.int64)

    def points(self, picture: Picture, lens: Lens, place: Place, least: float = LEAST_CONTRAST) -> Floats:
        """Return where edges are found (n, 2), in mm of the part, one a ray, NaN where there is none."""
        first, way, far = self._rays_of(lens, place)
        found = edges_of_rays(picture, first, way, far, lens.blur, self._kinds, least)
        return place.part_from_picture(lens.mm(found.places))

    def blur(self, picture: Picture, lens: Lens, place: Place) -> float:
        """Return how blurred edges are, px, by some of the rays; NaN where there is none: out of focus it is more."""
        step = max(1, len(self._starts) // _OF_BLUR)
        first, way, far = self._rays_of(lens, place, step)
        along = edges_of_rays(picture, first, way, far, lens.blur, self._kinds[::step]).along
        known = np.isfinite(along)
        near = first[known] + (along[known, None] - _ABOUT) * way[known]
        return blur_of(picture, near, way[known], 2 * _ABOUT, np.full(len(near), _ABOUT))

    def _rays_of(self, lens: Lens, place: Place, step: int = 1) -> tuple[Floats, Floats, Floats]:
        """Return where rays begin (n, 2) px, their unit vectors, and how long they are."""
        starts = self._starts[::step]
        seen = lens.pixels(place.picture_from_part(np.vstack([starts, self._ends[::step]])))
        way = seen[len(starts) :] - seen[: len(starts)]
        far = np.hypot(way[:, 0], way[:, 1])
        return seen[: len(starts)], way / far[:, None], far

    def seen(self, picture: Picture, lens: Lens, place: Place, least: float = LEAST_CONTRAST) -> list[Seen | str]:
        """Return the edge of each look, or in words why there is none."""
        return self.edges_of(self.points(picture, lens, place, least), lens)

    def rows_of(self, number: int) -> slice:
        """Return which of all points are those of a look."""
        first, last = self._rows[number].tolist()
        return slice(first, last)

    def edges_of(self, points: Floats, lens: Lens) -> list[Seen | str]:
        """Return the edge of each look by all points (n, 2), or in words why there is none.

        The radius of a round one is that of the part, not what the lens makes of it.
        """
        made: list[Seen | str] = []
        edges = edges_through(points, self._rows, self._shapes, LEFT_OUT * lens.pixel)
        for (first, last), edge in zip(self._rows.tolist(), edges, strict=True):
            own = points[first:last]
            if isinstance(edge, str):
                made.append(edge)
                continue
            found = int(np.count_nonzero(own[:, 0] == own[:, 0]))  # NaN is not
            used = int(np.count_nonzero(edge.used))
            if found < max(5.0, _SEEN * len(own)):
                made.append(f"an edge is seen along {found} of {len(own)} rays only")
            elif used < _USED * found:
                made.append(f"{used} of {found} places make an edge: the others lie elsewhere")
            elif isinstance(edge, RoundEdge):
                radius = true_radius(edge.radius, lens.blur, lens.pixel)
                made.append(Seen(own, replace(edge, radius=radius)))
            else:
                made.append(Seen(own, edge))
        return made
