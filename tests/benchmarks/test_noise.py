"""The benchmarks of noise and coverage run, in a small form, and stay within their bars by a wide margin."""

import numpy as np
import pytest


def test_a_perfect_part_is_read_without_bias_and_form_is_kept(benchmark):
    noise = benchmark("noise")
    scan = noise.Scan(10_000, 0.01)
    rows = [noise.numbers(np.random.default_rng([7, k]), scan) for k in range(3)]
    for name in rows[0]:
        bias = np.mean([r[name] for r in rows]) / scan.noise
        assert abs(bias) < 0.6, (name, bias)
    shares = noise.kept(np.random.default_rng(8), scan)
    assert all(0.85 < share < 1.15 for share in shares.values()), shares


def test_no_wrong_part_or_pose_is_believed(benchmark):
    counts, _ = benchmark("trust").trials(3, 1)
    assert counts["right, right pose: believed"] >= 2
    assert not [text for text in counts if "wrong: believed" in text], counts


@pytest.mark.parametrize(("count", "how"), [(8, "touches"), (2000, "cloud")])
def test_the_stated_uncertainty_is_that_of_repeated_measurements(benchmark, count, how):
    stated = benchmark("stated_uncertainty")
    found = stated.ratios(count, how, stated.PERFECT, 9)
    assert {"distance", "angle", "GG", "GX", "position", "profile", "cylindricity"} <= set(found)
    assert all(0.4 < ratio < 2.6 for ratio, _ in found.values()), found  # of 12 the scatter is known to a fifth
