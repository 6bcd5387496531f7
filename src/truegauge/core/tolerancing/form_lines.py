"""The cross sections and lines in which form is read: flat points, of touches in the rows in which they were taken."""

from collections.abc import Sequence

import numpy as np

from truegauge.core.around import algebraic_center, widest_gap
from truegauge.core.arrays import Points, Vector, any_perpendicular, unit
from truegauge.core.association.features import Cone, Plane, Sphere
from truegauge.core.association.starts import even_directions
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Measured
from truegauge.core.filters.form_map import FilterKind
from truegauge.core.frozen_model import Three
from truegauge.core.taken_rows import rows_or_slices
from truegauge.core.tolerancing.once import least_squares_feature
from truegauge.core.tolerancing.rings import lines_of, need_rings

LEAST_RING = 4  # points
LEAST_LINE = 3
LEAST_SHARE = 0.6  # of a turn, of the length of a line
_RING_GAP = 2 * np.pi * (1 - LEAST_SHARE) + np.radians(1.0)
_GREAT = 0.02  # of the radius: touches that near to a plane through the centre lie on a great circle
_NEAR_CENTER = 0.1
_CELLS = 72
_MOST_TOUCHES = 1500  # more lie in lines only by their cells
_FLAT = 0.1  # mm: touches within this are one line


def form_points(measured: Measured) -> Points:
    """Return the points that form is read from: filtered where the feature has a filter."""
    if measured.form_filter.kind == FilterKind.NONE:
        return measured.means
    return measured.form_map().points


def round_sections(measured: Measured) -> tuple[list[Points], str]:
    """Return cross sections as flat points (n, 3) that are complete enough, and where they come from."""
    if isinstance(measured.feature, Sphere):
        return _great_circles(measured)
    if not measured.single or measured.form_filter.kind != FilterKind.NONE:
        found = measured.form_map()
        return [found.ring(row) for row in found.rows_of_sections()], ""
    sections = need_rings(measured, "roundness")
    feature = sections.feature
    rings = []
    for own in sections.each:
        flat = sections.local[own, :2]
        if isinstance(feature, Cone):  # read square to the surface, as the run-out of a cone
            angle = np.arctan2(flat[:, 1], flat[:, 0])
            radius = float(np.hypot(flat[:, 0], flat[:, 1]).mean()) + feature.distances(measured.points[own])
            flat = np.column_stack([radius * np.cos(angle), radius * np.sin(angle)])
        rings.append(np.column_stack([flat, np.zeros(len(own))]))
    return _complete(rings), sections.rows.told


def _complete(rings: Sequence[Points]) -> list[Points]:
    return [r for r in rings if len(r) >= LEAST_RING and widest_gap(r[:, :2] - algebraic_center(r[:, :2])) <= _RING_GAP]


def _great_circles(measured: Measured) -> tuple[list[Points], str]:
    """Return the sections of a ball through its centre: rows as taken, touches near planes, or cells of a cloud."""
    feature = least_squares_feature(measured)
    assert isinstance(feature, Sphere)
    off = measured.points - feature.center
    rings: list[Points] = []
    if measured.single and measured.taken is not None and (measured.taken >= 0).any():
        for k in np.unique(measured.taken[measured.taken >= 0]):
            own = off[measured.taken == k]
            normal = np.linalg.svd(own - own.mean(axis=0))[2][2]
            if len(own) >= LEAST_RING and abs(float((own @ normal).mean())) <= _NEAR_CENTER * feature.radius:
                rings.append(_seen_along(own, normal))
        if _complete(rings):
            return _complete(rings), "rows as they were taken"
    if measured.single:
        for axis in np.eye(3):
            rings.append(_seen_along(off[np.abs(off @ axis) <= _GREAT * feature.radius], axis))
        return _complete([r for r in rings if len(r)]), "great circles square to X, Y and Z"
    half = max(0.5 * measured.averaging, 0.25)
    for axis in np.vstack([np.eye(3), even_directions(48)]):
        near = _seen_along(off[np.abs(off @ axis) <= half], axis)
        rings.append(_celled(near))
    return _complete([r for r in rings if len(r)]), "sections through the centre"


def _seen_along(off: Points, axis: Vector) -> Points:
    """Return points about a centre as a ring at their full distance from it."""
    x = any_perpendicular(axis)
    angle, radius = np.arctan2(off @ np.cross(axis, x), off @ x), np.linalg.norm(off, axis=1)
    return np.column_stack([radius * np.cos(angle), radius * np.sin(angle), np.zeros(len(off))])


def _celled(ring: Points) -> Points:
    """Return means of a ring over cells of angle that hold enough points."""
    if len(ring) == 0:
        return ring
    angle, radius = np.arctan2(ring[:, 1], ring[:, 0]), np.hypot(ring[:, 0], ring[:, 1])
    cell = np.clip(((angle + np.pi) / (2 * np.pi) * _CELLS).astype(int), 0, _CELLS - 1)
    counts = np.bincount(cell, minlength=_CELLS)
    enough = counts >= max(3, 0.4 * float(np.median(counts[counts > 0])))
    with np.errstate(invalid="ignore"):
        mean = np.bincount(cell, weights=radius, minlength=_CELLS) / counts
    at = ((np.arange(_CELLS) + 0.5) / _CELLS * 2 * np.pi - np.pi)[enough]
    return np.column_stack([mean[enough] * np.cos(at), mean[enough] * np.sin(at), np.zeros(len(at))])


def lines_along(measured: Measured) -> tuple[list[Points], str]:
    """Return the lines along a turned feature as flat points: along, over the surface."""
    if not measured.single or measured.form_filter.kind != FilterKind.NONE or len(measured.points) > _MOST_TOUCHES:
        found = measured.form_map()
        return found.lines(LEAST_SHARE), ""
    rings, rows = lines_of(measured)
    feature, local = rings.feature, rings.local
    along, over = local[:, 2], feature.distances(measured.points)
    if isinstance(feature, Cone):
        half = feature.half_angle_rad
        along = np.hypot(local[:, 0], local[:, 1]) * np.sin(half) + local[:, 2] * np.cos(half)
    whole = float(np.ptp(along))
    lines = [
        np.column_stack([along[own], over[own], np.zeros(len(own))])
        for own in rows.each
        if len(own) >= LEAST_LINE and float(np.ptp(along[own])) >= LEAST_SHARE * whole
    ]
    return lines, rows.told


def lines_on_plane(measured: Measured, stated_across: Three | None) -> tuple[list[Points], str]:
    """Return the lines in which planes square to `across` cut a face."""
    feature = least_squares_feature(measured)
    assert isinstance(feature, Plane)
    if stated_across is None:
        raise EvaluationError("straightness on a plane needs the planes that cut it: choose a direction or an "
                              "intersection plane such as //B")  # fmt: skip
    stated = np.array(stated_across)
    across = stated - float(stated @ feature.normal) * feature.normal
    if float(np.linalg.norm(across)) < 0.1 * float(np.linalg.norm(stated)):
        raise EvaluationError("the planes that cut a face must stand on it: choose another direction")
    across = unit(across)
    points = form_points(measured)
    way = np.cross(feature.normal, across)
    place, along = points @ across, points @ way
    over = feature.distances(points)
    said = ""
    if measured.single and measured.form_filter.kind == FilterKind.NONE:
        rows = rows_or_slices(place, measured.taken, flat=_FLAT)
        if rows.count == 0:
            raise EvaluationError(
                f"straightness needs touches in lines over the face; these {len(place)} touches lie in none"
            )
        groups, said = rows.each, rows.told
    else:
        count = max(1, int(float(np.ptp(place)) / max(measured.averaging, 1e-3)))
        level = (place - place.min()) / (float(np.ptp(place)) or 1.0) * count
        keys = np.clip(level.astype(int), 0, count - 1)
        groups = [np.flatnonzero(keys == k) for k in range(count)]
    whole = float(np.ptp(along))
    lines = [
        np.column_stack([along[own], over[own], np.zeros(len(own))])
        for own in groups
        if len(own) >= LEAST_LINE and float(np.ptp(along[own])) >= 0.5 * LEAST_SHARE * whole
    ]
    return lines, said
