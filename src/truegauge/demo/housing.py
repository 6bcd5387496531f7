"""LW-1140, the worm-drive housing: built with the CAD kernel.

Part coordinates (mm): base face in z = 0, side datum faces in y = 0 and x = 0, the main bore along z.
"""

import math
from typing import Any

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakePrism,
    BRepPrimAPI_MakeSphere,
)
from OCP.GeomAbs import GeomAbs_C2
from OCP.GeomAPI import GeomAPI_PointsToBSplineSurface
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Vec
from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
from OCP.TColgp import TColgp_Array2OfPnt
from OCP.TopAbs import TopAbs_EDGE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from truegauge.demo.housing_sizes import MAIN_BORE, MOUNTING_HOLES, bolt_holes


def build_housing() -> Any:
    """Return the housing as a kernel solid."""
    plate = _fillet_vertical(_box(0, 0, 0, 140, 90, 14), 6.0)
    part = _fuse(plate, _body())
    for x, y in MOUNTING_HOLES:
        part = _fuse(part, _box(x - 8, y - 8, 14, 16, 16, 2))
    turret = _fillet_horizontal(_cylinder(*MAIN_BORE, 46, 36, 14), 1.5, 60)
    part = _fuse(part, turret)
    boss = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(114, 45, 31), gp_Dir(1, 0, 0)), 15, 12).Shape()
    part = _fuse(part, boss)
    part = _cut(part, _cylinder(*MAIN_BORE, -1, 21, 70))
    part = _cut(part, BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(58, -1, 30), gp_Dir(0, 1, 0)), 12, 46).Shape())
    for x, y in bolt_holes():
        part = _cut(part, _cylinder(x, y, 44, 2.75, 20))
    for x, y in MOUNTING_HOLES:
        part = _cut(part, _cylinder(x, y, -1, 3.3, 20))
    slot = _box(124, 36, -1, 12, 18, 20)
    for y in (36, 54):
        slot = _fuse(slot, _cylinder(130, y, -1, 6, 20))
    part = _cut(part, slot)
    part = _cut(part, _conical_seat(107, 24))
    part = _cut(part, BRepPrimAPI_MakeSphere(gp_Pnt(107, 63, 55.5), 12).Shape())
    unify = ShapeUpgrade_UnifySameDomain(part, True, True, False)
    unify.Build()
    return unify.Shape()


def _box(x: float, y: float, z: float, dx: float, dy: float, dz: float) -> Any:
    return BRepPrimAPI_MakeBox(gp_Pnt(x, y, z), dx, dy, dz).Shape()


def _cylinder(x: float, y: float, z: float, radius: float, height: float) -> Any:
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, z), gp_Dir(0, 0, 1)), radius, height).Shape()


def _fuse(a: Any, b: Any) -> Any:
    return BRepAlgoAPI_Fuse(a, b).Shape()


def _cut(a: Any, b: Any) -> Any:
    return BRepAlgoAPI_Cut(a, b).Shape()


def _conical_seat(x: float, y: float) -> Any:
    """A 60 degree cone, 18 mm wide at the top face z = 48, over a 5 mm pilot hole."""
    depth = (9.0 - 2.5) / math.tan(math.radians(30))
    axis = gp_Ax2(gp_Pnt(x, y, 48 - depth), gp_Dir(0, 0, 1))
    cone = BRepPrimAPI_MakeCone(axis, 2.5, 9.0 + math.tan(math.radians(30)), depth + 1).Shape()
    return _fuse(cone, _cylinder(x, y, 30, 2.5, 15))


def _body() -> Any:
    """The block with four rounded upright edges, its back cut by the free-form shroud face."""
    block = _fillet_vertical(_box(20, 9, 12, 98, 90, 36), 4.0)
    return _cut(block, BRepPrimAPI_MakePrism(shroud_face(), gp_Vec(0, 60, 0)).Shape())


def shroud_face() -> Any:
    """Return the B-spline face y = f(x, z) behind the body."""
    xs, zs = np.linspace(0, 130, 14), np.linspace(4, 56, 9)
    grid = TColgp_Array2OfPnt(1, len(xs), 1, len(zs))
    for i, x in enumerate(xs):
        for k, z in enumerate(zs):
            y = 83.2 + 2.4 * math.sin(math.pi * (x - 20) / 49) * math.cos((z - 30) / 24) - 0.0012 * (z - 30) ** 2
            grid.SetValue(i + 1, k + 1, gp_Pnt(x, y, z))
    surface = GeomAPI_PointsToBSplineSurface(grid, 3, 5, GeomAbs_C2, 1e-4).Surface()
    return BRepBuilderAPI_MakeFace(surface, 1e-6).Face()


def _edge_ends(edge: Any) -> tuple[np.ndarray, np.ndarray]:
    from OCP.BRepAdaptor import BRepAdaptor_Curve

    curve = BRepAdaptor_Curve(edge)
    ends = [curve.Value(t) for t in (curve.FirstParameter(), curve.LastParameter())]
    a, b = (np.array([p.X(), p.Y(), p.Z()]) for p in ends)
    return a, b


def _fillet(shape: Any, radius: float, wanted: Any) -> Any:
    fillet = BRepFilletAPI_MakeFillet(shape)
    explorer = TopExp_Explorer(shape, TopAbs_EDGE)
    seen: list[Any] = []
    while explorer.More():
        edge = TopoDS.Edge_s(explorer.Current())
        if not any(edge.IsSame(e) for e in seen) and wanted(*_edge_ends(edge)):
            fillet.Add(radius, edge)
            seen.append(edge)
        explorer.Next()
    return fillet.Shape()


def _fillet_vertical(shape: Any, radius: float) -> Any:
    return _fillet(shape, radius, lambda a, b: abs(b[2] - a[2]) > 1 and np.hypot(*(b - a)[:2]) < 1e-9)


def _fillet_horizontal(shape: Any, radius: float, z: float) -> Any:
    return _fillet(shape, radius, lambda a, b: abs(a[2] - z) < 1e-9 and abs(b[2] - z) < 1e-9)


def rounded_block(length: float, width: float, z: float, height: float, radius: float) -> Any:
    """Return a block from the origin with rounded upright edges."""
    return _fillet_vertical(_box(0, 0, z, length, width, height), radius)
