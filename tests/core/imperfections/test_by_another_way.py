"""Numbers of imperfections worked out a second way: dense matrices of another library, definitions by brute force."""

import numpy as np
import pytest
from scipy.integrate import quad
from scipy.interpolate import BSpline
from scipy.spatial.distance import cdist

from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.preparing import prepare
from truegauge.core.imperfections.search import find, find_imperfections
from truegauge.core.imperfections.smooth_surface import SmoothTask
from truegauge.demo import panel


def dense(task, wavelength):
    """Fit by dense matrices of SciPy's splines, the penalty integrated numerically; returns what gives heights."""
    rows, columns = task.shape

    def splines(count, low, step):
        knots = low + step * np.arange(-3, count + 1)
        return [BSpline.basis_element(knots[k : k + 5], extrapolate=False) for k in range(count)]

    u, v = splines(columns, task.low[0], task.step[0]), splines(rows, task.low[1], task.step[1])

    def values(own, at, derivative=0):
        return np.nan_to_num(np.column_stack([(b.derivative(derivative) if derivative else b)(at) for b in own]))

    def products(own, count, low, step, derivative):
        # Gauss points within each span: the products are polynomials of degree 6 at most.
        nodes, shares = np.polynomial.legendre.leggauss(5)
        at = (low + step * (np.arange(count - 3)[:, None] + (nodes + 1) / 2)).ravel()
        b = values(own, at, derivative)
        return b.T @ (b * np.tile(shares * step / 2, count - 3)[:, None])

    pu = [products(u, columns, task.low[0], task.step[0], d) for d in range(4)]
    pv = [products(v, rows, task.low[1], task.step[1], d) for d in range(4)]
    uneven = sum(c * np.kron(pv[d], pu[3 - d]) for d, c in enumerate((1, 3, 3, 1)))

    def design(at):
        return np.einsum("ki,kj->kij", values(v, at[:, 1]), values(u, at[:, 0])).reshape(len(at), -1)

    # Twice fitted, a wave of this length is left over by (1 - H)^2 = 1/2, with H = 1 / (1 + strength (2 pi / wave)^6).
    left_once = np.sqrt(0.5)
    strength = left_once / (1 - left_once) * (wavelength / (2 * np.pi)) ** 6
    b = design(task.at)
    normal = b.T @ (b * task.area[:, None]) + uneven * strength
    found = np.linalg.solve(normal, b.T @ (task.area * task.height))
    left = task.height - b @ found
    found = found + np.linalg.solve(normal, b.T @ (task.area * left))
    return lambda at: design(at) @ found + task.middle


@pytest.mark.parametrize("seed", range(4))
def test_the_smooth_surface_is_that_of_dense_matrices_of_another_library(seed):
    rng = np.random.default_rng(seed)
    at = rng.uniform(0, 150, (900, 2)) * [1.0, 0.7]
    height = rng.normal(0, 1, len(at)) + 0.01 * at[:, 0] ** 1.5
    area = rng.uniform(2, 20, len(at))
    wavelength = float(rng.uniform(40, 120))
    task = SmoothTask.of(at, height, area, wavelength)
    fit, other = task.fitted(out=np.zeros(len(at), dtype=bool)), dense(task, wavelength)
    places = rng.uniform(2, 98, (200, 2)) * [1.4, 0.7]
    assert np.allclose(fit.heights(places)[0], other(places), atol=1e-6)


def sheet(rng, bells, noise, step=0.7, long=150.0):
    """A sheet with round bells (x, y, depth, radius), each by its own function of the radius."""
    side = round(long / step)
    grid = (np.arange(side) + 0.5) * step
    x, y = (g.ravel() + rng.uniform(-0.4, 0.4, side * side) * step for g in np.meshgrid(grid, grid))
    z = 3e-4 * x * y + rng.normal(0, noise, len(x))
    for a, b, depth, radius in bells:
        z += depth * bell(np.hypot(x - a, y - b) / radius)
    return np.column_stack([x, y, z])


def bell(share):
    return (1 + np.cos(np.pi * np.minimum(share, 1.0))) / 2


@pytest.mark.parametrize(("seed", "noise"), [(1, 0.002), (2, 0.01), (3, 0.02)])
def test_slopes_whole_area_volume_and_gaps_are_those_of_the_integrals(seed, noise):
    rng = np.random.default_rng(seed)
    depth, radius, threshold = float(rng.uniform(0.6, 1.2)), float(rng.uniform(14, 20)), 0.1
    apart = 2 * radius + float(rng.uniform(8, 20))
    found = find_imperfections(sheet(rng, ((45, 70, -depth, radius), (45 + apart, 70, -depth, radius)), noise))
    assert len(found.imperfections) == 2
    edge = radius * np.arccos(2 * threshold / depth - 1) / np.pi

    def around(f, outer):
        return 2 * np.pi * quad(lambda r: f(r) * r, 0, outer)[0]

    def slope(r):
        return depth * np.pi / (2 * radius) * np.sin(np.pi * r / radius)

    for one in found.imperfections:
        # Depths are along the normal of a sheet that is nearly level: heights to a part in a thousand.
        assert one.volume == pytest.approx(around(lambda r: depth * bell(r / radius), edge), rel=0.04)
        assert one.whole_volume == pytest.approx(around(lambda r: depth * bell(r / radius), radius), rel=0.04)
        # Seen is what rises out of the noise: never more than there is, and most of it.
        assert edge**2 * np.pi < one.whole_area < 1.1 * np.pi * radius**2
        mean = around(slope, edge) / (np.pi * edge**2)
        assert np.tan(one.mean_slope) == pytest.approx(mean, rel=0.1, abs=2 * noise)
        assert np.tan(one.slope) == pytest.approx(depth * np.pi / (2 * radius), rel=0.1, abs=3 * noise)
        assert one.center_to_center == pytest.approx(apart, abs=0.5)
        assert one.edge_to_edge == pytest.approx(apart - 2 * edge, abs=2.5)
        assert one.length == pytest.approx(2 * edge, abs=2.2)
        assert one.width == pytest.approx(2 * edge, abs=2.2)


@pytest.mark.parametrize("seed", range(8))
def test_the_deepest_place_of_a_crooked_dent_is_where_it_is(seed):
    """No paraboloid, no symmetry: the truth by brute force on a fine grid without noise."""
    rng = np.random.default_rng(seed)
    noise, lean = 0.01, rng.uniform(-0.4, 0.4, 2)
    size, stretch, depth = float(rng.uniform(10, 18)), float(rng.uniform(0.6, 1.0)), float(rng.uniform(0.5, 1.2))

    def height(x, y):
        u, v = (x - 70) / size, (y - 80) / (size * stretch)
        return -depth * np.exp(-(u**2 + v**2)) * (1 + lean[0] * np.tanh(2 * u) + lean[1] * np.tanh(2 * v))

    points = sheet(rng, (), noise)
    points[:, 2] += height(points[:, 0], points[:, 1])
    (one,) = find_imperfections(points, wanted=Finding(sides="in")).imperfections
    x, y = np.meshgrid(np.arange(40, 100, 0.05), np.arange(50, 110, 0.05))
    z = height(x, y)
    k = np.unravel_index(np.argmin(z), z.shape)
    assert one.depth == pytest.approx(float(z[k]), rel=0.05, abs=2 * noise)
    assert np.hypot(one.deepest[0] - x[k], one.deepest[1] - y[k]) < 0.8
    beyond = z < -0.1
    assert one.area == pytest.approx(np.count_nonzero(beyond) * 0.05**2, rel=0.06)
    assert one.volume == pytest.approx(-z[beyond].sum() * 0.05**2, rel=0.05)


def test_a_threshold_gives_the_same_whatever_was_tried_before():
    points = sheet(np.random.default_rng(5), ((40, 40, -0.6, 15), (100, 90, 0.3, 12)), 0.02)
    once = find_imperfections(points, wanted=Finding(depth=0.15)).imperfections
    prepared = prepare(points, None, once_reference := find_imperfections(points).prepared.reference, depth=0.14)
    for depth in (0.2, 0.13, 0.24, 0.15):
        again = find(prepared, Finding(depth=depth)).imperfections
    assert again == once
    assert once_reference.wavelength == 150.0


@pytest.mark.parametrize(("depth", "radius", "noise", "step"), [
    (-0.25, 20, 0.03, 0.7), (-0.3, 8, 0.02, 0.7), (1.0, 25, 0.05, 1.0), (-0.4, 30, 0.02, 1.2),
])  # fmt: skip
def test_stated_uncertainties_are_the_real_scatter_of_depths(depth, radius, noise, step):
    wanted, errors, stated = Finding(depth=max(0.1, 3.5 * noise)), [], []
    for k in range(16):
        found = find_imperfections(
            sheet(np.random.default_rng(k), ((75, 75, depth, radius),), noise, step), wanted=wanted
        )
        (one,) = found.imperfections
        errors.append(one.depth - depth)
        stated.append(one.depth_u)
    rms, mean = np.sqrt(np.mean(np.square(errors))), np.mean(stated)
    assert 0.6 < rms / mean < 1.4
    assert abs(np.mean(errors)) < mean  # hardly any of it is a bias


@pytest.mark.parametrize("count", [100_000, 150_000])
def test_a_coarse_scan_invents_nothing_where_a_head_stands_near_a_corner(count):
    """What is left out of the reference around it may not let go of the corner: there nothing else holds it."""
    points, normals = panel.panel_cloud(count, count // 10_000)
    found = find_imperfections(points, normals)
    truth = np.array([panel.place_of(one) for one in panel.injected()])
    assert len(found.imperfections) == len(truth)
    for one in found.imperfections:
        assert np.linalg.norm(truth - one.deepest, axis=1).min() < 8.0
    assert len(found.left_out) == len(panel.RIVETS)
    places = np.array([(832.0, 1.0), (828.0, 10.0), (800.0, 10.0), (5.0, 1.0), (5.0, 350.0), (832.0, 350.0)])
    z, _ = panel.surface(places[:, 0], places[:, 1])
    laid = found.prepared.surface.chart.laid(np.column_stack([places, z]))
    off = laid[:, 2] - found.prepared.smooth[0].heights(laid[:, :2])[0]
    assert np.abs(off).max() < 0.05


def test_neighbours_edge_to_edge_by_all_of_their_cells():
    """Only the cells at the edges are compared; by brute force all of both are."""
    points, normals = panel.panel_cloud(200_000, 12)
    found = find_imperfections(points, normals)
    surface = found.prepared.surface
    cells = [surface.places(*np.nonzero(found.labels == k + 1)) for k in range(len(found.imperfections))]
    for k, one in enumerate(found.imperfections):
        gaps = [cdist(cells[k], other).min() if j != k else np.inf for j, other in enumerate(cells)]
        assert one.edge_to_edge == pytest.approx(min(gaps), abs=1e-9)
        assert one.neighbour == int(np.argmin(gaps))


def test_a_dent_at_a_border_is_no_steeper_than_it_is():
    """Where the surface ends is no slope."""
    bells = ((13.0, 70.0, -0.8, 14.0), (70.0, 13.0, -0.8, 14.0), (100.0, 100.0, -0.8, 14.0))
    found = find_imperfections(sheet(np.random.default_rng(4), bells, 0.005))
    assert len(found.imperfections) == 3
    for one in found.imperfections:
        assert np.tan(one.slope) == pytest.approx(0.8 * np.pi / 28.0, rel=0.1)
