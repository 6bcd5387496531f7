"""A whole session by an arm: located by touches, measured as the plan waits, through the socket and real widgets."""

import numpy as np
import pytest
from PySide6.QtCore import Qt
from tests.app.conftest import PATIENCE

from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.portable.page import PortablePage
from truegauge.app.stages.devices.portable.prepared import PreparedModel


def test_features_are_measured_in_order_by_the_hand_and_their_values_are_those_of_the_part(located, qtbot, settle):
    s, page, p = located.session, located.get(PortablePage), located.get(PreparedModel)
    qtbot.mouseClick(page.measure, Qt.MouseButton.LeftButton)
    assert p.on
    first = p.next()[0]
    assert page.next.text() == first.name
    assert page.told.text() == f"touch 1 of {first.touches}"
    assert page.list.count() == len(p.waits())
    for _ in range(600):
        if p.next() is None:
            break
        qtbot.mouseClick(page.hand, Qt.MouseButton.LeftButton)
    settle()
    assert not [x.name for x, n in p.waits() if n < x.touches]
    assert page.next.text() == "All is measured"
    last = p.waits()[-1][0].characteristics[0]

    def has_results():
        found = {r.characteristic.number: r.measured for r in s.evaluation.results} if s.evaluation else {}
        return found.get(last) is not None and not s.queue.is_busy

    qtbot.waitUntil(has_results, timeout=PATIENCE)
    by_name = {r.characteristic.name: r for r in s.evaluation.results}
    assert by_name["main bore"].measured == pytest.approx(42.012, abs=0.03)
    assert by_name["cross bore"].measured == pytest.approx(24.0, abs=0.04)
    measured = [r for r in s.evaluation.results if r.measured is not None]
    assert len(measured) > 0.8 * len(s.evaluation.results)
    assert s.sample.about.device == located.get(PortableModel).arm.device.identity


def test_a_feature_is_recognised_out_of_order_and_the_last_touch_is_taken_back(located, qtbot, settle):
    s, page, p = located.session, located.get(PortablePage), located.get(PreparedModel)
    p.set_on(True)
    arm = located.get(PortableModel).arm.stand_in
    bore = next(f for f in s.plan.features if f.name == "main bore")
    other = next(x for x, _ in p.waits() if x.feature != bore.id)
    s.selection.select((s.plan.feature(other.feature).group,))
    assert p.next()[0].feature == other.feature
    arm.touch(np.array([58.0, 66.0, 50.0]), np.array([0.0, -1.0, 0.0]))
    qtbot.waitUntil(lambda: s.sample.probed != (), timeout=PATIENCE)
    assert [t.feature for t in s.sample.probed] == [bore.id]
    assert page.told.text().endswith("last: main bore")
    # A row is chosen: it is next.
    row = next(k for k in range(page.list.count()) if "main bore" in page.list.item(k).text())
    page.list.itemClicked.emit(page.list.item(row))
    assert p.next()[0].feature == bore.id
    assert page.told.text().startswith("touch 2 of ")
    qtbot.mouseClick(page.back, Qt.MouseButton.LeftButton)
    assert s.sample.probed == ()
    qtbot.mouseClick(page.measure, Qt.MouseButton.LeftButton)
    assert not p.on
    arm.touch(np.array([58.0, 66.0, 50.0]), np.array([0.0, -1.0, 0.0]))
    located.get(PortableModel).poll()
    qtbot.wait(100)
    assert s.sample.probed == ()


def test_a_device_that_is_given_back_ends_it(located):
    p, m = located.get(PreparedModel), located.get(PortableModel)
    p.set_on(True)
    m.disconnect_line(m.arm)
    assert not p.on
    assert not located.get(PortablePage).measuring.isVisible()
