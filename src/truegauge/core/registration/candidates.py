"""Poses that fit: refined, told apart, and completed by the symmetries of the part that they reveal."""

import numpy as np

from truegauge.core.arrays import Floats, Mask, Points, Rigid
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, invert, rotation_vector
from truegauge.core.progress import Progress, silent
from truegauge.core.registration.alignment import Candidate
from truegauge.core.registration.best_fit import BestFit, FitSettings, best_fit
from truegauge.core.registration.coarse import COARSE_LIMIT

_MOST = 60
_MAY_BE = 1.6  # times the best coarse cost: a pose may still turn out the best
_AS_GOOD = 1.5  # of the best mean square: worth completing by symmetry
_EQUAL = 1.1
_LISTED = 9.0
_QUICK = 1500
_GOOD = 0.3  # of the limit: a fit that is worse is no fit, and its symmetries mean nothing
_TRIES = 2000
_FREED = 2  # poses that are taken off the walls
_SNUG = 2e-4  # of the part's size: a scan that fits as closely has not got caught
_OFF = 0.006  # of the part's size
_STEPS = 20  # of a pose that fits: one that does not never ends


def find_candidates(
    few: Points,
    poses: list[tuple[float, Rigid]],
    projector: Projector,
    model: CadModel,
    settings: FitSettings,
    *,
    thorough: bool = False,
    progress: Progress = silent,
) -> list[Candidate]:
    """Refine coarse poses on the true surfaces and complete them by symmetry; the best first.

    Poses that fit equally well follow each other by how little they turn the scan. A `thorough` search refines poses
    that are clearly worse at first as well.

    Raises
    ------
    RegistrationError
        No pose in which points lie near the part.
    """
    search = _Search(few, projector, model, settings)
    for number, (cost, pose) in enumerate(poses):
        hopeless = _MAY_BE * poses[0][0] if thorough else search.hopeless(poses[0][0])
        if search.found and (cost > hopeless or (number >= 4 and not search.is_good)):
            break
        search.refine(pose)
    if not search.found:
        raise RegistrationError("no pose was found in which the points lie near the part; is it a scan of this part?")
    search.free_from_walls()
    search.complete(progress)
    return search.ranked()


class _Search:
    def __init__(self, few: Points, projector: Projector, model: CadModel, settings: FitSettings) -> None:
        self._few, self._projector, self._model, self._settings = few, projector, model, settings
        self._limit = 0.01 * model.diagonal
        self._quick = few[:: max(1, len(few) // _QUICK)]
        self.found: list[BestFit] = []
        self._squares: list[Floats] = []

    def refine(self, pose: Rigid) -> None:
        try:
            fit = best_fit(self._few, self._projector, pose, reach=3 * self._limit, settings=self._settings,
                           iterations=_STEPS)  # fmt: skip
        except RegistrationError:
            return
        if any(self._same(fit, other) for other in self.found):
            return
        self.found.append(fit)
        self._squares.append(self._square(fit.part_from_scan, self._few))

    def _square(self, pose: Rigid, points: Points) -> Floats:
        found = self._projector.deviations(apply(pose, points), max_distance=self._limit)
        return np.where(found.face >= 0, np.minimum(found.distance**2, self._limit**2), self._limit**2)

    def free_from_walls(self) -> None:
        """Take the best poses off the part to both sides and fit again, where they fit badly.

        On a thin wall, points may be drawn to its wrong side and hold the pose there: from outside, all of them
        come to the side that they belong to.
        """
        if not self.is_good:
            return
        size = self._model.diagonal
        for i in np.argsort(self._costs())[:_FREED]:
            fit = self.found[int(i)]
            if fit.scale < _SNUG * size:
                continue
            found = self._projector.deviations(apply(fit.part_from_scan, self._few), max_distance=3 * self._limit)
            normals = np.asarray(found.normals[found.face >= 0], dtype=np.float64)
            way = np.linalg.eigh(normals.T @ normals)[1][:, 2]
            before = float(self._squares[int(i)].mean())
            for step in (-_OFF, _OFF):
                pose = fit.part_from_scan.copy()
                pose[:3, 3] += step * size * way
                try:
                    freed = best_fit(self._few, self._projector, pose, reach=3 * self._limit, settings=self._settings,
                                     iterations=_STEPS)  # fmt: skip
                except RegistrationError:
                    continue
                squares = self._square(freed.part_from_scan, self._few)
                if float(squares.mean()) < before:
                    before = float(squares.mean())
                    self.found[int(i)], self._squares[int(i)] = freed, squares

    @property
    def is_good(self) -> bool:
        """Whether the best pose so far is a fit at all."""
        return bool(self.found) and float(self._costs().min()) < (_GOOD * self._limit) ** 2

    def hopeless(self, best_coarse: float) -> float:
        """Return the coarse cost from which on a pose is not worth refining.

        Points that lie nowhere on the part (a table) cost the same in every pose: they say nothing about a pose.
        """
        if not self.is_good:
            return _MAY_BE * best_coarse
        elsewhere = 1.0 - float(self._on_part().mean())
        floor = min(elsewhere * (COARSE_LIMIT * self._model.diagonal) ** 2, 0.9 * best_coarse)
        return floor + _MAY_BE * (best_coarse - floor)

    def _costs(self) -> Floats:
        """Mean squares over the points that lie on the part in some pose: a table is in none of them."""
        squares = np.array(self._squares)
        return np.asarray(squares[:, self._on_part()].mean(axis=1))

    def _on_part(self) -> Mask:
        on = np.array(self._squares).min(axis=0) < self._limit**2
        return on if on.any() else np.ones(len(on), dtype=bool)

    def complete(self, progress: Progress) -> None:
        """Apply the motions between equally good poses to each other until nothing new comes."""
        costs = self._costs()
        level = _AS_GOOD * float(costs.min())
        best = self.found[int(np.argmin(costs))].part_from_scan
        good = [f.part_from_scan for f, c in zip(self.found, costs, strict=True) if c <= level]
        if len(good) < 2 or not self.is_good:
            return
        motions = [p @ invert(best) for p in good]
        enough = 2.0 * float(self._square(best, self._quick).mean())
        tried, looked = 0, 0
        while tried < len(motions) and len(self.found) < _MOST and looked < _TRIES:
            progress(0.5, "looking for other poses that fit")
            for other in motions[: tried + 1]:
                for motion in (motions[tried] @ other, other @ motions[tried]):
                    pose, looked = motion @ best, looked + 1
                    if self._known(pose) or float(self._square(pose, self._quick).mean()) > enough:
                        continue
                    before = len(self.found)
                    self.refine(pose)
                    if len(self.found) > before:
                        motions.append(self.found[-1].part_from_scan @ invert(best))
            tried += 1

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
        return bool(moved < 0.04 * self._model.diagonal)

    def ranked(self) -> list[Candidate]:
        costs, on = self._costs(), self._on_part()
        best = float(costs.min())
        order = sorted(
            range(len(costs)),
            key=lambda i: (max(costs[i], _EQUAL * best), np.linalg.norm(rotation_vector(self.found[i].part_from_scan))),
        )
        listed = []
        for i in order:
            if costs[i] <= _LISTED * best:
                fit = self.found[i]
                listed.append(Candidate(fit.part_from_scan, fit.rms, float(fit.used[on].sum() / on.sum())))
        return listed


def _free_axis(fit: BestFit) -> tuple[Points, Points] | None:
    """Return a point and the direction of the axis that the part turns about freely, if there is just that."""
    information = fit.information
    if information is None or information.free.shape[1] != 1:
        return None
    turn, shift = information.free[:3, 0], information.free[3:, 0]
    size = float(np.linalg.norm(turn))
    if size < 1e-12:
        return None
    return information.center + np.cross(turn, shift) / size**2, turn / size
