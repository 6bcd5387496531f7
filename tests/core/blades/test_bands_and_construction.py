"""Bands of zones, constructions by hand, thickness along the chord, weights and pivots: each against its definition."""

from dataclasses import replace

import numpy as np
import pytest
from scipy.optimize import minimize
from tests.core.blades.shapes import bent, naca, posed, two_circles
from tests.core.blades.test_measured_sections import noisy

from truegauge.core.blades.asked import Asked
from truegauge.core.blades.bands import Bands
from truegauge.core.blades.construction import Construction
from truegauge.core.blades.names import FAMILIES, PLACED, PROFILES, taken_apart
from truegauge.core.blades.parameters import Ways, blade_of, thickness_at, thickness_at_share, values_of
from truegauge.core.blades.profile import Profile
from truegauge.core.blades.scatter import scatter_of
from truegauge.core.blades.section_fit import Freedom, feet_on
from truegauge.core.blades.sections import judged
from truegauge.core.blades.zones import zone_of
from truegauge.core.errors import EvaluationError
from truegauge.demo.vane import VaneErrors, designed

NONE = (None, None, None, None)


def section(nominal, points, **more):
    asked = Asked((60.0,), **more)
    plane = asked.plane(60.0)
    return judged(blade_of(Profile.through(nominal), asked.ways(plane)), points, 60.0, plane, asked), asked


def test_a_band_is_that_of_its_zone_and_goes_straight_over_at_joints():
    blade = blade_of(Profile.through(two_circles(40, 3.0, 1.0)))
    bands = Bands((-0.1, -0.2, -0.3, -0.4), (0.1, 0.2, 0.3, 0.4), 2.0)
    s = np.linspace(0, blade.profile.length, 4001)[:-1]
    low, high = bands.at(blade, s)
    assert np.allclose(low, -high)
    zone = zone_of(blade, s)
    joints = np.array([e for edge in (blade.leading, blade.trailing) for e in (edge.begin, edge.end)])
    far = np.abs(np.mod(s[:, None] - joints + blade.profile.length / 2, blade.profile.length)
                 - blade.profile.length / 2).min(axis=1)  # fmt: skip
    assert np.allclose(high[far > 1.0], np.array([0.1, 0.2, 0.3, 0.4])[zone[far > 1.0]])
    # Nowhere does it jump: no more between two places than straight over along the shortest blend.
    assert np.abs(np.diff(np.append(high, high[0]))).max() < 0.01
    at_joint = bands.at(blade, joints)[1]
    beside = [{bands.upper[int(zone_of(blade, np.array([j + d]))[0])] for d in (-0.01, 0.01)} for j in joints]
    for value, both in zip(at_joint, beside, strict=True):
        assert value == pytest.approx(np.mean(list(both)), abs=1e-9)
    sharp = Bands(bands.lower, bands.upper, 0.0)
    assert np.allclose(sharp.at(blade, s)[1], np.array([0.1, 0.2, 0.3, 0.4])[zone])


@pytest.mark.parametrize("seed", range(4))
def test_what_is_beyond_a_band_is_what_stands_out_most(seed):
    rng = np.random.default_rng(seed)
    blade = blade_of(Profile.through(posed(two_circles(40, 3.0, 1.0), seed)[0]))
    lower, upper = (tuple(sign * rng.uniform(0.02, 0.2, 4)) for sign in (-1, 1))
    bands = Bands(lower, upper, rng.uniform(0, 3))
    s = rng.uniform(0, blade.profile.length, 300)
    d = rng.normal(0, 0.1, 300)
    low, high = bands.at(blade, s)
    for excess, a, b, c in zip(bands.excess(blade, s, d), low, high, d, strict=True):
        inside = a <= c <= b
        assert (excess <= 0) == inside
        assert abs(excess) == pytest.approx(min(abs(c - a), abs(c - b)), abs=1e-12)


def test_a_zone_without_a_limit_takes_anything():
    blade = blade_of(Profile.through(two_circles(40, 3.0, 1.0)))
    s = blade.profile.places(200)
    low, high = Bands(NONE, (0.1, None, None, None), 1.0).at(blade, s)
    assert np.isneginf(low).all()
    assert np.isposinf(high[zone_of(blade, s) != 0]).all()
    assert np.allclose(high[zone_of(blade, s) == 0], 0.1)


@pytest.mark.parametrize("seed", range(3))
def test_the_tangent_at_places_of_the_pressure_side(seed):
    """Of an arc as thick everywhere the secant at two shares of the chord is known: mirrored, along the chord."""
    points, _ = posed(bent(60.0, 0.6, 4.0), seed)
    blade = blade_of(Profile.through(points), construction=Construction(tangent=(0.25, 0.75)))
    way = blade.tangent[1] - blade.tangent[0]
    assert abs(way @ blade.along) == pytest.approx(np.linalg.norm(way), rel=1e-6)
    assert np.linalg.norm(way) == pytest.approx(0.5 * blade.line.chord, rel=1e-6)
    hollow = blade.pressure * np.array([-blade.along[1], blade.along[0]])
    assert ((blade.tangent - (blade.line.leading + blade.line.trailing) / 2) @ hollow > -6.0).all()
    off = feet_on(blade.profile, blade.tangent).distance
    assert np.abs(off).max() < 1e-6
    found = values_of(blade)["chord_tangent"]
    s = blade.profile.places(20000)
    along = blade.profile.at(s) @ (way / np.linalg.norm(way))
    assert found == pytest.approx(np.ptp(along), abs=1e-5)


def test_an_edge_circle_that_is_moved_fits_there():
    ellipse = naca("2412")[0]
    plain = blade_of(Profile.through(ellipse), Ways(leading=np.array([-1.0, 0.0])))
    for moved in (-0.4, 0.4):
        own = Construction(leading_share=0.3, leading_moved=moved)
        blade = blade_of(Profile.through(ellipse), Ways(leading=np.array([-1.0, 0.0])), own)
        off = blade.leading.s - plain.line.leading_s
        off = np.mod(off + blade.profile.length / 2, blade.profile.length) - blade.profile.length / 2
        assert abs(off) == pytest.approx(0.4, abs=1e-9)
        side = zone_of(plain, np.array([plain.line.leading_s + 20 * off]))[0]
        assert side == (2 if moved > 0 else 3)  # positive: towards the pressure side
        assert blade.line.leading_s == plain.line.leading_s
        # Both sides of the nose bend less than its tip.
        assert blade.leading.radius > 1.0 / float(plain.profile.curvature(np.array([plain.line.leading_s]))[0])
    with pytest.raises(EvaluationError, match="beside the section"):
        blade_of(Profile.through(ellipse), construction=Construction(tangent=(-0.5, 0.5)))


@pytest.mark.parametrize("seed", range(3))
def test_thickness_at_shares_of_the_chord(seed):
    code = ("0012", "2412", "4415")[seed]
    points, _ = posed(naca(code)[0], seed)
    blade = blade_of(Profile.through(points), Ways(leading=_nose(points)))
    m, t = int(code[0]) / 100, int(code[2:]) / 100
    for share in (0.2, 0.4, 0.6):
        # Square to the camber line the four-digit sections are twice their half thickness there.
        x = share
        half = 5 * t * (0.2969 * np.sqrt(x) - 0.1260 * x - 0.3516 * x**2 + 0.2843 * x**3 - 0.1036 * x**4)
        assert thickness_at_share(blade, share) == pytest.approx(200 * half, abs=0.05 if m else 1e-3)
    assert np.isnan(thickness_at_share(blade, 1.2))
    assert thickness_at(blade, 1.0, trailing=True) < thickness_at(blade, 5.0, trailing=True)


def _nose(points):
    """The way from the middle to the round end of a section: where it is thick."""
    middle = points.mean(axis=0)
    _, ways = np.linalg.eigh(np.cov((points - middle).T))
    along = (points - middle) @ ways[:, 1]
    ends = [np.ptp((points @ ways[:, 0])[np.argsort(sign * along)[-60:]]) for sign in (1, -1)]
    return ways[:, 1] if ends[0] > ends[1] else -ways[:, 1]


def test_weights_make_zones_count_and_equal_a_brute_minimum():
    errors = VaneErrors(0.01, 0.3, 0.1, 0.0, 0.1, 0.0, 0.0)
    nominal, points = designed(60.0).around(300, 50), noisy(errors.made(60.0).around(400, 60), np.random.default_rng(3))
    weights = (0.0, 0.0, 1.0, 5.0)
    found, _ = section(nominal, points, weights=weights)
    profile = found.nominal.profile
    w = np.array(weights)[zone_of(found.nominal, feet_on(profile, points).s)]

    def worth(x):
        c, s = np.cos(x[2]), np.sin(x[2])
        moved = (points - found.fit.pivot) @ np.array([[c, s], [-s, c]]) + found.fit.pivot + x[:2]
        return float(w @ np.square(feet_on(profile, moved).distance))

    best = minimize(worth, [0.0, 0.0, 0.0], method="Nelder-Mead",
                    options={"xatol": 1e-7, "fatol": 1e-12, "maxiter": 2000})  # fmt: skip
    assert (found.fit.shift[0], found.fit.shift[1]) == pytest.approx(best.x[:2], abs=2e-5)
    assert found.fit.turn == pytest.approx(best.x[2], abs=2e-6)
    assert worth([*found.fit.shift, found.fit.turn]) <= best.fun * (1 + 1e-9)
    plain, _ = section(nominal, points)
    assert np.linalg.norm(plain.fit.shift - found.fit.shift) > 1e-4


def test_a_fit_turns_about_the_centroid_of_the_nominal_or_where_it_is_said():
    errors = VaneErrors(0.01, 0.3, 0.1, 0.0, 0.0, 0.0, 0.0)
    nominal, points = designed(60.0).around(300, 50), noisy(errors.made(60.0).around(400, 60), np.random.default_rng(3))
    plain, _ = section(nominal, points)
    assert plain.fit.pivot == pytest.approx(plain.nominal.profile.area_and_centroid()[1], abs=1e-12)
    there = np.array([5.0, -7.0])
    other, _ = section(nominal, points, freedom=Freedom(np.eye(2), True, there))
    assert other.fit.pivot == pytest.approx(there)
    assert other.fit.matrix == pytest.approx(plain.fit.matrix, abs=1e-7)  # told otherwise, the same motion
    assert np.linalg.norm(other.fit.shift - plain.fit.shift) > 0.01
    # More points on one side change nothing of where it is told.
    dense = np.vstack([points, points[points[:, 1] > 0], points[points[:, 1] > 0]])
    assert section(nominal, dense)[0].fit.pivot == pytest.approx(plain.fit.pivot)


@pytest.mark.parametrize("criterion", ["least squares", "minimax"])
def test_the_uncertainty_of_a_fit_is_what_it_scatters_by(criterion):
    errors = VaneErrors(0.006, 0.1, 0.05, 0.0, 0.02, 0.05, 0.0)
    nominal, made, every, told = designed(60.0).around(300, 50), errors.made(60.0).around(400, 60), [], []
    for seed in range(12):
        points = noisy(made, np.random.default_rng(seed), 1500)
        found, asked = section(nominal, points, criterion=criterion)
        every.append([*found.fit.shift, found.fit.turn])
        u = scatter_of(found, asked)
        told.append([u["fit_dx"], u["fit_dy"], u["fit_turn"]])
    scatter, stated = np.std(every, axis=0, ddof=1), np.mean(told, axis=0)
    assert (scatter / stated > 0.4).all()
    assert (scatter / stated < 2.2).all()


def test_uncertainties_of_the_profile_hold_what_it_scatters_by():
    nominal, made = designed(60.0).around(300, 50), VaneErrors(wave=0.0).made(60.0).around(400, 60)
    names = [f"profile_{w}.{z}.{k}" for w in ("min", "max", "mean") for z in ("all", "leading", "pressure")
             for k in ("before", "after")]  # fmt: skip
    every, told = [], []
    for seed in range(12):
        found, asked = section(nominal, noisy(made, np.random.default_rng(seed), 1500))
        every.append([found.told[n] for n in names])
        u = scatter_of(found, asked)
        told.append([u[n] for n in names])
    ratio = np.std(every, axis=0, ddof=1) / np.mean(told, axis=0)
    assert np.median(ratio) == pytest.approx(1.0, abs=0.5)
    assert ratio.max() < 2.5


def test_names_mean_what_they_say():
    for family in FAMILIES:
        if family not in (*PLACED, *PROFILES):
            assert taken_apart(family).words == FAMILIES[family]
    assert taken_apart("leading_thickness_2.5").at == 2.5
    assert taken_apart("thickness_0.25").words == "thickness at 25 % of the chord"
    assert taken_apart("profile_max.leading.after").words == "highest deviation, leading edge, fitted"
    for wrong in ("chord", "profile_max", "profile_max.edge.after", "thickness", "leading_thickness_x", ""):
        with pytest.raises(ValueError, match="is no"):
            taken_apart(wrong)


def test_a_section_without_a_spline_has_no_uncertainties():
    found, asked = section(designed(60.0).around(300, 50), noisy(designed(60.0).around(400, 60),
                                                                np.random.default_rng(0), 20))  # fmt: skip
    assert found.told == {}
    assert scatter_of(found, asked) == {}
    assert scatter_of(replace(found, curve=None), asked) == {}
