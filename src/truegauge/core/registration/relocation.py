"""Relocation: points of a part that was turned over go into the coordinates of those from before.

Spheres beside the part, or balls and sockets on it, seen from both sides are found in the clouds by their diameter and
matched by the distances of their centres.
"""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Floats, Points, Rigid
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.features import Shape, Sphere
from truegauge.core.clouds.spatial import thinned
from truegauge.core.errors import AssociationError, RegistrationError
from truegauge.core.progress import Progress, silent
from truegauge.core.registration.adjustment import Adjustment
from truegauge.core.registration.matched_points import match_points, pairs_by_geometry

_SEEDS = 12_000
_NEIGHBOURS = 40
_ROUND = 0.03  # of the radius: how well a patch has to lie on a sphere
_SPREAD = 0.02  # of the directions: less is a patch too small to have a centre
_MOST = 30


@dataclass(frozen=True, slots=True, eq=False)
class FoundSphere:
    """A sphere found in a cloud: centre (3,) and diameter mm, form (mm) and number of its points."""

    center: Points
    diameter: float
    form: float
    count: int


@dataclass(frozen=True, slots=True, eq=False)
class Relocation:
    """`before_from_after` takes points measured after the part was moved to those before; which spheres said so."""

    before_from_after: Rigid
    adjustment: Adjustment
    others: int  # other ways that fit as well: a symmetrical arrangement


def find_spheres(points: Points, diameter: float, *, progress: Progress = silent) -> list[FoundSphere]:
    """Find spheres of about a diameter (within 5 %) in a cloud, those with the most points first."""
    from scipy.spatial import cKDTree

    radius = diameter / 2
    few = points[thinned(points, diameter / 30)] if len(points) > 3 * _SEEDS else points
    tree = cKDTree(few)
    rng = np.random.default_rng(7)
    seeds = few if len(few) <= _SEEDS else few[rng.permutation(len(few))[:_SEEDS]]
    centers: list[Points] = []
    for start in range(0, len(seeds), 1000):
        progress(start / len(seeds), "looking for spheres")
        distance, rows = tree.query(seeds[start : start + 1000], k=min(4 * _NEIGHBOURS, len(few)))
        # As much of the neighbourhood as a sphere of that size can have: every fourth of it is enough.
        centers.append(_patch_centers(few[rows[:, ::4]], distance[:, ::4] < 0.8 * radius, radius))
    votes = np.vstack(centers) if centers else np.zeros((0, 3))
    found: list[FoundSphere] = []
    while len(votes) and len(found) < _MOST:
        near = cKDTree(votes)
        counts = near.query_ball_point(votes, 0.1 * radius, return_length=True)
        best = int(np.argmax(counts))
        if counts[best] < 8:
            break
        middle = votes[near.query_ball_point(votes[best], 0.1 * radius)].mean(axis=0)
        sphere = _settled(points, middle, radius)
        if sphere is not None and all(np.linalg.norm(sphere.center - o.center) > radius for o in found):
            found.append(sphere)
        votes = votes[np.linalg.norm(votes - middle, axis=1) > 0.5 * radius]
    return sorted(found, key=lambda s: -s.count)


def _patch_centers(patches: Points, near: Floats, radius: float) -> Points:
    """Return centres of spheres through patches (m, k, 3), of those that are one of about the radius."""
    weight = near.astype(float)
    enough = weight.sum(axis=1) >= 8
    patches, weight = patches[enough], weight[enough]
    if len(patches) == 0:
        return np.zeros((0, 3))
    total = weight.sum(axis=1)
    middle = np.einsum("mk,mkj->mj", weight, patches) / total[:, None]
    local = (patches - middle[:, None]) * weight[:, :, None]
    square = np.einsum("mkj,mkj->mk", patches - middle[:, None], patches - middle[:, None])
    mean_square = (weight * square).sum(axis=1) / total
    # |p|^2 = 2 p.c + const: linear in the centre c; the patch must be curved for that.
    a = np.einsum("mki,mkj->mij", local, local)
    b = np.einsum("mki,mk->mi", local, (square - mean_square[:, None])) / 2
    curved = np.linalg.eigvalsh(a)[:, 0] > 1e-6 * radius**2
    a, b, local, weight, middle = a[curved], b[curved], local[curved], weight[curved], middle[curved]
    if len(a) == 0:
        return np.zeros((0, 3))
    center = np.linalg.solve(a, b[..., None])[..., 0]
    away = np.linalg.norm(local - center[:, None], axis=2)
    spread = np.where(weight > 0, away - radius, 0.0)
    rms = np.sqrt((spread**2).sum(axis=1) / weight.sum(axis=1))
    return np.asarray((middle + center)[rms < _ROUND * radius])


def _settled(points: Points, middle: Points, radius: float) -> FoundSphere | None:
    away = np.linalg.norm(points - middle, axis=1)
    own = points[np.abs(away - radius) < 0.06 * radius]
    if len(own) < 20:
        return None
    try:
        fit = associate(Shape.SPHERE, own[:: max(1, len(own) // 20_000)], reject=4.0)
    except AssociationError:
        return None
    sphere = fit.feature
    assert isinstance(sphere, Sphere)
    if abs(sphere.radius - radius) > 0.05 * radius or fit.rms > 0.006 * radius:
        return None
    off = np.linalg.norm(points - sphere.center, axis=1) - sphere.radius
    own = points[np.abs(off) < max(0.01 * radius, 4 * fit.rms)]
    out = (own - sphere.center) / sphere.radius
    spread = np.linalg.eigvalsh(np.cov(out.T))
    if spread[0] < _SPREAD or len(own) < 20:
        return None
    return FoundSphere(sphere.center, 2 * sphere.radius, 2 * fit.rms, len(own))


def relocate(before: Points, after: Points, *, tolerance: float, names: tuple[str, ...] = ()) -> Relocation:
    """Find the motion between two sets of centres (n, 3), (m, 3) mm, in any order and not all in both.

    Raises
    ------
    RegistrationError
        Fewer than three in common, or centres on one line.
    """
    if min(len(before), len(after)) < 3:
        raise RegistrationError(
            f"{len(before)} spheres before and {len(after)} after the part was moved; three in common are needed"
        )
    rows, partners, others = pairs_by_geometry(before, after, tolerance=tolerance)
    called = names or tuple(f"sphere {k + 1}" for k in range(len(before)))
    adjustment = match_points(before[rows], after[partners], [called[k] for k in rows])
    return Relocation(adjustment.part_from_base, adjustment, others)
