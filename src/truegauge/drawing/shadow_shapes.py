"""What is drawn of the sizes of a silhouette: between which places, along which direction, or where a leader points."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.silhouette.fitting import RoundEdge, StraightEdge
from truegauge.core.silhouette.names import SIZES
from truegauge.core.silhouette.sizes import Spot

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.plan.silhouette import ShadowSize, Silhouette
    from truegauge.core.silhouette.measuring import Measured

_BETWEEN = {"size", "size_least", "size_most", "size_mean", "spacing", "spacing_x", "spacing_y", "height",
            "thread_outer", "thread_core", "thread_pitch_diameter"}  # fmt: skip
_ALONG = {"spacing_x": np.array([1.0, 0.0]), "spacing_y": np.array([0.0, 1.0])}


@dataclass(frozen=True, slots=True, eq=False)
class Shape:
    """How a size is drawn, mm of the part.

    "across": an arrow from one place to another, its value beyond the ends; "between": the same beside the part, with
    extension lines; "leader": the value points at a place. `along` is the unit direction of the arrow.
    """

    how: str
    places: Floats  # (1 or 2, 2)
    along: Floats
    value_at: Floats | None = None


def shape_of(size: ShadowSize, own: Silhouette, found: Measured) -> Shape | None:
    """Return how a size is drawn; None where its edges are not seen."""
    contour = found.contours.get(size.of[0])
    if contour is not None and not isinstance(contour, str):
        # Its value points at the worst place.
        worst = int(np.nanargmax(np.abs(contour.told))) if np.isfinite(contour.told).any() else 0
        at = None if size.value_at is None else np.array(size.value_at)
        return Shape("leader", contour.places[worst][None], contour.normals[worst], at)
    things = [_thing(key, own, found) for key in size.of]
    if any(t is None for t in things):
        return None
    at = None if size.value_at is None else np.array(size.value_at)
    if size.what in _BETWEEN and len(things) == 2:
        a, b = things
        assert a is not None
        assert b is not None
        p, q, along = _ends(a, b, size)
        how = "across" if SIZES[size.what].of[0] != "any" else "between"
        return Shape(how, np.array([p, q]), along, at)
    thing = things[0]
    assert thing is not None
    if size.what in ("coaxiality", "symmetry", "angle", "spacing") and things[-1] is not None:
        place = 0.5 * (_middle(thing) + _middle(things[-1]))
        if size.what == "coaxiality":
            place = _middle(thing)
        return Shape("leader", place[None], np.array([1.0, 0.0]), at)
    if isinstance(thing, RoundEdge):
        around = _around(size.of[0], found, thing)
        out = np.array([np.cos(around), np.sin(around)])
        if size.what == "diameter":
            ends = np.array([thing.center - thing.radius * out, thing.center + thing.radius * out])
            return Shape("across", ends, out, at)
        return Shape("leader", (thing.center + thing.radius * out)[None], out, at)
    return Shape("leader", _middle(thing)[None], np.array([1.0, 0.0]), at)


def _thing(key: str, own: Silhouette, found: Measured) -> StraightEdge | RoundEdge | Spot | None:
    made = found.made.get(key)
    if made is not None:
        return None if isinstance(made, str) else made
    seen = found.edges.get(key)
    if seen is None or isinstance(seen, str):
        # The side of a thread is no straight edge: its points tell where it is.
        points = found.points.get(key)
        known = None if points is None else points[np.isfinite(points[:, 0])]
        edge = own.edge(key)
        if known is None or len(known) < 2 or edge is None:
            return None
        return Spot(known.mean(axis=0), np.zeros((2, 2)))
    return seen.edge


def _middle(thing: StraightEdge | RoundEdge | Spot) -> Floats:
    if isinstance(thing, Spot):
        return thing.place
    if isinstance(thing, RoundEdge):
        return thing.center
    return thing.point + 0.5 * (thing.begin + thing.end) * thing.way


def _around(key: str, found: Measured, edge: RoundEdge) -> float:
    """Return the direction from the centre to the middle of what is seen of a round edge, rad."""
    points = found.points[key]
    off = points[np.isfinite(points[:, 0])] - edge.center
    mean = off.mean(axis=0)
    if float(np.linalg.norm(mean)) < 0.1 * edge.radius:  # all around
        return float(np.pi / 4)
    return float(np.arctan2(mean[1], mean[0]))


def _ends(
    a: StraightEdge | RoundEdge | Spot, b: StraightEdge | RoundEdge | Spot, size: ShadowSize
) -> tuple[Floats, Floats, Floats]:  # fmt: skip
    """Return the two places that a size goes between, and the unit direction from one to the other."""
    p, q = _middle(a), _middle(b)
    fixed = _ALONG.get(size.what)
    lines = [t for t in (a, b) if isinstance(t, StraightEdge)]
    if fixed is None and lines:
        # Square to the edges, through the middle of both, or through the place that is no edge.
        way = np.sum([t.way if float(t.way @ lines[0].way) > 0 else -t.way for t in lines], axis=0)
        way = way / np.linalg.norm(way)
        across = np.array([-way[1], way[0]])
        if size.at is not None and abs(way[0]) > 1e-6:
            middle = 0.5 * (p + q)
            middle = middle + (size.at - middle[0]) / way[0] * way
        else:
            middle = q if len(lines) == 1 and isinstance(a, StraightEdge) else p if len(lines) == 1 else 0.5 * (p + q)
        p, q = (_crossed(t, middle, across) for t in (a, b))
    along = q - p if fixed is None else fixed * np.sign(float((q - p) @ fixed) or 1.0)
    far = float(np.linalg.norm(along))
    return p, q, along / far if far > 0 else np.array([1.0, 0.0])


def _crossed(thing: StraightEdge | RoundEdge | Spot, middle: Floats, across: Floats) -> Floats:
    if not isinstance(thing, StraightEdge):
        return _middle(thing)
    return np.asarray(middle - float(thing.off(middle[None])[0]) / float(thing.normal @ across) * across)
