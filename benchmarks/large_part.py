"""A part of 5,000 faces and 2,000 holes, and its scan of 5,000,000 points: seconds and peak memory of each step.

``.venv/bin/python benchmarks/large_part.py [holes] [points]``
"""

import resource
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
from OCP.BRep import BRep_Builder
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakePolygon,
    BRepBuilderAPI_MakeWire,
)
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.gp import gp_Ax2, gp_Circ, gp_Dir, gp_Pnt, gp_Vec
from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer
from OCP.TopoDS import TopoDS_Compound, TopoDS_Shape

from truegauge.core.clouds.prepared import prepare
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.frames import apply, random_rigid
from truegauge.core.progress import silent
from truegauge.core.registration.align import align
from truegauge.formats.part import read_part
from truegauge.formats.ply import ply_from_points
from truegauge.formats.sample_file import open_sample

_PITCH, _HIGH = 10.0, 8.0  # mm


def plates(holes: int) -> TopoDS_Compound:
    """Return four plates with together so many round holes of different diameters, and some rectangular ones."""
    whole, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(whole)
    for k in range(4):
        builder.Add(whole, plate(holes // 4, k))
    return whole


def plate(holes: int, number: int) -> TopoDS_Shape:
    """Return a plate with round holes, and three rectangular ones for eight of them."""
    rng = np.random.default_rng(number)
    count = holes + 3 * holes // 8
    side = int(np.ceil(np.sqrt(count)))
    left = number * _PITCH * (side + 1)
    face = BRepBuilderAPI_MakeFace(_polygon(left, 0, left + _PITCH * side, _PITCH * side, turned=False), True)
    for k in range(count):
        x, y = left + 5 + _PITCH * (k % side), 5 + _PITCH * (k // side)
        if k < holes:
            circle = gp_Circ(gp_Ax2(gp_Pnt(x, y, 0), gp_Dir(0, 0, -1)), 2 + rng.uniform(0, 1.5))
            face.Add(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(circle).Edge()).Wire())
        else:
            face.Add(_polygon(x - 2, y - 2, x + 2, y + rng.uniform(1, 3), turned=True))
    return BRepPrimAPI_MakePrism(face.Face(), gp_Vec(0, 0, _HIGH)).Shape()


def _polygon(x0: float, y0: float, x1: float, y1: float, *, turned: bool):  # type: ignore[no-untyped-def]
    corners = [(x0, y0), (x1, y0), (x1, y1), (x0, y1)]
    places = [gp_Pnt(x, y, 0) for x, y in (corners[::-1] if turned else corners)]
    return BRepBuilderAPI_MakePolygon(*places, True).Wire()


def steps(holes: int, count: int) -> dict[str, float]:
    """Return what was found, and print seconds and the peak memory so far of each step."""
    begun = time.perf_counter()

    def tell(what: str) -> None:
        nonlocal begun
        peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(f"{what:<58} {time.perf_counter() - begun:7.1f} s   peak {peak:6.0f} MB", flush=True)
        begun = time.perf_counter()

    with tempfile.TemporaryDirectory() as folder:
        path, scan = Path(folder) / "plate.step", Path(folder) / "plate.ply"
        writer = STEPControl_Writer()
        writer.Transfer(plates(holes), STEPControl_AsIs)
        writer.Write(str(path))
        tell(f"made: {path.stat().st_size / 1e6:.1f} MB of STEP")
        model = read_part(path)
        tell(f"read, {len(model.faces):,} faces, {len(model.mesh.triangles):,} triangles")
        evaluator = Evaluator(model)
        projector = evaluator.projector
        tell("made ready for distances")
        evaluator.part.find_patterns(silent)
        found = sum(len(p.members) for p in evaluator.patterns.all)
        tell(f"{len(evaluator.elements.all):,} holes and the like found, {found:,} of them in patterns")
        points = surface_points(model, count)
        rng = np.random.default_rng(4)
        pose = random_rigid(rng, model.diagonal)
        scan.write_bytes(ply_from_points(apply(pose, points).astype(np.float32)))
        del points
        tell(f"made: {scan.stat().st_size / 1e6:.0f} MB of scan")
        sample = open_sample(scan)[0]
        tell(f"scan read, {len(sample.points):,} points")
        cloud = prepare(sample.points)
        tell("scan prepared")
        aligned = align(cloud, model, projector)
        tell(f"aligned from nothing, rms {1000 * aligned.rms:.1f} um")
        moved = apply(aligned.part_from_scan, sample.points)
        deviations = projector.deviations(moved)
        tell("deviations of all points")
        wrong = aligned.part_from_scan @ pose - np.eye(4)
        return {
            "faces": len(model.faces), "elements": len(evaluator.elements.all), "trusted": float(aligned.trusted),
            "pose": float(np.abs(wrong[:3, 3]).max()), "rms": float(np.sqrt(np.mean(deviations.distance**2))),
        }  # fmt: skip


def surface_points(model, count: int) -> np.ndarray:  # type: ignore[no-untyped-def]
    """Return points evenly over the part with a noise of 0.01 mm."""
    mesh, rng = model.mesh, np.random.default_rng(3)
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    normal = np.cross(b - a, c - a)
    area = np.linalg.norm(normal, axis=1)
    rows = rng.choice(len(area), count, p=area / area.sum())
    u = rng.dirichlet([1, 1, 1], count)
    on = u[:, :1] * a[rows] + u[:, 1:2] * b[rows] + u[:, 2:] * c[rows]
    return np.asarray(on + rng.normal(0, 0.01, (count, 1)) * (normal / area[:, None])[rows])


def main() -> None:
    """Print the steps."""
    holes = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    steps(holes, int(sys.argv[2]) if len(sys.argv) > 2 else 5_000_000)


if __name__ == "__main__":
    main()
