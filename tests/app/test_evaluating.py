"""The Evaluate stage with real widgets: map, spot checks, sections, comparisons, saved views, tags, batches."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QLabel

from truegauge import demo
from truegauge.app.shell.batch.dialog import BatchDialog
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.evaluate.section_page import SectionPage
from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.core.nodes.sections import section_curves
from truegauge.core.tolerancing.judgement import State

BUMP = np.array([88.0, 80.0, 30.0])


@pytest.fixture
def stage(loaded, settle):
    loaded.session.set_stage("evaluate")
    settle()
    return loaded


def at(window, point):
    x, y, _ = window.view.camera.project(np.array(point), window.view.width() / window.view.height())[0]
    return QPoint(round(x * window.view.width()), round(y * window.view.height()))


def type_into(qtbot, field, text):
    field.clear()
    field.setFocus()
    qtbot.keyClicks(field, text)
    qtbot.keyClick(field, Qt.Key.Key_Return)
    field.clearFocus()


def test_the_map_page_changes_steps_sides_palette_and_tolerances(stage, qtbot, settle):
    page, s = stage.parts["evaluate"].bench.map_page, stage.session
    assert page.pairs.values["points"].text() == f"{s.evaluation.cloud.statistics.count:,}"
    assert page.pairs.values["strays left out"].text() == f"{s.evaluation.cloud.statistics.strays:,}" != "0"
    assert page.outside.text().startswith("Outside: ")
    page.inner.setValue(9)
    page.outer.setValue(2)
    page.sides.activated.emit(page.sides.findData("plus"))
    page.palette_choice.activated.emit(page.palette_choice.findData("teal"))
    page.only_outside.click()
    assert (s.plan.scale.inner, s.plan.scale.outer, s.plan.scale.sided) == (9, 2, "plus")
    assert (s.plan.scale.palette, s.plan.scale.only_outside) == ("teal", True)
    stage.get(EvaluateModel).areas()
    settle()
    assert not any(a.worst < 0 for a in stage.get(EvaluateModel).areas())
    for _ in range(5):
        s.document.undo()
    assert s.plan.scale.sided == "both"
    type_into(qtbot, page.edges, "-0.2 -0.05 0.05 0.2")
    assert s.plan.scale.edges == (-0.2, -0.05, 0.05, 0.2)
    type_into(qtbot, page.colors, "#102030 #FFFFFF red")
    assert "is not a colour" in stage.notices[-1].text
    s.document.undo()
    type_into(qtbot, page.limit, "0.01")
    assert "cannot be smaller" in stage.notices[-1].text
    assert s.plan.scale.limit == 0.1
    s.selection.select((s.plan.feature("shroud").group,))
    assert page.what.text() == "Picked faces"
    settle()
    before = page.pairs.values["within tolerance"].text()
    type_into(qtbot, page.own, "0.2")
    settle()
    assert page.pairs.values["within tolerance"].text() == "100.0 %" != before
    page.own_reset.click()
    assert s.plan.scale.own == ()


def test_an_area_outside_is_a_click_away(stage, qtbot):
    page = stage.parts["evaluate"].bench.map_page
    first = stage.get(EvaluateModel).areas()[0]
    assert page.list.item(0).text().endswith("shroud")
    page.list.setFocus()
    page.list.setCurrentRow(0)
    camera = stage.view.camera
    assert np.linalg.norm(np.cross(camera.back, first.normal)) < 1e-9
    assert np.linalg.norm(camera.target - first.place) < 1e-9


def test_needles_and_the_scan_show_the_deviation_and_the_magnification(stage, settle):
    s, view = stage.session, stage.view
    view.show_standard("back")
    s.show(map_needles=True)
    settle()
    view.finish()
    assert view.needle_factor >= 10
    s.show(map_needles=False)
    s.show(scan_map=True)
    assert stage.floating.scale.isVisible()
    view.finish()
    hot = view.grab().toImage().pixelColor(at(stage, BUMP + np.array([0, 0.5, 0])))
    assert hot.red() > hot.blue() + 40


def test_spot_checks_are_picked_typed_and_made_as_grids(stage, qtbot, settle, tmp_path):
    s, bench = stage.session, stage.parts["evaluate"].bench
    bench.tabs["spots"].click()
    page = bench.spots_page
    page.pick.click()
    stage.view.show_standard("top")
    qtbot.mouseClick(stage.view, Qt.MouseButton.LeftButton, pos=at(stage, (100.0, 15.0, 48.0)))
    settle()
    assert s.plan.spots[-1].place == pytest.approx((100.0, 15.0, 48.0), abs=0.5)
    assert s.evaluation.results[-1].state == State.WITHIN
    qtbot.keyClick(stage.view, Qt.Key.Key_Escape)  # the spot that is selected, then the tool
    qtbot.keyClick(stage.view, Qt.Key.Key_Escape)
    assert s.pointer.picker is None
    assert not page.pick.isChecked()
    type_into(qtbot, page.typed, "88 80 30")
    settle()
    assert s.evaluation.results[-1].measured == pytest.approx(0.15, abs=0.006)
    type_into(qtbot, page.typed, "88 80")
    assert "is no place" in stage.notices[-1].text
    s.selection.select((s.plan.feature("base").group,))
    stage.get(EvaluateModel).spacing = 40.0
    count = len(s.plan.spots)
    page.grid.click()
    settle()
    made = len(s.plan.spots) - count
    assert made >= 3
    assert page.list.count() == len(s.plan.spots)
    s.document.undo()
    assert len(s.plan.spots) == count  # the grid is one step
    table = tmp_path / "spots.csv"
    table.write_text("name,x,y,z,lower,upper\nA1,100,15,48,-0.05,0.05\nA2,88,80,30,-0.2,0.2\n")
    assert stage.get(EvaluateModel).add_from_table(table)
    settle()
    assert [r.state for r in s.evaluation.results[-2:]] == [State.WITHIN, State.WITHIN]
    page.list.item(page.list.count() - 1).setSelected(True)
    page.remove.click()
    assert s.plan.spots[-1].name == "A1"


def test_highest_and_edges_are_picked(stage, settle):
    s, m = stage.session, stage.get(EvaluateModel)
    m.set_page("spots")
    m.pick_for("highest")
    m.area = 0.0
    s.pointer.pick_at(s.plan.feature("shroud").faces[0], BUMP)
    settle()
    assert s.evaluation.results[-1].measured == pytest.approx(0.149, abs=0.005)
    m.pick_for("edge")
    s.pointer.pick_at(s.plan.feature("base").faces[0], np.array([70.0, 0.5, 0.0]))
    settle()
    assert len([x for x in s.plan.spots if abs(x.place[1] - m.inset) < 1e-6]) > 5
    s.set_stage("measure")
    assert s.pointer.picker is None


def test_a_section_is_cut_moved_and_dimensioned(stage, qtbot, settle):
    s, m, bench = stage.session, stage.get(EvaluateModel), stage.parts["evaluate"].bench
    bench.tabs["sections"].click()
    page = bench.sections_page
    page.axis.activated.emit(page.axis.findData("Z"))
    type_into(qtbot, page.at, "25")
    page.add.click()
    settle()
    assert stage.center.currentWidget() is stage.get(SectionPage)
    sheet = stage.get(SectionPage).sheet
    assert sheet.drawing is not None
    section = page.chosen()
    page.slider.setValue(500)
    page.slider.setValue(520)
    page.slider.sliderReleased.emit()
    assert page.chosen().origin[2] == pytest.approx(31.3, abs=1.5)
    s.document.undo()
    assert page.chosen() == section  # the drag is one step
    stage.get(SectionPage).tools["diameter"].click()
    sheet.fit()
    sheet.refresh()
    x, y = sheet.place.on(np.array([[58.0 - 21.0, 45.0]]))[0]
    qtbot.mouseMove(sheet, QPoint(round(x), round(y)))
    sheet.reach = 60.0
    qtbot.mouseClick(sheet, Qt.MouseButton.LeftButton, pos=QPoint(round(x), round(y)))
    settle()
    result = s.evaluation.results[-1]
    assert result.characteristic.nominal == pytest.approx(42.0, abs=1e-6)
    assert result.measured == pytest.approx(42.012, abs=0.004)
    assert any("(42.000)" in w.text for w in sheet.drawing.words)
    stage.get(SectionPage).tools["angle"].click()
    sheet.take(np.array([10.0, 7.0]), 3.0)
    sheet.take(np.array([20.0, 7.0]), 3.0)
    qtbot.keyClick(sheet, Qt.Key.Key_Escape)  # lets the dimension go that was made
    assert stage.get(SectionPage).tools["angle"].isChecked()
    qtbot.keyClick(sheet, Qt.Key.Key_Escape)
    assert sheet.tool is None
    assert not any(tool.isChecked() for tool in stage.get(SectionPage).tools.values())
    qtbot.keyClick(sheet, Qt.Key.Key_Escape)
    assert stage.center.currentWidget() is stage.view
    count = len(s.plan.sections)
    s.selection.select((s.plan.feature("main-bore").group,))
    page.count.setValue(3)
    page.around.click()
    assert len(s.plan.sections) == count + 3
    m.sections.remove(s.plan.sections[-1].id)
    assert len(s.plan.sections) == count + 2


def test_views_are_saved_looked_at_ordered_and_keep_their_tags(stage, qtbot, settle):
    s, m, bench = stage.session, stage.get(EvaluateModel), stage.parts["evaluate"].bench
    bench.tabs["views"].click()
    page = bench.views_page
    assert page.list.count() == 2
    stage.view.show_standard("top")
    s.showing.set_look(edges_only=True)
    page.save.click()
    saved = s.showing.saved_view
    assert (saved.edges_only, saved.show) == (True, "map")
    s.showing.set_tags(shown="all", parts=("name",))
    assert s.plan.views[-1].tags.shown == "all"
    assert s.plan.tags.shown == "needed"
    m.move_view(saved.id, -1)
    assert [v.name for v in s.plan.views][1] == saved.name
    page.in_report.click()
    assert not s.showing.saved_view.in_report
    page.own_scale.click()
    type_into(qtbot, stage.parts["evaluate"].bench.map_page.limit, "0.5")
    assert (s.showing.scale.limit, s.plan.scale.limit) == (0.5, 0.1)
    s.showing.set_look(edges_only=False)
    stage.view.show_standard("front")
    s.showing.look_at_view(s.plan.views[0].id)
    assert s.showing.tags.shown == "outside"
    assert not s.shown.look.edges_only
    s.showing.look_at_view(saved.id)
    assert s.shown.look.edges_only
    assert stage.view.camera.back == pytest.approx([0, 0, 1])
    m.remove_view(saved.id)
    assert s.showing.saved_view is None
    for _ in range(8):
        s.document.undo()
    assert len(s.plan.views) == 2


def test_tags_are_dragged_pinned_hidden_and_tidied(stage, qtbot):
    s, view = stage.session, stage.view
    view.show_standard("corner")
    view.grab()
    boxes = dict(view.tags_shown.boxes)
    assert len(boxes) >= 4
    key, box = next(iter(boxes.items()))
    start, end = box.center().toPoint(), QPoint(view.width() // 2, view.height() // 2)
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(view, start + QPoint(20, 20))
    qtbot.mouseMove(view, end)
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=end)
    assert [p.characteristic for p in s.showing.tags.pinned] == [key]
    view.grab()
    assert view.tags_shown.boxes[key].contains(QPointF(end))
    other = next(k for k in view.tags_shown.boxes if k != key)
    place = view.tags_shown.boxes[other].center().toPoint()
    if view.tags_shown.at(QPointF(place)) == other:
        qtbot.mousePress(view, Qt.MouseButton.RightButton, pos=place)
        view.grab()
        assert other not in view.tags_shown.boxes
    stage.parts["evaluate"].bench.views_page.tidy.click()
    s.showing.set_tags(pinned=(), hidden=())
    view.grab()
    assert set(view.tags_shown.boxes) == set(boxes)
    click = view.tags_shown.boxes[key].center().toPoint()
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=click)
    assert s.selection.characteristic == view.tags_shown.at(QPointF(click)) or s.selection.characteristic


def test_points_are_compared_from_a_table(stage, settle, tmp_path):
    s, page = stage.session, stage.parts["evaluate"].bench.compare_page
    table = tmp_path / "points.csv"
    table.write_text("name,x,y,z\nbolt hole 4,32.02,30.0,53\nball socket,107,63,55.5\n")
    stage.parts["evaluate"].bench.tabs["points"].click()
    page.parts["z"].setChecked(True)
    assert stage.get(EvaluateModel).compare_from_table(table, page.chosen_parts())
    settle()
    assert page.table.rowCount() == 2
    assert page.table.item(1, 0).text() == "ball socket"
    assert abs(float(page.table.item(1, 3).text())) < 0.05
    assert len([c for c in s.plan.characteristics if c.kind.startswith("compare_")]) == 4
    page.table.selectRow(0)
    page.remove.click()
    assert page.table.rowCount() == 1
    assert not stage.get(EvaluateModel).compare_from_table(table, [])
    assert "choose what is compared" in stage.notices[-1].text


def test_what_is_chosen_is_seen_while_a_setting_is_typed(loaded, settle, qtbot):
    s, panel = loaded.session, loaded.parts["measure"].bench.points
    s.set_stage("measure")
    s.selection.select((s.plan.feature("main-bore").group,))
    settle()
    panel.refresh()
    panel.scope.setCurrentIndex(0)
    field = panel.fields["edge_margin"]
    field.setFocus()
    field.clear()
    qtbot.keyClicks(field, "4")
    settle()
    assert s.proposing.extraction is not None
    assert len(s.proposing.extraction.near_edge) > 1000
    assert "near an edge" in panel.counts.text()
    assert s.plan.feature("main-bore").extraction is None  # not yet
    qtbot.keyClick(field, Qt.Key.Key_Return)
    settle()
    assert s.plan.feature("main-bore").extraction.edge_margin == 4.0
    panel.reset.click()
    assert s.plan.feature("main-bore").extraction is None


def test_why_says_what_a_spot_check_and_a_dimension_were_read_from(stage, settle):
    s = stage.session
    s.show(why=True)
    for characteristic, words in (("c29", ("place", "points")), ("c30", ("section", "span 1: circle"))):
        s.selection.select_characteristic(characteristic)
        settle()
        said = {p.text() for p in stage.why_panel.findChildren(QLabel)}
        assert set(words) <= said


def test_the_sample_is_taken_out_and_the_next_scan_is_evaluated(loaded, settle):
    s = loaded.session
    loaded.files.take_sample_out()
    settle()
    assert s.sample is None
    assert {r.state for r in s.evaluation.results} == {State.NOT_MEASURED}
    s.files.open_file(demo.SCAN)
    settle()
    assert s.evaluation.counts()[State.OUTSIDE] == 3


def test_the_batch_page_lists_scans_and_says_what_is_wrong(loaded, qtbot, tmp_path):
    made = BatchDialog(demo.PLAN, loaded.theme, lambda *_: None)
    qtbot.addWidget(made)
    made.show()
    made.add_scans([tmp_path])
    assert "holds no scan" in made.told.text()
    assert not made.start.isEnabled()
    made.add_scans([demo.SCAN, demo.COVER_SCAN])
    assert len(made.table.rows) == 2
    made.naming.setText("{serial}")
    made.out.setText(str(tmp_path / "out"))
    made.start.click()
    assert "{scan}, {plan} and {number}" in made.told.text()
    assert made.batch is None
    made.folder.setText(str(tmp_path / "gone"))
    made.watch.click()
    assert "no such folder" in made.told.text()
    made.close()


def test_the_histogram_stands_beside_the_scale(stage, settle):
    bar = stage.floating.scale
    bar._shares((-0.1, 0.1))
    settle()
    shares = bar._shares((-0.1, 0.1))
    assert shares.sum() == pytest.approx(1.0, abs=0.03)
    image = bar.grab().toImage()
    tick = QColor(stage.theme.tick)
    middle = round(bar.y_of(0.0))
    found = [image.pixelColor(60, y) for y in range(middle - 12, middle + 12)]
    assert any(abs(c.red() - tick.red()) < 60 and abs(c.blue() - tick.blue()) < 70 for c in found)


def press_and_drag(qtbot, widget, start, end):
    qtbot.mousePress(widget, Qt.MouseButton.LeftButton, pos=start)
    qtbot.mouseMove(widget, (start + end) / 2)
    qtbot.mouseMove(widget, end)
    qtbot.mouseRelease(widget, Qt.MouseButton.LeftButton, pos=end)


def test_a_new_section_stands_in_the_middle_with_x_to_the_right(stage, settle):
    m, bench = stage.get(EvaluateModel), stage.parts["evaluate"].bench
    bench.tabs["sections"].click()
    page = bench.sections_page
    for axis, middle, axes in (("X", 70.0, ("Y", "Z")), ("Y", 45.0, ("X", "Z")), ("Z", 30.0, ("X", "Y"))):
        page.axis.activated.emit(page.axis.findData(axis))
        page.add.click()
        settle()
        assert m.sections.range(page.chosen())[1] == pytest.approx(middle, abs=0.1)
        assert stage.get(SectionPage).sheet.drawing.axes == axes


def test_values_and_ends_of_a_dimension_are_dragged_and_it_is_changed(stage, qtbot, settle):
    s, bench = stage.session, stage.parts["evaluate"].bench
    bench.tabs["sections"].click()
    bench.sections_page.add.click()  # across Y, in the middle
    settle()
    page = stage.get(SectionPage)
    sheet = page.sheet
    page.tools["horizontal"].click()
    sheet.take(np.array([0.0, 7.0]), 3.0)
    sheet.take(np.array([140.0, 7.0]), 3.0)
    settle()
    sheet.set_tool(None)
    own = sheet.chosen()
    assert s.evaluation.results[-1].characteristic.nominal == pytest.approx(140.0)
    at = QPoint(*(round(v) for v in sheet.place.on(np.array([sheet.drawing.words[-1].at]))[0].tolist()))
    press_and_drag(qtbot, sheet, at, at + QPoint(-30, 60))
    settle()
    moved = sheet.chosen()
    assert moved.value_at is not None
    assert moved.replace(value_at=None) == own
    words = sheet.drawing.words[-1]
    assert words.at == pytest.approx(moved.value_at)
    s.document.undo()
    assert sheet.chosen() == own  # the drag is one step
    # An end goes along the curve to another face: another nominal, and it is measured there.
    start, end = (QPoint(*(round(v) for v in sheet.place.on(np.array([p]))[0].tolist())) for p in ((140, 7), (122, 31)))
    settle()
    press_and_drag(qtbot, sheet, start, end)
    settle()
    assert sheet.chosen().spans[1].at == pytest.approx((122.0, 31.0), abs=6.0)
    result = s.evaluation.results[-1]
    assert result.characteristic.nominal != pytest.approx(140.0, abs=1.0)
    assert result.measured == pytest.approx(result.characteristic.nominal, abs=0.2)
    page._on_reach(2.0)
    settle()
    assert {x.reach for x in sheet.chosen().spans} == {2.0}
    # From the left side of the base to the wall of the main bore (58 - 21): known from the drawing of the part.
    to_bore = (sheet.chosen().spans[0], sheet.chosen().spans[1].replace(at=(37.0, 40.0)))
    sheet.change(sheet.chosen(), spans=to_bore)
    settle()
    result = s.evaluation.results[-1]
    assert result.characteristic.nominal == pytest.approx(37.0, abs=1e-6)
    assert result.measured == pytest.approx(37.0, abs=0.02)
    # What was typed from the drawing stays when an end is moved.
    s.run(EditCharacteristic(result.characteristic.id, (("nominal", 36.9),)))
    sheet.change(sheet.chosen(), spans=(to_bore[0], to_bore[1].replace(at=(37.0, 30.0))))
    settle()
    assert s.plan.characteristics[-1].nominal == 36.9
    qtbot.keyClick(sheet, Qt.Key.Key_Delete)
    assert sheet.section.dimensions == ()


def test_a_section_is_dragged_along_its_normal_in_the_view(stage, qtbot, settle):
    s, m, bench = stage.session, stage.get(EvaluateModel), stage.parts["evaluate"].bench
    bench.tabs["sections"].click()
    section = s.plan.sections[0]
    stood = m.sections.range(section)[1]
    view = stage.view
    view.show_standard("front")
    view.finish()
    curve = section_curves(s.evaluator.context(s.plan, None), section)
    places = curve.plane.solid(curve.nominal.flat)
    shares = view.camera.project(places, view.width() / view.height())[:, :2] * [view.width(), view.height()]
    lowest = shares[np.argmax(shares[:, 0])]
    start = QPoint(round(lowest[0]), round(lowest[1]))
    pixels = view.height() / view.camera.height
    press_and_drag(qtbot, view, start, start + QPoint(0, -round(10 * pixels)))
    settle()
    assert m.sections.range(s.plan.sections[0])[1] == pytest.approx(stood + 10.0, abs=0.5)
    s.document.undo()
    assert s.plan.sections[0] == section  # one step
    camera = view.camera
    view.show_standard("top")  # seen along its normal it cannot be shifted: the part turns
    view.finish()
    press_and_drag(qtbot, view, start, start + QPoint(0, -40))
    assert s.plan.sections[0] == section
    assert view.camera != camera


def test_a_section_beside_the_part_is_in_nobodys_way(stage, qtbot, settle):
    s, m = stage.session, stage.get(EvaluateModel)
    m.set_page("sections")
    m.sections.add("X", 900.0)
    settle()
    assert stage.get(SectionPage).sheet.drawing.reason == "the plane does not meet the part"
    s.showing.look_at_section("")
    camera = stage.view.camera
    press_and_drag(qtbot, stage.view, QPoint(300, 300), QPoint(340, 330))
    assert stage.view.camera != camera  # the part turns
    assert m.sections.range(s.plan.sections[-1])[1] == 900.0


def test_undo_while_a_section_is_dragged_leaves_it_where_it_stood(stage, qtbot, settle):
    s, m = stage.session, stage.get(EvaluateModel)
    m.set_page("sections")
    section = s.plan.sections[0]
    hand = stage.view.overlay.hand
    stage.view.show_standard("front")
    curve = section_curves(s.evaluator.context(s.plan, None), section)
    shares = stage.view.camera.project(curve.plane.solid(curve.nominal.flat), stage.view.width() / stage.view.height())
    x, y = shares[0, :2] * [stage.view.width(), stage.view.height()]
    assert hand.press(QPointF(x, y), stage.view.camera, stage.view.size())
    hand.drag(QPointF(x, y - 30), stage.view.camera, stage.view.size())
    assert s.plan.sections[0] != section
    s.document.undo()
    m.sections.remove(section.id)
    hand.drag(QPointF(x, y - 60), stage.view.camera, stage.view.size())  # it is gone: nothing happens
    hand.release()
    s.document.undo()
    assert s.plan.sections[0] == section
