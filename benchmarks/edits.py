"""Edits of large plans, touches that come in one by one, and memory: ``benchmarks/edits.py [OLD_SRC] [--small]``.

With the folder `src` of an earlier state of the program the first two are measured beside it, in the same run.
"""

import gc
import json
import os
import subprocess
import sys
import time
from pathlib import Path

import numpy as np

COUNT, TOUCHES, STEPS, SAMPLES = 500, 500, 50, 3

# Runs with this state of the program and with an earlier one: only names that both have.
_EDITS = """
import json, sys, time
from truegauge import demo
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import read_plan
from truegauge.formats.sample_file import open_sample
try:
    from truegauge.core.evaluation.evaluator import Evaluator
except ImportError:
    from truegauge.core.plan.evaluation import Evaluator
from truegauge.core.plan.requirements import Characteristic
evaluator = Evaluator(read_part(demo.PART))
sample, plan = open_sample(demo.SCAN)[0], read_plan(demo.PLAN).plan
count = int(sys.argv[1])

def edits(rows):
    every = tuple(Characteristic.model_validate(row) for row in rows)
    now = plan.replace(characteristics=every)
    evaluator.evaluate(now, sample)
    taken = []
    for k in range(15):
        cs = list(now.characteristics)
        cs[7] = cs[7].replace(upper=0.05 + k / 1000)
        now = now.replace(characteristics=tuple(cs))
        begun = time.perf_counter()
        assert evaluator.is_quick(now, sample)
        evaluator.evaluate(now, sample)
        taken.append(time.perf_counter() - begun)
    return 1000 * sorted(taken)[len(taken) // 2]

one = plan.characteristics[3]
alike = [one.model_dump() | {"id": f"x{i}", "number": i + 1} for i in range(count)]
mixed = [plan.characteristics[i % len(plan.characteristics)].model_dump()
         | {"id": f"x{i}", "number": i + 1, "tier_of": "", "simultaneous": ""} for i in range(count)]
print(json.dumps([edits(alike), edits(mixed)]))
"""


def say(what: str, value: float, unit: str) -> None:
    """Print a figure."""
    print(f"{what:<78} {value:10.2f} {unit}", flush=True)


def edited(source: Path | None, count: int) -> list[float]:
    """Return the times (ms) of an edit: of characteristics of one feature, and of those of the demo plan again."""
    env = os.environ | ({"PYTHONPATH": str(source)} if source else {})
    out = subprocess.run(
        [sys.executable, "-c", _EDITS, str(count)], check=True, capture_output=True, text=True, env=env
    )
    return json.loads(out.stdout.splitlines()[-1])


def rss_mb() -> float:
    """Return the memory that the process has, MB."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def touches(count: int) -> None:
    """Touches of one feature come in while others have theirs: the time of each, with few and with many others."""
    from truegauge import demo
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.plan.alignments import GivenAlignment
    from truegauge.core.samples.document import ProbedTouch, SampleData
    from truegauge.core.samples.sample import Sample
    from truegauge.demo.cmm_plan import cmm_plan
    from truegauge.formats.part import read_part

    model = read_part(demo.PART)
    plan = cmm_plan(model).replace(alignments=(GivenAlignment(id="g", name="given"),), in_force="g")
    plan = plan.replace(characteristics=tuple(c.replace(alignment="") for c in plan.characteristics))
    evaluator = Evaluator(model)
    mesh, rng = model.mesh, np.random.default_rng(2)

    def on(feature, n):
        rows = rng.choice(np.flatnonzero(np.isin(mesh.triangle_face, feature.faces)), n)
        made = []
        for a, b, c in mesh.vertices[mesh.triangles[rows]]:
            out = np.cross(b - a, c - a)
            out /= np.linalg.norm(out)
            x, y, z = ((a + b + c) / 3 + out).tolist()
            i, j, k = (-out).tolist()
            made.append(ProbedTouch(place=(x, y, z), approach=(i, j, k), radius=1.0, feature=feature.id, stylus="S"))
        return made

    first, rest = plan.features[0], plan.features[1:]
    for others in (4, len(rest)):
        there = [t for f in rest[:others] for t in on(f, 12)]
        sample = Sample.of(SampleData(name="t", probed=tuple(there)))
        evaluator.evaluate(plan, sample)
        taken = []
        for touch in on(first, count):
            more = sample.with_probed((*sample.probed, touch))
            before = evaluator.graph.computed
            begun = time.perf_counter()
            evaluator.evaluate(plan, more)
            taken.append((time.perf_counter() - begun, evaluator.graph.computed - before))
            sample = more
        seconds, nodes = np.array(taken).T
        say(f"   memory after {len(sample.probed)} touches", rss_mb(), "MB")
        say(f"a touch more, {others} other features have theirs", 1000 * float(np.median(seconds)), "ms")
        say("   what is worked out for it", float(np.median(nodes)), "nodes")


def memory(steps: int, samples: int) -> None:
    """Edits undone, samples opened and closed: what the process has before and after."""
    from truegauge import demo
    from truegauge.core.commands.history import History
    from truegauge.core.commands.requirements import EditCharacteristic
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.formats.part import read_part
    from truegauge.formats.plan_file import read_plan
    from truegauge.formats.sample_file import open_sample

    evaluator = Evaluator(read_part(demo.PART))
    history = History(read_plan(demo.PLAN).plan)

    def round_() -> None:
        sample = open_sample(demo.SCAN)[0]
        evaluator.evaluate(history.plan, sample)
        for k in range(steps):
            history.run(EditCharacteristic("c4", (("upper", 0.025 + k / 1e4),)))
            evaluator.evaluate(history.plan, sample)
        while history.undo():
            evaluator.evaluate(history.plan, sample)
        evaluator.forget_other_samples("")
        gc.collect()

    round_()  # kernels, caches of the part
    before = rss_mb()
    for _ in range(samples):
        round_()
    say(f"memory before {steps} edits were made and undone on each of {samples} samples", before, "MB")
    say("   and after", rss_mb(), "MB")


def main() -> None:
    """Measure all."""
    words = [w for w in sys.argv[1:] if not w.startswith("--")]
    small = "--small" in sys.argv
    count = 20 if small else COUNT
    for name, source in (("now", None), *((f"with {w}", Path(w)) for w in words)):
        alike, mixed = edited(source, count)
        say(f"one of {count} characteristics of one feature edited, {name}", alike, "ms")
        say(f"one of {count} characteristics of the demo edited, {name}", mixed, "ms")
    touches(10 if small else TOUCHES)
    memory(2 if small else STEPS, 1 if small else SAMPLES)


if __name__ == "__main__":
    main()
