"""Maximum and least material: within tolerance and bonus exactly where the virtual condition holds."""

import numpy as np
import pytest
from scipy.optimize import linprog
from tests.core.tolerancing.made import flat, hole, plane, request, ring_points, system, upright, use

from truegauge.core.tolerancing.geometric import evaluate

Z = np.array([0.0, 0.0, 1.0])


def frame():
    x, z = (v.ravel() for v in np.meshgrid(np.linspace(-20, 20, 5), np.linspace(0, 20, 5)))
    side = plane((0, 0, 10), (0, -1, 0), np.column_stack([x, 0 * x, z]))
    return system(use("A", flat(0.0, -Z)), use("B", upright(0.0)), use("C", side))


def cylinder(rng, size, place, *, bend=0.0, rings=7, around=24):
    heights = np.linspace(-10, 10, rings)
    start = rng.uniform(0, 6)
    angle = start + np.arange(around) * 2 * np.pi / around
    out = []
    for z in heights:
        r = size / 2 + rng.normal(0, 0.003, around)
        out.append(np.column_stack([place[0] + bend * (1 - (z / 10) ** 2) + r * np.cos(angle),
                                    place[1] + r * np.sin(angle), np.full(around, z)]))  # fmt: skip
    return np.vstack(out)


def test_a_bent_hole_whose_gauge_does_not_go_through_is_outside():
    """10 +0.2/0, position 0.086 (M): virtual size 9.914. A pin of 9.910 goes through at the true place: outside."""
    points = ring_points(5.005, np.linspace(-10, 10, 9), 36, lambda z: (10 + 0.1 * (1 - (z / 10) ** 2) - 0.05, 5))
    points[:, 0] += 0.0
    one = hole(10, 5, 5.0, points)
    related = 2 * np.hypot(points[:, 0] - 10, points[:, 1] - 5).min()
    assert related == pytest.approx(9.910, abs=1e-3)
    found = evaluate(request("position", [one], frame(), modifiers=("M",), tolerance=0.086, sizes=[(10.0, 10.2)]))
    assert found.bonus < 0  # the free mating size is below 10 too
    assert found.value > 0.086 + found.bonus
    assert found.value - found.bonus == pytest.approx(10.0 - related, abs=1e-9)


@pytest.mark.parametrize("seed", range(40))
def test_the_margin_is_that_of_the_virtual_size(seed):
    """All freedoms held: the related mating size is the smallest (largest) distance from the true axis, doubled."""
    rng = np.random.default_rng(seed)
    outward = int(rng.choice([-1, 1]))
    letter = str(rng.choice(["M", "L"]))
    limits = (10.0, 10.2) if outward < 0 else (9.8, 10.0)
    size = rng.uniform(limits[0] - 0.05, limits[1] + 0.05)
    place = np.array([10.0, 5.0]) + rng.normal(0, 0.05, 2)
    points = cylinder(rng, size, place, bend=rng.choice([0, 0.08]))
    one = hole(10, 5, 5.0, points, outward=outward)
    found = evaluate(request("position", [one], frame(), modifiers=(letter,), tolerance=0.1, sizes=[limits]))
    radius = np.hypot(points[:, 0] - 10, points[:, 1] - 5)
    smallest = (outward < 0) == (letter == "M")
    related = 2 * (radius.min() if smallest else radius.max())
    limit = limits[0] if (outward < 0) == (letter == "M") else limits[1]
    lacking = limit - related if smallest else related - limit
    assert found.value - found.bonus == pytest.approx(lacking, abs=1e-8)


def largest_pin(points):
    """The largest cylinder between points near the Z axis: linear programmes from several places, by a library."""
    rng = np.random.default_rng(0)
    starts = [np.zeros(4), *(rng.normal(0, [0.03, 0.03, 0.003, 0.003]) for _ in range(10))]
    return max(pin_from(points, start) for start in starts)


def pin_from(points, x):

    def distances(x):
        d = np.array([x[2], x[3], 1.0]) / np.sqrt(1 + x[2] ** 2 + x[3] ** 2)
        off = points - [x[0], x[1], 0]
        return np.linalg.norm(off - np.outer(off @ d, d), axis=1)

    bound, best = 0.05, distances(x).min()
    while bound > 1e-12:
        within = [(-bound, bound)] * 2 + [(-bound / 10, bound / 10)] * 2
        slopes = np.array([(distances(x + 1e-7 * e) - distances(x - 1e-7 * e)) / 2e-7 for e in np.eye(4)]).T
        found = linprog(np.r_[np.zeros(4), -1], A_ub=np.column_stack([-slopes, np.ones(len(points))]),
                        b_ub=distances(x), bounds=[*within, (None, None)])  # fmt: skip
        tried = x + found.x[:4]
        if distances(tried).min() > best + 1e-14:
            x, best = tried, distances(tried).min()
        else:
            bound /= 4
    return 2 * best


@pytest.mark.parametrize("seed", range(12))
def test_straightness_of_an_axis_at_maximum_material_is_judged_by_the_free_mating_size(seed):
    rng = np.random.default_rng(seed)
    points = cylinder(rng, rng.uniform(9.97, 10.1), (10, 5), bend=rng.uniform(0, 0.15))
    one = hole(10, 5, 5.0, points)
    found = evaluate(request("axis_straightness", [one], modifiers=("M",), tolerance=0.05, sizes=[(10.0, 10.2)]))
    pin = largest_pin(points - [10, 5, 0])
    assert found.value - found.bonus == pytest.approx(10.0 - pin, abs=1e-8)
    # The virtual size is 9.95: conforming exactly where a pin of that size goes in.
    assert (found.value <= 0.05 + found.bonus) == (pin >= 9.95)


def test_two_point_sizes_give_the_bonus_of_a_bent_axis():
    """A shaft 10 -0.1/0 of 9.96 everywhere, bent by 0.06: its two-point size gives 0.04; 0.06 against 0.02 + 0.04."""
    heights = np.linspace(-10, 10, 9)
    points = ring_points(4.98, heights, 36, lambda z: (10 + 0.06 * (1 - (z / 10) ** 2), 5))
    one = hole(10, 5, 5.0, points, outward=1)
    found = evaluate(request("axis_straightness", [one], modifiers=("M",), tolerance=0.02, sizes=[(9.9, 10.0)]))
    assert found.bonus == pytest.approx(0.04, abs=1e-4)
    assert found.value == pytest.approx(0.06, abs=1e-3)
    assert "virtual size" in found.association
