"""Small CAD files for tests, written with the CAD kernel."""

import math

from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_Transform
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeRevol,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeWedge,
)
from OCP.gp import gp_Ax1, gp_Ax2, gp_Dir, gp_Pnt, gp_Trsf, gp_Vec
from OCP.IGESCAFControl import IGESCAFControl_Writer
from OCP.Interface import Interface_Static
from OCP.Quantity import Quantity_Color, Quantity_TypeOfColor
from OCP.STEPCAFControl import STEPCAFControl_Writer
from OCP.STEPControl import STEPControl_AsIs
from OCP.TCollection import TCollection_ExtendedString
from OCP.TDataStd import TDataStd_Name
from OCP.TDocStd import TDocStd_Document
from OCP.TopLoc import TopLoc_Location
from OCP.XCAFDoc import XCAFDoc_ColorType, XCAFDoc_DocumentTool

Z = (0, 0, 1)


def box(x, y, z, dx, dy, dz):
    return BRepPrimAPI_MakeBox(gp_Pnt(x, y, z), dx, dy, dz).Shape()


def wedge(dx, dy, dz, top):
    """A block whose face at x = dx leans: at y = dy it is only `top` long."""
    return BRepPrimAPI_MakeWedge(dx, dy, dz, top).Shape()


def cylinder(x, y, z, radius, height, axis=Z):
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, z), gp_Dir(*axis)), radius, height).Shape()


def cone(x, y, z, low, high, height):
    return BRepPrimAPI_MakeCone(gp_Ax2(gp_Pnt(x, y, z), gp_Dir(*Z)), low, high, height).Shape()


def ball(x, y, z, radius):
    return BRepPrimAPI_MakeSphere(gp_Pnt(x, y, z), radius).Shape()


def cut(shape, *tools):
    for tool in tools:
        shape = BRepAlgoAPI_Cut(shape, tool).Shape()
    return shape


def fuse(shape, *others):
    for other in others:
        shape = BRepAlgoAPI_Fuse(shape, other).Shape()
    return shape


def moved(shape, x, y, z):
    move = gp_Trsf()
    move.SetTranslation(gp_Vec(x, y, z))
    return BRepBuilderAPI_Transform(shape, move, True).Shape()


def drilled_plate(hole=5.0):
    """A plate 80 x 50 x 10 with a counterbore, a countersink, a blind hole and a line of three holes."""
    plate = box(0, 0, 0, 80, 50, 10)
    plate = cut(plate, cylinder(15, 25, -1, hole / 2, 12), cylinder(15, 25, 6, 5, 5))  # counterbore 10 wide, 4 deep
    plate = cut(plate, cylinder(35, 25, -1, 2, 12), cone(35, 25, 8, 2, 4 + 1, 3))  # countersink 90 degrees
    plate = cut(plate, cylinder(65, 40, 4, 4, 7))  # blind, 6 deep
    return cut(plate, *(cylinder(20 + 12 * k, 8, -1, 1.5, 12) for k in range(3)))


def _document(shape, name, color):
    document = TDocStd_Document(TCollection_ExtendedString("XmlXCAF"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    label = tool.AddShape(shape, False)
    TDataStd_Name.Set_s(label, TCollection_ExtendedString(name))
    if color:
        rgb = Quantity_Color(*(c / 255 for c in color), Quantity_TypeOfColor.Quantity_TOC_sRGB)
        XCAFDoc_DocumentTool.ColorTool_s(document.Main()).SetColor(label, rgb, XCAFDoc_ColorType.XCAFDoc_ColorSurf)
    return document, tool, label


def _write_step(document, path, schema="AP214IS", unit="MM"):
    writer = STEPCAFControl_Writer()
    Interface_Static.SetCVal_s("write.step.schema", schema)
    Interface_Static.SetCVal_s("write.step.unit", unit)
    writer.SetColorMode(True)
    writer.SetNameMode(True)
    assert writer.Transfer(document, STEPControl_AsIs)
    writer.Write(str(path))
    Interface_Static.SetCVal_s("write.step.unit", "MM")
    return path


def write_step(shape, path, *, schema="AP214IS", unit="MM", name="plate", color=None):
    return _write_step(_document(shape, name, color)[0], path, schema, unit)


def write_assembly(path):
    """A frame with two of the same pin, one of them lying along x, 100 mm apart."""
    document = TDocStd_Document(TCollection_ExtendedString("XmlXCAF"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    colors = XCAFDoc_DocumentTool.ColorTool_s(document.Main())
    whole = tool.NewShape()
    TDataStd_Name.Set_s(whole, TCollection_ExtendedString("frame"))
    pin = tool.AddShape(cylinder(0, 0, 0, 3, 20), False)
    TDataStd_Name.Set_s(pin, TCollection_ExtendedString("pin"))
    block = tool.AddShape(box(0, 0, 0, 30, 20, 10), False)
    TDataStd_Name.Set_s(block, TCollection_ExtendedString("block"))
    red = Quantity_Color(200 / 255, 30 / 255, 30 / 255, Quantity_TypeOfColor.Quantity_TOC_sRGB)
    colors.SetColor(pin, red, XCAFDoc_ColorType.XCAFDoc_ColorSurf)
    tool.AddComponent(whole, block, TopLoc_Location())
    first, second = gp_Trsf(), gp_Trsf()
    first.SetTranslation(gp_Vec(100, 0, 0))
    turn = gp_Trsf()
    turn.SetRotation(gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 1, 0)), math.pi / 2)
    second.SetTranslation(gp_Vec(0, 50, 0))
    second.Multiply(turn)
    for move in (first, second):
        tool.AddComponent(whole, pin, TopLoc_Location(move))
    tool.UpdateAssemblies()
    return _write_step(document, path)


def write_iges(shape, path, name="plate"):
    writer = IGESCAFControl_Writer()
    document, _, _ = _document(shape, name, None)
    assert writer.Transfer(document)
    writer.ComputeModel()
    writer.Write(str(path))
    return path


def revolved_vase():
    """A face that is a surface of revolution of a spline about z."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge
    from OCP.GeomAPI import GeomAPI_PointsToBSpline
    from OCP.TColgp import TColgp_Array1OfPnt

    points = TColgp_Array1OfPnt(1, 5)
    for k, (r, z) in enumerate(((20, 0), (24, 10), (18, 22), (15, 30), (21, 40))):
        points.SetValue(k + 1, gp_Pnt(r, 0, z))
    edge = BRepBuilderAPI_MakeEdge(GeomAPI_PointsToBSpline(points).Curve()).Edge()
    return BRepPrimAPI_MakeRevol(edge, gp_Ax1(gp_Pnt(0, 0, 0), gp_Dir(0, 0, 1))).Shape()


def offset_sheet(offset):
    """A face on an offset surface of a B-spline, and the base surface."""
    from OCP.Geom import Geom_OffsetSurface
    from OCP.GeomAPI import GeomAPI_PointsToBSplineSurface
    from OCP.TColgp import TColgp_Array2OfPnt

    grid = TColgp_Array2OfPnt(1, 7, 1, 7)
    for i in range(7):
        for k in range(7):
            grid.SetValue(i + 1, k + 1, gp_Pnt(10 * i, 10 * k, 4 * math.sin(i / 2) * math.cos(k / 3)))
    base = GeomAPI_PointsToBSplineSurface(grid).Surface()
    return BRepBuilderAPI_MakeFace(Geom_OffsetSurface(base, offset), 1e-6).Face(), base
