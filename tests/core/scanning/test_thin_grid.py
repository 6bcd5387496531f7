"""Thinning while points come: of every cube the point seen best, by definition, however they come."""

import numpy as np
import pytest

from truegauge.core.scanning.thin_grid import ThinGrid


def by_definition(places, scores, spacing):
    """Return the point of the highest score of every cube; of equals the first.

    One that comes into an empty cube, but within a quarter of it to an occupied one, is one of the nearest such.
    """
    best = {}
    for k, (place, score) in enumerate(zip(places, np.float32(scores), strict=True)):
        low = np.floor(place / spacing).astype(int)
        cube = tuple(low)
        if cube not in best:
            share = place / spacing - low
            near, side = np.minimum(share, 1 - share), np.where(share < 0.5, -1, 1)
            beside = [(float(near[w] @ near[w]), tuple(low + side * w)) for w in MASKS if (near[w] < 0.25).all()]
            cube = min((b for b in beside if b[1] in best), default=(0.0, cube))[1]
        if cube not in best or score > best[cube][0]:
            best[cube] = (score, k)
    return sorted(k for _, k in best.values())


MASKS = [np.array([m & 1, m >> 1 & 1, m >> 2 & 1], dtype=bool) for m in range(1, 8)]  # x, y, both, z, ...


@pytest.mark.parametrize("off", [0.0, 0.5, 1.0, 2.0, 3.0, 6.0])
def test_looking_long_does_not_make_a_surface_rougher(off):
    """Each place is looked at 400 times, the surface lies `off` standard deviations under the faces of cubes."""
    rng, sigma, spacing = np.random.default_rng(int(10 * off)), 0.012, 0.4
    grid = ThinGrid(spacing)
    for _ in range(40):
        z = spacing - off * sigma + rng.normal(0, sigma, 100_000)
        flat = np.column_stack([rng.uniform(0, 40, (100_000, 2)), z])
        grid.add(flat, rng.random(len(flat)))
    kept = grid.places[:, 2] - (spacing - off * sigma)
    assert abs(kept.mean()) < 4 * sigma / np.sqrt(len(kept))
    assert kept.std() == pytest.approx(sigma, rel=0.04)
    assert np.abs(kept).max() < 4.6 * sigma  # of 10,000 points
    assert 9_500 < grid.count < 10_500


@pytest.mark.parametrize("seed", range(6))
def test_the_best_seen_point_of_every_cube_is_kept(seed):
    rng = np.random.default_rng(seed)
    count, spacing = int(rng.integers(1, 30_000)), float(rng.uniform(0.1, 3.0))
    places = rng.normal(0, 12.0, (count, 3)) + rng.uniform(-4000, 4000, 3)
    scores = rng.integers(0, 5, count) / 4  # many alike
    grid, of_row, at = ThinGrid(spacing), {}, 0
    for size in rng.integers(1, 4000, 400):
        block = slice(at, min(at + size, count))
        rows, taken = grid.add(places[block], scores[block])
        of_row |= dict(zip(rows.tolist(), (at + taken).tolist(), strict=True))
        assert (np.diff(rows) > 0).all()
        at = block.stop
        if at == count:
            break
    kept = by_definition(places[:at], scores[:at], spacing)
    assert sorted(of_row.values()) == kept
    assert np.array_equal(grid.places, places[[of_row[row] for row in range(grid.count)]])


def test_looking_long_at_a_surface_takes_no_more_room():
    rng, grid = np.random.default_rng(2), ThinGrid(0.5)
    counts = []
    for _ in range(60):
        flat = np.column_stack([rng.uniform(0, 40, (20_000, 2)), 0.25 + rng.normal(0, 0.02, 20_000)])
        grid.add(flat, np.ones(len(flat)))
        counts.append(grid.count)
    assert counts[-1] == counts[20] == 6400  # 80 x 80, in the middle of their cubes


def test_too_many_points_are_kept_wider_apart_and_none_is_made_up():
    rng, grid = np.random.default_rng(3), ThinGrid(0.1, most=20_000)
    places, scores = rng.uniform(0, 30, (60_000, 3)), rng.random(60_000)
    grid.add(places, scores)
    assert grid.is_full
    assert np.isin(grid.places.view("V24"), places.view("V24")).all()
    while grid.is_full:
        kept, of = grid.places.copy(), grid.scores.copy()
        grid.widen()
        expected = kept[by_definition(kept, of, grid.spacing)]
        assert np.array_equal(np.unique(grid.places, axis=0), np.unique(expected, axis=0))
    assert grid.spacing == pytest.approx(1.6)


def test_points_beyond_all_cubes_are_left_out():
    grid = ThinGrid(0.1)
    rows, _ = grid.add(np.array([[0.0, 0.0, 0.0], [1e9, 0.0, 0.0], [0.0, -1e9, 0.0]]), np.ones(3))
    assert rows.tolist() == [0]
    assert grid.count == 1
