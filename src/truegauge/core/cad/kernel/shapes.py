"""A shape of the CAD kernel as plain arrays: exact surfaces, seed mesh, edges."""

import math
from dataclasses import replace
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve, BRepAdaptor_Surface
from OCP.BRepGProp import BRepGProp
from OCP.BRepLib import BRepLib
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.Geom import Geom_TrimmedCurve
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.GeomConvert import GeomConvert
from OCP.GProp import GProp_GProps
from OCP.IMeshTools import IMeshTools_MeshAlgoType, IMeshTools_Parameters
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE
from OCP.TopExp import TopExp
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS
from OCP.TopTools import TopTools_IndexedDataMapOfShapeListOfShape, TopTools_IndexedMapOfShape

from truegauge.core.cad.kernel.annotations import read_annotations
from truegauge.core.cad.kernel.documents import CadDocument
from truegauge.core.cad.kernel.face_geometry import FaceGeometry, face_geometry
from truegauge.core.cad.kernel.face_surfaces import xyz
from truegauge.core.cad.kernel.failures import KERNEL_FAILURES
from truegauge.core.cad.model import (
    BSplineCurve,
    CadModel,
    Edge,
    Face,
    Mesh,
    Surface,
    border_edges,
)
from truegauge.core.cad.orientation import turned_faces
from truegauge.core.errors import GeometryError

# Deflection of the seed mesh as a share of the diagonal: fine enough to seed exact projection (see docs/benchmarks.md).
LINEAR_SHARE = 1e-4
ANGULAR = 0.2
SMOOTH_ANGLE = math.radians(2.0)
_MANY_EDGES = 120


def model_from_document(document: CadDocument, key: str, name: str) -> CadModel:
    """Turn what a file holds into arrays.

    Raises
    ------
    GeometryError
        No face is left that can be meshed.
    """
    deflection = LINEAR_SHARE * _diagonal(document.shape)
    _mesh_perforated(document.faces, deflection)
    BRepMesh_IncrementalMesh(document.shape, deflection, False, ANGULAR, False)
    document, geometries = _understood(document, deflection)
    shape, face_map = document.shape, document.faces
    faces, pieces, of_face = [], [], list[slice]()
    start = 0
    for i, own in enumerate(geometries):
        topo = TopoDS.Face_s(face_map.FindKey(i + 1))
        vertices, normals, triangles = own.vertices, own.normals, own.triangles
        face = _face(i, topo, own.surface, vertices)
        faces.append(
            replace(
                face, name=document.face_names.get(i, ""), color=document.face_colors.get(i),
                body=document.face_body[i],
            )
        )  # fmt: skip
        pieces.append((vertices, normals, own.uv, _counter_clockwise(vertices, normals, triangles) + start, i))
        of_face.append(slice(start, start + len(vertices)))
        start += len(vertices)
    triangles = np.vstack([p[3] for p in pieces])
    owner = np.concatenate([np.full(len(p[3]), p[4], dtype=np.int64) for p in pieces])
    vertices = np.vstack([p[0] for p in pieces])
    notes = document.notes
    turned = turned_faces(vertices, triangles, owner, np.array(document.face_body, dtype=np.int64))
    if turned:
        those = "a face that looked into the material was" if len(turned) == 1 else (
            f"{len(turned)} faces that looked into the material were"
        )  # fmt: skip
        notes = (*notes, f"{those} turned")
    for i in turned:
        surface = faces[i].surface
        faces[i] = replace(faces[i], surface=replace(surface, outward=-surface.outward))
        pieces[i][1][:] *= -1.0
        rows = owner == i
        triangles[rows] = triangles[rows][:, [0, 2, 1]]
    mesh = Mesh(
        vertices=vertices,
        normals=np.vstack([p[1] for p in pieces]),
        uv=np.vstack([p[2] for p in pieces]),
        triangles=triangles,
        triangle_face=owner,
        boundary=border_edges(triangles),
    )
    return CadModel(
        key, name, tuple(faces), mesh, _edges(shape, face_map, mesh, of_face), document.bodies, document.unit, notes,
        read_annotations(document),
    )  # fmt: skip


def _mesh_perforated(faces: Any, deflection: float) -> None:
    """Mesh plane faces with very many borders: the usual way takes the square of their number."""
    settings = IMeshTools_Parameters()
    settings.Deflection, settings.Angle, settings.Relative, settings.InParallel = deflection, ANGULAR, False, False
    settings.MeshAlgo = IMeshTools_MeshAlgoType.IMeshTools_MeshAlgoType_Delabella
    for i in range(faces.Extent()):
        face = TopoDS.Face_s(faces.FindKey(i + 1))
        if BRepAdaptor_Surface(face).GetType() != GeomAbs_SurfaceType.GeomAbs_Plane:
            continue
        edges = TopTools_IndexedMapOfShape()
        TopExp.MapShapes_s(face, TopAbs_EDGE, edges)
        if edges.Extent() > _MANY_EDGES:
            BRepMesh_IncrementalMesh(face, settings)


def _understood(document: CadDocument, deflection: float) -> tuple[CadDocument, list[FaceGeometry]]:
    """Return the geometries of all faces; those that nobody can make sense of are left out, by name."""
    found, left_out = list[FaceGeometry](), dict[int, str]()
    for i in range(document.faces.Extent()):
        try:
            found.append(face_geometry(TopoDS.Face_s(document.faces.FindKey(i + 1)), deflection, ANGULAR))
        except GeometryError as error:
            left_out[i] = str(error)
    if not found:
        reason = next(iter(left_out.values()), "there are none")
        raise GeometryError(f"no face of the part can be used ({reason}); heal the part and export again")
    return (document.without(left_out) if left_out else document), found


def _diagonal(shape: Any) -> float:
    from OCP.Bnd import Bnd_Box
    from OCP.BRepBndLib import BRepBndLib

    box = Bnd_Box()
    BRepBndLib.AddOptimal_s(shape, box, False, False)
    if box.IsVoid():
        raise GeometryError("the part has no extent")
    x0, y0, z0, x1, y1, z1 = box.Get()
    return float(math.dist((x0, y0, z0), (x1, y1, z1)))


def _counter_clockwise(vertices: np.ndarray, normals: np.ndarray, triangles: np.ndarray) -> np.ndarray:
    a, b, c = (vertices[triangles[:, k]] for k in range(3))
    flat = np.cross(b - a, c - a)
    away = np.einsum("ij,ij->i", flat, normals[triangles].sum(axis=1)) < 0
    turned = triangles.copy()
    turned[away] = triangles[away][:, [0, 2, 1]]
    # Slivers of zero area carry no surface and would divide by zero in the nearest-triangle search.
    return np.asarray(turned[np.linalg.norm(flat, axis=1) > 1e-14])


def _face(index: int, topo: Any, surface: Surface, vertices: np.ndarray) -> Face:
    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(topo, properties)
    box = np.vstack([vertices.min(axis=0), vertices.max(axis=0)])
    return Face(index, surface, float(properties.Mass()), box, xyz(properties.CentreOfMass()))


def _edges(shape: Any, face_map: Any, mesh: Mesh, of_face: list[slice]) -> tuple[Edge, ...]:
    owners = TopTools_IndexedDataMapOfShapeListOfShape()
    TopExp.MapShapesAndAncestors_s(shape, TopAbs_EDGE, TopAbs_FACE, owners)
    edges = []
    for i in range(owners.Extent()):
        edge = TopoDS.Edge_s(owners.FindKey(i + 1))
        faces = sorted({n - 1 for f in owners.FindFromIndex(i + 1) if (n := face_map.FindIndex(f)) > 0})
        polyline = _polyline(edge, TopoDS.Face_s(face_map.FindKey(faces[0] + 1))) if faces else None
        if polyline is None or BRep_Tool.Degenerated_s(edge):
            continue
        seam = len(faces) == 1 and BRep_Tool.IsClosed_s(edge, TopoDS.Face_s(face_map.FindKey(faces[0] + 1)))
        edges.append(Edge(polyline, tuple(faces), not seam and _is_sharp(polyline, faces, mesh, of_face), _curve(edge)))
    return tuple(edges)


def _curve(edge: Any) -> BSplineCurve | None:
    """Return the exact curve of an edge; None where it has none that can be written as a B-spline."""
    try:
        if not BRepAdaptor_Curve(edge).Is3DCurve():
            BRepLib.BuildCurve3d_s(edge)
        adaptor = BRepAdaptor_Curve(edge)
        if not adaptor.Is3DCurve():
            return None
        curve = Geom_TrimmedCurve(adaptor.Curve().Curve(), adaptor.FirstParameter(), adaptor.LastParameter())
        spline = GeomConvert.CurveToBSplineCurve_s(curve.Transformed(adaptor.Trsf()))
        if spline.IsPeriodic():
            spline.SetNotPeriodic()
    except KERNEL_FAILURES:
        return None
    count = spline.NbPoles()
    poles = np.array([xyz(spline.Pole(i + 1)) for i in range(count)])
    weights = np.array([spline.Weight(i + 1) for i in range(count)]) if spline.IsRational() else np.ones(count)
    knots = [spline.Knot(k + 1) for k in range(spline.NbKnots()) for _ in range(spline.Multiplicity(k + 1))]
    return BSplineCurve(spline.Degree(), np.array(knots), poles, weights)


def _polyline(edge: Any, face: Any) -> np.ndarray | None:
    location = TopLoc_Location()
    triangulation = BRep_Tool.Triangulation_s(face, location)
    polygon = BRep_Tool.PolygonOnTriangulation_s(edge, triangulation, location) if triangulation else None
    if polygon is None:
        return None
    move = location.Transformation()
    return np.array([xyz(triangulation.Node(polygon.Node(k + 1)).Transformed(move)) for k in range(polygon.NbNodes())])


def _is_sharp(polyline: np.ndarray, faces: list[int], mesh: Mesh, of_face: list[slice]) -> bool:
    if len(faces) < 2:
        return True
    middle = polyline[len(polyline) // 2]
    normals = []
    for f in faces[:2]:
        own = of_face[f]
        normals.append(mesh.normals[own.start + np.argmin(((mesh.vertices[own] - middle) ** 2).sum(axis=1))])
    return bool(normals[0] @ normals[1] < math.cos(SMOOTH_ANGLE))
