"""Meshes: splitting, even plane meshes, pseudo-normals; B-spline derivatives."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.cad.bspline import evaluate_many
from truegauge.core.cad.bvh import build_bvh, first_hit
from truegauge.core.cad.model import SurfaceKind, border_edges
from truegauge.core.cad.plane_mesh import even_plane_mesh
from truegauge.core.cad.pseudo_normals import surroundings
from truegauge.core.cad.subdivision import subdivided
from truegauge.core.deviations.deviation_map import COARSE, map_mesh
from truegauge.demo.faces import face_of_kind, plane_at


def areas(vertices, triangles):
    a, b, c = (vertices[triangles[:, k]] for k in range(3))
    return 0.5 * np.linalg.norm(np.cross(b - a, c - a), axis=1)


CUBE = np.array([[x, y, z] for x in (0, 1) for y in (0, 1) for z in (0, 1)], dtype=float)
CUBE_TRIANGLES = np.array(
    [[0, 1, 3], [0, 3, 2], [4, 6, 7], [4, 7, 5], [0, 4, 5], [0, 5, 1],
     [2, 3, 7], [2, 7, 6], [0, 2, 6], [0, 6, 4], [1, 5, 7], [1, 7, 3]]
)  # fmt: skip


def test_splitting_keeps_the_surface_and_leaves_no_cracks():
    vertices, triangles, origin = subdivided(CUBE, CUBE_TRIANGLES, 0.3)
    assert areas(vertices, triangles).sum() == pytest.approx(6.0)
    sides = np.linalg.norm(vertices[triangles] - vertices[np.roll(triangles, -1, axis=1)], axis=2)
    assert sides.max() <= 0.3
    assert not border_edges(triangles).any()
    assert np.bincount(origin).min() > 1


def test_interpolated_columns_follow_the_vertices():
    vertices, _, _ = subdivided(np.hstack([CUBE, 2 * CUBE[:, :1] + 1]), CUBE_TRIANGLES, 0.4)
    assert_allclose(vertices[:, 3], 2 * vertices[:, 0] + 1, atol=1e-12)


def test_a_plane_with_holes_is_meshed_evenly_and_faces_outwards(model):
    face = plane_at(model, (0, 0, -1), 0)  # with the main bore, four holes, the slot
    vertices, triangles = even_plane_mesh(model, face, 2.0)
    assert areas(vertices, triangles).sum() == pytest.approx(model.faces[face].area, rel=2e-3)
    assert_allclose(vertices[:, 2], 0, atol=1e-9)
    a, b, c = (vertices[triangles[:, k]] for k in range(3))
    assert (np.cross(b - a, c - a)[:, 2] < 0).all()
    inside_bore = np.hypot(*(vertices[triangles].mean(axis=1)[:, :2] - [58, 45]).T) < 20.9
    assert not inside_bore.any()


def test_the_map_mesh_covers_the_part(model):
    mesh = map_mesh(model, COARSE)
    total = sum(f.area for f in model.faces)
    assert areas(mesh.vertices, mesh.triangles).sum() == pytest.approx(total, rel=0.01)
    assert_allclose(np.linalg.norm(mesh.normals, axis=1), 1, atol=1e-9)


def test_pseudo_normals_of_a_cube_point_outwards():
    around = surroundings(CUBE, CUBE_TRIANGLES, 1e-6)
    corner = around.corner
    out = CUBE[CUBE_TRIANGLES] - 0.5
    assert (np.einsum("mki,mki->mk", corner, out) > 0).all()
    unit = corner / np.linalg.norm(corner, axis=2, keepdims=True)
    assert_allclose(unit, out / np.linalg.norm(out, axis=2, keepdims=True), atol=1e-12)


def test_a_ray_hits_the_nearest_side_of_a_cube():
    tree = build_bvh(CUBE, CUBE_TRIANGLES)
    none = np.zeros(12, dtype=bool)
    hit, along = first_hit(tree, np.array([0.3, 0.4, 5.0]), np.array([0.0, 0.0, -1.0]), none)
    assert along == pytest.approx(4.0)
    assert CUBE[CUBE_TRIANGLES[hit]][:, 2].min() == 1
    miss, _ = first_hit(tree, np.array([1.3, 0.4, 5.0]), np.array([0.0, 0.0, -1.0]), none)
    assert miss == -1


def test_bspline_derivatives_agree_with_differences(model):
    spline = model.faces[face_of_kind(model, SurfaceKind.BSPLINE)].surface.bspline
    low = np.array([spline.knots_u[0], spline.knots_v[0]])
    high = np.array([spline.knots_u[-1], spline.knots_v[-1]])
    rng = np.random.default_rng(0)
    uv = low + (0.05 + 0.9 * rng.random((40, 2))) * (high - low)
    h = 1e-5 * (high - low)
    here = evaluate_many(spline, uv)
    plus_u, minus_u = (evaluate_many(spline, uv + s * np.array([h[0], 0])) for s in (1, -1))
    plus_v, minus_v = (evaluate_many(spline, uv + s * np.array([0, h[1]])) for s in (1, -1))
    for got, ahead, behind, step, source in (
        (1, plus_u, minus_u, h[0], 0), (2, plus_v, minus_v, h[1], 0), (3, plus_u, minus_u, h[0], 1),
        (4, plus_v, minus_v, h[1], 1), (5, plus_v, minus_v, h[1], 2),
    ):  # fmt: skip
        expected = (ahead[:, source] - behind[:, source]) / (2 * step)
        assert_allclose(here[:, got], expected, rtol=1e-4, atol=1e-4 * np.abs(expected).max())
