"""What is kept of part and scan is worth: ``benchmarks/opened_again.py``, in seconds of processor time.

The demo is evaluated by a program of its own each time: without a shelf, with an empty one, and with what the one
before has put there. The results of all three must be the same to the last digit.
"""

import json
import subprocess
import sys
import tempfile

RUNS, EVERY = 3, 1  # runs each, and of how many points of the scan one is taken

_CHILD = """
import hashlib, json, sys, time
from pathlib import Path
from truegauge import demo
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.shelf import NO_SHELF
from truegauge.formats.disk_shelf import DiskShelf
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import read_plan
from truegauge.formats.ply import ply_from_points
from truegauge.formats.sample_file import open_sample
evaluator = Evaluator(read_part(demo.PART), shelf=DiskShelf(Path(sys.argv[1])) if sys.argv[1] else NO_SHELF)
plan, scan = read_plan(demo.PLAN).plan, demo.SCAN
if int(sys.argv[2]) > 1:
    scan = Path(sys.argv[3])
    scan.write_bytes(ply_from_points(open_sample(demo.SCAN)[0].points[:: int(sys.argv[2])]))
sample = open_sample(scan)[0]
started = time.process_time()
found = evaluator.evaluate(plan, sample)
took = time.process_time() - started
said = repr([(r.measured, r.deviation, str(r.state)) for r in found.results])
print(json.dumps([took, hashlib.sha256(said.encode()).hexdigest()]))
"""


def evaluated(folder: str) -> tuple[float, str]:
    """Return the seconds of processor time, and a key of the results."""
    with tempfile.TemporaryDirectory() as made:
        arguments = [folder, str(EVERY), f"{made}/scan.ply"]
        done = subprocess.run([sys.executable, "-c", _CHILD, *arguments], capture_output=True, text=True, check=True)
    took, key = json.loads(done.stdout.splitlines()[-1])
    return float(took), str(key)


def main() -> int:
    """Print the least of some runs each."""
    times: dict[str, list[float]] = {"without a shelf": [], "the first time": [], "again": []}
    keys = set()
    for _ in range(RUNS):
        with tempfile.TemporaryDirectory() as folder:
            for name, where in zip(times, ("", folder, folder), strict=True):
                took, key = evaluated(where)
                times[name].append(took)
                keys.add(key)
    for name, every in times.items():
        print(f"evaluating the demo, {name:<18} {min(every):8.2f} s")
    print(f"    again, of without a shelf      {min(times['again']) / min(times['without a shelf']):8.2f} times")
    print(f"    results the same to the last digit: {'yes' if len(keys) == 1 else 'NO'}")
    return int(len(keys) != 1)


if __name__ == "__main__":
    sys.exit(main())
