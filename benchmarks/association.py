"""Speeds of association, beside scipy.optimize.least_squares: ``.venv/bin/python benchmarks/association.py``."""

import resource
import subprocess
import sys
import tempfile
import threading

import numpy as np
from scipy.optimize import least_squares

from stopwatch import timed
from truegauge.core.association.by_criterion import associate, fit_circle
from truegauge.core.association.features import Shape
from truegauge.core.association.fit import Criterion
from truegauge.core.frames import apply, random_rigid

MANY, SOME = 1_000_000, 10_000
MEASURED = ("plane", "sphere", "cylinder", "cone", "circle")  # whose memory is told
MZ, MC, MI = Criterion.MINIMUM_ZONE, Criterion.MINIMUM_CIRCUMSCRIBED, Criterion.MAXIMUM_INSCRIBED


def clouds(n):
    rng = np.random.default_rng(0)
    move = random_rigid(rng, 100)
    u, h, e = rng.uniform(0, 2 * np.pi, n), rng.uniform(0, 50, n), rng.normal(0, 0.01, n)
    c, s = np.cos(u), np.sin(u)
    d = rng.normal(size=(n, 3))
    d /= np.linalg.norm(d, axis=1, keepdims=True)
    made = {
        "plane": np.column_stack([rng.uniform(-50, 50, (n, 2)), e]),
        "sphere": d * (20 + e)[:, None],
        "cylinder": np.column_stack([(20 + e) * c, (20 + e) * s, h]),
        "cone": np.column_stack([(5 + 0.3 * h + e) * c, (5 + 0.3 * h + e) * s, h]),
        "circle": np.column_stack([(20 + e) * c, (20 + e) * s, 0 * u]),
    }
    return {name: apply(move, points) for name, points in made.items()}


def scipy_cylinder(points):
    center = points.mean(axis=0)

    def distances(x):
        direction = np.array([np.sin(x[2]) * np.cos(x[3]), np.sin(x[2]) * np.sin(x[3]), np.cos(x[2])])
        local = points - center - np.array([x[0], x[1], 0.0])
        return np.linalg.norm(local - np.outer(local @ direction, direction), axis=1) - x[4]

    axis = associate(Shape.CYLINDER, points).feature.direction
    start = [0.0, 0.0, np.arccos(axis[2]), np.arctan2(axis[1], axis[0]), 19.0]
    return least_squares(distances, start, xtol=1e-15, ftol=1e-15, gtol=1e-15)


def scipy_sphere(points):
    start = np.append(points.mean(axis=0), np.ptp(points, axis=0).max() / 2)
    return least_squares(lambda x: np.linalg.norm(points - x[:3], axis=1) - x[3], start, xtol=1e-15, ftol=1e-15,
                         gtol=1e-15)  # fmt: skip


def memory(name, criterion, file):
    """Run in a process of its own: print the memory that an association takes, in multiples of its points."""
    points = np.load(file)
    associate(Shape(name), points[:10_000], Criterion(criterion))
    associate(Shape(name), points[:50_000], Criterion(criterion))
    before, peak, done = _resident(), [0], threading.Event()

    def watch():
        while not done.is_set():
            peak[0] = max(peak[0], _resident())

    watcher = threading.Thread(target=watch)
    watcher.start()
    for _ in range(5):
        associate(Shape(name), points, Criterion(criterion))
    done.set()
    watcher.join()
    print(f"{(peak[0] - before) / points.nbytes:.1f}")


def _resident():
    """Return the memory in use, bytes."""
    with open("/proc/self/statm") as statm:
        return int(statm.read().split()[1]) * resource.getpagesize()


def memory_of(name, criterion, points):
    with tempfile.NamedTemporaryFile(suffix=".npy") as file:
        np.save(file.name, points)
        command = [sys.executable, __file__, "memory", name, criterion, file.name]
        done = subprocess.run(command, capture_output=True, text=True)
    return done.stdout.strip() or done.stderr[-300:]


def main():
    big, small = clouds(MANY), clouds(SOME)
    for name in ("plane", "sphere", "cylinder", "cone"):
        print(f"least squares {name}, {MANY:,} points: {timed(lambda n=name: associate(Shape(n), big[n])):.3f} s")
    for name in ("plane", "circle"):
        print(f"minimum zone {name}, {MANY:,} points: {timed(lambda n=name: associate(Shape(n), big[n], MZ)):.3f} s")
    for criterion in (MZ, MC, MI):
        seconds = timed(lambda c=criterion: associate(Shape.CYLINDER, small["cylinder"], c))
        print(f"{criterion} cylinder, {SOME:,} points: {seconds:.3f} s")
    rings = [big["circle"][12 * i : 12 * i + 12] for i in range(500)]
    print(f"500 circles of 12 points: {timed(lambda: [fit_circle(r) for r in rings]):.3f} s")
    for name, yardstick in (("cylinder", scipy_cylinder), ("sphere", scipy_sphere)):
        ours = timed(lambda n=name: associate(Shape(n), small[n]))
        theirs = timed(lambda n=name, y=yardstick: y(small[n]))
        print(f"{name}, {SOME:,} points: {ours:.4f} s without a start; scipy least_squares from one {theirs:.4f} s, "
              f"{theirs / ours:.1f} times as long")  # fmt: skip
    for name in MEASURED:
        for criterion in ("least_squares", "minimum_zone"):
            share = memory_of(name, criterion, big[name])
            print(f"memory of {criterion} {name}, {MANY:,} points: {share} times the points")


if __name__ == "__main__":
    if sys.argv[1:2] == ["memory"]:
        memory(*sys.argv[2:])
    else:
        main()
