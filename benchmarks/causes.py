"""Is the likely cause of a bad qualification the right one? ``benchmarks/causes.py [seeds]``.

A stylus is qualified on the stand-in, then something happens to it, and it is qualified again: straight (the master)
and horizontal. A cause is right when it is the only one that is marked as likely; a sphere that was moved is right for
the master when it is located again without a word, and dirt is right for a stylus that does not touch it when all is
good.
"""

import sys
import threading
from collections import Counter, defaultdict
from dataclasses import replace
from datetime import datetime

import numpy as np

from truegauge.core.errors import DeviceError
from truegauge.core.plan.document import Plan
from truegauge.core.probing.probing import QualificationSettings
from truegauge.core.probing.records import MachineRecord
from truegauge.demo.cmm_plan import demo_probing
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm_sim.build import make_world, start
from truegauge.devices.cmm_sim.operator import Operator
from truegauge.devices.cmm_sim.settings import Fault, MachineSettings
from truegauge.runs.events import TouchWanted, when
from truegauge.runs.qualifying import Qualifying

CASES = {
    "bent stylus": "loose or bent", "loose tip": "loose or bent", "dirty sphere": "dirt", "wrong tip": "wrong tip",
    "moved sphere": "the sphere moved",
}  # fmt: skip
NOW = datetime(2026, 11, 24, 10, 0)


class Bench:
    """A stand-in, a client, and an operator who makes the first touch."""

    def __init__(self, seed: int) -> None:
        own = demo_probing().assembly("p1")
        settings = QualificationSettings(touches=12)
        whole = demo_probing()
        self.probing = whole.replace(
            assemblies=(own.with_poses(own.poses[:3]),), rack=whole.rack[:1], settings=settings
        )
        self.world = make_world(MachineSettings(), seed, (), Plan(probing=self.probing))
        self.running = start(self.world)
        self.cmm = Cmm("127.0.0.1", self.running.port)
        self.cmm.connect()
        self.cmm.home()

    def close(self) -> None:
        """Let go."""
        self.cmm.close()
        self.running.close()

    def _operator(self, use: object, why: str) -> None:
        if why:
            threading.Timer(0.05, self._touch).start()

    def _touch(self) -> None:
        with self.world.busy:
            touch = Operator(self.world).touches_sphere(0)
        if touch is not None:
            self.running.server.hand_touch(touch)

    def qualify(self, uses: tuple, record: MachineRecord) -> Qualifying:  # type: ignore[type-arg]
        """Return a run that has ended, well or not."""
        told = when(TouchWanted, lambda event: self._operator(event.use, event.why))
        job = Qualifying(self.cmm, self.probing, record, uses, told, lambda: NOW)
        try:
            job.run()
        except DeviceError:
            self.cmm.clear_errors()
        return job


def spoil(made: Bench, case: str, rng: np.random.Generator) -> None:
    """Let something happen."""
    world = made.world
    assert world.probe is not None
    if case == "moved sphere":
        way = rng.normal(size=3)
        world.move_sphere(rng.uniform(0.05, 0.3) * way / np.linalg.norm(way))
    elif case == "loose tip":
        # It stands elsewhere, and gives way a little at every touch.
        place, off = world.probe.place, rng.normal(0, 0.15, 3)

        def loose(stylus_id: str, *, bent: float = 0.0):  # type: ignore[no-untyped-def]
            found = place(stylus_id, bent=bent)
            return replace(found, center=found.center + off + rng.normal(0, 0.03, 3))

        world.probe.place = loose  # type: ignore[method-assign]
    else:
        name = {"bent stylus": "bent-stylus", "dirty sphere": "dirty-sphere", "wrong tip": "wrong-diameter"}[case]
        world.faults.every.append(Fault(name))


def is_right(case: str, across: bool, job: Qualifying) -> bool:
    """Tell whether what is said is what happened."""
    if not job.done:
        return False
    likely = [what for what, _, likely in job.done[0].causes if likely]
    relocated = case == "moved sphere" and not across
    untouched = case == "dirty sphere" and across
    if (relocated or untouched) and job.done[0].passes and not likely:
        return job.record.location is not None and not job.record.location.may_have_moved
    return len(likely) == 1 and likely[0].startswith(CASES[case])


def trials(seeds: int) -> dict[tuple[str, bool], Counter[bool]]:
    """Return how often the likely cause was the right one, for each case, straight and across."""
    counts: dict[tuple[str, bool], Counter[bool]] = defaultdict(Counter)
    for seed in range(seeds):
        for case in CASES:
            for across in (False, True):
                rng = np.random.default_rng([seed, across])
                made = Bench(seed)
                uses = made.probing.uses()
                record = made.qualify(uses, MachineRecord()).record
                use = uses[1 + rng.integers(2)] if across else uses[0]
                spoil(made, case, rng)
                counts[case, across][is_right(case, across, made.qualify((use,), record))] += 1
                made.close()
    return counts


def main() -> None:
    """Print the table."""
    counts = trials(int(sys.argv[1]) if len(sys.argv) > 1 else 10)
    for (case, across), found in counts.items():
        print(f"{case:14s} {'horizontal' if across else 'straight  '}  right in {found[True]} of {found.total()}")


if __name__ == "__main__":
    main()
