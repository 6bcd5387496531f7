"""Touching features by machine at their nominal places: stopped and taken up again without losing a touch."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import datetime

import numpy as np

from truegauge.core.arrays import Mask, Rigid, Vector
from truegauge.core.association.features import Line
from truegauge.core.association.squares import RULES
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import DeviceError
from truegauge.core.frames import apply, rotate
from truegauge.core.probing.clearance import room_of_each
from truegauge.core.probing.obstacles import PartObstacle
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.records import MachineRecord, StateSaid, StylusState, state_of
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.standing import standing
from truegauge.core.probing.strategies import Places, candidate_places, choose, usual_touches
from truegauge.core.probing.travel import NoWay
from truegauge.core.progress import Progress
from truegauge.core.samples.document import ProbedTouch
from truegauge.devices.cmm import Cmm, MachineTouch
from truegauge.devices.ipp.client import ConnectionLost, MachineRefused
from truegauge.jobs.moving import Moving

_ROOM = 0.4  # mm that a probe needs beside the part at a touch: nothing is quite where it is believed to be
_NEAR = 0.4  # mm before the surface where a probe can be when there is little room
_MARGIN = 1.0  # mm from the border of a face, beside the radius of the tip
_OVER = 40.0  # mm over the part that travel goes
_STEM_IN = 0.35  # cosine from which a stem points into the surface that its tip touches
_TRIED, _SAMPLED = 4, 24  # styli that are looked at closely, at so many places


@dataclass(frozen=True, slots=True, eq=False)
class FeatureToTouch:
    """A feature of the plan: its id and name, its faces, and its nominal feature (None: free-form).

    `about` is the axis that a face runs out about: it is touched in rings around it. What others are measured from
    comes `first`.
    """

    id: str
    name: str
    faces: tuple[int, ...]
    nominal: Nominal | None
    about: Line | None = None
    first: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class FeatureRoute:
    """How one feature is touched: by which stylus, where (machine coordinates), and how far before the surface."""

    feature: FeatureToTouch
    use: StylusUse
    places: Places
    approach: float


@dataclass(frozen=True, slots=True, eq=False)
class Left:
    """A feature that cannot be touched, and why."""

    feature: FeatureToTouch
    why: str


class Stylus:
    """Whether a stylus may measure, and what its touches mean: from its last qualification."""

    def __init__(
        self, probing: Probing, record: MachineRecord, use: StylusUse, temperature_c: float | None,
        now: datetime, speed: float | None = None,
    ) -> None:  # fmt: skip
        place = probing.assembly(use.assembly).stylus(use.stylus, use.pose)
        self.name = probing.name_of(use)
        known = record.latest(probing, use)
        self.said: StateSaid = state_of(known, now, temperature_c, probing.due, speed)
        self.allowed = self.said.may_measure or probing.allow_unqualified
        self.radius, self.offset = place.radius, np.zeros(3)
        if known is not None:
            self.radius, self.offset = max(known.diameter / 2, 0.0), np.array(known.offset)

    @property
    def why_not(self) -> str:
        """Say why nothing may be measured with it; empty when it may."""
        return "" if self.allowed else f"{self.name} is {self.said.state}: {self.said.why}"

    def touched(self, touch: MachineTouch, feature: str, row: int = -1) -> ProbedTouch:
        """Return what goes into the sample for a touch; `row` is the ring that it belongs to."""
        x, y, z = (float(v) for v in touch.place + self.offset)
        i, j, k = (float(v) for v in -touch.out)
        good = self.said.may_measure
        warning = self.said.why if self.said.state != StylusState.QUALIFIED or self.said.why else ""
        if not good:
            warning = f"{self.said.state}: {self.said.why}"
        return ProbedTouch(place=(x, y, z), approach=(i, j, k), radius=self.radius, feature=feature, stylus=self.name,
                           warning=warning, qualified=good, row=row)  # fmt: skip


class Router:
    """Chooses styli and places for features, by what the probes meet on the part as it is aligned."""

    def __init__(
        self, model: CadModel, projector: Projector, machine_from_part: Rigid, probing: Probing,
        may_use: Callable[[StylusUse], bool], sphere_center: Vector | None = None, record: MachineRecord | None = None,
    ) -> None:  # fmt: skip
        self._model, self._projector, self._pose = model, projector, machine_from_part
        self.probing, self._may_use = probing, may_use
        self.part = PartObstacle(projector, model.box, machine_from_part)
        known = standing(record or MachineRecord(), self.part)
        axes = tuple(machine_from_part[:3, :3].T)
        self.room = ProbeRoom(probing, known, sphere_center, above=_OVER, axes=axes)
        self._known: dict[tuple[str, float], Places] = {}

    def route(self, feature: FeatureToTouch) -> FeatureRoute | Left:
        """Choose stylus and places for a feature."""
        asked = self.probing.touching(feature.id)
        count, rows = usual_touches(feature.nominal, feature.about)
        count, rows = asked.touches or count, asked.rows or rows
        uses = [asked.stylus] if asked.stylus is not None else list(self.probing.uses())
        usable = [u for u in uses if u is not None and self._may_use(u)]
        if not usable:
            return Left(feature, "no stylus may be used: qualify one")
        least = 1 if feature.nominal is None else _least(feature.nominal)
        try:
            ranked = sorted(usable, key=lambda u: self._promise(feature, u), reverse=True)
        except DeviceError as error:
            return Left(feature, str(error))
        best: tuple[float, StylusUse] | None = None
        for use in ranked[:_TRIED]:
            places = self._places(feature, use)
            few = places.at(np.linspace(0, len(places) - 1, min(len(places), _SAMPLED)).astype(np.int64))
            share = float(self._reachable(few, use).mean())
            if best is None or share > best[0] + 1e-9:
                best = (share, use)
            if share == 1.0:
                break
        assert best is not None
        use = best[1]
        places = self._places(feature, use)
        places = places.at(self._reachable(places, use))
        if len(places) < least:
            names = ", ".join(sorted({str(u.pose) for u in usable}))
            return Left(
                feature, f"no stylus gets at it (poses {names}): {len(places)} places are free of {least} needed"
            )
        chosen = choose(places, feature.nominal, count, rows, feature.about)
        approach = self._approach(chosen, use)
        chosen = replace(chosen, points=apply(self._pose, chosen.points), normals=rotate(self._pose, chosen.normals))
        return FeatureRoute(feature, use, chosen, approach)

    def _places(self, feature: FeatureToTouch, use: StylusUse) -> Places:
        radius = self.room.shape(use)[1].radius
        key = (feature.id, radius)
        if key not in self._known:
            self._known[key] = self._candidates(feature, radius)
        return self._known[key]

    def _candidates(self, feature: FeatureToTouch, radius: float) -> Places:
        return candidate_places(
            self._model, self._projector, feature.faces, feature.nominal, radius + _MARGIN, feature.about
        )

    def _promise(self, feature: FeatureToTouch, use: StylusUse) -> tuple[float, float]:
        """Return which share of the places the stem does not point into, and how well it points at the surface."""
        direction = self.room.shape(use)[1].direction
        cosine = rotate(self._pose, self._places(feature, use).normals) @ direction
        return round(float((cosine < _STEM_IN).mean()), 2), round(float(-cosine.mean()), 2)

    def _reachable(self, places: Places, use: StylusUse, back: float = 0.0) -> Mask:
        """Tell at which places the probe meets nothing, `back` mm before the surface (0: but what its tip touches)."""
        shape, tip = self.room.shape(use)
        points, normals = apply(self._pose, places.points), rotate(self._pose, places.normals)
        # A stem that points into the surface need not be asked further.
        free = normals @ tip.direction < _STEM_IN
        rows = np.flatnonzero(free)
        at = points[rows] + (tip.radius + back) * normals[rows] - tip.center
        others = np.array([back > 0 or o != f"tip {tip.name}" for o in shape.owner])
        balls = (at[:, None] + shape.centers[others][None]).reshape(-1, 3)
        radii = np.tile(shape.radii[others], len(rows))
        room = room_of_each(balls, radii, self.room.obstacles(use))[0].reshape(len(rows), int(others.sum()))
        free[rows] = room.min(axis=1, initial=np.inf) > (_ROOM if back == 0 else min(_ROOM, 0.4 * back))
        return np.asarray(free)

    def _approach(self, places: Places, use: StylusUse) -> float:
        """Return how far before the surface the probe can be everywhere: less inside of small holes."""
        wanted = self.probing.moves.approach
        for share in (1.0, 0.6, 0.35, 0.2):
            if self._reachable(places, use, share * wanted).all():
                return share * wanted
        return _NEAR


def _least(nominal: Nominal) -> int:
    return RULES[nominal.shape].least


@dataclass(slots=True)
class TouchingTold:
    """What the job tells while it runs; called in its own thread."""

    progress: Progress
    touched: Callable[[ProbedTouch], None]
    begun: Callable[[FeatureRoute], None] = lambda route: None
    complete: Callable[[FeatureRoute], None] = lambda route: None  # all its touches were told


class Touching:
    """A run over features. `run` may be called again after it raised: it goes on where it was."""

    def __init__(
        self, cmm: Cmm, router: Router, record: MachineRecord, features: tuple[FeatureToTouch, ...], told: TouchingTold,
        now: Callable[[], datetime] = datetime.now,
    ) -> None:  # fmt: skip
        self.cmm, self.router, self.record, self.told, self._now = cmm, router, record, told, now
        routes = [router.route(f) for f in features]
        self.left = tuple(r for r in routes if isinstance(r, Left))
        # Datums first, then features of one stylus after the other: changing costs more than travel.
        order = {u: k for k, u in enumerate(router.probing.uses())}
        own = [r for r in routes if isinstance(r, FeatureRoute)]
        self.pending = tuple(sorted(own, key=lambda r: (not r.feature.first, order[r.use])))
        self._count = sum(len(r.places) for r in self.pending)
        self._all_done = 0
        self._done = 0  # touches of the first pending one
        self._moving = Moving(cmm, self._check)
        self._missed, self._why = 0, ""  # places of the first pending one to which no way leads
        self._is_away = False  # from the part, after the last feature

    def seconds(self) -> float:
        """Return how long the rest takes, roughly."""
        moves = self.router.probing.moves
        touch = 2 * moves.approach / moves.touch_speed + 0.8
        changes = 1 + sum(a.use != b.use for a, b in zip(self.pending, self.pending[1:], strict=False))
        return sum(len(r.places) for r in self.pending) * (touch + 40.0 / moves.travel_speed) + changes * 8.0

    def skip(self) -> None:
        """Leave the feature that it stands at."""
        self.pending, self._done, self._missed = self.pending[1:], 0, 0

    def _end(self, route: FeatureRoute) -> None:
        """Tell that a feature is touched, or which of its places were not."""
        if self._missed:
            text = f"{self._missed} of {len(route.places)} places were not touched: {self._why}"
            self.left = (*self.left, Left(route.feature, text))
        # Old touches give way only to new ones that can take their place.
        least = 1 if route.feature.nominal is None else _least(route.feature.nominal)
        if len(route.places) - self._missed >= least:
            self.told.complete(route)
        self._missed = 0

    def run(self) -> None:
        """Touch what is left.

        Raises
        ------
        DeviceError
            It cannot go on; what to do is in the text. Every touch so far was told.
        """
        lost = 0
        while self.pending or not self._is_away:
            try:
                self._check()
                self.cmm.back_out(self._check)
                if not self.pending:
                    self._moving.up(self.router.room)
                    self._is_away = True
                    break
                self._feature(self.pending[0])
                self._end(self.pending[0])
                self.pending, self._done = self.pending[1:], 0
                lost = 0
            except ConnectionLost:
                lost += 1
                if lost > 3:
                    raise
                self.cmm.reconnect(self.router.probing, self._check)
            except NoWay as error:
                # It stands where it is free: the others can go on.
                self.left = (*self.left, Left(self.pending[0].feature, str(error)))
                self.skip()
            except MachineRefused as error:
                where = f"{self.pending[0].feature.name}, touch {self._done + 1}" if self.pending else "on the way up"
                raise DeviceError(f"{where}: {error.said.words}") from error

    def run_with(self, progress: Progress) -> None:
        """Touch what is left, telling how far it is."""
        self.told.progress = progress
        self.run()

    def _check(self) -> None:
        name = self.pending[0].feature.name if self.pending else ""
        self.told.progress(min(1.0, self._all_done / max(1, self._count)), name)

    def _feature(self, route: FeatureRoute) -> None:
        moves, probing = self.router.probing.moves, self.router.probing
        place = self.router.room.shape(route.use)[1]
        if self.cmm.use != route.use:
            self._moving.take(self.router.room, route.use)
        stylus = Stylus(probing, self.record, route.use, self.cmm.temperature(), self._now(), moves.touch_speed)
        if stylus.why_not:
            raise DeviceError(f"nothing can be measured: {stylus.why_not}")
        self.cmm.set_speeds(travel_speed=moves.travel_speed, touch_speed=moves.touch_speed, approach=route.approach,
                            retract=route.approach, search=moves.search)  # fmt: skip
        self.told.begun(route)
        for k in range(self._done, len(route.places)):
            self._check()
            # What the machine believes differs from what is by the offset that was found.
            target = route.places.points[k] - stylus.offset
            out = route.places.normals[k]
            before = target + (place.radius + route.approach) * out
            try:
                self._moving.to(self.router.room, route.use, before, out)
            except NoWay as error:  # it stands where it is free: the other places can be touched
                self._missed, self._why = self._missed + 1, str(error)
                self._done = k + 1
                continue
            touch = self.cmm.touch(target, out, self._check)
            self._done, self._all_done = k + 1, self._all_done + 1
            row = -1 if route.places.rows is None else int(route.places.rows[k])
            self.told.touched(stylus.touched(touch, route.feature.id, row))
