"""Places of a strategy on the trimmed faces: those that would lie beside them, or near their border, are moved."""

import numpy as np

from truegauge.core.arrays import Mask, Points, Vector, three
from truegauge.core.association.features import Cone, Cylinder, Line, Plane
from truegauge.core.constructions.parts import axis_of
from truegauge.core.frames import apply, rotation_about
from truegauge.core.routes.places import BESIDE, FeatureToTouch, Places, Surface, Trouble, nowhere
from truegauge.core.routes.sheet_edges import on_sheet_edge
from truegauge.core.routes.strategies import Clicked, Grid, Placing, Rings, SheetEdge, trace_of
from truegauge.core.routes.wanted import wanted_places

BORDER = 1.0  # mm from the border of a face, beside the radius of the tip
_APART = 0.25  # of the typical distance of wanted places: moved ones do not come nearer to others
_GRID_REACH = 25.0  # mm that a place of a grid may lie off a curved face
_TRIED = 60  # places to choose from
_TURNS = np.radians([s * a for a in range(5, 181, 5) for s in (1, -1)])
_WHY = "it would lie beside the face, or too near to its border"


def on_faces(surface: Surface, strategy: Placing, margin: float) -> tuple[Places, Places, tuple[Trouble, ...]]:
    """Return the places of a strategy on the faces, those to choose from, and what was moved or dropped.

    They keep `margin` mm from the borders (part coordinates); on narrow faces less.

    Raises
    ------
    DeviceError
        The faces are too narrow for that.
    """
    if isinstance(strategy, Clicked):
        places = wanted_places(surface, strategy, nowhere(), 0.0)
        on, there = surface.on_it(places.points)
        gone = tuple(Trouble(three(p), False, "it is not on the face") for p in places.points[~there])
        return on.at(there), on.at(there), gone
    if isinstance(strategy, SheetEdge):
        places, missing_ones = on_sheet_edge(surface, strategy)
        return places, places.at(places.rows != BESIDE), missing_ones
    candidates, room = surface.candidates(margin)
    asked = wanted_places(surface, strategy, candidates, room)
    on, there = surface.on_it(asked.points, _GRID_REACH) if isinstance(strategy, Grid) else surface.on_it(asked.points)
    there &= surface.inside(on.points, room)
    kept = Places(on.points, on.normals, np.asarray(asked.rows, dtype=np.int64))
    if trace_of(strategy) is not None:
        # A trace is broken off where the face is: its points are not moved.
        missing = asked.points[~there]
        gone = (
            (Trouble(three(missing[0]), False, f"{len(missing)} points of the trace: {_WHY}"),) if len(missing) else ()
        )
        return kept.at(there), candidates, gone
    if there.all():
        return kept, candidates, ()
    troubles: list[Trouble] = []
    if isinstance(strategy, Rings):
        kept, there, troubles = _along_their_ring(surface, kept, there, asked.points, room)
    made, every, more = _moved_onto(surface.feature, kept, there, asked.points, candidates)
    return made, every, (*troubles, *more)


def _along_their_ring(
    surface: Surface, places: Places, there: Mask, asked: Points, room: float
) -> tuple[Places, Mask, list[Trouble]]:
    """Move places of rings that lie off the faces around the axis, by as little as will do."""
    axis = _axis(surface.feature)
    points, normals, now = places.points.copy(), places.normals.copy(), there.copy()
    troubles: list[Trouble] = []
    if axis is None:
        return places, there, troubles
    for k in np.flatnonzero(~there):
        own = places.rows == places.rows[k]
        turned = np.vstack([apply(rotation_about(axis.direction, a), asked[k : k + 1] - axis.point) for a in _TURNS])
        on, good = surface.on_it(turned + axis.point)
        good &= surface.inside(on.points, room)
        others = points[now & own]
        step = 0.4 * 2 * np.pi / max(int(own.sum()), 1)
        for j in np.flatnonzero(good):
            radius = float(np.linalg.norm(turned[j] - (turned[j] @ axis.direction) * axis.direction))
            if is_apart(on.points[j], others, step * radius):
                points[k], normals[k], now[k] = on.points[j], on.normals[j], True
                troubles.append(Trouble(three(asked[k]), True, _WHY))
                break
    return Places(points, normals, places.rows), now, troubles


def _axis(feature: FeatureToTouch) -> Line | None:
    """Return the axis that rings of a feature go around."""
    f = None if feature.nominal is None else feature.nominal.feature
    if isinstance(f, Plane):
        return feature.about
    return None if f is None else axis_of(f)


def _moved_onto(
    feature: FeatureToTouch, places: Places, there: Mask, asked: Points, candidates: Places
) -> tuple[Places, Places, tuple[Trouble, ...]]:
    """Move places that lie off the faces, or too near to their border, to the nearest that does not."""
    apart = apart_of(asked)
    points, normals, rows = places.points.copy(), places.normals.copy(), places.rows.copy()
    keep, troubles = there.copy(), []
    for k in np.flatnonzero(~there):
        order = np.argsort(np.linalg.norm(candidates.points - asked[k], axis=1))
        free = [c for c in order[:_TRIED] if is_apart(candidates.points[c], points[keep], apart)]
        if not free:
            troubles.append(Trouble(three(asked[k]), False, _WHY))
            continue
        moved = next((c for c in free if same_row(feature, candidates.points[c], asked[k])), free[0])
        if not same_row(feature, candidates.points[moved], asked[k]):
            rows[k] = -1
        points[k], normals[k], keep[k] = candidates.points[moved], candidates.normals[moved], True
        troubles.append(Trouble(three(asked[k]), True, _WHY))
    return Places(points, normals, rows).at(keep), candidates, tuple(troubles)


def is_apart(place: Vector, others: Points, apart: float) -> bool:
    """Tell whether a place keeps a distance from others (n, 3)."""
    return not len(others) or bool(np.linalg.norm(others - place, axis=1).min() > apart)


def same_row(feature: FeatureToTouch, place: Vector, asked: Vector) -> bool:
    """Tell whether a place is at about the height of another one, along the axis of a turned feature."""
    f = None if feature.nominal is None else feature.nominal.feature
    if feature.nominal is None or not isinstance(f, Cylinder | Cone):
        return feature.about is None or not isinstance(f, Plane)
    axis = axis_of(f)
    assert axis is not None
    return abs(float((place - asked) @ axis.direction)) <= max(0.1 * feature.nominal.length, 0.3)


def apart_of(points: Points) -> float:
    """Return how far apart places stay when some are moved: a share of what is typical of them, mm."""
    from scipy.spatial import cKDTree

    if len(points) < 2:
        return _APART
    return _APART * float(np.median(cKDTree(points).query(points, k=2)[0][:, 1]))
