import numpy as np
from scipy.spatial import cKDTree

from truegauge.core.clouds.spatial import guessed_spacing, isolated, spatial_order, thinned, typical_spacing


def test_the_spatial_order_is_a_permutation_with_short_steps(rng):
    points = rng.uniform(0, 100, (5000, 3))
    order = spatial_order(points)
    assert np.array_equal(np.sort(order), np.arange(5000))
    walk = np.linalg.norm(np.diff(points[order], axis=0), axis=1).mean()
    assert walk < 0.2 * np.linalg.norm(np.diff(points, axis=0), axis=1).mean()


def test_thinning_leaves_one_point_a_cube(rng):
    points = rng.uniform(0, 10, (20_000, 3))
    kept = points[thinned(points, 1.0)]
    assert 900 < len(kept) <= 1331


def test_isolated_points_are_those_with_no_company(rng):
    sheet = np.column_stack([rng.uniform(0, 50, (20_000, 2)), np.zeros(20_000)])
    strays = rng.uniform([0, 0, 10], [50, 50, 60], (60, 3))
    points = np.vstack([sheet, strays])
    spacing = typical_spacing(points[spatial_order(points)])
    marked = isolated(points, spacing)
    assert marked[:20_000].sum() == 0
    company = cKDTree(points).query(strays, k=4)[0][:, 3]
    assert marked[20_000:][company > 15 * spacing].all()


def test_one_point_and_equal_points_are_no_fault():
    assert len(spatial_order(np.zeros((0, 3)))) == 0
    assert len(thinned(np.zeros((5, 3)), 1.0)) == 1


def test_the_guessed_spacing_is_about_the_measured_one(rng):
    for size in ([200, 100, 60], [300, 200, 0], [50, 50, 50]):
        places = rng.uniform(0, 1, (30_000, 3)) * size
        side = rng.choice(3, 30_000, p=[0, 0, 1] if 0 in size else [1 / 3] * 3)
        places[np.arange(len(places)), side] = rng.integers(0, 2, len(places)) * np.array(size)[side]
        # Points strewn at random are half as far from the next one as those of a grid.
        measured = 2 * typical_spacing(places[spatial_order(places)])
        assert 0.5 < guessed_spacing(places) / measured < 2.0
