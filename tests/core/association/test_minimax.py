"""Minimum zone, circumscribed and inscribed features: laws, certificates, and cases known by construction."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.enclosing import smallest_ball
from truegauge.core.association.features import Cylinder, Shape
from truegauge.core.association.fit import Criterion
from truegauge.core.frames import apply, random_rigid

MZ, MC, MI = Criterion.MINIMUM_ZONE, Criterion.MINIMUM_CIRCUMSCRIBED, Criterion.MAXIMUM_INSCRIBED
OFFERED = [("plane", MZ),
           ("circle", MZ), ("circle", MC), ("circle", MI), ("sphere", MZ), ("sphere", MC), ("sphere", MI),
           ("cylinder", MZ), ("cylinder", MC), ("cylinder", MI), ("cone", MZ)]  # fmt: skip


def cloud_of(shape, rng, n=80, noise=0.02):
    u, h, e = rng.uniform(0, 2 * np.pi, n), rng.uniform(0, 30, n), rng.uniform(-noise, noise, n)
    c, s = np.cos(u), np.sin(u)
    if shape == "plane":
        return np.column_stack([30 * rng.uniform(-1, 1, n), 20 * rng.uniform(-1, 1, n), e])
    if shape == "circle":
        return np.column_stack([(12 + e) * c, (12 + e) * s, 0 * c])
    if shape == "sphere":
        z = rng.uniform(-1, 1, n)
        return (9 + e)[:, None] * np.column_stack([np.sqrt(1 - z * z) * c, np.sqrt(1 - z * z) * s, z])
    radius = 10 + e if shape == "cylinder" else 4 + 0.3 * h + e
    return np.column_stack([radius * c, radius * s, h])


def reach(fit, criterion):
    """What the criterion makes small: the form, the radius, or minus the radius."""
    if criterion == MZ:
        return fit.form
    return fit.feature.radius if criterion == MC else -fit.feature.radius


@given(st.sampled_from(OFFERED), st.integers(0, 10_000))
def test_moving_the_points_does_not_change_the_optimum(kind, seed):
    shape, criterion = kind
    rng = np.random.default_rng(seed)
    points, move = cloud_of(shape, rng), random_rigid(rng, 100)
    here, there = (associate(Shape(shape), p, criterion) for p in (points, apply(move, points)))
    assert_allclose(reach(there, criterion), reach(here, criterion), rtol=0, atol=1e-9)


@given(st.sampled_from(OFFERED), st.integers(0, 10_000))
def test_the_contacts_prove_the_optimum(kind, seed):
    shape, criterion = kind
    points = cloud_of(shape, np.random.default_rng(seed))
    fit = associate(Shape(shape), points, criterion)
    proof = fit.certificate
    assert proof is not None
    assert min(proof.multipliers) >= -1e-9
    assert sum(proof.multipliers) == pytest.approx(1.0, abs=1e-7)
    assert proof.residual < 1e-7
    residuals = fit.residuals[list(proof.contacts)]
    if criterion == MZ:
        # Contacts lie on the two limits of the zone, each on its side.
        middle = 0.5 * (fit.residuals.max() + fit.residuals.min())
        assert_allclose((residuals - middle) * np.array(proof.sides), fit.form / 2, rtol=0, atol=1e-9)
    else:
        assert_allclose(residuals, 0, atol=1e-9)


@given(st.sampled_from(["plane", "circle", "sphere", "cylinder", "cone"]), st.integers(0, 10_000))
def test_a_minimum_zone_is_no_wider_than_the_least_squares_form(shape, seed):
    points = cloud_of(shape, np.random.default_rng(seed))
    assert associate(Shape(shape), points, MZ).form <= associate(Shape(shape), points).form + 1e-12


@given(st.sampled_from(["circle", "sphere", "cylinder"]), st.integers(0, 10_000))
def test_no_point_is_outside_the_circumscribed_or_inside_the_inscribed_feature(shape, seed):
    points = cloud_of(shape, np.random.default_rng(seed))
    around, within = associate(Shape(shape), points, MC), associate(Shape(shape), points, MI)
    assert around.residuals.max() <= 1e-9
    assert within.residuals.min() >= -1e-9
    assert within.feature.radius <= associate(Shape(shape), points).feature.radius <= around.feature.radius


@given(st.sampled_from(["circle", "sphere", "cylinder"]), st.integers(0, 10_000))
def test_the_order_of_points_does_not_change_the_optimum(shape, seed):
    rng = np.random.default_rng(seed)
    points = cloud_of(shape, rng)
    for criterion in (MZ, MC, MI):
        here, there = (associate(Shape(shape), p, criterion) for p in (points, rng.permutation(points)))
        assert_allclose(reach(there, criterion), reach(here, criterion), rtol=0, atol=1e-9)


def test_no_nearby_cylinder_has_a_narrower_zone():
    rng = np.random.default_rng(4)
    fit = associate(Shape.CYLINDER, points := cloud_of("cylinder", rng), MZ)
    f = fit.feature
    for _ in range(500):
        direction = f.direction + rng.normal(0, 2e-4, 3)
        other = Cylinder(f.point + rng.normal(0, 2e-3, 3), direction / np.linalg.norm(direction), f.radius)
        assert np.ptp(other.distances(points)) >= fit.form - 1e-12


@pytest.mark.parametrize("n", [5, 20_000])
def test_few_and_many_points(n):
    points = cloud_of("circle", np.random.default_rng(1), n)
    fit = associate(Shape.CIRCLE, points, MZ)
    assert fit.certificate is not None
    assert 0 < fit.form < 0.05


@pytest.mark.parametrize("far", [1e3, 1e5])
def test_far_from_the_origin(far):
    rng = np.random.default_rng(2)
    points = cloud_of("cylinder", rng)
    here, there = associate(Shape.CYLINDER, points, MZ), associate(Shape.CYLINDER, points + far, MZ)
    assert_allclose(there.form, here.form, rtol=0, atol=1e-14 * far * 100)


def test_a_form_of_a_nanometre():
    rng = np.random.default_rng(3)
    points = cloud_of("cylinder", rng, noise=1e-6)
    assert 1e-6 < associate(Shape.CYLINDER, points, MZ).form < 2e-6


def test_two_opposite_points_hold_the_smallest_circle():
    flat = np.array([[-3.0, 0], [3, 0], [0, 2], [1, -2], [-1, 1]])
    center, radius, support = smallest_ball(flat)
    assert_allclose(center, 0, atol=1e-15)
    assert (radius, set(support)) == (3.0, {0, 1})


def test_the_smallest_ball_is_found_among_many_points():
    rng = np.random.default_rng(6)
    points = rng.normal(size=(5000, 3))
    points /= np.maximum(np.linalg.norm(points, axis=1, keepdims=True), 1.0)
    shell = np.vstack([points, [[5, 0, 0], [-5, 0, 0], [0, 5, 0], [0, 0, 5.0]]])
    center, radius, _ = smallest_ball(shell)
    assert_allclose(center, 0, atol=1e-12)
    assert radius == pytest.approx(5.0)


@pytest.mark.parametrize("kind", OFFERED)
def test_points_without_any_form_are_no_trouble(kind):
    shape, criterion = kind
    points = cloud_of(shape, np.random.default_rng(2), noise=0.0)
    fit = associate(Shape(shape), points, criterion)
    assert fit.form < 1e-12


def test_the_smallest_cylinder_around_a_short_arc_is_held_by_few_points():
    """Fewer contacts than unknowns: curvature holds the rest."""
    rng = np.random.default_rng(5)
    u, h = rng.uniform(-0.7, 0.7, 40), rng.uniform(0, 30, 40)
    r = 20 + rng.normal(0, 0.01, 40)
    points = np.column_stack([r * np.cos(u), r * np.sin(u), h])
    fit = associate(Shape.CYLINDER, points, MC)
    assert fit.residuals.max() <= 1e-9
    assert len(fit.certificate.contacts) < 6
    f = fit.feature
    for _ in range(300):
        direction = f.direction + rng.normal(0, 1e-3, 3)
        other = Cylinder(f.point + rng.normal(0, 1e-2, 3), direction / np.linalg.norm(direction), 0.0)
        assert other.distances(points).max() >= f.radius - 1e-9
