"""Waves that a reference follows in part only: seen as large as they are, and in the stated uncertainty of depths."""

import numpy as np
import pytest

from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.preparing import prepare
from truegauge.core.imperfections.reference import Kind, Reference
from truegauge.core.imperfections.search import find
from truegauge.core.imperfections.waves import Blocks, off_by_waves

LONG, WIDE, NOISE = 500.0, 350.0, 0.02


def panel(seed, waves=0.1):
    """A plate with six waves of random directions and lengths, and dents and bumps (x, y, radius, depth)."""
    rng = np.random.default_rng(seed)
    at = rng.uniform(0, 1, (100_000, 2)) * [LONG, WIDE]
    z = rng.normal(0, NOISE, len(at))
    for _ in range(6):
        way, length, phase = rng.uniform(0, 2 * np.pi), 300.0 * rng.uniform(0.7, 1.5), rng.uniform(0, 2 * np.pi)
        z += waves / np.sqrt(3) * np.cos(2 * np.pi / length * at @ [np.cos(way), np.sin(way)] + phase)
    placed = []
    while len(placed) < 20:
        r = rng.uniform(5, 28)
        x, y = rng.uniform(r + 5, LONG - r - 5), rng.uniform(r + 5, WIDE - r - 5)
        if all(np.hypot(x - a, y - b) > r + q + 8 for a, b, q, _ in placed):
            depth = rng.choice([-1, 1]) * rng.uniform(0.3, 1.0)
            placed.append((x, y, r, depth))
            off = np.minimum(np.hypot(at[:, 0] - x, at[:, 1] - y) / r, 1.0)
            z += depth * np.cos(off * np.pi / 2) ** 2
    return np.column_stack([at, z]), np.tile([0.0, 0.0, 1.0], (len(at), 1)), np.array(placed)


@pytest.mark.parametrize("by", ["spline", "gaussian"])
@pytest.mark.parametrize("wavelength", [100.0, 150.0, 220.0])
def test_stated_uncertainties_hold_what_is_left_of_waves(by, wavelength):
    errors, stated, plain = [], [], []
    for seed in range(3):
        points, normals, truth = panel(seed)
        found = find(prepare(points, normals, Reference(wavelength=wavelength, by=by)), Finding(depth=0.15))
        for one in found.imperfections:
            far = np.hypot(*(truth[:, :2] - one.deepest[:2]).T)
            k = int(np.argmin(far))
            if far[k] < truth[k, 2] and one.depth * truth[k, 3] > 0:
                errors.append(one.depth - truth[k, 3])
                stated.append(one.depth_u)
                own = off_by_waves(found.waves, np.sqrt(4 / np.pi * np.array([one.whole_area])), wavelength)[0]
                plain.append(np.sqrt(max(1e-12, one.depth_u**2 - own**2)))
    errors, stated, plain = np.array(errors), np.array(stated), np.array(plain)
    assert len(errors) >= 57
    ratio = np.sqrt(np.mean(np.square(errors / stated)))
    assert 0.5 < ratio < 1.35
    if wavelength > 200:  # most of it is waves: by the noise alone it was told several times too small
        assert np.sqrt(np.mean(np.square(errors / plain))) > 2.0
        assert "a shorter wavelength follows them" in found.quality.advice


def test_without_waves_hardly_any_are_seen_and_shapes_have_none():
    points, normals, _ = panel(5, waves=0.0)
    found = find(prepare(points, normals, Reference(wavelength=150.0)), Finding())
    assert found.waves < 0.1 * NOISE
    assert found.quality.advice == ""
    assert find(prepare(points, normals, Reference(Kind.PLANE, 0.0)), Finding()).waves == 0.0


@pytest.mark.parametrize("noise", [0.0, 0.05])
def test_blocks_tell_the_scale_of_a_wave_through_noise_and_dents(noise):
    rng = np.random.default_rng(0)
    y, x = np.mgrid[:400, :600].astype(float)
    wave = 0.03 * np.sin(2 * np.pi * x / 97.0) * np.sin(2 * np.pi * y / 83.0)
    count = rng.integers(1, 4, x.shape)
    deviation = wave + noise * rng.normal(size=x.shape) / np.sqrt(count)
    deviation[rng.random(x.shape) < 0.1] = np.nan
    dent = np.hypot(x - 200, y - 200) < 60
    deviation[dent] -= 1.0
    blocks = Blocks.of(deviation, count, 1.0, 120.0)
    rows, columns = np.nonzero(dent)
    true = 1.4826 * np.median(np.abs(wave - np.median(wave)))
    assert blocks.left(rows, columns, noise) == pytest.approx(true, rel=0.1)
    nothing = np.zeros(0, dtype=np.int64)
    assert blocks.left(nothing, nothing, noise) == pytest.approx(true, rel=0.25)
    assert Blocks.of(deviation[:20, :20], count[:20, :20], 1.0, 120.0).left(nothing, nothing, noise) == 0.0
