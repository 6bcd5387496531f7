"""Checks of devices in the window: by a stand-in's hand, judged and dated; temperatures that go into the sample."""

import datetime

import numpy as np
import pytest
from PySide6.QtCore import Qt
from tests.app.conftest import PATIENCE

from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.portable.model import PortableModel
from truegauge.app.stages.devices.setup.model import SetupModel, Task
from truegauge.app.stages.devices.setup.page import SetupPage
from truegauge.app.stages.devices.setup.view import SetupView
from truegauge.core.device_checks.records import Check
from truegauge.core.samples.document import ProbedTouch
from truegauge.formats import device_record_file
from truegauge.formats.device_record_file import read_device

NOW = datetime.datetime(2026, 11, 30, 8, 0, tzinfo=datetime.UTC)


@pytest.fixture
def setup(loaded, tmp_path, monkeypatch):
    monkeypatch.setattr(device_record_file, "device_folder", lambda: tmp_path / "devices")
    loaded.session.set_stage("devices")
    loaded.get(DevicesModel).set_page("setup")
    loaded.get(PortableModel).start_stand_in()
    model = loaded.get(SetupModel)
    model.book.clock = lambda: NOW
    return loaded


def done(window, qtbot, check, most=12):
    """Do a check by the hand of the stand-in; returns how many touches it took."""
    page, model = window.get(SetupPage), window.get(SetupModel)
    qtbot.mouseClick(page.checks[check], Qt.MouseButton.LeftButton)
    for count in range(most):
        if model.task is not check:
            return count
        qtbot.mouseClick(page.hand, Qt.MouseButton.LeftButton)
    return most


def test_checks_are_judged_dated_kept_and_due_again(setup, qtbot):
    m, model, view = setup.get(PortableModel), setup.get(SetupModel), setup.get(SetupView)
    assert view.isVisible()
    assert len(model.due()) == len(Check)
    assert view.texts(Check.SEAT) == ("", Check.SEAT.how, "not done yet")
    assert done(setup, qtbot, Check.SEAT) == 5
    assert done(setup, qtbot, Check.SPHERE) == 9
    name = m.arm.device.own_identity
    kept = read_device(name)
    assert [c.check for c in kept.checks] == [Check.SEAT, Check.SPHERE]
    assert [c.verdict for c in kept.checks] == ["within", "within"]
    assert all(0 < abs(c.value) < 0.03 and c.limit == 0.03 for c in kept.checks)
    value, judged, when = view.texts(Check.SEAT)
    assert value.endswith(" mm")
    assert "at most 0.030 mm" in judged
    assert when.endswith("due 2026-12-01")
    assert set(model.due()) == set(Check) - {Check.SEAT, Check.SPHERE}
    model.book.clock = lambda: NOW + datetime.timedelta(days=2)
    assert Check.SEAT in model.due()
    assert view.texts(Check.SEAT)[2].endswith("due now")
    model.set_due_days(Check.SEAT, 30)
    assert Check.SEAT not in model.due()
    assert read_device(name).due.seat == 30
    assert not view.grab().isNull()


def test_a_sphere_of_another_diameter_is_no_check_and_an_arm_that_is_off_fails(setup, qtbot):
    model, page = setup.get(SetupModel), setup.get(SetupPage)
    page.ball.setValue(60.0)
    done(setup, qtbot, Check.SPHERE)
    assert "is it another" in setup.notices[-1].text
    assert model.book.record(model.line).last(Check.SPHERE) is None
    page.ball.setValue(24.9)  # the certificate was mistyped by a tenth
    done(setup, qtbot, Check.SPHERE)
    last = model.book.record(model.line).last(Check.SPHERE)
    assert last.value == pytest.approx(0.1, abs=0.03)
    assert last.verdict == "outside"


def test_the_part_is_compared_with_where_it_was(setup, qtbot):
    model, m = setup.get(SetupModel), setup.get(PortableModel)
    assert done(setup, qtbot, Check.PART) == 1
    assert model.has_part_place
    assert model.book.record(model.line).last(Check.PART) is None
    done(setup, qtbot, Check.PART)
    assert abs(model.book.record(model.line).last(Check.PART).value) < 0.03
    moved = np.eye(4)
    moved[:3, 3] = 0.2 * m.arm.stand_in.world.device_from_part[:3, 2]  # lifted along its own z
    m.arm.stand_in.world.stand_elsewhere(moved)
    done(setup, qtbot, Check.PART)
    last = model.book.record(model.line).last(Check.PART)
    assert last.value == pytest.approx(0.2, abs=0.03)
    assert last.verdict == "outside"


def test_what_cannot_be_checked_says_what_is_missing(setup, qtbot):
    model = setup.get(SetupModel)
    for check, words in ((Check.DRIFT, "reference points first"), (Check.WARM, "connect a gauge"),
                         (Check.SCANNER, "choose one plane or sphere")):  # fmt: skip
        model.start(check)
        assert words in setup.notices[-1].text
        assert model.task is None
    model.start(Task.JOIN)
    assert "three reference points first" in setup.notices[-1].text
    model.start(Task.REFERENCES)
    model.operator_touches()
    setup.get(PortableModel).arm.stand_in.seat(0)
    qtbot.waitUntil(lambda: any("seat of R1" in n.text for n in setup.notices), timeout=PATIENCE)
    assert len(model.references) == 1
    model.take_back()
    assert model.references == ()
    setup.get(PortableModel).disconnect_line(setup.get(PortableModel).arm)
    assert model.task is None


def test_the_scanner_is_checked_on_a_plane_that_is_touched_too(setup, qtbot, settle):
    """Touches made up a hundredth of a millimetre outside of where the scan has the plane."""
    s, model = setup.session, setup.get(SetupModel)
    side = next(f for f in s.plan.features if f.name == "side C")
    cloud = s.evaluation.cloud
    rows = np.flatnonzero(np.isin(cloud.found.face, side.faces) & cloud.usable & ~cloud.found.on_edge)[::200]
    scan_from_part = np.linalg.inv(s.evaluation.alignments[s.plan.in_force].part_from_scan)
    out = np.array([-1.0, 0.0, 0.0])
    plane = s.evaluator.context(s.plan, s.sample).measured(side.group).feature
    touches = []
    for place in cloud.points[rows]:
        on = place - plane.pose.distances(place[None])[0] * plane.pose.z if hasattr(plane.pose, "z") else place
        center = scan_from_part[:3, :3] @ (on + 1.51 * out) + scan_from_part[:3, 3]
        touches.append(ProbedTouch(place=tuple(center), approach=tuple(-scan_from_part[:3, :3] @ out), radius=1.5,
                                   feature=side.id))  # fmt: skip
    s.document.set_sample_data(device="x")
    s.document.set_probed(tuple(touches), device="x")
    settle()
    s.selection.select((side.group,))
    model.start(Check.SCANNER)
    last = model.book.record(model.line).last(Check.SCANNER)
    assert last.value == pytest.approx(-0.01, abs=0.006)
    assert last.limit == pytest.approx(0.03)


# Temperatures ---------------------------------------------------------------------------------------------------------


@pytest.fixture
def warm(setup, qtbot):
    """A gauge is connected, and the sample is measured by the arm."""
    m = setup.get(PortableModel)
    m.start_stand_in("gauge")
    gauge = next(line for line in m.lines if line.kind == "gauge")
    qtbot.waitUntil(lambda: {"part", "device"} <= gauge.device.readings.keys(), timeout=PATIENCE)
    gauge.device.waiting = lambda: None
    m._timer.stop()
    return setup, m, gauge.device


def read(m, gauge, **values):
    gauge.readings = values
    gauge.readings_taken += 1
    m.log.look()


def test_the_sample_takes_the_mean_temperatures_while_it_is_measured(warm):
    window, m, device = warm
    s = window.session
    read(m, device, part=21.0, device=22.0)
    assert s.sample.about.temperature_c is None  # measured elsewhere
    s.document.set_sample_data(device=m.arm.device.identity)
    m.log._means.clear()
    for part in (21.0, 21.1, 21.2):
        read(m, device, part=part, device=22.5)
    about = s.sample.about
    assert about.temperature_c == pytest.approx(21.1, abs=0.051)
    assert about.scale_temperature_c == pytest.approx(22.5)
    s.document.set_sample_data(temperature_c=25.0)  # typed by somebody
    read(m, device, part=21.0, device=22.5)
    assert s.sample.about.temperature_c == 25.0


def test_a_temperature_that_runs_away_is_said_once(warm):
    window, m, device = warm
    window.session.document.set_sample_data(device=m.arm.device.identity)
    m.log._means.clear()
    for part in (20.0, 20.3, 20.6, 20.9):
        read(m, device, part=part)
    told = [n.text for n in window.notices if "let it settle" in n.text]
    assert len(told) == 1
    assert "the part is +0.6 K" in told[0]


def test_a_device_whose_temperature_stands_still_is_warm(warm):
    window, m, device = warm
    model, now = window.get(SetupModel), [0.0]
    m.log.clock = lambda: now[0]
    m.log._log.clear()
    for k in range(100):
        now[0] = 10.0 * k
        read(m, device, device=23.0 + 0.0005 * k)
    model.start(Check.WARM)
    last = model.book.record(model.line).last(Check.WARM)
    assert last.unit == "K"
    assert last.value == pytest.approx(0.045, abs=0.002)
    assert last.verdict == "within"
