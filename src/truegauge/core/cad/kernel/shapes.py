"""A shape of the CAD kernel as plain arrays: exact surfaces, seed mesh, edges."""

import math
from dataclasses import replace
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBuilderAPI import BRepBuilderAPI_NurbsConvert
from OCP.BRepGProp import BRepGProp, BRepGProp_Face
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.GeomAdaptor import GeomAdaptor_Surface
from OCP.GeomConvert import GeomConvert, GeomConvert_SurfToAnaSurf
from OCP.gp import gp_Pnt, gp_Vec
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_EDGE, TopAbs_FACE, TopAbs_REVERSED
from OCP.TopExp import TopExp
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS
from OCP.TopTools import TopTools_IndexedDataMapOfShapeListOfShape

from truegauge.core.cad.bspline import nearest_parameters
from truegauge.core.cad.kernel.annotations import read_annotations
from truegauge.core.cad.kernel.documents import CadDocument
from truegauge.core.cad.model import BSpline, CadModel, Edge, Face, Mesh, Surface, SurfaceKind, border_edges
from truegauge.core.cad.surfaces import normals_at
from truegauge.core.errors import GeometryError

# Deflection of the seed mesh as a share of the diagonal: fine enough to seed exact projection (see docs/benchmarks.md).
LINEAR_SHARE = 1e-4
ANGULAR = 0.2
SMOOTH_ANGLE = math.radians(2.0)
SAME = 1e-6  # mm: a surface this near to a plane, cylinder, ... is one

_ANALYTIC = {
    GeomAbs_SurfaceType.GeomAbs_Plane: SurfaceKind.PLANE,
    GeomAbs_SurfaceType.GeomAbs_Cylinder: SurfaceKind.CYLINDER,
    GeomAbs_SurfaceType.GeomAbs_Cone: SurfaceKind.CONE,
    GeomAbs_SurfaceType.GeomAbs_Sphere: SurfaceKind.SPHERE,
    GeomAbs_SurfaceType.GeomAbs_Torus: SurfaceKind.TORUS,
}


def model_from_document(document: CadDocument, key: str, name: str) -> CadModel:
    """Turn what a file holds into arrays.

    Raises
    ------
    GeometryError
        Faces that cannot be triangulated.
    """
    shape, face_map = document.shape, document.faces
    BRepMesh_IncrementalMesh(shape, LINEAR_SHARE * _diagonal(shape), False, ANGULAR, False)
    faces, pieces = [], []
    start = 0
    for i in range(face_map.Extent()):
        topo = TopoDS.Face_s(face_map.FindKey(i + 1))
        surface, mesh_face = _surface(topo)
        vertices, uv, triangles = _triangulation(mesh_face)
        if len(triangles) == 0:
            raise GeometryError(
                f"face {i} of {face_map.Extent()} cannot be triangulated; heal the part and export again"
            )
        if surface.offset:
            uv = _seeds(surface, vertices, uv, topo)
        normals = normals_at(surface, vertices, uv)
        face = _face(i, topo, surface, vertices)
        faces.append(
            replace(
                face, name=document.face_names.get(i, ""), color=document.face_colors.get(i),
                body=document.face_body[i],
            )
        )  # fmt: skip
        pieces.append((vertices, normals, uv, _counter_clockwise(vertices, normals, triangles) + start, i))
        start += len(vertices)
    triangles = np.vstack([p[3] for p in pieces])
    mesh = Mesh(
        vertices=np.vstack([p[0] for p in pieces]),
        normals=np.vstack([p[1] for p in pieces]),
        uv=np.vstack([p[2] for p in pieces]),
        triangles=triangles,
        triangle_face=np.concatenate([np.full(len(p[3]), p[4], dtype=np.int64) for p in pieces]),
        boundary=border_edges(triangles),
    )
    return CadModel(
        key, name, tuple(faces), mesh, _edges(shape, face_map, mesh), document.bodies, document.unit, document.notes,
        read_annotations(document),
    )  # fmt: skip


def _diagonal(shape: Any) -> float:
    from OCP.Bnd import Bnd_Box
    from OCP.BRepBndLib import BRepBndLib

    box = Bnd_Box()
    BRepBndLib.AddOptimal_s(shape, box, False, False)
    if box.IsVoid():
        raise GeometryError("the part has no extent")
    x0, y0, z0, x1, y1, z1 = box.Get()
    return float(math.dist((x0, y0, z0), (x1, y1, z1)))


def _xyz(p: Any) -> np.ndarray:
    return np.array([p.X(), p.Y(), p.Z()])


def _surface(topo: Any) -> tuple[Surface, Any]:
    """Return the surface of a face and the face whose triangulation carries its (u, v)."""
    adaptor = BRepAdaptor_Surface(topo)
    kind = _ANALYTIC.get(adaptor.GetType())
    if kind is not None:
        return _analytic(adaptor, kind, topo), topo
    found = _recognised(topo)
    if found is not None:
        return found, topo
    mesh_face = topo
    if adaptor.GetType() == GeomAbs_SurfaceType.GeomAbs_OffsetSurface:
        return _offset_surface(topo), topo
    if adaptor.GetType() != GeomAbs_SurfaceType.GeomAbs_BSplineSurface:
        mesh_face = TopoDS.Face_s(BRepBuilderAPI_NurbsConvert(topo, True).Shape())
        BRepMesh_IncrementalMesh(mesh_face, LINEAR_SHARE * _diagonal(topo), False, ANGULAR, False)
        adaptor = BRepAdaptor_Surface(mesh_face)
    return _bspline_surface(mesh_face), mesh_face


def _recognised(topo: Any) -> Surface | None:
    """Return the plane, cylinder, cone, sphere or torus that a surface written in another way is, to `SAME` mm.

    IGES and some STEP exports write every surface as a B-spline or a surface of revolution.
    """
    location = TopLoc_Location()
    geometry = BRep_Tool.Surface_s(topo, location)
    u0, u1, v0, v1 = BRepTools.UVBounds_s(topo)
    simple = None
    # Surfaces of revolution are understood only as a whole, some B-splines only within the borders of the face.
    for bounds in ((), (u0, u1, v0, v1)):
        converter = GeomConvert_SurfToAnaSurf(geometry)
        simple = converter.ConvertToAnalytical(SAME, *bounds)
        if simple is not None and converter.Gap() <= SAME:
            break
    if simple is None or converter.Gap() > SAME:
        return None
    moved = simple.Transformed(location.Transformation())
    adaptor = GeomAdaptor_Surface(moved)
    kind = _ANALYTIC.get(adaptor.GetType())
    return None if kind is None else _analytic(adaptor, kind, topo)


def _analytic(adaptor: Any, kind: SurfaceKind, topo: Any) -> Surface:
    shape = {
        SurfaceKind.PLANE: adaptor.Plane,
        SurfaceKind.CYLINDER: adaptor.Cylinder,
        SurfaceKind.CONE: adaptor.Cone,
        SurfaceKind.SPHERE: adaptor.Sphere,
        SurfaceKind.TORUS: adaptor.Torus,
    }[kind]()
    frame = shape.Position()
    radius = minor = half_angle = 0.0
    if kind in (SurfaceKind.CYLINDER, SurfaceKind.SPHERE):
        radius = shape.Radius()
    elif kind == SurfaceKind.CONE:
        radius, half_angle = shape.RefRadius(), shape.SemiAngle()
    elif kind == SurfaceKind.TORUS:
        radius, minor = shape.MajorRadius(), shape.MinorRadius()
    surface = Surface(
        kind, _xyz(frame.Location()), _xyz(frame.XDirection()), _xyz(frame.YDirection()), _xyz(frame.Direction()),
        radius, minor, half_angle, 1,
    )  # fmt: skip
    return _with_outward(surface, topo)


def _offset_surface(topo: Any) -> Surface:
    """An offset surface as its base with the offset: the distance to it is the distance to the base less the offset.

    Exact as long as the base curves less than the offset, which a surface without creases does.
    """
    location = TopLoc_Location()
    geometry = BRep_Tool.Surface_s(topo, location)
    spline = GeomConvert.SurfaceToBSplineSurface_s(geometry.BasisSurface())
    spline.Transform(location.Transformation())
    surface = replace(_from_spline(spline), offset=float(geometry.Offset()))
    return _with_outward(surface, topo)


def _seeds(surface: Surface, vertices: np.ndarray, uv: np.ndarray, topo: Any) -> np.ndarray:
    """Return the parameters of the mesh on the base of an offset surface, in the parameters of our B-spline."""
    assert surface.bspline is not None
    location = TopLoc_Location()
    base = BRep_Tool.Surface_s(topo, location).BasisSurface()
    move = location.Transformation()
    points = np.array([_xyz(base.Value(float(u), float(v)).Transformed(move)) for u, v in uv])
    return nearest_parameters(surface.bspline, points)


def _bspline_surface(topo: Any) -> Surface:
    location = TopLoc_Location()
    geometry = BRep_Tool.Surface_s(topo, location)
    spline = GeomConvert.SurfaceToBSplineSurface_s(geometry)
    spline.Transform(location.Transformation())
    return _with_outward(_from_spline(spline), topo)


def _from_spline(spline: Any) -> Surface:
    spline.SetUNotPeriodic()
    spline.SetVNotPeriodic()
    nu, nv = spline.NbUPoles(), spline.NbVPoles()
    poles = np.array([[_xyz(spline.Pole(i + 1, j + 1)) for j in range(nv)] for i in range(nu)])
    weights = np.array([[spline.Weight(i + 1, j + 1) for j in range(nv)] for i in range(nu)])
    knots = []
    for count, knot, multiplicity in (
        (spline.NbUKnots(), spline.UKnot, spline.UMultiplicity),
        (spline.NbVKnots(), spline.VKnot, spline.VMultiplicity),
    ):
        knots.append(np.array([knot(k + 1) for k in range(count) for _ in range(multiplicity(k + 1))]))
    zero, axes = np.zeros(3), np.eye(3)
    return Surface(
        SurfaceKind.BSPLINE, zero, axes[0], axes[1], axes[2], 0.0, 0.0, 0.0, 1,
        BSpline(spline.UDegree(), spline.VDegree(), knots[0], knots[1], poles, weights),
    )  # fmt: skip


def _with_outward(surface: Surface, topo: Any) -> Surface:
    """Compare our normal with the kernel's outward one at a point inside the face."""
    oriented = BRepGProp_Face(topo)
    u0, u1, v0, v1 = BRepTools.UVBounds_s(topo)
    point, normal = gp_Pnt(), gp_Vec()
    for share in (0.5, 0.37, 0.61, 0.13):
        u, v = u0 + share * (u1 - u0), v0 + share * (v1 - v0)
        oriented.Normal(u, v, point, normal)
        if normal.Magnitude() > 1e-12:
            at = np.array([[u, v]])
            if surface.bspline is not None and surface.offset:
                at = nearest_parameters(surface.bspline, _xyz(point)[None])
            ours = normals_at(surface, _xyz(point)[None], at)[0]
            outward = 1 if float(ours @ _xyz(normal)) > 0 else -1
            return replace(surface, outward=outward)
    raise GeometryError("a face has no normal anywhere")


def _triangulation(topo: Any) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    location = TopLoc_Location()
    t = BRep_Tool.Triangulation_s(topo, location)
    if t is None:
        return np.zeros((0, 3)), np.zeros((0, 2)), np.zeros((0, 3), dtype=np.int64)
    move = location.Transformation()
    vertices = np.array([_xyz(t.Node(i + 1).Transformed(move)) for i in range(t.NbNodes())])
    uv = np.array([(p.X(), p.Y()) for p in (t.UVNode(i + 1) for i in range(t.NbNodes()))])
    triangles = np.array([t.Triangle(i + 1).Get() for i in range(t.NbTriangles())], dtype=np.int64) - 1
    if topo.Orientation() == TopAbs_REVERSED:
        triangles = triangles[:, [0, 2, 1]]
    return vertices, uv, triangles


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
    return Face(index, surface, float(properties.Mass()), box, _xyz(properties.CentreOfMass()))


def _edges(shape: Any, face_map: Any, mesh: Mesh) -> tuple[Edge, ...]:
    owners = TopTools_IndexedDataMapOfShapeListOfShape()
    TopExp.MapShapesAndAncestors_s(shape, TopAbs_EDGE, TopAbs_FACE, owners)
    edges = []
    for i in range(owners.Extent()):
        edge = TopoDS.Edge_s(owners.FindKey(i + 1))
        faces = sorted({face_map.FindIndex(f) - 1 for f in owners.FindFromIndex(i + 1)})
        polyline = _polyline(edge, TopoDS.Face_s(face_map.FindKey(faces[0] + 1))) if faces else None
        if polyline is None or BRep_Tool.Degenerated_s(edge):
            continue
        seam = len(faces) == 1 and BRep_Tool.IsClosed_s(edge, TopoDS.Face_s(face_map.FindKey(faces[0] + 1)))
        edges.append(Edge(polyline, tuple(faces), not seam and _is_sharp(polyline, faces, mesh)))
    return tuple(edges)


def _polyline(edge: Any, face: Any) -> np.ndarray | None:
    location = TopLoc_Location()
    triangulation = BRep_Tool.Triangulation_s(face, location)
    polygon = BRep_Tool.PolygonOnTriangulation_s(edge, triangulation, location) if triangulation else None
    if polygon is None:
        return None
    move = location.Transformation()
    return np.array([_xyz(triangulation.Node(polygon.Node(k + 1)).Transformed(move)) for k in range(polygon.NbNodes())])


def _is_sharp(polyline: np.ndarray, faces: list[int], mesh: Mesh) -> bool:
    if len(faces) < 2:
        return True
    middle = polyline[len(polyline) // 2]
    normals = []
    for f in faces[:2]:
        ids = np.unique(mesh.triangles[mesh.triangle_face == f])
        normals.append(mesh.normals[ids[np.argmin(((mesh.vertices[ids] - middle) ** 2).sum(axis=1))]])
    return bool(normals[0] @ normals[1] < math.cos(SMOOTH_ANGLE))
