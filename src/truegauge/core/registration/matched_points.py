"""Alignment by matched points: measured points meet nominal ones, by name, by order, or found by their distances.

The start is the closed form (Arun, Huang and Blostein, 1987; scale after Umeyama, 1991); weights per axis need steps
from there.
"""

from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Mask, Points, Rigid
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, rigid
from truegauge.core.registration.adjustment import (
    Adjustment,
    Rows,
    TargetDeviation,
    determination,
    moved_by,
    solve_rows,
)

_LEAST = 3
_TRIPLES = 400


def match_points(
    nominal: Points,
    measured: Points,
    names: Sequence[str],
    *,
    weights: NDArray[np.float64] | None = None,
    used: Mask | None = None,
    with_scale: bool = False,
) -> Adjustment:
    """Align points that belong together row by row.

    Parameters
    ----------
    nominal, measured : (n, 3) float64
        Part coordinates and the coordinates before, mm.
    weights : (n, 3) float64, optional
        How much each point counts along x, y and z of the part; 0 for not at all.
    used : (n,) bool, optional
        False for excluded points; their deviations are told all the same.
    with_scale : bool
        Whether the measured points may shrink or grow.

    Raises
    ------
    RegistrationError
        Fewer than three points, points on one line, or a mirrored set.
    """
    count = len(nominal)
    weights = np.ones((count, 3)) if weights is None else np.asarray(weights, dtype=np.float64)
    used = np.ones(count, dtype=bool) if used is None else used
    counts = used & (weights.sum(axis=1) > 0)
    if counts.sum() < _LEAST:
        raise RegistrationError(f"{int(counts.sum())} matched points are used; an alignment needs {_LEAST}")
    _refuse_line(nominal[counts], "nominal")
    _refuse_line(measured[counts], "measured")
    fit = _fitted(nominal, measured, names, weights, counts, with_scale=with_scale)
    _refuse_mirrored(nominal[counts], measured[counts], fit.rms)
    return _worst_marked(nominal, measured, names, weights, counts, fit, with_scale=with_scale)


def _fitted(
    nominal: Points, measured: Points, names: Sequence[str], weights: NDArray[np.float64], counts: Mask, *,
    with_scale: bool,
) -> Adjustment:  # fmt: skip
    start, scale = closed_form(nominal[counts], measured[counts], weights[counts].mean(axis=1), with_scale=with_scale)
    center = nominal[counts].mean(axis=0)
    length = float(np.linalg.norm(np.ptp(nominal[counts], axis=0)))
    wide = [(i, k) for i in np.flatnonzero(counts) for k in range(3) if weights[i, k] > 0]
    point, axis = (np.array(column) for column in zip(*wide, strict=True))
    directions = np.eye(3)[axis]
    row_weights = weights[point, axis]

    def rows_at(pose: Rigid) -> Rows:
        there = apply(pose, scale * measured[point])
        return Rows(np.einsum("ij,ij->i", there - nominal[point], directions), directions, there, row_weights)

    pose, rows = solve_rows(rows_at, start, center=center, length=length)
    if with_scale and np.ptp(weights[counts], axis=1).any():
        pose, rows, scale = _scaled_too(nominal, measured, point, directions, row_weights, pose, scale, center, length)
    freedoms, surplus, weak = determination(rows, [names[i] for i in point], center=center, length=max(length, 1e-9))
    off = apply(pose, scale * measured) - nominal
    off_used = rows.deviation
    rms = float(np.sqrt(np.average(off_used**2, weights=row_weights) * 3))
    size = np.linalg.norm(np.where(weights > 0, off, 0.0), axis=1)
    doubts = []
    if freedoms.held < 6:
        doubts.append(f"nothing holds the {freedoms.say_free() or 'part in one direction'}: weights of 0 leave it open")
    notes = [f"the {weak} is weakly held: the points lie almost on a line"] if weak else []
    notes += [f"scaled by {scale:.6f}"] if with_scale else []
    if surplus - int(with_scale) == 0:
        notes.append("no point to spare: the deviations cannot tell a wrong point")
    targets = tuple(
        TargetDeviation(names[i], nominal[i], off[i], bool(counts[i]),
                        bool(size[i] > 3 * rms and counts[i]),
                        "".join(a for a, w in zip("xyz", weights[i], strict=True) if w > 0))
        for i in range(len(nominal))
    )  # fmt: skip
    largest = float(size[counts].max())
    return Adjustment(pose, rms, largest, targets, freedoms, surplus - int(with_scale), tuple(doubts), tuple(notes),
                      scale)  # fmt: skip


def _scaled_too(
    nominal: Points, measured: Points, point: Ints, directions: NDArray[np.float64], weights: Floats, pose: Rigid,
    scale: float, center: Floats, length: float,
) -> tuple[Rigid, Rows, float]:  # fmt: skip
    """Take steps of the pose and of the scale (as the change at the edge, mm) together."""
    units = np.array([1 / length] * 3 + [1.0] * 3 + [1 / length])
    for _ in range(60):
        there = apply(pose, scale * measured[point])
        rows = Rows(np.einsum("ij,ij->i", there - nominal[point], directions), directions, there, weights)
        arm = np.einsum("ij,ij->i", (there - pose[:3, 3]) / scale, directions)
        w = np.sqrt(weights)
        jacobian = np.column_stack([rows.jacobian(center), arm]) * units * w[:, None]
        step = -np.linalg.pinv(jacobian, rcond=1e-9) @ (w * rows.deviation) * units
        scale += float(step[6])
        # The pose turns and shifts points that grow with it: the shift follows from where they were.
        pose = moved_by(pose, step[:6], center)
        if np.linalg.norm(step / units) < 1e-11 * length:
            break
    return pose, rows, scale


def closed_form(nominal: Points, measured: Points, weights: Floats, *, with_scale: bool = False) -> tuple[Rigid, float]:
    """Return the least-squares pose (and scale) of points that belong together, with one weight a point."""
    w = weights / weights.sum()
    a, b = w @ nominal, w @ measured
    u, strength, vt = np.linalg.svd(((measured - b) * w[:, None]).T @ (nominal - a))
    sense = np.diag([1.0, 1.0, np.sign(np.linalg.det(vt.T @ u.T))])
    rotation = vt.T @ sense @ u.T
    scale = 1.0
    if with_scale:
        scale = float((strength * np.diag(sense)).sum() / np.sum(w[:, None] * (measured - b) ** 2))
    return rigid(rotation, a - scale * rotation @ b), scale


def _refuse_line(points: Points, which: str) -> None:
    strength = np.linalg.svd(points - points.mean(axis=0), compute_uv=False)
    if strength[1] < 1e-3 * max(strength[0], 1e-300):
        where = "in one place" if strength[0] < 1e-9 else "on one line"
        raise RegistrationError(
            f"the {which} points lie {where}: the turn about it stays open; add a point beside the line"
        )


def _refuse_mirrored(nominal: Points, measured: Points, rms: float) -> None:
    """A left-handed set fits far better when it is seen in a mirror."""
    if len(nominal) < 4:
        return
    flipped = measured * [-1.0, 1.0, 1.0]
    pose, _ = closed_form(nominal, flipped, np.ones(len(nominal)))
    mirrored = float(np.sqrt(np.mean(np.sum((apply(pose, flipped) - nominal) ** 2, axis=1))))
    if rms > 1e-3 and mirrored < 0.2 * rms:
        raise RegistrationError(
            f"the points fit in a mirror ({mirrored:.3f} mm instead of {rms:.3f} mm): left-handed coordinates, "
            "two axes exchanged, or the mirrored part"
        )


def _worst_marked(
    nominal: Points, measured: Points, names: Sequence[str], weights: NDArray[np.float64], counts: Mask,
    fit: Adjustment, *, with_scale: bool,
) -> Adjustment:  # fmt: skip
    """Suggest the point whose exclusion helps most; nothing is ever left out by itself."""
    rows = np.flatnonzero(counts)
    if len(rows) < 5:
        return fit
    best, best_rms = -1, fit.rms
    for row in rows:
        rest = counts.copy()
        rest[row] = False
        try:
            _refuse_line(nominal[rest], "nominal")
        except RegistrationError:
            continue
        without = _fitted(nominal, measured, names, weights, rest, with_scale=with_scale)
        off = without.targets[row].length
        if without.rms < best_rms and off > 4 * without.rms and off > 1e-6:
            best, best_rms = int(row), without.rms
    if best < 0 or best_rms > 0.5 * fit.rms:
        return fit
    targets = tuple(replace(t, poor=t.poor or i == best) for i, t in enumerate(fit.targets))
    text = f"{names[best]} does not go with the others: without it the rms is {best_rms:.4f} mm"
    return replace(fit, suggestion=names[best], notes=(*fit.notes, text), targets=targets)


def pairs_by_name(nominal: Sequence[str], measured: Sequence[str]) -> tuple[Ints, Ints]:
    """Return rows of nominal and measured points with the same name (case and spaces do not count).

    Raises
    ------
    RegistrationError
        A name stands for two points.
    """
    keys = []
    for names, which in ((nominal, "nominal"), (measured, "measured")):
        key = ["".join(n.lower().split()) for n in names]
        twice = next((n for i, n in enumerate(key) if n in key[:i]), None)
        if twice is not None:
            raise RegistrationError(f"two {which} points have the name {names[key.index(twice)]}")
        keys.append(key)
    rows = [(i, keys[1].index(k)) for i, k in enumerate(keys[0]) if k in keys[1]]
    return np.array([r[0] for r in rows], dtype=np.int64), np.array([r[1] for r in rows], dtype=np.int64)


def pairs_by_geometry(nominal: Points, measured: Points, *, tolerance: float) -> tuple[Ints, Ints, int]:
    """Find which points belong together from their distances alone, as many as can be.

    Returns rows of nominal and measured points, and how many other ways fit as well (a symmetrical pattern).

    Parameters
    ----------
    tolerance : float
        How far a measured point may be from its nominal one, mm.

    Raises
    ------
    RegistrationError
        No three points have the distances of nominal ones.
    """
    apart = np.linalg.norm(nominal[:, None] - nominal[None], axis=2)
    found: dict[tuple[tuple[int, int], ...], float] = {}
    for triple in _wide_triples(measured):
        p = measured[list(triple)]
        sides = [np.linalg.norm(p[i] - p[j]) for i, j in ((0, 1), (0, 2), (1, 2))]
        first = np.argwhere(np.abs(apart - sides[0]) < 2 * tolerance)
        for a, b in first:
            third = np.flatnonzero((np.abs(apart[a] - sides[1]) < 2 * tolerance)
                                   & (np.abs(apart[b] - sides[2]) < 2 * tolerance))  # fmt: skip
            for c in third:
                if len({int(a), int(b), int(c)}) == 3:
                    pairs, rms = _grown(nominal, measured, np.array([a, b, c]), np.array(triple), tolerance)
                    if len(pairs) >= _LEAST:
                        found[pairs] = rms
        if found and max(len(p) for p in found) == min(len(nominal), len(measured)):
            break
    if not found:
        raise RegistrationError(
            f"no three measured points have the distances of three nominal ones within {2 * tolerance:g} mm"
        )
    most = max(len(p) for p in found)
    ranked = sorted((rms, pairs) for pairs, rms in found.items() if len(pairs) == most)
    best_rms, best = ranked[0]
    others = sum(rms < max(2 * best_rms, 0.25 * tolerance) for rms, _ in ranked[1:])
    return np.array([i for i, _ in best]), np.array([j for _, j in best]), others


def _wide_triples(points: Points) -> list[tuple[int, int, int]]:
    """Return triples of points, those with the largest triangles first."""
    rng = np.random.default_rng(1)
    every = list(combinations(range(len(points)), 3))
    if len(every) > 4000:
        every = [tuple(sorted(rng.choice(len(points), 3, replace=False))) for _ in range(4000)]
    p = points[np.array(every)]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
    order = np.argsort(-area, kind="stable")[:_TRIPLES]
    return [tuple(int(k) for k in every[i]) for i in order if area[i] > 0]  # type: ignore[misc]


def _grown(
    nominal: Points, measured: Points, a: Ints, b: Ints, tolerance: float
) -> tuple[tuple[tuple[int, int], ...], float]:
    """Add all points that fit the pose of three; twice, as the pose of all is better."""
    from scipy.optimize import linear_sum_assignment

    for _ in range(2):
        pose, _ = closed_form(nominal[a], measured[b], np.ones(len(a)))
        off = np.linalg.norm(apply(pose, measured)[None] - nominal[:, None], axis=2)
        a, b = linear_sum_assignment(np.minimum(off, 10 * tolerance))
        near = off[a, b] < tolerance
        a, b = a[near], b[near]
        if len(a) < _LEAST:
            return (), np.inf
    rms = float(np.sqrt(np.mean(off[a, b] ** 2)))
    return tuple(zip(a.tolist(), b.tolist(), strict=True)), rms
