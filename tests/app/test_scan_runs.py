"""Scans that follow each other, computers that are slow, and what a device may forget."""

import gc
import threading
import time

import numpy as np
import pytest
from tests.app.conftest import PATIENCE

from truegauge.app.collector import Collector
from truegauge.app.document.calm import want_calm
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.scanning import ScanModel
from truegauge.app.stages.devices.portable.waiting import MOST, WaitingBlocks
from truegauge.core.scanning.live_scan import LiveScan
from truegauge.devices.protocol import PointBlock


def block(first, count=20_000):
    """A block whose points can be told apart."""
    at = first + np.arange(count, dtype=float)
    return PointBlock(
        np.column_stack([at, at + 0.1, at + 0.2]), beams=np.column_stack([at] * 3).astype(np.float32),
        intensities=(at % 251).astype(np.uint8), time=float(first),
    )  # fmt: skip


def test_nothing_is_left_out_while_the_computer_keeps_up():
    waiting = WaitingBlocks()
    for k in range(40):
        waiting.put(block(20_000 * k), None, k)
        waiting.put(block(20_000 * k + 10_000_000), None, k)
        taken = waiting.take(1_000_000)
        assert [len(w.block) for w in taken] == [20_000, 20_000]
        waiting.done(taken)
        assert waiting.one_of == 1
    assert waiting.count == waiting.points == 0


@pytest.mark.parametrize("slower", [1.5, 3.0, 8.0])
def test_on_a_slow_computer_memory_is_bounded_and_what_is_taken_is_right(slower):
    waiting, most, sent, able, numbers = WaitingBlocks(), 0, 0, 0.0, []
    for k in range(3000):
        waiting.put(block(sent, 5000), None, k)
        sent += 5000
        able += 5000 / slower
        while waiting.points and able > 0:
            taken = waiting.take(1)
            (one,) = taken
            places = one.block.places
            step = np.diff(places[:, 0])
            assert step.min() == step.max() >= 1
            assert np.allclose(places[:, 1:] - places[:, :1], [0.1, 0.2])
            assert np.array_equal(one.block.intensities, (places[:, 0] % 251).astype(np.uint8))
            assert np.array_equal(one.block.beams[:, 0], places[:, 0].astype(np.float32))
            numbers.append(one.number)
            able -= len(places)
            waiting.done(taken)
        most = max(most, waiting.points)
    assert most < 1.1 * MOST
    assert numbers == sorted(numbers)
    assert waiting.one_of >= slower / 2


def test_nobody_takes_anything():
    waiting = WaitingBlocks()
    for k in range(1000):
        waiting.put(block(0), None, k)
    assert waiting.points < 1.5 * MOST  # of 20,000,000
    waiting.clear()
    assert waiting.count == waiting.points == 0


def test_what_waits_is_forgotten_while_another_thread_takes():
    waiting, errors = WaitingBlocks(), []

    def take():
        try:
            for _ in range(4000):
                waiting.done(waiting.take(1))
        except IndexError as error:
            errors.append(error)

    for _ in range(5):
        for k in range(3000):
            waiting.put(block(0, 2), None, k)
        taker = threading.Thread(target=take)
        taker.start()
        for _ in range(200):
            waiting.clear()
        taker.join()
        waiting.clear()
    assert errors == []
    assert waiting.count == waiting.points == 0


@pytest.fixture
def slow(monkeypatch):
    """Looking at a block takes long."""
    take = LiveScan.take

    def slowly(self, *args):
        time.sleep(0.1)
        take(self, *args)

    monkeypatch.setattr(LiveScan, "take", slowly)


def test_a_scan_that_begins_while_the_last_is_made_leaves_it_its_points(loaded, slow, qtbot, settle):
    scan, portable, document = loaded.get(ScanModel), loaded.get(PortableModel), loaded.session.document
    portable.start_stand_in("scanner")
    scan.start()
    scan.let_hand_scan()
    first = scan._run
    qtbot.waitUntil(lambda: first._blocks.count > 5, timeout=PATIENCE)
    put = first._blocks._points_put
    scan.stop()
    scan.start()
    assert scan._run is not first
    settle()
    assert first._blocks.count == 0
    assert first._blocks._points_taken >= put
    assert 100 < len(document.sample.points) <= first._blocks._points_taken
    (one,) = document.sample.files
    assert one.count == len(document.sample.points)
    scan.let_hand_scan()
    qtbot.waitUntil(lambda: scan.state.kept > 100, timeout=PATIENCE)
    scan.stop()
    settle()
    assert len(document.sample.files) == 2


def test_a_device_forgets_a_scan_only_when_the_sample_is_kept(loaded, qtbot, settle):
    scan, portable, document = loaded.get(ScanModel), loaded.get(PortableModel), loaded.session.document
    waits = []
    document.keeper = waits.append
    portable.start_stand_in("scanner")
    scan.start()
    scan.let_hand_scan()
    qtbot.waitUntil(lambda: scan.state.kept > 100, timeout=PATIENCE)
    server, line = scan.hand.server, portable.scanner
    scan.stop()
    on_disk = server.hello().oldest  # what was written while it was taken
    settle()
    assert len(document.sample.points) > 100
    for _ in range(5):
        portable.poll()
        qtbot.wait(50)
    assert server.unconfirmed > 0
    assert line.device.taken > server.hello().oldest == on_disk  # it still has everything else
    (kept,) = waits
    kept()

    def confirmed():
        portable.poll()
        return server.unconfirmed == 0

    qtbot.waitUntil(confirmed, timeout=PATIENCE)


def test_what_was_scanned_is_written_and_confirmed_when_nothing_more_comes(loaded, qtbot, monkeypatch):
    monkeypatch.setattr("truegauge.app.stages.devices.portable.scan_run._KEPT_S", 1.0)
    scan, portable = loaded.get(ScanModel), loaded.get(PortableModel)
    portable.start_stand_in("scanner")
    scan.start()
    scan.let_hand_scan()
    qtbot.waitUntil(lambda: scan.state.kept > 100, timeout=PATIENCE)
    scan.hand.stop_sweep()
    server = scan.hand.server
    qtbot.waitUntil(lambda: server.unconfirmed == 0, timeout=PATIENCE)
    assert scan.on
    scan.throw_away()


def test_old_garbage_waits_while_somebody_wants_calm(qapp, monkeypatch):
    collected = []
    collector = Collector(qapp)
    monkeypatch.setattr(gc, "collect", collected.append)
    monkeypatch.setattr(gc, "get_count", lambda: (10**9, 10**9, 10**9))
    owner, other = object_that_can_be_referred_to(), object_that_can_be_referred_to()
    try:
        collector.collect_if_due()
        want_calm(owner, True)
        want_calm(other, True)
        collector.collect_if_due()
        want_calm(owner, False)
        collector.collect_if_due()
        del other  # whoever is gone wants nothing any more
        collector.collect_if_due()
    finally:
        monkeypatch.undo()
        collector._timer.stop()
        collector.setParent(None)
    assert collected == [2, 1, 1, 2]


def object_that_can_be_referred_to():
    return type("Owner", (), {})()
