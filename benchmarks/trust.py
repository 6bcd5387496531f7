"""Alignments of made-up scans that may be believed: ``benchmarks/trust.py [runs] [seed]``.

Twenty parts (tiny, 8 m long, slender, thin, nearly rotational, nearly symmetrical, ...), each scanned in any pose with
holes in the scan, a table, strays and uneven density: the right part, a wrong one, or its mirror image. A wrong pose, a
wrong part or a mirror image that raises no doubt is a false trust.
"""

import sys
import time
from collections import Counter

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_Transform
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
    BRepPrimAPI_MakeWedge,
)
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf

from truegauge.core.cad.kernel.documents import document_of_shape
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.clouds.prepared import prepare
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, random_rigid, twist_motion
from truegauge.core.registration.align import align
from truegauge.core.registration.alignment import Alignment

UNTOLD = 0.001  # of the points: so few tell nothing
Z = (0.0, 0.0, 1.0)


def box(x, y, z, a, b, c):  # type: ignore[no-untyped-def]
    return BRepPrimAPI_MakeBox(gp_Pnt(x, y, z), a, b, c).Shape()


def pin(x, y, z, r, h, way=Z):  # type: ignore[no-untyped-def]
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, z), gp_Dir(*way)), r, h).Shape()


def cut(shape, *tools):  # type: ignore[no-untyped-def]
    for tool in tools:
        shape = BRepAlgoAPI_Cut(shape, tool).Shape()
    return shape


def fuse(shape, *tools):  # type: ignore[no-untyped-def]
    for tool in tools:
        shape = BRepAlgoAPI_Fuse(shape, tool).Shape()
    return shape


def scaled(shape, factor):  # type: ignore[no-untyped-def]
    move = gp_Trsf()
    move.SetScaleFactor(factor)
    return BRepBuilderAPI_Transform(shape, move, True).Shape()


def bracket():  # type: ignore[no-untyped-def]
    """Nothing about it is symmetrical."""
    return cut(fuse(box(0, 0, 0, 80, 50, 10), box(0, 0, 0, 10, 50, 45), pin(55, 30, 10, 9, 14)), pin(30, 15, -1, 5, 20),
               pin(-1, 25, 30, 6, 20, (1, 0, 0)))  # fmt: skip


def flange(extra: bool):  # type: ignore[no-untyped-def]
    shape = cut(pin(0, 0, 0, 50, 12), pin(0, 0, -1, 20, 20))
    for k in range(6):
        a = np.pi / 3 * k
        shape = cut(shape, pin(37 * np.cos(a), 37 * np.sin(a), -1, 4, 20))
    return cut(shape, pin(37 * np.cos(0.5), 37 * np.sin(0.5), 6, 2.5, 10)) if extra else shape


def parts() -> dict[str, object]:
    """Return the shapes by name."""
    plate = cut(box(0, 0, 0, 100, 60, 8), *(pin(x, y, -1, 4, 20) for x in (15, 85) for y in (12, 48)))
    shaft = fuse(pin(0, 0, 0, 10, 90), pin(0, 0, 90, 7, 40), pin(0, 0, 20, 16, 12))
    wedge = BRepPrimAPI_MakeWedge(70, 40, 30, 25).Shape()
    return {
        "bracket": bracket(),
        "bracket, tiny": scaled(bracket(), 0.02),
        "bracket, 8 m": scaled(bracket(), 90),
        "beam, 8 m": cut(box(0, 0, 0, 8000, 120, 80), pin(500, 60, -1, 30, 100), box(7000, -1, 50, 300, 200, 50)),
        "needle": fuse(pin(0, 0, 0, 1.5, 180), pin(0, 0, 0, 3, 6), box(-1, -1.5, 100, 3, 1, 20)),
        "thin sheet": fuse(box(0, 0, 0, 200, 120, 1.2), box(0, 0, 0, 1.2, 120, 25), box(60, 118.8, 0, 70, 1.2, 18)),
        "flange": flange(False),
        "flange with one more hole": flange(True),
        "plate, symmetrical": plate,
        "plate, nearly": cut(plate, pin(50, 40, 5, 3, 10)),
        "shaft": shaft,
        "shaft with a flat": cut(shaft, box(12, -20, 15, 20, 40, 30)),
        "shaft with a small key": cut(shaft, box(8.5, -2, 50, 5, 4, 15)),
        "dome": cut(BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, 0), 60).Shape(),
                    BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, 0), 57).Shape(), box(-100, -100, -100, 200, 200, 100),
                    pin(30, 0, 20, 8, 60)),
        "cone": cut(BRepPrimAPI_MakeCone(30, 12, 70).Shape(), pin(0, 0, -1, 6, 100), pin(0, 0, 30, 4, 50, (1, 0, 0))),
        "ring": fuse(BRepPrimAPI_MakeTorus(50, 8).Shape(), box(40, -5, 0, 25, 10, 14)),
        "wedge": cut(wedge, pin(20, 20, -1, 5, 60), pin(45, 15, 10, 4, 60)),
        "cube with a corner off": cut(box(0, 0, 0, 40, 40, 40), box(30, 30, 32, 20, 20, 20)),
        "handed block": cut(box(0, 0, 0, 60, 40, 30), box(-1, -1, 20, 25, 18, 20), box(40, 30, -1, 30, 20, 12)),
        "nearly its own mirror image": cut(box(0, 0, 0, 90, 50, 12), pin(20, 25, -1, 8, 20), pin(70, 25, -1, 8, 20),
                                           pin(45, 10, 6, 3, 10), pin(30, 40, 8, 2.5, 10)),
    }  # fmt: skip


def on_triangles(model: CadModel, rng: np.random.Generator, count: int, weight: np.ndarray) -> tuple:  # type: ignore[type-arg]
    """Return points on the part's triangles, so many on each as its weight says, and which triangle each is on."""
    mesh = model.mesh
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    rows = rng.choice(len(weight), count, p=weight / weight.sum())
    u = rng.dirichlet([1, 1, 1], count)
    return u[:, :1] * a[rows] + u[:, 1:2] * b[rows] + u[:, 2:] * c[rows], rows


def areas(model: CadModel) -> tuple:  # type: ignore[type-arg]
    """Return the areas, normals and middles of a part's triangles."""
    mesh = model.mesh
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    flat = np.cross(b - a, c - a)
    area = np.linalg.norm(flat, axis=1)
    return area, flat / np.maximum(area, 1e-300)[:, None], (a + b + c) / 3


def surface(model: CadModel, rng: np.random.Generator, count: int, noise: float) -> np.ndarray:
    """Return points on the part, unevenly, of about 60 % of its sides, with noise."""
    area, normal, middle = areas(model)
    eyes = rng.normal(size=(3, 3))
    eyes /= np.linalg.norm(eyes, axis=1)[:, None]
    seen = (normal @ eyes.T > 0.05).any(axis=1)
    weight = area * seen * np.exp(rng.uniform(0, 1.2) * (middle - middle.mean(axis=0)) @ eyes[0] / model.diagonal)
    points, rows = on_triangles(model, rng, count, weight)
    # A piece is missing.
    hole = points[rng.integers(count)]
    points, rows = (x[np.linalg.norm(points - hole, axis=1) > 0.12 * model.diagonal] for x in (points, rows))
    return points + noise * rng.normal(size=(len(points), 1)) * normal[rows]


def scan(model: CadModel, rng: np.random.Generator) -> np.ndarray:
    """Return a scan in part coordinates: with a table below in half of the cases, and strays."""
    size = model.diagonal
    points = surface(model, rng, 25_000, 1e-4 * size)
    low, high = model.box
    more = [points, rng.uniform(low - 0.3 * size, high + 0.3 * size, (int(0.004 * len(points)), 3))]
    if rng.uniform() < 0.5:
        x, y = (rng.uniform(low[k] - 0.3 * size, high[k] + 0.3 * size, int(0.5 * len(points))) for k in (0, 1))
        more.append(np.column_stack([x, y, np.full(len(x), low[2])]) + rng.normal(0, 1e-4 * size, (len(x), 3)))
    return np.vstack(more)


def error_of(motion: np.ndarray, model: CadModel, projector: Projector) -> float:
    """Return how far a pose is wrong: by what the part differs from itself, so moved, as a share of its size."""
    some, _ = on_triangles(model, np.random.default_rng(3), 8000, areas(model)[0])
    return max(
        float(np.quantile(np.abs(projector.deviations(apply(m, some)).distance), 0.9993)) / model.diagonal
        for m in (motion, np.linalg.inv(motion))
    )


def contradicting(motion: np.ndarray, points: np.ndarray, model: CadModel, projector: Projector) -> float:
    """Return the share of a scan's first points, those on its part, that lie off the model beyond their noise."""
    found = projector.deviations(apply(motion, points[:15_000]), max_distance=0.1 * model.diagonal)
    return float(((found.face < 0) | (np.abs(found.distance) > 6e-4 * model.diagonal)).mean())


def is_untold(found: Alignment, pose: np.ndarray, points: np.ndarray, model: CadModel, projector: Projector) -> bool:
    """Tell whether no point of a right scan contradicts a pose in which the part is another: found, or by moving it."""
    center = model.mesh.vertices.mean(axis=0)
    motions = [c.part_from_scan @ pose for c in found.candidates]
    for axis in (*np.eye(3), *np.linalg.svd(model.mesh.vertices - center, full_matrices=False)[2]):
        for angle in np.arange(1, 36) * np.pi / 18:
            motions.append(twist_motion(np.concatenate([angle * axis, np.zeros(3)]), areas(model)[2].mean(axis=0)))
        for far in (-0.03, -0.01, 0.01, 0.03):
            motions.append(twist_motion(np.concatenate([np.zeros(3), far * model.diagonal * axis]), center))
    return any(
        contradicting(m, points, model, projector) < UNTOLD and error_of(m, model, projector) > 1e-3 for m in motions
    )


def trials(runs: int, seed: int) -> tuple[Counter[str], float]:
    """Return how often what came out, and the longest processor time of an alignment, s."""
    rng = np.random.default_rng(seed)
    made = {n: model_from_document(document_of_shape(s, n), n, n) for n, s in parts().items()}
    projectors = {n: Projector(m) for n, m in made.items()}
    names, counts, slowest = list(made), Counter[str](), 0.0
    for run in range(runs):
        name = names[run % len(names)]
        model, projector = made[name], projectors[name]
        case = ("right", "right", "right", "mirror", "wrong")[rng.integers(5)]
        other = name
        if case == "wrong":
            other = names[rng.integers(len(names))]
        points = scan(made[other], rng)
        if other != name:  # of about the same size
            points *= model.diagonal / made[other].diagonal
        own_mirror = False
        if case == "mirror":
            points = points * [-1.0, 1.0, 1.0]
        elif other == name:
            case = "right"
        pose = random_rigid(rng, 2 * model.diagonal)
        started = time.process_time()
        try:
            found = align(prepare(apply(pose, points)), model, projector)
        except RegistrationError:
            counts[f"{case}: refused"] += 1
            continue
        spent = time.process_time() - started
        slowest = max(slowest, spent)
        believed = not found.doubts
        motion = found.part_from_scan @ pose
        if case == "mirror":
            # A part that is its own mirror image has no other.
            flip = np.diag([-1.0, 1.0, 1.0, 1.0])
            own_mirror = (
                any("do not tell" in n for n in found.notes) or error_of(motion @ flip, model, projector) < 2e-3
            )
        good = case == "right" and error_of(motion, model, projector) < 2e-3
        word = "right pose" if good else "its own mirror image" if own_mirror else "wrong"
        # What would tell the turn, or the parts, apart was not scanned: a doubt of that is right, whatever the pose.
        if case == "right" and any("tell" in doubt for doubt in found.doubts):
            if is_untold(found, pose, points, model, projector):
                word = "not told by the points"
        elif word == "wrong" and case != "right" and contradicting(motion, points, model, projector) < 0.002:
            word = "no point contradicts"
        text = f"{case}, {word}: {'believed' if believed else 'doubted'}"
        counts[text] += 1
        if (believed and word == "wrong") or (good and not believed) or spent > 5:
            print(f"run {run} {name} ({other}): {text}, {spent:.1f} s; {found.doubts}", flush=True)
    return counts, slowest


def main() -> None:
    """Print the counts."""
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    counts, slowest = trials(runs, int(sys.argv[2]) if len(sys.argv) > 2 else 1)
    for text, count in sorted(counts.items()):
        print(f"{count:5d}  {text}")
    print(f"slowest {slowest:.1f} s of processor time")


if __name__ == "__main__":
    main()
