"""What a device measured is confirmed once it is kept: a program that is killed loses nothing, and doubles nothing."""

import numpy as np
import pytest
from tests.app.conftest import PATIENCE

from truegauge.app.document.recovery import Keeper, find_recovered
from truegauge.app.main import offer
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.prepared import PreparedModel
from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.core.errors import FormatError
from truegauge.demo.portable import bench_of
from truegauge.devices.live.device import LiveDevice
from truegauge.formats import kept_scan
from truegauge.formats.kept_scan import ScanKeeper, find_kept_scans

TOP = (np.array([100.0, 15.0, 48.0]), np.array([0.0, 0.0, 1.0]))


@pytest.fixture
def measuring(loaded, keeper, qtbot):
    """Touches of an arm go into a sample that is kept."""
    s, m = loaded.session, loaded.get(PortableModel)
    s.document.take_sample_out()
    s.set_stage("devices")
    loaded.get(DevicesModel).set_page("portable")
    m.start_stand_in()
    loaded.get(PreparedModel).set_on(True)
    return loaded


def touch(window, qtbot, count):
    m = window.get(PortableModel)
    for _ in range(count):
        m.arm.stand_in.touch(*TOP)
    server = m.arm.stand_in.server
    qtbot.waitUntil(lambda: m.arm.device.has(server.hello().next - 1), timeout=PATIENCE)
    m.poll()
    return server


def test_touches_are_confirmed_after_they_are_kept(measuring, keeper, qtbot):
    server = touch(measuring, qtbot, 3)
    assert server.unconfirmed == 3
    qtbot.waitUntil(lambda: server.unconfirmed == 0, timeout=PATIENCE)
    assert keeper.wait()
    keeper._timer.stop()
    keeper.close()
    (found,) = find_recovered(keeper._parent_folder)
    assert len(found.work.data.probed) == 3
    arm = measuring.get(PortableModel).arm
    assert found.work.devices == {arm.device.own_identity: (arm.device.series, 3)}
    found.folder.release()


def test_nothing_is_confirmed_while_nothing_can_be_kept(measuring, keeper, qtbot, monkeypatch):
    monkeypatch.setattr(
        "truegauge.app.document.recovery.write_whole",
        lambda *a: (_ for _ in ()).throw(FormatError(keeper._parent_folder, "there is no space left")),
    )
    server = touch(measuring, qtbot, 2)
    qtbot.waitUntil(lambda: any("no space left" in n.text for n in measuring.notices), timeout=PATIENCE)
    assert server.unconfirmed == 2
    monkeypatch.undo()
    server = touch(measuring, qtbot, 1)
    qtbot.waitUntil(lambda: server.unconfirmed == 0, timeout=PATIENCE)


@pytest.fixture
def elsewhere(model, evaluator):
    """An arm that this window has not started."""
    bench = bench_of(model, evaluator.projector, None, 9)
    yield bench.arm()
    bench.close()


def connected(window, qtbot, port):
    window.session.set_stage("devices")
    window.get(DevicesModel).set_page("portable")
    m = window.get(PortableModel)
    m.connect_to("127.0.0.1", port)
    qtbot.waitUntil(lambda: m.arm is not None, timeout=PATIENCE)
    window.get(PreparedModel).set_on(True)
    return m


def test_what_was_kept_and_not_confirmed_does_not_come_again_after_a_kill(
    loaded, keeper, elsewhere, qtbot, settle, monkeypatch
):
    s = loaded.session
    s.document.take_sample_out()
    m = connected(loaded, qtbot, elsewhere.port)
    monkeypatch.setattr(LiveDevice, "confirm", lambda self, up_to: None)  # the line is down just then
    for _ in range(2):
        assert elsewhere.touch(*TOP) is not None
    qtbot.waitUntil(lambda: s.document.devices != {} and len(s.sample.probed) == 2, timeout=PATIENCE)
    assert keeper.wait()
    keeper._timer.stop()
    keeper.close()
    assert elsewhere.server.unconfirmed == 2
    # Killed: another program finds the work; the arm has measured once more meanwhile, and still has all three.
    m.disconnect_line(m.arm)
    monkeypatch.undo()
    elsewhere.touch(*TOP)
    s.document.history.mark_saved()
    s.document.sample_is_saved = True
    s.document.devices = {}
    s.document.start_over()
    settle()
    second = Keeper(s.document, keeper._parent_folder)
    offer(loaded, second, find_recovered(keeper._parent_folder))
    loaded.notices[-1].callback()
    settle()
    assert len(s.sample.probed) == 2
    m = connected(loaded, qtbot, elsewhere.port)
    elsewhere.touch(*TOP)
    qtbot.waitUntil(lambda: m.arm.device.has(4), timeout=PATIENCE)
    m.poll()
    qtbot.waitUntil(lambda: elsewhere.server.unconfirmed == 0, timeout=PATIENCE)
    places = [t.place for t in s.sample.probed]
    assert len(places) == len(set(places)) == 4
    assert second.wait()
    second.close()


# Scans ----------------------------------------------------------------------------------------------------------------


@pytest.fixture
def scans(tmp_path, monkeypatch):
    monkeypatch.setattr(kept_scan, "kept_folder", lambda: tmp_path / "scanning")
    return tmp_path / "scanning"


def test_a_scan_that_is_taken_is_kept_and_confirmed_and_offered_after_a_kill(loaded, scans, qtbot, settle, monkeypatch):
    monkeypatch.setattr("truegauge.app.stages.devices.portable.scan_run._KEPT_S", 0.0)
    s, m, scan = loaded.session, loaded.get(PortableModel), loaded.get(ScanModel)
    m.start_stand_in("scanner")
    scan.start()
    scan.let_hand_scan()
    server = scan.hand.server
    qtbot.waitUntil(lambda: server.hello().oldest > 3 and len(list(scans.glob("*/about.json"))) == 1, timeout=PATIENCE)
    assert find_kept_scans() == []  # its program lives
    scan.hand.stop_sweep()
    scan._timer.stop()
    scan._run._last.result()
    scan._run.keeper._folder.release()  # as a kill does
    (left,) = find_kept_scans()
    assert left.count > 100
    assert left.device == m.scanner.device.identity
    points = left.points()
    assert points.shape == (left.count, 3)
    left.folder.release()
    scan.throw_away()
    qtbot.waitUntil(lambda: not list(scans.glob("*/about.json")), timeout=PATIENCE)
    kept = ScanKeeper("Arm 7", "Scan of yesterday")
    kept.keep(points)
    kept._folder.release()
    scan.offer_kept()
    assert f"{len(points):,} points" in loaded.notices[-1].text
    loaded.notices[-1].callback()
    settle()
    assert s.sample.about.device == "Arm 7"
    assert np.array_equal(np.sort(s.sample.points, axis=0), np.sort(points, axis=0))
    qtbot.waitUntil(lambda: not list(scans.glob("*/about.json")), timeout=PATIENCE)


def test_a_scan_that_is_made_the_sample_is_not_offered_again(loaded, scans, qtbot, settle, monkeypatch):
    monkeypatch.setattr("truegauge.app.stages.devices.portable.scan_run._KEPT_S", 0.0)
    scan = loaded.get(ScanModel)
    loaded.get(PortableModel).start_stand_in("scanner")
    scan.start()
    scan.let_hand_scan()
    qtbot.waitUntil(lambda: len(list(scans.glob("*/about.json"))) == 1, timeout=PATIENCE)
    scan.stop()
    settle()
    assert len(loaded.session.sample.points) > 100
    qtbot.waitUntil(lambda: not list(scans.glob("*/about.json")), timeout=PATIENCE)


def test_a_scan_that_cannot_be_kept_is_told_once_and_goes_on(loaded, scans, qtbot, monkeypatch):
    monkeypatch.setattr("truegauge.app.stages.devices.portable.scan_run._KEPT_S", 0.0)
    scans.write_text("a file is where the folder should be")
    scan = loaded.get(ScanModel)
    loaded.get(PortableModel).start_stand_in("scanner")
    scan.start()
    scan.let_hand_scan()
    qtbot.waitUntil(lambda: any("kept safe" in n.text for n in loaded.notices), timeout=PATIENCE)
    came = scan.state.came
    qtbot.waitUntil(lambda: scan.state.came > came + 20_000, timeout=PATIENCE)
    assert sum("kept safe" in n.text for n in loaded.notices) == 1
    assert scan.hand.server.hello().oldest == 1  # nothing is confirmed
    scan.throw_away()


def test_a_kept_scan_that_is_damaged_is_told(loaded, scans, settle):
    keeper = ScanKeeper("Arm 7", "Scan")
    keeper.keep(np.zeros((10, 3)))
    (scans / next(scans.iterdir()).name / "points.npy").write_bytes(b"\x93NUMPY broken")
    keeper._folder.release()
    scan = loaded.get(ScanModel)
    scan.offer_kept()
    before = loaded.session.sample
    loaded.notices[-1].callback()
    settle()
    assert "cannot be read" in loaded.notices[-1].text
    assert loaded.session.sample is before
    assert list(scans.glob("*/about.json"))


def test_what_was_kept_of_a_series_before_confirms_nothing_of_the_next_one(loaded, elsewhere, qtbot):
    m = connected(loaded, qtbot, elsewhere.port)
    for _ in range(2):
        elsewhere.touch(*TOP)
    qtbot.waitUntil(lambda: m.arm.device.has(2), timeout=PATIENCE)
    m._confirming.stop()
    m._on_kept([(m.arm, "the series before", 2)])
    qtbot.wait(200)
    assert elsewhere.server.unconfirmed == 2
    m._on_kept([(m.arm, m.arm.device.series, 1)])
    qtbot.waitUntil(lambda: elsewhere.server.unconfirmed == 1, timeout=PATIENCE)


def test_a_scan_by_a_device_that_is_not_joined_is_another_sample(loaded, scans, qtbot, settle):
    s, scan, m = loaded.session, loaded.get(ScanModel), loaded.get(PortableModel)
    m.start_stand_in("scanner")
    s.document.set_sample_data(device="a machine elsewhere")
    before = s.sample
    s.document.may_let_sample_go = lambda: False
    scan.start()
    assert not scan.on
    assert s.sample.contributions == before.contributions
    s.document.may_let_sample_go = lambda: True
    scan.start()
    assert scan.on
    assert s.sample is None
    scan.let_hand_scan()
    qtbot.waitUntil(lambda: scan.state.kept > 2000, timeout=PATIENCE)
    assert not scan.is_aligned
    assert s.showing.live is None
    scan.stop()
    settle()
    assert s.sample.about.device == m.scanner.device.identity
    assert len(s.sample.points) > 2000
