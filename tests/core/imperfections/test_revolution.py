"""Surfaces of revolution: axis and dents as they were made, whatever the profile, the pose, and how much is there."""

import numpy as np
import pytest
from scipy.spatial.transform import Rotation

from truegauge.core.errors import EvaluationError
from truegauge.core.imperfections.cells import put_into_cells
from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.reference import Kind, Reference
from truegauge.core.imperfections.revolution import axis_of, profile_of
from truegauge.core.imperfections.search import find_imperfections

LONG = 200.0
PROFILES = {
    "vase": (lambda z: 50 + 12 * np.sin(2 * np.pi * z / LONG) + 0.05 * z,
             lambda z: 24 * np.pi / LONG * np.cos(2 * np.pi * z / LONG) + 0.05),
    "bell": (lambda z: 30 + 60 * (z / LONG) ** 2, lambda z: 120 * z / LONG**2),
    "cone": (lambda z: 20 + 0.4 * z, lambda z: 0.4 + 0 * z),
    "tube": (lambda z: 40 + 0 * z, lambda z: 0 * z),
    "ball": (lambda z: np.sqrt(110**2 - (z - 100) ** 2), lambda z: -(z - 100) / np.sqrt(110**2 - (z - 100) ** 2)),
}  # fmt: skip
DENTS = ((1.0, 100.0, -0.5, 6.0), (2.2, 60.0, 0.4, 5.0), (2.0, 150.0, -0.3, 7.0))  # angle, along, depth, size


def body(seed, name, *, arc=2 * np.pi, noise=0.01, count=60_000, normals=True, inside=False):
    """Return points, normals, axis (a point, its direction) and the true deepest places."""
    radius, slope = PROFILES[name]
    rng = np.random.default_rng(seed)
    z, a = rng.uniform(0, LONG, count), rng.uniform(0, arc, count)
    out = np.column_stack([np.cos(a), np.sin(a), -slope(z)])
    out /= np.linalg.norm(out, axis=1, keepdims=True)

    def on(angle, along):
        return np.column_stack([radius(along) * np.cos(angle), radius(along) * np.sin(angle), along])

    places = on(np.array([d[0] for d in DENTS]), np.array([d[1] for d in DENTS]))
    points = on(a, z)
    off = rng.normal(0, noise, count)
    for place, (_, _, depth, size) in zip(places, DENTS, strict=True):
        off += depth * np.exp(-np.square(points - place).sum(axis=1) / size**2)
    points = points + off[:, None] * out
    turn, shift = Rotation.random(random_state=seed).as_matrix(), rng.uniform(-500, 500, 3)
    out = (-out if inside else out) @ turn.T
    return points @ turn.T + shift, out if normals else None, (shift, turn[:, 2]), places @ turn.T + shift


@pytest.mark.parametrize("name", ["vase", "bell", "cone", "tube"])
@pytest.mark.parametrize(("arc", "normals"), [(2 * np.pi, True), (2 * np.pi, False), (2.6, False)])
def test_axis_and_dents_are_as_they_were_made(name, arc, normals):
    points, ways, (point, direction), places = body(7, name, arc=arc, normals=normals)
    origin, found = axis_of(points, ways)
    assert np.degrees(np.arccos(min(1.0, abs(found @ direction)))) < 0.03
    across = (origin - point) - ((origin - point) @ direction) * direction
    assert np.linalg.norm(across) < 0.06
    made = find_imperfections(points, ways, Reference(Kind.REVOLUTION, 0.0), Finding(0.12))
    sizes = sorted((d[2] for d in DENTS), key=lambda d: -abs(d))
    assert [i.depth for i in made.imperfections] == pytest.approx(sizes, abs=0.03)
    for one, place in zip(made.imperfections, places, strict=True):
        assert np.linalg.norm(np.array(one.deepest) - place) < 0.9


def test_from_inside_what_goes_in_is_negative():
    points, ways, _, _ = body(3, "vase", inside=True)
    made = find_imperfections(points, ways, Reference(Kind.REVOLUTION, 0.0), Finding(0.12))
    assert [round(i.depth, 1) for i in made.imperfections] == [0.5, -0.4, 0.3]


@pytest.mark.parametrize("normals", [True, False])
def test_a_ball_has_no_axis(normals):
    points, ways, _, _ = body(5, "ball", normals=normals)
    with pytest.raises(EvaluationError, match="several axes"):
        axis_of(points, ways)


def test_a_disc_lies_flat_to_its_axis():
    rng = np.random.default_rng(2)
    radius, angle = 20 + 80 * np.sqrt(rng.random(20_000)), rng.uniform(0, 2 * np.pi, 20_000)
    points = np.column_stack([radius * np.cos(angle), radius * np.sin(angle), 2e-4 * radius**2])
    ways = np.column_stack([-4e-4 * radius * np.cos(angle), -4e-4 * radius * np.sin(angle), np.ones(len(radius))])
    with pytest.raises(EvaluationError, match=r"flat to its axis|several axes"):
        axis_of(points, ways / np.linalg.norm(ways, axis=1, keepdims=True))


@pytest.mark.parametrize("wavelength", [20.0, 60.0])
def test_along_the_axis_half_of_a_wave_is_followed(wavelength):
    """As by a smooth surface: a wave of the given length by half, longer ones wholly, shorter ones not."""
    rng = np.random.default_rng(1)
    u, v = rng.uniform(0, 120, 60_000), rng.uniform(0, 400, 60_000)
    for share, wanted in ((1.0, 0.5), (4.0, 1.0), (0.4, 0.0)):
        k = 2 * np.pi / (share * wavelength)
        cells = put_into_cells(np.column_stack([u, v, np.sin(k * v)]), 1.5)
        at = np.linspace(100, 300, 400)
        z, slope = profile_of(cells, wavelength).heights(np.column_stack([np.full(400, 60.0), at]))
        seen = float(z @ np.sin(k * at) / (np.sin(k * at) @ np.sin(k * at)))
        assert seen == pytest.approx(wanted, abs=0.06)
        assert np.allclose(slope[1:-1, 1], np.gradient(z, at)[1:-1], atol=0.02 + 0.02 * np.abs(slope).max())
        assert not slope[:, 0].any()


def test_the_stated_spread_of_a_profile_is_that_of_repeated_ones():
    rng = np.random.default_rng(4)
    u, v = rng.uniform(0, 80, 20_000), rng.uniform(0, 100, 20_000)
    for wavelength in (0.0, 30.0):
        at = np.column_stack([np.full(40, 40.0), np.linspace(5, 95, 40)])
        made, told = [], None
        for _ in range(40):
            cells = put_into_cells(np.column_stack([u, v, rng.normal(0, 0.1, len(u))]), 2.0)
            profile = profile_of(cells, wavelength)
            made.append(profile.heights(at)[0])
            told = profile.spread(at) * 0.1 * np.sqrt(80 * 100 / len(u))
        assert float(np.std(made, axis=0).mean()) == pytest.approx(float(told.mean()), rel=0.25)


@pytest.mark.parametrize("wavelength", [0.0, 30.0])
def test_a_gap_along_the_axis_is_no_ring(wavelength):
    """Waves go on as long beyond it: a straight tube with a piece missing is straight."""
    rng = np.random.default_rng(6)
    z = np.concatenate([rng.uniform(0, 70, 25_000), rng.uniform(130, 200, 25_000)])
    a = rng.uniform(0, 2 * np.pi, len(z))
    out = np.column_stack([np.cos(a), np.sin(a), np.zeros(len(a))])
    radius = 30 + 0.1 * z + 0.3 * np.sin(2 * np.pi * z / 200) + rng.normal(0, 0.01, len(z))
    made = find_imperfections(out * radius[:, None] + z[:, None] * [0, 0, 1.0], None,
                              Reference(Kind.REVOLUTION, wavelength), Finding(0.08))  # fmt: skip
    assert made.imperfections == ()
    assert made.quality.rms == pytest.approx(0.01, rel=0.1)


@pytest.mark.parametrize("points", [np.zeros((500, 3)), np.linspace(0, 1, 500)[:, None] * [1.0, 2.0, 3.0]])
@pytest.mark.parametrize("kind", [Kind.REVOLUTION, Kind.CYLINDER])
def test_points_in_one_place_and_on_a_line_are_said_to_be(points, kind):
    with pytest.raises(EvaluationError, match="line"):
        find_imperfections(points, None, Reference(kind, 0.0))
