"""Whether a run loses or doubles touches: killed without warning, and its connection cut, at many moments.

``benchmarks/killed_runs.py [KILLS] [CUTS]`` runs the demo housing on the stand-in: killed at 50 moments of one run,
each time gone on with by the same command in a new process; then with the connection cut at 50 messages.
"""

import contextlib
import os
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

from truegauge import demo
from truegauge.api import machines, plans
from truegauge.api.running import begin
from truegauge.core.errors import DeviceError
from truegauge.core.evaluation.choice import Choice
from truegauge.devices.cmm_sim.settings import Fault
from truegauge.formats.machine_file import record_file, write_machine
from truegauge.formats.sample_file import read_sample

KILLS, CUTS = 50, 50
STEPS = 0  # of the route that are run; 0: all


def about(stand_in):
    """Where the part lies, as an operator would know it."""
    rough = stand_in.machine_from_part.copy()
    rough[:3, 3] += (0.3, -0.2, 0.25)
    return rough


def whole(touches):
    """Return how many touches there are, and how many places are touched twice."""
    places = np.array([t.place for t in touches])
    return len(places), len(places) - len(np.unique(places.round(2), axis=0))


def killed(plan_file, stand_in, folder, wanted):
    """Run in processes of their own that are killed; returns the touches and how often it was."""
    out = folder / "out"
    command = [sys.executable, "-m", "truegauge.cli", "run", str(plan_file), "--server", f"127.0.0.1:{stand_in.port}",
               "--out", str(out), "--serial", "K", "--formats", "sample", "--no-uncertainty"]  # fmt: skip
    environment = {**os.environ, "XDG_STATE_HOME": str(folder / "state")}
    journal, kills, every = out / "run.tgrun", 0, max(1, wanted // (KILLS + 1))
    while True:
        with subprocess.Popen(command, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE) as child:
            before = taken(journal)
            while child.poll() is None and (kills == KILLS or taken(journal) < before + every):
                time.sleep(0.001)
            if child.poll() is None:
                child.kill()
                kills += 1
                continue
            said = child.stderr.read().decode()
            assert child.returncode in (0, 1), said
            assert "Traceback" not in said, said
        sample = read_sample(out / "K.tgsample")[0]
        return sample, kills


def taken(journal):
    return journal.read_bytes().count(b'"entry":"taken"') if journal.exists() else 0


def main():
    kills, cuts = [int(v) for v in (*sys.argv[1:], *(KILLS, CUTS)[len(sys.argv) - 1 :])]
    globals()["KILLS"] = kills
    plan = plans.open_plan(demo.CMM_PLAN)
    plan.route(make=True, check=False)
    route = plan.document.route
    if STEPS:
        plan.set_route(route.replace(steps=route.steps[:STEPS]))
    folder = Path(tempfile.mkdtemp())
    plan.save(folder / "plan.tgplan")
    with machines.stand_in(plan, seed=3, up=(0.0, -1.0, 0.0)) as stand_in:
        with machines.connect(port=stand_in.port) as machine:
            machine.qualify(plan, ask=stand_in.touch_sphere)
            once = machine.run(plan, machine_from_part=about(stand_in))
            record, identity = machine.record, machine.identity
        print(f"undisturbed: {whole(once.probed)[0]} touches of features, {whole(once.probed)[1]} doubled")
        write_machine(record_file(folder / "state" / "truegauge" / "machines", identity), record, identity)
        begun = time.perf_counter()
        sample, times = killed(folder / "plan.tgplan", stand_in, folder, len(once.probed) + 7)
        count, doubled = whole(sample.probed)
        took = time.perf_counter() - begun
        print(f"killed {times} times: {count} touches of features, {doubled} doubled, {len(sample.touches)} of targets")
        print(f"  in {took:.0f} s, {took / max(times, 1):.1f} s each")
        with machines.connect(port=stand_in.port) as machine:
            server, faults = stand_in._running.server, stand_in._world.faults
            rng = np.random.default_rng(1)
            before = server.messages
            run = begin(machine.cmm, record, plan, Choice(), None, machine_from_part=about(stand_in))
            at = before + np.sort(rng.choice(np.arange(60, 60 + 40 * cuts), cuts, replace=False))
            faults.every.extend(Fault.read(f"cut@{k}") for k in at)
            while True:
                try:
                    found = run.go()
                    break
                except DeviceError:  # more cuts at one feature than are gone on from by themselves
                    with contextlib.suppress(DeviceError):  # cut again meanwhile
                        machine.cmm.connect()
            faults.every.clear()
            done = int((at < server.messages).sum())
        count, doubled = whole(found.probed)
        print(f"cut {done} times: {count} touches of features, {doubled} doubled, {len(found.touches)} of targets")


if __name__ == "__main__":
    sys.exit(main())
