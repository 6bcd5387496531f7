"""The exact surface of a face of the kernel: as it is written, as the simple surface that it is, or as a B-spline."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Surface
from OCP.BRepBuilderAPI import BRepBuilderAPI_NurbsConvert
from OCP.BRepGProp import BRepGProp_Face
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.BRepTools import BRepTools
from OCP.GeomAbs import GeomAbs_SurfaceType
from OCP.GeomAdaptor import GeomAdaptor_Surface
from OCP.GeomConvert import GeomConvert, GeomConvert_SurfToAnaSurf
from OCP.gp import gp_Pnt, gp_Vec
from OCP.ShapeFix import ShapeFix_Face
from OCP.TopLoc import TopLoc_Location
from OCP.TopoDS import TopoDS

from truegauge.core.cad.bspline import nearest_parameters
from truegauge.core.cad.model import BSpline, Surface, SurfaceKind
from truegauge.core.cad.surfaces import normals_at
from truegauge.core.errors import GeometryError

SAME = 1e-6  # mm: a surface this near to a plane, cylinder, ... is one

_ANALYTIC = {
    GeomAbs_SurfaceType.GeomAbs_Plane: SurfaceKind.PLANE,
    GeomAbs_SurfaceType.GeomAbs_Cylinder: SurfaceKind.CYLINDER,
    GeomAbs_SurfaceType.GeomAbs_Cone: SurfaceKind.CONE,
    GeomAbs_SurfaceType.GeomAbs_Sphere: SurfaceKind.SPHERE,
    GeomAbs_SurfaceType.GeomAbs_Torus: SurfaceKind.TORUS,
}


def xyz(p: Any) -> np.ndarray:
    """Return a point or vector of the kernel as (3,)."""
    return np.array([p.X(), p.Y(), p.Z()])


def surfaces_of(topo: Any, deflection: float, angle: float) -> tuple[Callable[[], tuple[Surface, Any]], ...]:
    """Return ways to a surface for a face, the best first; each gives the face whose triangulation carries its (u, v).

    As it is written, or the simple surface that it is; as a B-spline; as a B-spline of the repaired face.
    """

    def repaired() -> tuple[Surface, Any]:
        fixer = ShapeFix_Face(topo)
        fixer.Perform()
        return _converted(fixer.Face(), deflection, angle)

    return lambda: _as_it_is(topo, deflection, angle), lambda: _converted(topo, deflection, angle), repaired


def _as_it_is(topo: Any, deflection: float, angle: float) -> tuple[Surface, Any]:
    adaptor = BRepAdaptor_Surface(topo)
    kind = _ANALYTIC.get(adaptor.GetType())
    simple = _analytic(adaptor, kind, topo) if kind is not None else _recognised(topo)
    if simple is not None:
        return simple, topo
    if adaptor.GetType() == GeomAbs_SurfaceType.GeomAbs_OffsetSurface:
        return _offset_surface(topo), topo
    if adaptor.GetType() == GeomAbs_SurfaceType.GeomAbs_BSplineSurface:
        return _bspline_surface(topo), topo
    return _converted(topo, deflection, angle)


def _converted(topo: Any, deflection: float, angle: float) -> tuple[Surface, Any]:
    face = TopoDS.Face_s(BRepBuilderAPI_NurbsConvert(topo, True).Shape())
    BRepMesh_IncrementalMesh(face, deflection, False, angle, False)
    return _bspline_surface(face), face


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
        kind, xyz(frame.Location()), xyz(frame.XDirection()), xyz(frame.YDirection()), xyz(frame.Direction()),
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


def offset_seeds(surface: Surface, vertices: np.ndarray, uv: np.ndarray, topo: Any) -> np.ndarray:
    """Return the parameters of the mesh on the base of an offset surface, in the parameters of our B-spline."""
    assert surface.bspline is not None
    location = TopLoc_Location()
    base = BRep_Tool.Surface_s(topo, location).BasisSurface()
    move = location.Transformation()
    points = np.array([xyz(base.Value(float(u), float(v)).Transformed(move)) for u, v in uv])
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
    poles = np.array([[xyz(spline.Pole(i + 1, j + 1)) for j in range(nv)] for i in range(nu)])
    # Made non-periodic, a surface without weights answers 0 for some.
    weights = np.ones((nu, nv))
    if spline.IsURational() or spline.IsVRational():
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
                at = nearest_parameters(surface.bspline, xyz(point)[None])
            ours = normals_at(surface, xyz(point)[None], at)[0]
            outward = 1 if float(ours @ xyz(normal)) > 0 else -1
            return replace(surface, outward=outward)
    raise GeometryError("a face has no normal anywhere")
