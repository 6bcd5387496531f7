"""Measures what docs/benchmarks.md states: ``.venv/bin/python benchmarks/run.py``. Prints one line a figure."""

import os
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

import numpy as np

from stopwatch import timed
from truegauge import demo
from truegauge.core.clouds.prepared import prepare
from truegauge.core.clouds.spatial import spatial_order
from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.frames import apply, invert, random_rigid
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.registration.align import align
from truegauge.demo.scan_maker import ScanSettings, make_scan
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import read_plan
from truegauge.formats.ply import ply_from_points
from truegauge.formats.sample_file import open_sample

COUNTS, SHOWN, CHARACTERISTICS, FRAMES = (250_000, 1_000_000), 1_000_000, 500, 20
PROGRAM = Path(sys.executable).parent / "truegauge"


def say(what, value, unit):
    print(f"{what:<72} {value:10.3f} {unit}", flush=True)


def child(*arguments):
    """Return seconds and peak MB of a run of the program."""
    started = time.perf_counter()
    before = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    subprocess.run([str(PROGRAM), *map(str, arguments)], check=False, capture_output=True)
    peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    return time.perf_counter() - started, max(peak, before) / 1024


def frames():
    os.environ["QT_QPA_PLATFORM"] = "offscreen"
    from truegauge.rendering.camera import standard_camera
    from truegauge.rendering.scene import Scene

    model = read_part(demo.PART)
    evaluator = Evaluator(model)
    sample, _ = open_sample(demo.SCAN)
    plan = read_plan(demo.PLAN).plan
    evaluator.evaluate(plan, sample)
    found = evaluator.deviation_map(plan, sample)
    million, _ = make_scan(model, evaluator.projector, ScanSettings(points=SHOWN, seed=9))
    scene = Scene()
    scene.set_model(model)
    camera = standard_camera("corner", model.box, 656 / 756)

    def turn(label, moving):
        view = camera
        scene.render(view, 492 if moving else 656, 567 if moving else 756, moving=moving)
        times = []
        for _ in range(FRAMES):
            view = view.orbited(0.02, 0.01, view.target)
            started = time.perf_counter()
            scene.render(view, 492 if moving else 656, 567 if moving else 756, moving=moving)
            times.append(time.perf_counter() - started)
        say(f"frame, {label}, {'turning' if moving else 'at rest'}", 1000 * median(times), "ms")

    for moving in (True, False):
        turn("part", moving)
    scene.set_points(million)
    scene.show_points(True)
    for moving in (True, False):
        turn(f"part and {SHOWN:,} points", moving)
    scene.show_points(False)
    scene.set_map(found, plan.scale)
    for moving in (True, False):
        turn("deviation map", moving)
    scene.close()


def main():
    print(f"{os.cpu_count()} cores, Python {sys.version.split()[0]}, numpy {np.__version__}")
    model = read_part(demo.PART)
    evaluator = Evaluator(model)
    projector = evaluator.projector
    for count in COUNTS:
        points, truth = make_scan(model, projector, ScanSettings(points=count, seed=7))
        move = random_rigid(np.random.default_rng(1), 300)
        posed = apply(move, points)
        align(prepare(posed), model, projector)
        cloud = prepare(posed)
        say(f"prepare {count:,} points", timed(lambda p=posed: prepare(p)), "s")
        say(f"align {count:,} points from any pose", timed(lambda c=cloud: align(c, model, projector)), "s")
        result = align(cloud, model, projector)
        expected = np.array(truth["part_from_scan"]) @ invert(move)
        corner = apply(invert(expected), model.box)
        error = np.abs(apply(result.part_from_scan, corner) - model.box).max()
        say("   error of the pose at the corners of the part", 1000 * error, "um")
        aligned = apply(expected, posed)
        aligned = np.ascontiguousarray(aligned[spatial_order(aligned)])
        seconds = timed(lambda a=aligned: projector.deviations(a, max_distance=3.5))
        say(f"exact deviations of {count:,} points, sorted", seconds, "s")
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "scan.ply"
            path.write_bytes(ply_from_points(posed))
            seconds, peak = child("compare", demo.PART, path, "--json")
            say(f"truegauge compare, {count:,} points, whole program", seconds, "s")
            say("   peak memory of the largest process", peak, "MB")
    sample, _ = open_sample(demo.SCAN)
    plan = read_plan(demo.PLAN).plan
    one = plan.characteristics[3]
    rows = [one.model_dump() | {"id": f"x{i}", "number": i + 1} for i in range(CHARACTERISTICS)]
    many = plan.replace(characteristics=tuple(Characteristic.model_validate(row) for row in rows))
    evaluator.evaluate(many, sample)
    edited = EditCharacteristic("x7", (("upper", 0.01),)).apply(many)
    say(
        f"evaluate after editing one tolerance of {CHARACTERISTICS}",
        1000 * timed(lambda: evaluator.evaluate(edited, sample), 9),
        "ms",
    )
    frames()


if __name__ == "__main__":
    main()
