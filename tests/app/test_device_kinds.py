"""Devices plug in: a made-up one is offered, found by its name, and measures the targets; its last words are told."""

import numpy as np
import pytest
from PySide6.QtCore import Qt

from truegauge.app.shell.devices import DEVICES, DeviceKind, register_device
from truegauge.app.shell.finder import Finder
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.core.errors import DeviceError
from truegauge.devices.protocol import Lost, PointBlock, Said

TOPS = np.array([(40.0, 4, 14), (100, 4, 14), (12, 45, 14)])


class Caliper:
    """Gives what it is told to give."""

    name = identity = "the caliper"

    def __init__(self):
        self.coming, self.is_open, self.broken = [], False, False

    def connect(self):
        if self.broken:
            raise DeviceError("the caliper is switched off")
        self.is_open = True

    def events(self):
        coming, self.coming = self.coming, []
        return coming

    def close(self):
        self.is_open = False


@pytest.fixture
def caliper():
    made = Caliper()
    register_device(
        DeviceKind(key="caliper", title=made.name, is_there=lambda shell: shell.session.model is not None,
                   open=lambda shell: made)
    )  # fmt: skip
    yield made
    del DEVICES["caliper"]


@pytest.fixture
def targets(caliper, loaded, settle):
    """Three targets on the top of the part, the made-up device at hand."""
    s, align = loaded.session, loaded.get(AlignModel)
    s.set_stage("align")
    align.add("guided")
    for place in TOPS:
        found = s.evaluator.projector.deviations(place[None])
        s.pointer.pick_at(int(found.face[0]), place)
    settle()
    return loaded


def test_a_made_up_device_is_offered_and_measures(targets, caliper, qtbot, settle):
    guide, panel = targets.get(GuideModel), targets.parts["align"].bench.kind.guide
    assert [panel.device.itemText(k) for k in range(panel.device.count())] == ["with the arm", "with the caliper"]
    assert panel.run.text() == "Measure with the arm"
    panel.device.setCurrentIndex(1)
    panel.device.activated.emit(1)
    assert panel.run.text() == "Measure with the caliper"
    qtbot.mouseClick(panel.run, Qt.MouseButton.LeftButton)
    assert caliper.is_open
    assert not panel.touch.isVisibleTo(panel)  # nobody made up touches with it
    caliper.coming = [PointBlock(TOPS[:2] + 5.0), Said("its battery is low"), PointBlock(TOPS[2:] + 5.0)]
    guide.poll()
    assert [t.target for t in guide.touches] == ["T1", "T2", "T3"]
    assert np.allclose([t.place for t in guide.touches], TOPS + 5.0)
    assert "its battery is low" in targets.notices[-1].text
    qtbot.mouseClick(panel.run, Qt.MouseButton.LeftButton)
    assert not caliper.is_open


def test_it_is_found_by_its_name(targets, caliper):
    finder = Finder(targets.actions_table, targets)
    finder.text.setText("targets caliper")
    assert "Measure the targets with the caliper" in finder.list.item(0).text()
    finder._run_current()
    assert targets.get(GuideModel).device is caliper


def test_what_came_before_a_device_was_lost_is_kept(targets, caliper):
    guide = targets.get(GuideModel)
    guide.start_with("caliper")
    caliper.coming = [PointBlock(TOPS[:1]), Lost("the caliper fell: pick it up"), PointBlock(TOPS[1:2])]
    guide.poll()
    assert not guide.running
    assert not caliper.is_open
    assert len(guide.touches) == 1
    assert targets.notices[-1].text == "the caliper fell: pick it up"


def test_a_tip_that_nobody_knows_does_not_count_and_a_tip_is_kept_with_its_way(targets, caliper):
    guide = targets.get(GuideModel)
    guide.start_with("caliper")
    down = np.array([[0.0, 0, -1]])
    caliper.coming = [PointBlock(TOPS[:1], None, down)]
    guide.poll()
    assert guide.touches == ()
    assert "does not know its tip" in targets.notices[-1].text
    caliper.coming = [PointBlock(TOPS[:1], 2.5, down)]
    guide.poll()
    assert (guide.touches[0].radius, guide.touches[0].approach) == (2.5, (0, 0, -1))


def test_a_device_that_cannot_be_opened_says_why(targets, caliper):
    caliper.broken = True
    targets.get(GuideModel).start_with("caliper")
    assert not targets.get(GuideModel).running
    assert targets.notices[-1].text == "the caliper is switched off"


def test_a_key_is_taken_once(caliper):
    with pytest.raises(ValueError, match="there is a device 'caliper' already"):
        register_device(DEVICES["caliper"])
