"""What is known to stand on a machine, for every job that moves it: one place that collects it."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Points
from truegauge.core.probing.assembly import STRAIGHT, ProbeAssembly
from truegauge.core.probing.clearance import Obstacle
from truegauge.core.probing.obstacles import BoxObstacle, ParkedProbe, PartObstacle, Table
from truegauge.core.probing.probing import Probing
from truegauge.core.probing.records import MachineRecord


@dataclass(frozen=True, slots=True, eq=False)
class Standing:
    """Obstacles, and how high the highest of them is (mm, machine).

    `unlocated` is how tall a part may be that stands on the table and is not located; 0 where there is none. It does
    not stand around the places `free` (n, 3), as it does not around the reference sphere.
    """

    obstacles: tuple[Obstacle, ...] = ()
    top: float = -np.inf
    unlocated: float = 0.0
    table_z: float | None = None
    free: Points | None = None


def standing(record: MachineRecord, part: PartObstacle | None = None, unlocated: float = 0.0) -> Standing:
    """Return what stands on a machine: its table, what was said to be fixed there, and the part where it is located."""
    found: list[Obstacle] = [] if record.table_z is None else [Table(record.table_z)]
    tops = [-np.inf]
    for fixture in record.fixtures:
        found.append(BoxObstacle(fixture.name, np.array(fixture.low), np.array(fixture.high)))
        tops.append(fixture.high[2])
    if part is not None:
        found.insert(0, part)
        tops.append(part.top)
    return Standing(tuple(found), max(tops), 0.0 if part is not None else unlocated, record.table_z)


def parked(probing: Probing, on_machine: ProbeAssembly) -> tuple[ParkedProbe, ...]:
    """Return the probes that hang in the rack while another one is on the machine; ports nobody placed are left out."""
    ports = [p for p in probing.rack if p.assembly and p.assembly != on_machine.id and any(p.place)]
    made = [(probing.assembly(p.assembly), p) for p in ports]
    return tuple(ParkedProbe(a.name, a.bodies(STRAIGHT), np.array(p.place)) for a, p in made if a.parts)
