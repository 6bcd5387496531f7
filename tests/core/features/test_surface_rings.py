"""Rings over the estimated surface of a turned feature: even however its points are spread, and only where some are."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.association.features import Cone, Cylinder
from truegauge.core.cad.recognition import Nominal
from truegauge.core.features.extraction import ExtractionSettings, measure
from truegauge.core.features.surface_rings import rings_at
from truegauge.core.frames import apply, random_rigid
from truegauge.core.tolerancing.derived import median_line
from truegauge.core.tolerancing.size import sizes_by
from truegauge.core.tolerancing.size_rule import SizeRule

POSE = random_rigid(np.random.default_rng(5), 200.0)
CENTER, Z = np.array([0.0, 0, 10]), np.array([0.0, 0, 1])


def places(rng, count, spread):
    """Angles and heights: all around, or three of four points on one side and at one end."""
    t, z = rng.uniform(0, 2 * np.pi, count), rng.uniform(0, 20, count)
    if spread == "uneven":
        some = rng.uniform(size=count) < 0.75
        t[some], z[some] = rng.uniform(-1, 1, some.sum()), rng.uniform(0, 8, some.sum())
    return t, z


def bore(t, z, rng, noise, deviation):
    r = 5 + deviation(t, z) + noise * rng.normal(size=len(t))
    points = apply(POSE, np.column_stack([r * np.cos(t), r * np.sin(t), z]))
    feature = Cylinder(CENTER, Z, 5.0).moved(POSE)
    return measure(Nominal(feature, -1, 20.0, apply(POSE, CENTER)), points, np.arange(len(t)), ExtractionSettings())


@pytest.mark.parametrize("spread", ["even", "uneven"])
@pytest.mark.parametrize("noise", [0.0, 0.01])
def test_lobes_leave_sections_where_they_are_however_points_are_spread(rng, spread, noise):
    t, z = places(rng, 12_000, spread)
    found = bore(t, z, rng, noise, lambda t, z: 0.02 * np.cos(3 * t))
    for rank in ("SX", "SN"):
        assert abs(sizes_by((found,), SizeRule("LP", rank)).told()[0] - 10.0) < 0.0002 + 0.25 * noise
    line = median_line(found)
    across = np.linalg.svd(line - line.mean(axis=0))[1][1]
    assert across / np.sqrt(len(line)) < 0.0003 + 0.02 * noise  # the centres of its sections lie on a line
    assert abs(sizes_by((found,), SizeRule("GX")).told()[0] - 9.96) < 0.0005 + 0.25 * noise


def test_an_oval_bore_has_the_sizes_that_it_has_and_a_bent_one_its_bend(rng):
    t, z = places(rng, 12_000, "even")
    oval = bore(t, z, rng, 0.005, lambda t, z: 0.015 * np.cos(2 * t))
    assert_allclose([sizes_by((oval,), SizeRule("LP", r)).told()[0] for r in ("SX", "SN")], (10.03, 9.97), atol=0.001)
    bent = bore(t, z, rng, 0.005, lambda t, z: 0.02 * np.cos(t) * (1 - ((z - 10) / 10) ** 2))
    line = apply(np.linalg.inv(POSE), median_line(bent))
    assert np.ptp(line[:, 0]) == pytest.approx(0.02, abs=0.001)
    assert np.ptp(line[:, 1]) < 0.001


def test_where_there_are_no_points_there_are_no_places(rng):
    t, z = places(rng, 12_000, "even")
    crossed = (np.abs(t - np.pi) < 0.5) & (np.abs(z - 12) < 3)  # a bore from the side opens there
    found = bore(t[~crossed], z[~crossed], rng, 0.005, lambda t, z: 0 * t)
    local = apply(np.linalg.inv(POSE), found.surface.points)
    angle = np.mod(np.arctan2(local[:, 1], local[:, 0]), 2 * np.pi)
    inside = (np.abs(angle - np.pi) < 0.4) & (np.abs(local[:, 2] - 12) < 2)
    assert not inside.any()
    rings = rings_at(found.surface.rings)
    assert len(rings) == 16
    assert max(len(r) for r in rings) == 96 > min(len(r) for r in rings) > 70


def test_rings_of_a_cone_lie_on_it(rng):
    half = np.radians(20)
    t, s = rng.uniform(0, 2 * np.pi, 9000), rng.uniform(20, 40, 9000)
    points = np.column_stack([s * np.sin(half) * np.cos(t), s * np.sin(half) * np.sin(t), s * np.cos(half)])
    cone = Cone(np.zeros(3), Z, half)
    points = points + rng.normal(0, 0.005, 9000)[:, None] * cone.outward(points)
    middle = np.array([0, 0, 30 * np.cos(half)])
    found = measure(Nominal(cone, -1, 19.0, middle), points, np.arange(9000), ExtractionSettings())
    assert np.abs(cone.distances(found.surface.points)).max() < 0.0015
    along = np.linalg.norm(found.surface.points, axis=1)
    assert (along.min(), along.max()) == pytest.approx((20.2, 39.8), abs=0.05)
