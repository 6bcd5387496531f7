"""Straight and round edges through points with dust and burrs; how sure they are against how they scatter."""

import numpy as np
import pytest

from truegauge.core.association.by_criterion import fit_circle
from truegauge.core.errors import TooFewPointsError
from truegauge.core.silhouette.fitting import round_edge, straight_edge

MOVED = np.array([5.0, 7.0])


def turned(points, a):
    return points @ np.array([[np.cos(a), np.sin(a)], [-np.sin(a), np.cos(a)]])


def with_dust(rng, count):
    """Which of some points in order are of something else: up to a third, in one piece."""
    begin = rng.uniform(0.0, 0.7)
    share = np.linspace(0.0, 1.0, count)
    return (share > begin) & (share < begin + rng.uniform(0.0, 0.3))


def test_a_straight_edge_is_found_beside_dust_and_as_sure_as_it_says():
    rng, off, turns = np.random.default_rng(1), [], []
    for _ in range(300):
        count, a = int(rng.integers(20, 300)), rng.uniform(0, 2 * np.pi)
        points = np.column_stack([np.linspace(-3, 3, count), rng.normal(0, 0.01, count)])
        bad = with_dust(rng, count)
        points[bad, 1] += rng.uniform(0.3, 2.0) * rng.choice([-1, 1])
        points[rng.random(count) < 0.05] = np.nan
        edge = straight_edge(turned(points, a) + MOVED, 0.06)
        assert not edge.used[bad].any()
        assert edge.used[~bad & np.isfinite(points[:, 0])].mean() > 0.95
        at = turned(np.array([[1.0, 0.0]]), a) + MOVED
        along = float((at - edge.point)[0] @ edge.way)
        off.append(abs(edge.off(at)[0]) / np.hypot(edge.offset_u, edge.turn_u * along))
        way = turned(np.array([[1.0, 0.0]]), a)[0]
        turns.append(abs(np.arcsin(way[0] * edge.way[1] - way[1] * edge.way[0])) / edge.turn_u)
    for own in (off, turns):
        assert 0.9 < np.mean(np.array(own) < 2.0) < 0.99
        assert np.max(own) < 5.0


def test_a_round_edge_is_found_beside_dust_and_as_sure_as_it_says():
    rng, off = np.random.default_rng(2), []
    for _ in range(300):
        count, span = int(rng.integers(30, 300)), rng.uniform(1.0, 6.28)
        t = rng.uniform(0, 6.28) + np.linspace(0, span, count)
        r = 3.0 + rng.normal(0, 0.01, count)
        bad = with_dust(rng, count)
        r[bad] += rng.uniform(0.3, 1.0)
        edge = round_edge(np.column_stack([np.cos(t), np.sin(t)]) * r[:, None] + [1.0, 2.0], 0.06)
        assert not edge.used[bad].any()
        off.append(abs(edge.radius - 3.0) / edge.radius_u)
        assert np.linalg.norm(edge.center - [1.0, 2.0]) < 6 * edge.center_u
    assert 0.9 < np.mean(np.array(off) < 2.0) < 0.99


def test_without_dust_it_is_the_circle_of_least_squares():
    rng = np.random.default_rng(3)
    t = np.linspace(0.2, 2.0, 80)
    points = np.column_stack([np.cos(t), np.sin(t)]) * (2.0 + rng.normal(0, 0.01, 80))[:, None]
    edge = round_edge(points, 0.1)
    other = fit_circle(np.column_stack([points, np.zeros(80)])).feature
    assert edge.radius == pytest.approx(other.radius, abs=1e-9)
    assert edge.center == pytest.approx(other.center[:2], abs=1e-9)
    assert edge.used.all()


def test_too_little_is_said():
    with pytest.raises(TooFewPointsError, match="3 points are too few"):
        straight_edge(np.array([[0.0, 0], [1, 0], [2, 0], [np.nan, np.nan]]), 0.1)
    with pytest.raises(TooFewPointsError, match="lie on a line"):
        round_edge(np.column_stack([np.linspace(0, 1, 30), np.zeros(30)]), 0.1)
