"""Poses that fit as well as the best one: whether the part is the same in them, and whether any point tells."""

import numpy as np

from truegauge.core.arrays import Floats, Mask, Points, Rigid
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import apply, invert
from truegauge.core.registration.alignment import Candidate
from truegauge.core.registration.best_fit import BestFit
from truegauge.core.registration.weak_motions import axis_of, turn_about, weak_motions

SAME_EVERYWHERE = 0.0005  # of the surface: where a part differs on less, it is the same
_ALMOST = 0.1  # of the surface
_SPOTS = 4000
_BEYOND_CHANCE = 4.0  # standard deviations
_CLOSE = 10.0  # scales: points that are farther off count the same
_LIMIT, _LEAST = 0.01, 1e-6  # of the part's size: so much is close at most and at least
_TURNS = 24
_SHIFTS = (0.003, 0.01, 0.03, 0.1)  # of the part's size
_MOTIONS = 3


def spots_on(model: CadModel, count: int) -> Points:
    """Return places (n, 3) evenly over the surface of the part, always the same ones."""
    mesh = model.mesh
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    rng = np.random.default_rng(2)
    spots = rng.choice(len(area), count, p=area / area.sum())
    u = rng.dirichlet([1, 1, 1], len(spots))
    return np.asarray(u[:, :1] * a[spots] + u[:, 1:2] * b[spots] + u[:, 2:] * c[spots])


def share_that_differs(motion: Rigid, projector: Projector, model: CadModel, scale: float) -> float:
    """Return on which share of its surface a part differs from itself, moved; `scale` (mm) is of the scan's noise."""
    return len(_differing(motion, projector, model, scale)) / _SPOTS


def places_that_tell(motion: Rigid, projector: Projector, model: CadModel, scale: float) -> Points:
    """Return places (n, 3) where there is material's surface either in a pose or in the other one, `motion` from it."""
    back = invert(motion)
    here = _differing(motion, projector, model, scale)
    return np.vstack([here, apply(back, _differing(back, projector, model, scale))])


def near_places(moved: Points, places: Points, model: CadModel) -> Mask:
    """Mark which points (n, 3) lie near places of the part that are as close to each other as `spots_on` makes them."""
    from scipy.spatial import cKDTree

    if not len(places):
        return np.zeros(len(moved), dtype=bool)
    reach = 2.0 * float(np.sqrt(sum(face.area for face in model.faces) / _SPOTS))
    distance, _ = cKDTree(places).query(moved, distance_upper_bound=reach)
    return np.asarray(np.isfinite(distance))


def _differing(motion: Rigid, projector: Projector, model: CadModel, scale: float) -> Points:
    spots = spots_on(model, _SPOTS)
    found = projector.deviations(apply(motion, spots), max_distance=0.05 * model.diagonal)
    far = max(4 * scale, 1e-4 * model.diagonal)
    return spots[(found.face < 0) | (np.abs(found.distance) > far)]


def no_worse(squares: Floats, best: Floats) -> bool:
    """Tell whether a pose may be as good as the best one: point by point, its squares are no larger but by chance.

    A part that is nearly symmetrical differs on a small share of its surface, which the mean hardly shows.
    """
    more = squares - best
    chance = float(np.std(more)) / np.sqrt(len(more))
    return bool(more.mean() <= _BEYOND_CHANCE * chance + 1e-9 * float(best.mean()))


def close_squares(moved: Points, projector: Projector, model: CadModel, scale: float) -> Floats:
    """Return the squares (n,) of the distances of points on the part, that grow no more beyond some scales."""
    limit = min(_LIMIT * model.diagonal, max(_CLOSE * scale, _LEAST * model.diagonal))
    found = projector.deviations(moved, max_distance=limit, rough=True)
    return np.where(found.face >= 0, np.minimum(found.distance**2, limit**2), limit**2)


def untold(
    candidates: list[Candidate], chosen: int, fit: BestFit, few: Points, many: Points, projector: Projector,
    model: CadModel,
) -> tuple[str, ...]:  # fmt: skip
    """Doubt a pose where another one fits the points (n, 3, as scanned) as well, though the part is not the same there.

    Where `few` of them do not tell, `many` are asked. What tells the poses of a nearly symmetrical part apart, or
    how a shaft is turned, may not have been scanned. A pose that somebody chose is theirs.
    """
    shares = [c.differs for c in candidates[1:] if c.as_good and c.differs > SAME_EVERYWHERE]
    if chosen == 0 and shares:
        more = "another pose fits" if len(shares) == 1 else f"{len(shares)} more poses fit"
        where = f"{100 * max(shares):.2g} % of its surface"
        return (f"{more} the points as well, though the part differs there on {where}: scan what tells them apart, or "
                "choose one",)  # fmt: skip
    moved, sparse = (apply(fit.part_from_scan, points) for points in (few, many))
    best = close_squares(moved, projector, model, fit.scale)
    for motion in weak_motions(fit.information, moved, 0.5 * model.diagonal, _MOTIONS):
        if motion.turns:
            center, axis = axis_of(motion.twist, motion.center)
            moves = [turn_about(center, axis, k * 2 * np.pi / _TURNS) for k in range(1, _TURNS)]
        else:
            moves = [motion.along(side * s * model.diagonal) for s in _SHIFTS for side in (1, -1)]
        free = [m for m in moves if no_worse(close_squares(apply(m, moved), projector, model, fit.scale), best)]
        for move in free:
            share = share_that_differs(move, projector, model, fit.scale)
            if share <= SAME_EVERYWHERE or _tell_apart(sparse, move, projector, model, fit.scale):
                continue
            how = "turned" if motion.turns else "shifted"
            return (f"the points do not tell how the part is {how}, though it differs on {100 * share:.2g} % of "
                    "its surface: scan what tells it",)  # fmt: skip
    return ()


def _tell_apart(moved: Points, motion: Rigid, projector: Projector, model: CadModel, scale: float) -> bool:
    """Tell whether points (n, 3), there where a part differs from itself moved, lie on it only as it is."""
    near = moved[near_places(moved, places_that_tell(motion, projector, model, scale), model)]
    if not len(near):
        return False
    here, there = (close_squares(points, projector, model, scale) for points in (near, apply(motion, near)))
    return not no_worse(there, here)


def notes_on(candidates: list[Candidate]) -> tuple[str, ...]:
    """Say what there is to know of poses that fit about as well."""
    if len(candidates) > 1:
        least = min(c.differs for c in candidates[1:])
        if SAME_EVERYWHERE < least < _ALMOST:
            return (f"the part is almost symmetrical: another pose differs on {100 * least:.2g} % of the surface",)
    alike = sum(c.rms < 1.1 * candidates[0].rms and c.share > 0.995 * candidates[0].share for c in candidates)
    if alike > 1:
        return (f"{alike} poses fit equally well: the part is symmetrical; step through them and choose",)
    if len(candidates) > 1:
        return (f"{len(candidates) - 1} more poses fit nearly as well: the part is almost symmetrical",)
    return ()
