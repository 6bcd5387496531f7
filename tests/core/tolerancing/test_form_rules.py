"""Form by reference, parameter and unit; lines on faces; balls: closed forms and brute force."""

import numpy as np
import pytest
from tests.core.tolerancing.made import hole, of, plane, ring_points

from truegauge.core.association.features import Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import ExtractionSettings, measure
from truegauge.core.tolerancing.form import FormRule, form_value, parameter_of

Z = np.array([0.0, 0.0, 1.0])


def value(kind, feature, **rule):
    return form_value(kind, (feature,), FormRule(**rule))[0]


@pytest.mark.parametrize("outward", [1, -1])
def test_peaks_and_valleys_are_counted_out_of_the_material(outward):
    """One bump of 0.03 towards larger radius on each of five rings of 72: a peak of a shaft, a valley of a hole."""
    points = ring_points(lambda t, z: 10 + 0.03 * (abs(t - np.pi / 3) < 0.04), np.linspace(-10, 10, 5), 72)
    one = hole(0, 0, 10.0, points, 20.0, outward=outward)
    big, small = ("P", "V") if outward > 0 else ("V", "P")
    assert value("roundness", one, reference="G", parameter=big) > 0.028
    assert value("roundness", one, reference="G", parameter=small) < 0.002
    assert value("roundness", one, reference="G") == pytest.approx(
        value("roundness", one, reference="G", parameter="P") + value("roundness", one, reference="G", parameter="V"),
        abs=1e-9,
    )
    # Over the minimum zone both are half of it.
    zone = value("roundness", one)
    assert value("roundness", one, parameter="P") == pytest.approx(zone / 2, abs=1e-9)


@pytest.mark.parametrize("lobes", [2, 3, 5, 12])
def test_lobes_have_their_parameters(lobes):
    a = 0.02
    one = hole(0, 0, 10.0, ring_points(lambda t, z: 10 + a * np.cos(lobes * t), np.linspace(-9, 9, 4), 120), 20.0)
    # Between the touches of an oval a circle that is a little larger fits beside the middle.
    for reference in "CGN" if lobes == 2 else "CGNX":
        assert value("roundness", one, reference=reference) == pytest.approx(2 * a, abs=1e-5), reference
    assert value("roundness", one, reference="G", parameter="Q") == pytest.approx(a / np.sqrt(2), abs=1e-5)
    assert value("cylindricity", one, reference="G", parameter="Q") == pytest.approx(a / np.sqrt(2), abs=1e-5)
    if lobes > 2:
        assert value("roundness", one, reference="X", parameter="V") == pytest.approx(2 * a, abs=1e-5)  # a hole
    assert value("roundness", one, reference="N", parameter="P") == pytest.approx(2 * a, abs=1e-5)


def test_parameters_of_any_deviations():
    d = np.array([-0.3, 0.1, 0.2])
    assert [parameter_of(d, p) for p in "TPVQ"] == pytest.approx([0.5, 0.2, 0.3, np.sqrt(0.14 / 3)])
    assert parameter_of(d + 1, "V") == 0.0


@pytest.mark.parametrize("seed", range(6))
def test_flatness_over_a_unit_area_is_the_worst_of_all_its_places(seed):
    rng = np.random.default_rng(seed)
    x, y = (v.ravel() for v in np.meshgrid(np.arange(0, 50, 5.0), np.arange(0, 40, 5.0)))
    z = rng.normal(0, 0.01, len(x)) + 1e-4 * (x - 20) ** 2
    points = np.column_stack([x, y, z])
    face = plane((25, 20, 0), Z, points)
    expected = 0.0
    for left in np.arange(0, 31, 5.0):
        for low in np.arange(0, 26, 5.0):
            own = (x >= left) & (x <= left + 15) & (y >= low) & (y <= low + 10)
            expected = max(expected, narrowest_slab(points[own]))
    rule = {"per": 15.0, "per_second": 10.0, "across": (1.0, 0.0, 0.0)}
    assert value("flatness", face, **rule) == pytest.approx(expected, abs=1e-6)
    assert value("flatness", face, **rule) < value("flatness", face)
    with pytest.raises(EvaluationError, match="no unit area holds four points"):
        value("flatness", face, per=3.0, per_second=3.0)


def narrowest_slab(points):
    from scipy.optimize import linprog

    ones = np.ones((len(points), 1))
    a = np.hstack([points[:, :2], ones])
    rows = np.vstack([np.hstack([-a, -ones]), np.hstack([a, -ones])])
    heights = np.concatenate([-points[:, 2], points[:, 2]])
    found = linprog([0, 0, 0, 1], A_ub=rows, b_ub=heights, bounds=[(None, None)] * 4)
    return 2 * found.x[3] / np.sqrt(1 + found.x[0] ** 2 + found.x[1] ** 2)


def test_straightness_over_a_unit_length():
    """A bow of 0.1 over 100: over any 20 it is (20 / 100)^2 of that."""
    x = np.linspace(0, 100, 101)
    bow = 0.1 * 4 * (x / 100) * (1 - x / 100)
    points = np.vstack([np.column_stack([x, np.full(101, y), bow]) for y in (0.0, 10.0, 20.0)])
    face = plane((50, 10, 0), Z, points, 105.0)
    across = (0.0, 1.0, 0.0)
    assert value("straightness", face, across=across) == pytest.approx(0.1, abs=1e-6)
    assert value("straightness", face, across=across, per=20.0) == pytest.approx(0.1 * 0.04, abs=1e-6)
    with pytest.raises(EvaluationError, match="choose a direction or an intersection plane"):
        value("straightness", face)
    with pytest.raises(EvaluationError, match="must stand on it"):
        value("straightness", face, across=(0.0, 0.0, 1.0))
    with pytest.raises(EvaluationError, match="use C or G"):
        value("straightness", face, across=across, reference="N")


def test_straightness_of_lines_on_a_cloud():
    rng = np.random.default_rng(0)
    x, y = rng.uniform(0, 100, 60_000), rng.uniform(0, 40, 60_000)
    bow = 0.1 * 4 * (x / 100) * (1 - x / 100)
    points = np.column_stack([x, y, bow + rng.normal(0, 0.002, len(x))])
    nominal = plane((50, 20, 0), Z, points[:50], 110.0).nominal
    face = measure(nominal, points, np.arange(len(points)), ExtractionSettings(averaging=2.5, reject=0.0))
    assert value("straightness", face, across=(0.0, 1.0, 0.0)) == pytest.approx(0.1, abs=0.006)


def great_circles(radius, deviation, around=24):
    t = np.arange(around) * 2 * np.pi / around
    out = []
    for k in range(3):
        ring = np.zeros((around, 3))
        ring[:, (k + 1) % 3], ring[:, (k + 2) % 3] = np.cos(t), np.sin(t)
        out.append(ring * (radius + deviation(k, t))[:, None])
    return np.vstack(out)


def test_a_ball_has_the_roundness_of_its_worst_great_circle():
    points = great_circles(8.0, lambda k, t: (0.002, 0.01, 0.004)[k] * np.cos(3 * t))
    ball = of(Nominal(Sphere(np.zeros(3), 8.0), 1, 16.0, np.zeros(3)), points)
    assert value("roundness", ball) == pytest.approx(0.02, abs=2e-4)
    rows = np.repeat([0, 1, 2], 24)
    turn = np.linalg.qr(np.random.default_rng(1).normal(size=(3, 3)))[0]
    turned = measure(
        ball.nominal, points @ turn.T, np.arange(72), ExtractionSettings(averaging=0.0, reject=0.0), taken=rows
    )
    assert value("roundness", turned) == pytest.approx(value("roundness", ball), abs=1e-9)
    loose = of(ball.nominal, 8.0 * np.random.default_rng(2).normal(size=(30, 3)) / 1.0)
    with pytest.raises(EvaluationError, match="roundness needs"):
        value("roundness", loose)


def test_a_scanned_ball_has_its_roundness_in_sections_through_its_centre():
    rng = np.random.default_rng(3)
    toward = rng.normal(size=(80_000, 3))
    toward /= np.linalg.norm(toward, axis=1)[:, None]
    radius = 8 + 0.02 * (1.5 * toward[:, 2] ** 2 - 0.5) + rng.normal(0, 0.001, len(toward))  # flattened at the poles
    points = toward * radius[:, None]
    ball = measure(Nominal(Sphere(np.zeros(3), 8.0), 1, 16.0, np.zeros(3)), points, np.arange(len(points)),
                   ExtractionSettings(averaging=1.0, reject=0.0))  # fmt: skip
    assert value("roundness", ball) == pytest.approx(0.03, abs=0.003)
