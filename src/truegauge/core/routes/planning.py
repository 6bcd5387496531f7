"""From the steps of a route to what a machine does: visits, ways, changes of pose, and how long it takes."""

from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, replace

import numpy as np

from truegauge.core.arrays import Points, Vector, three
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import apply, invert, rotate
from truegauge.core.probing.probing import Moves, StylusUse
from truegauge.core.probing.travel import NoWay
from truegauge.core.progress import Progress, silent
from truegauge.core.routes.assigning import Assigned, assign
from truegauge.core.routes.candidates import candidates_for
from truegauge.core.routes.document import MeasureStep, NoteStep, Route
from truegauge.core.routes.kinematics import Kinematics
from truegauge.core.routes.legs import READ_S, Legs, PlannedRoute, StepPlan, Unreached, Visit
from truegauge.core.routes.places import FeatureToTouch, Places, Surface, Trouble
from truegauge.core.routes.scene import TURN_ROOM, Scene
from truegauge.core.routes.settling import FeaturePlaces, Settled
from truegauge.core.routes.strategies import Trace, Usual, trace_of
from truegauge.core.routes.usual import resolved
from truegauge.core.routes.ways import Ways

_HIGHER, _HIGHEST = 20.0, 600.0  # mm, by which and up to which a place is looked for where the head can turn
_NOT_BY = "something stands in the way over the places that were put on it: it goes by itself"
_GAP = 1.7  # spacings of a trace: what is farther apart has something missing between


@dataclass(frozen=True, slots=True, eq=False)
class Planner:
    """Plans routes of one part in one scene. `may_use` tells which styli may measure."""

    model: CadModel
    projector: Projector
    scene: Scene
    kinematics: Kinematics
    may_use: Callable[[StylusUse], bool] = lambda use: True
    inside: bool = False  # travel between features may go on within the safe envelope

    def uses(self) -> tuple[StylusUse, ...]:
        """Return the styli that may measure."""
        return tuple(u for u in self.scene.probing.uses() if self.may_use(u))

    def places_of(self, step: MeasureStep, feature: FeatureToTouch) -> FeaturePlaces:
        """Return the places that a step wants."""
        strategy = resolved(step.strategy, feature)
        surface = Surface(self.model, self.projector, feature)
        approach = self.moves.approach if step.approach is None else step.approach
        return FeaturePlaces(self.scene, surface, strategy, approach, adapts=isinstance(step.strategy, Usual))

    def assigned(
        self, route: Route, features: Mapping[str, FeatureToTouch], progress: Progress = silent
    ) -> tuple[dict[str, Assigned], dict[str, FeaturePlaces]]:
        """Return which styli measure the features (by id) of the steps that are on, and the places that they want."""
        measured = [s for s in route.steps if isinstance(s, MeasureStep) and s.on and s.feature in features]
        wanted = [(s, self.places_of(s, features[s.feature])) for s in measured]
        return assign(wanted, self.uses(), lambda: progress(0.2, "choosing styli")), {s.id: p for s, p in wanted}

    def plan(
        self, route: Route, features: Mapping[str, FeatureToTouch], progress: Progress = silent, *,
        start: tuple[StylusUse, Vector] | None = None, over: Collection[str] = (),
    ) -> PlannedRoute:  # fmt: skip
        """Plan a route over features (by id). What cannot be measured says why; the others are planned all the same.

        With ``start`` it is known which stylus is on the machine, and where its tip is. Steps (ids) that are `over` are
        left out; styli are chosen as with them, so that the rest is measured as it would have been.
        """
        chosen, places = self.assigned(route, features, progress)
        legs = Legs(self.kinematics, self.scene.probing.moves)
        if start is not None:
            legs.take(*start)
        plans: list[StepPlan] = []
        for k, step in enumerate(route.steps):
            progress(0.4 + 0.6 * k / max(1, len(route.steps)), "looking for ways")
            if step.id in over:
                continue
            if not step.on:
                plans.append(StepPlan(step))
            elif isinstance(step, MeasureStep):
                own = chosen.get(step.id)
                if own is None:
                    plans.append(StepPlan(step, text="the plan does not have this feature as faces of the part"))
                else:
                    plans.append(self._measured(step, own, places[step.id], legs))
            else:
                legs.stand(step.kind, step.id, 0.0 if isinstance(step, NoteStep) else READ_S)
                plans.append(StepPlan(step, text=step.text if isinstance(step, NoteStep) else ""))
        legs.go_out(legs.every[-1].step if legs.every else "")
        return PlannedRoute(tuple(plans), tuple(legs.every), self.kinematics, self.scene.probing.moves, legs.changes)

    # One step --------------------------------------------------------------------------------------------------------

    def _measured(self, step: MeasureStep, own: Assigned, places: FeaturePlaces, legs: Legs) -> StepPlan:
        if own.reason:
            return StepPlan(step, (), own.troubles, self._unreached(step, own.reason, own.of_styli, places))
        visits: list[Visit] = []
        troubles = list(own.troubles)
        ordered = sorted(own.parts, key=lambda s: s.use != legs.use)
        for part in ordered:
            made, dropped = self._visit(step, part, places, sum(len(v.places) for v in visits))
            troubles += dropped
            if made is not None:
                visits.append(made)
        if sum(len(v.places) for v in visits) < places.least:
            reason = next((t.why for t in troubles if not t.moved), "no way leads to its places")
            of_styli = tuple((s.use, reason) for s in own.parts)
            return StepPlan(step, (), tuple(troubles), self._unreached(step, reason, of_styli, places))
        done: list[Visit] = []
        for visit in visits:
            if self._far_first(step, visit)[1]:
                at = apply(invert(self.scene.machine_from_part), visit.places.points[:1])[0]
                troubles.append(Trouble(three(at), True, "the probe does not get there the way that was asked for"))
            try:
                done.append(self._come_to(step, visit, legs))
            except NoWay as error:
                lost = self._unreached(step, str(error), ((visit.use, str(error)),), places)
                return StepPlan(step, tuple(done), tuple(troubles), lost)
        return StepPlan(step, tuple(done), tuple(troubles))

    def _unreached(
        self, step: MeasureStep, reason: str, of_styli: tuple[tuple[StylusUse, str], ...], places: FeaturePlaces
    ) -> Unreached:  # fmt: skip
        found = candidates_for(self.scene, places, self.uses())
        return Unreached(step.id, places.feature, reason, of_styli, found)

    def _visit(
        self, step: MeasureStep, part: Settled, wanted: FeaturePlaces, done: int
    ) -> tuple[Visit | None, list[Trouble]]:  # fmt: skip
        """Return the touches of one stylus with the ways between them; places that no way leads to are dropped.

        `done` touches of the step lie before them.
        """
        scene, use = self.scene, part.use
        ways = Ways(scene, use)
        radius, approach = scene.probe(use).place.radius, float(part.approaches.min())
        points = apply(scene.machine_from_part, part.places.points)
        normals = rotate(scene.machine_from_part, part.places.normals)
        there = Places(points, normals, part.places.rows)
        strategy = wanted.strategy
        trace = trace_of(strategy)
        visit = Visit(
            step.id, wanted.feature, use, there, approach, radius, (), np.zeros((0, 3)), trace is not None,
            0.0 if trace is None else trace.speed, step.speed or self.moves.travel_speed, wanted.least,
        )  # fmt: skip
        entry: Points | None = None
        kept: list[int] = []
        between: list[Points] = []
        dropped: list[Trouble] = []
        for k in range(len(there)):
            before = visit.before(k)
            if there.follows_beside(k) and (not kept or kept[-1] != k - 1):
                dropped.append(Trouble(three(part.places.points[k]), False, "no way leads to the sheet beside it"))
                continue
            stops = self._stops(step, ways, before, done + k, visit.before(kept[-1]) if kept else None)
            if stops is None:
                dropped.append(Trouble(three(part.places.points[k]), True, _NOT_BY))
                stops = before[None]
            try:
                if not kept:
                    # The way in is the way out, backwards.
                    entry = ways.out(stops[0], normals[k])
                    way = np.vstack([entry[::-1].reshape(-1, 3), stops])
                elif len(stops) > 1:
                    way = stops
                elif trace is not None and self._goes_on(there, kept[-1], k, trace):
                    way = np.zeros((0, 3))  # along the surface
                else:
                    last = kept[-1]
                    found = ways.between(visit.before(last), before, normals[last], normals[k])
                    way = found if found is not None else self._by_outside(ways, visit, last, k)
            except NoWay as error:
                dropped.append(Trouble(three(part.places.points[k]), False, str(error)))
                continue
            kept.append(k)
            between.append(way)
        if not kept:
            return None, dropped
        try:
            out = ways.out(visit.before(kept[-1]), normals[kept[-1]])
        except NoWay:
            # As it came: back from place to place.
            back = [w for k in range(len(kept) - 1, 0, -1) for w in [*between[k][-2::-1], visit.before(kept[k - 1])]]
            out = np.array([*back, *(entry if entry is not None else [])]).reshape(-1, 3)
        rows = np.array(kept)
        return replace(visit, places=there.at(rows), ways=tuple(between), out=out), dropped

    def _stops(
        self, step: MeasureStep, ways: Ways, before: Vector, number: int, last: Vector | None
    ) -> Points | None:  # fmt: skip
        """Return the places (n, 3) put by hand on the way to a touch, and that before it; None: something is in it."""
        own = np.array([v.place for v in step.via if v.before == number]).reshape(-1, 3)
        stops = np.vstack([apply(self.scene.machine_from_part, own), before[None]])
        legs = stops if last is None else np.vstack([last[None], stops])
        return stops if not len(own) or ways.is_free(list(legs), ways.room(before)) else None

    @staticmethod
    def _goes_on(places: Places, last: int, k: int, trace: Trace) -> bool:
        """Tell whether a trace goes on from one place to another: in the same row, and nothing is missing between."""
        apart = float(np.linalg.norm(places.points[k] - places.points[last]))
        return bool(places.rows[k] == places.rows[last]) and apart <= _GAP * trace.spacing

    def _by_outside(self, ways: Ways, visit: Visit, last: int, k: int) -> Points:
        normals = visit.places.normals
        out, into = ways.out(visit.before(last), normals[last]), ways.out(visit.before(k), normals[k])
        start = out[-1] if len(out) else visit.before(last)
        end = into[-1] if len(into) else visit.before(k)
        return np.vstack([out.reshape(-1, 3), ways.around(start, end), into[::-1][1:], visit.before(k)[None]])

    def _come_to(self, step: MeasureStep, visit: Visit, legs: Legs) -> Visit:
        """Add the legs of a visit, with the way to it; the visit knows where it begins then."""
        scene, use = self.scene, visit.use
        first, _ = self._far_first(step, visit)
        ways = Ways(scene, use)
        short = self._inside(ways, visit, legs) if self.inside else None
        if short is not None:
            first = (short, *first[1:])
            visit = replace(visit, follows=True)
        else:
            legs.go_out(legs.every[-1].step if legs.every else step.id)
        entry = first[0][0]
        if legs.use != use:
            legs.go_out(step.id)
            self._change(step.id, use, entry, legs)
        legs.speed = step.speed
        assert legs.at is not None
        if short is None and scene.is_outside(use, legs.at):
            legs.go(step.id, ways.around(legs.at, entry))
        legs.go(step.id, first[0])
        visit = replace(visit, ways=first)
        for k in range(len(visit.places)):
            if k:
                legs.go(step.id, visit.ways[k])
            if visit.traced and not len(visit.ways[k]):
                legs.go(step.id, visit.contact(k)[None], "trace", k, visit.speed)
            else:
                legs.go(step.id, visit.contact(k)[None], "touch", k)
            following = k + 1 < len(visit.places) and visit.traced and not len(visit.ways[k + 1])
            if not following:
                legs.go(step.id, visit.before(k)[None], "retract", k)
        if self.inside:
            legs.left = visit.out
        else:
            legs.go(step.id, visit.out)
        return visit

    def _inside(self, ways: Ways, visit: Visit, legs: Legs) -> Points | None:
        """Return the way to the first place from where the last feature was touched, inside of the envelope.

        None: there is none, or it is no shorter than by the outside.
        """
        if legs.left is None or legs.at is None or legs.use != visit.use:
            return None
        out = -self.scene.probe(visit.use).place.direction
        found = ways.between(legs.at, visit.before(0), out, visit.places.normals[0])
        if found is None:
            return None
        by_outside = np.vstack([legs.at[None], legs.left, visit.ways[0]])
        length = [float(np.linalg.norm(np.diff(w, axis=0), axis=1).sum())
                  for w in (np.vstack([legs.at[None], found]), by_outside)]  # fmt: skip
        return found if length[0] < length[1] else None

    def _far_first(self, step: MeasureStep, visit: Visit) -> tuple[tuple[Points, ...], bool]:
        """Return the ways with the one to the first place as the step wants the probe to come; True: it cannot."""
        coming, first = step.coming, visit.ways[0]
        if coming.far <= 0:
            return visit.ways, False
        before = visit.before(0)
        normal = visit.places.normals[0]
        d = normal if coming.along == "normal" else rotate(self.scene.machine_from_part, np.array([coming.axis]))[0]
        beside = before + coming.far * d / np.linalg.norm(d)
        ways = Ways(self.scene, visit.use)
        if not ways.is_free((beside, before), ways.room(before)):
            return visit.ways, True
        try:
            out = ways.out(beside, None)
        except NoWay:
            return visit.ways, True
        first = np.vstack([out[::-1], beside[None], before[None]])
        return (first, *visit.ways[1:]), False

    def _change(self, step: str, use: StylusUse, entry: Vector, legs: Legs) -> None:
        """Go up, and take another stylus; at the beginning the probe is there already."""
        scene = self.scene
        if legs.use is None or legs.at is None:
            legs.take(use, self.turning_place(use, entry))
            return
        old = legs.use
        if old.assembly == use.assembly and old.pose == use.pose:
            # Another stylus of the same probe: it is there, only the name changes.
            quill = scene.quill(old, legs.at)
            legs.take(use, quill + scene.probe(use).place.center)
            legs.changes += 1
            legs.stand("turn", step, 0.0)
            return
        up = self.turning_place(old, legs.at)
        legs.go(step, self._over(old, legs.at, up))
        quill = scene.quill(old, up)
        legs.changes += 1
        if old.assembly == use.assembly:
            legs.stand("turn", step, self.kinematics.turn_s)
        else:
            way = self.rack_way(old, use, quill)
            docks = 2 * self.kinematics.dock_s + (0.0 if old.pose == use.pose else self.kinematics.turn_s)
            legs.stand("change", step, docks + self.kinematics.along(way, self.moves.travel_speed))
            quill = way[-1]
        z = scene.quill(use, self.turning_place(use, quill + scene.probe(use).place.center))[2]
        there = np.array([quill[0], quill[1], max(quill[2], z)])
        legs.take(use, there + scene.probe(use).place.center)

    def _over(self, use: StylusUse, start: Vector, up: Vector) -> Points:
        """Return the way to where the head can turn; straight up where the probe stands within the safe envelope."""
        if self.scene.is_outside(use, start):
            return Ways(self.scene, use).around(start, up)
        return up[None]

    def turning_place(self, use: StylusUse, tip: Vector) -> Vector:
        """Return a place of the tip over `tip` where the head can turn: over the safe envelope, and clear of the rest.

        Raises
        ------
        NoWay
            Something stands in the way of all that turns.
        """
        scene = self.scene
        sweep = scene.probing.assembly(use.assembly).sweep()
        lowest = float(scene.probe(use).low[2])
        if sweep is not None:
            lowest = min(lowest, float(sweep[0][2]) - sweep[1])
        z = float(scene.envelope[1, 2]) + TURN_ROOM - lowest
        quill = scene.quill(use, tip)
        top = z + _HIGHEST
        if scene.limits is not None:
            top = float(scene.limits[1, 2])
            z = min(z, top)
        # What stands beside the part may be higher than that: sphere, fixtures of the machine, the rack.
        for height in np.arange(max(z, float(quill[2])), max(top, float(quill[2])) + 1e-9, _HIGHER):
            place = np.array([quill[0], quill[1], height]) + scene.probe(use).place.center
            if scene.can_turn(use, place):
                return np.asarray(place)
        raise NoWay("there is no room for the head to turn over the safe envelope")

    def rack_way(self, old: StylusUse, use: StylusUse, quill: Vector) -> Points:
        """Return the way (n, 3) of the quill to the rack and out of it; where it is, while nobody knows the ports."""
        scene = self.scene
        ports = [scene.probing.port_of(u.assembly) for u in (old, use)]
        if not scene.located or any(p is None or not any(p.place) for p in ports):
            return quill[None]
        known = [np.array(p.place) for p in ports if p is not None]
        top = max(float(quill[2]), *(float(p[2]) for p in known)) if scene.limits is None else float(scene.limits[1, 2])
        stops, at = [quill], quill
        for port in known:
            stops += [np.array([*at[:2], top]), np.array([*port[:2], top]), port]
            at = port
        return np.array([*stops, np.array([*at[:2], top])])

    @property
    def moves(self) -> Moves:
        """Speeds and distances."""
        return self.scene.probing.moves
