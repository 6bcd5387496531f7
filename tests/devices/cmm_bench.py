"""A stand-in in the test's own process, with a client and an operator."""

import threading
from datetime import datetime

import numpy as np

from truegauge.core.plan.document import Plan
from truegauge.core.probing.probing import QualificationSettings, StylusUse
from truegauge.core.probing.records import MachineRecord
from truegauge.demo.cmm_plan import demo_probing
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm_sim.build import make_world, start
from truegauge.devices.cmm_sim.operator import Operator
from truegauge.devices.cmm_sim.settings import Fault, MachineSettings
from truegauge.runs.events import FeatureTouched, TouchWanted, when
from truegauge.runs.qualifying import Qualifying

NOW = datetime(2026, 11, 24, 10, 0)
DEMO = demo_probing()
SHORT = StylusUse(assembly="p1", stylus="c3")  # of the demo: straight down


def hands(operator):
    """Have the operator told that a touch by hand is wanted."""
    return when(TouchWanted, lambda event: operator(event.use, event.why))


def touches(then):
    """Have the touches of features told."""
    return when(FeatureTouched, lambda event: then(event.touch))


class Bench:
    """A stand-in in this process, a client that is connected to it, and an operator."""

    def __init__(self, probing=DEMO, faults=(), seed=1, part=None):
        self.probing = probing
        self.world = make_world(MachineSettings(), seed, tuple(map(Fault.read, faults)), Plan(probing=probing), part)
        self.stand_in = start(self.world, hands_port=0)
        self.cmm = Cmm("127.0.0.1", self.stand_in.port)
        self.cmm.link.answer_s = 8.0  # a busy machine may be slow
        self.asked: list[str] = []
        self.wanted = 0
        self.spread = False

    def connect(self):
        self.cmm.connect()
        self.cmm.home()

    def operator(self, use, why):
        """Touch the sphere soon after the program asks for it, and again while it still asks."""
        self.wanted += 1
        if why:
            self.asked.append(why)
            threading.Timer(0.02, self._touch, [self.wanted]).start()

    def _touch(self, wanted):
        if self.wanted != wanted:
            return
        with self.world.busy:
            touch = Operator(self.world).touches_sphere(len(self.asked) - 1 if self.spread else 0)
        self.stand_in.server.hand_touch(touch)
        threading.Timer(0.6, self._touch, [wanted]).start()

    def qualifying(self, uses=None, record=None):
        told = hands(self.operator)
        uses = self.probing.uses() if uses is None else uses
        return Qualifying(self.cmm, self.probing, record or MachineRecord(), uses, told, lambda: NOW)

    def close(self):
        self.wanted += 1
        self.cmm.close()
        self.stand_in.close()


def short_probing(poses=1, touches=9, **changes):
    """Return the demo's short probe alone, with its first poses."""
    own = DEMO.assembly("p1")
    own = own.with_poses(own.poses[:poses])
    settings = QualificationSettings(touches=touches, **changes)
    return DEMO.replace(assemblies=(own,), rack=(DEMO.rack[0],), settings=settings)


def pre_travel_fit(world, record):
    """Return what pre-travel makes of the sphere at the places of a qualification: its centre's shift, its radius."""
    place = world.probe.place(record.stylus)
    d = np.array(record.directions)
    late = np.array([world.probe.pre_travel(place, -v, record.touch_speed) for v in d])
    found = np.linalg.lstsq(np.column_stack([d, np.ones(len(d))]), -late, rcond=None)[0]
    return found[:3], found[3]
