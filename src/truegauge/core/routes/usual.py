"""The usual strategy of a feature, by its kind and size."""

from truegauge.core.association.features import Cone, Cylinder, Plane, Sphere, Torus
from truegauge.core.cad.model import CadModel, SurfaceKind
from truegauge.core.routes.places import FeatureToTouch
from truegauge.core.routes.strategies import Cap, Clicked, Grid, Placing, Rings, Sides, Spread, Strategy, Usual

_LOW = 3.0  # mm of height under which rows lie too near to each other to tell the axis
_MOST_SIDES = 8  # faces of which each is touched on its own
_LARGE_ROUND, _LARGE_PLANE = 60.0, 260.0  # mm of radius, of diagonal


def resolved(strategy: Strategy, feature: FeatureToTouch) -> Placing:
    """Return a strategy as places need it: the usual one with its numbers."""
    if not isinstance(strategy, Usual):
        return strategy
    return _with_count(usual_strategy(feature), strategy.touches, strategy.rows, len(feature.faces))


def usual_strategy(feature: FeatureToTouch) -> Placing:
    """Return how a feature is touched where nothing else is asked for.

    A face that runs out about an axis is touched in rings about it; faces of several kinds (a slot) each on its own.
    """
    nominal = feature.nominal
    if nominal is None:
        return Sides() if 1 < len(feature.faces) <= _MOST_SIDES else Grid(along=4, across=4)
    f = nominal.feature
    if isinstance(f, Cylinder | Cone):
        rows = 3 if nominal.length >= _LOW else 1
        around = 8 if isinstance(f, Cylinder) and f.radius > _LARGE_ROUND else 4
        return Rings(touches=max(around, 4 if rows > 1 else 8), rows=rows)
    if isinstance(f, Plane):
        if feature.about is not None:
            return Rings(touches=6, rows=2)
        return Spread(touches=16 if nominal.length > _LARGE_PLANE else 9)
    if isinstance(f, Sphere):
        return Cap()
    return Rings(touches=6, rows=2) if isinstance(f, Torus) else Spread(touches=9)


def _with_count(strategy: Placing, touches: int, rows: int, faces: int) -> Placing:
    """Return a strategy with about so many touches in all, and rows where it has some (0: as it is)."""
    match strategy:
        case Rings():
            count = touches or strategy.touches * strategy.rows
            wanted = min(rows or strategy.rows, count)
            return strategy.replace(rows=wanted, touches=-(-count // wanted))
        case Grid() if touches:
            side = max(1, round(touches**0.5))
            return strategy.replace(along=side, across=max(1, -(-touches // side)))
        case Sides() if touches:
            each = -(-touches // faces)
            return strategy.replace(touches=each, ends=each)
        case Spread() | Cap() if touches:
            return strategy.replace(touches=touches)
    return strategy


def count_of(strategy: Placing, feature: FeatureToTouch, model: CadModel) -> int:
    """Return how many touches of a feature a strategy asks for; traces have as many as their length gives."""
    match strategy:
        case Rings():
            return strategy.touches * strategy.rows
        case Grid():
            return strategy.along * strategy.across
        case Sides():
            flat = sum(model.faces[f].surface.kind == SurfaceKind.PLANE for f in feature.faces)
            return flat * strategy.touches + (len(feature.faces) - flat) * strategy.ends
        case Clicked():
            return len(strategy.places)
    return strategy.touches
