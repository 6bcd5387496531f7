"""Points that are taken of a tip that moves: when it rests, every so far, every so often."""

import numpy as np
import pytest

from truegauge.core.probing.taking import PointTaker, Way


def stream(taker, places, *, dt=0.02, held=True, start=0.0):
    """Tell a taker where the tip is, at even times; returns the points and when they were taken."""
    taken = []
    for k, place in enumerate(places):
        found = taker.moved(start + k * dt, np.asarray(place, float), held=held if isinstance(held, bool) else held[k])
        if found is not None:
            taken.append((start + k * dt, found))
    return taken


def test_by_distance_points_lie_so_far_apart_while_the_button_is_held():
    way = np.column_stack([np.linspace(0, 50, 1001), np.zeros(1001), np.zeros(1001)])
    taken = stream(PointTaker(Way.DISTANCE, distance=2.0), way)
    steps = np.diff([p[0] for _, p in taken])
    assert taken[0][1][0] == 0
    assert (steps >= 2.0).all()
    assert steps.max() < 2.06
    assert len(taken) in (25, 26)
    held = [k < 200 or k > 800 for k in range(1001)]
    taken = stream(PointTaker(Way.DISTANCE, distance=2.0), way, held=held)
    assert not [p for _, p in taken if 10.0 < p[0] < 40.0]
    assert any(abs(p[0] - way[801][0]) < 1e-9 for _, p in taken)  # pressed again: at once


def test_by_time_a_tip_that_stands_still_gives_points_too():
    taken = stream(PointTaker(Way.TIME, seconds=0.5), np.zeros((251, 3)))
    assert np.diff([t for t, _ in taken]) == pytest.approx(0.5, abs=0.021)
    assert len(taken) in (10, 11)
    assert stream(PointTaker(Way.TIME), np.zeros((100, 3)), held=False) == []


@pytest.mark.parametrize("seed", range(4))
def test_a_tip_that_rests_gives_one_point_and_the_next_one_after_it_has_left(seed):
    rng = np.random.default_rng(seed)
    places, rests = [], [rng.uniform(-50, 50, 3) for _ in range(4)]
    for a, b in zip([np.zeros(3), *rests], rests, strict=False):
        places += [a + s * (b - a) for s in np.linspace(0, 1, 40)]
        places += list(b + rng.normal(0, 0.02, (60, 3)))  # a hand trembles
    taken = stream(PointTaker(Way.REST), places)
    assert len(taken) == 4
    for (_, place), rest in zip(taken, rests, strict=True):
        assert np.linalg.norm(place - rest) < 0.02
    assert stream(PointTaker(Way.REST), np.vstack([places[0]] * 20)) == []  # too short


def test_a_slow_way_is_no_rest_and_a_gap_in_the_stream_neither():
    slow = np.column_stack([np.linspace(0, 40, 2000), np.zeros(2000), np.zeros(2000)])  # 1 mm/s
    assert stream(PointTaker(Way.REST), slow) == []
    taker = PointTaker(Way.REST)
    assert stream(taker, np.zeros((5, 3))) + stream(taker, np.zeros((5, 3)), start=100.0) == []
    assert len(stream(taker, np.zeros((60, 3)), start=50.0)) == 1  # the clock jumped back: it begins anew


def test_the_button_alone_takes_nothing_here():
    assert stream(PointTaker(Way.BUTTON), np.zeros((500, 3))) == []
