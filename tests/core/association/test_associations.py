import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from truegauge.core.association.by_criterion import associate, fit_circle, fit_cylinder, fit_plane
from truegauge.core.association.features import Cylinder, Shape
from truegauge.core.association.fit import Criterion
from truegauge.core.errors import AssociationError
from truegauge.core.frames import apply, random_rigid, rotate

LEAST = {"line": 2, "plane": 3, "circle": 3, "sphere": 4, "cylinder": 5, "cone": 6, "torus": 7}


def cloud_of(shape, rng, n=60):
    """Points of a shape in a frame of its own with 0.01 mm of noise."""
    u, v = rng.uniform(0, 2 * np.pi, n), rng.uniform(0.2, 1, n)
    noise = rng.normal(0, 0.01, n)
    c, s = np.cos(u), np.sin(u)
    if shape == "line":
        return np.column_stack([noise, rng.normal(0, 0.01, n), 40 * v])
    if shape == "plane":
        return np.column_stack([30 * c * v, 50 * s * v, noise])
    if shape == "circle":
        return np.column_stack([(12 + noise) * c, (12 + noise) * s, 0 * c])
    if shape == "sphere":
        z = rng.uniform(-1, 1, n)
        r = np.sqrt(1 - z * z)
        return (9 + noise)[:, None] * np.column_stack([r * c, r * s, z])
    if shape == "cylinder":
        return np.column_stack([(7 + noise) * c, (7 + noise) * s, 30 * v])
    if shape == "cone":
        radius = 25 * v * np.tan(0.4) + noise
        return np.column_stack([radius * c, radius * s, 25 * v])
    w = rng.uniform(0, 2 * np.pi, n)
    ring = 20 + (4 + noise) * np.cos(w)
    return np.column_stack([ring * c, ring * s, (4 + noise) * np.sin(w)])


SHAPES = list(LEAST)


@given(st.sampled_from(SHAPES), st.integers(0, 10_000))
def test_moving_the_points_moves_the_feature_with_them(shape, seed):
    rng = np.random.default_rng(seed)
    points, move = cloud_of(shape, rng), random_rigid(rng, 200)
    here, there = associate(Shape(shape), points), associate(Shape(shape), apply(move, points))
    assert_allclose(there.rms, here.rms, rtol=0, atol=1e-9)
    for name, value in here.feature.moved(move).parameters.items():
        got = there.feature.parameters[name]
        if name in ("direction", "normal"):
            assert np.linalg.norm(np.cross(value, got)) < 1e-8
        else:
            assert_allclose(got, value, rtol=0, atol=1e-7)


@given(st.sampled_from(SHAPES), st.integers(0, 10_000))
def test_the_order_of_points_does_not_matter(shape, seed):
    rng = np.random.default_rng(seed)
    points = cloud_of(shape, rng)
    here, there = associate(Shape(shape), points), associate(Shape(shape), rng.permutation(points))
    assert_allclose(there.form, here.form, rtol=0, atol=1e-9)


@given(st.sampled_from(SHAPES), st.integers(0, 10_000), st.floats(0.01, 100))
def test_scaling_the_points_scales_the_residuals(shape, seed, factor):
    points = cloud_of(shape, np.random.default_rng(seed))
    here, there = associate(Shape(shape), points), associate(Shape(shape), factor * points)
    assert_allclose(there.rms, factor * here.rms, rtol=1e-7)


@pytest.mark.parametrize("shape", SHAPES)
def test_one_point_too_few_is_refused_with_both_numbers(shape):
    few = cloud_of(shape, np.random.default_rng(1))[: LEAST[shape] - 1]
    with pytest.raises(AssociationError, match=rf"{len(few)} points?, a {shape} needs {LEAST[shape]}"):
        associate(Shape(shape), few)


@pytest.mark.parametrize("shape", SHAPES)
def test_points_that_are_no_numbers_are_refused(shape):
    points = cloud_of(shape, np.random.default_rng(1))
    points[3, 1] = np.nan
    with pytest.raises(AssociationError, match="not numbers"):
        associate(Shape(shape), points)


@pytest.mark.parametrize("shape", ["plane", "circle", "sphere", "cylinder"])
def test_collinear_points_are_refused(shape):
    with pytest.raises(AssociationError):
        associate(Shape(shape), np.outer(np.arange(20.0), [1, 2, 3]))


def test_coplanar_points_do_not_make_a_sphere():
    points = np.column_stack([np.random.default_rng(0).normal(size=(20, 2)), np.zeros(20)])
    with pytest.raises(AssociationError, match="one plane"):
        associate(Shape.SPHERE, points)


def test_a_criterion_that_is_not_offered_says_which_are():
    with pytest.raises(AssociationError, match="offered: least_squares"):
        associate(Shape.TORUS, np.zeros((9, 3)), Criterion.MAXIMUM_INSCRIBED)


def test_least_squares_beats_every_nearby_cylinder():
    rng = np.random.default_rng(5)
    points = cloud_of("cylinder", rng)
    fit = fit_cylinder(points)
    f = fit.feature
    for _ in range(200):
        direction = f.direction + rng.normal(0, 1e-4, 3)
        other = Cylinder(
            f.point + rng.normal(0, 1e-3, 3), direction / np.linalg.norm(direction), f.radius + rng.normal(0, 1e-3)
        )
        assert np.sum(other.distances(points) ** 2) >= np.sum(fit.residuals**2)


def test_a_start_gives_the_same_cylinder_as_the_search():
    points = cloud_of("cylinder", np.random.default_rng(6), 500)
    near = Cylinder(np.array([0.2, -0.1, 15]), np.array([0.02, 0.01, 1.0]) / np.linalg.norm([0.02, 0.01, 1.0]), 7.3)
    assert_allclose(fit_cylinder(points, near).feature.radius, fit_cylinder(points).feature.radius, atol=1e-10)


def test_residuals_of_a_plane_change_sign_with_its_side():
    points = np.array([[0, 0, 0], [10, 0, 0], [0, 10, 0], [10, 10, 0.1], [5, 5, 0.0]])
    fit = fit_plane(points)
    above = fit.feature.distances(points + 5 * fit.feature.normal)
    assert (above > 4.9).all()


def test_a_circle_keeps_its_plane_in_space():
    rng = np.random.default_rng(8)
    move = random_rigid(rng, 50)
    fit = fit_circle(apply(move, cloud_of("circle", rng)))
    assert abs(abs(fit.feature.normal @ rotate(move, np.array([0, 0, 1.0]))) - 1) < 1e-12
