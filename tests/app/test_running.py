"""A run from the window, with the keyboard: chosen, begun, paused, gone on with, judged; the next part, and in part."""

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton
from tests.app.conftest import PATIENCE
from tests.runs.conftest import small_plan  # noqa: F401 - a fixture
from tests.runs.shop import FEW, Shop

from truegauge import demo
from truegauge.app.stages.devices import machine_model
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.measure.running import cut_off
from truegauge.app.stages.measure.running.model import RunModel
from truegauge.app.stages.measure.running.page import RunPage
from truegauge.app.track.model import RouteModel
from truegauge.core.commands.readings import RemoveCharacteristics
from truegauge.core.commands.routes import SetRoute
from truegauge.core.commands.subsets import SetSubset
from truegauge.core.routes.original import accepted
from truegauge.core.samples.document import ProbedTouch, Touch
from truegauge.core.samples.serials import counted_on
from truegauge.formats.machine_file import record_file, write_machine
from truegauge.formats.plan_file import write_plan
from truegauge.runs.journal import Journal


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


def located(window, settle, device=""):
    """Give the sample touches of the targets, as the guide takes them."""
    part = window.shop.world.part.machine_from_part
    touches = []
    for t in window.session.plan.alignments[0].targets:
        at = part[:3, :3] @ t.place + part[:3, 3]
        touches.append(Touch(target=t.name, place=tuple(map(float, at))))
    window.session.document.set_touches(tuple(touches), device or window.get(MachineModel).machine)
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
    by_hand = tuple(
        ProbedTouch(place=(float(k), 2.0, 3.0), approach=(0.0, 0.0, -1.0), radius=2.0, feature="main-bore")
        for k in range(4)
    )
    s.document.set_probed((*s.sample.probed, *by_hand))
    m.again("m-side-c")
    machine.actions_table.trigger("run-route")
    press(qtbot, page, "Go on")
    qtbot.waitUntil(lambda: m.at == "done", timeout=PATIENCE)
    assert tuple(t for t in s.sample.probed if t.feature == "main-bore") == by_hand
    assert sum(t.feature == "side-c" for t in s.sample.probed) == 9
    m.again("m-side-c")
    qtbot.wait(200)
    press(qtbot, page, "End the run")
    assert m.at == "choose"
    for _ in range(2):  # the selection goes first
        qtbot.keyClick(page, Qt.Key.Key_Escape)
    assert not page.isVisible()
    settle()
    # What was not done again after all keeps the touches that it had.
    assert sum(t.feature == "side-c" for t in s.sample.probed) == 9
    assert len(s.sample.probed) == 9 * 3 + 4


def test_a_choice_is_run_and_said_and_saved_under_a_name(machine, qtbot, settle):
    m, page, s = machine.get(RunModel), machine.get(RunPage), machine.session
    size = next(c for c in s.plan.characteristics if c.features == ("main-bore",) and not c.datums)
    s.run(SetSubset("the bore", (size.id,)))
    located(machine, settle)
    m.open()
    assert titles(page) == ["All of the route", "the bore"]
    page.list.setCurrentRow(1)
    assert "main bore: characteristic" in page.needs.text()
    assert "base A: alignment A, B, C" in page.needs.text()
    s.selection.select_characteristic(size.id)
    assert page.list.item(2).text().startswith("The selected rows\n1 characteristic, 4 features")
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


def test_the_original_order_is_run_once_where_there_is_one(machine, qtbot, settle):
    m, page, s = machine.get(RunModel), machine.get(RunPage), machine.session
    located(machine, settle)
    m.open()
    enter(qtbot, page)
    assert not page.original.isVisible()
    steps = s.plan.route.steps
    turned = s.plan.route.replace(steps=(*steps[:2], steps[3], steps[2], *steps[4:]))
    s.run(SetRoute(accepted(s.plan.route, turned), "a shorter order"))
    settle()
    page.refresh()
    assert page.original.isVisible()
    # However wide the page is, the window is no wider when the bench comes back.
    page.serial.setFixedWidth(380)
    qtbot.wait(50)
    assert machine.width() == 1280
    m.close_page()
    qtbot.wait(50)
    assert machine.width() == 1280
    m.open()
    enter(qtbot, page)
    page.original.click()
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "note", timeout=PATIENCE)
    run = [x.id for x in m.run.program.work.route.steps if x.id.startswith("m-")]
    assert run == [x.id for x in steps if x.id.startswith("m-")]
    assert s.plan.route.steps == turned.steps
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "done", timeout=PATIENCE)
    s.document.sample_is_saved = True
    enter(qtbot, page)
    assert page.original.isVisible()
    assert not page.original.isChecked()


def titles(page):
    return [page.list.item(k).text().split("\n")[0] for k in range(page.list.count())]


def test_the_list_of_what_can_be_run_follows_what_is_selected_and_what_is_chosen_stays(machine, qtbot, settle):
    m, page, s = machine.get(RunModel), machine.get(RunPage), machine.session
    first, second = [c for c in s.plan.characteristics if len(c.features) == 1 and not c.datums][:2]
    located(machine, settle)
    m.open()
    s.selection.select_characteristic(first.id)
    assert titles(page) == ["All of the route", "The selected rows", "All of the selected features"]
    # A tag beside it, and what the search leaves in the ledger.
    s.selection.toggle_characteristic(second.id)
    assert m.offers()[1].choice.characteristics == tuple(c.id for c in s.plan.characteristics if c in (first, second))
    s.selection.toggle_characteristic(second.id)
    machine.ledger.search.setText(second.name)
    listed = next(o for o in m.offers() if o.key == "listed")
    assert {s.plan.characteristic(i).name for i in listed.choice.characteristics} == {
        c.name for c in s.plan.characteristics if second.name in c.name
    }
    assert "All rows that are listed" in titles(page)
    machine.ledger.search.setText("")
    s.selection.select_characteristic(first.id)
    assert titles(page) == ["All of the route", "The selected rows", "All of the selected features"]
    page.list.setCurrentRow(2)
    s.run(SetSubset("one of them", (second.id,)))
    assert titles(page)[1] == "one of them"
    assert page.list.currentRow() == 3
    page.list.setCurrentRow(2)
    s.selection.select_characteristic(second.id)
    enter(qtbot, page)
    assert m.offer.choice.characteristics == (second.id,)
    # What was chosen goes from the plan: it is chosen anew.
    assert m.at == "place"
    s.run(RemoveCharacteristics(frozenset({second.id})))
    assert m.at == "choose"
    s.selection.select(())
    assert titles(page) == ["All of the route"]
    page.list.setCurrentRow(0)
    enter(qtbot, page)
    assert m.offer.choice.is_all


def test_touches_of_another_machine_do_not_tell_where_the_part_lies(machine, qtbot, settle):
    m, page = machine.get(RunModel), machine.get(RunPage)
    located(machine, settle, device="another machine 7")
    m.open()
    enter(qtbot, page)
    assert page.title.text() == "Locate the part by hand"
    located(machine, settle)
    m.open()
    enter(qtbot, page)
    assert page.title.text() == "Is the part in place?"


def test_a_run_is_left_and_gone_on_with_where_another_plan_is_opened_meanwhile(machine, qtbot, settle, tmp_path):
    m, page, s = machine.get(RunModel), machine.get(RunPage), machine.session
    small = s.plan
    located(machine, settle)
    m.open()
    enter(qtbot, page)
    page.serial.setText("A8")
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.run is not None and len(m.run.state.taken) > 8, timeout=PATIENCE)
    s.document.sample_is_saved = True
    other = small.replace(name="other", features=small.features)
    write_plan(tmp_path / "other.tgplan", other, demo.PART.read_bytes())
    s.files.open_plan(tmp_path / "other.tgplan")
    settle()
    assert s.plan.name == "other"
    assert m.run is None
    assert m.at == "choose"
    assert "The run of A8 stands" in machine.floating.notice.text.text()
    qtbot.waitUntil(lambda: not machine.get(MachineModel).busy, timeout=PATIENCE)
    kept = s.sample.probed
    s.document.take_sample_out()
    settle()
    s.files.open_plan(tmp_path / "small.tgplan")
    settle()
    m.open()
    assert page.title.text() == "The run of A8 was cut off"
    assert len(kept) <= len(Journal.read(m.cut_off.path)[1].taken)
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "note", timeout=PATIENCE)
    enter(qtbot, page)
    qtbot.waitUntil(lambda: m.at == "done" and not machine.get(MachineModel).busy, timeout=PATIENCE)
    assert (s.sample.name, len(s.sample.probed)) == ("A8", 9 * 3 + 8)
    # A sample that is opened over a run that is over ends it: nothing of it is done again in another's touches.
    s.document.sample_is_saved = True
    s.document.take_sample_out()
    assert m.run is None
    assert not m.cut_off.path.exists()


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
    assert len(Journal.read(m.cut_off.path)[1].taken) == made == 9 * 3
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
