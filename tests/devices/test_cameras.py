"""Sources of pictures: the device protocol with its faults, files and folders, what OpenCV opens; an operator."""

import json
import subprocess
import sys
import time

import cv2
import numpy as np
import pytest

from truegauge.core.errors import DeviceError
from truegauge.core.silhouette.looking import Place
from truegauge.core.silhouette.measuring import Measurer
from truegauge.core.silhouette.watching import Watch
from truegauge.demo.shadow_camera import ShadowBench, run_camera
from truegauge.demo.shadow_plans import SHAFT, calibrated
from truegauge.devices.camera.files import PictureFiles
from truegauge.devices.camera.live import LiveCamera
from truegauge.devices.camera.opened import OpenedCamera
from truegauge.devices.gauge_sim.gauge import GaugeStandIn
from truegauge.devices.live.faults import LineFault
from truegauge.devices.live.wire import Frames, Picture, WireError, picture_frame
from truegauge.formats.pictures import png_of


def wait(for_what, most=30.0):
    end = time.monotonic() + most
    while time.monotonic() < end:
        found = for_what()
        if found:
            return found
        time.sleep(0.005)
    raise AssertionError("it did not come")


@pytest.fixture
def bench():
    made = ShadowBench(rate=20.0)
    yield made
    made.close()


@pytest.fixture
def camera(bench):
    made = LiveCamera("127.0.0.1", bench.port)
    made.connect()
    yield made
    made.close()


def test_a_picture_comes_over_the_line_as_it_was_taken():
    rng = np.random.default_rng(3)
    for shape in ((1, 1), (7, 13), (2048, 2448)):
        sent = Picture(4, 2.5, rng.integers(0, 256, shape, dtype=np.uint8))
        data, frames = picture_frame(sent), Frames()
        half = len(data) // 2
        assert frames.feed(data[:half]) == []
        (frame,) = frames.feed(data[half:])
        came = frame.picture()
        assert (came.number, came.time) == (4, 2.5)
        assert np.array_equal(came.pixels, sent.pixels)
    damaged = data[:500] + bytes([data[500] ^ 1]) + data[501:]
    with pytest.raises(WireError, match="damaged"):
        Frames().feed(damaged)


def test_parts_that_are_put_down_are_measured_over_the_line(bench, camera):
    own = SHAFT.plan().silhouette
    measure, watch = Measurer(own.recipe, calibrated().calibration), Watch()
    for number in (2, 9):
        bench.put(number)

        def put_down():
            taken = camera.take()
            return taken if taken is not None and watch.follow(taken.pixels) == "put down" else None

        taken = wait(put_down)
        found, true = measure.measure(taken.pixels), bench.truth[number]
        for size in own.sizes:
            reading = found.sizes[size.id]
            assert abs(reading.value - true[size.name]) < max(5 * reading.uncertainty, 0.0016), size.name
        bench.take_away()
        wait(lambda: (taken := camera.take()) is not None and watch.follow(taken.pixels) == "nothing")


@pytest.mark.parametrize("fault", ["cut", "garbage", "restart"])
def test_a_line_that_breaks_is_looked_for_again_and_pictures_go_on(fault):
    bench = ShadowBench(rate=20.0, faults=[LineFault(fault, 4)])
    camera, said = LiveCamera("127.0.0.1", bench.port), []
    camera.waiting = lambda: said.append(camera.state)
    try:
        camera.connect()
        wait(lambda: any(not state.is_open and "looked for again" in state.words for state in said))
        wait(lambda: camera.state.is_open)
        camera.take()
        after = wait(camera.take)
        assert after.pixels.shape == (2048, 2448)
    finally:
        camera.close()
        bench.close()


def test_only_the_newest_picture_waits(bench, camera):
    wait(camera.take)
    time.sleep(0.6)
    first = wait(camera.take)
    assert camera.take() is None
    time.sleep(0.6)
    assert wait(camera.take).number > first.number + 2


def test_who_is_no_camera_is_refused_and_where_nobody_answers_it_is_said():
    gauge = GaugeStandIn()
    try:
        with pytest.raises(DeviceError, match="no camera"):
            LiveCamera("127.0.0.1", gauge.port).connect()
    finally:
        gauge.close()
    with pytest.raises(DeviceError, match="no device answers"):
        LiveCamera("127.0.0.1", gauge.port).connect()


def test_a_folder_is_gone_through_picture_by_picture(tmp_path):
    for k in range(3):
        (tmp_path / f"{k}.png").write_bytes(png_of(np.full((20, 30), 50 * k, dtype=np.uint8)))
    source = PictureFiles(tmp_path)
    source.connect()
    assert source.count == 3
    seen = [source.take()]
    for k in (1, 2, 3):
        source.show(k)
        seen.append(source.take())
    assert [s.name for s in seen[:3]] == ["0.png", "1.png", "2.png"]
    assert [int(s.pixels[0, 0]) for s in seen[:3]] == [0, 50, 100]
    assert seen[3] is None
    assert source.identity == ""
    (tmp_path / "empty").mkdir()
    with pytest.raises(DeviceError, match="no pictures"):
        PictureFiles(tmp_path / "empty").connect()
    (tmp_path / "bad.png").write_bytes(b"no picture")
    with pytest.raises(DeviceError, match="no picture"):
        PictureFiles(tmp_path / "bad.png").connect()


def test_what_opencv_opens_gives_grey_pictures_and_says_when_it_is_gone(tmp_path):
    path = tmp_path / "film.avi"
    film = cv2.VideoWriter(str(path), cv2.VideoWriter_fourcc(*"MJPG"), 10.0, (64, 48))
    for k in range(8):
        film.write(np.full((48, 64, 3), 20 * k, dtype=np.uint8))
    film.release()
    source = OpenedCamera(str(path))
    source.connect()
    try:
        taken = wait(source.take)
        assert taken.pixels.shape == (48, 64)
        assert taken.pixels.dtype == np.uint8
        wait(lambda: "no pictures any more" in source.state.words)
    finally:
        source.close()
    with pytest.raises(DeviceError, match="cannot be opened"):
        OpenedCamera("97").connect()


def test_the_camera_as_a_program_says_its_port_and_does_what_a_hand_does():
    process = subprocess.Popen(
        [sys.executable, "-m", "truegauge.cli", "device-sim", "camera", "--port", "0", "--until-closed"],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    try:
        port = json.loads(process.stdout.readline())["port"]
        camera = LiveCamera("127.0.0.1", port)
        camera.connect()
        said = []
        for line in ('{"put": 5, "part": "LW-1409"}', '{"dirt": 2}', '{"light": 0.5}', '{"blur": 2}', '{"clean": 1}',
                     '{"pin": 4.0}', '{"plate": 1}', '{"remove": 1}', '{"nonsense": 1}', "no json"):  # fmt: skip
            process.stdin.write(line + "\n")
            process.stdin.flush()
            said.append(json.loads(process.stdout.readline()))
        assert said[0]["truth"]["Outside"] == pytest.approx(24.0, abs=0.1)
        assert [one.get("done") for one in said[1:8]] == ["dirt", "light", "blur", "clean", "pin", "plate", "remove"]
        assert all("not understood" in one["problem"] for one in said[8:])
        assert wait(camera.take).pixels.shape == (2048, 2448)
        camera.close()
    finally:
        process.stdin.close()
        process.wait(20.0)
        process.stdout.close()
    assert process.returncode == 0


def test_an_operator_puts_part_after_part_down_by_himself():
    bench = ShadowBench(rate=0.0, operator="LW-1409")
    camera = LiveCamera("127.0.0.1", bench.port)
    try:
        camera.connect()
        wait(lambda: bench.number >= 1, 60.0)
        assert set(bench.truth) >= {0, 1}
    finally:
        camera.close()
        bench.close()
    with pytest.raises(DeviceError, match="LW-1408"):
        run_camera(1, [], 0, print, pace=1.0, until_closed=True, drawing="LW-9")


def test_a_hand_comes_from_far_and_a_part_trembles_a_little(bench):
    scene = bench.device.scene
    bench.device.close()
    scene.put(SHAFT.outlines(SHAFT.nominal), Place(np.array([-15.7, 0.0])))
    watch, happened = Watch(), []
    for _ in range(8):
        happened.append(watch.follow(scene.next_picture()))
    assert happened[-1] == "lying"
    assert happened.count("put down") == 1
    scene.lit = 0.1
    assert watch.follow(scene.next_picture()) == "nothing"
    assert "dark" in watch.words
