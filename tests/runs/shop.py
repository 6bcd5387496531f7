"""A stand-in with the demo housing, and runs of a plan on it."""

import threading

import numpy as np

from truegauge.core.evaluation.choice import Choice
from truegauge.core.probing.records import MachineRecord
from truegauge.core.samples.document import SampleData
from truegauge.core.samples.sample import Sample
from truegauge.demo.cmm import part_to_place
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm_sim.build import make_world, start
from truegauge.devices.cmm_sim.operator import Operator
from truegauge.devices.cmm_sim.settings import Fault, MachineSettings
from truegauge.devices.cmm_sim.words import MachineStopped
from truegauge.jobs.plan_run import PlanRun, Setting
from truegauge.jobs.running import new_sample
from truegauge.runs.events import TouchWanted, when
from truegauge.runs.qualifying import Qualifying

FEW = ("base", "side-b", "side-c", "main-bore")


class Shop:
    """A stand-in with the demo housing, and a program that is connected to it."""

    def __init__(self, plan, evaluator, faults=(), seed=3):
        self.plan, self.evaluator = plan, evaluator
        part = part_to_place(evaluator.model, evaluator.projector, is_housing=True)
        self.world = make_world(MachineSettings(), seed, tuple(map(Fault.read, faults)), plan, part)
        self.stand_in = start(self.world, hands_port=0)
        self.cmm = Cmm("127.0.0.1", self.stand_in.port)
        self.cmm.link.answer_s = 8.0
        self.cmm.connect()
        self.cmm.home()
        self.record = MachineRecord()
        self.troubles = []  # of the operator

    @property
    def about(self):
        """Where the part lies, as an operator would know it."""
        rough = self.world.part.machine_from_part.copy()
        rough[:3, 3] += (0.3, -0.2, 0.25)
        return rough

    def by_hand(self, touch):
        """Have the operator touch something soon."""

        def do():
            try:
                with self.world.busy:
                    made = touch(Operator(self.world))
            except MachineStopped as stopped:
                self.troubles.append(stopped.text)
                return
            if made is None:
                self.by_hand(touch)  # missed
            else:
                self.stand_in.server.hand_touch(made)

        threading.Timer(0.02, do).start()

    def qualify(self):
        tell = when(TouchWanted, lambda e: e.why and self.by_hand(lambda o: o.touches_sphere(0)))
        job = Qualifying(self.cmm, self.plan.probing, self.record, self.plan.probing.uses(), tell)
        job.run()
        self.record = job.record

    def setting(self, plan=None):
        return Setting(plan or self.plan, self.evaluator, self.cmm, self.record)

    def begin(self, path, choice=None, tell=lambda event: None, pose=None, before=None, plan=None, **more):
        wanted = choice or Choice()
        own = new_sample(plan or self.plan, wanted, Sample.of(SampleData(name="x")), before)
        return PlanRun.begin(self.setting(plan), path, wanted, own, self.about if pose is None else pose, tell, **more)

    def close(self):
        self.cmm.close()
        self.stand_in.close()


def confirms(run):
    """Do at once what notes say."""
    run.program.confirmed |= {s.id for s in run.setting.plan.route.steps if s.kind == "note"}
    return run


def places(run):
    """Return where the touches of a run are (n, 3)."""
    return np.array([t.touch.place for t in run.state.taken])
