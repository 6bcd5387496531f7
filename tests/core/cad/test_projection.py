"""Exact deviations against the CAD kernel and closed forms."""

import numpy as np
import pytest
from numpy.testing import assert_allclose
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.gp import gp_Pnt
from OCP.TopAbs import TopAbs_SHELL
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from truegauge import demo
from truegauge.core.cad.kernel.documents import read_document
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.cad.projection import NO_FACE
from truegauge.core.clouds.spatial import spatial_order
from truegauge.demo.faces import face_of_kind
from truegauge.demo.scan_maker import sample_surface


@pytest.fixture(scope="module")
def shape():
    """The skin of the part: inside a solid the kernel's distance is zero."""
    return TopoDS.Shell_s(TopExp_Explorer(read_document(str(demo.PART), "step").shape, TopAbs_SHELL).Current())


def kernel_distance(shape, point):
    vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(*point)).Vertex()
    return BRepExtrema_DistShapeShape(vertex, shape).Value()


def test_distances_agree_with_the_kernel_off_the_surface(shape, model, projector, rng):
    on, normals, _ = sample_surface(model, projector, 400, rng)
    points = on + normals * rng.uniform(-0.4, 0.4, (len(on), 1))
    found = projector.deviations(points)
    expected = np.array([kernel_distance(shape, p) for p in points[:150]])
    plain = ~found.on_edge[:150]
    assert plain.mean() > 0.9
    assert_allclose(np.abs(found.distance[:150])[plain], expected[plain], rtol=0, atol=1e-7)


def test_the_free_form_face_is_exact_and_not_its_triangles(shape, model, projector, rng):
    face = face_of_kind(model, SurfaceKind.BSPLINE)
    on, normals, faces = sample_surface(model, projector, 8000, rng)
    rows = np.flatnonzero(faces == face)[:60]
    offset = rng.uniform(-0.2, 0.2, len(rows))
    points = on[rows] + offset[:, None] * normals[rows]
    found = projector.deviations(points)
    inner = ~found.on_edge & (found.face == face)
    assert inner.sum() > 40
    expected = np.array([kernel_distance(shape, p) for p in points[inner]])
    assert_allclose(np.abs(found.distance[inner]), expected, rtol=0, atol=1e-7)
    assert_allclose(found.distance[inner], offset[inner], rtol=0, atol=1e-7)


def test_the_sign_is_positive_outside_the_material(projector):
    inside, outside = [70.0, 20.0, 7.0], [70.0, 20.0, -3.0]
    in_the_bore = [58.0, 45.0, 40.0]
    found = projector.deviations(np.array([inside, outside, in_the_bore]))
    assert found.distance[0] < 0 < found.distance[1]
    assert_allclose(found.distance[1], 3.0, atol=1e-12)
    assert_allclose(found.distance[2], 21.0, atol=1e-9)


def test_points_off_an_edge_belong_to_the_edge(projector):
    found = projector.deviations(np.array([[70.0, -3.0, -4.0]]))  # off the straight edge y = 0, z = 0
    assert found.on_edge[0]
    assert_allclose(found.distance[0], 5.0, atol=1e-12)
    assert_allclose(found.feet[0], [70, 0, 0], atol=1e-9)


def test_points_beyond_reach_have_no_face(projector):
    found = projector.deviations(np.array([[70.0, 20.0, -50.0]]), max_distance=2.0)
    assert found.face[0] == NO_FACE


def test_the_walk_does_not_change_the_answer(model, projector, rng):
    points = rng.uniform(model.box[0] - 5, model.box[1] + 5, (3000, 3))
    plain, walked = projector.deviations(points), projector.deviations(points, order=spatial_order(points))
    assert_allclose(np.abs(walked.distance), np.abs(plain.distance), rtol=0, atol=1e-9)


def test_feet_lie_on_the_surface_and_normals_point_along_the_distance(model, projector, rng):
    points = rng.uniform(model.box[0] - 2, model.box[1] + 2, (2000, 3))
    found = projector.deviations(points)
    plain = ~found.on_edge
    assert_allclose(found.feet + found.distance[:, None] * found.normals, points, rtol=0, atol=1e-6)
    again = projector.deviations(found.feet[plain])
    # A foot of a point deep inside may lie beyond a border; the others are on the part again.
    assert np.quantile(np.abs(again.distance), 0.95) < 1e-9


def test_a_ray_picks_the_face_in_front(model, projector):
    face = projector.pick(np.array([100.0, 15.0, 500.0]), np.array([0.0, 0.0, -1.0]))
    assert model.faces[face].centroid[2] == pytest.approx(48.0)
    hidden = np.zeros(len(model.faces), dtype=bool)
    hidden[face] = True
    behind = projector.pick(np.array([100.0, 15.0, 500.0]), np.array([0.0, 0.0, -1.0]), hidden)
    assert behind not in (face, NO_FACE)
    assert projector.pick(np.array([500.0, 20.0, 500.0]), np.array([0.0, 0.0, -1.0])) == NO_FACE
