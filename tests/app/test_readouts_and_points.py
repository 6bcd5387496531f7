"""Readouts on the page and in windows, their sound, and points taken by a key, at rest and along a way."""

import sys
import time

import numpy as np
import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from tests.app.conftest import PATIENCE

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.page import PortablePage
from truegauge.app.stages.devices.portable.prepared import PreparedModel
from truegauge.app.stages.devices.portable.readout import LiveReadout, ReadoutWindow
from truegauge.app.stages.devices.portable.sound import ReadoutSound
from truegauge.app.stages.devices.portable.taking import TakingModel
from truegauge.app.widgets.parts import choose
from truegauge.app.widgets.tone import RATE, Tone, pitch, tone_samples
from truegauge.core.commands.readouts import SetReadout
from truegauge.core.frames import apply
from truegauge.core.probing.taking import Way
from truegauge.core.tolerancing.judgement import State
from truegauge.devices.live.messages import At


@pytest.fixture
def portable(loaded, qtbot):
    loaded.session.set_stage("devices")
    loaded.get(DevicesModel).set_page("portable")
    qtbot.mouseClick(loaded.get(PortablePage).stand_in, Qt.MouseButton.LeftButton)
    return loaded


def hold(window, place, qtbot, pressed=()):
    """Hold the centre of the tip at a place of the part."""
    m = window.get(PortableModel)
    arm = m.arm.stand_in
    at = apply(arm.world.device_from_part, np.array([place], dtype=float))[0]
    told = At(time=arm.server.clock(), place=tuple(at), pressed=pressed)
    arm.server.show(told)
    qtbot.waitUntil(lambda: m.arm.device.at == told, timeout=PATIENCE)


def test_readouts_are_added_judged_undone_and_shown_side_by_side(portable, qtbot):
    s, page, live = portable.session, portable.get(PortablePage).readouts, portable.get(LiveReadout)
    qtbot.mouseClick(page.add, Qt.MouseButton.LeftButton)
    bore = next(f for f in s.plan.features if f.name == "main bore")
    page.subject.activated.emit(page.subject.findData("axis"))
    s.selection.select(())
    qtbot.mouseClick(page.add, Qt.MouseButton.LeftButton)
    assert "select a feature first" in portable.notices[-1].text
    s.selection.select((bore.group,))
    qtbot.mouseClick(page.add, Qt.MouseButton.LeftButton)
    assert [r.subject for r in s.plan.readouts] == ["surface", "axis"]
    assert page.list.item(1).text() == "from the axis of main bore"
    page.list.setCurrentRow(1)
    for field, text in ((page.high, "4"), (page.low, "0")):
        field.setFocus()
        field.selectAll()
        qtbot.keyClicks(field, text)
        qtbot.keyClick(field, Qt.Key.Key_Return)
    assert (s.plan.readouts[1].lower, s.plan.readouts[1].upper) == (0.0, 4.0)
    hold(portable, (58.0, 48.0, 40.0), qtbot)
    tile = live.texts(s.plan.readouts[1])
    assert tile.of == "from the axis: main bore"
    assert float(tile.value) == pytest.approx(3.0, abs=0.05)
    assert tile.state is State.WITHIN
    assert "along it" in tile.below
    hold(portable, (58.0, 50.0, 40.0), qtbot)
    assert live.texts(s.plan.readouts[1]).state is State.OUTSIDE
    assert [r.id for r in live.shown()] == ["readout-1", "readout-2"]
    assert not live.grab().isNull()
    qtbot.mouseClick(page.apart, Qt.MouseButton.LeftButton)
    apart = next(w for w in QApplication.topLevelWidgets() if isinstance(w, ReadoutWindow) and w.isVisible())
    assert [r.id for r in apart.shown()] == ["readout-2"]
    s.document.undo()
    assert s.plan.readouts[1].lower == -4.0
    qtbot.mouseClick(page.remove, Qt.MouseButton.LeftButton)
    assert [r.id for r in s.plan.readouts] == ["readout-1"]
    apart.close()


def test_the_limits_of_a_readout_stay_where_they_would_cross(portable, qtbot):
    s, page = portable.session, portable.get(PortablePage).readouts
    qtbot.mouseClick(page.add, Qt.MouseButton.LeftButton)
    page.list.setCurrentRow(0)
    page._on_limit(None, 0.2)
    assert (s.plan.readouts[0].lower, s.plan.readouts[0].upper) == (-0.2, 0.2)
    page._on_limit(0.3, None)
    assert (s.plan.readouts[0].lower, s.plan.readouts[0].upper) == (-0.2, 0.2)
    assert "above the upper one" in portable.notices[-1].text


def test_decimals_and_the_frame_of_a_readout(portable, qtbot):
    s, page, live = portable.session, portable.get(PortablePage).readouts, portable.get(LiveReadout)
    page.subject.activated.emit(page.subject.findData("tip"))
    qtbot.mouseClick(page.add, Qt.MouseButton.LeftButton)
    page.list.setCurrentRow(0)
    hold(portable, (58.0, 48.0, 40.0), qtbot)
    assert len(live.texts(s.plan.readouts[0]).value.split("\n")[0].split(".")[1]) == 3
    page.decimals.setValue(1)
    assert len(live.texts(s.plan.readouts[0]).value.split("\n")[0].split(".")[1]) == 1
    page.decimals.setValue(-1)
    assert s.plan.readouts[0].decimals is None
    other = next(a for a in s.plan.alignments if a.id != s.plan.in_force and page.frame.findData(a.id) >= 0)
    page.frame.setCurrentIndex(page.frame.findData(other.id))
    page.frame.activated.emit(page.frame.findData(other.id))
    assert s.plan.readouts[0].alignment == other.id
    assert portable.get(PortableModel).lie(None, other.id) is not None
    s.run(SetReadout(s.plan.readouts[0].replace(alignment="gone")))
    assert "not in the plan" in live.texts(s.plan.readouts[0]).value


# Sound ----------------------------------------------------------------------------------------------------------------


def strongest(samples):
    spectrum = np.abs(np.fft.rfft(samples * np.hanning(len(samples))))
    return float(np.argmax(spectrum) * RATE / len(samples))


def test_a_tone_is_higher_above_lower_below_and_steady_within():
    heard = []
    for share in (-1.8, -1.0, 0.0, 0.7, 1.0, 1.5, 50.0):
        samples, phase = tone_samples(share, 0.3, RATE)
        heard.append(strongest(samples))
        assert heard[-1] == pytest.approx(pitch(share), abs=2)
        more, _ = tone_samples(share, phase, 100)
        assert abs(int(more[0]) - int(samples[-1])) < 9000  # no click between two pieces
    below, low, middle, within, high, above, far = heard
    assert low == middle == within == high
    assert below < middle < above < far < 1300
    assert not tone_samples(None, 0.0, 50)[0].any()


def test_a_readout_sounds_while_it_wants_to(portable, qtbot, tmp_path):
    out = tmp_path / "heard.raw"
    code = "import sys; open(sys.argv[1], 'wb').write(sys.stdin.buffer.read())"
    s, m, page = portable.session, portable.get(PortableModel), portable.get(PortablePage).readouts
    portable.get(ReadoutSound).tone = tone = Tone((sys.executable, "-c", code, str(out)))
    qtbot.mouseClick(page.add, Qt.MouseButton.LeftButton)
    page.list.setCurrentRow(0)
    page.sound.setChecked(True)
    assert s.plan.readouts[0].sound
    hold(portable, (58.0, 45.0 + 21.006 - 1.5 - 1.0, 40.0), qtbot)  # a millimetre off the bore: far above its limits
    qtbot.waitUntil(lambda: tone._share is not None and tone._share > 5, timeout=PATIENCE)
    time.sleep(0.5)
    page.sound.setChecked(False)
    assert tone._thread is None
    qtbot.waitUntil(lambda: out.exists() and out.stat().st_size > 2 * RATE // 5, timeout=PATIENCE)
    heard = np.frombuffer(out.read_bytes()[: out.stat().st_size // 2 * 2], dtype="<i2")
    assert strongest(heard[heard.nonzero()[0][0] :].astype(float)) == pytest.approx(pitch(99.0), rel=0.05)
    assert m.arm is not None


def test_without_a_player_it_is_said_once(portable, qtbot):
    page, sound = portable.get(PortablePage).readouts, portable.get(ReadoutSound)
    sound.tone = Tone(())
    sound.tone._command = None
    qtbot.mouseClick(page.add, Qt.MouseButton.LeftButton)
    page.list.setCurrentRow(0)
    page.sound.setChecked(True)
    sound.refresh()
    assert sum("plays sound" in n.text for n in portable.notices) == 1


# Points ---------------------------------------------------------------------------------------------------------------


def count(window):
    sample = window.session.sample
    return 0 if sample is None else len(sample.probed)


@pytest.fixture
def measuring(portable, qtbot):
    portable.session.document.set_sample_data(device=portable.get(PortableModel).arm.device.identity)
    qtbot.mouseClick(portable.get(PortablePage).measure, Qt.MouseButton.LeftButton)
    assert portable.get(PreparedModel).on
    return portable


def test_a_key_takes_a_point_wherever_the_focus_is(measuring, qtbot):
    page, taking = measuring.get(PortablePage), measuring.get(TakingModel)
    hold(measuring, (58.0, 45.0 + 21.0 - 1.5, 40.0), qtbot)
    assert count(measuring) == 0
    qtbot.keyClick(page.port, Qt.Key.Key_F8)
    assert count(measuring) == 1
    touch = measuring.session.sample.probed[0]
    assert measuring.session.plan.feature(touch.feature).name == "main bore"
    assert touch.radius == 1.5
    page.taking.key.setKeySequence("Ctrl+Alt+P")  # what a foot switch may send
    page.taking.key.editingFinished.emit()
    assert taking.key == "Ctrl+Alt+P"
    qtbot.keyClick(page.port, Qt.Key.Key_F8)
    assert count(measuring) == 1
    qtbot.keyClick(page.port, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier)
    assert count(measuring) == 2
    taking.set_key("F8")
    qtbot.mouseClick(page.back, Qt.MouseButton.LeftButton)
    qtbot.mouseClick(page.measure, Qt.MouseButton.LeftButton)
    qtbot.keyClick(page.port, Qt.Key.Key_F8)
    assert count(measuring) == 1


def test_points_along_a_way_while_the_button_is_held(measuring, qtbot):
    page, taking = measuring.get(PortablePage), measuring.get(TakingModel)
    page.taking.way.activated.emit(page.taking.way.findData("distance"))
    assert taking.taker.way is Way.DISTANCE
    assert page.taking.distance.isVisible()
    page.taking.distance.setValue(4.0)
    for pressed in ((), (1,)):
        for angle in np.linspace(0, 1.0, 30):
            off = (21.006 - 1.5) * np.array([np.cos(angle), np.sin(angle)])
            hold(measuring, (58.0 + off[0], 45.0 + off[1], 40.0), qtbot, pressed)
        assert count(measuring) == (0 if not pressed else count(measuring))
    places = np.array([t.place for t in measuring.session.sample.probed])
    steps = np.linalg.norm(np.diff(places, axis=0), axis=1)
    assert len(places) in (4, 5)
    assert steps.min() >= 4.0
    choose(page.taking.way, "button")


def test_a_tip_that_rests_on_the_part_is_a_point_and_one_in_the_air_is_none(measuring, qtbot):
    taking, now = measuring.get(TakingModel), [100.0]
    taking.clock = lambda: now[0]
    taking.set_way(Way.REST)

    def rest(place):
        for _ in range(15):
            now[0] += 0.06
            hold(measuring, place, qtbot)
            measuring.get(PortableModel).poll()

    rest((58.0, 45.0, 40.0))  # the middle of the bore
    assert count(measuring) == 0
    now[0] += 5
    rest((58.0, 45.0 + 21.006 - 1.5, 40.0))
    assert count(measuring) == 1
    rest((58.0, 45.0 + 21.006 - 1.5, 40.0))
    assert count(measuring) == 1
