"""Imperfections of known depth, size and place, found on clouds; the same from elsewhere, thinner, otherwise taken."""

import numpy as np
import pytest

from truegauge.core.errors import EvaluationError
from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.measuring import kind_of
from truegauge.core.imperfections.preparing import prepare
from truegauge.core.imperfections.reference import Kind, Reference
from truegauge.core.imperfections.search import find, find_imperfections
from truegauge.demo import panel, tube

THRESHOLD = 0.1
NEAR_CREASE = (0, 1)  # of those injected into the panel: parts of them lie where the crease is left out


def matched(found, truth, places):
    """Return pairs of what was found and what it is, each once."""
    pairs = []
    for one in found.imperfections:
        far = np.linalg.norm(places - np.array(one.deepest), axis=1)
        k = int(np.argmin(far))
        assert far[k] < truth[k].a, f"invented: {one}"
        pairs.append((one, truth[k], float(far[k]), k))
    assert len({k for *_, k in pairs}) == len(pairs) == len(truth)
    return pairs


def rim(one):
    """Return by how much the area beyond the threshold changes with the height, mm2/mm."""
    step = 1e-3
    return (one.beyond(THRESHOLD - step)[0] - one.beyond(THRESHOLD + step)[0]) / (2 * step)


def turned(points, normals, seed):
    """Return a cloud in another pose, and the pose."""
    rng = np.random.default_rng(seed)
    q, _ = np.linalg.qr(rng.normal(size=(3, 3)))
    q *= np.sign(np.linalg.det(q))
    t = rng.uniform(-800, 800, 3)
    return points @ q.T + t, None if normals is None else normals @ q.T, q, t


@pytest.fixture(scope="module")
def truth():
    return panel.injected()


@pytest.fixture(scope="module")
def places(truth):
    return np.array([panel.place_of(one) for one in truth])


@pytest.fixture(scope="module")
def whole(truth):
    return find_imperfections(*panel.panel_cloud())


def test_all_of_the_panel_are_found_and_none_is_invented(whole, truth, places):
    for one, true, off, k in matched(whole, truth, places):
        error = abs(one.depth - true.depth)
        assert error <= max(0.05 * abs(true.depth), 2 * panel.NOISE)
        assert off < 0.5 or (abs(true.depth) < 0.25 and off < 1.5)  # as far as the noise tells
        area, volume = true.beyond(THRESHOLD)
        if k not in NEAR_CREASE:
            # 12 µm of the reference, and what points of 1.35 mm2 leave open along a rim.
            open_ = rim(true) * 0.012 + 4.0 * np.sqrt(2 * np.sqrt(np.pi * area) / 7)
            assert one.area == pytest.approx(area, rel=0.05, abs=open_)
            assert one.volume == pytest.approx(volume, abs=0.1 * volume + 0.012 * area)
    depths = [abs(i.depth) for i in whole.imperfections]
    assert depths == sorted(depths, reverse=True)
    assert whole.quality.noise == pytest.approx(panel.NOISE, rel=0.1)
    assert whole.quality.advice == ""


def test_rivets_are_told_apart_and_not_lost(whole):
    heads = np.array([h.deepest for h in whole.left_out])
    assert len(heads) == len(panel.RIVETS)
    for x, y in panel.RIVETS:
        assert np.hypot(heads[:, 0] - x, heads[:, 1] - y).min() < 1.0


def test_nothing_is_found_on_a_sound_panel_with_its_waves():
    found = find_imperfections(*panel.panel_cloud(200_000, 5, imperfections=()))
    assert found.imperfections == ()
    assert len(found.left_out) == len(panel.RIVETS)
    none = find_imperfections(*panel.panel_cloud(200_000, 6, imperfections=(), rivets=False))
    assert none.imperfections == none.left_out == ()


def test_dents_beside_the_crease_have_their_true_depth(whole, truth, places):
    pairs = [p for p in matched(whole, truth, places) if p[3] in NEAR_CREASE]
    assert len(pairs) == 2
    for one, true, *_ in pairs:
        assert one.depth == pytest.approx(true.depth, rel=0.1)


def test_they_are_the_same_in_another_pose_and_thinned_and_otherwise_sampled(whole, truth, places):
    points, normals = panel.panel_cloud()
    some = np.random.default_rng(1).random(len(points)) < 1 / 3
    others = [(points[some], normals[some]), panel.panel_cloud(300_000, 77), (points[::-1], normals[::-1])]
    moved = [turned(p, n, seed) for seed, (p, n) in enumerate(others)]
    first = {k: one for one, *_, k in matched(whole, truth, places)}
    for p, n, q, t in moved:
        now = matched(find_imperfections(p, n), truth, places @ q.T + t)
        for one, *_, k in now:
            assert one.depth == pytest.approx(first[k].depth, abs=3 * np.hypot(one.depth_u, first[k].depth_u) + 0.005)


def test_length_width_direction_and_neighbours(whole, truth, places):
    pairs = matched(whole, truth, places)
    numbers = {k: i for i, (*_, k) in enumerate(pairs)}
    for one, true, _, k in pairs:
        if not true.bell or k in NEAR_CREASE or true.a < 15:
            continue
        r = np.arccos(2 * THRESHOLD / abs(true.depth) - 1) / np.pi
        assert one.width == pytest.approx(2 * true.b * r, rel=0.08, abs=2.5)
        assert one.length == pytest.approx(2 * true.a * r, rel=0.08, abs=3.0)
        if true.b < 0.68 * true.a and abs(true.depth) > 0.4:
            way = np.array([np.cos(true.turn), np.sin(true.turn)])
            assert abs(np.array(one.direction[:2]) @ way) > 0.9
        assert np.linalg.norm(one.normal) == pytest.approx(1.0)
    pair = pairs[numbers[2]][0], pairs[numbers[3]][0]  # side by side
    assert pair[0].neighbour == numbers[3]
    assert pair[1].neighbour == numbers[2]
    assert pair[0].center_to_center == pytest.approx(40.0, abs=1.5)
    assert pair[0].edge_to_edge == pytest.approx(pair[1].edge_to_edge)
    assert 6.0 < pair[0].edge_to_edge < 20.0
    border = pairs[numbers[4]][0]  # its middle is 20 mm from the border
    r = 14.0 * np.arccos(2 * THRESHOLD / 0.7 - 1) / np.pi
    assert border.border == pytest.approx(20.0 - r, abs=2.5)


@pytest.mark.parametrize("seed", range(2))
def test_corrosion_of_a_tube_by_its_cylinder(seed):
    pits = tube.corroded()
    points, normals, q, t = turned(*tube.tube_cloud(150_000), seed)
    found = find_imperfections(points, normals, Reference(Kind.CYLINDER, 0.0), Finding(sides="in"))
    at = np.array([tube.place_of(p) for p in pits]) @ q.T + t
    for one, true, off, _ in matched(found, pits, at):
        assert one.depth == pytest.approx(true.depth, rel=0.05, abs=2 * tube.NOISE)
        assert off < 0.5
        assert one.volume == pytest.approx(true.beyond(THRESHOLD)[1], rel=0.1)
    inside = find_imperfections(points, -normals, Reference(Kind.CYLINDER, 0.0), Finding(sides="out"))
    assert len(inside.imperfections) + len(inside.left_out) == len(pits)  # seen from inside they stand out


def ball(rng, count=60_000, radius=80.0):
    way = rng.normal(size=(count, 3))
    way[:, 2] = np.abs(way[:, 2]) + 0.3
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    dent = np.array([0.5, 0.2, np.sqrt(1 - 0.29)])
    arc = radius * np.arccos(np.clip(way @ dent, -1, 1))
    off = -0.7 * (1 + np.cos(np.pi * np.minimum(arc / 12.0, 1.0))) / 2 + rng.normal(0, 0.02, count)
    return (radius + off)[:, None] * way, way, radius * dent


def cone(rng, count=60_000):
    along, turn = rng.uniform(60.0, 160.0, count), rng.uniform(0, 2 * np.pi, count)
    s, c = np.sin(0.25), np.cos(0.25)
    out = np.column_stack([c * np.cos(turn), c * np.sin(turn), np.full(count, -s)])
    at = along[:, None] * np.column_stack([s * np.cos(turn), s * np.sin(turn), np.full(count, c)])
    middle = 110.0 * np.array([s * np.cos(1.0), s * np.sin(1.0), c])
    far = np.linalg.norm(at - middle, axis=1)
    off = 0.6 * (1 + np.cos(np.pi * np.minimum(far / 9.0, 1.0))) / 2 + rng.normal(0, 0.02, count)
    return at + off[:, None] * out, out, middle


@pytest.mark.parametrize(("kind", "make", "depth"), [(Kind.SPHERE, ball, -0.7), (Kind.CONE, cone, 0.6)])
def test_a_dent_of_a_ball_and_a_bump_of_a_cone(kind, make, depth):
    points, normals, middle = make(np.random.default_rng(3))
    points, normals, q, t = turned(points, normals, 4)
    found = find_imperfections(points, normals, Reference(kind, 0.0))
    (one,) = found.imperfections
    assert one.depth == pytest.approx(depth, rel=0.05)
    assert np.linalg.norm(np.array(one.deepest) - (middle @ q.T + t)) < 0.6
    assert found.quality.rms == pytest.approx(0.02, rel=0.2)


def plate(rng, count=40_000, noise=0.02, depth=-0.5, far=15.0):
    at = rng.uniform(0, 200, (count, 2))
    z = depth * (1 + np.cos(np.pi * np.minimum(np.hypot(*(at - [90.0, 110.0]).T) / far, 1.0))) / 2
    return np.column_stack([at, z + rng.normal(0, noise, count)])


def test_depths_scatter_as_far_as_their_uncertainty_says():
    depths, stated = [], []
    for seed in range(30):
        (one,) = find_imperfections(plate(np.random.default_rng(seed), 20_000, 0.03)).imperfections
        depths.append(one.depth)
        stated.append(one.depth_u)
    rms = np.sqrt(np.mean((np.array(depths) + 0.5) ** 2))
    assert 0.4 * np.mean(stated) < rms < 1.5 * np.mean(stated)


@pytest.mark.parametrize("noise", [0.0, 0.005, 0.03, 0.08])
def test_depth_does_not_grow_with_noise(noise):
    found = [find_imperfections(plate(np.random.default_rng(k), noise=noise), wanted=Finding(depth=0.2)).imperfections
             for k in range(4)]  # fmt: skip
    assert [len(f) for f in found] == [1] * 4
    assert np.mean([f[0].depth for f in found]) == pytest.approx(-0.5, abs=0.01 + 0.15 * noise)


def test_the_threshold_and_the_sides_choose_and_the_reference_stays():
    rng = np.random.default_rng(2)
    points = plate(rng)
    points[:, 2] += 0.3 * np.exp(-np.square(points[:, :2] - [40.0, 40.0]).sum(axis=1) / 60.0)
    prepared = prepare(points, None, Reference())
    both, out, deep = (find(prepared, w).imperfections for w in (Finding(), Finding(sides="out"), Finding(depth=0.4)))
    assert [round(i.depth, 1) for i in both] == [-0.5, 0.3]
    assert [i.kind for i in out] == ["bump"]
    assert [round(i.depth, 1) for i in deep] == [-0.5]
    assert deep[0].area < both[0].area
    assert find(prepared, Finding(min_area=1e4)).imperfections == ()
    assert any("no normals" in n for n in prepared.notes)


def test_advice_on_the_wavelength():
    points = plate(np.random.default_rng(1), noise=0.01)
    points[:, 2] += 0.15 * np.sin(2 * np.pi * points[:, 0] / 90.0)
    long = find_imperfections(points, None, Reference(Kind.SMOOTH, 180.0), Finding(depth=0.3))
    assert "waves of" in long.quality.advice
    assert find_imperfections(points, None, Reference(Kind.SMOOTH, 60.0), Finding(depth=0.3)).quality.rms < 0.02
    short = find_imperfections(plate(np.random.default_rng(1), far=40.0), None, Reference(Kind.SMOOTH, 60.0))
    assert "wide" in short.quality.advice


@pytest.mark.parametrize(("depth", "length", "width", "word"), [
    (0.2, 10, 9, "bump"), (-0.2, 50, 4, "scratch"), (-0.8, 6, 5, "pit"), (-0.8, 30, 25, "dent"),
])  # fmt: skip
def test_words(depth, length, width, word):
    assert kind_of(depth, length, width) == word


def test_what_is_wrong_is_said_in_words():
    rng = np.random.default_rng(0)
    with pytest.raises(EvaluationError, match="10 points are too few"):
        find_imperfections(plate(rng)[:10])
    way = rng.normal(size=(20_000, 3))
    way /= np.linalg.norm(way, axis=1, keepdims=True)
    with pytest.raises(EvaluationError, match="folded, closed, or seen from both sides"):
        find_imperfections(50 * way, way)
    sheet = plate(rng)
    sheets = np.vstack([sheet, sheet + np.array([0.0, 0.0, 6.0])])
    with pytest.raises(EvaluationError, match="several sheets"):
        find_imperfections(sheets)
    broken = sheet.copy()
    broken[::50] = np.nan
    (one,) = find_imperfections(broken).imperfections
    assert one.depth == pytest.approx(-0.5, abs=0.03)
    opening = sheet[np.hypot(*(sheet[:, :2] - [150.0, 50.0]).T) > 25.0]
    assert len(find_imperfections(opening).imperfections) == 1
