"""Touches in rings and lines, against values computed ring by ring in another way, over seeded random cases."""

import numpy as np
import pytest
from scipy.optimize import least_squares, minimize, minimize_scalar
from tests.core.tolerancing.made import SINGLE, flat, hole, of, plane, request, ring_points, system, upright, use

from truegauge.core.association.features import Cone, Cylinder
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import measure
from truegauge.core.tolerancing.derived import median_line
from truegauge.core.tolerancing.form import form_value
from truegauge.core.tolerancing.geometric import evaluate
from truegauge.core.tolerancing.size import sizes_by
from truegauge.core.tolerancing.size_rule import SizeRule
from truegauge.core.tolerancing.zone import Zone

Z = np.array([0.0, 0.0, 1.0])


def shaft(rng, rings, around, *, bend=0.0, tilt=0.0, lobes=0, depth=0.0, noise=0.0, radius=10.0, length=40.0):
    """Rings of a bent, tilted, lobed shaft; returns points and the ring of each."""
    heights = np.linspace(-0.45, 0.45, rings) * length if rings > 1 else np.zeros(1)
    start = rng.uniform(0, 2 * np.pi)
    angle = start + np.arange(around) * 2 * np.pi / around
    out, which = [], []
    for k, z in enumerate(heights):
        r = radius + depth * np.cos(lobes * angle) + rng.normal(0, 1, around) * noise
        x = r * np.cos(angle) + bend * (2 * z / length) ** 2 + tilt * z
        out.append(np.column_stack([x, r * np.sin(angle), np.full(around, z) + rng.normal(0, 0.01, around)]))
        which.append(np.full(around, k))
    return np.vstack(out), np.concatenate(which)


def random_shaft(seed, least=3):
    rng = np.random.default_rng(seed)
    rings, around = int(rng.integers(2, 13)), int(rng.choice([3, 4, 5, 8, 12, 24, 48, 59, 60, 61, 200]))
    around = max(around, least)
    return rng, *shaft(
        rng, rings, around, bend=rng.choice([0, 0.05]), tilt=rng.choice([0, 1e-3]), lobes=int(rng.integers(2, 16)),
        depth=rng.choice([0, 0.01]), noise=rng.choice([0, 0.002]),
    )  # fmt: skip


def best_circle(x, y):
    """The least-squares circle by a library."""
    start = [x.mean(), y.mean(), np.hypot(x - x.mean(), y - y.mean()).mean()]
    return least_squares(lambda p: np.hypot(x - p[0], y - p[1]) - p[2], start, xtol=1e-15, ftol=1e-15, gtol=1e-15).x


def narrowest_ring(x, y):
    """The minimum-zone circle by direct search from many starts."""

    def width(c):
        r = np.hypot(x - c[0], y - c[1])
        return r.max() - r.min()

    best = best_circle(x, y)
    rng, spread = np.random.default_rng(0), max(width(best[:2]), 1e-9)
    found = []
    for _ in range(6):
        start = best[:2] + rng.normal(0, spread / 2, 2)
        for _ in range(3):
            s = minimize(width, start, method="Nelder-Mead", options={"xatol": 1e-12, "fatol": 1e-13, "maxiter": 4000})
            start = s.x
        found.append(s.fun)
    return min(found)


@pytest.mark.parametrize("seed", range(24))
def test_run_out_is_the_largest_range_of_a_ring(seed):
    rng, points, which = random_shaft(seed)
    points = points + np.array([rng.uniform(0, 0.1), 0, 0])
    lean = rng.uniform(-1e-3, 1e-3)
    datum = hole(
        0, 0, 8.0, ring_points(8.0, np.linspace(40, 80, 5), 24, lambda z: (lean * (z - 60), 0)), 50.0, outward=1
    )
    frame = system(use("A", datum))
    one = hole(0, 0, 10.0, points, 40.0, outward=1)
    found = evaluate(request("circular_runout", [one], frame))
    placed = points @ frame.part_from_measured[:3, :3].T + frame.part_from_measured[:3, 3]
    off = placed - frame.axis.point
    radius = np.linalg.norm(off - np.outer(off @ frame.axis.direction, frame.axis.direction), axis=1)
    expected = max(np.ptp(radius[which == k]) for k in np.unique(which))
    assert found.value == pytest.approx(expected, abs=1e-9)
    assert "found by their places" in found.association
    total = evaluate(request("total_runout", [one], frame)).value
    assert total == pytest.approx(np.ptp(radius), abs=1e-9)


@pytest.mark.parametrize(("around", "rings"), [(59, 5), (60, 5), (61, 5), (200, 5), (3, 5)])
def test_run_out_does_not_hang_on_the_number_of_touches(around, rings):
    """Eccentric by 0.05 and nothing else: 0.1, but for what an odd number of touches leaves out."""
    one = hole(0, 0, 10.0, ring_points(10.0, np.linspace(-20, 20, rings), around, lambda z: (0.05, 0)), 50.0, outward=1)
    datum = hole(0, 0, 8.0, ring_points(8.0, np.linspace(40, 80, 5), 24), 50.0, outward=1)
    seen = 1.0 if around % 2 == 0 else (1 + np.cos(np.pi / around)) / 2
    found = evaluate(request("circular_runout", [one], system(use("A", datum)))).value
    assert found == pytest.approx(0.1 * seen, abs=3e-4)


def test_run_out_of_a_face_reads_its_rings():
    radii, angle = (10.0, 14.0, 18.0), np.arange(16) * np.pi / 8
    height = {10.0: 0.004, 14.0: 0.009, 18.0: 0.002}
    points = np.vstack(
        [np.column_stack([r * np.cos(angle), r * np.sin(angle), height[r] * np.cos(3 * angle)]) for r in radii]
    )
    datum = hole(0, 0, 8.0, ring_points(8.0, np.linspace(-60, -20, 5), 24), 50.0, outward=1)
    found = evaluate(request("circular_runout", [plane((0, 0, 0), Z, points)], system(use("A", datum))))
    expected = 0.009 * np.ptp(np.cos(3 * angle))
    assert found.value == pytest.approx(expected, abs=1e-9)
    scattered = plane((0, 0, 0), Z, np.column_stack([np.random.default_rng(1).uniform(-15, 15, (11, 2)), np.zeros(11)]))
    with pytest.raises(EvaluationError, match="in rings about the axis; these 11 touches lie in none"):
        evaluate(request("circular_runout", [scattered], system(use("A", datum))))


@pytest.mark.parametrize("seed", range(24))
def test_the_median_line_has_the_centre_of_each_ring(seed):
    _, points, which = random_shaft(seed)
    one = hole(0, 0, 10.0, points, 40.0, outward=1)
    line = median_line(one)
    axes, origin = one.feature.pose.axes, one.feature.pose.origin
    local = (points - origin) @ axes.T
    expected = []
    for k in np.unique(which):
        own = local[which == k]
        cx, cy, _ = best_circle(own[:, 0], own[:, 1])
        expected.append(origin + np.array([cx, cy, own[:, 2].mean()]) @ axes)
    assert np.abs(line[1:-1] - np.array(expected)).max() < 1e-7


@pytest.mark.parametrize(("rings", "around"), [(5, 24), (5, 12), (3, 48), (9, 8), (12, 3), (4, 5), (7, 200)])
def test_a_bent_bore_is_as_bent_as_its_rings_show(rings, around):
    heights = np.linspace(-10, 10, rings)
    bend = 0.05 * (1 - (heights / 10) ** 2)
    points = ring_points(5.0, heights, around, lambda z: (0.05 * (1 - (z / 10) ** 2), 0))
    found = evaluate(request("axis_straightness", [hole(0, 0, 5.0, points, 20.0)]))
    assert found.value == pytest.approx(np.ptp(bend), abs=1e-7)  # symmetrical: the chord is the zone's limit


@pytest.mark.parametrize("seed", range(16))
def test_roundness_is_that_of_the_worst_ring(seed):
    _, points, which = random_shaft(seed, least=4)
    one = hole(0, 0, 10.0, points, 40.0, outward=1)
    local = (points - one.feature.pose.origin) @ one.feature.pose.axes.T
    expected = max(narrowest_ring(*local[which == k, :2].T) for k in np.unique(which))
    assert form_value("roundness", (one,))[0] == pytest.approx(expected, abs=2e-8)


@pytest.mark.parametrize(("lobes", "around"), [(3, 24), (15, 60), (5, 40)])
def test_lobes_are_read_whole(lobes, around):
    points = ring_points(lambda a, z: 10 + 0.01 * np.cos(lobes * a), np.linspace(-10, 10, 5), around)
    one = hole(0, 0, 10.0, points)
    assert form_value("roundness", (one,))[0] == pytest.approx(0.02, abs=1e-9)
    assert form_value("cylindricity", (one,))[0] == pytest.approx(0.02, abs=1e-9)


def test_a_single_ring_is_a_circle_and_has_a_roundness():
    points = ring_points(lambda a, z: 10 + 0.01 * np.cos(2 * a), [3.0], 16)
    one = hole(0, 0, 10.0, points, 20.0)
    assert form_value("roundness", (one,))[0] == pytest.approx(0.02, abs=1e-9)
    assert sizes_by((one,), SizeRule("GG")).told()[0] == pytest.approx(20.0, abs=1e-4)
    assert "at one height" in one.held.direction
    assert not one.held.place
    with pytest.raises(EvaluationError, match="4 touches or more in a row"):
        form_value("roundness", (hole(0, 0, 10.0, ring_points(10.0, [-8, 0, 8], 3), 20.0),))


@pytest.mark.parametrize("seed", range(8))
def test_straightness_is_that_of_the_worst_line(seed):
    rng = np.random.default_rng(seed)
    heights, around = np.sort(rng.uniform(-20, 20, int(rng.integers(4, 20)))), int(rng.integers(4, 30))
    deviation = rng.normal(0, 0.01, (len(heights), around))
    angle = np.arange(around) * 2 * np.pi / around
    points = np.vstack([
        np.column_stack([(10 + d) * np.cos(angle), (10 + d) * np.sin(angle), np.full(around, z)])
        for z, d in zip(heights, deviation, strict=True)
    ])  # fmt: skip
    one = hole(0, 0, 10.0, points, 40.0, outward=1)
    local = (points - one.feature.pose.origin) @ one.feature.pose.axes.T
    z, r = local[:, 2].reshape(-1, around), np.hypot(local[:, 0], local[:, 1]).reshape(-1, around)

    def width(slope, k):
        return np.ptp(r[:, k] - slope * z[:, k]) / np.hypot(1, slope)

    expected = max(
        minimize_scalar(width, bounds=(-0.02, 0.02), args=(k,), method="bounded", options={"xatol": 1e-13}).fun
        for k in range(around)
    )
    assert form_value("straightness", (one,))[0] == pytest.approx(expected, abs=2e-8)


def test_touches_in_no_lines_have_no_straightness():
    points = np.vstack([ring_points(10.0, [z], 8) @ turned(0.11 * k).T for k, z in enumerate((-9, -3, 2, 8))])
    with pytest.raises(EvaluationError, match="lines along the feature; these 32 touches lie in none"):
        form_value("straightness", (hole(0, 0, 10.0, points),))


def turned(angle):
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])


@pytest.mark.parametrize("seed", range(12))
def test_two_point_diameters_pair_opposite_touches(seed):
    rng, points, which = random_shaft(seed, least=4)
    around = int((which == 0).sum())
    if around % 2:
        around += 1
        points, which = shaft(rng, 4, around, lobes=2, depth=0.01, noise=0.002)
    one = hole(0, 0, 10.0, points, 40.0, outward=1)
    sizes = np.sort(sizes_by((one,), SizeRule("LP")).sizes)
    local = (points - one.feature.pose.origin) @ one.feature.pose.axes.T
    expected = []
    for k in np.unique(which):
        own = local[which == k, :2]
        center = best_circle(*own.T)[:2]
        r = np.linalg.norm(own - center, axis=1)
        half = around // 2
        expected += list(r[:half] + r[half:])
    # In dense rings the centre moves touches off being opposite by a good part of the way to the next: there both ends
    # of a diameter find the surface opposite, between two touches.
    assert len(sizes) in (len(expected), 2 * len(expected))
    near = 2e-6 + 0.02 * np.std(expected) if len(sizes) == len(expected) else 0.5 * np.std(expected)
    assert abs(sizes.max() - max(expected)) < near
    assert abs(sizes.min() - min(expected)) < near


def test_odd_rings_have_no_two_points_and_say_so():
    with pytest.raises(EvaluationError, match="opposite pairs"):
        sizes_by((hole(0, 0, 10.0, ring_points(10.0, [-8, 0, 8], 5), 20.0),), SizeRule("LP"))
    dense = hole(0, 0, 10.0, ring_points(lambda a, z: 10 + 0.01 * np.cos(2 * a), [-8, 0, 8], 59), 20.0)
    sizes = sizes_by((dense,), SizeRule("LP")).sizes
    assert sizes.max() == pytest.approx(20.02, abs=1e-4)
    assert sizes.min() == pytest.approx(19.98, abs=1e-4)


@pytest.mark.parametrize("seed", range(8))
def test_widths_and_middles_are_those_of_opposite_touches(seed):
    rng = np.random.default_rng(seed)
    count = int(rng.integers(3, 9))
    y, z = (v.ravel() for v in np.meshgrid(np.linspace(-20, 20, count), np.linspace(0, 20, count)))
    left, right = 10 + rng.normal(0, 0.01, len(y)), 20 + rng.normal(0, 0.01, len(y))
    a = plane((10, 0, 10), (1, 0, 0), np.column_stack([left, y, z]))
    b = plane((20, 0, 10), (-1, 0, 0), np.column_stack([right, y, z])[rng.permutation(len(y))])
    sizes = sizes_by((a, b), SizeRule("LP"))
    tilt = 1e-6  # square to the middle plane, which leans by some 1e-4
    assert sizes.told(9.0, 9.9)[0] == pytest.approx((right - left).max(), abs=tilt)
    assert sizes.told(9.99, 12.0)[0] == pytest.approx((right - left).min(), abs=tilt)
    base = flat(0.0, -Z)
    frame = system(use("A", base), use("B", upright(0.0)), use("C", plane_side()))
    found = evaluate(request("position", [(a, b)], frame))
    assert found.value == pytest.approx(2 * np.abs((left + right) / 2 - 15).max(), abs=2e-6)


def plane_side():
    x, z = (v.ravel() for v in np.meshgrid(np.linspace(-20, 20, 5), np.linspace(0, 20, 5)))
    return plane((0, 0, 10), (0, -1, 0), np.column_stack([x, 0 * x, z]))


@pytest.mark.parametrize("seed", range(8))
def test_profile_of_lines_takes_each_line_for_itself(seed):
    """Lines of a face at x = const: each may shift and turn in its own plane."""
    rng = np.random.default_rng(seed)
    lines, each = int(rng.integers(3, 12)), int(rng.integers(4, 40))
    y = np.linspace(-20, 20, each)
    height = rng.normal(0, 0.01, (lines, each)) + rng.normal(0, 0.1, (lines, 1)) + rng.normal(0, 1e-3, (lines, 1)) * y
    points = np.vstack([np.column_stack([np.full(each, 3.0 * k), y, height[k]]) for k in range(lines)])
    one = plane((0, 0, 0), Z, points)
    found = evaluate(request("profile_line", [one], zone=Zone(direction=(1.0, 0.0, 0.0))))

    def width(slope, k):
        return np.ptp(height[k] - slope * y) / np.hypot(1, slope)

    expected = max(
        minimize_scalar(width, bounds=(-0.02, 0.02), args=(k,), method="bounded", options={"xatol": 1e-13}).fun
        for k in range(lines)
    )
    assert found.value == pytest.approx(expected, abs=1e-7)
    assert f"{lines} rows found" in found.association
    straight, _ = form_value("straightness", (one,), rule_across(1.0, 0.0, 0.0))
    assert straight == pytest.approx(expected, abs=1e-5)  # heights over the associated plane, which leans a little


def rule_across(x, y, z):
    from truegauge.core.tolerancing.form import FormRule

    return FormRule(across=(x, y, z))


def test_concentricity_by_opposite_touches_does_not_hang_on_their_number():
    """Two lobes on one side only: the middles of opposite touches lie off by half of the bump."""
    datum = hole(0, 0, 8.0, ring_points(8.0, np.linspace(40, 80, 5), 24), 50.0, outward=1)
    for around in (8, 24, 60, 200):
        points = ring_points(lambda a, z: 10 + 0.02 * np.maximum(np.cos(a), 0) ** 2, np.linspace(-20, 20, 5), around)
        one = hole(0, 0, 10.0, points, 50.0, outward=1)
        found = evaluate(request("concentricity", [one], system(use("A", datum)), standard="ASME")).value
        # The middles lie between 0 and 0.01 along x about the least-squares centre.
        assert found == pytest.approx(0.02, abs=5e-4), around


def test_rows_come_with_the_touches_where_they_are_stated():
    """Rings so near to each other that their places cannot tell them apart."""
    angle = np.arange(12) * np.pi / 6
    points = np.vstack([np.column_stack([10 * np.cos(angle) + e, 10 * np.sin(angle), z + 0.2 * np.sin(angle)])
                        for z, e in ((-6.0, 0.0), (-5.8, 0.03), (5.8, 0.0), (6.0, 0.03))])  # fmt: skip
    nominal = Nominal(Cylinder(np.zeros(3), Z, 10.0), 1, 14.0, np.zeros(3))
    rows = np.arange(len(points))
    stated = measure(nominal, points, rows, SINGLE, taken=np.repeat([0, 1, 2, 3], 12))
    assert len(median_line(stated)) == 6
    off = np.linalg.norm(np.diff(median_line(stated)[1:3, :2], axis=0))
    assert off == pytest.approx(0.03, abs=1e-3)


def test_a_cone_is_read_in_its_rings():
    half, apex = np.radians(20), np.array([0.0, 0.0, -30.0])
    angle, along = np.arange(24) * np.pi / 12, (10.0, 20.0, 30.0)
    points = np.vstack([
        apex + np.column_stack([(h * np.tan(half) + 0.01 * np.cos(3 * angle)) * np.cos(angle),
                                (h * np.tan(half) + 0.01 * np.cos(3 * angle)) * np.sin(angle), np.full(24, h)])
        for h in along
    ])  # fmt: skip
    cone = of(Nominal(Cone(apex, Z, half), 1, 20.0, apex + 20 * Z), points)
    assert form_value("roundness", (cone,))[0] == pytest.approx(0.02 * np.cos(half), abs=1e-6)


def test_a_dense_cloud_that_is_not_averaged_is_read_all_the_same():
    """20,000 points all over a shaft and a ball, read as single points: slices and cells stand for rows."""
    rng = np.random.default_rng(4)
    angle, z = rng.uniform(0, 2 * np.pi, 20_000), rng.uniform(-20, 20, 20_000)
    r = 10 + 0.01 * np.cos(3 * angle)
    one = hole(0, 0, 10.0, np.column_stack([r * np.cos(angle), r * np.sin(angle), z]), 40.0, outward=1)
    assert form_value("roundness", (one,))[0] == pytest.approx(0.02, abs=5e-4)
    assert form_value("straightness", (one,))[0] < 0.004
    assert sizes_by((one,), SizeRule("LP")).told(19.9, 20.1)[0] == pytest.approx(20.0, abs=2e-3)
    datum = hole(0, 0, 8.0, ring_points(8.0, np.linspace(40, 80, 5), 24), 50.0, outward=1)
    found = evaluate(request("circular_runout", [one], system(use("A", datum))))
    assert found.value == pytest.approx(0.02, abs=5e-4)
    assert "slices" in found.association
    toward = rng.normal(size=(20_000, 3))
    toward /= np.linalg.norm(toward, axis=1)[:, None]
    from truegauge.core.association.features import Sphere

    ball = of(Nominal(Sphere(np.zeros(3), 6.0), 1, 12.0, np.zeros(3)), 6.0 * toward)
    assert sizes_by((ball,), SizeRule("LP")).told()[0] == pytest.approx(12.0, abs=1e-6)
