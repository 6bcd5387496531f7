"""Lenses found from a plate with dots and from pins, against what they are."""

import numpy as np
import pytest

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.calibrating import Pin, Plate, calibrated_by_pins, calibrated_by_plate
from truegauge.core.silhouette.lens import Lens
from truegauge.devices.camera_sim.plates import pin_outline, plate_outlines
from truegauge.devices.camera_sim.shadow import Camera

SHAPE = (1024, 1224)


def some_lens(seed):
    rng = np.random.default_rng(seed)
    size = rng.uniform(0.008, 0.03)
    matrix = np.array([[size * (1 + rng.uniform(-2e-3, 2e-3)), size * rng.uniform(-1e-3, 1e-3)], [0.0, -size]])
    return Lens(np.array([611.5, 511.5]), matrix, rng.uniform(-1e-8, 1e-8), rng.uniform(0.8, 1.8))


def off_by(found, true):
    """How far, px, places all over the picture are put elsewhere, at most."""
    grid = np.stack(np.meshgrid(np.linspace(0, 1223, 15), np.linspace(0, 1023, 15)), -1).reshape(-1, 2)
    return float(np.abs(found.mm(grid) - true.mm(grid)).max() / true.pixel)


@pytest.mark.parametrize("seed", range(4))
def test_a_plate_tells_all_of_a_lens(seed):
    true, rng = some_lens(seed), np.random.default_rng(seed)
    pitch = 60 * true.pixel
    outlines = plate_outlines(pitch, pitch / 2, turn=rng.uniform(-0.15, 0.15), reach=800 * true.pixel)
    found = calibrated_by_plate(Camera(true, shape=SHAPE, seed=seed).picture(outlines), Plate(pitch, pitch / 2, 0.0))
    assert off_by(found.lens, true) < 0.02
    assert abs(found.lens.pixel / true.pixel - 1.0) < 3 * found.scale_u < 1e-4
    assert found.lens.blur == pytest.approx(true.blur, abs=0.03)
    assert found.left < 0.02
    uncertain = calibrated_by_plate(
        Camera(true, shape=SHAPE, seed=seed).picture(outlines), Plate(pitch, pitch / 2, 1e-3)
    )
    assert uncertain.scale_u == pytest.approx(1e-3 / pitch, rel=0.1)


@pytest.mark.parametrize("seed", range(3))
def test_pins_tell_all_of_a_lens_when_they_lie_anyhow(seed):
    true, rng = some_lens(seed), np.random.default_rng(seed)
    camera, pictures = Camera(true, shape=SHAPE, seed=seed), []
    for k in range(8):
        pin = Pin(rng.uniform(80, 300) * true.pixel, 1e-6)
        middle = rng.uniform(-250, 250, 2) * true.pixel
        outline = pin_outline(pin.diameter, k * np.pi / 4 + rng.uniform(-0.2, 0.2), middle, 1100 * true.pixel)
        pictures.append((camera.picture([outline]), pin))
    found = calibrated_by_pins(pictures)
    assert found.notes == ()
    assert off_by(found.lens, true) < 0.3
    assert abs(found.lens.pixel / true.pixel - 1.0) < 1e-4
    alone = calibrated_by_pins(pictures[:1])
    assert "across each other" in alone.notes[0]
    assert "distortion" in alone.notes[1]
    assert alone.lens.pixel == pytest.approx(true.pixel, rel=4e-3)


def test_a_check_on_a_pin_shows_what_the_scale_is_off_by():
    true = Lens.of_pixel_size(0.016, SHAPE, blur=1.2)
    outline = pin_outline(4.0, 0.3, np.zeros(2), 17.0)
    picture = Camera(true, shape=SHAPE).picture([outline])
    found = calibrated_by_pins([(picture, Pin(4.0, 4e-4))])
    assert found.lens.pixel == pytest.approx(0.016, rel=2e-5)
    wrong = calibrated_by_pins([(picture, Pin(4.004, 4e-4))])
    assert wrong.lens.pixel == pytest.approx(0.016 * 1.001, rel=2e-5)
    assert found.scale_u == pytest.approx(1e-4, rel=0.2)  # what the pin is known to


def test_another_plate_is_noticed():
    """Its dots have another width for their distance."""
    true = Lens.of_pixel_size(0.02, SHAPE)
    picture = Camera(true, shape=SHAPE).picture(plate_outlines(1.2, 0.6, turn=0.1, reach=14.0))
    assert calibrated_by_plate(picture, Plate(1.2, 0.6)).lens.pixel == pytest.approx(0.02, rel=1e-4)
    with pytest.raises(EvaluationError, match="is it another plate"):
        calibrated_by_plate(picture, Plate(1.0, 0.6))


def test_what_is_no_plate_and_no_pin_is_said():
    true = Lens.of_pixel_size(0.02, SHAPE)
    camera = Camera(true, shape=SHAPE)
    empty = camera.picture([])
    with pytest.raises(EvaluationError, match="0 dots"):
        calibrated_by_plate(empty, Plate(1.0, 0.5))
    with pytest.raises(EvaluationError, match="no pin in picture 1"):
        calibrated_by_pins([(empty, Pin(1.0))])
    with pytest.raises(EvaluationError, match="no picture"):
        calibrated_by_pins([])
    rng = np.random.default_rng(1)
    moved = [own + rng.uniform(-0.35, 0.35, 2) for own in plate_outlines(1.6, 0.6, turn=0.0, reach=9.0)]
    with pytest.raises(EvaluationError, match="no square grid"):
        calibrated_by_plate(camera.picture(moved), Plate(1.6, 0.6))


@pytest.mark.parametrize("seed", range(3))
def test_a_distortion_whose_middle_is_elsewhere_is_found_too(seed):
    rng = np.random.default_rng([seed, 12])
    plain = some_lens(seed)
    true = Lens(plain.center + rng.uniform(-15, 15, 2), plain.matrix, 8e-9, plain.blur)
    pitch = 60 * true.pixel
    outlines = plate_outlines(pitch, pitch / 2, turn=0.1, reach=800 * true.pixel)
    found = calibrated_by_plate(Camera(true, shape=SHAPE, seed=seed).picture(outlines), Plate(pitch, pitch / 2, 0.0))
    x, y = np.meshgrid(np.linspace(20, SHAPE[1] - 20, 9), np.linspace(20, SHAPE[0] - 20, 9))
    places = np.column_stack([x.ravel(), y.ravel()])
    apart = found.lens.mm(places) - true.mm(places)
    # Where mm begin does not matter: nothing is measured from there.
    assert np.abs(apart - apart.mean(axis=0)).max() / true.pixel < 0.03
    middle = np.array([[(SHAPE[1] - 1) / 2, (SHAPE[0] - 1) / 2]])
    assert found.lens.mm(middle) == pytest.approx(np.zeros((1, 2)), abs=1e-9)
    assert found.lens.pixels(found.lens.mm(places)) == pytest.approx(places, abs=1e-6)
