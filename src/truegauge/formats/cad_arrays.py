"""A `CadModel` as one NumPy archive: the way from the reading process, and the cache."""

import io
import zipfile
from dataclasses import fields
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import frozen
from truegauge.core.cad.model import BSpline, CadModel, Edge, Face, Mesh, Surface, SurfaceKind

VERSION = 1  # part of the cache key: raise it when the reader or this layout changes


def model_to_bytes(model: CadModel) -> bytes:
    """Return the archive as bytes."""
    surfaces = [f.surface for f in model.faces]
    lengths = np.array([len(e.polyline) for e in model.edges])
    sides = [(*e.faces[:2], *([-1] * (2 - len(e.faces[:2])))) for e in model.edges]
    arrays: dict[str, NDArray[np.generic]] = {
        "identity": np.array([model.key, model.name]),
        "kind": np.array([int(s.kind) for s in surfaces]),
        "frame": np.array([[s.origin, s.x, s.y, s.z] for s in surfaces]),
        "size": np.array([(s.radius, s.minor, s.half_angle, s.outward) for s in surfaces]),
        "area": np.array([f.area for f in model.faces]),
        "box": np.array([f.box for f in model.faces]),
        "centroid": np.array([f.centroid for f in model.faces]),
        "edge_lengths": lengths,
        "edge_points": np.vstack([e.polyline for e in model.edges]) if model.edges else np.zeros((0, 3)),
        "edge_faces": np.array(sides, dtype=np.int64).reshape(-1, 2),
        "edge_sharp": np.array([e.sharp for e in model.edges], dtype=bool),
    }
    for f in fields(Mesh):
        arrays[f"mesh_{f.name}"] = getattr(model.mesh, f.name)
    for i, s in enumerate(surfaces):
        if s.bspline is not None:
            b = s.bspline
            arrays[f"spline_{i}_degrees"] = np.array([b.degree_u, b.degree_v])
            for name in ("knots_u", "knots_v", "poles", "weights"):
                arrays[f"spline_{i}_{name}"] = getattr(b, name)
    buffer = io.BytesIO()
    np.savez(buffer, **arrays)  # type: ignore[arg-type]
    return buffer.getvalue()


def model_from_file(path: Path) -> CadModel:
    """Load an archive written by `model_to_bytes`.

    Raises
    ------
    ValueError
        The archive is not one, or is incomplete.
    """
    try:
        with path.open("rb") as file, np.load(file, allow_pickle=False) as archive:
            a = {name: frozen(archive[name]) for name in archive.files}
        faces = []
        for i, kind in enumerate(a["kind"]):
            spline = None
            if f"spline_{i}_poles" in a:
                du, dv = (int(x) for x in a[f"spline_{i}_degrees"])
                spline = BSpline(du, dv, *(a[f"spline_{i}_{n}"] for n in ("knots_u", "knots_v", "poles", "weights")))
            radius, minor, half_angle, outward = (float(x) for x in a["size"][i])
            origin, x, y, z = a["frame"][i]
            surface = Surface(SurfaceKind(int(kind)), origin, x, y, z, radius, minor, half_angle, int(outward), spline)
            faces.append(Face(i, surface, float(a["area"][i]), a["box"][i], a["centroid"][i]))
        mesh = Mesh(**{f.name: a[f"mesh_{f.name}"] for f in fields(Mesh)})
        polylines = np.split(a["edge_points"], np.cumsum(a["edge_lengths"])[:-1]) if len(a["edge_lengths"]) else []
        edges = tuple(
            Edge(line, tuple(int(x) for x in ends if x >= 0), bool(sharp))
            for line, ends, sharp in zip(polylines, a["edge_faces"], a["edge_sharp"], strict=True)
        )
        return CadModel(str(a["identity"][0]), str(a["identity"][1]), tuple(faces), mesh, edges)
    except (OSError, KeyError, IndexError, zipfile.BadZipFile) as error:
        raise ValueError(f"{path.name} is not a stored part") from error
