"""The stand-ins for a scanner and a tracker: what they say of the true part, and within what they state."""

import time

import numpy as np
import pytest

from truegauge import demo
from truegauge.core.frames import apply, invert, rotate
from truegauge.demo.portable import bench_of
from truegauge.devices.arm_sim.settings import ArmSettings
from truegauge.devices.live.device import LiveDevice
from truegauge.devices.protocol import PointBlock
from truegauge.devices.scanner_sim.optics import DARK, MATT, SHINY
from truegauge.devices.scanner_sim.settings import ScannerSettings
from truegauge.devices.scanner_sim.sweep import Stroke, sides, strokes
from truegauge.devices.tracker_sim.tracker import SETTINGS, BeamError


@pytest.fixture
def bench(model, evaluator):
    made = bench_of(model, evaluator.projector, demo.PART.read_bytes(), 5)
    yield made
    made.close()


def blocks_of(line, count):
    found, end = [], time.monotonic() + 120
    while len(found) < count and time.monotonic() < end:
        found += [e for e in line.events() if isinstance(e, PointBlock)]
        time.sleep(0.005)
    return found


def test_points_lie_on_the_true_part_within_noise(bench, model):
    """The errors of the arm taken off, the distance to the part as it was made is noise along the beam."""
    settings = ScannerSettings(line_points=120, lines_per_s=60.0, stray_share=0.0)
    scanner = bench.scanner(settings)
    part, pose, worst, count, offs = bench.part(), scanner.device_from_part, 0.0, 0, []
    for stroke in strokes(model.box, sides()[:3], settings.width):
        for at, stem, (places, beams, light) in scanner.along(stroke):
            if not len(places):
                continue
            true = places - scanner._error.at(at[None] - scanner._error.at(at[None]))
            off = part.near(apply(invert(pose), true))
            worst, count = max(worst, float(np.abs(off).max())), count + len(places)
            offs.append(off)
            assert np.allclose(np.linalg.norm(beams, axis=1), 1, atol=1e-6)
            away = at - places
            distance = np.linalg.norm(away, axis=1)
            assert np.einsum("ij,ij->i", away / distance[:, None], beams).min() > 0.97
            assert settings.standoff - settings.depth - 8 < distance.min()
            assert distance.max() < 175
            assert light.min() >= 0
            assert abs(stem @ stem - 1) < 1e-9
    assert count > 5000
    assert settings.noise < worst < 20 * settings.noise
    assert 0.3 * settings.noise < np.median(np.abs(np.concatenate(offs))) < 1.2 * settings.noise


def test_shiny_and_dark_and_steep_surfaces_are_seen_worse(bench):
    optics = bench.scanner().optics
    angles = np.zeros(4000)
    light, noise, lost = zip(*(optics._returned(angles, np.full(4000, f)) for f in (MATT, SHINY, DARK)), strict=True)
    assert light[SHINY].max() == 255
    assert light[DARK].max() < 20 < light[MATT].max() < 200
    assert noise[SHINY][0] > 3 * noise[MATT][0]
    assert lost[SHINY][0] > 0.2
    assert lost[MATT][0] == 0
    steep = optics._returned(np.radians([10.0, 50.0, 70.0, 83.0]), np.zeros(4, dtype=int))
    assert (np.diff(steep[1]) > 0).all()
    assert steep[2].tolist() == sorted(steep[2])
    assert steep[2][-1] > 0.9


def test_strokes_cover_the_box_from_each_side():
    box = np.array([[0.0, 0.0, 0.0], [300.0, 120.0, 40.0]])
    found = strokes(box, sides()[:1], 90.0)
    assert all(isinstance(s, Stroke) and s.away.tolist() == [0, 0, 1] for s in found)
    y = sorted(float(s.start[1]) for s in found)
    assert len(found) == 2
    assert y[0] - 45 <= 0
    assert y[-1] + 45 >= 120
    assert y[1] - y[0] < 90
    assert {float(np.sign(s.end[0] - s.start[0])) for s in found} == {1.0, -1.0}
    assert len(strokes(box, sides(from_below=True), 90.0)) > len(strokes(box, sides(), 90.0)) > 9


def test_a_sweep_comes_over_the_line_once_and_in_the_coordinates_of_the_arm(bench):
    scanner = bench.scanner(ScannerSettings(line_points=40, lines_per_s=30.0))
    line = LiveDevice("127.0.0.1", scanner.port)
    line.connect()
    assert line.identity == bench.arm().about(5).identity
    assert line.kind == "scanner"
    assert (line.limits.near, line.limits.far, line.limits.lines_per_s) == (70.0, 150.0, 30.0)
    scanner.start_sweep()
    blocks = blocks_of(line, 12)
    scanner.stop_sweep()
    assert not scanner.is_sweeping
    assert len(blocks) >= 12
    assert all(len(b.beams) == len(b.intensities) == len(b) and b.radius == 0 for b in blocks)
    assert np.all(np.diff([b.time for b in blocks]) >= 0)
    line.close()


def test_a_scanner_goes_with_the_arm_that_is_moved(bench):
    scanner, arm = bench.scanner(), bench.arm()
    motion = np.eye(4)
    motion[:3, 3] = (5.0, -3.0, 0.0)
    before = scanner.device_from_part
    arm.world.stand_elsewhere(motion)
    assert np.array_equal(scanner.device_from_part, motion @ before)


def test_lengths_of_the_tracker_are_wrong_by_less_than_is_stated():
    """By definition: any two places before it, near and far, over many trackers."""
    worst = 0.0
    for seed in range(40):
        rng = np.random.default_rng(seed)
        error = BeamError(SETTINGS, rng)
        a, b = rng.uniform(-1, 1, (2, 400, 3)) * (2500, 2500, 800)
        b[:200] = a[:200] + rng.normal(0, 100.0, (200, 3))
        far = np.minimum(np.linalg.norm(a, axis=1), np.linalg.norm(b, axis=1)) > 700
        off = np.linalg.norm(b + error.at(b) - a - error.at(a), axis=1) - np.linalg.norm(b - a, axis=1)
        stated = SETTINGS.constant + np.linalg.norm(b - a, axis=1) / 1000 * SETTINGS.per_metre
        worst = max(worst, float((np.abs(off) / stated)[far].max()))
    assert 0.2 < worst < 1.0


def test_the_tracker_touches_the_true_part_with_its_reflector(bench):
    tracker = bench.tracker()
    line = LiveDevice("127.0.0.1", tracker.port)
    line.connect()
    assert line.kind == "tracker"
    assert line.radius == SETTINGS.radius
    for x in (20.0, 60.0, 100.0):
        tracker.touch(np.array([x, 0.0, 20.0]), np.array([0.0, -1.0, 0.0]))
    touches = blocks_of(line, 3)
    assert len(touches) == 3
    for block in touches:
        true = block.places - tracker.world.error.at(block.places)
        assert tracker.world.part.distances(true)[0] == pytest.approx(SETTINGS.radius, abs=6 * SETTINGS.noise)
        assert np.linalg.norm(block.places[0]) > 1000
    line.close()


def test_a_tip_in_a_seat_is_where_the_seat_is_from_every_side(bench):
    arm = bench.arm(ArmSettings())
    line = LiveDevice("127.0.0.1", arm.port)
    line.connect()
    assert arm.seat(99) is None
    for k in (0, 1, 2, 3, 0):
        assert arm.seat(k) is not None
    places = np.vstack([b.places for b in blocks_of(line, 5)])
    true = apply(arm.world.device_from_part, arm.world.seats[[0, 1, 2, 3, 0]])
    off = places - arm.world.error.at(places) - true
    assert np.abs(off).max() < 6 * arm.settings.noise
    assert rotate(np.eye(4), off).any()  # noise, not the truth itself
    line.close()
