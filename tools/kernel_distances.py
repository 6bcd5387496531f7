"""Puts our distances to CAD files beside those of the kernel: ``python tools/kernel_distances.py FILE ... [-n 2000]``.

Points lie near faces, edges and corners, inside and outside; the kernel's are minimum distances of the trimmed faces.
"""

import argparse
import multiprocessing
import time
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepClass3d import BRepClass3d_SolidClassifier
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.gp import gp_Pnt
from OCP.ShapeAnalysis import ShapeAnalysis_ShapeTolerance
from OCP.TopAbs import TopAbs_EDGE, TopAbs_IN, TopAbs_ON, TopAbs_SOLID
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from truegauge.core.cad.kernel.documents import CadDocument, read_document
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.errors import TrueGaugeError


def document_of(path: Path) -> CadDocument:
    """Read a file with the kernel in this process."""
    return read_document(str(path), "iges" if path.suffix.lower() in (".igs", ".iges") else "step")


def places(model: CadModel, rng: np.random.Generator, count: int) -> np.ndarray:
    """Return points (n, 3): near the faces, near edges and corners, and anywhere around."""
    mesh, size = model.mesh, model.diagonal
    near = mesh.vertices[rng.integers(0, len(mesh.vertices), count // 2)]
    lines = [e.polyline for e in model.edges] or [mesh.vertices]
    ends = np.vstack(lines)
    edge = ends[rng.integers(0, len(ends), count // 4)]
    corner = np.vstack([x[[0, -1]] for x in lines])[rng.integers(0, 2 * len(lines), count // 8)]
    at = np.vstack([near, edge, corner])
    off = rng.normal(size=at.shape)
    off *= (10.0 ** rng.uniform(-5, -1.5, len(at)) * size / np.linalg.norm(off, axis=1))[:, None]
    low, high = model.box
    anywhere = rng.uniform(low - 0.05 * size, high + 0.05 * size, (count - len(at), 3))
    return np.vstack([at + off, anywhere])


def kernel_distance(shape: Any, solids: list[Any], point: np.ndarray) -> tuple[float, int]:
    """Return the distance to the faces and the side: -1 in a solid, 1 outside, 0 unknown."""
    at = gp_Pnt(*point.tolist())
    found = BRepExtrema_DistShapeShape(BRepBuilderAPI_MakeVertex(at).Vertex(), shape)
    side = 0
    if solids:
        states = [BRepClass3d_SolidClassifier(s, at, 1e-9).State() for s in solids]
        side = -1 if TopAbs_IN in states else 0 if TopAbs_ON in states else 1
    return float(found.Value()), side


def compare(path: Path, count: int, seconds: float) -> str:
    """Return a line of what was found for a file."""
    started = time.perf_counter()
    try:
        document = document_of(path)
        model = model_from_document(document, "key", path.name)
    except TrueGaugeError as error:
        return f"{path.name}: not read: {error}"
    took = time.perf_counter() - started
    explorer, solids = TopExp_Explorer(document.shape, TopAbs_SOLID), []
    while explorer.More():
        solids.append(TopoDS.Solid_s(explorer.Current()))
        explorer.Next()
    faces = faces_of(document)
    points = places(model, np.random.default_rng(5), count)
    points = points[np.random.default_rng(6).permutation(len(points))]
    ours = Projector(model).deviations(points).distance
    worst, signs, done, where, begin = 0.0, 0, 0, None, time.perf_counter()
    differences = []
    for p, d in zip(points, ours, strict=True):
        true, side = kernel_distance(faces, solids, p)
        off = abs(abs(d) - true)
        differences.append(off)
        if not off <= worst:
            worst, where = off, p
        signs += bool(side and true > 1e-6 and side * d < 0)
        done += 1
        if time.perf_counter() - begin > seconds:
            break
    loosest = ShapeAnalysis_ShapeTolerance().Tolerance(document.shape, 1, TopAbs_EDGE)
    share = np.mean(np.array(differences) > 0.002)
    place = "" if where is None else " at " + " ".join(f"{x:.4f}" for x in where)
    return (
        f"{path.name}: {len(model.faces)} faces, {took:.1f} s; {done} points: worst {worst:.6f} mm, "
        f"{100 * share:.2f} % above 2 um, {signs} wrong sides{place}; edges to {loosest:.1g} mm"
        + "".join(f"\n    note: {n}" for n in model.notes[:4])
    )


def faces_of(document: CadDocument) -> Any:
    """Return the faces as one compound: distances to solids are 0 inside."""
    from OCP.BRep import BRep_Builder
    from OCP.TopoDS import TopoDS_Compound

    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    for i in range(document.faces.Extent()):
        builder.Add(compound, document.faces.FindKey(i + 1))
    return compound


def main() -> None:
    """Print a line a file, each in a process of its own."""
    parser = argparse.ArgumentParser()
    parser.add_argument("files", nargs="+", type=Path)
    parser.add_argument("-n", type=int, default=2000)
    parser.add_argument("--seconds", type=float, default=60.0, help="at most for the kernel's distances of a file")
    asked = parser.parse_args()
    for path in asked.files:
        with multiprocessing.get_context("spawn").Pool(1) as pool:  # left with what still runs in it
            result = pool.apply_async(compare, (path, asked.n, asked.seconds))
            try:
                print(result.get(timeout=10 * asked.seconds), flush=True)
            except multiprocessing.TimeoutError:
                print(f"{path.name}: takes too long", flush=True)


if __name__ == "__main__":
    main()
