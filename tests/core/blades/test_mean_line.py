"""Mean lines of sections whose mean line is known, in any pose, order and direction of their points."""

import numpy as np
import pytest

from truegauge.core.blades.mean_line import mean_line
from truegauge.core.blades.profile import Profile
from truegauge.core.errors import EvaluationError


def arc(center, radius, start, end, step):
    a = np.linspace(start, end, max(12, int(abs(end - start) * radius / step)))
    return np.asarray(center) + radius * np.column_stack([np.cos(a), np.sin(a)])


def line(a, b, step):
    t = np.linspace(0, 1, max(3, int(np.linalg.norm(b - a) / step)))[1:-1, None]
    return a + (b - a) * t


def two_circles(long, leading, trailing, step=0.05):
    """Two circles on a straight line, and their tangents."""
    half = np.pi / 2 - np.arcsin((leading - trailing) / long)
    right = arc((long, 0), trailing, -half, half, step)
    left = arc((0, 0), leading, half, 2 * np.pi - half, step)
    return np.vstack([right, line(right[-1], left[0], step), left, line(left[-1], right[0], step)])


def bent(radius, turn, thick, step=0.05):
    """As thick everywhere, round at its ends, along an arc of a radius about the origin from angle 0 to `turn`."""
    r = thick / 2
    first, last = radius * np.array([1.0, 0.0]), radius * np.array([np.cos(turn), np.sin(turn)])
    return np.vstack([
        arc((0, 0), radius + r, 0, turn, step), arc(last, r, turn, turn + np.pi, step)[1:-1],
        arc((0, 0), radius - r, turn, 0, step), arc(first, r, np.pi, 2 * np.pi, step)[1:-1],
    ])  # fmt: skip


def naca(code, count=1500):
    """The public four-digit sections, 100 long, with a closed trailing edge."""
    m, p, t = int(code[0]) / 100, int(code[1]) / 10, int(code[2:]) / 100
    x = (1 - np.cos(np.linspace(0, np.pi, count))) / 2
    half = 5 * t * (0.2969 * np.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 - 0.1036 * x**4)
    y, slope = np.zeros(count), np.zeros(count)
    if m:
        ahead = x < p
        y = np.where(ahead, m / p**2 * (2 * p * x - x**2), m / (1 - p) ** 2 * (1 - 2 * p + 2 * p * x - x**2))
        slope = np.where(ahead, 2 * m / p**2 * (p - x), 2 * m / (1 - p) ** 2 * (p - x))
    a = np.arctan(slope)
    upper = np.column_stack([x - half * np.sin(a), y + half * np.cos(a)])
    lower = np.column_stack([x + half * np.sin(a), y - half * np.cos(a)])
    return 100 * np.vstack([upper[::-1], lower[1:-1]]), 200 * half.max()


def posed(points, seed):
    """Return points turned, shifted, begun somewhere else and maybe backwards; and how to bring places back."""
    rng = np.random.default_rng(seed)
    a = rng.uniform(0, 2 * np.pi)
    turn, shift = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]]), rng.uniform(-300, 300, 2)
    made = np.roll(points @ turn.T + shift, int(rng.integers(len(points))), axis=0)
    return made[:: int(rng.choice([1, -1]))], lambda places: (places - shift) @ turn


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
    assert np.abs(centers[:, 1]).max() < 1e-5
    wanted = leading - (leading - trailing) * centers[:, 0] / long
    inside = (centers[:, 0] > 0.3) & (centers[:, 0] < long - 0.3)
    # The tangents: as far from a centre as the circles there say.
    slant = np.sqrt(1 - ((leading - trailing) / long) ** 2)
    assert np.allclose(found.circles.radius[inside], wanted[inside], atol=2e-4)
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
