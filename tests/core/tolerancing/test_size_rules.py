"""Sizes by every definition of ISO 14405-1, against closed forms and sections computed one by one."""

import numpy as np
import pytest
from scipy.special import ellipe
from tests.core.tolerancing.made import ball, hole, plane, ring_points

from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Shape
from truegauge.core.association.fit import Criterion
from truegauge.core.errors import EvaluationError
from truegauge.core.tolerancing.size import sizes_by
from truegauge.core.tolerancing.size_rule import SizeRule, is_size, size_rule, usual_rule

Z = np.array([0.0, 0.0, 1.0])
HEIGHTS = np.linspace(-10, 10, 5)


def told(feature, rule, lower=None, upper=None):
    features = feature if isinstance(feature, tuple) else (feature,)
    return sizes_by(features, rule).told(lower, upper)[0]


def oval(a, b, around=48):
    """An exact ellipse of half axes a and b in every section."""
    return hole(
        0, 0, a, ring_points(lambda t, z: a * b / np.hypot(b * np.cos(t), a * np.sin(t)), HEIGHTS, around), 20.0
    )


def test_an_oval_has_its_circumference_area_and_volume():
    a, b = 10.2, 9.8
    found = oval(a, b)
    around = 4 * a * ellipe(1 - (b / a) ** 2)
    assert told(found, SizeRule("CC")) == pytest.approx(around / np.pi, abs=1e-6)
    assert told(found, SizeRule("CA")) == pytest.approx(2 * np.sqrt(a * b), abs=1e-6)
    assert told(found, SizeRule("CV")) == pytest.approx(2 * np.sqrt(a * b), abs=1e-6)
    assert told(found, SizeRule("LP", "SX")) == pytest.approx(2 * a, abs=1e-9)
    assert told(found, SizeRule("LP", "SN")) == pytest.approx(2 * b, abs=1e-9)
    # Between the touches of an oval a circle that is a little larger fits beside the middle.
    fine = oval(a, b, 720)
    assert told(fine, SizeRule("LS")) == pytest.approx(2 * b, abs=2e-4)
    assert told(fine, SizeRule("GX", section="ACS"), 19.65, 22.0) == pytest.approx(2 * b, abs=2e-4)
    assert told(found, SizeRule("GN", section="ACS"), 19.0, 21.0) == pytest.approx(2 * a, abs=1e-6)


def test_a_taper_has_other_sizes_in_other_sections():
    half = hole(0, 0, 10.0, ring_points(lambda t, z: 10 + 0.01 * z, HEIGHTS, 24), 20.0)
    assert told(half, SizeRule("GG", section="SCS", at=5.0)) == pytest.approx(20.1, abs=1e-6)
    assert told(half, SizeRule("GG", section="SCS", at=-10.0)) == pytest.approx(19.8, abs=1e-6)
    assert told(half, SizeRule("GG", section="ACS"), 19.0, 20.15) == pytest.approx(20.2, abs=1e-6)
    assert told(half, SizeRule("GG", "SN", "ACS")) == pytest.approx(19.8, abs=1e-6)
    # The volume of a truncated cone of 19.8 to 20.2 over its length, as a cylinder.
    assert told(half, SizeRule("CV")) == pytest.approx(np.sqrt((19.8**2 + 19.8 * 20.2 + 20.2**2) / 3), abs=1e-5)
    with pytest.raises(EvaluationError, match=r"no cross section is measured at \+2 mm"):
        told(half, SizeRule("GG", section="SCS", at=2.0))


@pytest.mark.parametrize("seed", range(10))
def test_global_sizes_in_sections_are_those_of_their_circles(seed):
    rng = np.random.default_rng(seed)
    around, rings = int(rng.integers(5, 60)), int(rng.integers(2, 9))
    points = ring_points(lambda t, z: 10 + rng.normal(0, 0.01), np.linspace(-10, 10, rings), around)
    one = hole(0, 0, 10.0, points, 20.0)
    local = (points - one.feature.pose.origin) @ one.feature.pose.axes.T
    for how, criterion in (("GG", Criterion.LEAST_SQUARES), ("GN", Criterion.MINIMUM_CIRCUMSCRIBED)):
        expected = []
        for ring in local.reshape(rings, around, 3):
            flat = np.column_stack([ring[:, :2], np.zeros(around)])
            expected.append(2 * associate(Shape.CIRCLE, flat, criterion, plane_normal=Z).feature.radius)
        assert np.sort(sizes_by((one,), SizeRule(how, section="ACS")).sizes) == pytest.approx(
            np.sort(expected), abs=1e-9
        )


@pytest.mark.parametrize("seed", range(10))
def test_contours_of_any_smooth_section_are_measured_right(seed):
    """Random harmonics up to five: circumference and area by a fine sum."""
    rng = np.random.default_rng(seed)
    amplitude, phase = rng.normal(0, 0.05, 4), rng.uniform(0, 6, 4)

    def radius(t, z=0.0):
        return 10 + sum(a * np.cos((k + 2) * t + p) for k, (a, p) in enumerate(zip(amplitude, phase, strict=True)))

    one = hole(0, 0, 10.0, ring_points(radius, HEIGHTS, 60), 20.0)
    t = np.linspace(0, 2 * np.pi, 200_001)
    x, y = radius(t) * np.cos(t), radius(t) * np.sin(t)
    around = np.hypot(np.diff(x), np.diff(y)).sum()
    area = 0.5 * np.abs((x[:-1] * y[1:] - x[1:] * y[:-1]).sum())
    assert told(one, SizeRule("CC")) == pytest.approx(around / np.pi, abs=2e-5)
    assert told(one, SizeRule("CA")) == pytest.approx(np.sqrt(4 * area / np.pi), abs=2e-6)


def test_all_local_sizes_must_conform_and_the_worse_end_is_told():
    found = sizes_by((oval(10.2, 9.8),), SizeRule("LP"))
    assert found.told(19.5, 20.3)[0] == pytest.approx(20.4)  # 0.1 beyond; the other end has 0.1 to spare
    assert found.told(19.7, 20.9)[0] == pytest.approx(19.6)
    value, words = found.told(None, 20.5)
    assert value == pytest.approx(20.4)
    assert "largest of 120, from 19.6000 to 20.4000" in words
    assert "no limits are stated" in found.told()[1]


def test_balls_have_sizes_through_their_centre():
    points = np.vstack([np.eye(3), -np.eye(3)]) * [[6.0], [6.1], [6.2], [6.0], [6.1], [6.2]]
    from tests.core.tolerancing.made import of

    from truegauge.core.association.features import Sphere
    from truegauge.core.cad.recognition import Nominal

    found = sizes_by((of(Nominal(Sphere(np.zeros(3), 6.0), 1, 12.0, np.zeros(3)), points),), SizeRule("LP"))
    assert np.sort(found.sizes) == pytest.approx([12.0, 12.2, 12.4], abs=1e-9)
    with pytest.raises(EvaluationError, match="sections are no sizes"):
        told(ball((0, 0, 0), 6.0, (0, 0, 0)), SizeRule("CC"))


def test_widths_have_no_cross_sections():
    x, y = (v.ravel() for v in np.meshgrid(np.linspace(-10, 10, 4), np.linspace(-10, 10, 4)))
    pair = (
        plane((0, 0, 5), Z, np.column_stack([x, y, 5 + 0 * x])),
        plane((0, 0, 0), -Z, np.column_stack([x, y, 0 * x])),
    )
    assert told(pair, SizeRule("LP")) == pytest.approx(5.0)
    assert told(pair, SizeRule("GG")) == pytest.approx(5.0)
    assert told(pair, SizeRule("E"), 4.9, 5.1) == pytest.approx(5.0)
    with pytest.raises(EvaluationError, match="a width has no circumference"):
        told(pair, SizeRule("CC"))


@pytest.mark.parametrize(
    ("kind", "modifiers", "usual", "letters"),
    [
        ("diameter", (), "LP", "LP"), ("diameter", (), "E", "E"), ("diameter", (), "GG", "GG"),
        ("diameter", ("E",), "LP", "E"), ("diameter", ("I",), "E", "LP"), ("diameter", ("GX", "ACS"), "E", "GX ACS"),
        ("diameter_gn", (), "LP", "GN"), ("diameter_lp_sx", (), "GG", "LP SX"), ("diameter", ("SX",), "E", "LP SX"),
        ("width", (), "E", "E"), ("diameter_gx", ("ACS",), "LP", "GX ACS"), ("diameter", ("CC", "SA"), "LP", "CC SA"),
    ],
)  # fmt: skip
def test_what_a_size_means(kind, modifiers, usual, letters):
    assert is_size(kind)
    assert size_rule(kind, modifiers, usual).letters == letters


def test_the_standards_have_their_own_defaults():
    assert (usual_rule("ISO"), usual_rule("ASME")) == ("LP", "E")
    assert not is_size("distance")
    assert size_rule("diameter", ("GG", "SCS"), "LP", 2.5).letters == "GG SCS+2.5"
