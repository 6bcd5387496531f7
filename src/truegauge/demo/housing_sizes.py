"""Where things are on LW-1140, the worm-drive housing: known without the CAD kernel, which takes long to load."""

import math

MAIN_BORE = (58.0, 45.0)
BOLT_CIRCLE_RADIUS = 30.0
MOUNTING_HOLES = ((10.0, 10.0), (130.0, 10.0), (10.0, 80.0), (130.0, 80.0))


def bolt_holes() -> list[tuple[float, float]]:
    """Return the centres (x, y) of the six holes, the first at 30 degrees, counter-clockwise."""
    angles = [math.radians(30 + 60 * k) for k in range(6)]
    return [
        (MAIN_BORE[0] + BOLT_CIRCLE_RADIUS * math.cos(a), MAIN_BORE[1] + BOLT_CIRCLE_RADIUS * math.sin(a))
        for a in angles
    ]
