"""Poses of a part that were found: refined, told apart, and which of them explains the points best."""

import numpy as np

from truegauge.core.arrays import Floats, Mask, Points, Rigid
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.clouds.spatial import spatial_order
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, invert, rotation_vector
from truegauge.core.registration.ambiguity import (
    close_limit,
    squares_within,
)
from truegauge.core.registration.best_fit import BestFit, FitSettings, best_fit
from truegauge.core.registration.weak_motions import axis_of

STEP = np.radians(6.0)  # of turns that are tried
_FITTED = 1500  # points that poses are refined with: what tells them apart is judged with all
_NEWS = 0.998  # of the cost: so much better a fit must be to take the place of another one in the same pose
_POOR = 20.0  # times the scale of the best fit: no other pose of the part
_QUICK = 1500
_GOOD = 0.3  # of the limit: a fit that is worse is no fit, and its symmetries mean nothing
_SETTLED_BY = 0.3  # of what the noise lets a pose mean: poses are only told apart here
_STEPS = 10  # of a pose that fits: one that does not never ends


class PoseList:
    """Poses found so far, each refined, with its mean squares over the same points."""

    def __init__(self, few: Points, projector: Projector, model: CadModel, settings: FitSettings) -> None:
        self._projector, self._model, self._settings = projector, model, settings
        self._limit = 0.01 * model.diagonal
        self.found: list[BestFit] = []
        self._slid: BestFit | None = None
        self._squares: list[Floats] = []
        self._look_at(few)

    def _look_at(self, few: Points) -> None:
        self._few = few[spatial_order(few)]  # neighbours follow each other: their feet are found faster
        self._quick, self._fitted = every_so_often(self._few, _QUICK), every_so_often(self._few, _FITTED)
        poses = [fit.part_from_scan for fit in self.found]
        self.found, self._squares = [], []
        for pose in poses:
            self.refine(pose)

    def refine(self, pose: Rigid) -> None:
        """Refine a pose, and keep it where it is none of those that are known."""
        try:
            fit = self._fit(pose)
        except RegistrationError:
            return
        if self.is_good and fit.scale > _POOR * min(other.scale for other in self.found):
            return
        squares = self._square(fit.part_from_scan, self._few)
        for i, other in enumerate(self.found):
            if self._same(fit, other):
                # What little tells a turn may lie where the other pose does not see it.
                if self._better(squares, self._squares[i]):
                    self.found[i], self._squares[i] = fit, squares
                return
        self.found.append(fit)
        self._squares.append(squares)

    def _fit(self, pose: Rigid) -> BestFit:
        return best_fit(
            self._fitted, self._projector, pose, reach=3 * self._limit, settings=self._settings, iterations=_STEPS,
            settled=_SETTLED_BY, rough=True,
        )  # fmt: skip

    def _square(self, pose: Rigid, points: Points) -> Floats:
        return self._squares_at(apply(pose, points))

    def _squares_at(self, moved: Points) -> Floats:
        return squares_within(moved, self._projector, self._limit)

    def _means(self, poses: list[Rigid], points: Points) -> Floats:
        """Mean squares of the same points in many poses, in one go."""
        there = np.concatenate([apply(pose, points) for pose in poses])
        return np.asarray(self._squares_at(there).reshape(len(poses), -1).mean(axis=1))

    def _replaced(self, i: int, pose: Rigid) -> bool:
        """Take a pose instead of another one where, refined, it explains the points better."""
        try:
            fit = self._fit(pose)
        except RegistrationError:
            return False
        squares = self._square(fit.part_from_scan, self._few)
        if not self._better(squares, self._squares[i]):
            return False
        self.found[i], self._squares[i] = fit, squares
        return True

    @property
    def is_good(self) -> bool:
        """Whether the best pose so far is a fit at all."""
        return bool(self.found) and float(self._costs().min()) < (_GOOD * self._limit) ** 2

    def _costs(self) -> Floats:
        """Mean squares over the points that lie on the part in some pose: a table is in none of them."""
        squares = np.array(self._squares)
        return np.asarray(squares[:, self._on_part()].mean(axis=1))

    def _close_squares(self) -> Floats:
        """Squares (poses, points) that grow no more beyond some scales, for the points that come so close in a pose.

        How far off the points are that do not fit says nothing: which pose explains most of them does.
        """
        squares, limit = np.array(self._squares), self._close_limit()
        on = squares.min(axis=0) < limit**2
        return np.minimum(squares[:, on] if on.any() else squares, limit**2)

    def _close_limit(self) -> float:
        return close_limit(min(fit.scale for fit in self.found) if self.is_good else np.inf, self._model)

    def _better(self, squares: Floats, other: Floats) -> bool:
        """Tell whether one pose explains more than another one of the points that come close to the part in either."""
        limit = self._close_limit() ** 2
        on = np.minimum(squares, other) < limit
        mine, others = (float(np.minimum(s[on], limit).sum()) for s in (squares, other))
        return mine < _NEWS * others

    def _best(self) -> int:
        return int(np.argmin(self._close_squares().mean(axis=1)))

    def _on_part(self) -> Mask:
        on = np.array(self._squares).min(axis=0) < self._limit**2
        return on if on.any() else np.ones(len(on), dtype=bool)

    def _known(self, pose: Rigid) -> bool:
        free = self.found[0]
        return any(self._apart(pose, f.part_from_scan, free) for f in self.found)

    def _same(self, fit: BestFit, other: BestFit) -> bool:
        return self._apart(fit.part_from_scan, other.part_from_scan, other)

    def _apart(self, pose: Rigid, other: Rigid, fit: BestFit) -> bool:
        """Tell whether two poses are one: a part that can turn about an axis has that turn for nothing."""
        motion = pose @ invert(other)
        box = self._model.box
        axis = _free_axis(fit)
        if axis is None:
            corners = box[np.array([[0, 0, 0], [1, 1, 0], [1, 0, 1], [0, 1, 1]]), np.arange(3)]
            moved = np.linalg.norm(apply(motion, corners) - corners, axis=1).max()
        else:
            point, direction = axis
            ends = point + np.outer([-0.5, 0.5], direction) * self._model.diagonal
            moved = np.linalg.norm(apply(motion, ends) - ends, axis=1).max()
        # Turns of a slender part about its length move its corners little.
        turned = axis is None and float(np.linalg.norm(rotation_vector(motion))) > 0.5 * STEP
        return bool(moved < 0.04 * self._model.diagonal) and not turned


def every_so_often(points: Points, wanted: int) -> Points:
    """Return about so many of some points, evenly."""
    return np.asarray(points[:: max(1, -(-len(points) // wanted))])


def _free_axis(fit: BestFit) -> tuple[Points, Points] | None:
    """Return a point and the direction of the axis that the part turns about freely, if there is just that."""
    information = fit.information
    if information is None or information.free.shape[1] != 1:
        return None
    if float(np.linalg.norm(information.free[:3, 0])) < 1e-12:
        return None
    return axis_of(information.free[:, 0], information.center)
