"""The robust smooth surface: what it follows, what it does not, and what does not pull it."""

import numpy as np
import pytest

from truegauge.core.imperfections.smooth_surface import fit_smooth

RNG = np.random.default_rng(7)


def grid(long=400.0, wide=300.0, step=4.0, seed=0):
    rng = np.random.default_rng(seed)
    x, y = (g.ravel() for g in np.meshgrid(np.arange(0, long, step), np.arange(0, wide, step)))
    at = np.column_stack([x, y]) + rng.uniform(0, 0.8 * step, (len(x), 2))
    return at, np.full(len(at), step**2)


def followed(wave, wavelength, along):
    at, area = grid(600.0, 600.0, 5.0)
    phase = 2 * np.pi / wave * at[:, along]
    z, _ = fit_smooth(at, np.sin(phase), area, wavelength, out=np.zeros(len(at), bool)).heights(at)
    inner = (np.abs(at - 300.0) < 150.0).all(axis=1)
    return float(np.linalg.lstsq(np.column_stack([np.sin(phase), np.cos(phase)])[inner], z[inner], rcond=None)[0][0])


@pytest.mark.parametrize("along", [0, 1])
def test_half_of_a_wave_of_the_wavelength_is_followed_longer_ones_and_no_shorter_ones(along):
    assert followed(100.0, 100.0, along) == pytest.approx(0.5, abs=0.03)
    assert followed(200.0, 100.0, along) > 0.99
    assert followed(50.0, 100.0, along) < 0.05


@pytest.mark.parametrize("seed", range(3))
def test_what_has_no_change_of_curvature_is_followed_exactly_up_to_the_border(seed):
    rng = np.random.default_rng(seed)
    at, area = grid(seed=seed)
    kept = ~((np.abs(at - [150.0, 120.0]) < [40.0, 30.0]).all(axis=1))  # an opening
    a = rng.normal(size=6) * [50.0, 0.3, 0.3, 1e-3, 1e-3, 1e-3]

    def height(p):
        x, y = p.T
        return a[0] + a[1] * x + a[2] * y + a[3] * x * x + a[4] * x * y + a[5] * y * y

    fit = fit_smooth(at[kept], height(at[kept]), area[kept], 120.0)
    z, slope = fit.heights(at)
    assert np.allclose(z, height(at), atol=1e-6)
    step = 1e-4
    for k in range(2):
        d = np.eye(2)[k] * step
        assert np.allclose(slope[:, k], (height(at + d) - height(at - d)) / (2 * step), atol=1e-6)


def dented(noise):
    at, area = grid()
    sound = 1e-4 * at[:, 0] * at[:, 1] + 0.1 * np.sin(2 * np.pi * at[:, 0] / 350.0)
    far = np.minimum(np.hypot(*(at - [200.0, 150.0]).T) / 25.0, 1.0)
    return at, area, sound, -1.0 * (1 + np.cos(np.pi * far)) / 2 + np.random.default_rng(1).normal(0, noise, len(at))


def test_a_dent_does_not_pull_it_and_pulls_a_plain_one():
    at, area, sound, dent = dented(0.01)
    middle = np.array([[200.0, 150.0]])
    truth = 1e-4 * 200.0 * 150.0 + 0.1 * np.sin(2 * np.pi * 200.0 / 350.0)
    robust = fit_smooth(at, sound + dent, area, 120.0).heights(middle)[0][0] - truth
    plain = fit_smooth(at, sound + dent, area, 120.0, out=np.zeros(len(at), bool)).heights(middle)[0][0] - truth
    assert abs(robust) < 0.03
    assert plain < -0.1


def test_a_closed_surface_goes_on_where_it_was_cut():
    at, area = grid(360.0, 200.0)
    height = np.sin(2 * np.pi * at[:, 0] / 360.0) + 0.002 * at[:, 1]
    fit = fit_smooth(at, height, area, 90.0, period=360.0, least=0.5)
    y = np.linspace(5.0, 190.0, 20)
    left, right = (fit.heights(np.column_stack([np.full(20, x), y])) for x in (1e-9, 360.0 - 1e-9))
    assert np.allclose(left[0], right[0], atol=1e-6)
    assert np.allclose(left[1], right[1], atol=1e-6)
    assert np.abs(fit.heights(at)[0] - height).max() < 0.02


def test_how_far_it_may_be_off_holds_what_it_really_is_off():
    noise, at, area = 0.05, *grid(200.0, 200.0)
    places = np.array([[100.0, 100.0], [5.0, 5.0], [100.0, 3.0], [60.0, 140.0]])
    found = []
    for seed in range(60):
        z = np.random.default_rng(seed).normal(0, noise, len(at))
        found.append(fit_smooth(at, z, area, 80.0, out=np.zeros(len(at), bool)).heights(places)[0])
    stated = noise * 4.0 * fit_smooth(at, z, area, 80.0, out=np.zeros(len(at), bool)).spread(places)
    real = np.std(found, axis=0)
    assert (real < 1.25 * stated).all()
    assert (real > 0.4 * stated).all()


def test_too_few_heights_and_too_short_a_wavelength_are_refused():
    at, area = grid()
    with pytest.raises(ValueError, match="9 places are too few"):
        fit_smooth(at[:9], at[:9, 0], area[:9], 50.0)
    with pytest.raises(ValueError, match="too short"):
        fit_smooth(at, at[:, 0], area, 3.0)
