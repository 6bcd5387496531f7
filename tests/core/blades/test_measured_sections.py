"""Sections with noise and errors: found within what is stated, over many repetitions; and what cannot be told."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.spatial import KDTree
from tests.core.blades.shapes import two_circles

from truegauge.core.blades.asked import Asked
from truegauge.core.blades.covering import gaps_of
from truegauge.core.blades.measured_profile import measured_profile
from truegauge.core.blades.over_height import over_height
from truegauge.core.blades.parameters import blade_of
from truegauge.core.blades.profile import Profile
from truegauge.core.blades.scatter import scatter_of
from truegauge.core.blades.section_fit import Freedom
from truegauge.core.blades.sections import judged
from truegauge.core.blades.waviness import waviness_of
from truegauge.core.blades.zone_deviations import deviations_of
from truegauge.core.blades.zones import ZONES, zone_of
from truegauge.demo.vane import VaneErrors, designed

NAMES = ("chord_mean_line", "chord_angle", "leading_radius", "trailing_radius", "max_thickness", "leading_x",
         "leading_y", "trailing_x", "trailing_y")  # fmt: skip


def section(nominal, points, height=60.0, **more):
    asked = Asked((height,), **more)
    plane = asked.plane(height)
    found = judged(blade_of(Profile.through(nominal), asked.ways(plane)), points, height, plane, asked)
    return replace(found, uncertainties=scatter_of(found, asked))


def noisy(curve, rng, count=2000, noise=0.01):
    made = Profile.through(curve)
    return made.at(rng.uniform(0, made.length, count)) + rng.normal(0, noise, (count, 2))


def test_errors_are_found_within_what_is_stated():
    nominal, made = designed(60.0).around(300, 50), VaneErrors(wave=0.0).made(60.0)
    true, inside, shares = made.values(), 0, {name: [] for name in NAMES}
    for seed in range(14):
        found = section(nominal, noisy(made.around(400, 60), np.random.default_rng(seed)), 60.0 + seed / 100)
        assert found.problem == ""
        assert found.noise == pytest.approx(0.01, rel=0.1)
        for name in NAMES:
            off, u = found.values[name] - true[name], found.uncertainties[name]
            shares[name].append(off / u)
            inside += abs(off) <= 2 * u
    assert inside >= 0.9 * 14 * len(NAMES)
    for name in NAMES:  # neither too small nor much too large
        assert 0.35 < np.sqrt(np.mean(np.square(shares[name]))) < 1.7


def test_without_noise_a_changed_section_is_what_it_was_made_of():
    made = designed(60.0)
    found = section(designed(61.0).around(300, 50), noisy(made.around(500, 80), np.random.default_rng(0), 3000, 1e-6))
    for name, value in made.values().items():
        assert found.values[name] == pytest.approx(value, abs=2e-3)
    assert found.noise < 2e-4


def test_the_fit_tells_the_twist_and_leaves_the_values_where_they_are():
    errors = VaneErrors(0.01, 0.3, 0.0, 0.0, 0.0, 0.0, 0.0)  # turned and shifted, nothing else
    made, nominal = errors.made(60.0), designed(60.0).around(300, 50)
    points = noisy(made.around(400, 60), np.random.default_rng(2), noise=0.004)
    found = section(nominal, points)
    assert found.fit.turn == pytest.approx(-0.006, abs=1e-4)
    assert found.values["chord_angle"] == pytest.approx(made.values()["chord_angle"], abs=4e-4)
    assert found.values["leading_x"] == pytest.approx(made.values()["leading_x"], abs=0.006)
    before, after = found.before["all"], found.after["all"]
    assert after.rms < 0.004 < before.rms
    # Extremes are those of the section, not of its noise.
    assert after.highest - after.lowest < 0.012
    none = section(nominal, points, freedom=Freedom(np.zeros((0, 2)), turns=False))
    assert (none.fit.turn, none.after["all"].rms) == (0.0, pytest.approx(none.before["all"].rms, rel=0.02))


def test_an_angle_near_half_a_turn_is_as_sure_as_any():
    """Between -180 and 180 degrees nothing lies: repetitions on both sides of it are beside each other."""
    made = designed(60.0)
    nominal, points = made.around(300, 50), noisy(made.around(400, 60), np.random.default_rng(0))
    a = np.pi - made.values()["chord_angle"]
    turn = np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]])
    usual, half = section(nominal, points), section(nominal @ turn, points @ turn)
    assert abs(half.values["chord_angle"]) == pytest.approx(np.pi, abs=2e-3)
    assert half.uncertainties["chord_angle"] == pytest.approx(usual.uncertainties["chord_angle"], rel=0.5)


def test_strays_count_for_nothing():
    made, rng = designed(60.0), np.random.default_rng(1)
    points = noisy(made.around(400, 60), rng, noise=0.005)
    strays = points[rng.choice(len(points), 60, replace=False)] + rng.uniform(-1.5, 1.5, (60, 2))
    plain, with_them = (section(made.around(300, 50), p) for p in (points, np.vstack([points, strays])))
    for name in NAMES:
        assert with_them.values[name] == pytest.approx(plain.values[name], abs=0.006)


def test_a_gap_at_an_edge_is_said_and_what_needs_it_is_not_told():
    made = designed(60.0)
    points = noisy(made.around(400, 60), np.random.default_rng(4))
    trailing = np.array([made.values()["trailing_x"], made.values()["trailing_y"]])
    found = section(made.around(300, 50), points[np.linalg.norm(points - trailing, axis=1) > 1.0])
    assert np.isnan(found.values["trailing_radius"])
    assert np.isnan(found.values["chord_mean_line"])
    assert "there are no points at the trailing edge" in found.notes
    assert found.values["leading_radius"] == pytest.approx(made.lead, abs=0.03)
    assert found.values["max_thickness"] == pytest.approx(2 * made.thick, abs=0.01)


@pytest.mark.parametrize("seed", range(3))
def test_gaps_are_where_points_were_taken_away(seed):
    rng = np.random.default_rng(seed)
    nominal = Profile.through(designed(50.0).around(300, 50))
    s = rng.uniform(0, nominal.length, 1500)
    assert gaps_of(nominal, s) == []
    low, wide = rng.uniform(0, nominal.length), rng.uniform(3.0, 9.0)
    ((first, last),) = gaps_of(nominal, s[np.mod(s - low, nominal.length) > wide])
    assert np.mod(low - first, nominal.length) < 0.4
    assert np.mod(last - low - wide, nominal.length) < 0.4


def test_few_points_are_a_problem_in_words():
    made = designed(60.0)
    found = section(made.around(300, 50), noisy(made.around(400, 60), np.random.default_rng(0), 20))
    assert "there are 20 points" in found.problem
    assert found.values == {}
    assert found.nominal_values["leading_radius"] == pytest.approx(made.lead, abs=1e-4)


def test_deviations_along_a_section_are_those_that_were_put_there():
    nominal = Profile.through(two_circles(40, 3.0, 0.5))
    rng = np.random.default_rng(3)
    s = rng.uniform(0, nominal.length, 3000)
    true = 0.05 * np.sin(2 * np.pi * s / nominal.length * 6)
    found = measured_profile(nominal, s, true + rng.normal(0, 0.01, len(s)))
    off = found.deviation(s) - true
    assert np.sqrt(np.mean(off**2)) < 0.003
    assert found.noise == pytest.approx(0.01, rel=0.06)
    spread = np.std([found.deviation(s[:200], found.another(rng)) for _ in range(40)], axis=0)
    assert 0.6 < np.sqrt(np.mean(off[:200] ** 2)) / np.sqrt(np.mean(spread**2)) < 1.5


def test_deviations_are_told_by_zone_and_a_gap_changes_none_of_the_others():
    made = designed(60.0)
    blade = blade_of(Profile.through(made.around(300, 50)))
    profile, rng = blade.profile, np.random.default_rng(0)
    s = rng.uniform(0, profile.length, 6000)
    zone = zone_of(blade, s)
    place = profile.at(s)
    # By what they are: places of edges lie near their middles, the pressure side towards the hollow.
    for number, edge in enumerate((blade.leading, blade.trailing)):
        assert np.linalg.norm(place[zone == number] - edge.center, axis=1) == pytest.approx(edge.radius, abs=2e-3)
    hollow = blade.pressure * np.array([-blade.along[1], blade.along[0]])
    c, _ = made.mean(np.linspace(0, 1, 400))
    nearest = c[np.argmin(np.linalg.norm(place[:, None] - c[None], axis=2), axis=1)]
    sides = zone >= 2
    assert np.array_equal(((place - nearest) @ hollow > 0)[sides], (zone == 2)[sides])
    values = np.array([0.02, -0.03, 0.01, 0.04])  # a step between zones: the spline follows it within some tenths
    found = deviations_of(measured_profile(profile, s, values[zone]), blade, [])
    for number, name in enumerate(ZONES):
        assert found[name].mean == pytest.approx(values[number], abs=6e-3)
    shares = np.array([np.mean(zone == k) for k in range(4)])
    assert found["all"].mean == pytest.approx(float(shares @ values), abs=2e-3)
    low = profile.length * 0.2
    rest = deviations_of(measured_profile(profile, s, values[zone]), blade, [(low, low + 3.0)])
    there = np.mod(s - low, profile.length) > 3.0
    assert rest["all"].mean == pytest.approx(values[zone][there].mean(), abs=2e-3)


def test_thickness_beside_the_edges_is_that_of_the_circles_there():
    made = designed(60.0)
    found = section(made.around(300, 50), noisy(made.around(400, 60), np.random.default_rng(0)),
                    edge_distances=(1.5, 4.0))  # fmt: skip
    for name, end in (("leading", 0.0), ("trailing", 1.0)):
        for distance in (1.5, 4.0):
            own = getattr(made, "lead" if name == "leading" else "trail")
            u = np.array([abs(end - (distance - own) / made.arc)])
            radius, slope = made.radius(u)
            # Square to the line at the centre of a circle: a little wider than it where the sides spread.
            wanted = 2 * radius[0] / np.sqrt(1 - slope[0] ** 2)
            key = f"{name}_thickness_{distance:g}"
            assert found.nominal_values[key] == pytest.approx(wanted, abs=0.012)
            assert found.values[key] == pytest.approx(found.nominal_values[key], abs=4 * found.uncertainties[key])
            assert 0 < found.uncertainties[key] < 0.02


@pytest.mark.parametrize(("period", "share"), [(3.0, 1.0), (6.0, 0.97), (10.0, 0.5), (40.0, 0.0)])
def test_waviness_is_what_is_shorter_than_the_wavelength(period, share):
    """Waves all around, in whole numbers, through a filter of 10 mm: as the standard's transmission says."""
    blade = blade_of(Profile.through(designed(60.0).around(300, 50)))
    profile, rng = blade.profile, np.random.default_rng(0)
    period = profile.length / round(profile.length / period)
    s = rng.uniform(0, profile.length, 8000)
    d = 0.01 * np.sin(2 * np.pi * s / period) + rng.normal(0, 1e-4, len(s))
    share = 1.0 - 0.5 ** ((10.0 / period) ** 2) if period > 2.5 else share
    found = waviness_of(measured_profile(profile, s, d), blade, 10.0)
    for side in ("pressure", "suction"):
        assert found[f"waviness_{side}"] == pytest.approx(0.02 * share, abs=8e-4)
    s = s[np.mod(s, profile.length) < profile.length]
    one = np.where(zone_of(blade, s) == ZONES.index("suction"), 0.01 * np.sin(2 * np.pi * s / 3.0), 0.0)
    only = waviness_of(measured_profile(profile, s, one), blade, 10.0)
    assert only["waviness_suction"] > 3 * only["waviness_pressure"]


def test_the_wave_on_the_suction_side_is_found_within_what_is_stated():
    made = VaneErrors(0.004, 0.1, 0.0, 0.0, 0.0, 0.0, 0.012).made(50.0)
    x = np.linspace(0, made.arc, 4001)
    wave = 0.012 * np.sin(2 * np.pi * x / 6.0) * np.exp(-(((x / made.arc - 0.55) / 0.12) ** 2))
    # What a Gaussian of 12 mm leaves of it, by its definition.
    weights = np.exp(-np.pi * np.square((x[:, None] - x) / (0.4697 * 12.0)))
    true = float(np.ptp(wave - weights @ wave / weights.sum(axis=1)))
    assert true > 0.012
    for seed in range(3):
        points = noisy(made.around(400, 60), np.random.default_rng(seed), 2500, 0.006)
        found = section(designed(50.0).around(300, 50), points, 50.0, wavelength=12.0)
        told, u = found.values["waviness_suction"], found.uncertainties["waviness_suction"]
        assert told == pytest.approx(true, abs=2.5 * u)
        assert 0 < u < 0.008
        assert found.nominal_values["waviness_suction"] == 0.0
        assert found.values["waviness_pressure"] < 0.8 * told


def test_twist_lean_and_bow_over_the_height():
    errors = VaneErrors(0.01, 0.3, 0.1, 0.0, 0.0, 0.0, 0.0)
    results = []
    for k, z in enumerate(np.linspace(10, 90, 9)):
        points = noisy(errors.made(z).around(400, 60), np.random.default_rng(k), noise=0.003)
        results.append(section(designed(z).around(300, 50), points, float(z)))
    whole = over_height(results)
    assert whole.twist == pytest.approx(0.01 * whole.heights / 100, abs=4e-4)
    # Turning about the stacking axis moves a centroid that lies beside it, too.
    turned = []
    for z in whole.heights:
        _, at = Profile.through(designed(z).around(300, 50)).area_and_centroid()
        a = 0.01 * z / 100
        turned.append([np.cos(a) * at[0] - np.sin(a) * at[1] - at[0], np.sin(a) * at[0] + np.cos(a) * at[1] - at[1]])
    off = np.array(turned) + np.column_stack(
        [0.003 * whole.heights, 0.4 * whole.heights / 100 * (1 - whole.heights / 100)]
    )
    assert whole.off == pytest.approx(off, abs=3e-3)
    line = np.polyfit(whole.heights, off, 1)
    assert whole.lean == pytest.approx(line[0], abs=5e-5)
    assert whole.bow == pytest.approx(off - (whole.heights[:, None] * line[0] + line[1]), abs=4e-3)
    assert np.isnan(over_height(results[:2]).lean).all()


@pytest.mark.parametrize("seed", range(4))
def test_deviations_of_a_noisy_section_are_those_between_the_shapes_by_brute_force(seed):
    """Every place of the made shape to the nearest of many of its nominal; in or out by crossings of a ray."""
    rng = np.random.default_rng(seed)
    errors = VaneErrors(*rng.uniform(-1, 1, 3) * [0.008, 0.1, 0.05], *rng.uniform(0, 0.06, 2), rng.uniform(0, 0.1), 0.0)
    height = float(rng.uniform(20, 90))
    nominal = designed(height).around(3000, 600)
    made = errors.made(height).around(1200, 200)
    found = section(designed(height).around(300, 50), noisy(made, rng, 2500), height)
    away = KDTree(nominal).query(made)[0]
    a, b = nominal, np.roll(nominal, -1, axis=0)
    off = np.array([(d if not _inside(p, a, b) else -d) for p, d in zip(made, away, strict=True)])
    told = found.before["all"]
    assert told.highest == pytest.approx(off.max(), abs=0.006)
    assert told.lowest == pytest.approx(off.min(), abs=0.006)
    lengths = np.linalg.norm(np.roll(made, -1, axis=0) - np.roll(made, 1, axis=0), axis=1)
    assert told.mean == pytest.approx(np.average(off, weights=lengths), abs=0.003)
    assert told.rms == pytest.approx(np.sqrt(np.average(off**2, weights=lengths)), abs=0.003)


def _inside(p, a, b):
    crosses = (a[:, 1] > p[1]) != (b[:, 1] > p[1])
    at = a[crosses, 0] + (p[1] - a[crosses, 1]) * (b[crosses, 0] - a[crosses, 0]) / (b[crosses, 1] - a[crosses, 1])
    return np.count_nonzero(at > p[0]) % 2 == 1
