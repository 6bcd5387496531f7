"""The order that a route had before it was made shorter."""

from truegauge.core.routes.document import Route


def as_before(route: Route) -> Route:
    """Return the route in its original order; steps that came later stay at the end."""
    place = {s: k for k, s in enumerate(route.original)}
    ordered = sorted(route.steps, key=lambda s: place.get(s.id, len(place)))
    return route.replace(steps=tuple(ordered), original=())


def accepted(before: Route, after: Route) -> Route:
    """Return a route in a new order that still knows its original one."""
    return after.replace(original=before.original or tuple(s.id for s in before.steps))
