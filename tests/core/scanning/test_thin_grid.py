"""Thinning while points come: of every cube the point seen best, by definition, however they come."""

import numpy as np
import pytest

from truegauge.core.scanning.thin_grid import ThinGrid


def by_definition(places, scores, spacing):
    """Return the point of the highest score of every cube; of equals the first."""
    best = {}
    for k, (place, score) in enumerate(zip(places, np.float32(scores), strict=True)):
        cube = tuple(np.floor(place / spacing).astype(int))
        if cube not in best or score > best[cube][0]:
            best[cube] = (score, k)
    return sorted(k for _, k in best.values())


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
    assert counts[-1] == counts[20] == 6400


def test_too_many_points_are_kept_wider_apart_and_none_is_made_up():
    rng, grid = np.random.default_rng(3), ThinGrid(0.1, most=20_000)
    places, scores = rng.uniform(0, 30, (60_000, 3)), rng.random(60_000)
    grid.add(places, scores)
    assert grid.is_full
    while grid.is_full:
        grid.widen()
    assert grid.spacing == pytest.approx(1.6)
    expected = places[by_definition(places, scores, grid.spacing)]
    assert np.array_equal(np.unique(grid.places, axis=0), np.unique(expected, axis=0))


def test_points_beyond_all_cubes_are_left_out():
    grid = ThinGrid(0.1)
    rows, _ = grid.add(np.array([[0.0, 0.0, 0.0], [1e9, 0.0, 0.0], [0.0, -1e9, 0.0]]), np.ones(3))
    assert rows.tolist() == [0]
    assert grid.count == 1
