"""What is measured of sections, against closed forms."""

from functools import partial

import numpy as np
import pytest
from scipy.optimize import minimize_scalar
from tests.core.blades.shapes import bent, naca, posed, two_circles

from truegauge.core.blades.construction import Construction
from truegauge.core.blades.edges import circle_through, edge_at
from truegauge.core.blades.parameters import Ways, blade_of, extent_along, thickness_at, values_of
from truegauge.core.blades.profile import Profile
from truegauge.core.errors import EvaluationError

X = Ways(axis=np.array([1.0, 0.0]))


@pytest.mark.parametrize(("long", "leading", "trailing"), [(40, 3.0, 0.5), (60, 1.5, 1.0), (30, 0.8, 0.2)])
@pytest.mark.parametrize("step", [0.02, 0.05, 0.1])
def test_two_circles_and_their_tangents_have_all_they_were_made_of(long, leading, trailing, step):
    points, _ = posed(two_circles(long, leading, trailing, step), 4)
    blade = blade_of(Profile.through(points))
    found = values_of(blade)
    slant = (leading - trailing) / long
    half = np.arccos(slant)  # of the arc of the trailing edge, from the line to where a tangent begins
    side = long * np.sin(half)
    area = side * (leading + trailing) + trailing**2 * half + leading**2 * (np.pi - half)
    assert found["chord_mean_line"] == pytest.approx(long + leading + trailing, abs=1e-4)
    assert found["leading_radius"] == pytest.approx(leading, abs=1e-4)
    assert found["trailing_radius"] == pytest.approx(trailing, abs=1e-4)
    assert found["leading_tip_radius"] == pytest.approx(leading, rel=2e-3)
    assert found["max_thickness"] == pytest.approx(2 * leading, abs=1e-4)
    assert found["max_thickness_at"] == pytest.approx(leading, abs=1e-3)
    assert found["area"] == pytest.approx(area, abs=4e-3)
    # A straight edge on one side touches both circles: as long as they and what is between reach along it.
    assert found["chord_tangent"] == pytest.approx(side + leading + trailing, abs=1e-4)
    for d in (leading, leading + 0.3 * long):  # square to the line at a distance from the edge
        wanted = 2 * (leading - (d - leading) * slant) / np.sin(half) if d > leading else 2 * leading
        assert thickness_at(blade, d) == pytest.approx(wanted, abs=1e-2 if d == leading else 1e-4)
    assert np.isnan(thickness_at(blade, 2 * long + 10))


@pytest.mark.parametrize("code", ["0012", "2412", "4415", "6508"])
def test_public_sections_have_their_thickness_radius_and_chord(code):
    points, thick = naca(code)
    found = values_of(blade_of(Profile.through(points), X))
    t = int(code[2:]) / 100
    assert found["max_thickness"] == pytest.approx(thick, abs=1e-4)
    if code == "0012":
        assert found["leading_tip_radius"] == pytest.approx(1.1019 * t**2 * 100, abs=1e-3)
        assert found["max_thickness_at"] == pytest.approx(30.0, abs=0.1)
        assert found["chord_angle"] == pytest.approx(0.0, abs=1e-6)
        assert found["chord_mean_line"] == pytest.approx(100, abs=1e-4)
    assert found["trailing_radius"] == 0.0  # sharp
    assert (found["trailing_x"], found["trailing_y"]) == pytest.approx((100, 0), abs=1e-6)
    assert found["axial_chord"] == pytest.approx(float(np.ptp(points[:, 0])), abs=1e-4)
    # By definition: the whole of it along a straight edge on the pressure side.
    if not np.isnan(found["chord_tangent"]):
        blade = blade_of(Profile.through(points), X)
        a, b = blade.tangent
        out = np.array([-(b - a)[1], (b - a)[0]]) * blade.pressure / np.linalg.norm(b - a)
        assert ((points - a) @ out).max() < 1e-6
        along = (b - a) / np.linalg.norm(b - a)
        assert found["chord_tangent"] == pytest.approx(float(np.ptp(points @ along)), abs=1e-4)


def test_angle_and_places_turn_with_the_section_and_lengths_do_not():
    base = values_of(blade_of(Profile.through(bent(50.0, 1.2, 3.0)), X))
    for seed in range(4):
        points, back = posed(bent(50.0, 1.2, 3.0), seed)
        way = back(np.array([[1.0, 0.0]])) - back(np.array([[0.0, 0.0]]))
        found = values_of(blade_of(Profile.through(points), X))
        for name in ("chord_mean_line", "chord_tangent", "leading_radius", "max_thickness", "area"):
            assert found[name] == pytest.approx(base[name], abs=1e-4)
        turned = np.arctan2(way[0, 1], way[0, 0])  # from the axis as it was to as it is, the other way round
        off = found["chord_angle"] + turned - base["chord_angle"]
        # Both of its edges are alike: which is said to lead may change.
        assert min(abs(np.mod(off + k + 1, 2 * np.pi) - 1) for k in (0, np.pi)) < 1e-5


def test_the_pressure_side_is_the_hollow_one_and_directions_can_be_given():
    points = bent(50.0, 1.2, 3.0)  # about the origin: hollow towards it
    blade = blade_of(Profile.through(points))
    middle = (blade.line.leading + blade.line.trailing) / 2
    left = np.array([-blade.along[1], blade.along[0]])
    assert (left @ -middle > 0) == (blade.pressure > 0)
    assert blade.tangent is not None
    other = blade_of(Profile.through(points), Ways(leading=-blade.along * -1, pressure=-left))
    assert other.along @ blade.along == pytest.approx(-1.0)
    given = blade_of(Profile.through(points), Ways(leading=-blade.along, pressure=left))
    assert (given.along @ blade.along, given.pressure) == (pytest.approx(1.0), 1)


def left_over(points, center, way, x):
    """The squares that the best radius about a centre moved along a way leaves."""
    return np.var(np.linalg.norm(points - center - x * way, axis=1)) * len(points)


def test_circles_of_edges_are_the_best_ones():
    rng = np.random.default_rng(0)
    for _ in range(5):
        a = rng.uniform(0, 2.0, 80)
        points = [3.0, -7.0] + (2.0 + rng.normal(0, 0.05, 80))[:, None] * np.column_stack([np.cos(a), np.sin(a)])
        center, radius = circle_through(points)
        far = np.linalg.norm(points - center, axis=1)
        least = np.sum((far - radius) ** 2)
        for way in rng.normal(size=(20, 2)):
            found = minimize_scalar(partial(left_over, points, center, way))
            assert least <= found.fun * (1 + 1e-9)
    points = two_circles(40, 3.0, 0.5)
    for share in (0.2, 0.5, 0.9):
        blade = blade_of(Profile.through(points), X, Construction(share, share))
        assert blade.leading.radius == pytest.approx(3.0, abs=1e-5)
        assert blade.leading.end - blade.leading.begin == pytest.approx(3.0 * share * np.pi, rel=1e-3)


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize(("along", "across"), [(3.0, 1.5), (1.2, 1.2), (0.8, 1.4)])
def test_edges_that_are_ellipses_have_their_half_axes(along, across, seed):
    """A straight strip, as wide as its elliptical ends."""
    t = np.linspace(-np.pi / 2, np.pi / 2, 160)
    end = np.column_stack([along * np.cos(t), across * np.sin(t)])
    side = np.column_stack([np.linspace(0, 30, 200)[1:-1], np.full(198, across)])
    points, _ = posed(np.vstack([end + np.array([30.0, 0.0]), side[::-1], -end, side * [1, -1]]), seed)
    blade = blade_of(Profile.through(points))
    found = values_of(blade)
    for name in ("leading", "trailing"):
        assert found[f"{name}_ellipse_along"] == pytest.approx(along, abs=2e-3)
        assert found[f"{name}_ellipse_across"] == pytest.approx(across, abs=1e-3)
    assert found["chord_mean_line"] == pytest.approx(30 + 2 * along, abs=1e-4)
    assert found["max_thickness"] == pytest.approx(2 * across, abs=1e-4)


def test_what_is_no_edge_and_no_section_is_said():
    profile = Profile.through(two_circles(40, 3.0, 0.5))
    with pytest.raises(EvaluationError, match="does not turn far enough"):
        edge_at(profile, float(profile.knots[np.argmin(np.abs(profile.at(profile.knots)[:, 0] - 20))]))
    assert extent_along(profile, np.array([0.0, 1.0])) == pytest.approx(6.0, abs=1e-5)
    a = np.linspace(0, 2 * np.pi, 200, endpoint=False)
    with pytest.raises(EvaluationError, match="nearly as thick as long"):
        blade_of(Profile.through(np.column_stack([np.cos(a), np.sin(a)])))
