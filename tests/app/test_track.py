"""The track: made, seen, reordered, rehearsed and edited through the real widgets."""

import itertools

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt, QTimer
from PySide6.QtWidgets import QLineEdit, QListWidgetItem
from tests.app.conftest import PATIENCE

from truegauge import demo
from truegauge.app.track.envelope_hand import SIDES
from truegauge.app.track.model import RouteModel
from truegauge.app.track.rehearsal_view import RehearsalView
from truegauge.app.track.route_list import RouteList
from truegauge.app.track.track_panel import TrackPanel
from truegauge.app.widgets.question import Question
from truegauge.app.widgets.text_size import room_of, sized
from truegauge.core.commands.routes import SetRoute
from truegauge.core.routes.document import Coming, MeasureStep, Route, Via
from truegauge.core.routes.strategies import Clicked, Grid, Helix, Rings, Trace, Usual
from truegauge.formats.stl import stl_from_mesh
from truegauge.rendering.solids import plate


@pytest.fixture
def opened(window, qtbot):
    """A window with the demo for a machine at the Measure stage."""
    window.session.files.open_plan(demo.CMM_PLAN)
    qtbot.waitUntil(lambda: window.session.evaluator is not None and not window.session.queue.is_busy, timeout=PATIENCE)
    window.session.set_stage("measure")
    return window


@pytest.fixture
def planned(opened, qtbot):
    """A window whose route is planned."""
    m = opened.get(RouteModel)
    qtbot.waitUntil(lambda: m.track is not None and m.is_current, timeout=PATIENCE)
    return opened


def settle(window, qtbot):
    m = window.get(RouteModel)
    qtbot.waitUntil(lambda: m.is_current and not window.session.queue.is_busy, timeout=PATIENCE)


def middle_of(view, chip):
    k = sized(1000) / 1000
    at = view.chip_box(chip).center()
    return QPoint(round(at.x() * k), round(at.y() * k))


def test_without_a_route_there_is_no_track_and_a_click_makes_one(opened, qtbot):
    s, m, panel = opened.session, opened.get(RouteModel), opened.get(TrackPanel)
    placement = s.plan.route.placement
    s.run(SetRoute(Route(placement=placement), "no route"))
    assert not panel.isVisible()
    bench = opened.parts["measure"].bench
    bench.show_next()
    assert bench.next.command == "make-route"
    qtbot.mouseClick(bench.next, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: m.track is not None and panel.isVisible(), timeout=PATIENCE)
    assert len(s.plan.route.steps) == len(s.plan.features) + 1
    assert "touches" in panel.counts.text()
    s.document.undo()
    assert s.plan.route == Route(placement=placement)
    assert not panel.isVisible()


def test_each_pose_has_a_lane_and_chips_are_as_wide_as_their_time(planned):
    m, view = planned.get(RouteModel), planned.get(TrackPanel).view
    track = m.track
    assert len(track.lanes) == len({leg.use for leg in m.routed.planned.legs})
    wide = [c for c in track.chips if c.lane >= 0 and view.chip_box(c).width() > 8]
    ratios = [view.chip_box(c).width() / c.seconds for c in wide]
    assert np.ptp(ratios) < 1e-6 * np.mean(ratios)
    for lane in range(len(track.lanes)):
        spans = sorted((c.start, c.start + c.seconds) for c in track.chips if c.lane == lane)
        assert all(a[1] <= b[0] + 1e-6 for a, b in itertools.pairwise(spans))


def test_a_chip_selects_its_feature_and_the_reverse(planned, qtbot):
    m, view, s = planned.get(RouteModel), planned.get(TrackPanel).view, planned.session
    chip = next(c for c in m.track.chips if c.name == "ball socket")
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=middle_of(view, chip))
    assert [f.name for f in s.selection.features()] == ["ball socket"]
    top = next(f for f in s.plan.features if f.name == "top face")
    s.selection.select((top.faces,))
    assert m.chosen == (s.plan.route.step_of(top.id).id,)


def test_a_chip_is_dragged_in_front_of_another_and_undone(planned, qtbot):
    m, view, s = planned.get(RouteModel), planned.get(TrackPanel).view, planned.session
    before = s.plan.route
    ids = [x.id for x in before.steps]
    late = next(c for c in m.track.chips if c.name == "boss")
    early = next(c for c in m.track.chips if c.name == "ball socket")
    start, end = middle_of(view, late), middle_of(view, early) - QPoint(3, 0)
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(view, end + QPoint(20, 0))
    qtbot.mouseMove(view, end)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=end)
    now = [x.id for x in s.plan.route.steps]
    assert now != ids
    assert now.index("m-boss") == now.index("m-socket") - 1
    assert s.plan.route.steps[now.index("m-boss")].pinned
    settle(planned, qtbot)
    starts = {c.name: c.start for c in m.track.chips}
    assert starts["boss"] < starts["ball socket"]
    s.document.undo()
    assert s.plan.route == before


def test_keys_walk_move_and_remove(planned, qtbot):
    m, view, s = planned.get(RouteModel), planned.get(TrackPanel).view, planned.session
    view.setFocus()
    ids = [x.id for x in s.plan.route.steps]
    qtbot.keyClick(view, Qt.Key.Key_Right)
    qtbot.keyClick(view, Qt.Key.Key_Right)
    assert m.chosen == (ids[1],)
    qtbot.keyClick(view, Qt.Key.Key_Right, Qt.KeyboardModifier.ControlModifier)
    assert [x.id for x in s.plan.route.steps][1:3] == [ids[2], ids[1]]
    qtbot.keyClick(view, Qt.Key.Key_Left, Qt.KeyboardModifier.ControlModifier)
    assert [x.id for x in s.plan.route.steps] == ids
    qtbot.keyClick(view, Qt.Key.Key_Delete)
    assert [x.id for x in s.plan.route.steps] == [i for i in ids if i != ids[1]]


def test_steps_are_switched_off_pinned_grouped_and_told_of(planned, qtbot):
    m, panel, s = planned.get(RouteModel), planned.get(TrackPanel), planned.session
    m.choose(("m-boss",))
    before = m.routed.planned.touches
    qtbot.mouseClick(panel.off, Qt.MouseButton.LeftButton)
    settle(planned, qtbot)
    assert m.routed.planned.touches < before
    assert panel.off.text() == "On"
    qtbot.mouseClick(panel.pin, Qt.MouseButton.LeftButton)
    m.group("last")
    assert (m.step("m-boss").on, m.step("m-boss").pinned, m.step("m-boss").group) == (False, True, "last")
    m.add_note("Clean the boss.")
    ids = [x.id for x in s.plan.route.steps]
    assert ids.index("n-1") == ids.index("m-boss") - 1
    for _ in range(4):
        s.document.undo()
    assert m.step("m-boss").on
    assert m.step("n-1") is None


def test_how_a_step_is_touched_is_taken_over_by_others(planned, qtbot):
    m, s = planned.get(RouteModel), planned.session
    step = m.step("m-bolt-1")
    m.edit(step.replace(strategy=Rings(touches=5, rows=2), approach=2.0), "how it is touched")
    before = s.plan.route
    m.choose(("m-bolt-1",))
    planned.actions_table.trigger("step-copy")
    m.choose(("m-bolt-2", "m-bolt-3"))
    planned.actions_table.trigger("step-likewise")
    for k in (2, 3):
        assert (m.step(f"m-bolt-{k}").strategy, m.step(f"m-bolt-{k}").approach) == (Rings(touches=5, rows=2), 2.0)
        assert m.step(f"m-bolt-{k}").feature == f"bolt-{k}"
    s.document.undo()
    assert s.plan.route == before
    clicked = Clicked(places=(((0.0, 0.0, 0.0), (0.0, 0.0, 1.0)),))
    m.edit(m.step("m-boss").replace(strategy=clicked), "how it is touched")
    m.choose(("m-boss",))
    planned.actions_table.trigger("step-copy")
    m.choose(("m-bolt-2",))
    planned.actions_table.trigger("step-likewise")
    assert "cannot be taken over" in planned.notices[-1].text
    assert m.step("m-bolt-2").strategy == Usual()


def test_a_note_and_a_group_are_asked_for_in_words(planned, qtbot):
    m = planned.get(RouteModel)
    m.choose(("m-boss",))

    def says(text, answer):
        asked = planned.findChild(Question)
        asked.findChild(QLineEdit).setText(text)
        qtbot.mouseClick(asked.buttons[answer], Qt.MouseButton.LeftButton)

    QTimer.singleShot(0, lambda: says(" Clean the boss. ", "Add"))
    planned.actions_table.trigger("step-note")
    assert m.step("n-1").text == "Clean the boss."
    QTimer.singleShot(0, lambda: says("last", "Group"))
    planned.actions_table.trigger("step-group")
    assert m.step("m-boss").group == "last"
    QTimer.singleShot(0, lambda: planned.findChild(Question).reject())
    planned.actions_table.trigger("step-group")
    assert m.step("m-boss").group == "last"


def test_the_rehearsal_plays_pauses_and_shows_the_probe_where_it_is(planned, qtbot):
    m, panel, view = planned.get(RouteModel), planned.get(TrackPanel), planned.get(RehearsalView)
    qtbot.mouseClick(panel.play, Qt.MouseButton.LeftButton)
    assert planned.center.currentWidget() is view
    m.set_speed(50.0)
    qtbot.waitUntil(lambda: m.seconds > 1.0, timeout=PATIENCE)
    qtbot.mouseClick(panel.play, Qt.MouseButton.LeftButton)
    assert not m.playing
    stood = m.seconds
    qtbot.wait(120)
    assert m.seconds == stood
    # In the middle of a touch the tip is on its way to the surface.
    leg = next(x for x in m.routed.planned.legs if x.kind == "touch")
    m.set_seconds(leg.start_s + 0.5 * leg.seconds)
    now, tip = m.now()
    assert now is leg
    assert np.allclose(tip, (leg.start + leg.end) / 2, atol=1e-6)
    quill = view.scene._poses["tips"][:3, 3]
    assert np.allclose(quill, m.routed.scene.quill(leg.use, tip))
    m.set_speed(50.0)
    m.set_seconds(m.routed.planned.seconds - 1.0)
    m.play()
    qtbot.waitUntil(lambda: not m.playing, timeout=PATIENCE)
    assert m.seconds == pytest.approx(m.routed.planned.seconds)
    qtbot.mouseClick(panel.part, Qt.MouseButton.LeftButton)
    assert planned.center.currentWidget() is planned.view
    m.set_seconds(3.0)
    assert planned.center.currentWidget() is view
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert planned.center.currentWidget() is planned.view


def test_the_play_head_is_dragged_in_the_ruler(planned, qtbot):
    m, view = planned.get(RouteModel), planned.get(TrackPanel).view
    k = sized(1000) / 1000
    for seconds in (20.0, 90.0):
        at = QPoint(round(view.x_of(seconds) * k), 5)
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at)
        assert m.seconds == pytest.approx(seconds, abs=1.0 / view._scale() + 0.01)


def test_numbers_of_a_strategy_change_the_route_at_once_and_in_one_step_of_undo(planned, qtbot):
    m, s = planned.get(RouteModel), planned.session
    bore = next(f for f in s.plan.features if f.name == "cross bore")
    before = s.plan.route
    s.selection.select((bore.faces,))
    panel = planned.parts["measure"].bench.strategy
    panel.header.setChecked(True)
    assert panel.isVisible()
    for value in (5, 6, 7):
        panel.boxes["touches"].setValue(value)
    own = s.plan.route.step_of(bore.id).strategy
    assert isinstance(own, Rings)
    assert (own.touches, own.rows) == (7, 3)
    settle(planned, qtbot)
    plan = m.step_plan(s.plan.route.step_of(bore.id).id)
    assert sum(len(v.places) for v in plan.visits) + sum(not t.moved for t in plan.troubles) == 21
    panel.boxes["first"].setValue(3.0)
    assert s.plan.route.step_of(bore.id).strategy.first == 3.0
    s.document.undo()
    s.document.undo()
    assert s.plan.route == before
    panel.kind.activated.emit(panel.kind.findData("grid"))
    assert isinstance(s.plan.route.step_of(bore.id).strategy, Grid)
    qtbot.mouseClick(panel.back, Qt.MouseButton.LeftButton)
    assert s.plan.route.step_of(bore.id).strategy == Usual()


def test_lines_contact_and_how_it_comes_are_typed_for_a_step(planned, qtbot):
    m, s = planned.get(RouteModel), planned.session
    planned.session.set_stage("measure")
    s.selection.select((s.plan.feature("main-bore").faces,))
    panel = planned.parts["measure"].bench.strategy
    panel.header.setChecked(True)

    def choice(box, key):
        box.setCurrentIndex(box.findData(key))
        box.activated.emit(box.currentIndex())
        panel.refresh()

    choice(panel.kind, "helix")
    assert isinstance(m.step("m-main-bore").strategy, Helix)
    assert not panel.rows["turns"].isHidden()
    panel.boxes["turns"].setValue(3.0)
    choice(panel.trace, "trace")
    assert not panel.rows["spacing"].isHidden()
    panel.boxes["spacing"].setValue(0.8)
    panel.boxes["speed"].setValue(15.0)
    assert m.step("m-main-bore").strategy == Helix(turns=3.0, trace=Trace(spacing=0.8, speed=15.0))
    choice(panel.coming, "2")
    assert not panel.frame.isHidden()
    own = s.plan.alignments[0].id
    choice(panel.frame, own)
    panel.far.setValue(33.0)
    assert m.step("m-main-bore").coming == Coming(along="axis", axis=(0.0, 0.0, 1.0), frame=own, far=33.0)
    panel.approach.setValue(2.0)
    panel.speed.setValue(60.0)
    assert (m.step("m-main-bore").approach, m.step("m-main-bore").speed) == (2.0, 60.0)
    for axis, text in zip("XYZ", ("10", "20", "x"), strict=True):
        panel.via.place[axis].setText(text)
    panel.via.add.click()
    assert "needs the number of the touch" in planned.notices[-1].text
    panel.via.place["Z"].setText("90.5")
    panel.via.add.click()
    assert m.step("m-main-bore").via == (Via(before=0, place=(10.0, 20.0, 90.5)),)
    panel.refresh()
    assert panel.via.list.itemText(0) == "before 1: 10.000, 20.000, 90.500"
    panel.via.remove.click()
    assert m.step("m-main-bore").via == ()
    panel.refresh()
    qtbot.mouseClick(panel.back, Qt.MouseButton.LeftButton)
    assert m.step("m-main-bore") == MeasureStep(id="m-main-bore", feature="main-bore")


def test_a_finding_leads_to_its_instant_and_a_candidate_is_taken_by_a_click(planned, qtbot):
    m, panel, s = planned.get(RouteModel), planned.get(TrackPanel), planned.session
    m.edit(m.step("m-shroud").replace(strategy=Grid(along=4, across=4)), "ask for all of it")
    settle(planned, qtbot)
    assert "1 wrong" in panel.bad.text()
    qtbot.mouseClick(panel.bad, Qt.MouseButton.LeftButton)
    assert panel.findings.isVisible()
    items = [panel.findings.item(k) for k in range(panel.findings.count())]
    lost = next(i for i in items if "shroud is not reached" in i.text())
    _click(qtbot, panel.findings, lost)
    assert m.rehearsing
    assert m.chosen == ("m-shroud",)
    settle(planned, qtbot)
    offered = next(panel.findings.item(k) for k in range(panel.findings.count())
                   if panel.findings.item(k).text().startswith("Add the pose"))  # fmt: skip
    poses = len(s.plan.probing.assemblies[0].poses)
    _click(qtbot, panel.findings, offered)
    assert len(s.plan.probing.assemblies[0].poses) == poses + 1
    settle(planned, qtbot)
    assert m.routed.planned.unreached == ()


def _click(qtbot, listed, item: QListWidgetItem):
    listed.scrollToItem(item)
    qtbot.mouseClick(listed.viewport(), Qt.MouseButton.LeftButton, pos=listed.visualItemRect(item).center())


def test_the_list_finds_sorts_and_copies(planned, qtbot):
    m, page = planned.get(RouteModel), planned.get(RouteList)
    planned.actions_table.trigger("route-list")
    assert planned.center.currentWidget() is page
    page.field.setText("bolt")
    shown = [r for r in range(page.table.rowCount()) if not page.table.isRowHidden(r)]
    assert len(shown) == 6
    page.field.clear()
    page.table.sortByColumn(3, Qt.SortOrder.DescendingOrder)
    counts = [int(page.table.item(r, 3).text() or 0) for r in range(page.table.rowCount())]
    assert counts == sorted(counts, reverse=True)
    page.table.selectRow(0)
    assert m.chosen == (page._step(0),)
    assert len(page.text().splitlines()) == len(m.route.steps)
    qtbot.mouseClick(page.back, Qt.MouseButton.LeftButton)
    assert planned.center.currentWidget() is planned.view


def test_what_is_planned_around_is_typed_and_keeps_the_probe_away(planned, qtbot):
    m, s = planned.get(RouteModel), planned.session
    s.selection.select(())
    around = planned.parts["measure"].bench.around
    around.header.setChecked(True)
    assert around.isVisible()
    around.boxes["sides"].setValue(35.0)
    assert s.plan.route.envelope.low[:2] == (35.0, 35.0)
    for field, text in zip(around.fixtures.fields.values(), ("-40", "-6", "20", "60", "0", "14"), strict=True):
        field.setText(text)
    around.fixtures.name.setText("stop")
    around.fixtures.add.click()
    made = s.plan.route.fixtures[0]
    assert (made.name, made.low, made.high) == ("stop", (-40.0, 20.0, 0.0), (-6.0, 60.0, 14.0))
    settle(planned, qtbot)
    assert "stop" in {a.name for a in m.routed.scene.around}
    around.fixtures.list.setCurrentRow(0)
    around.fixtures.remove.click()
    assert s.plan.route.fixtures == ()


def test_a_cylinder_and_a_mesh_from_a_file_hold_the_part(planned, qtbot, tmp_path):
    m, s = planned.get(RouteModel), planned.session
    panel = planned.parts["measure"].bench.around
    panel.header.setChecked(True)
    before = s.plan.route
    panel.radius.setValue(4.0)
    panel.where.setCurrentIndex(panel.where.findData("table"))
    panel.fixtures.name.setText("pin")
    for (axis, c), field in panel.fixtures.fields.items():
        field.setText({"X": ("30", "30"), "Y": ("-20", "-20"), "Z": ("40", "0")}[axis][c])
    panel.fixtures.add.click()
    pin = s.plan.route.fixtures[-1]
    assert (pin.shape, pin.where, pin.radius, pin.low, pin.high) == (
        "cylinder",
        "table",
        4.0,
        (30, -20, 40),
        (30, -20, 0),
    )
    made = plate(np.array([-60.0, 0.0, 0.0]), np.array([20.0, 30.0, 40.0]))
    (tmp_path / "jig.stl").write_bytes(stl_from_mesh(made.vertices, made.triangles))
    panel.read(tmp_path / "jig.stl")
    qtbot.waitUntil(lambda: len(s.plan.route.fixtures) == 2, timeout=PATIENCE)
    settle(planned, qtbot)
    assert {"pin", "jig"} <= {a.name for a in m.routed.scene.around}
    m.set_rehearsing(True)
    settle(planned, qtbot)
    (tmp_path / "bad.stl").write_bytes(b"no mesh")
    panel.read(tmp_path / "bad.stl")
    qtbot.waitUntil(lambda: any("bad.stl" in n.text for n in planned.notices), timeout=PATIENCE)
    assert len(s.plan.route.fixtures) == 2
    s.document.undo()
    s.document.undo()
    assert s.plan.route == before


def test_the_track_can_be_made_higher_and_the_view_gives_way(planned, qtbot):
    panel = planned.get(TrackPanel)
    splitter = panel.parentWidget()
    height = panel.height()
    splitter.setSizes([splitter.height() - height - 120, height + 120])
    assert panel.height() > height + 60
    assert planned.width() == 1280
    assert planned.view.height() >= 180


def test_a_side_of_the_envelope_is_dragged_in_the_rehearsal(planned, qtbot):
    m, view, s = planned.get(RouteModel), planned.get(RehearsalView), planned.session
    m.set_seconds(10.0)
    qtbot.waitUntil(lambda: view.isVisible() and view._camera is not None, timeout=PATIENCE)
    before = s.plan.route
    for k, (axis, end) in enumerate(SIDES[:2]):
        handle = view.envelope.handles(view._camera, room_of(view))[k]
        middle = QPointF(view.width() / 2, view.height() / 2)
        away = QPointF(handle.x() - middle.x(), handle.y() - middle.y()) * 0.1
        start, to = handle.toPoint(), (handle + away).toPoint()
        qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
        assert view.envelope.held == k
        qtbot.mouseMove(view, to)
        qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=to)
        now = s.plan.route.envelope
        assert (now.high if end else now.low)[axis] > 22.0
        dragged = view.envelope.handles(view._camera, room_of(view))[k]
        assert (dragged - QPointF(to)).manhattanLength() < 12  # it went along with the pointer, as far as its axis does
    settle(planned, qtbot)
    assert m.routed.scene.envelope[0, 0] < before.envelope.low[0]
    s.document.undo()
    assert s.plan.route == before


def test_places_are_shown_at_once_while_a_strategy_is_changed(planned, qtbot):
    m, s = planned.get(RouteModel), planned.session
    base = next(f for f in s.plan.features if f.name == "base A")
    s.selection.select((base.faces,))
    seen = []
    m.changed.connect(lambda: seen.append(None if m.preview is None else len(m.preview[1])))
    m.edit(m.step("m-base").replace(strategy=Grid(along=6, across=5)), "a grid")
    settle(planned, qtbot)
    assert any(count is not None and count >= 20 for count in seen)
    assert m.preview is None
    plan = m.step_plan("m-base")
    wanted = sum(len(v.places) for v in plan.visits) + sum(not t.moved for t in plan.troubles)
    assert wanted == 30


def test_places_are_clicked_moved_and_taken_away_in_the_view(planned, qtbot):
    s, view = planned.session, planned.view
    top = next(f for f in s.plan.features if f.name == "top face")
    before = s.plan.route
    s.selection.select((top.faces,))
    panel = planned.parts["measure"].bench.strategy
    panel.header.setChecked(True)
    panel.click.click()

    def at(place):
        x, y, _ = view.camera.project(np.array([place]), view.width() / view.height())[0]
        return QPoint(round(x * view.width()), round(y * view.height()))

    places = ((34.0, 45.0, 60.0), (58.0, 21.0, 60.0), (82.0, 45.0, 60.0))
    for place in places:
        qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at(place))
    own = s.plan.route.step_of(top.id).strategy
    assert isinstance(own, Clicked)
    assert np.allclose([p for p, _ in own.places], places, atol=1.0)  # a pixel is about half a millimetre
    on = s.evaluator.projector.deviations(np.array([p for p, _ in own.places]))
    assert np.abs(on.distance).max() < 1e-9
    assert np.isin(on.face, top.faces).all()
    # Dragged over the face, then taken away by a click.
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=at(own.places[0][0]))
    for share in (0.5, 1.0):
        qtbot.mouseMove(view, at((34.0 + 4 * share, 45.0 - 14 * share, 60.0)))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=at((38.0, 31.0, 60.0)))
    moved = s.plan.route.step_of(top.id).strategy
    assert np.allclose(moved.places[0][0], (38.0, 31.0, 60.0), atol=1.0)
    assert moved.places[1:] == own.places[1:]
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=at(moved.places[1][0]))
    assert s.plan.route.step_of(top.id).strategy.places == (moved.places[0], moved.places[2])
    for _ in range(5):  # three clicks, a drag, a click
        s.document.undo()
    assert s.plan.route == before
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert not panel.click.isChecked()
    assert s.pointer.picker is None


def test_the_window_stays_as_wide_when_a_step_is_chosen_and_rehearsed(planned, qtbot):
    """Buttons go before others come: all of them at once would not fit beside bench and ledger."""
    m, panel = planned.get(RouteModel), planned.get(TrackPanel)
    m.choose((m.route.steps[2].id,))
    assert panel.off.isVisible()
    panel.counts.setMinimumWidth(120)
    widths = []
    for on in (True, False, True):
        m.set_rehearsing(on)
        qtbot.wait(30)
        assert panel.part.isVisible() == on
        widths.append(planned.width())
    assert widths == [1280] * 3
