"""Cells of many regions at once, by their definition: a set of cells for each region, taken one after the other."""

import numpy as np
import pytest
from scipy.spatial.distance import cdist

from truegauge.core.imperfections.extents import boxes_along, nearest_ones
from truegauge.core.imperfections.finding import grown
from truegauge.core.imperfections.members import Members, quantiles


def labelled(rng):
    """Return a map of regions with holes, touching each other and the borders, in no order."""
    shape = (int(rng.integers(1, 14)), int(rng.integers(1, 14)))
    labels = rng.integers(0, int(rng.integers(1, 6)), shape)
    _, labels = np.unique(np.append(0, labels), return_inverse=True)
    return labels[1:].reshape(shape)


def around(cell, shape, closed):
    r, c = cell
    every = [(r + i, c + j) for i in (-1, 0, 1) for j in (-1, 0, 1)]
    if closed:
        every = [(i, j % shape[1]) for i, j in every]
    return {(i, j) for i, j in every if 0 <= i < shape[0] and 0 <= j < shape[1]}


def sets(members):
    made = [set() for _ in range(members.count)]
    for r, c, k in zip(members.rows.tolist(), members.columns.tolist(), members.of.tolist(), strict=True):
        assert (r, c) not in made[k]
        made[k].add((r, c))
    return made


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("seed", range(30))
def test_members_of_regions_are_those_of_the_definition(seed, closed):
    rng = np.random.default_rng(seed)
    labels, others = labelled(rng), labelled(rng)
    members = Members.of_labels(labels)
    count = int(labels.max())
    own = [set(zip(*(i.tolist() for i in np.nonzero(labels == k)), strict=True)) for k in range(1, count + 1)]
    assert sets(members) == own
    wide = members.widened(labels.shape, closed=closed)
    assert sets(wide) == [set().union(*(around(cell, labels.shape, closed) for cell in cells)) for cells in own]
    value = rng.normal(size=len(members.rows))
    if not count:
        return
    groups = [value[members.starts[k] : members.starts[k + 1]] for k in range(count)]
    assert np.allclose(members.sums(value), [g.sum() for g in groups])
    assert np.array_equal(value[members.firsts(value)], [g.min() for g in groups])
    assert np.allclose(quantiles(value, members.starts, 0.9), [np.quantile(g, 0.9) for g in groups])
    value[rng.random(len(value)) < 0.3] = np.nan
    groups = [g[np.isfinite(g)] for g in groups]
    assert np.allclose(members.means(value), [g.mean() if len(g) else 0.0 for g in groups])
    edge = members.beside(labels, closed=closed)
    for r, c, is_edge in zip(members.rows.tolist(), members.columns.tolist(), edge.tolist(), strict=True):
        full = len(around((r, c), labels.shape, closed)) == 9 or (closed and 0 < r < labels.shape[0] - 1)
        inner = all(labels[cell] == labels[r, c] for cell in around((r, c), labels.shape, closed))
        assert is_edge == (not (full and inner))
    some = np.flatnonzero(rng.random(count) < 0.5)
    assert sets(members.only(some)) == [own[k] for k in some]
    if labels.shape == others.shape and int(others.max()) == count:
        both = members.joined(Members.of_labels(others), labels.shape)
        assert sets(both) == [a | b for a, b in zip(own, sets(Members.of_labels(others)), strict=True)]


@pytest.mark.parametrize("seed", range(20))
def test_regions_are_joined_with_others_cell_by_cell(seed):
    rng = np.random.default_rng(seed)
    shape = (int(rng.integers(2, 12)), int(rng.integers(2, 12)))
    a, b = (np.minimum(rng.permutation(np.arange(shape[0] * shape[1])).reshape(shape), 3) for _ in range(2))
    one, other = Members.of_labels(a), Members.of_labels(b)
    assert sets(one.joined(other, shape)) == [x | y for x, y in zip(sets(one), sets(other), strict=True)]


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("seed", range(15))
def test_a_region_grows_on_its_side_of_zero_to_its_limit(seed, closed):
    """One seed: all that can be reached from it by cells beyond the limit, by a search of sets."""
    rng = np.random.default_rng(seed)
    heights = rng.normal(size=(12, 15))
    heights[rng.random(heights.shape) < 0.1] = np.nan
    seed_cell = tuple(np.argwhere(np.abs(np.nan_to_num(heights)) > 0.3)[int(rng.integers(0, 60))].tolist())
    labels = np.zeros(heights.shape, dtype=np.int64)
    labels[seed_cell] = 1
    sign = np.sign(heights[seed_cell])
    wanted, waiting = {seed_cell}, [seed_cell]
    while waiting:
        for cell in around(waiting.pop(), heights.shape, closed) - wanted:
            if sign * heights[cell] > 0.2:
                wanted.add(cell)
                waiting.append(cell)
    made = grown(heights, labels, np.array([0.0, 0.2]), closed=closed)
    assert set(zip(*(i.tolist() for i in np.nonzero(made)), strict=True)) == wanted


@pytest.mark.parametrize("seed", range(10))
def test_nearest_ones_and_rectangles_are_those_of_trying_all(seed):
    rng = np.random.default_rng(seed)
    edges, normals = [], []
    for _ in range(int(rng.integers(2, 9))):
        n = int(rng.choice([1, 3, 40, 900]))  # the last two with each other go by a tree
        edges.append(rng.uniform(-100, 100, 3) + rng.normal(size=(n, 3)) * rng.uniform(0.5, 20, 3))
        normals.append(rng.normal(size=3))
    centers = np.array([e.mean(axis=0) for e in edges])
    numbers, gaps, between = nearest_ones(centers, edges)
    for k, own in enumerate(edges):
        far = [np.inf if j == k else cdist(own, e).min() for j, e in enumerate(edges)]
        assert gaps[k] == pytest.approx(min(far))
        assert far[numbers[k]] == pytest.approx(min(far))
        assert between[k] == pytest.approx(min(np.linalg.norm(centers[k] - c) for j, c in enumerate(centers) if j != k))
    of = np.repeat(np.arange(len(edges)), [len(e) for e in edges])
    members = Members(of, of, of, len(edges))
    normals = np.array([n / np.linalg.norm(n) for n in normals])
    length, width, direction = boxes_along(members, np.concatenate(edges), centers, normals, 0.5)
    for k, own in enumerate(edges):
        assert abs(direction[k] @ normals[k]) < 1e-9
        along, across = own @ direction[k], own @ np.cross(normals[k], direction[k])
        assert length[k] == pytest.approx(np.ptp(along) + 0.4)
        assert width[k] == pytest.approx(np.ptp(across) + 0.4)
        # No other turn has a rectangle smaller by more than what the longest extent is preferred by.
        for turn in np.linspace(0, np.pi, 91):
            way = np.cos(turn) * direction[k] + np.sin(turn) * np.cross(normals[k], direction[k])
            other = np.ptp(own @ way) + 0.4, np.ptp(own @ np.cross(normals[k], way)) + 0.4
            assert length[k] * width[k] <= other[0] * other[1] * 1.151
