"""Distances to trimmed faces beside the CAD kernel's own: odd sheets, corners, edges, and foreign files."""

from pathlib import Path

import numpy as np
import pytest
from kernel_files import box, cone, cut, cylinder, fuse
from numpy.testing import assert_allclose
from OCP.BRep import BRep_Builder
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_GTransform,
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakePolygon,
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_MakeWire,
)
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepGProp import BRepGProp, BRepGProp_Face
from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections
from OCP.BRepPrimAPI import BRepPrimAPI_MakePrism
from OCP.Geom import Geom_BSplineSurface, Geom_ConicalSurface, Geom_Plane, Geom_ToroidalSurface
from OCP.gp import gp_Ax2, gp_Ax3, gp_Circ, gp_Dir, gp_GTrsf, gp_Pnt, gp_Vec
from OCP.GProp import GProp_GProps
from OCP.TColgp import TColgp_Array2OfPnt
from OCP.TColStd import TColStd_Array1OfInteger, TColStd_Array1OfReal
from OCP.TopAbs import TopAbs_FACE
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS, TopoDS_Compound, TopoDS_Shell, TopoDS_Solid

from truegauge.core.cad.bspline import packed, project
from truegauge.core.cad.kernel.documents import document_of_shape, read_document
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.cad.projection import Projector

FOREIGN = Path(__file__).parents[2] / "data" / "foreign"
AXES = gp_Ax3(gp_Pnt(3, -2, 1), gp_Dir(0.3, 0.4, 0.866))


def face_of(surface, *bounds):
    return BRepBuilderAPI_MakeFace(surface, *bounds, 1e-7).Face()


def model_of(shape):
    return model_from_document(document_of_shape(shape, "part"), "key", "part")


def faces_only(shape):
    compound, builder, explorer = TopoDS_Compound(), BRep_Builder(), TopExp_Explorer(shape, TopAbs_FACE)
    builder.MakeCompound(compound)
    while explorer.More():
        builder.Add(compound, explorer.Current())
        explorer.Next()
    return compound


def true_distances(shape, points):
    faces = faces_only(shape)
    return np.array([
        BRepExtrema_DistShapeShape(BRepBuilderAPI_MakeVertex(gp_Pnt(*p.tolist())).Vertex(), faces).Value()
        for p in points
    ])  # fmt: skip


def places(model, rng, count):
    """Points near faces, edges and corners, and around."""
    ends = np.vstack([e.polyline for e in model.edges])
    corners = np.vstack([e.polyline[[0, -1]] for e in model.edges])
    vertices = model.mesh.vertices
    at = np.vstack([x[rng.integers(0, len(x), count)] for x in (vertices, ends, corners)])
    off = rng.normal(size=at.shape)
    off *= (10.0 ** rng.uniform(-5, -1.3, len(at)) * model.diagonal / np.linalg.norm(off, axis=1))[:, None]
    low, high = model.box
    return np.vstack([at + off, rng.uniform(low - 0.1 * model.diagonal, high + 0.1 * model.diagonal, (count, 3))])


def agree(shape, rng, count=50, allowed=2e-6):
    model = model_of(shape)
    points = places(model, rng, count)
    assert_allclose(np.abs(Projector(model).deviations(points).distance), true_distances(shape, points), rtol=0,
                    atol=allowed)  # fmt: skip
    return model


def outward_as_the_kernel_says(model, topo):
    u, v = model.mesh.uv[len(model.mesh.uv) // 2]
    point, normal = gp_Pnt(), gp_Vec()
    BRepGProp_Face(topo).Normal(float(u), float(v), point, normal)
    place = np.array([point.X(), point.Y(), point.Z()])
    outside = place + 1e-3 * np.array([normal.X(), normal.Y(), normal.Z()]) / normal.Magnitude()
    assert Projector(model).deviations(outside[None]).distance[0] == pytest.approx(1e-3, abs=1e-6)


@pytest.mark.parametrize("half", [0.5, -0.5])
def test_a_cone_beyond_its_apex_is_the_other_nappe(rng, half):
    surface = Geom_ConicalSurface(AXES, half, 4.0)
    apex = -4.0 / np.sin(half)
    low, high = sorted((apex * 1.4, apex * 2.5))
    topo = face_of(surface, 0.2, 4.0, low, high)
    model = agree(topo, rng)
    assert model.faces[0].surface.kind == SurfaceKind.CONE
    outward_as_the_kernel_says(model, topo)


def test_a_torus_whose_tube_is_larger_than_its_ring_has_two_sheets(rng):
    surface = Geom_ToroidalSurface(AXES, 2.0, 5.0)
    crossing = np.arccos(-2.0 / 5.0)
    for low, high in ((-crossing + 0.1, crossing - 0.1), (crossing + 0.1, 2 * np.pi - crossing - 0.1)):
        topo = face_of(surface, 0.1, 5.0, low, high)
        model = agree(topo, rng)
        assert model.faces[0].surface.kind == SurfaceKind.TORUS
        outward_as_the_kernel_says(model, topo)


def test_a_face_over_both_nappes_is_taken_as_a_spline(rng):
    apex = -4.0 / np.sin(0.5)
    topo = face_of(Geom_ConicalSurface(AXES, 0.5, 4.0), 0.2, 3.0, apex - 5.0, apex + 6.0)
    model = model_of(topo)
    assert model.faces[0].surface.kind == SurfaceKind.BSPLINE
    points = places(model, rng, 60)
    true = true_distances(topo, points)
    # At the tip itself a spline has no normal, and its own mesh starts the search.
    assert np.quantile(np.abs(np.abs(Projector(model).deviations(points).distance) - true), 0.97) < 2e-6


def test_a_point_beyond_the_tip_of_a_cone_is_as_far_as_the_tip(rng):
    drilled = cut(box(0, 0, 0, 30, 30, 30), fuse(cylinder(15, 15, 10, 4, 30), cone(15, 15, 6, 0, 4, 4)))
    model = agree(drilled, rng)
    points = np.array([[15, 15, 5.0], [15.1, 15, 5.5], [15, 15, 6.5]])
    found = Projector(model).deviations(points)
    assert_allclose(np.abs(found.distance), true_distances(drilled, points), atol=1e-9)
    assert (found.distance < 0).tolist() == [True, True, False]


def test_a_periodic_spline_without_weights_has_distances(rng):
    poles = TColgp_Array2OfPnt(1, 8, 1, 4)
    for i in range(8):
        for j in range(4):
            r = 10 + (i % 2) + 0.5 * j
            poles.SetValue(i + 1, j + 1, gp_Pnt(r * np.cos(i * np.pi / 4), r * np.sin(i * np.pi / 4), 5.0 * j))
    u_knots, u_many = TColStd_Array1OfReal(1, 9), TColStd_Array1OfInteger(1, 9)
    for i in range(9):
        u_knots.SetValue(i + 1, float(i))
        u_many.SetValue(i + 1, 1)
    v_knots, v_many = TColStd_Array1OfReal(1, 2), TColStd_Array1OfInteger(1, 2)
    for i in range(2):
        v_knots.SetValue(i + 1, float(i))
        v_many.SetValue(i + 1, 4)
    surface = Geom_BSplineSurface(poles, u_knots, v_knots, u_many, v_many, 3, 3, True, False)
    assert surface.IsUPeriodic()
    model = agree(BRepBuilderAPI_MakeFace(surface, 1e-7).Face(), rng, allowed=5e-6)
    assert np.isfinite(model.mesh.normals).all()


def test_beside_corners_and_edges_of_a_block_the_distance_is_that_of_a_box(rng):
    model = model_of(box(0, 0, 0, 400, 300, 200))
    size = np.array([400.0, 300.0, 200.0])
    corners = np.array([[x, y, z] for x in (0, 400) for y in (0, 300) for z in (0, 200)], dtype=float)
    points = corners[rng.integers(0, 8, 2000)] + rng.normal(size=(2000, 3)) * 10.0 ** rng.uniform(-4, 1, (2000, 1))
    outside = np.maximum(np.maximum(-points, points - size), 0)
    beyond = np.linalg.norm(outside, axis=1)
    inside = np.minimum(points, size - points).min(axis=1)
    expected = np.where(beyond > 0, beyond, -inside)
    assert_allclose(Projector(model).deviations(points).distance, expected, rtol=0, atol=1e-9)


def test_rims_steps_and_hollow_corners_agree_with_the_kernel(rng):
    block = cut(box(0, 0, 0, 60, 40, 20), box(20, -1, 10, 60, 30, 20), cylinder(10, 20, -1, 6, 30))
    assert len(agree(fuse(block, cylinder(40, 15, 5, 8, 12)), rng, 80).faces) > 10


def hexagonal_nut():
    """Chamfered by a cone: its faces taper to nothing at the corners, between a hyperbola and a circle."""
    points = [gp_Pnt(16 * np.cos(a), 16 * np.sin(a), 0.0) for a in np.pi / 3 * np.arange(6)]
    outline = BRepBuilderAPI_MakePolygon()
    for p in points:
        outline.Add(p)
    outline.Close()
    hexagon = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(outline.Wire()).Face(), gp_Vec(0, 0, 14)).Shape()
    chamfer = cone(0, 0, 0, 13.9, 13.9 + 26 * np.sqrt(3), 26)  # the circle cuts the sides of the hexagon
    return cut(BRepAlgoAPI_Common(hexagon, chamfer).Shape(), cylinder(0, 0, -5, 8, 40))


def test_faces_that_taper_to_nothing_end_where_they_end(rng):
    model = agree(hexagonal_nut(), rng, 250)
    assert sum(f.surface.kind == SurfaceKind.CONE for f in model.faces) >= 6


def test_feet_go_on_across_the_seam_of_a_closed_spline(rng):
    stretch = gp_GTrsf()
    stretch.SetValue(2, 2, 1.3)
    model = agree(BRepBuilderAPI_GTransform(cylinder(0, 0, 0, 10, 20), stretch, True).Shape(), rng, 100)
    # The seam is at y = 0: points to both sides of it, asked for from seeds on either side.
    spline = next(f.surface.bspline for f in model.faces if f.surface.kind == SurfaceKind.BSPLINE)
    packs, d, trial = packed(spline), np.empty((6, 3)), np.empty((6, 3))
    low, high = spline.knots_u[[0, -1]]
    for y in (-0.3, -1e-4, 1e-4, 0.3):
        point = np.array([10 * np.sqrt(1 - (y / 13) ** 2), y, 7.0])
        for u in (low, high):
            project(packs.degree_u, packs.degree_v, packs.breaks_u, packs.breaks_v, packs.coefficients, packs.rational,
                    *point, u, spline.knots_v.mean(), d, trial)  # fmt: skip
            assert_allclose(d[0], point, rtol=0, atol=1e-9)


def test_where_bodies_touch_their_inside_is_inside():
    plate = cut(box(0, 0, 0, 30, 20, 10), cylinder(14, 9, -5, 3, 30))
    compound, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(compound)
    for body in (plate, box(4, 3, 10, 20, 12, 8), cylinder(14, 9, 0, 3, 10)):
        builder.Add(compound, body)
    # In the plate below the block, in the block above the plate, in the pin beside its hole.
    inside = np.array([[8.0, 5.0, 9.8], [8.0, 5.0, 10.2], [14.0, 11.9, 5.0], [14.0, 12.1, 5.0]])
    assert_allclose(Projector(model_of(compound)).deviations(inside).distance, [-0.2, -0.2, -0.1, -0.1], atol=1e-9)


def test_a_face_that_looks_into_the_material_is_turned():
    solid, builder = TopoDS_Solid(), BRep_Builder()
    shell = TopoDS_Shell()
    builder.MakeSolid(solid)
    builder.MakeShell(shell)
    explorer, count = TopExp_Explorer(box(0, 0, 0, 10, 10, 10), TopAbs_FACE), 0
    while explorer.More():
        face = explorer.Current()
        builder.Add(shell, face.Reversed() if count == 2 else face)
        count += 1
        explorer.Next()
    builder.Add(solid, shell)
    model = model_of(solid)
    assert "a face that looked into the material was turned" in model.notes
    found = Projector(model).deviations(np.array([[5, 5, 5.0], [5, 5, 10.1], [5, -0.1, 5], [10.1, 5, 5], [-0.1, 5, 5]]))
    assert_allclose(found.distance, [-5, 0.1, 0.1, 0.1, 0.1], atol=1e-9)


def test_a_face_that_cannot_be_meshed_is_left_out_by_name(rng):
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeWire

    there, back = gp_Pnt(20, 0, 0), gp_Pnt(30, 0, 0)
    wire = BRepBuilderAPI_MakeWire(
        BRepBuilderAPI_MakeEdge(there, back).Edge(), BRepBuilderAPI_MakeEdge(back, there).Edge()
    ).Wire()
    nothing = BRepBuilderAPI_MakeFace(Geom_Plane(gp_Ax3(there, gp_Dir(0, 0, 1))), wire).Face()
    whole, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(whole)
    for shape in (nothing, box(0, 0, 0, 10, 10, 10)):
        builder.Add(whole, shape)
    model = model_of(whole)
    assert len(model.faces) == 6
    assert [n for n in model.notes if "face 1 of part is left out" in n]
    assert Projector(model).deviations(np.array([[5, 5, 12.0]])).distance[0] == pytest.approx(2.0)


@pytest.mark.parametrize("name", ["screw.step", "conical-surface.step", "rounded-cube.step",
                                  "multi_volume_cylinders.stp", "extrude_rectangle.stp"])  # fmt: skip
def test_files_that_nobody_here_made_are_read_as_the_kernel_reads_them(name):
    document = read_document(str(FOREIGN / name), "step")
    model = model_from_document(document, "key", name)
    properties = GProp_GProps()
    BRepGProp.SurfaceProperties_s(document.shape, properties)
    mesh = model.mesh.vertices[model.mesh.triangles]
    area = 0.5 * np.linalg.norm(np.cross(mesh[:, 1] - mesh[:, 0], mesh[:, 2] - mesh[:, 0]), axis=1).sum()
    assert area == pytest.approx(properties.Mass(), rel=2e-3)
    points = places(model, np.random.default_rng(8), 25)
    off = np.abs(np.abs(Projector(model).deviations(points).distance) - true_distances(document.shape, points))
    assert off.max() < 5e-4  # what the edges of these files are off the surfaces
    assert np.quantile(off, 0.9) < 2e-6
    assert TopoDS.Face_s(document.faces.FindKey(1)) is not None


def test_beyond_the_end_of_a_slanted_spline_is_outside(rng):
    """A spline surface ends at its rim: a point over an acute rim has its foot there, and lies outside."""
    loft = BRepOffsetAPI_ThruSections(True, True)
    for x, z in ((0.0, 0.0), (9.0, 15.0)):
        circle = gp_Circ(gp_Ax2(gp_Pnt(x, 0, z), gp_Dir(0, 0, 1)), 6.0)
        loft.AddWire(BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(circle).Edge()).Wire())
    model = model_from_document(document_of_shape(loft.Shape(), "loft"), "loft", "loft")
    assert SurfaceKind.BSPLINE in [f.surface.kind for f in model.faces]
    projector = Projector(model)
    angle, count = rng.uniform(0, 2 * np.pi, 3000), 3000
    off = 6.0 + rng.normal(0, 0.05, count)
    over = 10.0 ** rng.uniform(-5, 0, count)
    for x, z in ((9.0, 15.0 + over), (0.0, -over)):
        points = np.column_stack([x + off * np.cos(angle), off * np.sin(angle), z * np.ones(count)])
        found = projector.deviations(points)
        assert (found.distance > 0).all()
        rim = np.hypot(np.maximum(np.hypot(points[:, 0] - x, points[:, 1]) - 6.0, 0.0), over)
        # Nearest is the rim, the cap below, or the slanted side.
        assert (found.distance <= rim + 2e-6).all()
