"""Noise, smoothing, and regions beyond a threshold: against their definitions."""

import numpy as np
import pytest
from scipy.ndimage import label

from truegauge.core.imperfections.cells import Cells, put_into_cells, usual_spacing, without_strays
from truegauge.core.imperfections.finding import Finding, noise_of, regions, smoothed


def cells_of(height, size=1.0, count=4, *, closed=False):
    shape = height.shape
    return Cells(np.zeros(2), size, height, np.full(shape, count), np.zeros((*shape, 2)), closed)


@pytest.mark.parametrize("count", [1, 9])
def test_the_noise_of_a_point_is_found_beside_waves_and_dents(count):
    rng = np.random.default_rng(1)
    _, x = np.mgrid[:200, :300]
    height = 0.3 * np.sin(x / 40.0) + rng.normal(0, 0.05 / np.sqrt(count), x.shape)
    height[50:70, 80:110] -= 2.0
    height[rng.random(x.shape) < 0.1] = np.nan
    assert noise_of(height, np.full(x.shape, count)) == pytest.approx(0.05, rel=0.05)


@pytest.mark.parametrize("threshold", [0.02, 0.05, 0.1])
def test_smoothing_brings_the_noise_well_below_the_threshold_and_says_by_how_much(threshold):
    rng = np.random.default_rng(2)
    deviation = rng.normal(0, 0.03, (300, 300))
    found = smoothed(deviation, cells_of(deviation, count=1), threshold)
    assert found.point_noise == pytest.approx(0.03, rel=0.05)
    inner = found.height[20:-20, 20:-20]
    assert inner.std() == pytest.approx(found.noise, rel=0.15)
    assert found.noise < threshold / 5


def test_smoothing_leaves_a_round_dent_as_deep_as_it_is():
    y, x = np.mgrid[:121, :121] - 60.0
    dent = -np.clip(1.0 - (x**2 + y**2) / 25.0**2, 0.0, None)
    noisy = dent + np.random.default_rng(3).normal(0, 0.1, x.shape)
    found = smoothed(noisy, cells_of(noisy, count=1), 0.2)
    assert found.height[60, 60] == pytest.approx(-1.0, abs=4 * found.noise)
    assert smoothed(dent, cells_of(dent, count=1), 0.2).height is dent  # without noise nothing is smoothed


@pytest.mark.parametrize("seed", range(6))
def test_regions_are_the_connected_cells_beyond_the_threshold_where_nothing_is_split(seed):
    rng = np.random.default_rng(seed)
    height = rng.normal(0, 1, (60, 80))
    height[rng.random(height.shape) < 0.05] = np.nan
    found = regions(height, cells_of(height), Finding(depth=1.0, saddle=0.0))
    known = np.zeros_like(found)
    for sign in (-1, 1):
        own, _ = label(np.nan_to_num(sign * height) >= 1.0, np.ones((3, 3)))
        known = np.where(own > 0, own + known.max(), known)
    assert np.array_equal(found > 0, known > 0)
    pairs = {(a, b) for a, b in zip(found[found > 0], known[found > 0], strict=True)}
    assert len(pairs) == len(np.unique(found[found > 0])) == len(np.unique(known[known > 0]))


def two_hills(between):
    x = np.arange(80.0)
    line = np.maximum(np.interp(x, [10, 20, 35, 50, 60], [0, 1.0, between, 0.8, 0]), 0)
    return np.tile(line, (9, 1))


@pytest.mark.parametrize(("between", "count"), [(0.3, 2), (0.39, 2), (0.41, 1), (0.7, 1)])
def test_two_hills_are_split_where_the_saddle_is_less_than_half_of_the_lower_one(between, count):
    height = two_hills(between)
    found = regions(height, cells_of(height), Finding(depth=0.1, saddle=0.5))
    assert found.max() == count
    assert np.array_equal(found > 0, height >= 0.1)


def test_what_is_nearer_than_asked_is_joined_and_signs_are_kept_apart():
    height = np.zeros((20, 60))
    height[5:10, 5:15] = -1.0
    height[5:10, 19:30] = -1.0
    height[5:10, 34:40] = 1.0
    cells = cells_of(height, size=2.0)
    assert regions(height, cells, Finding(depth=0.5)).max() == 3
    assert regions(height, cells, Finding(depth=0.5, join=6.0)).max() == 3
    joined = regions(height, cells, Finding(depth=0.5, join=12.0))
    assert joined.max() == 2
    assert len(set(joined[height < 0])) == 1
    assert regions(height, cells, Finding(depth=0.5, sides="out")).max() == 1
    assert regions(height, cells, Finding(depth=0.5, sides="in")).max() == 2


def test_a_region_over_the_cut_of_a_closed_surface_is_one():
    height = np.zeros((10, 40))
    height[3:6, :4] = height[3:6, -5:] = 1.0
    assert regions(height, cells_of(height), Finding(depth=0.5)).max() == 2
    assert regions(height, cells_of(height, closed=True), Finding(depth=0.5)).max() == 1


@pytest.mark.parametrize("step", [0.4, 1.7])
def test_the_spacing_of_points_is_found_and_cells_have_their_means(step):
    rng = np.random.default_rng(4)
    x, y = (g.ravel() for g in np.meshgrid(np.arange(0, 90, step), np.arange(0, 60, step)))
    kept = np.hypot(x - 45, y - 30) < 25
    laid = np.column_stack([x, y, rng.normal(size=len(x))])[kept]
    assert usual_spacing(laid) == pytest.approx(step, rel=0.12)
    cells = put_into_cells(laid, 5.0)
    assert cells.count.sum() == len(laid)
    row, column = 5, 4
    low = cells.low + 5.0 * np.array([column, row])
    own = ((laid[:, :2] >= low) & (laid[:, :2] < low + 5.0)).all(axis=1)
    assert cells.height[row, column] == pytest.approx(laid[own, 2].mean())
    assert np.allclose(cells.at[row, column], laid[own, :2].mean(axis=0))


def test_strays_are_found_and_steep_dents_are_none():
    rng = np.random.default_rng(5)
    at = rng.uniform(0, 100, (20_000, 2))
    z = rng.normal(0, 0.03, len(at)) - 2.0 * np.exp(-np.square(at - 50.0).sum(axis=1) / 50.0)
    stray = rng.random(len(at)) < 0.01
    z[stray] += rng.choice([-1, 1], stray.sum()) * rng.uniform(3.0, 30.0, stray.sum())
    kept, scatter = without_strays(np.column_stack([at, z]), 2.5)
    assert not (kept & stray).any()
    assert (~kept & ~stray).sum() < 3e-3 * len(at)
    dent = np.hypot(*(at - 50.0).T) < 8.0
    assert kept[dent & ~stray].mean() > 0.99
    assert scatter < 0.1


@pytest.mark.parametrize("seed", range(4))
def test_each_side_has_a_threshold_of_its_own(seed):
    height = np.random.default_rng(seed).normal(0, 1, (60, 80))
    both = regions(height, cells_of(height), Finding(depth=0.8, height=1.6, saddle=0.0))
    alone = [regions(height, cells_of(height), Finding(depth=d, sides=s, saddle=0.0))
             for d, s in ((0.8, "in"), (1.6, "out"))]  # fmt: skip
    assert np.array_equal(both > 0, (alone[0] > 0) | (alone[1] > 0))
    assert both.max() == alone[0].max() + alone[1].max()
    wanted = Finding(depth=0.8, height=1.6)
    assert (wanted.least, Finding(depth=0.8, height=0.3).least) == (0.8, 0.3)
    assert (Finding(0.8, "in", height=0.3).least, Finding(0.8, "out", height=1.6).least) == (0.8, 1.6)


@pytest.mark.parametrize(("saddle", "many"), [(0.0, 1), (0.5, 1), (0.59, 1), (0.61, 2), (1.0, 2)])
def test_two_are_one_from_a_saddle_on(saddle, many):
    y, x = np.mgrid[:40, :100]
    height = np.interp(x[0], (10, 30, 50, 70, 90), (0.0, 1.0, 0.6, 1.5, 0.0)) * np.ones((40, 1))
    height *= np.clip(1.0 - np.abs(y - 20) / 15.0, 0.0, None)
    assert regions(height, cells_of(height), Finding(depth=0.1, saddle=saddle)).max() == many
