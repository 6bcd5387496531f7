"""Choosing where imperfections are looked for: each step against its definition, on flat, round and folded surfaces."""

from itertools import pairwise

import numpy as np
import pytest

from truegauge.core.errors import EvaluationError
from truegauge.core.frames import apply
from truegauge.core.imperfections.area_steps import AreaBrush, AreaGrown, AreaOutline, AreaPatch, AreaSmooth
from truegauge.core.imperfections.areas import choose_area
from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.reference import Kind, Reference
from truegauge.core.imperfections.search import find_imperfections
from truegauge.demo import panel, tube

UP = {"right": (1.0, 0.0, 0.0), "up": (0.0, 1.0, 0.0)}


def sheet(count=60_000, seed=0, thick=0.0):
    rng = np.random.default_rng(seed)
    x, y = rng.uniform(0, 200, count), rng.uniform(0, 100, count)
    points = np.column_stack([x, y, 1e-3 * x * x + rng.normal(0, 0.01, count)])
    normals = np.column_stack([-2e-3 * x, np.zeros(count), np.ones(count)])
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    if thick:
        points, normals = np.vstack([points, points - thick * normals]), np.vstack([normals, -normals])
    return points, normals


def square(a, b, c, d, **more):
    return AreaOutline(**UP, outline=((a, c), (b, c), (b, d), (a, d)), **more)


def test_steps_follow_each_other():
    points, normals = sheet()
    x, y = points[:, 0], points[:, 1]
    wanted = (x > 20) & (x < 120) & (y > 10) & (y < 90)
    only = square(20, 120, 10, 90)
    assert np.array_equal(choose_area(points, normals, [only]), wanted)
    hole = square(50, 70, 30, 50, way="not")
    wanted &= ~((x > 50) & (x < 70) & (y > 30) & (y < 50))
    assert np.array_equal(choose_area(points, normals, [only, hole]), wanted)
    more = square(150, 180, 10, 40, way="also")
    wanted |= (x > 150) & (x < 180) & (y > 10) & (y < 40)
    assert np.array_equal(choose_area(points, normals, [only, hole, more]), wanted)
    assert choose_area(points, normals, []).all()


def test_what_is_behind_is_not_taken_unless_it_is_asked_for():
    points, normals = sheet(thick=2.0)
    front = np.arange(len(points)) < len(points) // 2
    inside = (points[:, 0] > 20) & (points[:, 0] < 120) & (points[:, 1] > 10) & (points[:, 1] < 90)
    assert np.array_equal(choose_area(points, normals, [square(20, 120, 10, 90)]), inside & front)
    assert np.array_equal(choose_area(points, normals, [square(20, 120, 10, 90, deep=True)]), inside)
    assert np.array_equal(choose_area(points, None, [square(20, 120, 10, 90)]), inside)
    brush = choose_area(points, normals, [AreaBrush(places=((60, 50, 3.6), (90, 50, 8.1)), radius=15.0)])
    assert not brush[~front].any()
    assert brush.sum() > 1000


def test_a_brush_takes_what_is_near_its_line():
    points, normals = sheet(20_000)
    places = np.array([(30.0, 30.0, 0.9), (90.0, 60.0, 8.1), (150.0, 20.0, 22.5)])
    found = choose_area(points, normals, [AreaBrush(places=tuple(map(tuple, places)), radius=9.0)])
    t = np.linspace(0, 1, 4001)[:, None]
    line = np.vstack([a + t * (b - a) for a, b in pairwise(places)])
    from scipy.spatial import cKDTree

    off = cKDTree(line).query(points)[0]
    assert np.array_equal(found[np.abs(off - 9.0) > 0.01], (off <= 9.0)[np.abs(off - 9.0) > 0.01])


def test_an_area_is_made_wider_and_narrower():
    points, normals = sheet()
    x, y = points[:, 0], points[:, 1]

    def off(mask, a, b, c, d):
        """How far the rim of what was chosen is from a rectangle at most."""
        way = np.array([a - x[mask].min(), x[mask].max() - b, c - y[mask].min(), y[mask].max() - d])
        return np.abs(way).max()

    wide = choose_area(points, normals, [square(40, 120, 30, 60), AreaGrown(by=8.0)])
    length = 1.02  # along the surface, which rises there
    assert off(wide, 40 - 8 / length, 120 + 8 / length, 22, 68) < 2.5
    corner = wide & (x > 120) & (y > 60)
    assert np.hypot(x[corner] - 120, y[corner] - 60).max() < 10.5  # round, not square
    narrow = choose_area(points, normals, [square(40, 120, 30, 60), AreaGrown(by=-8.0)])
    assert off(narrow, 48, 112, 38, 52) < 2.5
    rim = choose_area(points, normals, [AreaGrown(by=-10.0)])
    assert off(rim, 10, 190, 10, 90) < 3.0
    again = choose_area(points, normals, [square(40, 120, 30, 60), AreaGrown(by=8.0), AreaGrown(by=-8.0)])
    inside = (x > 40) & (x < 120) & (y > 30) & (y < 60)
    assert np.mean(again != inside) < 0.02


def test_a_line_along_a_tube_goes_over_its_seam():
    points, normals = tube.tube_cloud(80_000, 3)[:2]
    axis_x = np.arctan2(points[:, 1], points[:, 0])
    for middle in np.radians([0.0, 90.0, 181.0, 270.0]):
        turn = middle + np.radians(40.0) * np.array([-1, 1, 1, -1])
        radius = np.hypot(points[:, 0], points[:, 1]).mean()
        z = np.quantile(points[:, 2], [0.3, 0.3, 0.6, 0.6])
        dense = np.linspace(turn[0], turn[1], 20)
        rim = [(radius * np.cos(t), radius * np.sin(t), z[0]) for t in dense]
        rim += [(radius * np.cos(t), radius * np.sin(t), z[2]) for t in dense[::-1]]
        found = choose_area(points, normals, [AreaPatch(corners=tuple(rim))], Kind.CYLINDER)
        off = np.abs((axis_x - middle + np.pi) % (2 * np.pi) - np.pi)
        clear = (np.abs(off - np.radians(40.0)) > 0.01) & (np.abs(points[:, 2] - z[0]) > 0.2)
        clear &= np.abs(points[:, 2] - z[2]) > 0.2
        wanted = (off < np.radians(40.0)) & (points[:, 2] > z[0]) & (points[:, 2] < z[2])
        assert np.array_equal(found[clear], wanted[clear])


@pytest.mark.parametrize("half", [60.0, 88.0, 120.0])
def test_an_area_around_a_tube_is_made_wider_on_both_sides(half):
    points, normals = tube.tube_cloud(120_000, 4)[:2]
    turn, radius = np.degrees(np.arctan2(points[:, 1], points[:, 0])), np.hypot(points[:, 0], points[:, 1]).mean()
    low, high = np.quantile(points[:, 2], [0.3, 0.6])
    rim = [(radius * np.cos(a), radius * np.sin(a), low) for a in np.radians(np.linspace(-half, half, 40))]
    rim += [(x, y, high) for x, y, _ in rim[::-1]]
    by = 12.0
    found = choose_area(points, normals, [AreaPatch(corners=tuple(rim)), AreaGrown(by=by)], Kind.CYLINDER)
    wide = half + np.degrees(by / radius)
    assert turn[found].min() == pytest.approx(-wide, abs=2.0)
    assert turn[found].max() == pytest.approx(wide, abs=2.0)
    assert points[found, 2].min() == pytest.approx(low - by, abs=2.5)


def folded(count, seed, turn, radius=0.0):
    """Two flat sheets of 100 x 100 mm that meet at a crease, which a radius may round."""
    rng = np.random.default_rng(seed)
    along, y = rng.uniform(-100, 100, count), rng.uniform(0, 100, count)
    a = np.clip(along, -radius * turn / 2, radius * turn / 2) / radius if radius else np.zeros(count)
    turned = a + turn / 2 if radius else np.where(along > 0, turn, 0.0)
    x, z = np.empty(count), np.empty(count)
    order = np.argsort(along)
    step = np.diff(along[order], prepend=along[order][0])
    x[order], z[order] = np.cumsum(step * np.cos(turned[order])), np.cumsum(step * np.sin(turned[order]))
    return np.column_stack([x, y, z]) + rng.normal(0, 0.02, (count, 3)), along


@pytest.mark.parametrize("turn", [20.0, 45.0, 90.0])
@pytest.mark.parametrize("seed", range(3))
def test_what_is_smooth_from_a_place_ends_at_a_crease(turn, seed):
    points, along = folded(60_000, seed, np.radians(turn))
    rng = np.random.default_rng(seed)
    pose = np.eye(4)
    pose[:3, :3] = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    pose[:3, 3] = rng.uniform(-2000, 2000, 3)
    points = apply(pose, points)
    begin = points[np.argmin(np.abs(along + 50))]
    found = choose_area(points, None, [AreaSmooth(place=tuple(begin))])
    assert not found[along > 4.0].any()
    assert found[along < -10.0].all()


def test_where_it_ends_does_not_depend_on_how_dense_the_points_are():
    """The crease of the panel, 10 degrees and rounded, ends it in thin and in dense scans."""
    shares = []
    for count in (60_000, 300_000, 1_200_000):
        points, normals = panel.panel_cloud(count, 8)
        begin = points[np.argmin(np.hypot(points[:, 0] - 300, points[:, 1] - 200))]
        found = choose_area(points, normals, [AreaSmooth(place=tuple(begin), turn=0.12)])
        assert not found[points[:, 1] > 435].any()
        shares.append(found.mean())
    assert np.ptp(shares) < 0.05  # the strip along the crease that is left out is some points wide


def test_what_bends_gently_is_gone_over():
    points, along = folded(60_000, 1, np.radians(60.0), radius=80.0)
    found = choose_area(points, None, [AreaSmooth(place=tuple(points[np.argmin(along + 90)]), turn=0.3)])
    assert found.mean() > 0.99


def test_a_steep_dent_in_the_midst_belongs_to_what_is_smooth():
    points, normals = sheet(120_000)
    off = np.hypot(points[:, 0] - 100, points[:, 1] - 50)
    points[:, 2] -= 4.0 * np.exp(-((off / 6.0) ** 2))
    found = choose_area(points, normals, [AreaSmooth(place=(30.0, 30.0, 0.9))])
    assert found.all()


def test_the_panel_is_judged_on_each_side_of_its_crease():
    points, normals = panel.panel_cloud(300_000, 7)
    whole = find_imperfections(points, normals).imperfections
    seeds = [points[np.argmin(np.hypot(points[:, 0] - x, points[:, 1] - y))] for x, y in ((300, 200), (300, 520))]
    sides = [AreaSmooth(place=tuple(p), turn=0.15) for p in seeds]
    on = np.array([choose_area(points, normals, [side]) for side in sides])
    assert not (on[0] & on[1]).any()
    assert 0.8 < on.any(axis=0).mean() < 0.99  # less the crease, the rim, the heads of rivets
    both = []
    for side in sides:
        both += find_imperfections(points, normals, area=[side]).imperfections
    assert len(both) >= len(whole) - 4  # those at the crease may be left out
    for one in both:
        same = min(whole, key=lambda w: np.linalg.norm(np.subtract(w.deepest, one.deepest)))
        assert np.linalg.norm(np.subtract(same.deepest, one.deepest)) < 2.0
        assert one.depth == pytest.approx(same.depth, abs=0.03)


def test_only_what_is_inside_is_found_and_the_reference_may_look_farther():
    points, normals = sheet(150_000)
    truth = ((60.0, 50.0, -0.5), (140.0, 50.0, -0.4), (92.0, 50.0, 0.3))
    for x, y, depth in truth:
        points[:, 2] += depth * np.exp(-((points[:, 0] - x) ** 2 + (points[:, 1] - y) ** 2) / 36.0)
    area = [square(40, 100, 20, 80)]
    for beyond in (0.0, 60.0):
        found = find_imperfections(points, normals, Reference(), Finding(), area=area, beyond=beyond)
        assert [round(i.deepest[0] / 4) * 4 for i in found.imperfections] == [60, 92]
        assert found.quality.area == pytest.approx(60 * 60 * 1.01, rel=0.05)
    wide = found.prepared.surface.cells.shape[1] * found.prepared.surface.cells.size
    assert wide == pytest.approx(161, abs=8)
    assert found.imperfections[1].depth == pytest.approx(0.3, abs=0.02)


def test_what_cannot_be_chosen_is_said():
    points, normals = sheet(20_000)
    with pytest.raises(EvaluationError, match="after step 2 of the area 0 points are left"):
        choose_area(points, normals, [square(0, 50, 0, 50), square(60, 80, 60, 80)])
    with pytest.raises(EvaluationError, match="step 1 of the area: there are no points at the place"):
        choose_area(points, normals, [AreaSmooth(place=(0.0, 0.0, 500.0))])
    bent, along = folded(40_000, 1, np.radians(60.0))
    with pytest.raises(EvaluationError, match="lies on a crease"):
        choose_area(bent, None, [AreaSmooth(place=tuple(bent[np.argmin(np.abs(along))]))])


@pytest.mark.parametrize("count", [0, 1, 3, 49])
def test_of_hardly_any_points_no_area_is_chosen(count):
    points, normals = sheet(1000)
    for step in (square(0, 50, 0, 50), AreaSmooth(place=(10.0, 10.0, 0.1)), AreaGrown(by=5.0)):
        with pytest.raises(EvaluationError, match=f"{count} points are too few"):
            choose_area(points[:count], normals[:count], [step])


def test_points_in_one_place_have_no_surface_to_grow_on():
    alike = np.tile([[5.0, 6.0, 7.0]], (80, 1))
    assert choose_area(alike, None, [AreaSmooth(place=(5.0, 6.0, 7.0))]).all()
    with pytest.raises(EvaluationError, match="there are no points at the place"):
        choose_area(alike, None, [AreaSmooth(place=(50.0, 6.0, 7.0))])
