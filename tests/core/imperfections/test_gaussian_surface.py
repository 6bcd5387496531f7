"""The robust Gaussian regression: by its definition at single places, by what it passes, and by how it scatters."""

import numpy as np
import pytest

from truegauge.core.imperfections.cells import put_into_cells
from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.gaussian_surface import GaussianTask
from truegauge.core.imperfections.reference import Kind, Reference
from truegauge.core.imperfections.search import find_imperfections

WIDE = np.sqrt((-1 - -2.67834699) / np.pi)  # -1 - W(-1 / (2 e)) over pi, the lower branch (ISO 16610-31)


def cells_of(laid, size=2.0, period=0.0):
    cells = put_into_cells(laid, size, period)
    return cells, *np.nonzero(cells.known)


def at_once(at, height, weights, place, wavelength):
    """Fit the paraboloid about one place to all cells, weighted by the Gaussian of their distances from it."""
    x, y = ((at - place) / wavelength).T
    share = weights * np.exp(-np.pi * (x**2 + y**2) / WIDE**2)
    design = np.column_stack([np.ones(len(x)), x, y, x * x, x * y, y * y])
    root = np.sqrt(share)[:, None]
    return float(np.linalg.lstsq(design * root, height * root[:, 0], rcond=None)[0][0])


@pytest.mark.parametrize("seed", range(4))
def test_heights_are_those_of_the_definition_in_the_middle_at_ends_and_beside_openings(seed):
    rng = np.random.default_rng(seed)
    laid = np.column_stack([rng.uniform(0, 200, 20_000), rng.uniform(0, 120, 20_000), rng.normal(0, 1, 20_000)])
    laid = laid[(np.hypot(laid[:, 0] - 90, laid[:, 1] - 60) > 15) & (laid[:, 0] + laid[:, 1] < 290)]
    cells, rows, columns = cells_of(laid)
    wavelength = float(rng.uniform(30, 60))
    out = rng.random(len(rows)) < 0.1
    fit = GaussianTask.of(cells, rows, columns, wavelength).fitted(out=out)
    at, height = cells.at[rows, columns], cells.height[rows, columns]
    places = rng.choice(len(rows), 60, replace=False)
    middles = cells.middles(rows[places], columns[places])  # the nodes
    # Its own weights go by where cells are, the definition by where their means are: a little apart, in noise.
    truth = np.array([at_once(at, height, ~out, place, wavelength) for place in middles])
    found = fit.heights(middles)[0]
    assert np.sqrt(np.mean((found - truth) ** 2)) < 0.06 * np.std(height)
    smooth = 1e-3 * at[:, 0] ** 2 - 0.02 * at[:, 0] * at[:, 1] / 10 + 3
    exact = GaussianTask.of(_with(cells, rows, columns, smooth), rows, columns, wavelength).fitted(out=out)
    assert np.allclose(exact.heights(at)[0], smooth, atol=2e-4 * np.ptp(smooth))  # a paraboloid passes whole


def _with(cells, rows, columns, height):
    from dataclasses import replace

    made = np.full(cells.shape, np.nan)
    made[rows, columns] = height
    return replace(cells, height=made)


@pytest.mark.parametrize("share", [0.4, 0.7, 1.0, 2.0, 5.0])
@pytest.mark.parametrize("closed", [False, True])
def test_what_passes_is_what_the_standard_says(share, closed):
    """A half of a wave of the wavelength, (1 + s) exp(-s) with s = pi (wide / share)^2 of others."""
    s = np.pi * (WIDE / share) ** 2
    passed = (1 + s) * np.exp(-s)
    rng = np.random.default_rng(1)
    u, v = rng.uniform(0, 400, 60_000), rng.uniform(0, 240, 60_000)
    turns = round(400 / (40.0 / share * share * share)) if closed else 400 / (40.0 * share)
    k = 2 * np.pi * turns / 400
    wavelength = 2 * np.pi / k / share
    cells, rows, columns = cells_of(np.column_stack([u, v, np.sin(k * u)]), period=400.0 if closed else 0.0)
    fit = GaussianTask.of(cells, rows, columns, wavelength).fitted(out=np.zeros(len(rows), dtype=bool))
    x = np.linspace(0, 400, 801) if closed else np.linspace(80, 320, 481)
    at = np.column_stack([x, np.full(len(x), 120.0)])
    z, slope = fit.heights(at)
    ref = np.sin(k * x)
    assert z @ ref / (ref @ ref) == pytest.approx(passed, abs=0.02)
    step = 1e-4
    aside = np.array([step, 0.0])
    moved = fit.heights(at + aside)[0] - fit.heights(at - aside)[0]
    assert np.allclose(slope[:, 0], moved / (2 * step), atol=1e-5)


def test_the_stated_spread_is_that_of_repeated_surfaces():
    rng = np.random.default_rng(3)
    u, v = rng.uniform(0, 160, 12_000), rng.uniform(0, 100, 12_000)
    at = np.column_stack([rng.uniform(1, 159, 300), rng.uniform(1, 99, 300)])
    made = []
    for _ in range(60):
        cells, rows, columns = cells_of(np.column_stack([u, v, rng.normal(0, 0.1, len(u))]), 2.5)
        fit = GaussianTask.of(cells, rows, columns, 50.0).fitted(out=np.zeros(len(rows), dtype=bool))
        made.append(fit.heights(at)[0])
    # A cell counts by its area: where points are few in some of them, the mean of cells scatters by more.
    uneven = np.sqrt(np.mean(1.0 / cells.count[rows, columns]) * np.mean(cells.count[rows, columns]))
    told = fit.spread(at) * 0.1 * np.sqrt(160 * 100 / len(u)) * uneven
    ratio = np.std(made, axis=0) / told
    assert np.median(ratio) == pytest.approx(1.0, abs=0.12)
    assert 0.6 < np.quantile(ratio, 0.05) < np.quantile(ratio, 0.95) < 1.5


def test_dents_do_not_pull_it():
    rng = np.random.default_rng(5)
    x, y = rng.uniform(0, 300, 90_000), rng.uniform(0, 200, 90_000)
    z = 4e-4 * x * y + 0.2 * np.sin(2 * np.pi * x / 400) + rng.normal(0, 0.01, len(x))
    truth = ((80.0, 60.0, -0.6, 10.0), (200.0, 150.0, 0.4, 9.0), (12.0, 120.0, -0.5, 8.0))
    for a, b, depth, size in truth:
        z += depth * np.exp(-((x - a) ** 2 + (y - b) ** 2) / size**2)
    found = find_imperfections(
        np.column_stack([x, y, z]), None, Reference(Kind.SMOOTH, 100.0, "gaussian"), Finding(0.1)
    )
    assert [i.depth for i in found.imperfections] == pytest.approx([-0.6, -0.5, 0.4], abs=0.02)
    assert found.quality.rms == pytest.approx(0.01, rel=0.1)
