"""Two-point sizes of made shapes whose local sizes are known."""

import numpy as np
import pytest

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Cylinder, ParallelPlanes, Shape, Sphere
from truegauge.core.errors import EvaluationError
from truegauge.core.frames import apply, random_rigid
from truegauge.core.tolerancing.two_point import local_diameters, local_widths

Z = np.array([0.0, 0, 1])


def made(lobes, n=40_000, taper=0.0, seed=0):
    rng = np.random.default_rng(seed)
    u, h = rng.uniform(-np.pi, np.pi, n), rng.uniform(-20, 20, n)
    r = 10 + 0.05 * np.cos(lobes * u) + taper * h
    move = random_rigid(rng, 100)
    points = apply(move, np.column_stack([r * np.cos(u), r * np.sin(u), h]))
    return associate(Shape.CYLINDER, points).feature, points


def test_an_oval_has_the_sizes_of_its_axes():
    sizes = local_diameters(*made(2))
    assert sizes.statistic("SX") == pytest.approx(20.1, abs=0.001)
    assert sizes.statistic("SN") == pytest.approx(19.9, abs=0.001)
    assert sizes.statistic("SR") == pytest.approx(0.2, abs=0.002)
    assert sizes.statistic("SD") == pytest.approx(20.0, abs=0.001)
    assert sizes.statistic("SA") == pytest.approx(20.0, abs=0.001)
    assert sizes.statistic("SQ") == pytest.approx(0.1 / np.sqrt(2), abs=0.002)


def test_three_lobes_cannot_be_seen_by_two_points():
    sizes = local_diameters(*made(3))
    # What is left are the places of the points inside their cells: a twentieth of what an oval would show.
    assert sizes.statistic("SR") < 0.01
    assert sizes.statistic("SM") == pytest.approx(20.0, abs=0.001)


def test_a_taper_spreads_the_sizes_along_the_axis():
    sizes = local_diameters(*made(0, taper=0.001))
    # 24 sections: the first and the last stand half a section from the ends.
    assert sizes.statistic("SR") == pytest.approx(2 * 0.001 * 40 * 23 / 24, abs=0.003)


def test_a_sphere_has_its_diameter_in_every_direction():
    rng = np.random.default_rng(1)
    toward = rng.normal(size=(40_000, 3))
    toward /= np.linalg.norm(toward, axis=1, keepdims=True)
    sizes = local_diameters(Sphere(np.zeros(3), 12.0), 12.0 * toward + 5)
    assert sizes.statistic("SA") == pytest.approx(24.0, abs=1e-6)
    assert sizes.statistic("SR") < 1e-6


def test_a_wedge_has_its_widths_from_end_to_end():
    rng = np.random.default_rng(2)
    x, y = rng.uniform(-10, 10, (2, 20_000))
    side = rng.integers(0, 2, 20_000) * 2 - 1
    points = np.column_stack([x, y, side * (4 + 0.005 * x)])
    sizes = local_widths(ParallelPlanes(np.zeros(3), Z, 8.0), points)
    assert sizes.statistic("SA") == pytest.approx(8.0, abs=0.002)
    assert sizes.statistic("SR") == pytest.approx(0.2, abs=0.01)


def test_half_a_cylinder_has_no_two_points():
    feature, points = made(2)
    local = (points - feature.point) @ feature.pose.axes.T
    with pytest.raises(EvaluationError, match="opposite"):
        local_diameters(feature, points[np.abs(np.arctan2(local[:, 1], local[:, 0])) < 1.4])
    assert isinstance(feature, Cylinder)
