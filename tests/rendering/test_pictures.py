"""Pictures: colours at places where it is known what must be there."""

import numpy as np
import pytest

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.nodes.graph import NotComputed
from truegauge.palette import bands
from truegauge.rendering.camera import STANDARD_VIEWS, standard_camera
from truegauge.rendering.scene import Palette, Scene

WIDTH, HEIGHT = 480, 360


@pytest.fixture
def scene(model):
    made = Scene(Palette(background=(255, 255, 255)))
    made.set_model(model)
    yield made
    made.close()


def color_at(picture, camera, point):
    x, y, _ = camera.project(np.asarray(point, float), WIDTH / HEIGHT)[0]
    return picture[round(y * HEIGHT), round(x * WIDTH), :3].astype(int)


@pytest.mark.parametrize("view", STANDARD_VIEWS)
def test_every_standard_view_shows_the_whole_part(scene, model, view):
    picture = scene.render(standard_camera(view, model.box, WIDTH / HEIGHT), WIDTH, HEIGHT)
    drawn = (picture[:, :, :3] < 250).any(axis=2)
    assert 0.15 < drawn.mean() < 0.95
    assert not drawn[0].any()
    assert not drawn[:, 0].any()


def test_the_map_has_the_colour_of_the_deviation(scene, model, evaluator, plan, sample, evaluation):
    found = evaluator.deviation_map(plan, sample)
    assert not isinstance(found, NotComputed)
    camera = standard_camera("back", model.box, WIDTH / HEIGHT)
    scene.set_map(found, DeviationScale())
    picture = scene.render(camera, WIDTH, HEIGHT)
    red = color_at(picture, camera, (84.0, 83.0, 30.0))  # 4 mm beside the top of the bump: 0.12 mm
    flat = color_at(picture, camera, (40.0, 83.0, 40.0))
    assert red[0] > red[2] + 60
    assert np.ptp(flat) < 40
    assert len(bands(0.1, 0.05).colors) == 11


def test_marked_faces_change_colour(scene, model, evaluator):
    camera = standard_camera("top", model.box, WIDTH / HEIGHT)
    before = color_at(scene.render(camera, WIDTH, HEIGHT), camera, (100.0, 15.0, 48.0))
    face = evaluator.projector.pick(np.array([100.0, 15.0, 500.0]), np.array([0.0, 0.0, -1.0]))
    scene.set_faces("selected", (face,))
    after = color_at(scene.render(camera, WIDTH, HEIGHT), camera, (100.0, 15.0, 48.0))
    assert after[0] - after[2] > before[0] - before[2] + 40
    scene.set_faces("selected", ())
    again = color_at(scene.render(camera, WIDTH, HEIGHT), camera, (100.0, 15.0, 48.0))
    assert np.abs(again - before).max() <= 2


def test_rays_and_projection_are_inverse(model):
    camera = standard_camera("corner", model.box, 1.5).orbited(0.1, 0.07, np.zeros(3)).zoomed(2.0, 0.3, 0.6, 1.5)
    origin, direction = camera.ray(0.3, 0.6, 1.5, 500.0)
    x, y, _ = camera.project(origin + 123.0 * direction, 1.5)[0]
    assert (x, y) == pytest.approx((0.3, 0.6), abs=1e-12)


def test_zooming_keeps_the_place_under_the_pointer(model):
    camera = standard_camera("front", model.box, 1.5)
    before, _ = camera.ray(0.2, 0.8, 1.5, 0.0)
    after, _ = camera.zoomed(3.0, 0.2, 0.8, 1.5).ray(0.2, 0.8, 1.5, 0.0)
    assert before == pytest.approx(after, abs=1e-9)


def test_turning_keeps_the_pivot_in_its_place_and_the_camera_straight(model):
    pivot = np.array([10.0, 20.0, 30.0])
    camera = standard_camera("corner", model.box, 1.5)
    turned = camera.orbited(0.2, -0.1, pivot)
    assert camera.project(pivot, 1.5)[0, :2] == pytest.approx(turned.project(pivot, 1.5)[0, :2], abs=1e-9)
    assert turned.up @ turned.back == pytest.approx(0, abs=1e-12)
