"""Few places have the outline of the whole part, from wherever it is seen."""

import numpy as np

from truegauge.drawing.silhouette import silhouette_of
from truegauge.rendering.camera import standard_camera
from truegauge.rendering.outline import _outermost, outermost_places


def test_the_outline_of_few_places_is_that_of_all(model, rng):
    few = outermost_places(model)
    assert len(few) < 700
    camera = standard_camera("corner", model.box, 1.0)
    for _ in range(60):
        camera = camera.orbited(*rng.uniform(-1, 1, 2), model.box.mean(axis=0))
        whole = silhouette_of(camera.project(model.mesh.vertices, 1.0)[:, :2] * 700).reach
        ours = silhouette_of(camera.project(few, 1.0)[:, :2] * 700).reach
        assert (whole >= ours - 1e-9).all()
        assert (whole - ours).max() < 3.0  # pixels of a picture of 700: tags keep 5 away


def test_what_is_hidden_has_no_outline(model):
    faces = frozenset(f.index for f in model.faces)
    assert len(outermost_places(model, faces)) == 0
    top = model.box[1, 2]
    high = frozenset(f.index for f in model.faces if f.box[1][2] > top - 1)
    assert outermost_places(model, high)[:, 2].max() < outermost_places(model)[:, 2].max()


def test_the_tips_of_a_large_mesh_are_not_lost(rng):
    points = rng.normal(0, 1, (300_000, 3))
    points /= np.linalg.norm(points, axis=1)[:, None]
    points[123_457] = (9.0, 0.1, 0.0)  # a pin
    found = _outermost(points)
    assert len(found) < 700
    assert found[:, 0].max() == 9.0
