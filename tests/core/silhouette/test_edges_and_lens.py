"""Edges to a fiftieth of a pixel, whatever way they run; lenses there and back; what a lens makes of round edges."""

import numpy as np
import pytest
from PIL import Image, ImageDraw
from scipy.ndimage import gaussian_filter
from shadow_parts import TRUE, disc

from truegauge.core.errors import GeometryError
from truegauge.core.silhouette.edges import blur_of, edges_along
from truegauge.core.silhouette.fitting import round_edge
from truegauge.core.silhouette.lens import Lens
from truegauge.core.silhouette.rounding import true_radius
from truegauge.devices.camera_sim.shadow import Camera, Light

SHAPE = (500, 600)


def lens_of(blur):
    return Lens.of_pixel_size(0.02, SHAPE, blur=blur)


def rays(lens, starts, ways):
    first = lens.pixels(starts)
    way = lens.pixels(starts + 0.1 * ways) - first
    return first, way / np.linalg.norm(way, axis=1)[:, None]


@pytest.mark.parametrize("blur", [0.8, 1.2, 2.0])
def test_straight_edges_are_found_without_bias_at_any_angle(blur):
    lens, rng = lens_of(blur), np.random.default_rng(1)
    camera = Camera(lens, shape=SHAPE)
    means, scatter = [], []
    for _ in range(12):
        a = rng.uniform(0.0, 2 * np.pi)
        turn = np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
        shift = rng.uniform(-0.02, 0.02, 2)
        picture = camera.picture([np.array([[-3, -2], [3, -2], [3, 2], [-3, 2]]) @ turn.T + shift])
        x = np.linspace(-2.5, 2.5, 200)
        starts = np.column_stack([x, np.full(200, 2.3)]) @ turn.T + shift
        first, way = rays(lens, starts, np.tile([0.0, -1.0] @ turn.T, (200, 1)))
        found = edges_along(picture, first, way, 30.0, blur, turn="to dark")
        off = (((lens.mm(found.places) - shift) @ turn)[:, 1] - 2.0) / 0.02
        assert np.isfinite(off).all()
        assert not np.isfinite(edges_along(picture, first, way, 30.0, blur, turn="to light").along).any()
        means.append(off.mean())
        scatter.append(off.std())
    assert abs(np.mean(means)) < 0.004
    assert np.abs(means).max() < 0.02
    assert np.mean(scatter) < 0.04


@pytest.mark.parametrize("radius", [8.0, 20.0, 60.0, 200.0])
@pytest.mark.parametrize("hole", [False, True])
def test_round_edges_have_their_own_radius(radius, hole):
    lens, rng, seen = lens_of(1.2), np.random.default_rng(2), []
    camera = Camera(lens, shape=SHAPE)
    for _ in range(4):
        center = rng.uniform(-0.02, 0.02, 2)
        own = disc(center, 0.02 * radius)
        plate = np.array([[-5.5, -4.5], [5.5, -4.5], [5.5, 4.5], [-5.5, 4.5]])
        picture = camera.picture([plate, own[::-1]] if hole else [own])
        t = np.linspace(0.0, 2 * np.pi, 180, endpoint=False)
        out = np.column_stack([np.cos(t), np.sin(t)])
        first, way = rays(lens, center + 0.02 * max(0.0, radius - 14.0) * out, out)
        found = edges_along(picture, first, way, min(28.0, radius + 14.0), 1.2, turn="to dark" if hole else "to light")
        seen.append(np.nanmean(np.linalg.norm(lens.mm(found.places) - center, axis=1)))
    shrunk = np.mean(seen) / 0.02 - radius
    assert shrunk < -0.5 / radius  # a lens draws it nearer to its centre
    assert true_radius(float(np.mean(seen)), 1.2, 0.02) / 0.02 == pytest.approx(radius, abs=0.02)


@pytest.mark.parametrize("turn", [0.0, 0.3, 0.8])
def test_pictures_that_another_library_draws_are_measured_alike(turn):
    """Polygons by Pillow, sixteen times finer, made smaller by means, blurred by SciPy: width and radius."""
    fine, rng = 16, np.random.default_rng(7)
    high, wide = 200, 240
    lens = Lens.of_pixel_size(0.02, (high, wide), blur=1.1)
    c, s = np.cos(turn), np.sin(turn)
    bar = np.array([[-1.5, -0.6131], [1.5, -0.6131], [1.5, 0.6131], [-1.5, 0.6131]]) @ np.array([[c, s], [-s, c]])

    def drawn(outline):
        drawing = Image.new("L", (wide * fine, high * fine), 220)
        # The middle of a pixel is a whole number here, and half a one there.
        ImageDraw.Draw(drawing).polygon([tuple((p + 0.5) * fine - 0.5) for p in lens.pixels(outline)], fill=12)
        means = np.asarray(drawing, dtype=float).reshape(high, fine, wide, fine).mean(axis=(1, 3))
        grey = gaussian_filter(means, 1.1) + rng.normal(0.0, 1.5, means.shape)
        return np.clip(np.rint(grey), 0, 255).astype(np.uint8)

    picture, x = drawn(bar), np.linspace(-1.0, 1.0, 60)
    sides = []
    for sign in (1.0, -1.0):
        starts = np.column_stack([x, np.full(60, sign * 0.3)]) @ np.array([[c, s], [-s, c]])
        way = np.array([[0.0, sign]]) @ np.array([[c, s], [-s, c]])
        first, ways = rays(lens, starts, np.tile(way, (60, 1)))
        found = edges_along(picture, first, ways, 30.0, 1.1, turn="to light")
        sides.append(np.nanmean(lens.mm(found.places) @ way[0]))
    assert sum(sides) / 0.02 == pytest.approx(2 * 0.6131 / 0.02, abs=0.12)  # Pillow fills to a sixteenth of a pixel
    picture = drawn(disc([0.013, -0.007], 1.2))
    t = np.linspace(0.0, 2 * np.pi, 180, endpoint=False)
    out = np.column_stack([np.cos(t), np.sin(t)])
    first, ways = rays(lens, 0.9 * out, out)
    found = edges_along(picture, first, ways, 30.0, 1.1, turn="to light")
    edge = round_edge(lens.mm(found.places), 0.01)
    radius = true_radius(edge.radius, 1.1, 0.02)
    # All light that is missing, of whatever blur, is the area.
    missing = (220.0 - picture.astype(float)).sum() / 208.0
    assert radius / 0.02 == pytest.approx(np.sqrt(missing / np.pi), abs=0.02)
    assert edge.center == pytest.approx([0.013, -0.007], abs=0.002)


def test_the_first_edge_and_the_strongest_one():
    lens = lens_of(1.0)
    camera = Camera(lens, Light(noise=0.0, uneven=0.0), SHAPE)
    bar = np.array([[-1.0, -4.0], [1.0, -4.0], [1.0, 4.0], [-1.0, 4.0]])
    picture = camera.picture([bar]).astype(float)
    picture[:, :220] = 0.55 * picture[:, :220]  # there it is darker: a weak edge before the strong one
    picture = picture.astype(np.uint8)
    first, way = rays(lens, np.array([[-3.0, 0.0]]), np.array([[1.0, 0.0]]))
    strong = edges_along(picture, first, way, 220.0, 1.0)
    weak = edges_along(picture, first, way, 220.0, 1.0, chosen="first")
    assert lens.mm(strong.places)[0] == pytest.approx([-1.0, 0.0], abs=0.001)
    assert weak.places[0, 0] == pytest.approx(219.5, abs=0.6)
    assert weak.contrast[0] < strong.contrast[0]
    nothing = edges_along(picture, first, way, 220.0, 1.0, least=230.0)
    assert np.isnan(nothing.along[0])


def test_a_ray_that_leaves_the_picture_or_begins_outside_finds_what_is_inside():
    lens = lens_of(1.0)
    picture = Camera(lens, shape=SHAPE).picture([np.array([[-7.0, -1.0], [7.0, -1.0], [7.0, 1.0], [-7.0, 1.0]])])
    starts = np.array([[300.0, 180.0], [300.0, -5.0], [599.5, 200.0], [300.0, 100.0]])
    ways = np.array([[0.0, 1.0], [0.0, 1.0], [1.0, 0.0], [0.0, -1.0]])
    found = edges_along(picture, starts, ways, 400.0, 1.0)
    assert np.isfinite(found.along).tolist() == [True, False, False, False]


@pytest.mark.parametrize("blur", [0.7, 1.1, 1.9])
def test_how_blurred_a_picture_is_is_seen(blur):
    lens = lens_of(blur)
    camera = Camera(lens, shape=SHAPE)
    picture = camera.picture([disc([0.0, 0.0], 3.0)])
    t = np.linspace(0.0, 2 * np.pi, 100, endpoint=False)
    out = np.column_stack([np.cos(t), np.sin(t)])
    first, way = rays(lens, 2.7 * out, out)
    found = edges_along(picture, first, way, 30.0, 1.2)
    assert blur_of(picture, first, way, 30.0, found.along) == pytest.approx(blur, abs=0.03)
    twice = camera.picture([disc([0.0, 0.0], 3.0)], sharp=2.0)
    found = edges_along(twice, first, way, 30.0, 1.2)
    assert blur_of(twice, first, way, 30.0, found.along) == pytest.approx(2 * blur, abs=0.06)


def test_a_lens_there_and_back_and_what_is_beyond_it():
    rng = np.random.default_rng(4)
    pixels = rng.uniform([0, 0], [2447, 2047], (500, 2))
    for distortion in (0.0, 4e-9, -4e-9):
        lens = Lens(TRUE.center, TRUE.matrix, distortion)
        assert lens.pixels(lens.mm(pixels)) == pytest.approx(pixels, abs=1e-9)
    assert lens.mm(lens.center[None])[0] == pytest.approx([0.0, 0.0])
    assert TRUE.pixel == pytest.approx(np.sqrt(0.016 * 0.01602))
    assert TRUE.aslant == pytest.approx(np.arctan2(1e-5, 0.01602), rel=1e-6)
    with pytest.raises(GeometryError, match="not known"):
        lens.pixels(np.array([[500.0, 0.0]]))
