"""Mean lines of sections whose mean line is known, in any pose, order and direction of their points."""

import numpy as np
import pytest
from tests.core.blades.shapes import arc, bent, naca, posed, two_circles

from truegauge.core.blades.mean_line import mean_line
from truegauge.core.blades.profile import Profile
from truegauge.core.errors import EvaluationError


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize(
    ("long", "leading", "trailing"), [(40, 3.0, 0.5), (60, 1.5, 1.0), (30, 0.8, 0.2), (25, 2.0, 2.0)]
)
def test_two_circles_and_their_tangents(long, leading, trailing, seed):
    points, back = posed(two_circles(long, leading, trailing), seed)
    found = mean_line(Profile.through(points))
    assert found.chord == pytest.approx(long + leading + trailing, abs=1e-4)
    ends = sorted([tuple(np.round(back(found.leading), 4)), tuple(np.round(back(found.trailing), 4))])
    assert np.allclose(ends, [(-leading, 0), (long + trailing, 0)], atol=2e-4)
    if leading > trailing:  # the thicker edge leads
        assert np.allclose(back(found.leading), [-leading, 0], atol=1e-4)
    centers = back(found.circles.center)
    assert np.abs(centers[:, 1]).max() < 4e-5
    wanted = leading - (leading - trailing) * centers[:, 0] / long
    inside = (centers[:, 0] > 0.3) & (centers[:, 0] < long - 0.3)
    # The tangents: as far from a centre as the circles there say.
    slant = np.sqrt(1 - ((leading - trailing) / long) ** 2)
    assert np.allclose(found.circles.radius[inside], wanted[inside], atol=2e-5)
    assert slant > 0.9


@pytest.mark.parametrize("turn", [0.4, 1.2, 2.5])
def test_as_thick_everywhere_along_an_arc(turn):
    points, back = posed(bent(50.0, turn, 3.0), 5)
    found = mean_line(Profile.through(points))
    centers = back(found.circles.center)
    angle = np.arctan2(centers[:, 1], centers[:, 0])
    assert np.allclose(np.linalg.norm(centers, axis=1), 50.0, atol=1e-4)
    assert np.allclose(found.circles.radius, 1.5, atol=2e-4)
    assert (angle.min(), angle.max()) == pytest.approx((0.0, turn), abs=1e-3)
    # Straight on at both ends, to the middle of each round edge.
    first, last = (
        np.array([50.0, -1.5]),
        50 * np.array([np.cos(turn), np.sin(turn)]) + 1.5 * np.array([-np.sin(turn), np.cos(turn)]),
    )
    assert found.chord == pytest.approx(float(np.linalg.norm(last - first)), abs=1e-3)


@pytest.mark.parametrize("code", ["0012", "0006", "2412", "4415", "6508"])
def test_public_sections(code):
    points, thick = naca(code)
    turned, back = posed(points, 7)
    found = mean_line(Profile.through(turned))
    # Half the thickness is laid square to the camber: where that is largest the circle touches there.
    assert 2 * found.circles.radius.max() == pytest.approx(thick, abs=2e-3)
    assert np.allclose(back(found.trailing), [100, 0], atol=1e-3)
    if code.startswith("0"):
        assert found.chord == pytest.approx(100, abs=1e-4)
        assert np.abs(back(found.circles.center)[:, 1]).max() < 1e-5
    for k in range(0, len(found.circles.radius), 9):  # inside, and touching: by brute force
        off = np.linalg.norm(turned - found.circles.center[k], axis=1).min() - found.circles.radius[k]
        assert -1e-4 < off < 2e-3


def test_the_leading_edge_is_where_it_is_said_to_be():
    points = two_circles(40, 3.0, 0.5)
    profile = Profile.through(points)
    by_itself, given = mean_line(profile), mean_line(profile, np.array([1.0, 0.0]))
    assert np.allclose(by_itself.leading, given.trailing)
    assert np.allclose(given.leading, [40.5, 0], atol=1e-4)
    assert np.allclose(profile.at(np.array([given.leading_s]))[0], given.leading)
    assert given.circles.radius[0] < given.circles.radius[-1]


def test_area_centroid_and_length():
    profile = Profile.through(two_circles(40, 3.0, 0.5))
    half = np.pi / 2 - np.arcsin(2.5 / 40)
    side = np.sqrt(40**2 - 2.5**2)
    area = half * 0.25 + (np.pi - half) * 9.0 + side * (3.0 + 0.5)
    found, middle = profile.area_and_centroid()
    assert found == pytest.approx(area, abs=2e-3)
    assert middle[1] == pytest.approx(0, abs=1e-9)
    round_ = Profile.through(arc((3, 4), 5, 0, 2 * np.pi, 0.1)[:-1])
    found, middle = round_.area_and_centroid()
    assert found == pytest.approx(25 * np.pi, abs=1e-5)
    assert np.allclose(middle, [3, 4])
    assert np.allclose(round_.curvature(round_.knots), 0.2, atol=1e-5)


@pytest.mark.parametrize(("points", "words"), [
    (arc((0, 0), 5, 0, 2 * np.pi, 0.1)[:-1], "nearly as thick as long"),
    (two_circles(40, 3.0, 0.5)[:-300], "the section is open"),
    (two_circles(40, 3.0, 0.5)[::400], "too few"),
    (np.column_stack([20 * np.sin(t := np.linspace(0, 2 * np.pi, 400)[:-1]), 5 * np.sin(2 * t)]), "crosses itself"),
    (np.zeros((100, 2)), "too few"),
])  # fmt: skip
def test_what_is_no_section_is_said_to_be_none(points, words):
    with pytest.raises(EvaluationError, match=words):
        mean_line(Profile.through(points))
