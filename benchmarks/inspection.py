"""Whole inspections: a million points from file to PDF, and a batch with one worker and with two.

Usage: python benchmarks/inspection.py [one] [batch [COUNT [POINTS]]]
"""

import json
import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import truegauge as tg
from truegauge import demo
from truegauge.core.authoring.readings import places_on_grid
from truegauge.core.plan.requirements import Characteristic
from truegauge.demo.samples import write_samples

PROGRAM = Path(sys.executable).parent / "truegauge"
SPOTS, CHARACTERISTICS = 40, 60


def large_plan(folder: Path) -> Path:
    """Write the demo plan with 60 characteristics, 40 spot checks besides, two sections and one map."""
    own = tg.open_plan(demo.PLAN)
    plan = own.document
    rows = list(plan.characteristics)
    usual = [c for c in rows if c.kind in ("diameter", "position", "perpendicularity", "distance", "parallelism")]
    k = 0
    while len(rows) < CHARACTERISTICS:
        base: Characteristic = usual[k % len(usual)]
        number = 100 + k
        rows.append(base.replace(id=f"more{number}", number=number, name=f"{base.name} again", tier_of=""))
        k += 1
    second = plan.sections[0].replace(id="s-7", name="section at 7", origin=(0.0, 0.0, 7.0), dimensions=())
    plan = plan.replace(
        characteristics=tuple(rows), sections=(*plan.sections, second), views=plan.views[:1],
    )  # fmt: skip
    made = tg.Plan(plan, own.model, demo.PART.read_bytes())
    places = places_on_grid(own.model, made.evaluator.projector, plan.feature("base").faces, 14.0)
    assert len(places) >= SPOTS, len(places)
    for place in places[:SPOTS]:
        made.spot(place)
    return made.files.save(folder / "large.tgplan")


def one(folder: Path) -> None:
    """Time one inspection of a million points, program start and all."""
    plan = large_plan(folder)
    (scan,) = write_samples(folder / "one", 1, 1_000_000)
    for turn in range(2):
        started = time.perf_counter()
        done = subprocess.run(
            [PROGRAM, "inspect", plan, "--scan", scan, "--out", folder / "out", "--formats", "pdf"],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        spent = time.perf_counter() - started
        peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        what = f"{CHARACTERISTICS} characteristics, {SPOTS} spot checks, one map, two sections"
        print(f"run {turn + 1}: 1,000,000 points, {what}: file to PDF {spent:.1f} s, peak {peak:.0f} MB")
        print(done.stdout.strip(), done.stderr[-200:])


def batch(folder: Path, count: int, points: int, *, uncertainty: bool = True) -> None:
    """Time a batch with one worker of one thread, with one that has all cores, and with two of one thread."""
    scans = tuple(write_samples(folder / "scans", count, points))
    rates = {}
    ways = [("one worker, one thread", 1, 1), ("one worker, all cores", 1, os.cpu_count() or 1),
            ("two workers, one thread each", 2, 1)]  # fmt: skip
    for name, jobs, threads in ways if uncertainty else ways[::2]:
        started = time.perf_counter()
        done = tg.batch(demo.PLAN, scans, folder / f"out-{jobs}-{threads}", jobs=jobs, threads=threads,
                        uncertainty=uncertainty)  # fmt: skip
        spent = time.perf_counter() - started
        rates[name] = count / spent
        peak = max(r.peak_mb for r in done.values())
        failed = sum(r.failed for r in done.values())
        print(f"{count} samples of {points:,} points, {name}: {spent:.1f} s, peak of a worker {peak:.0f} MB, "
              f"{failed} failed", flush=True)  # fmt: skip
    two = rates["two workers, one thread each"]
    ratios = {k: round(two / v, 2) for k, v in rates.items()}
    print("two workers against:", json.dumps(ratios))


if __name__ == "__main__":
    wanted = sys.argv[1:] or ["one", "batch"]
    with tempfile.TemporaryDirectory() as made:
        if "one" in wanted:
            one(Path(made))
        if "batch" in wanted:
            numbers = [int(a) for a in wanted if a.isdigit()] + [30, 250_000][len([a for a in wanted if a.isdigit()]) :]
            batch(Path(made), numbers[0], numbers[1], uncertainty="quick" not in wanted)
