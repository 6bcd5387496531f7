"""The height map of a plane is laid as it is seen: each cell where its point is on the screen, never mirrored."""

import numpy as np
import pytest

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Shape
from truegauge.core.filters.form_map import form_map


def random_eye(rng, normal):
    """An eye that sees the plane from outside, obliquely: right, up (3,)."""
    back = normal + 0.5 * rng.normal(size=3)
    back /= np.linalg.norm(back)
    right = np.cross(rng.normal(size=3), back)
    right /= np.linalg.norm(right)
    return right, np.cross(back, right)


@pytest.mark.parametrize("seed", range(25))
def test_cells_lie_as_their_points_on_the_screen(seed):
    rng = np.random.default_rng(seed)
    turned = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    flat = rng.uniform([-40, -12], [40, 12], size=(4000, 2))
    points = flat @ turned[:, :2].T + rng.normal(size=3) * 50
    points += (0.01 * np.sin(flat[:, :1] / 9) + 0.02 * np.cos(flat[:, 1:] / 4)) * turned[:, 2]
    plane = associate(Shape.PLANE, points).feature
    made = form_map(plane, points, plane.distances(points))
    outward = plane.normal
    right, up = random_eye(rng, outward)
    seen = made.as_seen(right, up)
    assert seen.heights.shape in (made.heights.shape, made.heights.shape[::-1])
    assert np.nanmax(seen.heights) == np.nanmax(made.heights)
    # The directions go right and up on the screen, and make a picture seen from outside: right-handed with the normal.
    across, along = seen.directions
    turns = [(across, along), (along, -across), (-across, -along), (-along, across)]
    assert across @ right + along @ up == pytest.approx(max(a @ right + b @ up for a, b in turns))
    assert np.linalg.det(np.array([across, along, outward])) == pytest.approx(1.0, abs=1e-9)
    # By definition: the height of a cell is the mean distance of the points whose places fall into it.
    place = points - plane.pose.origin
    u, v = place @ across, place @ along
    column = np.abs(seen.u[:, None] - u).argmin(axis=0)
    row = np.abs(seen.v[:, None] - v).argmin(axis=0)
    sums = np.zeros(seen.heights.shape)
    counts = np.zeros(seen.heights.shape)
    np.add.at(sums, (row, column), plane.distances(points))
    np.add.at(counts, (row, column), 1)
    there = (counts > 0) & np.isfinite(seen.raw)
    assert there.mean() > 0.9
    assert np.abs(sums[there] / counts[there] - seen.raw[there]).max() < 1e-9


def test_what_is_round_stays_as_it_is(rng):
    angle, z = rng.uniform(-np.pi, np.pi, 2000), rng.uniform(0, 30, 2000)
    points = np.column_stack([10 * np.cos(angle), 10 * np.sin(angle), z])
    bore = associate(Shape.CYLINDER, points).feature
    made = form_map(bore, points, bore.distances(points))
    assert made.as_seen(np.array([1.0, 0, 0]), np.array([0, 1.0, 0])) is made
