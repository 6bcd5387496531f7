"""Angularity of an axis between planes with one datum has two optima: the better one is told."""

import numpy as np
import pytest
from tests.core.tolerancing.made import flat, hole, request, system, use

from truegauge.core.tolerancing.derived import median_line
from truegauge.core.tolerancing.geometric import evaluate

Z = np.array([0.0, 0.0, 1.0])


def slanted(seed):
    """A bore at 60 degrees to the datum, off by up to half a milliradian, bent in a direction of its own."""
    rng = np.random.default_rng(seed)
    slope = np.radians(60)
    direction = np.array([np.cos(slope), 0, np.sin(slope)])
    error = rng.normal(0, 5e-4, 3)
    axis = direction + error
    axis /= np.linalg.norm(axis)
    x = np.cross(direction, [0, 1, 0])
    y = np.cross(direction, x)
    bend = rng.normal(0, 0.01, 2)
    angle = np.arange(16) * np.pi / 8
    points = []
    for z in np.linspace(-15, 15, 7):
        center = z * axis + (1 - (z / 15) ** 2) * (bend[0] * x + bend[1] * y)
        points.append(center + 4 * (np.cos(angle)[:, None] * x + np.sin(angle)[:, None] * y))
    return hole(0, 0, 4.0, np.vstack(points), 30.0, direction=direction), direction


@pytest.mark.parametrize("seed", range(20))
def test_the_zone_is_the_narrowest_over_all_turns_about_the_datum(seed):
    bore, direction = slanted(seed)
    found = evaluate(request("angularity", [bore], system(use("A", flat(-20.0, -Z)))))
    line = median_line(bore)
    normal = Z - (Z @ direction) * direction
    normal /= np.linalg.norm(normal)
    # The zone stands at its angle to the datum and may turn about the datum's normal.
    flat_part = normal - (normal @ Z) * Z
    side = np.cross(Z, flat_part)

    def widths(turns):
        normals = (np.cos(turns)[:, None] * flat_part + np.sin(turns)[:, None] * side) + (normal @ Z) * Z
        return np.ptp(line @ normals.T, axis=0)

    turns = np.radians(np.linspace(-25, 25, 20_001))
    for _ in range(4):  # finer and finer about the best
        best, step = turns[np.argmin(widths(turns))], turns[1] - turns[0]
        turns = best + np.linspace(-2 * step, 2 * step, 2001)
    assert found.value == pytest.approx(widths(turns).min(), abs=1e-9)
