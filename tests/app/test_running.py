"""A run from the window, with the keyboard: chosen, begun, paused, gone on with, judged; the next part, and in part."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton
from tests.runs.conftest import small_plan  # noqa: F401 - a fixture
from tests.runs.shop import FEW, Shop

from truegauge import demo
from truegauge.app.stages.devices import machine_model
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.measure.running import cut_off
from truegauge.app.stages.measure.running.model import RunModel
from truegauge.app.stages.measure.running.page import RunPage
from truegauge.app.stages.measure.running.verdict import counted_on
from truegauge.app.track.model import RouteModel
from truegauge.core.commands.subsets import SetSubset
from truegauge.core.samples.document import Touch
from truegauge.formats.machine_file import record_file, write_machine
from truegauge.formats.plan_file import write_plan
from truegauge.runs.journal import Journal

PATIENCE = 60_000


@pytest.fixture(scope="module")
def known(small_plan, evaluator):  # noqa: F811
    """What is known of the machine with seed 3: its styli are qualified."""
    shop = Shop(small_plan, evaluator)
    shop.qualify()
    yield shop.record
    shop.close()


@pytest.fixture
def machine(window, qtbot, settle, small_plan, evaluator, known, tmp_path, monkeypatch):  # noqa: F811
    """The window with the small plan, connected to its machine; the part was located by hand."""
    monkeypatch.setattr(machine_model, "record_folder", lambda: tmp_path / "machines")
    monkeypatch.setattr(cut_off, "journal_folder", lambda: tmp_path / "runs")
    write_plan(tmp_path / "small.tgplan", small_plan, demo.PART.read_bytes())
    shop = Shop(small_plan, evaluator)
    identity = shop.cmm.identity
    write_machine(record_file(tmp_path / "machines", identity), known, identity)
    shop.cmm.close()
    window.session.files.open_plan(tmp_path / "small.tgplan")
    settle()
    m, hands = window.get(MachineModel), shop.stand_in.hands
    m.connect_to("127.0.0.1", shop.stand_in.port, hands.port, hands.token)
    qtbot.waitUntil(lambda: m.connected and m.homed and not m.busy, timeout=PATIENCE)
    window.session.document.take_sample_out()
    window.shop = shop
    yield window
    window.session.document.sample_is_saved = True
    qtbot.waitUntil(lambda: not m.busy, timeout=PATIENCE)
    m.disconnect_machine()
    shop.close()


def located(window, settle):
    """Give the sample touches of the targets, as the guide takes them."""
    part = window.shop.world.part.machine_from_part
    touches = []
    for t in window.session.plan.alignments[0].targets:
        at = part[:3, :3] @ t.place + part[:3, 3]
        touches.append(Touch(target=t.name, place=tuple(map(float, at))))
    window.session.document.set_touches(tuple(touches))
    settle()


def press(qtbot, page, text):
    def found():
        return [b for b in page.findChildren(QPushButton) if b.text() == text and b.isVisible()]

    qtbot.waitUntil(lambda: bool(found()), timeout=PATIENCE)
    qtbot.mouseClick(found()[0], Qt.MouseButton.LeftButton)


def enter(qtbot, page):
    qtbot.keyClick(page.focusWidget() or page, Qt.Key.Key_Return)


def test_an_operator_runs_part_after_part_with_the_enter_key(machine, qtbot, settle):
    m, page, s = machine.get(RunModel), machine.get(RunPage), machine.session
    machine.actions_table.trigger("run-route")
    assert page.isVisible()
    assert not machine.benches.isVisible()
    assert page.title.text() == "What is to be run?"
    enter(qtbot, page)
    assert page.title.text() == "Locate the part by hand"
    enter(qtbot, page)
    assert s.stage == "align"
    located(machine, settle)
    machine.actions_table.trigger("run-route")
    enter(qtbot, page)
    assert page.title.text() == "Is the part in place?"
    page.serial.setText("LW-0099")
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "note", timeout=PATIENCE)
    assert page.title.text() == "Wipe the bore"
    # What is measured so far has its results before the run has ended.
    settle()
    flatness = next(c for c in s.plan.characteristics if c.features == ("base",) and not c.datums)
    qtbot.waitUntil(lambda: s.evaluation is not None and s.evaluation.result(flatness.id).measured is not None)
    assert s.in_run == {"main-bore"}
    states = {c.step: c.state for c in machine.get(RouteModel).track.chips}
    assert (states["m-base"], states["wipe"], states["m-main-bore"]) == ("done", "running", "")
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "done" and not machine.get(MachineModel).busy, timeout=PATIENCE)
    settle()
    assert s.sample.name == "LW-0099"
    assert {t.feature for t in s.sample.probed} == set(FEW)
    assert len(s.sample.probed) == 9 * 3 + 8
    assert page.title.text().startswith("LW-0099: ")
    # The next part: nothing by hand, and its number counts on.
    s.document.sample_is_saved = True
    enter(qtbot, page)
    assert page.serial.text() == "LW-0100"
    assert not list(cut_off.journal_folder().glob("*"))
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "note", timeout=PATIENCE)
    assert len(s.sample.touches) == 6
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "done" and not machine.get(MachineModel).busy, timeout=PATIENCE)
    assert (s.sample.name, len(s.sample.probed)) == ("LW-0100", 9 * 3 + 8)


def test_a_run_is_paused_skipped_and_left_to_the_joystick(machine, qtbot, settle):
    m, page, s = machine.get(RunModel), machine.get(RunPage), machine.session
    located(machine, settle)
    m.open()
    enter(qtbot, page)
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "note", timeout=PATIENCE)
    press(qtbot, page, "Pause")
    qtbot.waitUntil(lambda: m.at == "stopped", timeout=PATIENCE)
    assert page.title.text() == "Paused"
    press(qtbot, page, "Skip Wipe the bore")
    qtbot.waitUntil(lambda: m.at == "done", timeout=PATIENCE)
    m.again("m-main-bore")
    settle()
    assert page.title.text() == "The run stands"
    press(qtbot, page, "By hand")
    assert not page.isVisible()
    assert m.touching.by_hand
    assert [f.name for f in s.selection.features()] == ["main bore"]
    assert m.run.state.over["m-main-bore"].state == "skipped"
    assert machine.floating.notice.text.text() == "touch main bore by joystick, then go on"
    machine.actions_table.trigger("run-route")
    press(qtbot, page, "End the run")
    assert m.at == "choose"
    for _ in range(2):  # the selection goes first
        qtbot.keyClick(page, Qt.Key.Key_Escape)
    assert not page.isVisible()
    assert len(s.sample.probed) >= 9 * 3


def test_a_choice_is_run_and_said_and_saved_under_a_name(machine, qtbot, settle):
    m, page, s = machine.get(RunModel), machine.get(RunPage), machine.session
    size = next(c for c in s.plan.characteristics if c.features == ("main-bore",) and not c.datums)
    s.run(SetSubset("the bore", (size.id,)))
    located(machine, settle)
    m.open()
    titles = [page.list.item(k).text().split("\n")[0] for k in range(page.list.count())]
    assert titles == ["All of the route", "the bore"]
    page.list.setCurrentRow(1)
    assert "main bore: characteristic" in page.needs.text()
    assert "base A: alignment A, B, C" in page.needs.text()
    s.selection.select_characteristic(size.id)
    assert page.list.item(2).text().startswith("What is selected\n1 characteristic, 4 features")
    page.list.setCurrentRow(1)
    enter(qtbot, page)
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "note", timeout=PATIENCE)
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "done" and not machine.get(MachineModel).busy, timeout=PATIENCE)
    settle()
    qtbot.waitUntil(lambda: s.evaluation is not None and s.evaluation.results[0].measured is not None)
    assert [r.characteristic.id for r in s.evaluation.results] == [size.id]
    assert s.sample.about.subset == "the bore"
    assert "partial run (the bore): 1 of" in page.words.text()
    s.document.undo()
    assert s.plan.subsets == ()


def test_a_run_that_was_cut_off_is_offered_and_gone_on_with(machine, qtbot, settle, tmp_path):
    m, page, s = machine.get(RunModel), machine.get(RunPage), machine.session
    located(machine, settle)
    m.open()
    enter(qtbot, page)
    page.serial.setText("A7")
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "note", timeout=PATIENCE)
    press(qtbot, page, "Pause")
    qtbot.waitUntil(lambda: m.at == "stopped", timeout=PATIENCE)
    made = len(m.run.state.taken)
    # The process is gone: only the journal is left.
    m.run.journal.close()
    m.run = None
    m.at = "choose"
    s.document.take_sample_out()
    assert len(Journal.read(m.journal())[1].taken) == made == 9 * 3
    m.open()
    assert page.title.text() == "The run of A7 was cut off"
    assert page.words.text().startswith(f"{made} touches are made")
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "note", timeout=PATIENCE)
    assert s.sample.about.serial == "A7"
    assert len(s.sample.probed) == made
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "done" and not machine.get(MachineModel).busy, timeout=PATIENCE)
    assert len({t.place for t in s.sample.probed}) == len(s.sample.probed) == 9 * 3 + 8


def test_what_is_missing_is_said(window, settle, qtbot, small_plan, tmp_path):  # noqa: F811
    m, page = window.get(RunModel), window.get(RunPage)
    assert m.why_not() == "open a plan with a part first"
    write_plan(tmp_path / "small.tgplan", small_plan, demo.PART.read_bytes())
    window.session.files.open_plan(tmp_path / "small.tgplan")
    settle()
    m.open()
    assert page.title.text() == "Nothing can be run yet"
    assert page.words.text() == "connect to a machine first: see Devices"
    press(qtbot, page, "Close")
    assert window.benches.isVisible()


@pytest.mark.parametrize(
    ("before", "after"),
    [("LW-0099", "LW-0100"), ("7", "8"), ("A9b", "A10b"), ("x", ""), ("1-09-x", "1-10-x")],
)
def test_serial_numbers_count_on(before, after):
    assert counted_on(before) == after
