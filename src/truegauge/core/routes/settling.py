"""Where a feature is really touched: each wanted place that a stylus gets at, others moved near to it, or dropped."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.around import widest_gap
from truegauge.core.arrays import Floats, Points, any_perpendicular, three
from truegauge.core.association.features import Cone, Cylinder
from truegauge.core.association.squares import RULES
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of
from truegauge.core.errors import DeviceError
from truegauge.core.features.held_by_points import ALL_HELD, held_by
from truegauge.core.probing.probing import StylusUse
from truegauge.core.routes.on_faces import BORDER, apart_of, is_apart, on_faces, same_row
from truegauge.core.routes.places import BESIDE, FeatureToTouch, Places, Surface, Trouble, nowhere, well_spread
from truegauge.core.routes.reach import OF_STEM, STEM_IN, AtPlace, at_places, reached
from truegauge.core.routes.scene import Scene
from truegauge.core.routes.strategies import Clicked, Placing, Rings, SheetEdge, StraightLine, trace_of

_TRIED = 14  # places near to a wanted one that are tried in its stead
_WIDER = np.radians(25.0)  # that moving places may open the widest gap around an axis
_ENOUGH_AROUND = np.radians(100.0)  # the widest gap of four places all around, and to spare
_LEVELS, _AROUND = 15, 8  # heights and directions that are tried of a turned feature
_DRAWN, _DRAWN_FLAT = 0.25, 0.45  # of its height, or its extent, that places must spread over at least
_SOME, _ALL = 0.35, 0.9  # of a row that is reached: enough for one, and what one of the rows must have
_SAMPLED = 80
_SPREAD = 0.7  # of their extent that places keep when some are moved or dropped


def least_touches(nominal: Nominal | None) -> int:
    """Return how many touches a feature needs at least (None: free-form)."""
    return 1 if nominal is None else RULES[nominal.shape].least


@dataclass(frozen=True, slots=True, eq=False)
class Settled:
    """The places of one stylus (part coordinates), how far before them it comes from, and what became of the others.

    `wanted` (n,) numbers the wanted place that each stands for; `open_ones` those that nothing stands for, and why.
    """

    use: StylusUse
    places: Places
    approaches: Floats
    wanted: np.ndarray
    troubles: tuple[Trouble, ...]
    open_ones: tuple[tuple[int, str], ...]


class FeaturePlaces:
    """The wanted places of a feature for tips of a radius, and what a stylus gets at of them."""

    def __init__(
        self, scene: Scene, surface: Surface, strategy: Placing, approach: float, *, adapts: bool = False
    ) -> None:  # fmt: skip
        self.scene, self.surface, self.strategy, self.approach = scene, surface, strategy, approach
        self._adapts = adapts  # nobody asked for these numbers
        self._known: dict[float, tuple[Places, Places, tuple[Trouble, ...]] | DeviceError] = {}
        self._settled: dict[StylusUse, Settled] = {}

    @property
    def feature(self) -> FeatureToTouch:
        """The feature."""
        return self.surface.feature

    def wanted(self, use: StylusUse) -> tuple[Places, Places, tuple[Trouble, ...]]:
        """Return the wanted places on the faces, those to choose from, and what was moved or dropped.

        Raises
        ------
        DeviceError
            The faces are too narrow for the tip.
        """
        radius = self.scene.probe(use).place.radius
        if radius not in self._known:
            try:
                self._known[radius] = on_faces(self.surface, self.strategy, radius + BORDER)
            except DeviceError as error:  # it is asked again for every pose of every stylus
                self._known[radius] = error
        found = self._known[radius]
        if isinstance(found, DeviceError):
            raise DeviceError(str(found))
        return found

    @property
    def least(self) -> int:
        """How many touches it needs at least: those of a line are about its straightness alone."""
        least = least_touches(self.feature.nominal)
        if isinstance(self.strategy, SheetEdge):
            return 2 * least  # each with one on the sheet
        return min(least, 2) if isinstance(self.strategy, StraightLine) else least

    def fits(self, use: StylusUse) -> bool:
        """Return whether the faces are wide enough for the tip."""
        try:
            self.wanted(use)
        except DeviceError:
            return False
        return True

    def promise(self, use: StylusUse) -> tuple[float, float]:
        """Return which share of the wanted places the stem does not point into, and how well it points at them."""
        places = self.wanted(use)[0] if self.fits(use) else nowhere()
        if not len(places):
            return 0.0, -1.0
        cosine = places.normals @ (self.scene.machine_from_part[:3, :3].T @ self.scene.probe(use).place.direction)
        return float((cosine < STEM_IN).mean()), float(-cosine.mean())

    def settled(self, use: StylusUse) -> Settled:
        """Return where a stylus touches the feature."""
        if use not in self._settled:
            self._settled[use] = self._settle(use)
        return self._settled[use]

    def reach(self, use: StylusUse, places: Places) -> list[AtPlace]:
        """Return whether a stylus gets at places."""
        return at_places(self.scene, use, places, self.approach)

    def _settle(self, use: StylusUse) -> Settled:
        places, candidates, _ = self.wanted(use)
        found = self.reach(use, places)
        good = reached(found)
        order, made, approaches, troubles, left = [], [], [], [], []
        apart = apart_of(places.points)
        # What has its place by something else (a line of contact, a click, a sheet beside it) is not moved.
        stays = trace_of(self.strategy) is not None or isinstance(self.strategy, Clicked | SheetEdge)
        beside = True  # the sheet beside an edge was touched
        for k in range(len(places)):
            if places.rows[k] == BESIDE:
                beside = bool(good[k] and k + 1 < len(places) and good[k + 1])
                if not beside:
                    continue
            elif not beside:
                why = found[k].why or f"the sheet beside it cannot be touched first: {found[k - 1].why}"
                left.append((k, why))
                continue
            if good[k]:
                made.append(places.at(np.array([k])))
                approaches.append(found[k].approach)
                order.append(k)
                continue
            near = None
            if not stays and good.mean() >= 0.4:
                near = self._near(use, places, k, candidates, [m.points[0] for m in made], apart, places.points[good])
            if near is None:
                left.append((k, found[k].why))
            else:
                at, approach = near
                made.append(at)
                approaches.append(approach)
                order.append(k)
                troubles.append(Trouble(three(places.points[k]), True, found[k].why))
        whole = nowhere() if not made else Places(
            np.vstack([m.points for m in made]), np.vstack([m.normals for m in made]),
            np.concatenate([m.rows for m in made]),
        )  # fmt: skip
        return Settled(use, whole, np.array(approaches), np.array(order, dtype=np.int64), tuple(troubles), tuple(left))

    def _near(
        self,
        use: StylusUse,
        places: Places,
        k: int,
        candidates: Places,
        made: list[np.ndarray],
        apart: float,
        good: Points,
    ) -> tuple[Places, float] | None:
        others = np.vstack([*([np.array(made)] if made else []), good]) if made or len(good) else np.zeros((0, 3))
        order = np.argsort(np.linalg.norm(candidates.points - places.points[k], axis=1))
        free = [c for c in order if is_apart(candidates.points[c], others, apart)]
        free.sort(key=lambda c: not same_row(self.feature, candidates.points[c], places.points[k]))
        tried = free[:_TRIED]
        if not tried:
            return None
        some = candidates.at(np.array(tried))
        for j, found in enumerate(self.reach(use, some)):
            if found.approach > 0:
                row = places.rows[k] if same_row(self.feature, some.points[j], places.points[k]) else -1
                one = some.at(np.array([j]))
                return Places(one.points, one.normals, np.array([row])), found.approach
        return None

    def drawn_up(self, use: StylusUse) -> "FeaturePlaces | None":
        """Return the places only where a stylus gets at a feature; None where that is too little of it.

        Only what nobody asked for by numbers gives way like that.
        """
        if not self._adapts:
            return None
        f = None if self.feature.nominal is None else self.feature.nominal.feature
        if isinstance(f, Cylinder | Cone) and isinstance(self.strategy, Rings):
            made = self._fewer_rows(use, f, self.strategy)
            return None if made is None else FeaturePlaces(self.scene, self.surface, made, self.approach)
        asked, candidates, _ = self.wanted(use)
        some = candidates.at(np.unique(np.linspace(0, len(candidates) - 1, _SAMPLED).astype(np.int64)))
        good = some.at(reached(self.reach(use, some)))
        if len(good) < 2 * least_touches(self.feature.nominal):
            return None
        places = good.at(well_spread(good.points, len(asked)))
        # Nothing is fitted to a free-form face: what is touched of it counts, wherever that is.
        if not self.keeps_spread(places.points, asked.points, _DRAWN if f is None else _DRAWN_FLAT):
            return None
        found = FeaturePlaces(self.scene, self.surface, self.strategy, self.approach)
        found._known[self.scene.probe(use).place.radius] = (places, good, ())
        return found

    def _fewer_rows(self, use: StylusUse, f: Cylinder | Cone, strategy: Rings) -> Rings | None:
        """Return a strategy with rows from where a stylus gets all around down to where it gets at some places."""
        low, high = self.surface.heights(f)
        size = high - low
        margin = self.scene.probe(use).place.radius + BORDER
        keep = max(0.02 * size, min(margin, 0.4 * size))
        levels = np.linspace(low + keep, high - keep, _LEVELS)
        around, there = self.surface.on_it(self.surface.around(f, levels, np.arange(_AROUND) * 2 * np.pi / _AROUND))
        good = np.zeros(len(around), dtype=bool)
        good[there] = reached(self.reach(use, around.at(there)))
        on_face = np.maximum(there.reshape(_LEVELS, _AROUND).sum(axis=1), 1)
        share = good.reshape(_LEVELS, _AROUND).sum(axis=1) / on_face
        first, last = _longest_run(share >= _SOME)
        if last - first < _DRAWN * _LEVELS or share[first : last + 1].max() < _ALL:
            return None
        ends = (levels[first] - low, levels[last] - low)
        depths = sorted(size - e for e in ends) if self.surface.outer_is_high(f) else sorted(ends)
        return strategy.replace(end="outer", first=float(depths[0]), last=float(depths[1]))

    def missing(self, places: Points) -> str:
        """Say what touches there would leave open of the feature, by the rule of its results; empty: nothing."""
        nominal = self.feature.nominal
        held = ALL_HELD if nominal is None else held_by(nominal, places)
        return held.place or held.direction

    def keeps_spread(self, places: Points, wanted: Points, share: float = _SPREAD) -> bool:
        """Tell whether places still hold what the wanted ones did: their arc around an axis, and their extent."""
        if len(places) < self.least:
            return False
        f = None if self.feature.nominal is None else self.feature.nominal.feature
        if isinstance(f, Cylinder | Cone):
            axis = axis_of(f)
            assert axis is not None
            most = max(_gap(wanted, axis.point, axis.direction) + _WIDER, _ENOUGH_AROUND)
            if _gap(places, axis.point, axis.direction) > most:
                return False
            along = np.ptp((places - axis.point) @ axis.direction), np.ptp((wanted - axis.point) @ axis.direction)
            return bool(along[0] >= share * along[1] - 1e-6)
        extents = [np.sort(np.linalg.svd(p - p.mean(axis=0), compute_uv=False)) / np.sqrt(max(len(p), 1))
                   for p in (places, wanted)]  # fmt: skip
        return bool((extents[0][-2:] >= share * extents[1][-2:] - 1e-6).all())


def _gap(points: Points, at: np.ndarray, direction: np.ndarray) -> float:
    """Return the widest angle (rad) around an axis without a point."""
    x = any_perpendicular(direction)
    off = points - at
    return widest_gap(np.column_stack([off @ x, off @ np.cross(direction, x)]))


def why_of(settled: Settled) -> str:
    """Say why a stylus does not get at what it leaves open: the commonest reason."""
    reasons = [why for _, why in settled.open_ones]
    if not reasons:
        return "its places lie too near together"
    return max(sorted(set(reasons)), key=reasons.count) or OF_STEM


def _longest_run(enough: np.ndarray) -> tuple[int, int]:
    """Return the first and last row of the longest run that is true; (0, -1) where there is none."""
    best, begin = (0, -1), None
    for k, good in enumerate([*enough, False]):
        if good and begin is None:
            begin = k
        elif not good and begin is not None:
            if k - 1 - begin > best[1] - best[0]:
                best = (begin, k - 1)
            begin = None
    return best
