"""What a route is planned around: the part where it lies, what holds it, the table; and probes as solids."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from truegauge.core.arrays import Points, Rigid, Vector, box_corners, unit
from truegauge.core.cad.model import CadModel
from truegauge.core.frames import apply, invert, rigid, rotation_about
from truegauge.core.meeting.swept import Around, Nearest, Solids, ball, box, cylinder, nearest, solids_at
from truegauge.core.probing.assembly import STRAIGHT, StylusPlace
from truegauge.core.probing.clearance import body_solids
from truegauge.core.probing.obstacles import sphere_solids
from truegauge.core.probing.probing import Probing, StylusUse
from truegauge.core.probing.records import Fixture
from truegauge.core.probing.sphere import ReferenceSphere
from truegauge.core.routes.document import PartFixture, Placement, Route
from truegauge.core.routes.facets import facets_from_text

_TABLE_REACH, _TABLE_DEPTH = 3000.0, 50.0
TURN_ROOM = 2.0  # mm that all that turns with the head keeps
PART, TABLE, SPHERE = "the part", "the table", "the reference sphere"


def placed(model: CadModel, placement: Placement) -> Rigid:
    """Return ``table_from_part`` of a part that nobody has located: turned upright, over a table at Z 0."""
    # By the shortest turn: what is up already stays as it is drawn.
    up, z = unit(placement.up), np.array([0.0, 0.0, 1.0])
    axis = np.cross(up, z) if abs(up[2]) < 1 - 1e-12 else np.array([1.0, 0.0, 0.0])
    upright = rotation_about(unit(axis), float(np.arccos(np.clip(up[2], -1, 1))))
    turn = rotation_about(np.array([0.0, 0.0, 1.0]), np.radians(placement.turn_deg))
    rotation = (turn @ upright)[:3, :3]
    corners = apply(rigid(rotation, np.zeros(3)), model.mesh.vertices)
    return rigid(rotation, np.array([0.0, 0.0, placement.height - corners[:, 2].min()]))


@dataclass(frozen=True, slots=True, eq=False)
class ProbeSolids:
    """A stylus with all of its probe, in the coordinates of the quill.

    `solids` (n, width), what each is called, which of them (n,) is the tip that touches, and where the tip is.
    `low`, `high` (3,) are the corners of the box around all of it.
    """

    solids: Solids
    names: tuple[str, ...]
    is_tip: np.ndarray
    place: StylusPlace
    low: Vector
    high: Vector

    @property
    def body(self) -> Solids:
        """All but the tip that touches."""
        return np.asarray(self.solids[~self.is_tip])

    def body_names(self) -> tuple[str, ...]:
        """What each solid of the body is called."""
        return tuple(n for n, tip in zip(self.names, self.is_tip, strict=True) if not tip)


def probe_solids(probing: Probing, use: StylusUse) -> ProbeSolids:
    """Return a stylus with its probe as solids."""
    a = probing.assembly(use.assembly)
    bodies = a.bodies(use.pose)
    rows = list(body_solids(bodies))
    names = [a.part(owner).component.name for owner in bodies.owner]
    tips = [False] * len(rows)
    for s in a.styli(use.pose):
        if s.tip.shape == "ball":
            rows.append(ball(s.center, s.radius))
        else:
            half = max(s.tip.thickness, 0.1) / 2 * s.direction
            rows.append(cylinder(s.center - half, s.center + half, s.radius))
        names.append(f"tip {s.name}")
        tips.append(s.id == use.stylus)
    solids = np.array(rows)
    ends = np.vstack([solids[:, 2:5], solids[:, 5:8]])
    radius = np.tile(np.maximum(solids[:, 1], solids[:, 8]), 2)[:, None]
    return ProbeSolids(solids, tuple(names), np.array(tips), a.stylus(use.stylus, use.pose),
                       (ends - radius).min(axis=0), (ends + radius).max(axis=0))  # fmt: skip


@dataclass(slots=True, eq=False)
class Scene:
    """Everything around, in the coordinates of the machine (or of the table, while nobody has located the part).

    `envelope` (2, 3) is the safe envelope, `limits` (2, 3) where the quill can go (None: not known), `located`
    whether the part was found on a machine: ports of the rack are known then too.
    """

    probing: Probing
    machine_from_part: Rigid
    around: tuple[Around, ...]
    envelope: Points
    limits: Points | None = None
    located: bool = False
    _probes: dict[StylusUse, ProbeSolids] = field(default_factory=dict)
    _hanging: dict[str, tuple[Around, ...]] = field(default_factory=dict)

    def probe(self, use: StylusUse) -> ProbeSolids:
        """Return a stylus with its probe."""
        if use not in self._probes:
            self._probes[use] = probe_solids(self.probing, use)
        return self._probes[use]

    def around_of(self, assembly: str) -> tuple[Around, ...]:
        """Return what a probe can meet: what stands there, and the probes that hang in the rack meanwhile."""
        if assembly not in self._hanging:
            self._hanging[assembly] = self._parked(assembly) if self.located else ()
        return (*self.around, *self._hanging[assembly])

    def _parked(self, on_machine: str) -> tuple[Around, ...]:
        found = []
        for port in self.probing.rack:
            if not port.assembly or port.assembly == on_machine or not any(port.place):
                continue
            a = self.probing.assembly(port.assembly)
            if a.styli():
                use = StylusUse(assembly=a.id, stylus=a.styli()[0].id, pose=STRAIGHT)
                solids = solids_at(probe_solids(self.probing, use).solids, np.array(port.place))
                found.append(Around.of_solids(f"{a.name}, in the rack,", list(solids)))
        return tuple(found)

    def can_turn(self, use: StylusUse, tip: Vector) -> bool:
        """Tell whether the head can turn to any pose where it is: all that turns meets nothing on the way."""
        sweep = self.probing.assembly(use.assembly).sweep()
        if sweep is None:
            return True
        pivot, radius = sweep
        swept = np.array([ball(pivot + self.quill(use, tip), radius)])
        return nearest(swept, np.zeros(3), np.zeros(3), self.around_of(use.assembly), TURN_ROOM) is None

    def quill(self, use: StylusUse, tip: Vector) -> Vector:
        """Return where the quill is when the tip is at a place."""
        return np.asarray(tip - self.probe(use).place.center)

    def nearest(self, use: StylusUse, start: Vector, end: Vector, limit: float, *, tip: bool = True) -> Nearest | None:
        """Return what a probe comes nearest to on the straight way of its tip; `tip`: the one that touches counts."""
        own = self.probe(use)
        solids = own.solids if tip else own.body
        return nearest(solids, self.quill(use, start), self.quill(use, end), self.around_of(use.assembly), limit)

    def is_free(self, use: StylusUse, start: Vector, end: Vector, room: float) -> bool:
        """Tell whether a probe keeps some room on the straight way of its tip, and stays within the travel."""
        if self.limits is not None:
            ends = np.array([self.quill(use, start), self.quill(use, end)])
            if (ends < self.limits[0] - 0.05).any() or (ends > self.limits[1] + 0.05).any():
                return False
        return self.nearest(use, start, end, room) is None

    def is_outside(self, use: StylusUse, tip: Vector) -> bool:
        """Tell whether the whole probe is outside the safe envelope."""
        own, at = self.probe(use), self.quill(use, tip)
        return bool((own.low + at >= self.envelope[1] - 1e-6).any() or (own.high + at <= self.envelope[0] + 1e-6).any())


def make_scene(
    model: CadModel, probing: Probing, route: Route, machine_from_part: Rigid | None = None, *,
    machine_fixtures: Sequence[Fixture] = (), table_z: float | None = None,
    sphere: tuple[ReferenceSphere, Vector] | None = None, limits: Points | None = None,
) -> Scene:  # fmt: skip
    """Return what a route is planned around.

    Without ``machine_from_part`` the part lies as the route places it, on a table at Z 0.
    """
    located = machine_from_part is not None
    pose = machine_from_part if machine_from_part is not None else placed(model, route.placement)
    corners = apply(pose, model.mesh.vertices)
    around = [Around.of_mesh(PART, corners, model.mesh.triangles)]
    low, high = corners.min(axis=0), corners.max(axis=0)
    for f in route.fixtures:
        here = fixture_pose(f, model, route, pose)
        around.append(_part_fixture(f, here))
        ends = _corners_of(f, here)
        low, high = np.minimum(low, ends.min(axis=0)), np.maximum(high, ends.max(axis=0))
    for g in machine_fixtures:
        around.append(Around.of_solids(g.name, [box(np.array(g.low), np.array(g.high))]))
    z = table_z if located else 0.0
    if z is not None:
        middle = (low + high) / 2
        reach = np.array([_TABLE_REACH, _TABLE_REACH, 0.0])
        down = np.array([0.0, 0.0, _TABLE_DEPTH])
        flat = np.array([middle[0], middle[1], z])
        # The part stands on it: what touches the part from below is told apart by the part itself.
        around.append(Around.of_solids(TABLE, [box(flat - reach - down, flat + reach)]))
    if sphere is not None:
        around.append(Around.of_solids(SPHERE, sphere_solids(*sphere)))
    envelope = np.array([low - np.array(route.envelope.low), high + np.array(route.envelope.high)])
    return Scene(probing, pose, tuple(around), envelope, limits, located)


def fixture_pose(f: PartFixture, model: CadModel, route: Route, machine_from_part: Rigid) -> Rigid:
    """Return where a fixture stands: with the part, or with the table on which the part was placed."""
    if f.where == "part":
        return machine_from_part
    return np.asarray(machine_from_part @ invert(placed(model, route.placement)))


def _part_fixture(f: PartFixture, pose: Rigid) -> Around:
    low, high = np.array(f.low), np.array(f.high)
    if f.shape == "mesh":
        corners = apply(pose, facets_from_text(f.facets).reshape(-1, 3))
        return Around.of_mesh(f.name, corners, np.arange(len(corners)).reshape(-1, 3))
    if f.shape == "box":
        return Around.of_solids(f.name, [box(low, high, pose)])
    ends = apply(pose, np.array([low, high]))
    return Around.of_solids(f.name, [cylinder(ends[0], ends[1], f.radius)])


def _corners_of(f: PartFixture, pose: Rigid) -> Points:
    """Return places (n, 3) whose box is around a fixture."""
    if f.shape == "mesh":
        return apply(pose, facets_from_text(f.facets).reshape(-1, 3))
    if f.shape == "box":
        return apply(pose, box_corners(np.array([f.low, f.high])))
    ends = apply(pose, np.array([f.low, f.high]))
    return np.vstack([ends - f.radius, ends + f.radius])
