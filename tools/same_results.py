"""Does a change of the code change a result? ``tools/same_results.py write FOLDER`` before and after, ``compare A B``.

Written are the results (JSON, full digits) of the demo plans with their scans, the plan for a machine with touches of a
stand-in, the plans of every version in the tests, and plans with random tolerances and rules; ``--uncertainty`` works
out uncertainties too (minutes). Compared is every number to the last digit, every word, every reason.
"""

import json
import sys
from pathlib import Path
from typing import Any

import numpy as np

from truegauge import demo
from truegauge.core.arrays import Rigid
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.frames import apply, rotate
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import GivenAlignment
from truegauge.core.plan.document import Plan
from truegauge.core.routes.on_faces import on_faces
from truegauge.core.routes.places import FeatureToTouch, Surface
from truegauge.core.routes.strategies import usual_strategy
from truegauge.core.samples.document import ProbedTouch, SampleData
from truegauge.core.samples.sample import Sample
from truegauge.demo.housing_errors import housing_errors
from truegauge.devices.cmm_sim.surroundings import PartOnTable
from truegauge.formats.plan_file import model_of_plan, read_plan
from truegauge.formats.results import results_json
from truegauge.formats.sample_file import open_sample

PLANS = Path(__file__).parents[1] / "tests" / "data" / "plans"
RANDOM = 24
_STEP = 1e-4


def touched(evaluator: Evaluator, plan: Plan, machine_from_part: Rigid, seed: int) -> Sample:
    """Return a sample of touches of the housing with its known errors, as a machine would take them."""
    rng = np.random.default_rng(seed)
    model = evaluator.model
    part = PartOnTable(evaluator.projector, model.box, machine_from_part, housing_errors(model))
    found = []
    for f in plan.features:
        nominal = evaluator.nominal(f.group)
        if isinstance(nominal, NotComputed):
            continue
        surface = Surface(model, evaluator.projector, FeatureToTouch(f.id, f.name, f.faces, nominal))
        chosen, _, _ = on_faces(surface, usual_strategy(nominal), 3.0)
        for k in range(len(chosen)):
            at, out = (
                apply(machine_from_part, chosen.points[k : k + 1])[0],
                rotate(machine_from_part, chosen.normals[k]),
            )
            tip = at + 2.0 * out
            for _ in range(8):  # on the true surface
                tip = tip - (float(part.distances(tip[None])[0]) - 2.0) * out
            tip = tip + rng.normal(0, 0.0003) * out
            row = int(chosen.rows[k])
            x, y, z = (float(v) for v in tip)
            i, j, l = (float(-v) for v in out)  # noqa: E741
            found.append(
                ProbedTouch(place=(x, y, z), approach=(i, j, l), radius=2.0, feature=f.id, stylus="S", row=row)
            )
    return Sample.of(SampleData(name="touches", probed=tuple(found)))


def random_plan(plan: Plan, rng: np.random.Generator) -> Plan:
    """Return a plan whose characteristics have other tolerances, modifiers, datums and rules."""
    changed = []
    for c in plan.characteristics:
        if rng.random() < 0.25:
            continue
        if c.upper is not None:
            c = c.replace(upper=float(c.upper * rng.uniform(0.4, 2.0)))
        if c.datums and rng.random() < 0.5:
            c = c.replace(datums=c.datums[: int(rng.integers(1, len(c.datums) + 1))])
        if c.datums and rng.random() < 0.3:
            first = c.datums[0].replace(modifiers=())
            c = c.replace(datums=(first, *c.datums[1:]))
        if rng.random() < 0.3:
            c = c.replace(modifiers=())
        changed.append(c)
    made = plan.replace(characteristics=tuple(changed), usual_size=str(rng.choice(["", "GG", "LP"])))
    if rng.random() < 0.4:
        made = made.replace(standard=str(rng.choice(["ISO", "ASME"])))
    features = tuple(
        f.replace(criterion=str(rng.choice(["by_use", "least_squares", "minimum_zone"]))) if rng.random() < 0.3 else f
        for f in made.features
    )
    return made.replace(features=features)


def write(folder: Path, *, uncertainty: bool) -> None:
    """Write the results of all."""
    folder.mkdir(parents=True, exist_ok=True)
    housing = read_plan(demo.PLAN)
    evaluator = Evaluator(model_of_plan(demo.PLAN, housing))
    scan = open_sample(demo.SCAN)[0]
    keep(folder / "housing.json", evaluator, housing.plan, scan, uncertainty=uncertainty)
    for path in sorted(PLANS.glob("*.tgplan")):
        keep(folder / f"{path.stem}.json", evaluator, read_plan(path).plan, scan)
    cmm = read_plan(demo.CMM_PLAN).plan
    pose = np.eye(4)
    touches = touched(evaluator, cmm, pose, 1)
    given = GivenAlignment(id="given", name="As it lies")
    own = tuple(a.replace(base="given") if a.id == "abc" else a for a in cmm.alignments)
    datums = cmm.replace(alignments=(given, *own))
    keep(folder / "cmm.json", evaluator, datums, touches, uncertainty=uncertainty)
    for k in range(RANDOM):
        rng = np.random.default_rng([k, 22])
        base, sample = (housing.plan, scan) if k % 2 == 0 else (datums, touches)
        try:
            made = random_plan(base, rng)
        except ValueError as error:
            (folder / f"random-{k:02d}.json").write_text(json.dumps({"refused": str(error)}))
            continue
        keep(folder / f"random-{k:02d}.json", evaluator, made, sample)
    cover = read_plan(demo.COVER_PLAN)
    own = Evaluator(model_of_plan(demo.COVER_PLAN, cover))
    keep(folder / "cover.json", own, cover.plan, open_sample(demo.COVER_SCAN)[0])


def keep(path: Path, evaluator: Evaluator, plan: Plan, sample: Sample, *, uncertainty: bool = False) -> None:
    """Write the results of one plan on one sample."""
    evaluation = evaluator.evaluate(plan, sample)
    if uncertainty:
        for c in plan.characteristics:
            evaluator.uncertainty(plan, sample, c)
        evaluation = evaluator.evaluate(plan, sample)
    path.write_bytes(results_json(evaluation, sample))
    found = json.loads(path.read_text())
    measured = sum(c["measured"] is not None for c in found["characteristics"])
    print(f"{path.name}: {measured} of {len(found['characteristics'])} measured", flush=True)


def differences(a: Any, b: Any, where: str = "") -> list[str]:
    """Return where two documents differ."""
    if isinstance(a, dict) and isinstance(b, dict):
        return [d for k in sorted({*a, *b}) for d in differences(a.get(k), b.get(k), f"{where}.{k}")]
    if isinstance(a, list) and isinstance(b, list) and len(a) == len(b):
        return [d for k, (x, y) in enumerate(zip(a, b, strict=True)) for d in differences(x, y, f"{where}[{k}]")]
    return [] if a == b and type(a) is type(b) else [f"{where}: {a!r} is now {b!r}"]


def compare(before: Path, after: Path) -> int:
    """Print what differs; 0 when nothing does."""
    names = sorted({p.name for p in before.glob("*.json")} | {p.name for p in after.glob("*.json")})
    found = 0
    for name in names:
        if not (before / name).exists() or not (after / name).exists():
            print(f"{name}: only in one of them")
            found += 1
            continue
        a, b = (json.loads((folder / name).read_text()) for folder in (before, after))
        own = differences(a, b)
        found += len(own)
        for line in own[:8]:
            print(f"{name}{line}")
    print(f"{len(names)} results, {found} differences")
    return int(found > 0)


def main() -> int:
    """Write or compare."""
    words = [w for w in sys.argv[1:] if not w.startswith("--")]
    if len(words) == 2 and words[0] == "write":
        write(Path(words[1]), uncertainty="--uncertainty" in sys.argv)
        return 0
    if len(words) == 3 and words[0] == "compare":
        return compare(Path(words[1]), Path(words[2]))
    print(__doc__)
    return 2


if __name__ == "__main__":
    sys.exit(main())
