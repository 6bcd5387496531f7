"""Where a hand leads a scanner: strokes over a box of the part, from all sides that can be looked at."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Points, Vector, any_perpendicular, box_corners, unit

_OVERLAP = 0.25  # of the line, between two strokes
_DEEP = 25.0  # mm below what is nearest that the middle of the line goes


@dataclass(frozen=True, slots=True, eq=False)
class Stroke:
    """The middle of the line goes from `start` to `end` (3,) mm; `away` is to the scanner, `across` along the line."""

    start: Vector
    end: Vector
    away: Vector
    across: Vector


def sides(*, from_below: bool = False) -> Points:
    """Return the directions (n, 3) in which a hand looks: from above, from four sides, and from between."""
    found = [(0.0, 0.0, 1.0), (1, 0, 0), (0, 1, 0), (-1, 0, 0), (0, -1, 0)]
    found += [(x, y, 1.0) for x, y in ((1, 1), (-1, 1), (-1, -1), (1, -1))]
    if from_below:
        found += [(0.0, 0.0, -1.0), *((x, y, -1.0) for x, y in ((1, 1), (-1, 1), (-1, -1), (1, -1)))]
    made = np.array(found, dtype=np.float64)
    return np.asarray(made / np.linalg.norm(made, axis=1)[:, None])


def strokes(box: Points, directions: Points, width: float) -> list[Stroke]:
    """Return the strokes over a box (2, 3) mm from directions (n, 3), for a line of a width (mm), to and fro."""
    corners, found = box_corners(box), []
    for away in directions:
        x = any_perpendicular(away) if abs(away[2]) > 0.9 else unit(np.cross((0.0, 0.0, 1.0), away))
        y = np.cross(away, x)
        low, high = (corners @ np.array([x, y, away]).T).min(axis=0), (corners @ np.array([x, y, away]).T).max(axis=0)
        # Along the longer side: fewer turns.
        along, across = (x, y) if high[0] - low[0] >= high[1] - low[1] else (y, x)
        k, j = (0, 1) if along is x else (1, 0)
        depth = high[2] - min(_DEEP, (high[2] - low[2]) / 2)
        step = (1 - _OVERLAP) * width
        count = max(1, int(np.ceil((high[j] - low[j]) / step)))
        middle, margin = (low[j] + high[j]) / 2, 0.1 * width
        for n in range(count):
            beside = middle + (n - (count - 1) / 2) * step
            ends = [along * at + across * beside + away * depth for at in (low[k] - margin, high[k] + margin)]
            if n % 2:
                ends.reverse()
            found.append(Stroke(ends[0], ends[1], away, across))
    return found
