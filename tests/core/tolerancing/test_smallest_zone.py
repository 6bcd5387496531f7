"""Zone values against a brute-force search over the zone's freedoms, and what must hold for every sample."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import minimize
from tests.core.tolerancing.made import (
    X,
    Z,
    flat,
    hole_at,
    of,
    plane,
    plane_grid,
    request,
    ring_points,
    system,
    upright,
    use,
)

from truegauge.core.association.features import Cylinder
from truegauge.core.cad.recognition import Nominal
from truegauge.core.datums.zone_rows import RoundRows
from truegauge.core.frames import apply, random_rigid, twist_motion
from truegauge.core.tolerancing.geometric import ORIENTATION, _derived, evaluate
from truegauge.core.tolerancing.smallest_zone import smallest_zone
from truegauge.core.tolerancing.zone import Zone


def brute_force(rows, free, about, length, starts=3):
    """The least largest value over motions, by simplex searches from many starts, each again from where it ended."""
    units = np.array([length] * 3 + [1.0] * 3)
    basis = np.linalg.svd(free * units[:, None])[0][:, : np.linalg.matrix_rank(free)] / units[:, None]

    def level(x):
        pose = twist_motion(basis @ x, about)
        return max(r.worst(pose)[0] for r in rows)

    rng, best = np.random.default_rng(5), np.inf
    options = {"xatol": 1e-13, "fatol": 1e-14, "maxiter": 6000, "maxfev": 6000, "adaptive": True}
    for k in range(starts):
        x = rng.normal(size=basis.shape[1]) * 0.02 * (k > 0)
        for _ in range(4):
            found = minimize(level, x, method="Nelder-Mead", options=options)
            x = found.x
        best = min(best, found.fun)
    return best


def assert_as_brute_force(asked):
    rows = [row for d in _derived(asked) for row in d.rows]
    free = asked.system.all_free if asked.kind in ORIENTATION else asked.system.free
    found = evaluate(asked).value
    searched = brute_force(rows, free, asked.system.about, asked.system.length)
    assert found == pytest.approx(searched, abs=1e-6)
    assert found <= searched + 1e-8


@pytest.mark.slow
@pytest.mark.parametrize("seed", [1, 2])
def test_a_pattern_on_its_base(seed):
    rng = np.random.default_rng(seed)
    holes = []
    for a in np.arange(4) * np.pi / 2:
        x, y = 25 * np.cos(a), 25 * np.sin(a)
        dx, dy = rng.normal(size=2) * 0.05
        holes.append(hole_at(x + dx, y + dy, 3.0, true=(x, y), tilt=float(rng.normal() * 0.002)))
    on_base = system(use("A", flat(0.0, -Z)))
    assert_as_brute_force(request("position", holes, on_base, zone=Zone(together=True)))


@pytest.mark.slow
def test_a_profile_without_datums_and_an_orientation():
    rng = np.random.default_rng(3)
    rough = flat(12.0, Z, height=lambda x, y: 0.001 * x + float(rng.normal()) * 0.02, count=5)
    assert_as_brute_force(request("profile_surface", [rough]))
    g = plane_grid((-20, 20), (0, 20), 5)
    side = plane((0, 0, 10), -X, np.column_stack([0.002 * g[:, 1] + rng.normal(size=len(g)) * 0.01, g]))
    assert_as_brute_force(request("perpendicularity", [side], system(use("A", flat(0.0, -Z)))))
    bore = of(
        Nominal(Cylinder(np.zeros(3), Z, 5.0), -1, 20.0, np.zeros(3)),
        ring_points(lambda a, z: 5 + rng.normal() * 0.01, np.linspace(-10, 10, 5), 16),
    )
    assert_as_brute_force(request("profile_surface", [bore], system(use("A", flat(0.0, -Z)))))


@given(st.integers(0, 10_000))
def test_points_in_the_plane_as_the_smallest_circle(seed):
    """Free shifts in the plane: the smallest zone about one place is the smallest circle, known exactly."""
    from truegauge.core.association.enclosing import smallest_ball

    points = np.random.default_rng(seed).normal(size=(7, 3)) * [0.1, 0.1, 5.0]
    rows = RoundRows(points, np.zeros(3), np.eye(3)[:2])
    free = np.zeros((6, 2))
    free[3, 0] = free[4, 1] = 1.0
    found = smallest_zone([rows], free, np.zeros(3), 100.0)
    assert found.level == pytest.approx(2 * smallest_ball(points[:, :2])[1], abs=1e-10)


def one_of_each(move):
    """Some tolerances of one part, all its points moved by a rigid motion."""
    rng = np.random.default_rng(11)
    noise = iter(rng.normal(size=100_000) * 0.005)

    def moved(m, points=None):
        rough = m.points + np.array([[next(noise) for _ in range(3)] for _ in m.points])
        return of(m.nominal, apply(move, rough))

    a, b = moved(flat(0.0, -Z)), moved(upright())
    g = plane_grid((-20, 20), (0, 20))
    c = moved(plane((0, 0, 10), (0, -1, 0), np.column_stack([g[:, 0], 0 * g[:, 0], g[:, 1]])))
    bore = moved(hole_at(10.03, 5.0, 4.0, true=(10, 5), around=36))
    abc = system(use("A", a), use("B", b), use("C", c))
    return (
        request("position", [bore], abc), request("position", [bore], abc, standard="ASME"),
        request("position", [bore], abc, modifiers=("M",), sizes=[(7.9, 8.2)]),
        request("perpendicularity", [b], system(use("A", a))), request("profile_surface", [c], system(use("A", a))),
        request("profile_surface", [a]), request("circular_runout", [a], system(use("D", bore))),
    )  # fmt: skip


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_values_do_not_depend_on_where_the_sample_lies(seed):
    """The datums place the part: a sample moved and turned by a few degrees gives the same numbers."""
    rng = np.random.default_rng(seed)
    move = twist_motion(np.append(rng.normal(size=3) * 0.03, rng.normal(size=3) * 0.5), np.zeros(3))
    still = [evaluate(r).value for r in one_of_each(np.eye(4))]
    assert [evaluate(r).value for r in one_of_each(move)] == pytest.approx(still, abs=2e-6)


@given(st.integers(0, 10_000), st.floats(0.0, 0.1))
def test_moving_a_point_outward_never_lowers_form_and_profile(seed, by):
    """Monotony: of the point that is farthest out."""
    rng = np.random.default_rng(seed)
    points = flat(12.0, Z, count=4).points.copy()
    points[:, 2] += rng.normal(size=len(points)) * 0.01
    before = plane((0, 0, 12), Z, points)
    worst = int(np.argmax(points[:, 2]))
    points[worst, 2] += by
    after = plane((0, 0, 12), Z, points)
    datums = system(use("A", flat(0.0, -Z)))
    for kind in ("profile_surface", "parallelism"):
        assert evaluate(request(kind, [after], datums)).value >= evaluate(request(kind, [before], datums)).value - 1e-12


def test_motions_are_exponentials():
    """A turn about an axis beside the origin leaves its points where they are."""
    axis_point, w = np.array([3.0, 4.0, 0.0]), np.array([0, 0, 0.7])
    motion = twist_motion(np.append(w, np.cross(axis_point, w)), np.zeros(3))
    assert apply(motion, axis_point) == pytest.approx(axis_point, abs=1e-14)
    assert np.linalg.det(random_rigid(np.random.default_rng(1), 1.0)[:3, :3]) == pytest.approx(1.0)
