"""The one-pass way for clouds gives the digits of the factorised way."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.association import Shape, associate, gauss_newton, plane
from truegauge.core.frames import apply, random_rigid

N = 5000


def cloud_of(shape, rng):
    u, v, e = rng.uniform(0, 2 * np.pi, N), rng.uniform(0.1, 1, N), rng.normal(0, 0.02, N)
    c, s = np.cos(u), np.sin(u)
    if shape == "plane":
        return np.column_stack([60 * c * v, 20 * s * v, e])
    if shape == "sphere":
        return (15 + e)[:, None] * np.column_stack([np.sqrt(1 - v * v) * c, np.sqrt(1 - v * v) * s, v])
    if shape == "circle":
        return np.column_stack([(15 + e) * c, (15 + e) * s, 0 * c])
    if shape == "torus":
        w = rng.uniform(0, 2 * np.pi, N)
        ring = 30 + (6 + e) * np.cos(w)
        return np.column_stack([ring * c, ring * s, (6 + e) * np.sin(w)])
    radius = 8 + e if shape == "cylinder" else 4 + 12 * v + e
    return np.column_stack([radius * c, radius * s, 40 * v])


@pytest.mark.parametrize("shape", ["plane", "circle", "sphere", "cylinder", "cone", "torus"])
def test_both_ways_agree(shape, monkeypatch):
    rng = np.random.default_rng(9)
    points = apply(random_rigid(rng, 100), cloud_of(shape, rng))
    fast = associate(Shape(shape), points)
    monkeypatch.setattr(gauss_newton, "MANY", 10**9)
    monkeypatch.setattr(plane, "MANY", 10**9)
    slow = associate(Shape(shape), points)
    for name, value in slow.feature.parameters.items():
        got = fast.feature.parameters[name]
        if name in ("direction", "normal"):
            assert np.linalg.norm(np.cross(value, got)) < 1e-11
        else:
            assert_allclose(got, value, rtol=0, atol=1e-9)
