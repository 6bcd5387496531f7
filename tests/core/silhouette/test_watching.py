"""A series under the stand-in camera: each part put down is told once, whatever moves; dirt and focus are noticed."""

import numpy as np
import pytest
from shadow_parts import LOOKS, disc

from truegauge.core.silhouette.lens import Lens
from truegauge.core.silhouette.looking import Looks, Place
from truegauge.core.silhouette.watching import Watch
from truegauge.demo.shaft import made, outline
from truegauge.devices.camera_sim.shadow import Camera

SHAPE = (700, 900)
LENS = Lens.of_pixel_size(0.045, SHAPE, blur=1.2)


@pytest.fixture
def camera():
    return Camera(LENS, shape=SHAPE)


def lying(k, x=0.0, y=0.0, turn=0.0):
    return Place(np.array([-15.7 + x, y]), turn).picture_from_part(outline(made(k)))


def test_every_part_that_is_put_down_is_told_once(camera):
    watch, told = Watch(), []
    empty = camera.picture([])
    for k in range(4):
        for step in range(3):  # a hand brings it
            told.append(watch.follow(camera.picture([lying(k, -3.0 + step, 3.0 - step, 0.1 * step)])))
        for _ in range(6):
            told.append(watch.follow(camera.picture([lying(k, 0.5 * k, 0.2, 0.05)])))
        told.append(watch.follow(empty))
    assert told.count("put down") == 4
    assert told.count("lying") == 4 * 2
    assert told.count("nothing") == 4
    assert watch.words == "there is no part in the picture"
    for k in range(4):
        own = told[10 * k : 10 * k + 10]
        assert own[:6] == ["moving"] * 6
        assert own[6] == "put down"


def test_one_that_is_turned_where_it_lies_is_told_again(camera):
    watch = Watch()
    told = [watch.follow(camera.picture([lying(1, turn=turn)])) for turn in (0.0,) * 5 + (0.3,) * 5]
    assert told.count("put down") == 2


def test_what_is_no_part_is_said_and_not_told(camera):
    watch = Watch()
    two, cut = [disc([0, 0], 3.0), disc([9.0, 0.0], 3.0)], [disc([20.0, 0], 3.0)]
    for outlines, words in ((two, "2 parts"), (cut, "border")):
        told = {watch.follow(camera.picture(outlines)) for _ in range(6)}
        assert told == {"nothing"}
        assert words in watch.words


def test_dirt_on_the_glass_is_told_from_dust_that_moves(camera):
    watch, rng = Watch(), np.random.default_rng(1)
    camera.dirt = (disc([120.0, 600.0], 9.0),)
    for k in range(6):
        dust = disc(rng.uniform([-12, 8], [12, 13]), 0.4)
        for _ in range(5):
            watch.follow(camera.picture([lying(k, 0.3 * k), dust]))
        if k == 1:
            assert watch.dirt == []
        watch.follow(camera.picture([]))
    assert len(watch.dirt) == 1
    assert watch.dirt[0] == pytest.approx([120.0, 600.0], abs=8.0)


def test_out_of_focus_edges_are_seen_to_be(camera):
    looks = Looks([LOOKS[n] for n in ("seat above", "seat below", "collar above")], LENS.pixel)
    place = Place(np.array([-15.7, 0.0]), 0.0)
    sharp, soft = (camera.picture([lying(0)], sharp=k) for k in (1.0, 2.5))
    assert looks.blur(sharp, LENS, place) == pytest.approx(1.2, abs=0.05)
    assert looks.blur(soft, LENS, place) == pytest.approx(3.0, abs=0.3)
