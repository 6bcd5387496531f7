"""Scans in random poses back onto their part, and a million points beside a registration library, in one run.

``.venv/bin/python benchmarks/alignment.py [POSES] [PEER_PYTHON]``. The peer needs ``small_gicp`` of
``benchmarks/peer.in`` in an environment of its own; it starts two degrees and a millimetre off, ours from any pose.

A pose error is told for the six rigid parameters, each scaled so that a change by 1 mm moves the measured surface
points by 1 mm rms along their normals (so "at the part's size"); the best estimate of any kind has an error of
noise / sqrt(points) in each of them (Cramer-Rao).
"""

import subprocess
import sys
import tempfile
import time
from pathlib import Path
from statistics import median

import numpy as np

from truegauge import demo
from truegauge.core.cad.projection import Projector
from truegauge.core.clouds.prepared import prepare
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, from_rotation_vector, invert, random_rigid, rotation_vector
from truegauge.core.registration.align import align
from truegauge.demo.scan_maker import ScanSettings, make_scan, sample_surface
from truegauge.formats.part import read_part

MILLION = 1_000_000  # points of the large scan
NOISE, POINTS = 0.02, 40_000
PEER = """
import sys, time, numpy as np, small_gicp
a = np.load(sys.argv[1])
best = None
for _ in range(3):
    started = time.perf_counter()
    result = small_gicp.align(a["target"], a["source"], a["start"], registration_type="PLANE_ICP",
                              downsampling_resolution=float(sys.argv[2]), max_correspondence_distance=2.0,
                              num_threads=2, max_iterations=60, rotation_epsilon=1e-7, translation_epsilon=1e-6)
    spent = time.perf_counter() - started
    best = spent if best is None or spent < best else best
np.save(sys.argv[3], result.T_target_source)
print(best)
"""


def seen_part(rng):
    """Return what is hidden: everything beyond a plane that leaves 60 % of the surface."""
    way = rng.normal(size=3)

    def hidden(points, faces):
        height = points @ way
        return height > np.quantile(height, 0.6)

    return hidden


def whitened_error(model, projector, relative, seen, count):
    """Return the rms error of the six parameters in units of noise / sqrt(points)."""
    on, normals, faces = sample_surface(model, projector, 20_000, np.random.default_rng(1))
    kept = ~seen(on, faces)
    on, normals = on[kept], normals[kept]
    motion = np.concatenate([rotation_vector(relative), relative[:3, 3]])
    rows = np.hstack([np.cross(on, normals), normals])
    return float(np.sqrt(np.mean((rows @ motion) ** 2) / 6) / (NOISE / np.sqrt(count)))


def random_poses(model, projector, poses):
    errors, corners, seconds, lost = [], [], [], []
    for seed in range(poses):
        seen = seen_part(np.random.default_rng(seed))
        settings = ScanSettings(
            points=POINTS, noise=NOISE, seed=seed, hidden=seen, table_share=0.15, outlier_share=0.02
        )
        scan, truth = make_scan(model, projector, settings)
        cloud, count = prepare(scan), truth["points"]["part"]
        started = time.perf_counter()
        try:
            found = align(cloud, model, projector)
        except RegistrationError as error:
            lost.append((seed, str(error)))
            continue
        seconds.append(time.perf_counter() - started)
        relative = found.part_from_scan @ invert(np.array(truth["part_from_scan"]))
        errors.append(whitened_error(model, projector, relative, seen, count))
        corners.append(np.linalg.norm(apply(relative, model.box) - model.box, axis=1).max())
        if errors[-1] >= 3:
            lost.append((seed, f"error {errors[-1]:.1f} noise / sqrt(points), rms {found.rms:.4f}"))
    good = sum(e < 3 for e in errors)
    print(f"{good} of {poses} poses aligned: error below 3 noise / sqrt(points); 40 % missing, table, outliers")
    print(f"  error, median {median(errors):.2f}, largest {max(errors):.2f} noise / sqrt(points) a parameter")
    print(f"  farthest corner of the part, median {1000 * median(corners):.2f}, largest {1000 * max(corners):.2f} um")
    print(f"  {POINTS:,} points a scan, median {median(seconds):.2f} s, slowest {max(seconds):.2f} s")
    for seed, what in lost:
        print(f"  seed {seed}: {what}")


def a_million(model, projector, peer):
    points, truth = make_scan(
        model, projector, ScanSettings(points=MILLION, noise=NOISE, seed=5, table_share=0.0, outlier_share=0.0)
    )
    expected = np.array(truth["part_from_scan"])
    move = random_rigid(np.random.default_rng(2), 300)
    posed, wanted = apply(move, points), expected @ invert(move)
    times, preparing = [], []
    for _ in range(3):
        started = time.perf_counter()
        cloud = prepare(posed)
        preparing.append(time.perf_counter() - started)
        started = time.perf_counter()
        found = align(cloud, model, projector)
        times.append(time.perf_counter() - started)

    def corner(pose):
        back = apply(invert(wanted), model.box)
        return 1000 * float(np.linalg.norm(apply(pose, back) - model.box, axis=1).max())

    both = [a + b for a, b in zip(preparing, times, strict=True)]
    print(f"{MILLION:,} points, any pose: {min(both):.2f} s (preparing {min(preparing):.2f}), corner "
          f"{corner(found.part_from_scan):.2f} um")  # fmt: skip
    if peer is None:
        return
    target, _, _ = sample_surface(model, projector, 200_000, np.random.default_rng(8))
    off = from_rotation_vector(np.radians(2) * np.array([0.6, 0.0, 0.8]), np.array([0.6, -0.8, 0.0]))
    with tempfile.TemporaryDirectory() as folder:
        path, out = Path(folder) / "points.npz", Path(folder) / "pose.npy"
        np.savez(path, target=target, source=posed, start=off @ wanted)
        for grid in ("0.01", "1.0"):
            run = subprocess.run(
                [peer, "-c", PEER, str(path), grid, str(out)], capture_output=True, text=True, check=True
            )
            print(f"small_gicp point-to-plane, grid {grid} mm, started 2 deg and 1 mm off: {float(run.stdout):.2f} s, "
                  f"corner {corner(np.load(out)):.2f} um")  # fmt: skip


def main():
    model = read_part(demo.PART)
    projector = Projector(model)
    poses = int(sys.argv[1]) if len(sys.argv) > 1 else 200
    a_million(model, projector, sys.argv[2] if len(sys.argv) > 2 else None)
    if poses:
        random_poses(model, projector, poses)


if __name__ == "__main__":
    main()
