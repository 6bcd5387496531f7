"""The Devices stage in real widgets: a probe is built, qualified on the stand-in, and the part is touched with it."""

import json
from types import SimpleNamespace

import numpy as np
import pytest
from PySide6.QtCore import Qt
from tests.app.conftest import PATIENCE

from truegauge import demo
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.stages.devices import machine_model
from truegauge.app.stages.devices.machine_model import MachineModel
from truegauge.app.stages.devices.machine_view import MachineView
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.stages.devices.readout import MachineReadout
from truegauge.app.stages.devices.result_page import ResultPage
from truegauge.app.stages.devices.touch_model import TouchModel
from truegauge.app.stages.report.making import ReportMaker
from truegauge.core.commands.shown import SetDisplay
from truegauge.core.evaluation.needed import needed_features
from truegauge.core.evaluation.touch_needs import datum_features
from truegauge.core.probing.assembly import HeadPose
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import StylusState
from truegauge.core.samples.document import ProbedTouch
from truegauge.core.tolerancing.judgement import State
from truegauge.demo.cmm import part_to_place
from truegauge.devices.cmm.words import MachineTouch
from truegauge.devices.cmm_sim.build import make_world, start
from truegauge.devices.cmm_sim.settings import MachineSettings
from truegauge.formats.catalogue import own_catalogue
from truegauge.formats.plan_file import read_plan
from truegauge.formats.sample_file import read_sample, write_sample
from truegauge.reporting.report import make_report
from truegauge.runs.events import FeatureComplete, FeatureTouched


@pytest.fixture(autouse=True)
def own_record(tmp_path, monkeypatch):
    monkeypatch.setattr(machine_model, "record_folder", lambda: tmp_path / "machines")


@pytest.fixture
def stage(own_record, window, settle):
    window.session.files.open_plan(demo.CMM_PLAN)
    settle()
    window.session.set_stage("devices")
    return window


def click(qtbot, button):
    assert button.isEnabled(), button.text()
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)


def machine_is_idle(window, qtbot):
    qtbot.waitUntil(lambda: not window.get(MachineModel).busy, timeout=PATIENCE)


@pytest.fixture
def connected(stage, qtbot, evaluator):
    """The window with a session to a stand-in in this process, homed."""
    plan = read_plan(demo.CMM_PLAN).plan
    part = part_to_place(evaluator.model, evaluator.projector, is_housing=True)
    world = make_world(MachineSettings(), 1, (), plan, part)
    running = start(world, hands_port=0)
    stage.world = world
    stage.running = running
    page = stage.parts["devices"].bench.machine_page
    page.port.setText(str(running.port))
    stage.get(MachineModel).connect_to("127.0.0.1", running.port, running.hands.port, running.hands.token)
    machine_is_idle(stage, qtbot)
    qtbot.waitUntil(lambda: stage.get(MachineModel).connected, timeout=PATIENCE)
    machine_is_idle(stage, qtbot)
    stage.get(MachineModel).home()
    machine_is_idle(stage, qtbot)
    assert stage.get(MachineModel).homed
    yield stage
    stage.get(MachineModel).disconnect_machine()
    running.close()


def qualify(window, qtbot, uses):
    """Qualify styli with the buttons of the page; the operator of the stand-in makes the first touch."""
    page = window.parts["devices"].bench.qualify_page
    window.get(DevicesModel).set_page("qualify")
    for k in range(page.list.count()):
        page.list.item(k).setSelected(page.list.item(k).data(Qt.ItemDataRole.UserRole).use in uses)
    click(qtbot, page.selected)
    by_hand = [False]

    def ended():
        state = window.get(DevicesModel).qualifying.run_state
        if state is not None and state.text and not by_hand[0]:
            by_hand[0] = True
            assert page.operator.isVisible()
            click(qtbot, page.operator)
        return state is None and not window.get(MachineModel).busy

    qtbot.waitUntil(ended, timeout=PATIENCE)
    return by_hand[0]


def stands(qualifying):
    return qualifying.run_state is None or bool(qualifying.run_state.stopped)


def test_a_probe_is_built_of_what_fits(stage, qtbot):
    stage.get(DevicesModel).set_page("probe")
    page = stage.parts["devices"].bench.probe_page
    before = stage.session.plan
    click(qtbot, page.new)
    assert page.fits.text() == "Fits the joint “quill”"
    for words in ("fixed", "extension 100", "sensor m2", "ball ø2 10"):
        page.search.setText(words)
        assert page.list.count() >= 1
        click(qtbot, page.add)
    own = stage.get(DevicesModel).assembly
    assert [p.component.kind for p in own.parts] == ["head", "extension", "sensor", "stylus"]
    assert page.fits.text() == "No end is free"
    assert own.styli()[0].center[2] == pytest.approx(-(54 + 100 + 38 + 10))
    page.name.setText("Deep 2")
    page.name.editingFinished.emit()
    assert stage.get(DevicesModel).assembly.name == "Deep 2"
    while stage.session.plan != before:
        stage.session.document.undo()
    assert [a.name for a in stage.session.plan.probing.assemblies] == ["Short 4", "Long 3"]


def test_components_from_a_file_can_be_chosen(stage, qtbot, tmp_path):
    mine = own_catalogue().component("ball-m2-4-20").replace(id="mine", name="Larkspur needle")
    path = tmp_path / "mine.json"
    path.write_text(json.dumps({"components": [mine.model_dump(mode="json")]}))
    stage.get(DevicesModel).add_catalogue(path)
    stage.get(DevicesModel).set_page("probe")
    stage.get(DevicesModel).remove_component("c3")
    assert "Larkspur needle" in [c.name for c in stage.get(DevicesModel).fitting("needle")]
    again = DevicesModel(stage.get(MachineModel))  # the next start knows them too
    assert "Larkspur needle" in [c.name for c in again.catalogue.components]
    path.write_text("{}")
    stage.get(DevicesModel).add_catalogue(path)
    assert 'a list named "components" is missing' in stage.notices[-1].text
    DevicesModel(stage.get(MachineModel))
    assert stage.notices[-1].action == "Forget it"
    stage.notices[-1].callback()
    said = len(stage.notices)
    assert len(DevicesModel(stage.get(MachineModel)).catalogue.components) == len(own_catalogue().components)
    assert len(stage.notices) == said


def test_poses_are_typed_filtered_and_refused_with_a_reason(stage, qtbot):
    stage.get(DevicesModel).set_page("poses")
    page = stage.parts["devices"].bench.poses_page
    page.typed.setText("45/15 45/-15")
    click(qtbot, page.add)
    assert HeadPose(tilt_deg=45.0, turn_deg=-15.0) in stage.get(DevicesModel).assembly.poses
    assert page.table.rowCount() == 7
    page.filter.setText("45")
    assert page.table.rowCount() == 2
    page.typed.setText("120/0")
    click(qtbot, page.add)
    assert "tilt 120° is beyond its head, which reaches 0° to 105°" in stage.notices[-1].text
    page.typed.setText("straight")
    click(qtbot, page.add)
    assert "type tilt/turn in degrees" in stage.notices[-1].text
    qtbot.mouseClick(page.dial, Qt.MouseButton.LeftButton, pos=page.dial._middle().toPoint())
    assert stage.get(DevicesModel).chosen_pose == HeadPose()
    click(qtbot, page.needed)
    assert "features are served by" in page.answers.text()


def test_ports_of_the_rack_are_edited_in_place(stage):
    stage.get(DevicesModel).set_page("rack")
    page = stage.parts["devices"].bench.rack_page
    page.table.item(0, 1).setText("75.5")
    assert stage.session.plan.probing.rack[0].place[0] == 75.5
    page.table.item(0, 1).setText("left")
    assert "'left' cannot be used for X" in stage.notices[-1].text
    assert page.table.item(0, 1).text() == "75.5"
    stage.session.document.undo()
    assert stage.session.plan.probing.rack[0].place[0] == 60.0


def test_nothing_to_connect_to_is_said(stage, qtbot):
    page = stage.parts["devices"].bench.machine_page
    page.port.setText("x")
    click(qtbot, page.connect_button)
    assert "is no port" in stage.notices[-1].text
    page.port.setText("1")
    click(qtbot, page.connect_button)
    machine_is_idle(stage, qtbot)
    assert "no machine answers at 127.0.0.1:1" in stage.notices[-1].text


def test_qualifying_and_what_comes_of_changing_the_probe(connected, qtbot, tmp_path):
    w = connected
    use = w.get(DevicesModel).probing.uses()[1]
    assert qualify(w, qtbot, {use})
    assert w.get(MachineModel).state(use).state == StylusState.QUALIFIED
    (path,) = (tmp_path / "machines").iterdir()
    assert len(json.loads(path.read_text())["qualifications"]) == 2  # the master first
    w.get(DevicesModel).choose_use(use)
    assert w.center.currentWidget() is w.get(ResultPage)
    assert w.get(ResultPage).record().verdict == "good"
    w.get(ResultPage).grab()
    # Another stylus on it: not qualified as it is built now; undone: as before.
    w.get(DevicesModel).choose_assembly("p1")
    w.get(DevicesModel).remove_component("c3")
    w.get(DevicesModel).add_component(own_catalogue().component("ball-m2-4-30"))
    changed = StylusUse(assembly="p1", stylus=w.get(DevicesModel).assembly.styli()[0].id, pose=use.pose)
    assert w.get(MachineModel).state(changed).state == StylusState.NOT_QUALIFIED
    w.session.document.undo()
    w.session.document.undo()
    assert w.get(MachineModel).state(use).state == StylusState.QUALIFIED
    # The sphere was moved: the next run asks for a touch by hand, and says why.
    w.get(DevicesModel).qualifying.sphere_moved()
    assert "may have been moved" in w.get(DevicesModel).why_by_hand()
    assert qualify(w, qtbot, {use})


def test_nothing_is_measured_with_a_stylus_that_is_not_qualified(connected, qtbot):
    w = connected
    use = w.get(DevicesModel).probing.uses()[0]
    w.get(MachineModel).take_stylus(use)
    machine_is_idle(w, qtbot)
    w.session.set_stage("measure")
    w.session.selection.select((w.session.plan.features[0].faces,))
    w.get(TouchModel).set_by_hand(True)
    touch = MachineTouch(np.array([1.0, 2, 3]), np.array([0, 0, 1.0]))
    w.get(MachineModel).touched.emit(touch)
    assert not w.get(TouchModel).probed
    assert "the touch does not count: Short 4, stylus 1, 0/0 is not qualified" in w.notices[-1].text
    w.get(DevicesModel).change(w.get(DevicesModel).probing.replace(allow_unqualified=True), "allow")
    w.get(MachineModel).touched.emit(touch)
    (made,) = w.get(TouchModel).probed
    assert not made.qualified
    qtbot.waitUntil(lambda: w.session.evaluation is not None and not w.session.queue.is_busy, timeout=PATIENCE)
    report = make_report(w.session.evaluation, w.session.sample, (), "today")
    assert any("Not qualified, and measured with all the same" in line for line in report.alignment)


def test_touches_by_hand_are_counted_taken_back_and_recognised(connected, qtbot):
    w = connected
    w.get(DevicesModel).change(w.get(DevicesModel).probing.replace(allow_unqualified=True), "allow")
    w.get(MachineModel).take_stylus(w.get(DevicesModel).probing.uses()[0])
    machine_is_idle(w, qtbot)
    w.session.set_stage("measure")
    panel = w.parts["measure"].bench.touching
    w.get(TouchModel).set_by_hand(True)
    angle = np.linspace(0, 2 * np.pi, 7, endpoint=False)
    out = np.column_stack([-np.cos(angle), -np.sin(angle), np.zeros(7)])
    for k in range(7):
        w.get(MachineModel).touched.emit(MachineTouch(-8.0 * out[k] + [300, 300, -400 + k], out[k]))
    assert len(w.get(TouchModel).probed) == 7
    panel.refresh()
    assert panel.count.text() == "7 touches"
    assert panel.suggestion.text().startswith("7 open touches lie on a hole Ø20.0")
    click(qtbot, panel.back)
    assert panel.count.text() == "6 touches"
    bore = next(f for f in w.session.plan.features if f.name == "main bore")
    w.session.selection.select((bore.faces,))
    panel.refresh()
    assert (panel.touches.value(), panel.rows.value()) == (12, 3)
    panel.touches.setValue(20)
    assert w.session.plan.route.step_of(bore.id).strategy.touches == 20
    w.session.document.undo()
    assert panel.touches.value() == 12
    click(qtbot, panel.assign)
    assert w.get(TouchModel).count(bore.id) == 6


def test_the_joystick_is_held_by_keys(connected, qtbot):
    w = connected
    w.get(MachineModel).take_stylus(w.get(DevicesModel).probing.uses()[0])
    machine_is_idle(w, qtbot)
    before = w.world.drive.scales.copy()
    qtbot.keyPress(w.get(MachineView), Qt.Key.Key_PageDown)
    qtbot.waitUntil(lambda: w.world.drive.scales[2] < before[2] - 1.0, timeout=PATIENCE)
    qtbot.keyRelease(w.get(MachineView), Qt.Key.Key_PageDown)
    qtbot.waitUntil(lambda: not w.running.hands._velocity.any(), timeout=PATIENCE)
    assert w.world.drive.scales[2] < before[2] - 1.0
    assert np.allclose(w.world.drive.scales[:2], before[:2])
    qtbot.waitUntil(lambda: w.get(MachineModel).seen.get("mounted") == "Short 4", timeout=PATIENCE)
    w.get(MachineView).grab()


def test_an_edited_probe_is_built_at_the_stand_in_too(connected, qtbot):
    w = connected
    w.get(DevicesModel).choose_assembly("p1")
    w.get(DevicesModel).rename_assembly("Shorter")
    qtbot.waitUntil(lambda: "Shorter" in w.world.rack, timeout=PATIENCE)  # the rack is told after the probes
    assert "Shorter" in w.world.assemblies


def test_what_another_page_showed_is_not_seen_on_this(connected):
    view, model = connected.get(MachineView), connected.get(DevicesModel)
    for page in ("machine", "probe", "machine", "poses", "qualify"):
        model.set_page(page)
        view.grab()  # at once, before there was time to render
        assert view.picture.seen_from is view.camera
        view.finish()
        assert view.picture.seen_from is view.camera


def test_a_fault_is_made_to_happen_from_the_page(connected, qtbot):
    w = connected
    page = w.parts["devices"].bench.machine_page
    page.fault.setCurrentIndex(page.fault.findData("dirty-sphere"))
    page._on_fault()
    qtbot.waitUntil(lambda: w.world.faults.size("dirty-sphere") == 1.0, timeout=PATIENCE)
    page.fault.setCurrentIndex(page.fault.findData("cut"))
    page._on_fault()
    qtbot.waitUntil(lambda: len(w.world.faults.every) == 2, timeout=PATIENCE)
    w.get(MachineModel).ask_state()  # its answer is cut
    qtbot.waitUntil(lambda: not w.get(MachineModel).connected, timeout=PATIENCE)
    assert any(f.name == "dirty-sphere" for f in w.world.faults.every)


def test_a_lost_machine_is_told_once_and_nothing_is_lost(connected, qtbot):
    w = connected
    w.running.server.power_off()
    qtbot.waitUntil(lambda: any("connection to the machine was lost" in n.text for n in w.notices), timeout=PATIENCE)
    assert w.notices[-1].action == "Connect again"
    page = w.parts["devices"].bench.machine_page
    w.get(DevicesModel).set_page("machine")
    page.refresh()
    assert page.state.text().endswith("connection lost")
    w.running.server.power_on()
    w.notices[-1].callback()
    machine_is_idle(w, qtbot)
    qtbot.waitUntil(lambda: w.get(MachineModel).connected, timeout=PATIENCE)
    machine_is_idle(w, qtbot)
    assert not w.get(MachineModel).homed  # it lost its power
    click(qtbot, page.home)
    machine_is_idle(w, qtbot)
    assert w.get(MachineModel).homed


def test_a_whole_session_on_the_stand_in(stage, qtbot, settle, tmp_path):
    """Start the stand-in, qualify five poses, align by seven touches, measure ten features, report."""
    w = stage
    page = w.parts["devices"].bench.machine_page
    page.pace.setValue(0)
    click(qtbot, page.stand_in_button)
    qtbot.waitUntil(lambda: w.get(MachineModel).connected and not w.get(MachineModel).busy, timeout=PATIENCE)
    click(qtbot, page.home)
    machine_is_idle(w, qtbot)
    poses = {u for u in w.get(DevicesModel).probing.uses() if u.assembly == "p1"}
    assert len(poses) == 5
    assert qualify(w, qtbot, poses)
    assert {w.get(MachineModel).state(u).state for u in poses} == {StylusState.QUALIFIED}

    w.session.set_stage("align")
    w.get(AlignModel).choose("touches")
    panel = w.parts["align"].bench.kind
    click(qtbot, panel.guide.run)
    for k in range(1, 8):
        panel.guide.touch.click()
        qtbot.waitUntil(
            lambda n=k: len(w.get(GuideModel).touches) == n and not w.get(MachineModel).busy,
            timeout=PATIENCE,
        )
    w.get(GuideModel).stop()
    settle()
    assert w.get(TouchModel).part_from_machine() is not None

    w.session.set_stage("measure")
    names = ("base A", "side B", "side C", "top face", "main bore", "cross bore", "boss", "ball socket", "bolt hole 1",
             "bolt hole 4")  # fmt: skip
    ten = tuple(f for f in w.session.plan.features if f.name in names)
    w.session.selection.select(tuple(f.faces for f in ten))
    touch_panel = w.parts["measure"].bench.touching
    touch_panel.refresh()
    click(qtbot, touch_panel.run)
    qtbot.waitUntil(lambda: w.get(TouchModel).job is not None, timeout=PATIENCE)
    qtbot.waitUntil(lambda: w.get(TouchModel).job is None and not w.get(MachineModel).busy, timeout=PATIENCE)
    assert not w.get(TouchModel).left
    qtbot.waitUntil(lambda: (not w.session.queue.is_busy and w.session.evaluation.result("c13") is not None)
                    or not w.session.queue.is_busy, timeout=PATIENCE)  # fmt: skip
    w.session.evaluating.evaluate()
    settle()
    found = {r.characteristic.number: r for r in w.session.evaluation.results}
    truth = {4: 42.012, 7: 24.0, 10: 60.025, 13: 30.18, 14: 29.978, 15: 24.016}
    for number, value in truth.items():
        # The ball socket is a shallow cap: its diameter has eight times the error of a touch.
        room = 0.012 if number == 15 else 0.004
        assert found[number].measured == pytest.approx(value, abs=room), found[number].reason
    assert found[13].state == State.OUTSIDE
    assert {t.qualified for t in w.get(TouchModel).probed} == {True}
    rows = {t.row for t in w.get(TouchModel).probed if t.feature == "main-bore"}
    assert rows >= {0, 1}  # the rings of the strategy come with the touches
    assert {t.row for t in w.get(TouchModel).probed if t.feature == "base"} == {-1}

    path = tmp_path / "touched.tgsample"
    write_sample(path, w.session.sample, ())
    assert read_sample(path)[0].data == w.session.sample.data
    w.session.set_stage("report")
    qtbot.waitUntil(lambda: w.get(ReportMaker).pdf.startswith(b"%PDF"), timeout=PATIENCE)


def test_on_another_machine_nothing_of_this_one_is_believed(connected, qtbot, evaluator):
    w = connected
    use = w.get(DevicesModel).probing.uses()[0]
    qualify(w, qtbot, {use})
    assert w.get(MachineModel).state(use).state == StylusState.QUALIFIED
    assert not w.get(DevicesModel).why_by_hand()
    first = w.get(MachineModel).machine
    other = start(make_world(MachineSettings(), 2, (), read_plan(demo.CMM_PLAN).plan))
    w.get(MachineModel).connect_to("127.0.0.1", other.port)
    machine_is_idle(w, qtbot)
    qtbot.waitUntil(lambda: w.get(MachineModel).connected and w.get(MachineModel).machine != first, timeout=PATIENCE)
    assert w.get(MachineModel).state(use).state == StylusState.NOT_QUALIFIED
    assert "does not know yet where the reference sphere stands" in w.get(DevicesModel).why_by_hand()
    other.close()
    w.get(MachineModel).connect_to("127.0.0.1", w.running.port)
    machine_is_idle(w, qtbot)
    qtbot.waitUntil(lambda: w.get(MachineModel).machine == first, timeout=PATIENCE)
    assert w.get(MachineModel).state(use).state == StylusState.QUALIFIED


def test_old_touches_stay_until_the_new_ones_are_all_there(connected, qtbot):
    w, model = connected, connected.get(TouchModel)
    bore, base = w.session.plan.features[:2]
    old = tuple(ProbedTouch(place=(float(k), 0.0, 0.0), approach=(0.0, 0.0, -1.0), radius=2.0, feature=bore.id,
                            stylus="old", warning="", qualified=True) for k in range(4))  # fmt: skip
    w.session.document.set_probed(old, None)
    model._instead = {bore.id: []}
    new = [t.replace(stylus="new") for t in old[:3]]
    for touch in new[:2]:
        model._on_told(FeatureTouched(touch))
    assert model.count_in_run(bore.id) == 2
    assert model.probed == old
    model.give_up()
    assert model.probed == old
    model._instead = {bore.id: []}
    for touch in new:
        model._on_told(FeatureTouched(touch))
    model._on_told(FeatureTouched(new[0].replace(feature=base.id)))
    route = SimpleNamespace(feature=SimpleNamespace(id=bore.id))
    model._on_told(FeatureComplete(route))
    qtbot.waitUntil(lambda: model.count(base.id) == 1)
    assert {t.stylus for t in model.probed if t.feature == bore.id} == {"new"}
    assert model.count(bore.id) == 3


def test_a_touch_of_a_stylus_that_nobody_knows_is_asked_about(connected, qtbot):
    w, model, bar = connected, connected.get(TouchModel), connected.get(MachineReadout)
    w.get(DevicesModel).change(w.get(DevicesModel).probing.replace(allow_unqualified=True), "allow")
    uses = w.get(DevicesModel).probing.uses()
    w.get(MachineModel).cmm.use, w.get(MachineModel).cmm.mounted = None, ""
    w.session.set_stage("measure")
    model.set_by_hand(True)
    w.get(MachineModel).touched.emit(MachineTouch(np.array([300.0, 300, -400]), np.array([0.0, 0, 1])))
    assert not model.probed
    assert "say first which stylus touches" in w.notices[-1].text
    bar.refresh()
    assert bar.stylus.currentText() == "which stylus touches?"
    w.get(MachineModel).cmm.mounted = "Short 4"
    w.get(MachineModel).do("mount", name="Short 4")
    qtbot.waitUntil(lambda: not w.get(MachineModel).hand_queue.is_busy, timeout=PATIENCE)
    before = w.world.drive.scales.copy()
    bar.stylus.setCurrentIndex(bar.stylus.findData(uses[0]))
    bar.stylus.activated.emit(bar.stylus.currentIndex())
    machine_is_idle(w, qtbot)
    assert w.get(MachineModel).cmm.use == uses[0]
    assert (w.world.drive.scales == before).all()
    w.get(MachineModel).touched.emit(MachineTouch(np.array([300.0, 300, -400]), np.array([0.0, 0, 1])))
    assert [t.stylus for t in model.probed] == [w.get(DevicesModel).probing.name_of(uses[0])]


def test_what_the_machine_says_by_itself_is_told(connected, qtbot):
    w = connected
    w.running.server._session.send("E0000", "!", 'Error(2, 1009, "door", "the door is open")')
    qtbot.waitUntil(lambda: "the door is open" in w.get(MachineModel).error, timeout=PATIENCE)
    assert w.notices[-1].action == "Clear the error"


def test_after_an_error_the_joystick_is_the_users_and_a_stylus_can_be_left_out(connected, qtbot):
    w = connected
    uses = w.get(DevicesModel).probing.uses()
    qualify(w, qtbot, {uses[0]})
    failing = iter([True])
    measure = w.world.measure

    def collides(target, normal):
        if next(failing, False):
            w.world._collide("tip 1", "the reference sphere")
        return measure(target, normal)

    w.world.measure = collides
    w.get(DevicesModel).qualifying.qualify(uses[1:3])
    qtbot.waitUntil(
        lambda: (
            w.get(DevicesModel).qualifying.run_state is None or bool(w.get(DevicesModel).qualifying.run_state.stopped)
        ),
        timeout=PATIENCE,
    )
    machine_is_idle(w, qtbot)
    assert "met the reference sphere" in w.get(DevicesModel).qualifying.run_state.stopped
    assert w.running.server.user_enabled
    page = w.parts["devices"].bench.qualify_page
    page.refresh()
    assert page.skip.isVisibleTo(page)
    click(qtbot, page.skip)  # the error is cleared with it
    qtbot.waitUntil(lambda: w.get(DevicesModel).qualifying.run_state is None, timeout=PATIENCE)
    machine_is_idle(w, qtbot)
    assert w.get(MachineModel).state(uses[1]).state == StylusState.NOT_QUALIFIED
    assert w.get(MachineModel).state(uses[2]).state == StylusState.QUALIFIED
    assert w.running.server.user_enabled


def test_tools_of_the_machine_are_given_to_styli_in_a_table(stage, qtbot):
    from tests.devices.other_server import OtherServer

    other = OtherServer({"RefTool": (np.array([0.0, 0, -112]), 2.0), "Side": (np.array([0.0, 56, -56]), 2.0)})
    w = stage
    w.get(DevicesModel).set_page("machine")
    w.get(MachineModel).connect_to("127.0.0.1", other.port, name="Old Iron")
    machine_is_idle(w, qtbot)
    qtbot.waitUntil(lambda: w.get(MachineModel).connected, timeout=PATIENCE)
    page = w.parts["devices"].bench.machine_page
    page.refresh()
    assert page.names.isVisibleTo(page)
    box = page.names.table.cellWidget(0, 1)
    assert [box.itemText(k) for k in range(box.count())] == ["-", "RefTool", "Side"]
    box.textActivated.emit("RefTool")
    use = w.get(DevicesModel).probing.uses()[0]
    w.get(MachineModel).take_stylus(use)
    machine_is_idle(w, qtbot)
    assert w.get(MachineModel).cmm.use == use
    assert any('SetTool("RefTool")' in line for line in other.seen)
    w.get(MachineModel).disconnect_machine()
    # It is kept with the machine.
    w.get(MachineModel).connect_to("127.0.0.1", other.port, name="Old Iron")
    machine_is_idle(w, qtbot)
    qtbot.waitUntil(lambda: w.get(MachineModel).connected, timeout=PATIENCE)
    assert [t.name for t in w.get(MachineModel).cmm.names] == ["RefTool"]
    page.refresh()
    assert page.table.text() == ""
    page.table.setText("-750.5")
    page.table.editingFinished.emit()
    assert [o.z for o in w.get(MachineModel).known().obstacles if o.name == "the table"] == [-750.5]
    w.get(MachineModel).disconnect_machine()
    other.close()


def test_a_new_run_clears_no_error_that_nobody_looked_at(connected, qtbot):
    w = connected
    uses = w.get(DevicesModel).probing.uses()
    qualify(w, qtbot, {uses[0]})
    w.world.fault_text = "the door was opened"
    w.get(DevicesModel).qualifying.qualify(uses[1:2])
    qtbot.waitUntil(
        lambda: (
            w.get(DevicesModel).qualifying.run_state is None or bool(w.get(DevicesModel).qualifying.run_state.stopped)
        ),
        timeout=PATIENCE,
    )
    machine_is_idle(w, qtbot)
    assert "stands still: the door was opened" in w.get(DevicesModel).qualifying.run_state.stopped
    assert w.world.fault_text
    w.get(DevicesModel).qualifying.go_on()  # now it was told
    qtbot.waitUntil(lambda: w.get(DevicesModel).qualifying.run_state is None, timeout=PATIENCE)
    machine_is_idle(w, qtbot)
    assert w.get(MachineModel).state(uses[1]).state == StylusState.QUALIFIED


def test_connected_again_it_is_asked_which_machine_answers(connected, qtbot):
    w = connected
    use = w.get(DevicesModel).probing.uses()[0]
    qualify(w, qtbot, {use})
    w.world.seed += 7  # somebody put another one there
    w.get(MachineModel).go_online()
    machine_is_idle(w, qtbot)
    assert w.get(MachineModel).state(use).state == StylusState.NOT_QUALIFIED


def test_the_readout_tells_where_the_tip_is_in_the_stages_that_use_it(connected, qtbot):
    w, bar = connected, connected.get(MachineReadout)
    for stage, shown in (("devices", True), ("align", True), ("measure", True), ("evaluate", False), ("part", False)):
        w.session.set_stage(stage)
        assert bar.isVisibleTo(w) == shown, stage
    w.session.set_stage("measure")
    w.get(MachineModel).cmm.where()
    bar.refresh()
    x = w.world.place()
    assert bar.numbers.texts == tuple(f"{v:.3f}" for v in x)
    assert bar.frame.text() == "from the machine"
    w.session.run(SetDisplay((("unit", "inch"),)))
    bar.refresh()
    assert bar.numbers.texts == tuple(f"{v / 25.4:.4f}" for v in x)
    # The view begins below it: nothing lies under the numbers.
    below = w.center.mapTo(w, w.center.rect().topLeft()).y()
    assert below >= bar.mapTo(w, bar.rect().bottomLeft()).y()


def test_the_joystick_is_there_in_align_and_measure_and_let_go_with_the_focus(connected, qtbot):
    w, bar = connected, connected.get(MachineReadout)
    w.show()
    w.session.set_stage("align")
    w.get(MachineModel).cmm.let_user_move(True)
    told = []
    bar.joystick._move = lambda velocity: told.append(np.array(velocity))
    qtbot.keyPress(bar, Qt.Key.Key_PageDown)
    assert not told  # it is not switched on
    bar.keys.setChecked(True)
    qtbot.keyPress(bar, Qt.Key.Key_PageDown)
    assert told[-1][2] == -60
    qtbot.keyRelease(bar, Qt.Key.Key_PageDown)
    assert not told[-1].any()
    qtbot.keyPress(bar, Qt.Key.Key_Left, Qt.KeyboardModifier.ShiftModifier)
    assert told[-1][0] == -4
    w.session.set_stage("evaluate")
    assert not told[-1].any()
    assert not bar.keys.isChecked()


def test_a_pose_that_is_chosen_above_the_view_is_taken_over_everything(connected, qtbot):
    w, bar = connected, connected.get(MachineReadout)
    straight = w.get(DevicesModel).probing.uses()[0]
    w.get(MachineModel).take_stylus(straight)
    machine_is_idle(w, qtbot)
    w.session.set_stage("measure")
    w.get(MachineModel).set_record(w.get(MachineModel).record.replace(table_z=w.world.table.z))
    down = np.array([500.0, 300.0, -600.0])
    w.get(MachineModel).cmm.go_to(down)
    highest = w.world.drive.scales[2]
    heights, turn = [], w.world._turn_head

    def turned(pose):
        heights.append(w.world.drive.scales[2])
        turn(pose)

    w.world._turn_head = turned
    wanted = next(
        u for u in w.get(DevicesModel).probing.uses() if u.assembly == straight.assembly and u.pose.tilt_deg == 90
    )
    k = next(k for k in range(bar.stylus.count()) if bar.stylus.itemData(k) == wanted)
    assert bar.stylus.itemText(k).startswith("turn to 90/")
    bar.stylus.activated.emit(k)
    machine_is_idle(w, qtbot)
    assert w.get(MachineModel).cmm.use == wanted
    # The part may stand anywhere: the head turns over where it could reach to.
    assert heights
    assert heights[0] > highest + 50


def test_things_on_the_table_are_typed_and_kept_with_the_machine(connected, qtbot):
    w = connected
    w.get(DevicesModel).set_page("machine")
    page = w.parts["devices"].bench.machine_page
    page.refresh()
    made = page.fixtures
    qtbot.waitUntil(lambda: w.get(MachineModel).record.table_z is not None, timeout=PATIENCE)
    made.name.setText("vice")
    for (axis, c), field in made.fields.items():
        field.setText({"X": ("120", "100"), "Y": ("50", "80"), "Z": ("-760", "-700.5")}[axis][c])
    click(qtbot, made.add)
    (fixture,) = w.get(MachineModel).record.fixtures
    assert (fixture.name, fixture.low, fixture.high) == ("vice", (100, 50, -760), (120, 80, -700.5))
    assert [o.name for o in w.get(MachineModel).known().obstacles] == ["the table", "vice"]
    made.fields["X", 0].setText("wide")
    click(qtbot, made.add)
    assert "'wide' is not a place: type X from as a number" in w.notices[-1].text
    for key in made.fields:
        made.fields[key].setText("5")
    click(qtbot, made.add)
    assert "has no size" in w.notices[-1].text
    # Another session with the same machine knows it, another machine does not.
    w.get(MachineModel).disconnect_machine()
    w.get(MachineModel).connect_to("127.0.0.1", w.running.port)
    machine_is_idle(w, qtbot)
    qtbot.waitUntil(lambda: w.get(MachineModel).connected, timeout=PATIENCE)
    assert w.get(MachineModel).record.fixtures == (fixture,)
    page.refresh()
    made.list.setCurrentRow(0)
    click(qtbot, made.remove)
    assert not w.get(MachineModel).record.fixtures


def test_how_far_a_machine_travels_is_typed_and_kept_with_it(connected, qtbot):
    w = connected
    w.get(DevicesModel).set_page("machine")
    page, machine = w.parts["devices"].bench.machine_page, w.get(MachineModel)
    # Of the stand-in it is seen, as its table is.
    qtbot.waitUntil(lambda: machine.record.travel == w.world.settings.travel, timeout=PATIENCE)
    page.refresh()
    fields = page.travel.fields
    assert fields["Z", 0].text() == "-650.000"

    def typed(axis, end, text):
        fields[axis, end].setText(text)
        fields[axis, end].editingFinished.emit()

    typed("Z", 0, "-640")
    assert machine.record.travel[0] == (0.0, 0.0, -640.0)
    typed("X", 1, "-20")
    assert "the travel in X must end above where it begins" in w.notices[-1].text
    assert machine.record.travel[1] == w.world.settings.travel[1]
    assert fields["X", 1].text() == "800.000"
    # Kept with the machine, and no way leads beyond it.
    machine.disconnect_machine()
    machine.connect_to("127.0.0.1", w.running.port)
    machine_is_idle(w, qtbot)
    qtbot.waitUntil(lambda: machine.connected, timeout=PATIENCE)
    assert machine.record.travel[0] == (0.0, 0.0, -640.0)


def test_what_a_machine_can_do_is_said(connected):
    w = connected
    page = w.parts["devices"].bench.machine_page
    w.get(DevicesModel).set_page("machine")
    page.refresh()
    assert page.abilities.text() == "It turns its head, scans, names 2 tools."


def test_while_a_run_goes_on_what_comes_is_told_as_coming(connected, settle):
    w = connected
    settle()
    plan = w.session.plan
    main = plan.feature_with_faces(next(f.faces for f in plan.features if f.name == "main bore"))
    w.session.set_in_run(frozenset({main.id}))
    own = next(c for c in plan.characteristics if c.features == (main.id,))
    assert not w.session.in_run.isdisjoint(needed_features(plan, (own.id,)))
    assert {plan.feature(f).name for f in datum_features(plan)} >= {"base A", "side B", "side C"}
    w.session.set_in_run(datum_features(plan))
    w.session.run_changed.emit()
    evaluation = w.session.evaluation
    if evaluation is not None and w.session.sample is not None:
        assert w.header.alignment.text() == "Alignment in this run"
    w.session.set_in_run(frozenset())
    assert not w.session.in_run


def test_forty_styli_are_grouped_sorted_and_found(connected, qtbot):
    w = connected
    own = w.get(DevicesModel).probing.assembly("p1")
    poses = tuple(HeadPose(tilt_deg=15.0 * k, turn_deg=t) for k in range(1, 5) for t in (0.0, 45.0, 90.0, -45.0, -90.0))
    w.get(DevicesModel).choose_assembly("p1")
    w.get(DevicesModel)._set_assembly(own.with_poses((*own.poses, *poses)), "many poses")
    w.get(DevicesModel).set_page("qualify")
    page = w.parts["devices"].bench.qualify_page
    page.refresh()
    rows = [page.list.item(k).data(Qt.ItemDataRole.UserRole) for k in range(page.list.count())]
    assert [r.name for r in rows if r.use is None] == ["Short 4", "Long 3"]
    assert rows[0].value == "0 of 25"
    assert rows[1].master
    page.filter.setText("60/")
    found = [page.list.item(k).data(Qt.ItemDataRole.UserRole) for k in range(page.list.count())]
    assert {r.use.pose.tilt_deg for r in found if r.use is not None} == {60.0}
    page.filter.setText("nothing like it")
    assert page.list.count() == 0
    page.filter.clear()
    page.order.setCurrentIndex(page.order.findData("state"))
    page.order.activated.emit(page.order.currentIndex())
    assert page.list.count() == len(rows)


def test_free_ends_of_a_star_say_where_they_point(stage, qtbot):
    stage.get(DevicesModel).set_page("probe")
    page = stage.parts["devices"].bench.probe_page
    click(qtbot, page.new)
    for words in ("indexed", "trigger m2", "star"):
        page.search.setText(words)
        click(qtbot, page.add)
    texts = set()

    def walk(item):
        texts.add(item.text(0))
        for k in range(item.childCount()):
            walk(item.child(k))

    for k in range(page.tree.topLevelItemCount()):
        walk(page.tree.topLevelItem(k))
    ends = {t.rpartition(", ")[2] for t in texts if t.startswith("+ free")}
    assert ends == {"+X", "-X", "+Y", "-Y", "down"}


def test_pages_know_inch(connected):
    w = connected
    w.session.run(SetDisplay((("unit", "inch"),)))
    w.get(DevicesModel).set_page("qualify")
    page = w.parts["devices"].bench.qualify_page
    page.refresh()
    (box,) = [b for b, part, name in page._boxes if (part, name) == ("sphere", "diameter")]
    assert box.widget.value() == pytest.approx(24.9987 / 25.4, abs=1e-5)
    assert box.widget.suffix() == " in"
    box.widget.setValue(1.0)
    assert w.get(DevicesModel).probing.sphere.diameter == pytest.approx(25.4)
    w.get(DevicesModel).set_page("rack")
    rack = w.parts["devices"].bench.rack_page
    rack.refresh()
    rack.table.item(0, 1).setText("2")
    assert w.get(DevicesModel).probing.rack[0].place[0] == pytest.approx(50.8)
