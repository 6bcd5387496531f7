"""Another scan as the reference: what has changed since, whatever the course of the surface and how dense the scans."""

import numpy as np
import pytest

from truegauge.core.errors import EvaluationError
from truegauge.core.imperfections.charts import PlaneChart
from truegauge.core.imperfections.earlier_scan import EarlierScan, ScannedHeights
from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.held import expanded_uncertainty
from truegauge.core.imperfections.reference import Kind, Reference
from truegauge.core.imperfections.search import find_imperfections

OLD = ((50.0, 50.0, -0.5, 6.0), (150.0, 100.0, -0.4, 6.0))
NEW = ((50.0, 50.0, -0.5, 6.0), (100.0, 40.0, -0.3, 5.0), (120.0, 120.0, 0.25, 8.0))


def height(x, y):
    return 2.5 * np.sin(2 * np.pi * x / 40) + 1e-3 * y**2


def scan(seed, count, noise, dents, wide=(0.0, 200.0)):
    """A wave that no smooth reference would follow, with dents along its normals."""
    rng = np.random.default_rng(seed)
    x, y = rng.uniform(*wide, count), rng.uniform(0, 150, count)
    out = np.column_stack([-2.5 * np.pi / 20 * np.cos(2 * np.pi * x / 40), -2e-3 * y, np.ones(count)])
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    points, off = np.column_stack([x, y, height(x, y)]), rng.normal(0, noise, count)
    for a, b, depth, size in dents:
        off += depth * np.exp(-np.square(points - [a, b, height(a, b)]).sum(axis=1) / size**2)
    return points + off[:, None] * out, out


@pytest.mark.parametrize(("before", "now", "noise"), [(60_000, 90_000, 0.01), (25_000, 120_000, 0.02),
                                                      (120_000, 30_000, 0.02)])  # fmt: skip
@pytest.mark.parametrize("normals", [True, False])
def test_what_has_changed_is_found_and_what_has_not_is_not(before, now, noise, normals):
    old, new = scan(1, before, noise, OLD), scan(2, now, noise, NEW)
    given = EarlierScan(old[0], old[1] if normals else None)
    found = find_imperfections(
        new[0], new[1] if normals else None, Reference(Kind.SCAN, 0.0), Finding(0.12), given=given
    )
    truth = ((150.0, 100.0, 0.4), (100.0, 40.0, -0.3), (120.0, 120.0, 0.25))  # filled, new, new
    assert len(found.imperfections) == 3
    for one, (x, y, depth) in zip(found.imperfections, truth, strict=True):
        assert one.depth == pytest.approx(depth, abs=0.02 + 4 * one.depth_u)
        assert np.linalg.norm(np.array(one.deepest)[:2] - [x, y]) < 1.5
    assert found.prepared.per_area == pytest.approx(noise * np.sqrt(200 * 150 / before), rel=0.15)


def test_the_stated_uncertainty_of_a_change_is_that_of_repeated_scans():
    made, told = [], []
    for seed in range(25):
        old, new = scan(2 * seed, 15_000, 0.02, OLD[:1]), scan(2 * seed + 1, 20_000, 0.02, NEW[:2])
        found = find_imperfections(*new, Reference(Kind.SCAN, 0.0), Finding(0.15), given=EarlierScan(*old))
        assert len(found.imperfections) == 1
        made.append(found.imperfections[0].depth)
        told.append(found.imperfections[0].depth_u)
    assert 0.5 < np.std(made) / np.mean(told) < 1.6
    assert np.mean(made) == pytest.approx(-0.3, abs=0.02)


def test_heights_between_noisy_points_are_those_of_the_surface():
    points, out = scan(3, 80_000, 0.005, ())
    chart = PlaneChart(np.zeros(3), np.eye(3))
    heights = ScannedHeights.of(EarlierScan(points, out), chart)
    rng = np.random.default_rng(1)
    at = np.column_stack([rng.uniform(3, 197, 5000), rng.uniform(3, 147, 5000)])
    z, slope = heights.heights(at)
    assert np.sqrt(np.mean((z - height(at[:, 0], at[:, 1])) ** 2)) < 0.004
    assert np.sqrt(np.mean((slope[:, 0] - 2.5 * np.pi / 20 * np.cos(2 * np.pi * at[:, 0] / 40)) ** 2)) < 0.02


def test_what_another_scan_does_not_show_is_left_out_and_said():
    old, new = scan(1, 60_000, 0.01, OLD, wide=(0.0, 110.0)), scan(2, 60_000, 0.01, NEW)
    found = find_imperfections(*new, Reference(Kind.SCAN, 0.0), Finding(0.12), given=EarlierScan(*old))
    assert [round(i.depth, 1) for i in found.imperfections] == [-0.3]
    assert any("the other scan has nothing" in note for note in found.prepared.notes)
    away = EarlierScan(old[0] + [5000.0, 0.0, 0.0])
    with pytest.raises(EvaluationError, match="same coordinates"):
        find_imperfections(*new, Reference(Kind.SCAN, 0.0), given=away)
    with pytest.raises(EvaluationError, match="open the earlier one"):
        find_imperfections(*new, Reference(Kind.SCAN, 0.0))


@pytest.mark.parametrize("normals", [True, False])
def test_a_tube_is_compared_all_around(normals):
    def tube(seed, dents):
        rng = np.random.default_rng(seed)
        a, z = rng.uniform(0, 2 * np.pi, 60_000), rng.uniform(0, 200, 60_000)
        out = np.column_stack([np.cos(a), np.sin(a), np.zeros(len(a))])
        off = rng.normal(0, 0.01, len(a)) + 0.3 * np.cos(3 * a)  # not round, then and now
        for at, along, depth in dents:
            around = 40 * (np.mod(a - at + np.pi, 2 * np.pi) - np.pi)
            off += depth * np.exp(-(around**2 + (z - along) ** 2) / 36)
        return out * (40 + off)[:, None] + z[:, None] * [0, 0, 1.0], out if normals else None

    old, new = tube(1, ((1.0, 50, -0.4),)), tube(2, ((1.0, 50, -0.4), (0.0, 120, -0.5), (3.0, 150, 0.3)))
    found = find_imperfections(*new, Reference(Kind.SCAN, 0.0), Finding(0.12), given=EarlierScan(*old))
    assert [i.depth for i in found.imperfections] == pytest.approx([-0.5, 0.3], abs=0.03)


def test_a_reference_is_held_least_at_its_corners_and_by_as_much_as_repeated_ones_scatter():
    rng = np.random.default_rng(9)
    x, y = rng.uniform(0, 240, 8000), rng.uniform(0, 170, 8000)
    made = []
    for seed in range(30):
        noise = np.random.default_rng(seed).normal(0, 0.05, len(x))
        found = find_imperfections(np.column_stack([x, y, noise]), None, Reference(wavelength=80.0), Finding(0.3))
        assert found.imperfections == ()
        made.append(found.prepared.surface.reference)
    held = expanded_uncertainty(found.prepared, found.smoothed, found.waves)
    scatter = 2 * np.std(made, axis=0)
    inside = np.isfinite(held)
    inside[:2], inside[-2:], inside[:, :2], inside[:, -2:] = False, False, False, False
    middle = inside.copy()
    middle[:15], middle[-15:], middle[:, :15], middle[:, -15:] = False, False, False, False
    rows, columns = held.shape
    assert min(rows, columns) > 40
    # A confidence that contains what is not followed: not less than the scatter, and not many times of it.
    assert 0.9 < np.median(held[middle]) / np.median(scatter[middle]) < 3.0
    assert held[inside].max() > 2 * np.median(held[middle])
    corner = held[3:8, 3:8].mean()
    assert 0.7 < corner / scatter[3:8, 3:8].mean() < 3.0


def test_a_plane_is_held_everywhere_alike():
    rng = np.random.default_rng(1)
    points = np.column_stack([rng.uniform(0, 100, (5000, 2)), rng.normal(0, 0.01, 5000)])
    found = find_imperfections(points, None, Reference(Kind.PLANE, 0.0))
    assert not np.isfinite(expanded_uncertainty(found.prepared, found.smoothed, found.waves)).any()
