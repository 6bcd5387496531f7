"""Waves over features against their definition, written out by other means."""

import numpy as np
import pytest
from numpy.polynomial.legendre import Legendre

from truegauge.core.association.features import Cone, Cylinder, Plane, Sphere
from truegauge.core.features.waves import feature_waves
from truegauge.core.frames import apply, random_rigid, rotate

Z = np.array([0.0, 0.0, 1.0])


def cloud(kind, n, seed):
    """Return a feature in any pose and noisy points on it, with gaps."""
    rng = np.random.default_rng(seed)
    pose = random_rigid(rng, 300.0)
    place, axis = apply(pose, np.zeros((1, 3)))[0], rotate(pose, Z[None])[0]
    t, z = rng.uniform(-np.pi, 0.4 * np.pi, n), rng.beta(0.6, 2.0, n) * 30.0
    noise = rng.normal(0, 0.02, n)
    if kind == "plane":
        points, feature = np.column_stack([t * 20.0, z, noise]), Plane(place, axis)
    elif kind == "sphere":
        out = rng.normal(size=(n, 3))
        points = (12.0 + noise[:, None]) * out / np.linalg.norm(out, axis=1, keepdims=True)
        feature = Sphere(place, 12.0)
    else:
        r = 8.0 + noise if kind == "cylinder" else (z + 10.0) * np.tan(0.3) + noise
        points = np.column_stack([r * np.cos(t), r * np.sin(t), z if kind == "cylinder" else z + 10.0])
        feature = Cylinder(place, axis, 8.0) if kind == "cylinder" else Cone(place, axis, 0.3)
    return feature, apply(pose, points)


def written_out(waves, u, v, wave):
    """Return one wave by its definition: a turn or a side, times a side."""
    order, phase, along = wave

    def side(x, k):
        return Legendre.basis(k)(2 * x - 1) if k <= 3 else np.cos(np.pi * (k - 1) * x)

    if waves.closed:
        first = np.imag(np.exp(2j * np.pi * order * u)) if phase else np.real(np.exp(2j * np.pi * order * u))
    else:
        first = side(u, order)
    return first * side(v, along)


@pytest.mark.parametrize("kind", ["plane", "cylinder", "cone", "sphere"])
@pytest.mark.parametrize(("n", "least"), [(300, 0.5), (4000, 1.0), (4000, 6.0)])
def test_sums_of_waves_are_the_waves_times_their_coefficients(kind, n, least):
    for seed in range(3):
        feature, points = cloud(kind, n, seed)
        waves = feature_waves(feature, points, least)
        assert waves is not None
        everything = np.arange(n)
        each = waves.at(everything)
        if kind != "sphere":
            by_hand = np.column_stack([written_out(waves, waves.u, waves.v, w) for w in waves.orders])
            assert np.abs(each - by_hand).max() < 1e-12
        rng = np.random.default_rng(seed + 50)
        for share in (1.0, 0.1, 0.0):
            coefficients = rng.normal(size=each.shape[1]) * (rng.uniform(size=each.shape[1]) < share)
            wanted = [float(row @ coefficients) for row in each]
            assert np.abs(waves.sums(coefficients) - wanted).max() < 1e-11
