"""Poses that fit: refined, told apart, and completed by the symmetries of the part that they reveal."""

from typing import NamedTuple

import numpy as np

from truegauge.core.arrays import Floats, Mask, Points, Rigid
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.clouds.spatial import thinned_to
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, invert, rotation_vector
from truegauge.core.progress import Progress, silent
from truegauge.core.registration.alignment import Candidate
from truegauge.core.registration.ambiguity import (
    SAME_EVERYWHERE,
    close_limit,
    no_worse,
    squares_within,
)
from truegauge.core.registration.best_fit import BestFit, FitSettings
from truegauge.core.registration.coarse import COARSE_LIMIT
from truegauge.core.registration.on_itself import OnItself
from truegauge.core.registration.pose_list import STEP, PoseList, every_so_often
from truegauge.core.registration.weak_motions import Motion, axis_of, turn_about, weak_motions

_MOST = 60
_MAY_BE = 1.6  # times the best coarse cost: a pose may still turn out the best
_AROUND = 0.25  # of the part's sides: as far as it may slide
_MOSTLY, _CELL = 0.8, 0.006  # of the points; of the part's size
_COARSELY = 0.003  # of the part's size: so far off a coarse pose may be that is right
_TURNED, _TURNED_FIRST, _TURNS = 2500, 600, 121  # points; steps of a whole turn
_MAY_BE_TURNED = 1.6  # times the best mean square
_MOST_TURNS = 6
_BETTER = 0.8  # times the mean square of a pose that seems the same
_SLID, _TELLING = 1500, 250  # points
_TELLING_FROM = 0.2  # of the limit: by so much a telling point comes nearer
_SLIDES, _SLIDE_REACH, _LOWS = 81, 20.0, 3  # steps; limits; places looked at closely
_CLEARLY = 0.98  # of the mean square: by so much a place close by is better
_OFF_WALLS = 41  # steps
_MOST_WEAK = 2  # motions
_LOWLY = 0.03  # of the limit: so far off a place may be before it is refined
_SETTLED = 3  # poses
_NEARLY_TURNED = 0.06  # of the moments of the surface
_LISTED = 9.0
_MOST_REFINED = 40  # poses that symmetry promises
_TRIES = 2000
_FREED = 2  # poses that are taken off the walls
_SNUG = 2e-4  # of the part's size: a scan that fits as closely has not got caught
_FAR_OFF, _ALL_ON = 10.0, 0.01  # scales; the share of points that may be so far off a snug fit
_FREE_ROUNDS, _ROUNDS = 8, 3
_CAUGHT = 0.5  # of the limit: a fit that is worse has got caught nowhere


def find_candidates(
    few: Points,
    poses: list[tuple[float, Rigid]],
    projector: Projector,
    model: CadModel,
    settings: FitSettings,
    *,
    many: Points | None = None,
    thorough: bool = False,
    quick: bool = False,
    progress: Progress = silent,
) -> list[Candidate]:
    """Refine coarse poses on the true surfaces and complete them by symmetry; the best first.

    Those that the `few` points (n, 3) do not tell apart are compared by `many` points.

    Poses that fit equally well follow each other by how little they turn the scan. A `thorough` search refines poses
    that are clearly worse at first as well, a `quick` one leaves poses that are alike but for little to chance.

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
    if not quick:
        search.free_from_walls()
        search.focus(few if many is None else many)
        search.slide()
        search.try_turns()
        search.slide()
        search.settle()
        search.complete(progress)
    return search.ranked(few if many is None else many)


class _Low(NamedTuple):
    """A place that fits better than what lies around it: its mean square (mm2), and whether it is not where one was."""

    cost: float
    pose: Rigid
    is_new: bool


class _Search(PoseList):
    def focus(self, many: Points) -> None:
        """Go on with points that may be the part's in some pose found: of a scan with a large table few are."""
        low, high = self._model.box
        margin = _AROUND * (high - low) + 2 * self._limit

        def near(points: Points) -> Mask:
            inside = np.zeros(len(points), dtype=bool)
            for fit in self.found:
                moved = apply(fit.part_from_scan, points)
                inside |= ((moved > low - margin) & (moved < high + margin)).all(axis=1)
            return inside

        if float(near(self._few).mean()) < _MOSTLY:
            own = many[near(many)]
            if len(own):
                self._look_at(thinned_to(own, len(self._few), _CELL * self._model.diagonal))

    def free_from_walls(self) -> None:
        """Look along the main directions of the surfaces for places that fit better, where the best poses fit badly.

        On a thin wall, points may be drawn to its wrong side and hold the pose there.
        """
        if float(self._costs().min()) > (_CAUGHT * self._limit) ** 2:
            return
        reach = np.linspace(-1.0, 1.0, _OFF_WALLS) * self._limit
        for i in (int(k) for k in np.argsort(self._costs())[:_FREED]):
            for _ in range(_FREE_ROUNDS):
                fit, better = self.found[i], False
                off = self._squares[i][self._on_part()] > max(_FAR_OFF * fit.scale, 1e-9 * self._model.diagonal) ** 2
                if fit.scale < _SNUG * self._model.diagonal and float(off.mean()) < _ALL_ON:
                    break
                found = self._projector.deviations(
                    apply(fit.part_from_scan, self._fitted), max_distance=3 * self._limit, rough=True
                )
                normals = np.asarray(found.normals[found.face >= 0], dtype=np.float64)
                for way in np.linalg.eigh(normals.T @ normals)[1].T:
                    motion = Motion(np.concatenate([np.zeros(3), way]), np.zeros(3), False)
                    for low in self._worth_it(self._lows_along(motion, self.found[i].part_from_scan, reach)):
                        better |= low.is_new and self._replaced(i, low.pose)
                if not better:
                    break

    def try_turns(self) -> None:
        """Turn the best pose about the main axes of the part and fit again where that fits nearly as well.

        Slender and nearly turned parts look the same from both ends and at every turn but for small features, which a
        coarse search does not see.
        """
        if not self.is_good:
            return
        first = self._best()
        best = self.found[first].part_from_scan
        center, axes, turned = _main_axes(self._model)
        motions = [turn_about(center, axis, np.pi) for axis in axes]
        weak = [m for m in self._weak_motions(self.found[first]) if m.turns]
        if turned is None and weak:  # as far as its points tell, the part turns freely
            center, turned = axis_of(weak[0].twist, weak[0].center)
        own = self._few[self._squares[first] < self._limit**2]
        for half in motions:  # what is symmetrical but for little must not be missed, nor have got caught elsewhere
            if (
                float(self._square(half @ best, every_so_often(own, _TURNED_FIRST)).mean())
                < (_CAUGHT * self._limit) ** 2
            ):
                self.refine(half @ best)
        if turned is None:
            return
        ways = (np.eye(4), motions[int(np.argmin(np.abs(axes @ turned)))])
        steps = [turn_about(center, turned, k * STEP) for k in range(1, round(2 * np.pi / STEP))]
        self._refine_near(best, [step @ way @ best for way in ways for step in steps], own)
        # Where points hold a turn well, it is no better than its neighbours until it is refined: the lows count.
        turning = Motion(np.concatenate([turned, np.zeros(3)]), center, True)
        for way in ways:
            for low in self._lows_along(turning, way @ best, np.linspace(-np.pi, np.pi, _TURNS)):
                if low.is_new:
                    self.refine(low.pose)

    def _refine_near(self, best: Rigid, poses: list[Rigid], own: Points) -> None:
        """Refine those poses that fit nearly as well as the best one: told with few points first, as most are worse."""
        enough = np.inf
        for count, slack in ((_TURNED_FIRST, 2.0), (_TURNED, 1.0)):
            some = every_so_often(own, count)
            enough = slack * _MAY_BE_TURNED * float(self._square(best, some).mean())
            costs = self._means(poses, some) if poses else np.zeros(0)
            poses = [poses[k] for k in np.argsort(costs) if costs[k] <= enough][: 4 * _MOST_TURNS]
        left = _MOST_TURNS
        for cost, pose in zip(np.sort(costs), poses, strict=False):
            if left == 0:
                break
            if cost < _BETTER * enough / _MAY_BE_TURNED or not self._known(pose):
                self.refine(pose)
                left -= 1

    def slide(self) -> None:
        """Move the best pose along what its points hardly hold, and fit again from where that fits best.

        Ends, steps and holes of a slender part are few points: too far off, they are not used, and the fit stays there.
        """
        if not self.is_good:
            return
        fit = self.found[self._best()]
        if fit is self._slid:
            return
        self._slid = fit
        reach = np.linspace(-1.0, 1.0, _SLIDES) * _SLIDE_REACH * self._limit
        middle, axes, _ = _main_axes(self._model)
        # The ends of a slender part are alike too: what turns it over is tried with every step.
        ways = [np.eye(4), *(turn_about(middle, axis, np.pi) for axis in axes)]
        for motion in self._weak_motions(fit):
            if motion.turns:
                continue
            lows = [low for way in ways for low in self._lows_along(motion, way @ fit.part_from_scan, reach)[:2]]
            for low in self._worth_it(lows):
                self.refine(low.pose)

    def settle(self) -> None:
        """Look along what is hardly held once more, in small steps, from the best poses.

        The few points that hold it are not used by a fit from which they are more than some scales away.
        """
        if not self.is_good:
            return
        done: list[BestFit] = []
        for _ in range(_ROUNDS):
            best = [self.found[int(i)] for i in np.argsort(self._close_squares().mean(axis=1))[:_SETTLED]]
            for fit in (f for f in best if not any(f is other for other in done)):
                done.append(fit)
                for motion in self._weak_motions(fit):
                    whole = np.pi / float(np.linalg.norm(motion.twist[:3])) if motion.turns else self._limit
                    steps = np.linspace(-1.0, 1.0, _SLIDES) * whole
                    for low in self._worth_it(self._lows_along(motion, fit.part_from_scan, steps)):
                        if low.is_new:
                            self.refine(low.pose)

    def _worth_it(self, lows: list[_Low]) -> list[_Low]:
        """Return those of some places that may be the best one once they are refined, the best first."""
        enough = _MAY_BE * min((low.cost for low in lows), default=0.0) + (_LOWLY * self._limit) ** 2
        return sorted((low for low in lows if low.cost <= enough), key=lambda low: low.cost)

    def _lows_along(self, motion: Motion, pose: Rigid, reach: Floats) -> list[_Low]:
        """Return the poses along a motion with the least mean squares, to a tenth of the steps; the best first."""

        def along(s: float) -> Rigid:
            return motion.along(s) @ pose

        # Only points that are near in some place and far in another tell anything.
        some = every_so_often(self._few, _SLID)
        squares = np.array([self._square(along(s), some) for s in reach[:: len(reach) // 8]])
        telling = some[np.ptp(squares, axis=0) > min(self._close_limit(), _TELLING_FROM * self._limit) ** 2]
        if not len(telling):
            return []
        share, telling, step = len(telling) / len(some), every_so_often(telling, _TELLING), float(reach[1] - reach[0])
        costs = self._means([along(s) for s in reach], telling)
        padded = np.concatenate([[np.inf], costs, [np.inf]])
        lows = np.flatnonzero((costs <= padded[:-2]) & (costs <= padded[2:]))
        found, here = [], float(self._square(pose, telling).mean())
        for k in lows[np.argsort(costs[lows])][:_LOWS]:
            low = float(reach[k])
            for closer in (1.0, 1 / 3):
                steps = low + np.linspace(-closer, closer, 7) * step
                closely = self._means([along(s) for s in steps], telling)
                low = float(steps[int(np.argmin(closely))])
            found.append(
                _Low(share * float(closely.min()), along(low), closely.min() < _CLEARLY * here or abs(low) > step)
            )
        return found

    def _weak_motions(self, fit: BestFit) -> list[Motion]:
        moved = apply(fit.part_from_scan, self._fitted[fit.used])
        return weak_motions(fit.information, moved, 0.5 * self._model.diagonal, _MOST_WEAK)

    def hopeless(self, best_coarse: float) -> float:
        """Return the coarse cost from which on a pose is not worth refining.

        Points that lie nowhere on the part (a table) cost the same in every pose: they say nothing about a pose.
        """
        if not self.is_good:
            return _MAY_BE * best_coarse
        elsewhere = 1.0 - float(self._on_part().mean())
        floor = min(elsewhere * (COARSE_LIMIT * self._model.diagonal) ** 2, 0.9 * best_coarse)
        return floor + max(_MAY_BE * (best_coarse - floor), (_COARSELY * self._model.diagonal) ** 2)

    def complete(self, progress: Progress) -> None:
        """Apply the motions between equally good poses to each other until nothing new comes."""
        squares, first = self._close_squares(), self._best()
        best = self.found[first].part_from_scan
        good = [f.part_from_scan for i, f in enumerate(self.found) if no_worse(squares[i], squares[first])]
        if len(good) < 2 or not self.is_good:
            return
        motions = [p @ invert(best) for p in good]
        enough = 2.0 * float(self._square(best, self._quick).mean())
        tried, looked, refined = 0, 0, 0
        while tried < len(motions) and len(self.found) < _MOST and looked < _TRIES:
            progress(0.5, "looking for other poses that fit")
            for other in motions[: tried + 1]:
                for motion in (motions[tried] @ other, other @ motions[tried]):
                    pose, looked = motion @ best, looked + 1
                    if self._known(pose) or float(self._square(pose, self._quick).mean()) > enough:
                        continue
                    if refined == _MOST_REFINED:
                        return
                    before, refined = len(self.found), refined + 1
                    self.refine(pose)
                    if len(self.found) > before:
                        motions.append(self.found[-1].part_from_scan @ invert(best))
            tried += 1

    def ranked(self, many: Points) -> list[Candidate]:
        """Return the poses, the best first; those that fit alike are told apart by `many` points (n, 3)."""
        squares, on = self._close_squares(), self._on_part()
        costs = squares.mean(axis=1)
        best = int(np.argmin(costs))
        alike = self._by_turn([i for i in range(len(costs)) if no_worse(squares[i], squares[best])])
        itself = OnItself(self._projector, self._model)
        alike = self._by_turn(self._told_apart(alike, many, itself))
        others = sorted((i for i in range(len(costs)) if i not in alike), key=lambda i: float(costs[i]))
        order = alike + [i for i in others if costs[i] <= _LISTED * costs[best]]
        listed = []
        for i in order:
            fit = self.found[i]
            used = self._squares[i][on] <= (self._settings.trim * fit.scale) ** 2
            differs = itself.share_that_differs(self._motion(order[0], i), fit.scale) if i != order[0] else 0.0
            listed.append(Candidate(fit.part_from_scan, fit.rms, float(used.mean()), i in alike, differs))
        return listed

    def _by_turn(self, poses: list[int]) -> list[int]:
        return sorted(poses, key=lambda i: float(np.linalg.norm(rotation_vector(self.found[i].part_from_scan))))

    def _motion(self, first: int, other: int) -> Rigid:
        """Return what moves the part from where one pose has it to where another one has it."""
        return self.found[other].part_from_scan @ invert(self.found[first].part_from_scan)

    def _told_apart(self, alike: list[int], many: Points, itself: OnItself) -> list[int]:
        """Return which of some poses are alike for those of many points too that lie where the part differs."""
        first = self.found[alike[0]]
        motions = [self._motion(alike[0], i) for i in alike[1:]]
        differing = [m for m in motions if itself.share_that_differs(m, first.scale) > SAME_EVERYWHERE]
        if not differing:
            return alike
        moved = apply(first.part_from_scan, many)
        telling = itself.near(moved, np.vstack([itself.places_that_tell(m, first.scale) for m in differing]))
        if not telling.any():
            return alike
        limit = close_limit(first.scale, self._model)
        squares = [
            squares_within(apply(self.found[i].part_from_scan, many[telling]), self._projector, limit) for i in alike
        ]
        best = squares[int(np.argmin([s.mean() for s in squares]))]
        return [i for i, own in zip(alike, squares, strict=True) if no_worse(own, best)]


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
