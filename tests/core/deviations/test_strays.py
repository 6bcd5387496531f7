"""Strays among deviations: single ones go, what lies off together stays."""

import numpy as np
from numpy.random import default_rng

from truegauge.core.deviations.statistics import statistics
from truegauge.core.deviations.strays import stray_points


def _scan(count: int, seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Return faces and deviations with noise of 0.01 mm; every second face lies elsewhere by 0.2 mm."""
    rng = default_rng(seed)
    face = np.sort(rng.integers(0, 40, count))
    return face, rng.normal(0, 0.010, count) + 0.2 * (face % 2)


def test_single_points_far_off_are_strays_and_all_others_are_none() -> None:
    for seed, count in ((1, 800), (2, 50_000), (3, 400_000)):
        face, distance = _scan(count, seed)
        wrong = default_rng(seed).choice(count, count // 200, replace=False)
        distance[wrong] += default_rng(seed + 9).choice([-1, 1], len(wrong)) * 0.5
        found = stray_points(face, distance)
        assert np.isin(wrong, np.flatnonzero(found)).mean() > 0.98
        assert found.sum() - np.isin(wrong, np.flatnonzero(found)).sum() <= max(1, count // 50_000)
        told = statistics(distance, found)
        assert told.strays == found.sum()
        assert told.count == count - told.strays
        assert told.max < 0.27
        assert told.min > -0.07


def test_a_dent_a_face_in_a_wrong_place_and_a_wave_are_no_strays() -> None:
    face = np.repeat([0, 1, 2, 3], [500, 7, 500, 3])
    distance = default_rng(4).normal(0, 0.005, len(face))
    distance[100:140] -= 0.3
    distance[face == 1] += 0.4
    distance[face == 2] += 0.1 * np.sin(np.arange(500) / 10)
    distance[face == 3] = [0, 0, 9]  # too few to say
    assert not stray_points(face, distance).any()


def test_points_of_no_face_and_exact_ones_are_no_strays() -> None:
    face = np.repeat([-1, 5], 100)
    distance = np.zeros(200)
    distance[:100] = default_rng(5).normal(0, 1, 100)
    assert not stray_points(face, distance).any()
    distance[150] = 0.01
    assert np.flatnonzero(stray_points(face, distance)).tolist() == [150]
