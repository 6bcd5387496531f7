"""Poses that fit: refined, told apart, and completed by the symmetries of the part that they reveal."""

import numpy as np

from truegauge.core.arrays import Floats, Mask, Points, Rigid
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, invert, rotation_vector, twist_motion
from truegauge.core.progress import Progress, silent
from truegauge.core.registration.alignment import Candidate
from truegauge.core.registration.best_fit import BestFit, FitSettings, best_fit
from truegauge.core.registration.coarse import COARSE_LIMIT

_MOST = 60
_MAY_BE = 1.6  # times the best coarse cost: a pose may still turn out the best
_AS_GOOD = 1.5  # of the best mean square: worth completing by symmetry
_STEP = np.radians(6.0)
_TURNED = 2500  # points
_MAY_BE_TURNED = 1.6  # times the best mean square
_MOST_TURNS = 6
_NEARLY_TURNED = 0.06  # of the moments of the surface
_BEYOND_CHANCE = 4.0  # standard deviations
_LISTED = 9.0
_QUICK = 1500
_GOOD = 0.3  # of the limit: a fit that is worse is no fit, and its symmetries mean nothing
_TRIES = 2000
_FREED = 2  # poses that are taken off the walls
_SNUG = 2e-4  # of the part's size: a scan that fits as closely has not got caught
_FAR_OFF, _ALL_ON = 10.0, 0.01  # scales; the share of points that may be so far off a snug fit
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
    search.try_turns()
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
            on = self._on_part()
            off = float((self._squares[int(i)][on] > max(_FAR_OFF * fit.scale, 1e-9 * size) ** 2).mean())
            if fit.scale < _SNUG * size and off < _ALL_ON:
                continue
            found = self._projector.deviations(apply(fit.part_from_scan, self._few), max_distance=3 * self._limit)
            normals = np.asarray(found.normals[found.face >= 0], dtype=np.float64)
            ways = np.linalg.eigh(normals.T @ normals)[1]
            before = float(self._squares[int(i)].mean())
            # Caught at one small wall only, the rest fits snugly: the direction is not the one that is held most.
            tried = ways.T[2:] if fit.scale >= _SNUG * size else ways.T
            for way, step in ((w, s) for w in tried for s in (-_OFF, _OFF)):
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

    def try_turns(self) -> None:
        """Turn the best pose about the main axes of the part and fit again where that fits nearly as well.

        Slender and nearly turned parts look the same from both ends and at every turn but for small features, which a
        coarse search does not see.
        """
        if not self.is_good:
            return
        best = self.found[int(np.argmin(self._costs()))].part_from_scan
        center, axes, turned = _main_axes(self._model)
        motions = [_turn(center, axis, np.pi) for axis in axes]
        if turned is not None:
            ways = [np.eye(4), next(m for m, axis in zip(motions, axes, strict=True) if abs(axis @ turned) < 0.5)]
            steps = [_turn(center, turned, k * _STEP) for k in range(1, round(2 * np.pi / _STEP))]
            motions += [step @ way for way in ways for step in steps]
        some = self._few[:: max(1, len(self._few) // _TURNED)]
        enough = _MAY_BE_TURNED * float(self._square(best, some).mean())
        costs = [float(self._square(m @ best, some).mean()) for m in motions]
        left = _MOST_TURNS
        for k in np.argsort(costs):
            if costs[k] > enough or left == 0:
                break
            if not self._known(motions[k] @ best):
                self.refine(motions[k] @ best)
                left -= 1

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
        # Turns of a slender part about its length move its corners little.
        turned = axis is None and float(np.linalg.norm(rotation_vector(motion))) > 0.5 * _STEP
        return bool(moved < 0.04 * self._model.diagonal) and not turned

    def ranked(self) -> list[Candidate]:
        costs, on = self._costs(), self._on_part()
        first = int(np.argmin(costs))
        best = float(costs[first])
        alike = [self._as_good(i, first, on) for i in range(len(costs))]
        order = sorted(
            range(len(costs)),
            key=lambda i: (
                best if alike[i] else max(costs[i], best * (1 + 1e-9)),
                np.linalg.norm(rotation_vector(self.found[i].part_from_scan)),
            ),
        )
        listed = []
        for i in order:
            if costs[i] <= _LISTED * best:
                fit = self.found[i]
                listed.append(Candidate(fit.part_from_scan, fit.rms, float(fit.used[on].sum() / on.sum())))
        return listed

    def _as_good(self, i: int, best: int, on: Mask) -> bool:
        """Tell whether a pose may be as good as the best one: point by point, its squares are no larger but by chance.

        A part that is nearly symmetrical differs on a small share of its surface, which the mean hardly shows.
        """
        more = self._squares[i][on] - self._squares[best][on]
        chance = float(np.std(more)) / np.sqrt(len(more))
        return i == best or float(more.mean()) <= _BEYOND_CHANCE * chance + 1e-9 * self._limit**2


def _main_axes(model: CadModel) -> tuple[Points, Points, Points | None]:
    """Return the middle of the surface, its main axes (3, 3) by rows, and the one that it nearly turns about."""
    mesh = model.mesh
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    middle = (a + b + c) / 3
    center = area @ middle / area.sum()
    off = middle - center
    values, vectors = np.linalg.eigh((off * area[:, None]).T @ off / area.sum())
    turned = None
    for k, (i, j) in enumerate(((1, 2), (0, 2), (0, 1))):
        if abs(values[i] - values[j]) < _NEARLY_TURNED * max(values[i], values[j]):
            turned = vectors[:, k]
    return np.asarray(center), np.asarray(vectors.T), turned


def _turn(center: Points, axis: Points, angle: float) -> Rigid:
    """Return the turn about an axis through a place."""
    return twist_motion(np.concatenate([angle * axis, np.zeros(3)]), center)


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
