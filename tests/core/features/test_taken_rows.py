"""Rows of touches: found by their gaps, or as they were taken."""

import numpy as np
import pytest

from truegauge.core.taken_rows import rows_at, rows_or_slices


@pytest.mark.parametrize("seed", range(40))
def test_rings_are_found_whatever_their_number_and_touches(seed):
    """3 to 200 touches in 1 to 12 rings, each a little off its height and askew by up to a milliradian."""
    rng = np.random.default_rng(seed)
    rings, around = int(rng.integers(1, 13)), int(rng.integers(3, 201))
    radius, apart = rng.uniform(3, 30), rng.uniform(1.0, 8.0)
    angle = np.arange(around) * 2 * np.pi / around
    lean = 1e-3 * radius * np.cos(angle)
    height = np.concatenate([k * apart + lean + rng.normal(0, 0.005, around) for k in range(rings)])
    order = rng.permutation(len(height))
    truth = np.repeat(np.arange(rings), around)[order]
    found = rows_at(height[order], None, flat=0.2 * radius if rings == 1 else 0.1)
    assert found.count == rings
    assert np.array_equal(found.of, truth)
    assert f"{rings} row" in found.told


@pytest.mark.parametrize("seed", range(20))
def test_touches_all_over_a_feature_lie_in_no_rows(seed):
    rng = np.random.default_rng(seed)
    height = rng.uniform(0, 20, int(rng.integers(12, 40)))
    assert rows_at(height, None, flat=0.5).count == 0
    assert rows_at(np.linspace(0, 20, 30), None, flat=0.5).told == "no rows"


def test_many_points_in_no_rows_are_cut_into_slices():
    height = np.linspace(0, 20, 480)  # a helix
    found = rows_or_slices(height, None, flat=0.5)
    assert found.count == 20
    assert "slices of equal thickness" in found.told
    assert rows_or_slices(height[:40], None, flat=0.5).count == 0


def test_stated_rows_are_kept_unless_they_run_the_other_way():
    height = np.tile([0.0, 0.3, 0.6, 0.9], 3) + np.repeat([0.0, 2.0, 4.0], 4)
    rings = np.repeat([7, 3, 5], 4)
    found = rows_at(height, rings, flat=0.1)
    assert found.told == "rows as they were taken"
    assert np.array_equal(found.of, np.repeat([0, 1, 2], 4))  # numbered by their place
    lines = np.tile([0, 1, 2, 3], 3)
    flat = np.repeat([0.0, 2.0, 4.0], 4)
    assert rows_at(flat, lines, flat=0.1).told == "3 rows found by their places"
    # Some touches by hand among them: rows are found for all.
    mixed = np.where(np.arange(12) < 6, rings, -1)
    assert rows_at(flat, mixed, flat=0.1).count == 3


def test_angles_close():
    turn = 2 * np.pi * 10
    around = np.mod(np.repeat([0.0, 20.0, 40.0], 3) + np.tile([-0.05, 0.0, 0.05], 3), turn)
    assert rows_at(around, None, flat=0.5, turn=turn).count == 3
