"""Setting the stand-in up: by a plan, with a part on its table."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Rigid, Vector, box_corners, unit
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import apply, rigid, rotation_about, rotation_to_z
from truegauge.core.plan.document import Plan
from truegauge.core.temperature import REFERENCE_C
from truegauge.devices.cmm_sim.hands_server import HandsServer
from truegauge.devices.cmm_sim.server import IppServer
from truegauge.devices.cmm_sim.settings import Fault, MachineSettings
from truegauge.devices.cmm_sim.world import CmmWorld
from truegauge.devices.made_part import MadePart, SurfaceError

_LEAN = np.radians(0.6)


@dataclass(frozen=True, slots=True, eq=False)
class PartToPlace:
    """A part for the table: which way of its own points up, and what is wrong with it."""

    model: CadModel
    projector: Projector
    up: Vector
    errors: Sequence[SurfaceError] = ()


@dataclass(frozen=True, slots=True, eq=False)
class StandIn:
    """A stand-in that runs in this process."""

    world: CmmWorld
    server: IppServer
    hands: HandsServer | None

    @property
    def port(self) -> int:
        """The port of its I++ server."""
        return self.server.port

    def close(self) -> None:
        """Stop it."""
        if self.hands is not None:
            self.hands.close()
        self.server.close()


def make_world(
    settings: MachineSettings, seed: int, faults: tuple[Fault, ...] = (), plan: Plan | None = None,
    part: PartToPlace | None = None,
) -> CmmWorld:  # fmt: skip
    """Return a machine with the probes, rack and sphere of a plan, and a part somewhere on its table."""
    world = CmmWorld(settings, seed, faults)
    if plan is not None:
        probing = plan.probing
        world.put_sphere(probing.sphere)
        for assembly in probing.assemblies:
            world.build(assembly)
        world.rack = {probing.assembly(p.assembly).name: p for p in probing.rack if p.assembly}
    if part is not None:
        growth = 1.0
        if plan is not None and plan.material is not None:
            growth += plan.material.expansion * (settings.temperature_c - REFERENCE_C)
        place = somewhere(part, np.array(settings.part_origin), np.random.default_rng([seed, 8]))
        world.part = MadePart(part.projector, part.model.box, place, part.errors, growth)
    return world


def somewhere(part: PartToPlace, origin: Vector, rng: np.random.Generator) -> Rigid:
    """Return ``machine_from_part``: the part stands upright, turned and shifted as somebody put it there."""
    upright = rotation_to_z(unit(part.up))
    lean = rotation_about(unit(rng.normal(size=3)), float(rng.uniform(-_LEAN, _LEAN)))
    turn = rotation_about(np.array([0.0, 0.0, 1.0]), float(rng.uniform(-0.35, 0.35)))
    rotation = (lean @ turn @ upright)[:3, :3]
    there = apply(rigid(rotation, np.zeros(3)), box_corners(part.model.box))
    foot = np.array([*there[:, :2].mean(axis=0), there[:, 2].min()])
    return rigid(rotation, origin + np.array([*rng.uniform(-25, 25, 2), 0.0]) - foot)


def start(world: CmmWorld, port: int = 0, hands_port: int | None = None) -> StandIn:
    """Let a machine listen (port 0: any free one; OSError: a port is taken), and hands only where that is asked for."""
    server = IppServer(world, port)
    try:
        return StandIn(world, server, None if hands_port is None else HandsServer(world, server, hands_port))
    except OSError:
        server.close()
        raise
