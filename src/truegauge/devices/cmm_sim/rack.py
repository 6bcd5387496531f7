"""Changing the probe through the rack."""

import numpy as np

from truegauge.devices.cmm_sim.words import MachineStopped
from truegauge.devices.cmm_sim.world import CmmWorld
from truegauge.devices.ipp import messages as m


def change(world: CmmWorld, name: str) -> None:
    """Change to an assembly through the rack."""
    world.ready()
    if world.probe is not None and world.probe.assembly.name == name:
        return
    if name not in world.assemblies:
        raise MachineStopped(m.NO_TOOL, f"there is no probe assembly {name}", 1)
    for wanted, word in ((world.probe.assembly.name if world.probe else "", "put down"), (name, "picked up")):
        if wanted and wanted not in world.rack:
            raise MachineStopped(m.NOT_IN_RACK, f"{wanted} has no port in the rack: it must be {word} by hand", 1)
    top = world.settings.travel[1][2]
    for wanted in filter(None, (world.probe.assembly.name if world.probe else "", name)):
        port = np.array(world.rack[wanted].place)
        world.travel(np.array([*world.drive.scales[:2], top]))
        world.travel(np.array([*port[:2], top]))
        world.drive.run_to(port, world.travel_speed)
        world.drive.wait(world.settings.kinematics.dock_s)
        if wanted == name:
            world.mount(name)
        else:
            world.probe = None
    world.drive.run_to(np.array([*world.drive.scales[:2], top]), world.travel_speed)
