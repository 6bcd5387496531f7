"""Portable devices in the window: connected, read live in big digits, lost and found, lent to the guide."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from tests.app.conftest import PATIENCE

from truegauge import demo
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.page import PortablePage
from truegauge.app.stages.devices.portable.readout import LiveReadout, ReadoutWindow
from truegauge.core.frames import apply, rotate
from truegauge.core.tolerancing.judgement import State
from truegauge.devices.gauge_sim.gauge import GaugeStandIn
from truegauge.devices.live.device import LiveDevice
from truegauge.devices.live.messages import At, Hello
from truegauge.devices.live.server import LiveServer


@pytest.fixture
def portable(loaded):
    loaded.session.set_stage("devices")
    loaded.get(DevicesModel).set_page("portable")
    return loaded


def hold(window, place, out, off):
    """Hold the tip of the stand-in over a place of the part, so far off; returns what the alignment makes of it."""
    arm = window.get(PortableModel).arm.stand_in
    center = np.array(place) + (arm.settings.radius + off) * np.array(out)
    at = apply(arm.world.device_from_part, center[None])[0]
    arm._show(at, rotate(arm.world.device_from_part, np.array([out]))[0])


def test_the_deviation_under_the_tip_is_read_in_the_biggest_digits_of_the_window(portable, qtbot):
    m, page, live = portable.get(PortableModel), portable.get(PortablePage), portable.get(LiveReadout)
    assert live.isVisible()
    assert live.texts().value == "Connect an arm"
    qtbot.mouseClick(page.stand_in, Qt.MouseButton.LeftButton)
    assert m.arm is not None
    for off, state in ((0.012, State.WITHIN), (0.048, State.NEAR), (-0.31, State.OUTSIDE)):
        hold(portable, (58.0, 66.0, 50.0), (0.0, -1.0, 0.0), off)
        qtbot.waitUntil(lambda off=off: m.reading() is not None and abs(m.reading()[0].deviation - off) < 0.02,
                        timeout=PATIENCE)  # fmt: skip
        tile = live.texts()
        value, where, by, said = tile.value, tile.of, tile.by, tile.state
        assert (where, said) == ("main bore", state)
        assert float(value) == pytest.approx(m.reading()[0].deviation, abs=0.0006)
        assert value[0] in "+-"
        assert by.startswith("-0.050 to +0.050 mm")
    picture = live.grab().toImage()
    red = [(x, y) for x in range(0, picture.width(), 4) for y in range(0, picture.height(), 4)
           if picture.pixelColor(x, y).red() > 150 and picture.pixelColor(x, y).green() < 90]  # fmt: skip
    high = max(y for _, y in red) - min(y for _, y in red)
    assert high > 0.5 * picture.height()
    assert max(x for x, _ in red) - min(x for x, _ in red) > 0.7 * picture.width()


def test_without_an_alignment_it_says_what_to_do_first(portable, qtbot):
    m, live = portable.get(PortableModel), portable.get(LiveReadout)
    m.start_stand_in()
    qtbot.waitUntil(lambda: live.texts().value == "Move the tip")
    portable.session.document.take_sample_out()
    assert live.texts().value == "Align the part"
    assert portable.parts["devices"].bench.next.isVisible()


def test_a_device_somewhere_else_is_connected_lost_and_found_again(portable, qtbot, settle):
    m, page = portable.get(PortableModel), portable.get(PortablePage)
    for wrong in ("0", "65536", "-1", "9 000", "\u00b2", ""):
        page.port.setText(wrong)
        page.connect_button.click()
        assert f"{wrong!r} is no port" in portable.floating.notice.text.text()
    server = LiveServer(Hello(device="arm", name="Arm 9", serial="S9", boot="-", series="-", time=0.0, radius=2.0))
    page.port.setText(str(server.port))
    page.connect_button.click()
    qtbot.waitUntil(lambda: m.arm is not None, timeout=PATIENCE)
    assert m.arm.device.identity == "Arm 9 S9"
    page.connect_button.click()
    assert "connected already" in portable.floating.notice.text.text()
    server.show(At(time=0.0, place=(1.0, 2.0, 3.0)))
    qtbot.waitUntil(lambda: m.arm.device.at is not None, timeout=PATIENCE)
    assert m.lie() is None  # the scan says of no device that it came from it
    assert m.why_not() == "Align the part"
    server._line.cut()
    qtbot.waitUntil(lambda: "was lost" in portable.floating.notice.text.text(), timeout=PATIENCE)
    qtbot.waitUntil(lambda: m.arm.device.is_open, timeout=PATIENCE)
    m.disconnect_line(m.arm)
    assert m.arm is None
    server.close()
    page.connect_button.click()
    settle()
    assert "switched on" in portable.floating.notice.text.text()


def test_the_coordinates_of_another_device_tell_no_place(portable, qtbot):
    m = portable.get(PortableModel)
    s = portable.session
    s.document.sample = s.sample.saying(device="Arm 7 A-7")
    server = LiveServer(Hello(device="arm", name="Arm 9", boot="-", series="-", time=0.0))
    m.connect_to("127.0.0.1", server.port)
    qtbot.waitUntil(lambda: m.arm is not None, timeout=PATIENCE)
    assert m.lie() is None
    assert m.why_not() == "Align the part"
    server.close()


def test_a_gauge_is_read_beside_an_arm(portable, qtbot):
    m, page = portable.get(PortableModel), portable.get(PortablePage)
    gauge = GaugeStandIn(2, pace=0)
    m.connect_to("127.0.0.1", gauge.port)
    m.start_stand_in()
    qtbot.waitUntil(lambda: len(m.lines) == 2 and any(len(x.device.readings) == 3 for x in m.lines), timeout=PATIENCE)
    qtbot.waitUntil(lambda: len(page._shown) == 2, timeout=PATIENCE)
    pairs = next(p for line, p, _ in page._shown if line.device.kind == "gauge")
    qtbot.waitUntil(lambda: {"air", "part", "device"} <= set(pairs.values), timeout=PATIENCE)
    gauge.close()
    qtbot.wait(200)
    readings = next(x for x in m.lines if x.device.kind == "gauge").device.readings
    assert {of: pairs.values[of].text() for of in readings} == {of: f"{v:.2f} °C" for of, v in readings.items()}
    assert m.arm.device.kind == "arm"


def test_a_readout_of_its_own_fills_a_screen_and_goes_with_the_window(portable, qtbot):
    m, apart = portable.get(PortableModel), portable.get(ReadoutWindow)
    m.start_stand_in()
    portable.actions_table.trigger("live-window")
    assert apart.isVisible()
    qtbot.keyClick(apart, Qt.Key.Key_F11)
    assert apart.windowState() & Qt.WindowState.WindowFullScreen
    qtbot.keyClick(apart, Qt.Key.Key_F11)
    qtbot.keyClick(apart, Qt.Key.Key_Escape)
    assert not apart.isVisible()
    portable.actions_table.trigger("live-window")
    portable.session.set_stage("evaluate")
    portable.actions_table.trigger("live-readout")
    live = portable.get(LiveReadout)
    assert live.isVisible()
    qtbot.keyClick(live, Qt.Key.Key_Escape)
    assert not live.isVisible()


def test_another_part_lets_the_stand_in_go(portable, qtbot, settle):
    m = portable.get(PortableModel)
    m.start_stand_in()
    portable.session.document.history.mark_saved()
    portable.session.files.open_plan(demo.COVER_PLAN)
    settle()
    assert m.arm is None


def test_connecting_that_is_cancelled_does_not_hold_the_device(portable, qtbot, settle, monkeypatch):
    m = portable.get(PortableModel)
    server = LiveServer(Hello(device="arm", name="Arm 9", boot="-", series="-", time=0.0))
    connect = LiveDevice.connect

    def slow(device):
        portable.session.queue.cancel()
        connect(device)

    monkeypatch.setattr(LiveDevice, "connect", slow)
    m.connect_to("127.0.0.1", server.port)
    settle()
    assert m.arm is None
    monkeypatch.undo()
    qtbot.waitUntil(lambda: not server.is_used, timeout=PATIENCE)
    m.connect_to("127.0.0.1", server.port)
    qtbot.waitUntil(lambda: m.arm is not None, timeout=PATIENCE)
    server.close()


def test_an_arm_that_is_given_back_ends_the_guide_and_keeps_its_touches(guided, qtbot):
    s, m, guide, window = guided.session, guided.get(PortableModel), guided.get(GuideModel), guided
    guide.operator_touches()
    assert len(s.sample.touches) == 1
    m.disconnect_line(m.arm)
    qtbot.waitUntil(lambda: not guide.running, timeout=PATIENCE)
    assert "the touches so far are kept" in window.floating.notice.text.text()
    assert len(s.sample.touches) == 1
