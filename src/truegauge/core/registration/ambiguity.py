"""Poses that fit as well as the best one: whether the part is the same in them, and whether any point tells."""

import numpy as np

from truegauge.core.arrays import Floats, Points
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import apply
from truegauge.core.registration.alignment import Candidate
from truegauge.core.registration.best_fit import BestFit
from truegauge.core.registration.on_itself import OnItself
from truegauge.core.registration.weak_motions import axis_of, turn_about, weak_motions

SAME_EVERYWHERE = 0.0005  # of the surface: where a part differs on less, it is the same
_ALMOST = 0.1  # of the surface
_BEYOND_CHANCE = 4.0  # standard deviations
_CLOSE = 10.0  # scales: points that are farther off count the same
_LIMIT, _LEAST = 0.01, 1e-6  # of the part's size: so much is close at most and at least
_TURNS = 24
_SHIFTS = (0.003, 0.01, 0.03, 0.1)  # of the part's size
_MOTIONS = 3


def no_worse(squares: Floats, best: Floats) -> bool:
    """Tell whether a pose may be as good as the best one: point by point, its squares are no larger but by chance.

    A part that is nearly symmetrical differs on a small share of its surface, which the mean hardly shows.
    """
    if not len(squares):  # no point tells
        return True
    more = squares - best
    chance = float(np.std(more)) / np.sqrt(len(more))
    return bool(more.mean() <= _BEYOND_CHANCE * chance + 1e-9 * float(best.mean()))


def close_limit(scale: float, model: CadModel) -> float:
    """Return the distance (mm) beyond which it says nothing how far off a point is, for residuals of a scale (mm)."""
    return float(min(_LIMIT * model.diagonal, max(_CLOSE * scale, _LEAST * model.diagonal)))


def squares_within(moved: Points, projector: Projector, limit: float) -> Floats:
    """Return the squares (n,) of the distances of points to the part, that grow no more beyond a limit (mm)."""
    found = projector.deviations(moved, max_distance=limit, rough=True)
    squares: Floats = np.minimum(found.distance**2, limit**2)
    squares[found.face < 0] = limit**2
    return squares


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
    limit, itself = close_limit(fit.scale, model), OnItself(projector, model)
    best = squares_within(moved, projector, limit)
    for motion in weak_motions(fit.information, moved, 0.5 * model.diagonal, _MOTIONS):
        if motion.turns:
            center, axis = axis_of(motion.twist, motion.center)
            moves = [turn_about(center, axis, k * 2 * np.pi / _TURNS) for k in range(1, _TURNS)]
        else:
            moves = [motion.along(side * s * model.diagonal) for s in _SHIFTS for side in (1, -1)]
        free = [m for m in moves if no_worse(squares_within(apply(m, moved), projector, limit), best)]
        for move in free:
            share = itself.share_that_differs(move, fit.scale)
            near = sparse[itself.near(sparse, itself.places_that_tell(move, fit.scale))]
            here, there = (squares_within(points, projector, limit) for points in (near, apply(move, near)))
            if share <= SAME_EVERYWHERE or not no_worse(there, here):
                continue
            how = "turned" if motion.turns else "shifted"
            return (f"the points do not tell how the part is {how}, though it differs on {100 * share:.2g} % of "
                    "its surface: scan what tells it",)  # fmt: skip
    return ()


def notes_on(candidates: list[Candidate]) -> tuple[str, ...]:
    """Say what there is to know of poses that fit about as well."""
    others = [c.differs for c in candidates[1:]]
    same = sum(differs <= SAME_EVERYWHERE for differs in others)
    if same:
        return (f"{same + 1} poses fit equally well: the part is symmetrical; step through them and choose",)
    least = min(others, default=1.0)
    if least < _ALMOST:
        return (f"the part is almost symmetrical: another pose differs on {100 * least:.2g} % of the surface",)
    return (f"{len(others)} more poses fit nearly as well; step through them",) if others else ()
