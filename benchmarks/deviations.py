"""Exact deviations beside an Embree facet query on the same points, in one run.

The peer has requirements of its own: ``python3.11 -m venv /tmp/peer && /tmp/peer/bin/pip install -r
benchmarks/peer.in``, then ``.venv/bin/python benchmarks/deviations.py /tmp/peer/bin/python``. Without the argument
only our own figures are printed.
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
from truegauge.core.clouds.spatial import spatial_order
from truegauge.demo.scan_maker import sample_surface
from truegauge.formats.part import read_part

PEER = """
import sys, time, numpy as np, open3d as o3d
a = np.load(sys.argv[1])
scene = o3d.t.geometry.RaycastingScene()
scene.add_triangles(a["vertices"].astype(np.float32), a["triangles"].astype(np.uint32))
points = o3d.core.Tensor(a["points"].astype(np.float32))
scene.compute_closest_points(points[:1000])
for _ in range(5):
    started = time.perf_counter()
    scene.compute_closest_points(points)
    print(time.perf_counter() - started)
"""
ROUNDS, COUNT = 5, 1_000_000


def main():
    model = read_part(demo.PART)
    projector = Projector(model)
    on, normals, _ = sample_surface(model, projector, COUNT, np.random.default_rng(4))
    points = on + normals * np.random.default_rng(5).normal(0, 0.02, (len(on), 1))
    rng = np.random.default_rng(6)
    points = points[rng.permutation(len(points))]
    order = spatial_order(points)
    walked = np.ascontiguousarray(points[order])
    projector.deviations(walked[:1000])
    ours, theirs = [], []
    for _ in range(ROUNDS):
        started = time.perf_counter()
        found = projector.deviations(walked)
        ours.append(time.perf_counter() - started)
    with_sorting = time.perf_counter()
    projector.deviations(points, order=spatial_order(points))
    with_sorting = time.perf_counter() - with_sorting
    print(f"{len(points):,} points, {len(model.mesh.triangles):,} facets, {found.on_edge.mean():.1%} at edges")
    print(f"exact deviations, points in spatial order   {median(ours):.3f} s")
    print(f"exact deviations, sorting included          {with_sorting:.3f} s")
    if len(sys.argv) > 1:
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "mesh.npz"
            for label, chosen in (("in the same order", walked), ("as scanned", points)):
                np.savez(file, vertices=model.mesh.vertices, triangles=model.mesh.triangles, points=chosen)
                run = subprocess.run([sys.argv[1], "-c", PEER, str(file)], capture_output=True, text=True, check=True)
                theirs = [float(x) for x in run.stdout.split()]
                print(f"Embree facet query, points {label:<17} {median(theirs):.3f} s")


if __name__ == "__main__":
    main()
