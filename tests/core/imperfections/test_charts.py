"""Surfaces laid out flat: there and back, heights along the normal, areas."""

import numpy as np
import pytest

from truegauge.core.imperfections.charts import BallChart, PlaneChart, RoundChart, axes_with

FRAME = axes_with(np.array([0.3, -0.5, 0.8]))
AT = np.array([12.0, -40.0, 7.0])
CHARTS = {
    "plane": PlaneChart(AT, FRAME),
    "cylinder": RoundChart(AT, FRAME, 30.0),
    "bore": RoundChart(AT, FRAME, 30.0, sign=-1.0, seam=1.0),
    "cone": RoundChart(AT, FRAME, 25.0, half_angle=0.3),
    "funnel": RoundChart(AT, FRAME, 25.0, half_angle=-0.4, sign=-1.0),
    "ball": BallChart(AT, FRAME, 40.0),
    "socket": BallChart(AT, FRAME, 40.0, sign=-1.0),
}


def places(chart, rng, count=400):
    at = rng.uniform(-20.0, 20.0, (count, 3)) * [1.0, 1.0, 0.2]
    if isinstance(chart, RoundChart):
        at[:, 0] = rng.uniform(0.0, 2 * np.pi * chart.radius, count)
    return at


@pytest.mark.parametrize("name", CHARTS)
def test_what_is_laid_out_comes_back(name):
    chart = CHARTS[name]
    at = places(chart, np.random.default_rng(1))
    assert np.allclose(chart.laid(chart.back(at)), at, atol=1e-9)


@pytest.mark.parametrize("name", CHARTS)
def test_heights_grow_along_the_normal_by_their_own_length(name):
    chart = CHARTS[name]
    at = places(chart, np.random.default_rng(2))
    up = chart.back(at + np.array([0.0, 0.0, 1.0])) - chart.back(at)
    assert np.allclose(up, chart.out(at), atol=1e-9)
    assert np.allclose(np.linalg.norm(chart.out(at), axis=1), 1.0)


@pytest.mark.parametrize("name", CHARTS)
def test_areas_are_those_of_the_surface(name):
    chart = CHARTS[name]
    at = places(chart, np.random.default_rng(3))
    step = 1e-5
    u, v = np.array([step, 0, 0]), np.array([0, step, 0])
    du = (chart.back(at + u) - chart.back(at - u)) / (2 * step)
    dv = (chart.back(at + v) - chart.back(at - v)) / (2 * step)
    assert np.allclose(np.linalg.norm(np.cross(du, dv), axis=1), chart.spread(at), rtol=1e-6)
