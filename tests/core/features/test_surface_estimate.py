"""The surface behind noisy points: no bias on perfect features, form that is there, dents, strays."""

import numpy as np
import pytest

from truegauge.core.association.features import Cylinder, Plane, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.deviations.spots import read_extreme
from truegauge.core.features.extraction import ExtractionSettings, measure
from truegauge.core.features.measured_surface import patch_surface
from truegauge.core.tolerancing.form import form_value
from truegauge.core.tolerancing.size import sizes_by
from truegauge.core.tolerancing.size_rule import SizeRule

Z = np.array([0.0, 0.0, 1.0])
SETTINGS = ExtractionSettings()


def bore(seed, n, noise, deviation=lambda t, z: 0.0, radius=5.0, length=20.0):
    rng = np.random.default_rng(seed)
    t, z = rng.uniform(0, 2 * np.pi, n), rng.uniform(-0.5, 0.5, n) * length
    r = radius + deviation(t, z) + rng.normal(0, noise, n)
    points = np.column_stack([r * np.cos(t), r * np.sin(t), z])
    nominal = Nominal(Cylinder(np.zeros(3), Z, radius), -1, length, np.zeros(3))
    return measure(nominal, points, np.arange(n), SETTINGS)


def face(seed, n, noise, height=lambda x, y: 0.0, sides=(100.0, 60.0)):
    rng = np.random.default_rng(seed)
    x, y = (rng.uniform(-0.5, 0.5, n) * s for s in sides)
    points = np.column_stack([x, y, height(x, y) + rng.normal(0, noise, n)])
    nominal = Nominal(Plane(np.zeros(3), Z), 1, float(np.hypot(*sides)), np.zeros(3))
    return measure(nominal, points, np.arange(n), SETTINGS)


@pytest.mark.parametrize(("n", "noise"), [(2000, 0.005), (2000, 0.02), (10_000, 0.01), (50_000, 0.01)])
def test_perfect_features_have_no_form_and_the_size_that_they_have(n, noise):
    """Extremes of points would be off by three to eight noises; of five of each, none by more than a quarter."""
    for seed in range(5):
        hole = bore(seed, n, noise)
        for rule in (SizeRule("GX"), SizeRule("GN"), SizeRule("LP", "SX"), SizeRule("LP", "SN"), SizeRule("E")):
            found = sizes_by((hole,), rule).told(10.0, 10.1)[0]
            assert abs(found - 10.0) < 0.25 * noise, rule
        assert form_value("cylindricity", (hole,))[0] < 0.5 * noise
        assert form_value("roundness", (hole,))[0] < 0.5 * noise
        plane = face(seed, n, noise)
        assert form_value("flatness", (plane,))[0] < 0.5 * noise
        assert abs(float(plane.as_datum().parameters["point"] @ Z)) < 0.3 * noise
        assert plane.surface.noise == pytest.approx(noise, rel=0.1)


@pytest.mark.parametrize("lobes", [2, 3, 5, 8, 12])
@pytest.mark.parametrize("n", [2000, 20_000])
def test_lobes_of_twice_the_noise_are_kept(lobes, n):
    noise = 0.01
    hole = bore(lobes, n, noise, lambda t, z: 2 * noise * np.cos(lobes * t + 1.0))
    assert form_value("roundness", (hole,))[0] == pytest.approx(4 * noise, rel=0.1)
    assert "wave" in hole.surface.words


def test_waves_of_a_face_and_a_narrow_dent_are_kept():
    noise = 0.01
    waved = face(1, 20_000, noise, lambda x, y: 2 * noise * np.cos(2 * np.pi * x / 40))
    assert form_value("flatness", (waved,))[0] == pytest.approx(4 * noise, rel=0.1)
    dented = face(2, 50_000, noise, lambda x, y: -0.15 * ((x - 20) ** 2 + (y + 10) ** 2 < 16))
    assert form_value("flatness", (dented,))[0] == pytest.approx(0.15, abs=0.02)


def test_single_strays_change_nothing():
    rng = np.random.default_rng(3)
    x, y = rng.uniform(-50, 50, 20_000), rng.uniform(-30, 30, 20_000)
    deviations = rng.normal(0, 0.005, len(x))
    deviations[rng.integers(0, len(x), 20)] += 0.4
    feet = np.column_stack([x, y, 0.001 * x**2])
    normals = np.column_stack([-0.002 * x, 0 * x, np.ones(len(x))])
    normals /= np.linalg.norm(normals, axis=1)[:, None]
    found = patch_surface(feet, normals, deviations, 2.5)
    heights = ((found.points - feet[found.rows]) * found.normals).sum(axis=1)
    assert found.strays >= 18
    assert np.abs(heights).max() < 0.005
    for highest in (True, False):
        assert abs(read_extreme(feet, normals, deviations, 2.5, highest=highest).value) < 0.005


def test_few_points_and_balls():
    few = bore(5, 40, 0.01)
    assert few.surface is None  # too few for cells: means, as they are
    rng = np.random.default_rng(6)
    toward = rng.normal(size=(5000, 3))
    toward /= np.linalg.norm(toward, axis=1)[:, None]
    points = (12 + 0.05 * toward[:, 2] ** 3 + rng.normal(0, 0.005, 5000))[:, None] * toward
    ball = measure(Nominal(Sphere(np.zeros(3), 12.0), -1, 24.0, np.zeros(3)), points, np.arange(5000), SETTINGS)
    truth = 12 + 0.05 * toward[:, 2] ** 3
    seen = np.linalg.norm(ball.surface.points, axis=1)
    rows = np.arange(5000)[np.linspace(0, 4999, len(seen)).astype(int)]
    assert np.abs(seen - truth[rows]).max() < 0.003


def test_exact_points_are_their_own_surface():
    exact = face(7, 4000, 0.0, lambda x, y: 0.05 * ((x / 50) ** 2 + (y / 30) ** 2))
    z = exact.points[:, 2]
    assert form_value("flatness", (exact,))[0] == pytest.approx(np.ptp(z), abs=0.002)
    assert exact.surface.noise < 0.002  # what the dish slopes within a cell
