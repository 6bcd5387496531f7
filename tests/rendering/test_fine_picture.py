import numpy as np
import pytest

from truegauge.rendering import fine_picture
from truegauge.rendering.camera import standard_camera
from truegauge.rendering.fine_picture import FinePicture, Pace
from truegauge.rendering.scene import Palette, Scene


class _Clock:
    def __init__(self):
        self.now = 0.0

    def perf_counter(self):
        return self.now


class _Scene:
    """Each band costs 8 ms, and each of its rows between 300 and 400 another millisecond; rows carry their number."""

    def __init__(self, clock):
        self.clock, self.bands = clock, []

    def prepare(self, camera, aspect):
        pass

    def render_band(self, camera, width, height, top, rows):
        numbers = np.arange(top, top + rows)
        spent = 0.008 + 0.001 * np.count_nonzero((numbers >= 300) & (numbers < 400))
        self.clock.now += spent
        self.bands.append((top, rows, spent))
        return np.repeat(numbers[:, None, None] % 251, width, axis=1).astype(np.uint8).repeat(4, axis=2)


def _finished(scene, pace, height):
    picture = FinePicture(scene, None, 3, height, pace)
    while not picture.done:
        picture.step()
    return picture.pixels


@pytest.mark.parametrize("height", [16, 24, 100, 700])
def test_bands_together_are_the_whole_picture_whatever_its_height(monkeypatch, height):
    clock = _Clock()
    monkeypatch.setattr(fine_picture, "time", clock)
    scene, pace = _Scene(clock), Pace()
    for _ in range(3):
        assert np.array_equal(_finished(scene, pace, height)[:, 0, 0], np.arange(height) % 251)


def test_bands_are_low_only_where_their_rows_cost_much(monkeypatch):
    clock = _Clock()
    monkeypatch.setattr(fine_picture, "time", clock)
    scene, pace = _Scene(clock), Pace()
    _finished(scene, pace, 700)
    scene.bands.clear()
    _finished(scene, pace, 700)
    assert max(spent for _, _, spent in scene.bands) <= 0.032
    assert {rows for top, rows, _ in scene.bands if top + rows <= 270 or top >= 430} == {96}


def test_the_rendered_bands_are_what_is_rendered_at_once(model):
    scene = Scene(Palette(background=(255, 255, 255)))
    scene.set_model(model)
    camera = standard_camera("corner", model.box, 200 / 150)
    whole = scene.render(camera, 200, 150).astype(int)
    picture = FinePicture(scene, camera, 200, 150, Pace())
    while not picture.done:
        picture.step()
    scene.close()
    assert (whole[..., :3] < 200).any(axis=2).mean() > 0.1
    assert (np.abs(picture.pixels.astype(int) - whole).max(axis=2) > 24).mean() < 0.01
