"""Speeds of tolerances, 500 characteristics on the demo part: ``.venv/bin/python benchmarks/tolerances.py``."""

import time

import numpy as np

from truegauge import demo
from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.plan.requirements import Characteristic, DatumReference
from truegauge.core.tolerancing.zone import Zone
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import read_plan
from truegauge.formats.sample_file import open_sample

COUNT = 500
# kind, features, datum system, modifiers, zone: what a drawing asks for, in about the shares of one.
MIX = (
    ("diameter", ("main-bore",), "", (), {}), ("diameter", ("bolt-1",), "", (), {}),
    ("distance", ("top", "base"), "", (), {}), ("distance", ("slot-left", "slot-right"), "", (), {}),
    ("flatness", ("base",), "", (), {}), ("cylindricity", ("main-bore",), "", (), {}),
    ("perpendicularity", ("side-b",), "A", (), {}), ("perpendicularity", ("main-bore",), "A", (), {}),
    ("parallelism", ("top",), "A", (), {}), ("angularity", ("cross-bore",), "B", (), {}),
    ("position", ("main-bore",), "A B C", (), {}), ("position", ("bolt-1", "bolt-2"), "A B C", ("M",), {}),
    ("position", ("bolt-3",), "A D B", (), {}), ("position", ("socket",), "A D B", (), {}),
    ("position", ("slot-left", "slot-right"), "A B C", ("M",), {}), ("profile_surface", ("top",), "A B C", (), {}),
    ("profile_surface", ("shroud",), "A B C", (), {}), ("circular_runout", ("top",), "D", (), {}),
    ("position", ("mount-1", "mount-2"), "A", (), {"together": True}), ("coordinate_z", ("boss",), "A B C", (), {}),
)  # fmt: skip


def many(plan, count):
    """The demo plan with so many characteristics, all different to the evaluation (each by a zone of its own)."""
    made = []
    for k in range(count):
        kind, features, letters, modifiers, zone = MIX[k % len(MIX)]
        datums = tuple(DatumReference(letter=x) for x in letters.split())
        # A direction of its own that changes no result makes each a node of its own.
        plain = not datums or "coordinate" in kind
        own = Zone(**zone) if plain else Zone(**zone, direction=(0.0, 0.0, 1.0 + 1e-9 * k))
        made.append(
            Characteristic(id=f"n{k}", number=1000 + k, name=f"n{k}", kind=kind, features=features, nominal=0.0,
                           lower=None, upper=0.3, datums=datums, modifiers=modifiers, zone=own)
        )  # fmt: skip
    sizes = tuple(c for c in plan.characteristics if c.id in ("c4", "c16", "c19"))
    return plan.replace(characteristics=(*sizes, *made))


def timed(work):
    start = time.perf_counter()
    result = work()
    return time.perf_counter() - start, result


def main():
    model, plan = read_part(demo.PART), read_plan(demo.PLAN).plan
    sample, _ = open_sample(demo.SCAN)
    evaluator = Evaluator(model)
    first, _ = timed(lambda: evaluator.evaluate(plan, sample))
    warm = many(plan, 20)
    evaluator.evaluate(warm, sample)  # kernels loaded, features extracted
    big = many(plan, COUNT)
    for f in big.all_features:
        evaluator.measured(big, sample, f.group)
    full, found = timed(lambda: evaluator.evaluate(big, sample))
    missing = sorted({r.reason for r in found.results if r.measured is None})
    edits = []
    for k in range(5):
        changed = EditCharacteristic("n10", (("upper", 0.31 + 0.01 * k),)).apply(big)
        edits.append(timed(lambda changed=changed: evaluator.is_quick(changed, sample)
                           and evaluator.evaluate(changed, sample))[0])  # fmt: skip
    print(f"demo plan, all from the scan: {first:.2f} s")
    print(f"{COUNT} characteristics, extraction aside: {full:.2f} s (bar 2 s); without a value: {missing or 'none'}")
    print(f"re-evaluation after editing one tolerance: {1000 * np.median(edits):.0f} ms (bar 50 ms)")
    for number in ("c4", "c10", "c5", "c23", "c20"):
        took, u = timed(lambda number=number: evaluator.uncertainty(plan, sample, plan.characteristic(number)))
        print(f"uncertainty of {plan.characteristic(number).name}: {took:.2f} s, u = {u:.5f} mm")


if __name__ == "__main__":
    main()
