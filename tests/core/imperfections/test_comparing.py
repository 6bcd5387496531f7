"""Two scans of one surface: new, gone, deeper, shallower, the same."""

import numpy as np

from truegauge.core.imperfections.comparing import compare
from truegauge.core.imperfections.search import find_imperfections


def sheet(dents, seed):
    rng = np.random.default_rng(seed)
    at = rng.uniform(0, 250, (60_000, 2))
    z = rng.normal(0, 0.02, len(at)) + 1e-4 * at[:, 0] * at[:, 1]
    for x, y, depth in dents:
        z += depth * np.exp(-np.square(at - [x, y]).sum(axis=1) / 150)
    return np.column_stack([at, z])


def test_what_became_of_each_is_told_by_its_place():
    first = [(50, 50, -0.5), (120, 60, -0.4), (60, 180, 0.3), (190, 190, -0.6), (200, 60, -0.3)]
    later = [(50, 50, -0.5), (120, 60, -0.7), (190, 191, -0.4), (200, 60, 0.3), (130, 200, -0.35)]
    a, b = (find_imperfections(sheet(d, k)).imperfections for k, d in enumerate((first, later)))
    told = {}
    for change in compare(a, b):
        one = change.now or change.before
        told[tuple(np.round(one.deepest[:2], -1).astype(int).tolist()), change.state] = change
    assert set(told) == {
        ((50, 50), "same"), ((120, 60), "deeper"), ((190, 190), "shallower"), ((130, 200), "new"),
        ((60, 180), "gone"), ((200, 60), "new"), ((200, 60), "gone"),  # a bump where a dent was is another one
    }  # fmt: skip
    assert abs(told[(120, 60), "deeper"].change - 0.3) < 0.03
    assert abs(told[(190, 190), "shallower"].change + 0.2) < 0.03
    assert told[(60, 180), "gone"].now is None


def test_of_two_that_are_near_each_is_matched_once():
    a = find_imperfections(sheet([(100, 100, -0.5), (140, 100, -0.4)], 1)).imperfections
    b = find_imperfections(sheet([(112, 100, -0.5)], 2)).imperfections
    states = sorted(c.state for c in compare(a, b))
    assert len(states) == 2
    assert "gone" in states
    assert all(c.state == "same" for c in compare(a, a))
    assert compare((), ()) == ()
    assert [c.state for c in compare((), b)] == ["new"]
