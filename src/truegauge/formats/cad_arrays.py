"""A `CadModel` as one NumPy archive: the way from the reading process, and the cache."""

import io
import zipfile
from dataclasses import fields
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import frozen
from truegauge.core.cad.annotations import Annotations
from truegauge.core.cad.model import Body, BSpline, BSplineCurve, CadModel, Edge, Face, Mesh, Surface, SurfaceKind

VERSION = 3  # part of the cache key: raise it when the reader or this layout changes


def model_to_bytes(model: CadModel) -> bytes:
    """Return the archive as bytes."""
    surfaces = [f.surface for f in model.faces]
    lengths = np.array([len(e.polyline) for e in model.edges])
    sides = [(*e.faces[:2], *([-1] * (2 - len(e.faces[:2])))) for e in model.edges]
    arrays: dict[str, NDArray[np.generic]] = {
        "identity": np.array([model.key, model.name, model.unit, model.annotations.model_dump_json()]),
        "notes": np.array(model.notes, dtype=str),
        "body_name": np.array([b.name for b in model.bodies], dtype=str),
        "body_color": np.array([_stored_color(b.color) for b in model.bodies], dtype=np.int64).reshape(-1, 3),
        "face_name": np.array([f.name for f in model.faces], dtype=str),
        "face_color": np.array([_stored_color(f.color) for f in model.faces], dtype=np.int64).reshape(-1, 3),
        "face_body": np.array([f.body for f in model.faces], dtype=np.int64),
        "kind": np.array([int(s.kind) for s in surfaces]),
        "frame": np.array([[s.origin, s.x, s.y, s.z] for s in surfaces]),
        "size": np.array([(s.radius, s.minor, s.half_angle, s.outward, s.offset) for s in surfaces]),
        "area": np.array([f.area for f in model.faces]),
        "box": np.array([f.box for f in model.faces]),
        "centroid": np.array([f.centroid for f in model.faces]),
        "edge_lengths": lengths,
        "edge_points": np.vstack([e.polyline for e in model.edges]) if model.edges else np.zeros((0, 3)),
        "edge_faces": np.array(sides, dtype=np.int64).reshape(-1, 2),
        "edge_sharp": np.array([e.sharp for e in model.edges], dtype=bool),
        **_curves(model.edges),
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
            radius, minor, half_angle, outward, offset = (float(x) for x in a["size"][i])
            origin, x, y, z = a["frame"][i]
            surface = Surface(
                SurfaceKind(int(kind)), origin, x, y, z, radius, minor, half_angle, int(outward), spline, offset
            )
            faces.append(
                Face(
                    i, surface, float(a["area"][i]), a["box"][i], a["centroid"][i], str(a["face_name"][i]),
                    _color(a["face_color"][i]), int(a["face_body"][i]),
                )
            )  # fmt: skip
        mesh = Mesh(**{f.name: a[f"mesh_{f.name}"] for f in fields(Mesh)})
        polylines = np.split(a["edge_points"], np.cumsum(a["edge_lengths"])[:-1]) if len(a["edge_lengths"]) else []
        edges = tuple(
            Edge(line, tuple(int(x) for x in ends if x >= 0), bool(sharp), curve)
            for line, ends, sharp, curve in zip(polylines, a["edge_faces"], a["edge_sharp"], _curves_of(a), strict=True)
        )
        bodies = tuple(Body(str(n), _color(c)) for n, c in zip(a["body_name"], a["body_color"], strict=True))
        key, name, unit, annotations = (str(x) for x in a["identity"])
        return CadModel(
            key, name, tuple(faces), mesh, edges, bodies, unit, tuple(str(n) for n in a["notes"]),
            Annotations.model_validate_json(annotations),
        )  # fmt: skip
    except (OSError, KeyError, IndexError, zipfile.BadZipFile) as error:
        raise ValueError(f"{path.name} is not a stored part") from error


def _curves(edges: tuple[Edge, ...]) -> dict[str, NDArray[np.generic]]:
    """Return the exact curves of edges: degree (0: none), and how many knots and poles each has."""
    own = [e.curve for e in edges if e.curve is not None]
    sizes = [(0, 0, 0) if (c := e.curve) is None else (c.degree, len(c.knots), len(c.poles)) for e in edges]
    return {
        "curve_sizes": np.array(sizes, dtype=np.int64).reshape(-1, 3),
        "curve_knots": np.concatenate([np.zeros(0), *(c.knots for c in own)]),
        "curve_poles": np.vstack([np.zeros((0, 3)), *(c.poles for c in own)]),
        "curve_weights": np.concatenate([np.zeros(0), *(c.weights for c in own)]),
    }


def _curves_of(a: dict[str, NDArray[np.generic]]) -> list[BSplineCurve | None]:
    found: list[BSplineCurve | None] = []
    knot = pole = 0
    for degree, knots, poles in a["curve_sizes"].tolist():
        if not degree:
            found.append(None)
            continue
        found.append(
            BSplineCurve(
                degree, a["curve_knots"][knot : knot + knots], a["curve_poles"][pole : pole + poles],  # type: ignore[arg-type]
                a["curve_weights"][pole : pole + poles],  # type: ignore[arg-type]
            )
        )  # fmt: skip
        knot, pole = knot + knots, pole + poles
    return found


def _stored_color(color: tuple[int, int, int] | None) -> tuple[int, int, int]:
    return color or (-1, -1, -1)


def _color(stored: NDArray[np.generic]) -> tuple[int, int, int] | None:
    r, g, b = (int(c) for c in stored)
    return None if r < 0 else (r, g, b)
