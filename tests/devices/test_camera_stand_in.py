"""Pictures of the stand-in camera: as dark as what is covered, whatever the outline; light, noise, dirt, holes."""

import numpy as np
import pytest

from truegauge.core.silhouette.lens import Lens
from truegauge.devices.camera_sim.shadow import Camera, Light, add_cover

SHAPE = (120, 160)
PLAIN = Light(bright=200.0, dark=0.0, noise=0.0, uneven=0.0)


def covered(outline):
    cover = np.zeros((SHAPE[0], SHAPE[1] + 1), dtype=np.float32)
    add_cover(cover, np.ascontiguousarray(outline))
    return np.abs(np.cumsum(cover[:, :-1], axis=1))


def test_cover_is_the_area_of_polygons_and_of_what_is_inside_the_picture():
    rng = np.random.default_rng(1)
    for _ in range(30):
        t = np.sort(rng.uniform(0, 2 * np.pi, 9))
        outline = np.array([80.0, 60.0]) + rng.uniform(5, 45, 9)[:, None] * np.column_stack([np.cos(t), np.sin(t)])
        x, y = outline.T
        area = abs(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y)) / 2
        assert covered(outline).sum() == pytest.approx(area, rel=1e-4)
    square = np.array([[-20.0, 10.0], [30.2, 10.0], [30.2, 300.0], [-20.0, 300.0]])
    made = covered(square)
    assert made[50, :30] == pytest.approx(1.0, abs=1e-5)
    assert made[50, 30] == pytest.approx(0.7, abs=1e-5)  # the pixel reaches from 29.5 to 30.5
    assert made[10, 5] == pytest.approx(0.5, abs=1e-5)
    assert np.abs(made[:9]).max() < 1e-5


def test_a_pixel_is_covered_as_counting_fine_places_says():
    rng = np.random.default_rng(2)
    outline = np.array([[20.3, 15.2], [130.7, 40.1], [100.2, 105.9], [45.5, 80.4]])
    made = covered(outline)
    for r, c in rng.integers([10, 15], [110, 135], (300, 2)):
        u, v = np.meshgrid((np.arange(60) + 0.5) / 60 - 0.5, (np.arange(60) + 0.5) / 60 - 0.5)
        inside = np.ones_like(u, dtype=bool)
        for a, b in zip(outline, np.roll(outline, -1, axis=0), strict=True):
            inside &= (b[0] - a[0]) * (r + v - a[1]) - (b[1] - a[1]) * (c + u - a[0]) > 0
        assert made[r, c] == pytest.approx(inside.mean(), abs=0.02)


def test_light_holes_dirt_and_noise():
    lens = Lens.of_pixel_size(0.1, SHAPE, blur=1.0)
    square = np.array([[-4.0, -4.0], [4.0, -4.0], [4.0, 4.0], [-4.0, 4.0]])
    camera = Camera(lens, PLAIN, SHAPE)
    plain = camera.picture([square, 0.5 * square[::-1]])
    assert plain[5, 5] == 200
    assert plain[60, 50] == 0  # between hole and border
    assert plain[60, 80] == 200  # in the hole
    assert camera.picture([square, square + 1.0])[60, 80] == 0  # two that overlap are one shadow
    camera.dirt = (np.array([[10.0, 10.0], [20.0, 10.0], [20.0, 20.0], [10.0, 20.0]]),)
    for dirt in (camera.dirt[0], camera.dirt[0][::-1]):
        camera.dirt = (dirt,)
        assert camera.picture([square])[15, 15] == 0
        assert camera.picture([square])[60, 80] == 0
    noisy = Camera(lens, Light(bright=150.0, dark=20.0, noise=3.0, uneven=0.0), SHAPE)
    first, second = noisy.picture([]).astype(float), noisy.picture([]).astype(float)
    assert first.mean() == pytest.approx(150.0, abs=0.3)
    assert first.std() == pytest.approx(3.0, abs=0.2)
    assert (first - second).std() == pytest.approx(3.0 * np.sqrt(2), abs=0.3)
    again = Camera(lens, Light(bright=150.0, dark=20.0, noise=3.0, uneven=0.0), SHAPE)
    assert np.array_equal(again.picture([]), first)
    uneven = Camera(lens, Light(bright=200.0, dark=0.0, noise=0.0, uneven=0.4), SHAPE).picture([])
    assert int(uneven[0, 0]) < int(uneven[60, 80]) - 30


def test_an_edge_is_blurred_as_the_lens_says():
    lens = Lens.of_pixel_size(0.1, SHAPE, blur=2.0)
    picture = Camera(lens, PLAIN, SHAPE).picture([np.array([[0.0, -99.0], [99.0, -99.0], [99.0, 99.0], [0.0, 99.0]])])
    from scipy.special import erf

    x = np.arange(SHAPE[1]) - lens.center[0]
    spread = np.sqrt(4.0 + 1.0 / 12.0)
    assert picture[60].astype(float) == pytest.approx(100 * (1 - erf(x / spread / np.sqrt(2))), abs=1.0)
