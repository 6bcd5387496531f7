"""Filters against their transfer function, and form maps against made surfaces."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Shape
from truegauge.core.errors import EvaluationError
from truegauge.core.filters.form_map import FilterKind, FormFilter, form_map
from truegauge.core.filters.gaussian import Axis, gaussian, robust_gaussian

GAUSS, ROBUST = FilterKind.GAUSSIAN, FilterKind.ROBUST


@pytest.mark.parametrize("undulations", [1, 5, 15, 30, 60])
def test_a_closed_profile_is_damped_as_the_standard_says(undulations):
    angle = np.arange(720) / 720 * 2 * np.pi
    wave = np.cos(undulations * angle + 0.4)
    passed = gaussian(wave, (Axis(720, 720 / 15, True),))
    assert_allclose(passed, wave * 0.5 ** ((undulations / 15) ** 2), atol=1e-12)


@pytest.mark.parametrize("wavelength", [25.0, 8.0, 2.5, 1.0])
def test_an_open_profile_is_damped_away_from_its_ends(wavelength):
    x = np.arange(4000) * 0.02
    wave = np.sin(2 * np.pi * x / wavelength)
    passed = gaussian(wave, (Axis(4000, 2.5 / 0.02, False),))
    expected = wave * 0.5 ** ((2.5 / wavelength) ** 2)
    assert_allclose(passed[300:-300], expected[300:-300], atol=1e-9)


def test_a_constant_stays_at_the_ends_and_over_gaps():
    values = np.full(500, 3.0)
    values[100:140] = np.nan
    passed = gaussian(values, (Axis(500, 50, False),))
    assert_allclose(passed, 3.0, atol=1e-9)


def test_a_scratch_does_not_bend_the_robust_filter():
    rng = np.random.default_rng(0)
    angle = np.arange(720) / 720 * 2 * np.pi
    form = 0.010 * np.cos(3 * angle)
    values = form + rng.normal(0, 0.0005, 720)
    values[200:206] -= 0.5
    plain, robust = (f(values, (Axis(720, 720 / 50, True),)) for f in (gaussian, robust_gaussian))
    assert np.abs(plain - form).max() > 0.1
    assert np.abs(robust - form).max() < 0.002


def cylinder(lobes=3, amplitude=0.02, waves=0, seed=0, n=60_000):
    rng = np.random.default_rng(seed)
    u, h = rng.uniform(-np.pi, np.pi, n), rng.uniform(0, 40, n)
    r = 15 + amplitude / 2 * np.cos(lobes * u) + rng.normal(0, 0.001, n) + 0.004 * np.cos(waves * u) * (waves > 0)
    return np.column_stack([r * np.cos(u), r * np.sin(u), h])


@pytest.mark.parametrize("kind", [GAUSS, ROBUST])
def test_the_filtered_form_of_a_cylinder_is_its_lobes(kind):
    points = cylinder(waves=120)
    fit = associate(Shape.CYLINDER, points)
    smooth = form_map(fit.feature, points, fit.residuals, FormFilter(kind, 15, 8.0))
    raw = form_map(fit.feature, points, fit.residuals)
    assert smooth.form() == pytest.approx(0.02 * 0.5 ** (3 / 15) ** 2, abs=0.001)
    assert raw.form() > 0.025 or kind == ROBUST
    assert smooth.roundness()[0] == pytest.approx(0.0195, abs=0.001)
    assert smooth.straightness()[0] < 0.001


def test_roundness_does_not_depend_on_where_the_part_stood():
    """The section of an off-centre circle has no roundness of its own."""
    u = np.linspace(-np.pi, np.pi, 3000, endpoint=False)
    r = 20 + 0.005 * np.cos(4 * u)
    ring = np.column_stack([r * np.cos(u) + 5, r * np.sin(u) - 3, 0 * u])
    fit = associate(Shape.CIRCLE, ring)
    found = form_map(fit.feature, ring, fit.residuals, FormFilter(GAUSS, 50, None))
    assert found.form() == pytest.approx(0.01 * 0.5 ** (4 / 50) ** 2, abs=2e-5)
    assert found.roundness()[0] == pytest.approx(found.form(), abs=1e-5)


def test_the_flatness_of_a_wavy_plane_loses_its_short_waves():
    rng = np.random.default_rng(1)
    xy = rng.uniform(0, 80, (80_000, 2))
    z = 0.01 * np.cos(2 * np.pi * xy[:, 0] / 40) + 0.01 * np.cos(2 * np.pi * xy[:, 1] / 2)
    points = np.column_stack([xy, z])
    fit = associate(Shape.PLANE, points)
    smooth = form_map(fit.feature, points, fit.residuals, FormFilter(GAUSS, None, 8.0))
    assert smooth.form() == pytest.approx(0.02 * 0.5 ** (8 / 40) ** 2, abs=0.002)
    assert fit.form > 0.039


def test_a_line_has_a_straightness_profile():
    x = np.linspace(0, 100, 2000)
    points = np.column_stack([x, 0.02 * (x / 50 - 1) ** 2, 0 * x])
    fit = associate(Shape.LINE, points, plane_normal=np.array([0, 0, 1.0]))
    found = form_map(fit.feature, points, fit.residuals, FormFilter(GAUSS, None, 2.5))
    assert found.straightness()[0] == pytest.approx(0.02, abs=5e-4)


def test_too_few_points_for_the_cut_off_are_refused_with_the_number():
    ring = cylinder(n=60)
    ring[:, 2] = 0
    fit = associate(Shape.CIRCLE, ring)
    with pytest.raises(EvaluationError, match=r"60 points are too few.*7 for each of its 50"):
        form_map(fit.feature, ring, fit.residuals, FormFilter(GAUSS, 50, None))
