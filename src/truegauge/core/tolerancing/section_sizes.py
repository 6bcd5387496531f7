"""Sizes in cross sections (ISO 14405-1:2016): CC, CA, CV, LS, and global sizes in any (ACS) or one (SCS) section.

The contour of a section is its radius over the angle about the centre of the least-squares circle, between its points
a periodic cubic spline. A polygon through the touches would be too short: of 24 touches by 0.3 % of the circumference.
"""

import numpy as np
from numpy.typing import NDArray

from truegauge.core.around import widest_gap
from truegauge.core.arrays import Floats, Ints, Points
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Cylinder, Shape, Sphere
from truegauge.core.association.fit import Criterion
from truegauge.core.errors import AssociationError, EvaluationError
from truegauge.core.features.extraction import Measured
from truegauge.core.features.surface_rings import rings_at
from truegauge.core.tolerancing.derived import surface_points
from truegauge.core.tolerancing.once import least_squares_feature
from truegauge.core.tolerancing.rings import UP, center_of_ring, need_rings
from truegauge.core.tolerancing.size_rule import SizeRule

_DENSE = 2048
_CONTOUR_GAP = np.radians(65.0)  # between points of a contour: six evenly spread ones are the least
_SLICES, _CELLS = 24, 72
_GLOBAL = {"GG": Criterion.LEAST_SQUARES, "GN": Criterion.MINIMUM_CIRCUMSCRIBED, "GX": Criterion.MAXIMUM_INSCRIBED}


def sizes_in_sections(measured: Measured, rule: SizeRule) -> Floats:
    """Return the sizes (m,) mm of the cross sections of a cylinder that a rule asks for; one for CV and SCS.

    Raises
    ------
    EvaluationError
        No cylinder, touches in no rows, or sections that are not complete enough.
    """
    if not isinstance(measured.feature, Cylinder):
        if isinstance(measured.feature, Sphere):
            raise EvaluationError(f"a sphere has no {rule.words}: its sections are no sizes")
        raise EvaluationError(f"a {measured.feature.shape} has no {rule.words}")
    local, sections = _sections(measured)
    if rule.section == "SCS":
        sections = [_at(measured, local, sections, rule.at)]
    found: list[tuple[float, float]] = []
    for own in sections:
        size = _size(measured, local, own, rule.how)
        if size is not None:
            found.append((float(local[own, 2].mean()), size))
    if not found:
        raise EvaluationError(f"no cross section is complete enough for the {rule.words}: touch it all around")
    found.sort()
    height, sizes = np.array(found).T
    if rule.how != "CV":
        return np.asarray(sizes)
    # The volume over the touched length, between the sections as of a truncated cone.
    if len(sizes) < 2 or rule.section:
        raise EvaluationError("a volume diameter needs two cross sections at least")
    a, b, steps = sizes[:-1], sizes[1:], np.diff(height)
    return np.array([np.sqrt(((a * a + a * b + b * b) / 3) @ steps / steps.sum())])


def _sections(measured: Measured) -> tuple[Points, list[Ints]]:
    if measured.single:
        rings = need_rings(measured, "a size in a cross section")
        return rings.local, rings.each
    pose = least_squares_feature(measured).pose
    local = (surface_points(measured) - pose.origin) @ pose.axes.T
    if measured.surface is not None and measured.surface.rings is not None:
        return local, rings_at(measured.surface.rings)
    height = local[:, 2]
    level = (height - height.min()) / (float(np.ptp(height)) or 1.0) * _SLICES
    keys = np.clip(level.astype(int), 0, _SLICES - 1)
    return local, [np.flatnonzero(keys == k) for k in range(_SLICES)]


def _at(measured: Measured, local: Points, sections: list[Ints], at: float) -> Ints:
    """Return the section at a height over the middle of the feature as designed.

    Raises
    ------
    EvaluationError
        None is there.
    """
    pose = least_squares_feature(measured).pose
    wanted = at + float((measured.nominal.center - pose.origin) @ pose.axes[2])
    heights = [float(local[own, 2].mean()) if len(own) else np.inf for own in sections]
    off = np.abs(np.array(heights) - wanted)
    k = int(np.argmin(off))
    near = max(0.5, 0.05 * measured.nominal.length)
    if off[k] > near:
        raise EvaluationError(
            f"no cross section is measured at {at:+g} mm from the middle; the nearest is {off[k]:.2f} mm away"
        )
    return sections[k]


def _size(measured: Measured, local: Points, own: Ints, how: str) -> float | None:
    flat = local[own, :2]
    center = center_of_ring(flat)
    if center is None:
        return None
    if how == "LP":
        from truegauge.core.features.opposite import opposite_on_ring

        x, y = (flat - center).T
        pairs = opposite_on_ring(np.arctan2(y, x), np.hypot(x, y))
        return float(pairs[:, 1:].sum(axis=1).mean()) if len(pairs) else None
    if how == "LS":
        return _inscribed_ball(measured, local, own, center)
    if how in _GLOBAL:
        ring = np.column_stack([flat, np.zeros(len(flat))])
        try:
            return 2 * float(associate(Shape.CIRCLE, ring, _GLOBAL[how], plane_normal=UP).feature.parameters["radius"])
        except AssociationError:
            return None
    if widest_gap(flat - center) > _CONTOUR_GAP:
        return None
    radius = _contour(flat - center, single=measured.single)
    step = 2 * np.pi / _DENSE
    if how == "CC":
        slope = np.gradient(np.concatenate([radius[-1:], radius, radius[:1]]), step)[1:-1]
        return float(np.hypot(radius, slope).sum() * step / np.pi)
    return float(np.sqrt(2 * (radius**2).sum() * step / np.pi))  # CA, and the areas of CV: 4 A / pi = d^2


def _contour(off: NDArray[np.float64], *, single: bool) -> Floats:
    """Return the radius (mm) of a section at angles evenly around its centre."""
    from scipy.interpolate import CubicSpline

    angle, radius = np.mod(np.arctan2(off[:, 1], off[:, 0]), 2 * np.pi), np.hypot(off[:, 0], off[:, 1])
    if not single:  # means over cells of a cloud
        cell = np.minimum((angle / (2 * np.pi) * _CELLS).astype(int), _CELLS - 1)
        counts = np.bincount(cell, minlength=_CELLS)
        there = counts > 0
        radius = np.bincount(cell, weights=radius, minlength=_CELLS)[there] / counts[there]
        angle = (np.flatnonzero(there) + 0.5) * 2 * np.pi / _CELLS
    angle, first = np.unique(angle, return_index=True)
    radius = radius[first]
    spline = CubicSpline(np.append(angle, angle[0] + 2 * np.pi), np.append(radius, radius[0]), bc_type="periodic")
    even = np.arange(_DENSE) * 2 * np.pi / _DENSE
    return np.asarray(spline(angle[0] + np.mod(even - angle[0], 2 * np.pi)))


def _inscribed_ball(measured: Measured, local: Points, own: Ints, center: Floats) -> float | None:
    """Return the diameter of the largest ball at a section that no point reaches into.

    Its centre lies in the section, in the middle of its inscribed circle; points of other sections bound it too.
    """
    ring = np.column_stack([local[own, :2], np.zeros(len(own))])
    try:
        circle = associate(Shape.CIRCLE, ring, Criterion.MAXIMUM_INSCRIBED, plane_normal=UP).feature
    except AssociationError:
        return None
    place = np.array([*circle.pose.origin[:2], float(local[own, 2].mean())])
    others = np.linalg.norm(local - place, axis=1)
    flat = np.linalg.norm(local[own, :2] - place[:2], axis=1)
    return 2 * float(min(flat.min(), others.min()))
