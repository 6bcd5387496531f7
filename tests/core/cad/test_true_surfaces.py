"""Distances to the true surface: off edges, on offset and revolved surfaces, and by the points' own normals."""

import numpy as np
import pytest
from kernel_files import (
    box,
    cone,
    cut,
    cylinder,
    drilled_plate,
    fuse,
    offset_sheet,
    revolved_vase,
)
from numpy.testing import assert_allclose
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.GeomAPI import GeomAPI_ProjectPointOnSurf
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_SHELL
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from truegauge.core.cad.kernel.documents import document_of_shape
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.cad.projection import NO_FACE, Projector


def model_of(shape):
    return model_from_document(document_of_shape(shape, "part"), "key", "part")


def distance_to(shape, point):
    return BRepExtrema_DistShapeShape(BRepBuilderAPI_MakeVertex(gp_Pnt(*point)).Vertex(), shape).Value()


def off_the_edges(model, rng, count, reach):
    """Points beside random places of edges, in all directions."""
    lines = [e.polyline for e in model.edges if e.sharp]
    chosen = [lines[i] for i in rng.integers(0, len(lines), count)]
    at = np.array([line[rng.integers(0, len(line))] for line in chosen])
    return at + rng.normal(0, reach, (count, 3))


@pytest.mark.parametrize(
    "shape",
    [
        drilled_plate(),
        fuse(box(0, 0, 0, 40, 30, 10), cylinder(20, 15, 10, 8, 12), cone(8, 8, 10, 5, 2, 6)),
        cut(cylinder(0, 0, 0, 20, 40), cylinder(-30, 0, 20, 7, 60, (1, 0, 0))),  # a curved edge in space
    ],
    ids=["drilled plate", "bosses", "crossing bores"],
)
def test_points_off_edges_belong_to_the_true_edge(shape, rng):
    model = model_of(shape)
    skin = TopoDS.Shell_s(TopExp_Explorer(shape, TopAbs_SHELL).Current())
    points = off_the_edges(model, rng, 250, 0.6)
    found = Projector(model).deviations(points)
    expected = np.array([distance_to(skin, p) for p in points])
    error = np.abs(np.abs(found.distance) - expected)
    assert 0.2 < found.on_edge.mean() < 0.8
    assert error[found.on_edge].max() < 2e-7
    # Beside an inner edge the mesh may tell the farther of two faces: by no more than it deviates from the surfaces.
    assert np.quantile(error, 0.95) < 2e-7
    assert error.max() < 2e-4 * model.diagonal


def test_the_side_is_right_all_around_an_edge():
    model = model_of(box(0, 0, 0, 10, 10, 10))
    projector = Projector(model)
    around = np.linspace(0, 2 * np.pi, 73)[:-1] + 0.01
    points = np.column_stack([10 + 0.5 * np.cos(around), np.full(72, 5.0), 10 + 0.5 * np.sin(around)])
    found = projector.deviations(points)
    inside = (points[:, 0] < 10) & (points[:, 2] < 10)
    beyond = (points[:, 0] > 10) & (points[:, 2] > 10)
    assert np.array_equal(found.distance < 0, inside)
    assert np.array_equal(found.on_edge, beyond)
    assert_allclose(found.distance[beyond], 0.5, rtol=0, atol=1e-12)


@pytest.mark.parametrize("offset", [2.0, -1.5])
def test_offset_surfaces_are_exact(offset, rng):
    face, base = offset_sheet(offset)
    model = model_of(face)
    assert model.faces[0].surface.offset == offset
    u, v = rng.uniform(0.2, 0.8, (2, 120))
    bounds = base.Bounds()
    points = []
    for a, b in zip(u, v, strict=True):
        p = base.Value(bounds[0] + a * (bounds[1] - bounds[0]), bounds[2] + b * (bounds[3] - bounds[2]))
        points.append((p.X(), p.Y(), p.Z() + offset + rng.uniform(-0.3, 0.3)))
    points = np.array(points)
    found = Projector(model).deviations(points)
    # The kernel's own distance to the base surface, less the offset.
    expected = []
    for p in points:
        nearest = GeomAPI_ProjectPointOnSurf(gp_Pnt(*p), base)
        expected.append(abs(nearest.LowerDistance() - abs(offset)))
    assert not found.on_edge.any()
    assert_allclose(np.abs(found.distance), expected, rtol=0, atol=1e-8)


def test_surfaces_of_revolution_are_exact(rng):
    shape = revolved_vase()
    model = model_of(shape)
    points = model.mesh.vertices[rng.integers(0, len(model.mesh.vertices), 150)] + rng.normal(0, 0.2, (150, 3))
    found = Projector(model).deviations(points)
    inner = ~found.on_edge
    expected = np.array([distance_to(shape, p) for p in points])
    assert inner.sum() > 100
    assert_allclose(np.abs(found.distance[inner]), expected[inner], rtol=0, atol=1e-6)


def test_normals_tell_the_sides_of_a_thin_wall_apart():
    projector = Projector(model_of(box(0, 0, 0, 60, 60, 0.2)))
    points = np.array([[30.0, 30.0, 0.15], [30.0, 30.0, 0.15]])
    normals = np.array([[0, 0, 1.0], [0, 0, -1.0]])
    found = projector.deviations(points, normals=normals, max_angle=np.radians(60))
    assert_allclose(found.distance, [-0.05, -0.15], rtol=0, atol=1e-12)
    assert_allclose(projector.deviations(points).distance, [-0.05, -0.05], rtol=0, atol=1e-12)
    unknown = projector.deviations(points[:1], normals=np.zeros((1, 3)), max_angle=np.radians(60))
    assert_allclose(unknown.distance, -0.05, rtol=0, atol=1e-12)
    sideways = projector.deviations(points[:1], normals=np.array([[0, 0.7, -0.7]]), max_angle=0.2, max_distance=1.0)
    assert sideways.face[0] == NO_FACE
