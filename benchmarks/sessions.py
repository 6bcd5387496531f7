"""Does a probe ever meet anything but by its tip at a touch? ``benchmarks/sessions.py [sessions] [first seed]``.

Each session: the housing or the cover lies somewhere on the table as somebody put it there, with a reference sphere, a
rack and clamps around it; a star or a long straight probe on an indexed head, in poses taken at random, is qualified
and then touches features taken at random; it is stopped at random moments of moves and touches, and goes on. In a part
of them the connection is cut now and then, or something that nobody told the program of stands in the way until it is
met and taken away. The stand-in says what meets what. ``--again`` looks at every move once more by another way: the
solids of the probe against points spread over the surfaces of the part, place by place. ``--verbose`` tells of every
session.
"""

import sys
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import numpy as np

from truegauge import demo
from truegauge.core.cad.model import CadModel
from truegauge.core.errors import DeviceError
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.frames import apply
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.document import Plan
from truegauge.core.probing.assembly import HeadPose, ProbeAssembly
from truegauge.core.probing.clearance import segment_distances
from truegauge.core.probing.obstacles import BoxObstacle, PartObstacle
from truegauge.core.probing.probing import Probing, QualificationSettings, RackPort, StylusUse
from truegauge.core.probing.records import Fixture, MachineRecord
from truegauge.core.probing.room import ProbeRoom
from truegauge.core.probing.sphere import ReferenceSphere
from truegauge.core.probing.standing import Standing, standing
from truegauge.core.routes.document import MeasureStep, Route
from truegauge.core.routes.places import FeatureToTouch
from truegauge.core.routes.strategies import Usual
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm_sim.build import PartToPlace, make_world, somewhere, start
from truegauge.devices.cmm_sim.operator import Operator
from truegauge.devices.cmm_sim.settings import Fault, MachineSettings
from truegauge.devices.ipp.client import ConnectionLost
from truegauge.devices.made_part import MadePart
from truegauge.formats.catalogue import own_catalogue
from truegauge.formats.part import read_part
from truegauge.runs.events import FeatureTouched, TouchWanted, when
from truegauge.runs.qualifying import Qualifying
from truegauge.runs.routing import Router
from truegauge.runs.touching import Touching

NOW = datetime(2026, 11, 24, 10, 0)
_UPS = ((0, 0, 1), (0, 0, -1), (0, 1, 0), (0, -1, 0), (1, 0, 0), (-1, 0, 0))
_SAID = ("in the way", "no free way", "beyond the travel", "no stylus gets at it", "may be used")
_UNKNOWN = "something that nobody told of"
_BETWEEN = 1.5  # mm between the points on the part, and between the places of a move, when all is looked at again
_DEEP = 0.3  # mm into the part at which the second way says that it was met: its points lie a little apart


def probe(kind: str, key: str, rng: np.random.Generator, poses: tuple[HeadPose, ...]) -> ProbeAssembly:
    """Return a star, or a straight probe, of the catalogue."""
    catalogue = own_catalogue()
    made = ProbeAssembly(id=key, name=f"{kind} {key}")
    chain = ["head-indexed"]
    if rng.integers(2):
        chain.append("extension-50")
    chain.append("trigger-m2")
    if kind == "Star":
        if rng.integers(2):
            chain.append("stylus-extension-m2-30")
        chain += ["star-m2", *rng.choice(["ball-m2-1-20", "ball-m2-2-20", "ball-m2-3-20", "ball-m2-4-30"], 5)]
    else:
        chain.append(str(rng.choice(["ball-m2-4-20", "ball-m2-3-40", "ball-m2-2-20"])))
    for name in chain:
        on, end, _ = made.free_ends()[0]
        made = made.with_component(catalogue.component(str(name)), on, end)
    return made.with_poses(poses)


def some_poses(rng: np.random.Generator, count: int) -> tuple[HeadPose, ...]:
    """Return the straight pose and some others."""
    more = [HeadPose(tilt_deg=7.5 * int(rng.integers(2, 13)), turn_deg=7.5 * int(rng.integers(-24, 25)))
            for _ in range(count)]  # fmt: skip
    return tuple(dict.fromkeys((HeadPose(), *more)))


@dataclass(slots=True)
class Outcome:
    """What became of a session."""

    met: list[str] = field(default_factory=list)
    broken: list[str] = field(default_factory=list)  # what should not happen at all
    met_again: list[str] = field(default_factory=list)
    qualified: int = 0
    refused: int = 0
    touches: int = 0
    features: int = 0
    left: list[str] = field(default_factory=list)
    stops: int = 0
    unknown: int = 0  # things met that nobody had told of
    seconds: float = 0.0


class Session:
    """One session; see the top of this file."""

    def __init__(self, seed: int, parts: dict[str, tuple[CadModel, Evaluator]], *, again: bool = False) -> None:
        self.rng = rng = np.random.default_rng([seed, 21])
        self.out = Outcome()
        self.part_name = str(rng.choice(sorted(parts)))
        self.model, self.evaluator = parts[self.part_name]
        poses = some_poses(rng, 2)
        kinds = ["Star", "Straight"] if rng.integers(2) else ["Straight", "Star"]
        made = [probe(kind, f"p{k}", rng, poses) for k, kind in enumerate(kinds[: 1 + int(rng.integers(2))])]
        sphere = ReferenceSphere(
            diameter=float(rng.choice([12.0, 20.0, 25.0, 30.0])), stem_tilt_deg=float(rng.choice([0, 0, 30, 60])),
            stem_turn_deg=float(rng.uniform(0, 360)), stem_diameter=float(rng.uniform(4, 8)),
        )  # fmt: skip
        ports = tuple(RackPort(name=f"Port {k}", place=(60.0 + 180.0 * k, 940.0, -250.0), assembly=a.id)
                      for k, a in enumerate(made))  # fmt: skip
        styli = [StylusUse(assembly="p0", stylus=s.id, pose=poses[0]) for s in made[0].styli()]
        down = max(styli, key=lambda u: -made[0].stylus(u.stylus, u.pose).direction[2])
        settings = QualificationSettings(touches=int(rng.integers(5, 10)), two_passes=bool(rng.integers(2)))
        self.probing = Probing(assemblies=tuple(made), rack=ports if len(made) > 1 else (), sphere=sphere,
                               master=down, settings=settings)  # fmt: skip
        self.located = bool(rng.integers(4))
        self._build(seed)
        self._count_meetings()
        chance = np.random.default_rng([seed, 22])
        if chance.random() < 0.3:
            at = np.cumsum(chance.integers(60, 400, 6))
            self.world.faults.every += [Fault("cut", int(k)) for k in at]
        if chance.random() < 0.3:
            self._put_something_there(chance)
        self.stop_in = int(rng.integers(3, 30))
        self._stopped_at_random()
        self.moves: list[Any] | None = [] if again else None
        self.running = start(self.world)
        self.cmm = Cmm("127.0.0.1", self.running.port)
        self.wanted = 0

    def _build(self, seed: int) -> None:
        rng = self.rng
        world = self.world = make_world(MachineSettings(), seed, (), Plan(probing=self.probing))
        up = np.array(_UPS[int(rng.integers(6))] if self.part_name == "housing" else (0, 0, 1), dtype=float)
        part = PartToPlace(self.model, self.evaluator.projector, up)
        origin = np.array([rng.uniform(220, 480), rng.uniform(250, 600), world.table.z + rng.uniform(30, 90)])
        self.pose = somewhere(part, origin, rng)
        world.part = MadePart(self.evaluator.projector, self.model.box, self.pose)
        corners = np.array([[self.model.box[i, 0], self.model.box[j, 1], self.model.box[k, 2]]
                            for i in (0, 1) for j in (0, 1) for k in (0, 1)])  # fmt: skip
        corners = apply(self.pose, corners)
        low, high = corners.min(axis=0), corners.max(axis=0)
        record = self.probing.sphere
        # The sphere stands beside the part, as near as its foot allows.
        around = rng.uniform(0, 2 * np.pi)
        direction = np.array([np.cos(around), np.sin(around)])
        half = (high[:2] - low[:2]) / 2
        beside = rng.uniform(50, 160)
        if not self.located:  # then as much room is asked for as any probe needs
            room = ProbeRoom(self.probing, Standing(), above=0.0)
            beside = max(room.free_radius(u) for u in self.probing.uses()) + rng.uniform(5, 60)
        reach = float(np.min(half / np.maximum(np.abs(direction), 1e-9))) + beside
        foot_xy = (low[:2] + high[:2]) / 2 + reach * direction
        height = world.table.z + 13 + (record.stem_length + record.radius) * max(0.3, -record.stem[2]) + 30
        center = np.array([*foot_xy, height]) - np.array([*record.stem[:2], 0]) * record.stem_length
        world.sphere.center = center
        fixtures = []
        for k in range(int(rng.integers(0, 3))):
            side = int(rng.integers(4))
            size, axis = rng.uniform(15, 40, 3), side % 2
            middle = (low + high) / 2 + rng.uniform(-30, 30, 3)
            sign = 1.0 if side < 2 else -1.0
            middle[axis] += sign * ((high - low)[axis] / 2 + size[axis] / 2 + rng.uniform(3, 30) - 0.0)
            top = rng.uniform(low[2] + 5, high[2] + 20)
            a = np.array([*(middle - size / 2)[:2], world.table.z])
            b = np.array([*(middle + size / 2)[:2], top])
            a[axis] = max(a[axis], high[axis] + 2) if sign > 0 else a[axis]
            b[axis] = b[axis] if sign > 0 else min(b[axis], low[axis] - 2)
            ball = world.sphere.distances(np.array([[x, y, z] for x in np.linspace(a[0], b[0], 5)
                                                    for y in np.linspace(a[1], b[1], 5)
                                                    for z in np.linspace(a[2], b[2], 5)]))  # fmt: skip
            if (b - a > 1).all() and ball.min() > 8:
                three = [tuple(float(v) for v in c) for c in (a, b)]
                fixtures.append(Fixture(name=f"clamp {k + 1}", low=three[0], high=three[1]))
        world.fixtures = [BoxObstacle(f.name, np.array(f.low), np.array(f.high)) for f in fixtures]
        self.record = MachineRecord(table_z=world.table.z, fixtures=tuple(fixtures))
        world.mount(self.probing.assemblies[0].name)

    def _put_something_there(self, rng: np.random.Generator) -> None:
        """Stand a box near the part or the sphere that the program does not know of."""
        assert self.world.sphere is not None
        near = self.pose[:3, 3] if rng.integers(2) else self.world.sphere.center
        middle = near + rng.uniform([-80, -80, 20], [80, 80, 140])
        half = rng.uniform(4, 15, 3)
        self.world.fixtures.append(BoxObstacle(_UNKNOWN, middle - half, middle + half))

    def _take_it_away(self) -> None:
        self.world.fixtures = [f for f in self.world.fixtures if f.name != _UNKNOWN]
        self.out.met = [m for m in self.out.met if _UNKNOWN not in m]
        self.out.unknown += 1
        try:
            self.cmm.clear_errors()
        except ConnectionLost:
            self.cmm.connect()
            self.cmm.clear_errors()

    def _count_meetings(self) -> None:
        collide = self.world._collide

        def noted(part: str, obstacle: str) -> None:
            self.out.met.append(f"{part} met {obstacle}")
            collide(part, obstacle)

        self.world._collide = noted

    def _stopped_at_random(self) -> None:
        world, run_to = self.world, self.world.drive.run_to

        def half_way(quill: np.ndarray, speed: float) -> None:
            self.stop_in -= 1
            if self.moves is not None and world.probe is not None:
                self.moves.append((world.probe.assembly, world.probe.pose, world.true_quill(world.drive.scales),
                                   world.true_quill(quill)))  # fmt: skip
            if self.stop_in == 0 and world.homed:
                self.stop_in = int(self.rng.integers(8, 60))
                self.out.stops += 1
                run_to(world.drive.scales + self.rng.uniform(0.05, 0.95) * (quill - world.drive.scales), speed)
                world.drive.stop.set()
            run_to(quill, speed)

        world.drive.run_to = half_way

    def _operator(self, use: object, why: str) -> None:
        self.wanted += 1
        if why:
            threading.Timer(0.02, self._touch, [self.wanted]).start()

    def _touch(self, wanted: int) -> None:
        if self.wanted != wanted:
            return
        try:
            with self.world.busy:
                before, self.stop_in = self.stop_in, 10**9
                touch = Operator(self.world).touches_sphere(0)
                self.stop_in = before
            self.running.server.hand_touch(touch)
        except Exception as error:  # noqa: BLE001
            self.out.left.append(f"the operator: {error}")
            self.operator_failed = str(error)
        threading.Timer(0.6, self._touch, [wanted]).start()

    operator_failed = ""

    def _check(self, fraction: float, text: str = "") -> None:
        if self.operator_failed:
            raise DeviceError(f"in the way: {self.operator_failed}")

    def _until_done(self, job: Any) -> str:
        """Run a job, going on after every stop; returns why it cannot."""
        for _ in range(60):
            try:
                job.run_with(self._check)
            except DeviceError as error:
                if _UNKNOWN in str(error) and self.world.fault_text:
                    self._take_it_away()
                elif "stopped by the user" not in str(error) or self.world.fault_text:
                    return str(error)
            else:
                return ""
        return "it never ended"

    def run(self) -> Outcome:
        """Qualify and touch."""
        began = time.monotonic()
        try:
            self._run()
        finally:
            self.wanted += 1
            self.cmm.close()
            self.running.close()
            self.out.seconds = time.monotonic() - began
        if self.moves is not None:
            self._look_again()
        return self.out

    def _run(self) -> None:
        out, rng = self.out, self.rng
        self.cmm.connect()
        self.cmm.home()
        part = PartObstacle(self.evaluator.projector, self.model.box, self.pose)
        located = self.located
        size = float(np.linalg.norm(self.model.box[1] - self.model.box[0]))
        known = standing(self.record, part if located else None, size)
        uses = list(self.probing.uses())
        some = [uses[0], *(uses[int(k)] for k in rng.choice(np.arange(1, len(uses)), min(4, len(uses) - 1), False))]
        told = when(TouchWanted, lambda event: self._operator(event.use, event.why))
        for use in dict.fromkeys(some):
            job = Qualifying(self.cmm, self.probing, self.record, (use,), told, lambda: NOW, known)
            why = self._until_done(job)
            self.record = job.record
            out.qualified += not why
            out.refused += bool(why)
            self._say(why)
        located_at = self.record.location
        if located_at is None or not located:
            return
        usable = {u for u in uses if (q := self.record.latest(self.probing, u)) is not None and q.passes}
        faces = [f.index for f in self.model.faces if f.area > 40.0]
        chosen = rng.choice(faces, min(5, len(faces)), replace=False)
        route = Route(steps=tuple(
            MeasureStep(id=f"m{k}", feature=f"f{k}", strategy=Usual(touches=int(rng.integers(4, 9)))) for k in chosen
        ))  # fmt: skip
        wanted = []
        for k in chosen:
            nominal = self.evaluator.nominal((int(k),))
            known_as = None if isinstance(nominal, NotComputed) else nominal
            wanted.append(FeatureToTouch(f"f{k}", f"f{k}", (int(k),), known_as))
        router = Router(self.model, self.evaluator.projector, self.pose, self.probing, lambda u: u in usable,
                        np.array(located_at.center), self.record, route)  # fmt: skip
        took = []
        job = Touching(self.cmm, router, self.record, tuple(wanted), when(FeatureTouched, took.append), lambda: NOW)
        self._say(self._until_done(job))
        out.touches, out.features = len(took), len(wanted)
        out.left += [f"{self.part_name} {x.feature.name}: {x.why}" for x in job.left]

    def _say(self, why: str) -> None:
        if why and not any(word in why for word in _SAID):
            self.out.broken.append(why)

    def _look_again(self) -> None:
        """Look at every move once more: the solids of the probe against points spread over the part."""
        mesh = self.model.mesh
        rng = np.random.default_rng(1)
        corners = mesh.vertices[mesh.triangles]
        area = np.linalg.norm(np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]), axis=1) / 2
        rows = np.repeat(np.arange(len(area)), np.maximum(1, rng.poisson(area / (_BETWEEN * _BETWEEN))))
        u, v = rng.random((2, len(rows)))
        turned = u + v > 1
        u[turned], v[turned] = 1 - u[turned], 1 - v[turned]
        own = corners[rows]
        surface = own[:, 0] + u[:, None] * (own[:, 1] - own[:, 0]) + v[:, None] * (own[:, 2] - own[:, 0])
        surface = apply(self.pose, surface)
        low, high = surface.min(axis=0), surface.max(axis=0)
        assert self.moves is not None
        for assembly, pose, a, b in self.moves:
            bodies = assembly.bodies(pose)
            size = 5.0
            count = int(np.linalg.norm(b - a) / _BETWEEN) + 2
            for t in np.linspace(0, 1, count):
                at = a + t * (b - a)
                for foot, end, radius, who in zip(bodies.starts, bodies.ends, bodies.radii, bodies.owner,
                                                  strict=True):  # fmt: skip
                    lo = np.minimum(foot, end) + at - radius - size
                    hi = np.maximum(foot, end) + at + radius + size
                    if (lo > high).any() or (hi < low).any():
                        continue
                    near = surface[((surface > lo) & (surface < hi)).all(axis=1)]
                    if not len(near):
                        continue
                    # The ends of solids are flat: what lies beyond them is not met.
                    along = (end - foot) / max(float(np.linalg.norm(end - foot)), 1e-9)
                    t_on = (near - foot - at) @ along
                    inside = (t_on > 0) & (t_on < float(np.linalg.norm(end - foot)))
                    if inside.any():
                        room = segment_distances(near[inside], foot + at, end + at).min() - radius
                        if room < -_DEEP:
                            self.out.met_again.append(f"{who} {-room:.2f} mm in the part")


def parts() -> dict[str, tuple[CadModel, Evaluator]]:
    """Return the parts that sessions are held with."""
    found = {}
    for name, path in (("housing", demo.PART), ("cover", demo.COVER_PART)):
        model = read_part(path)
        found[name] = (model, Evaluator(model))
    return found


def main() -> None:
    """Run the sessions and say what happened."""
    words = [w for w in sys.argv[1:] if not w.startswith("--")]
    count = int(words[0]) if words else 20
    first = int(words[1]) if len(words) > 1 else 1
    held_with = parts()
    total, met, broken, again, left = Counter(), [], [], [], Counter()
    slow = (0.0, 0)
    for seed in range(first, first + count):
        out = Session(seed, held_with, again="--again" in sys.argv).run()
        for key in ("qualified", "refused", "touches", "features", "stops", "unknown"):
            total[key] += getattr(out, key)
        met += [f"{seed}: {m}" for m in out.met]
        broken += [f"{seed}: {b}" for b in out.broken]
        again += [f"{seed}: {b}" for b in out.met_again[:1]]
        left.update(x.split(": ", 1)[-1].split(" (")[0][:90] for x in out.left)
        slow = max(slow, (out.seconds, seed))
        if "--verbose" in sys.argv:
            print(seed, f"{out.seconds:.1f} s", out, flush=True)
    print(f"{count} sessions: {dict(total)}, the slowest {slow[0]:.1f} s (seed {slow[1]})")
    print(f"met but by tips at touches: {len(met)}", *met[:20], sep="\n  ")
    print(f"ended by what should not happen: {len(broken)}", *broken[:20], sep="\n  ")
    if "--again" in sys.argv:
        print(f"met, looked at again: {len(again)}", *again[:20], sep="\n  ")
    print("left out:", *[f"  {n} x {text}" for text, n in left.most_common(25)], sep="\n")


if __name__ == "__main__":
    main()
