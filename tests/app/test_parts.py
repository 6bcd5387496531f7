"""Parts in the window: revisions, the drawing in the file, patterns, typed features, and how the part is shown."""

import sys
from pathlib import Path

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

sys.path.insert(0, str(Path(__file__).parents[1] / "core" / "cad"))
from kernel_files import box, drilled_plate, fuse, write_step
from test_window import BODY_TOP, click, place

from truegauge import demo
from truegauge.app.document.look import SEE_THROUGH
from truegauge.app.stages.part.nominal_table import NominalTable
from truegauge.demo.faces import cylinder_at, plane_at
from truegauge.demo.housing_sizes import bolt_holes


@pytest.fixture
def part(window, settle):
    window.session.files.open_part(demo.PART)
    settle()
    return window


def texts(listed):
    return [listed.item(i).text() for i in range(listed.count())]


def color_at(window, at):
    window.view.finish()
    return window.view.grab().toImage().pixelColor(at)


def test_the_drawing_is_taken_over_in_one_step(part, settle, qtbot):
    assert "3 datums, 7 dimensions, 9 geometric tolerances" in part.parts["part"].bench.drawing_text.text()
    qtbot.mouseClick(part.parts["part"].bench.take_over, Qt.MouseButton.LeftButton)
    settle()
    assert part.ledger.model.rowCount() == 16
    assert "3 datums and 16 characteristics" in part.notices[-1].text
    part.session.document.undo()
    assert part.ledger.model.rowCount() == 0


def test_picking_one_bolt_hole_offers_the_whole_circle(part, settle, qtbot, model):
    session = part.session
    hole = cylinder_at(model, 2.75, *bolt_holes()[0])
    session.selection.pick(hole)
    settle()
    assert part.parts["part"].bench.pattern.text() == "Select all 6 (P)"
    session.pointer.hover(hole)
    assert "one of a bolt circle ⌀ 60 of 6" in part.floating.hover_label.text()
    QTest.keyClick(part, Qt.Key.Key_P)
    settle()
    assert len(session.selection.groups) == 6
    assert session.proposing.proposals[0].each
    session.proposing.accept(0)
    settle()
    assert [c.kind for c in session.plan.characteristics] == ["diameter"] * 6
    session.document.undo()
    assert session.plan.characteristics == ()


def test_the_opposite_side_of_a_slot_is_found(part, settle, model):
    side = plane_at(model, (1, 0, 0), 124)
    part.session.selection.pick(side)
    part.actions_table.trigger("width")
    settle()
    assert part.session.selection.groups == ((side,), (plane_at(model, (-1, 0, 0), -136),))


def test_a_revision_keeps_the_plan_and_shows_what_changed(window, settle, tmp_path):
    session = window.session
    session.files.open_part(write_step(drilled_plate(), tmp_path / "a.step"))
    settle()
    bore = next(e for e in session.evaluator.elements.all if e.kind == "counterbore")
    session.selection.pick(bore.groups[0][0])
    settle()
    session.proposing.accept(0)
    settle()
    session.files.open_part(write_step(fuse(drilled_plate(hole=5.4), box(70, 5, 10, 6, 6, 4)), tmp_path / "b.step"))
    settle()
    assert "b.step is a revision" in window.notices[-1].text
    assert len(session.plan.characteristics) == 1
    (feature,) = session.plan.features
    assert session.evaluator.nominal(feature.faces).feature.radius == pytest.approx(2.7)
    shown = texts(window.parts["part"].bench.changes)
    assert any("diameter 5.000 to 5.400" in text for text in shown)
    assert sum(text.startswith("new: ") for text in shown) == 5
    session.document.undo()
    settle()
    assert session.plan.part.file_name == "a.step"
    assert session.evaluator.nominal(session.plan.features[0].faces).feature.radius == pytest.approx(2.5)


def test_a_feature_whose_face_is_gone_says_so(window, settle, tmp_path):
    session = window.session
    session.files.open_part(write_step(fuse(drilled_plate(), box(70, 5, 10, 6, 6, 4)), tmp_path / "a.step"))
    settle()
    session.selection.pick(plane_at(session.model, (0, 0, 1), 14))
    settle()
    session.proposing.accept(0)
    settle()
    session.files.open_part(write_step(drilled_plate(), tmp_path / "b.step"))
    settle()
    assert "Not found again: plane 1" in window.notices[-1].text
    assert min(session.plan.features[0].faces) < 0
    assert "no such face" in session.evaluator.nominal(session.plan.features[0].faces).reason
    window.view.repaint()


def test_typed_features_become_a_part_that_can_be_measured(window, settle, qtbot):
    table = NominalTable(window.session, window)
    qtbot.addWidget(table)
    table.table.item(0, 2).setText("ten")
    assert "x: 'ten' is not a number" in table.message.text()
    assert not table.use.isEnabled()
    table.table.item(0, 2).setText("10,5")
    assert table.use.isEnabled()
    table.add_row()
    table.table.cellWidget(1, 0).setCurrentText("plane")
    assert "a plane needs a length above 0" in table.message.text()
    table.table.item(1, 10).setText("60")
    qtbot.mouseClick(table.use, Qt.MouseButton.LeftButton)
    settle()
    session = window.session
    assert [b.name for b in session.model.bodies] == ["hole 1", "plane 2"]
    assert session.model.faces[0].surface.origin[0] == 10.5
    session.selection.pick(0)
    settle()
    assert session.proposing.proposals[0].kind.name == "diameter"
    again = NominalTable(session, window)
    qtbot.addWidget(again)
    assert again.rows()[0].position == (10.5, 0.0, 0.0)
    again.reject()


def test_a_plan_with_typed_features_is_saved_with_them(window, settle, tmp_path):
    path = tmp_path / "points.csv"
    path.write_text("type,name,x,y,z,diameter\nhole,a,0,0,0,10\nhole,b,50,0,0,10\n")
    window.session.files.open_file(path)
    settle()
    assert window.session.files.save_plan(tmp_path / "typed.tgplan")
    window.session.document.start_over()
    window.session.files.open_plan(tmp_path / "typed.tgplan")
    settle()
    assert [f.name for f in window.session.model.faces] == ["a", "b"]


def test_hidden_faces_are_neither_drawn_nor_picked(part, qtbot, model):
    view = part.view
    view.show_standard("top")
    top = plane_at(model, (0, 0, 1), 48)
    at = place(part, BODY_TOP)
    before = color_at(part, at)
    assert view.face_at(at.x(), at.y()) == top
    part.session.selection.pick(top)
    QTest.keyClick(part, Qt.Key.Key_H)
    # Through the missing top one looks into the part, at the inside of its base.
    assert view.face_at(at.x(), at.y()) == plane_at(model, (0, 0, -1), 0)
    assert color_at(part, at) != before
    part.actions_table.trigger("show-all")
    assert view.face_at(at.x(), at.y()) == top


def test_only_the_selected_element_is_shown(part, model):
    hole = cylinder_at(model, 2.75, *bolt_holes()[0])
    part.session.selection.pick(hole)
    part.actions_table.trigger("isolate")
    assert part.session.shown.look.hidden == frozenset(f.index for f in model.faces) - {hole}


def test_what_lies_behind_is_picked_in_turn(part, qtbot, model):
    part.view.show_standard("top")
    click(part, qtbot, BODY_TOP)
    first = part.session.selection.faces()
    click(part, qtbot, BODY_TOP, Qt.KeyboardModifier.AltModifier)
    second = part.session.selection.faces()
    assert first == (plane_at(model, (0, 0, 1), 48),)
    assert second == (plane_at(model, (0, 0, -1), 0),)
    click(part, qtbot, BODY_TOP, Qt.KeyboardModifier.AltModifier)
    assert part.session.selection.faces() == first


def test_the_section_box_cuts_drawing_and_picking(part, qtbot, model):
    part.view.show_standard("top")
    at = place(part, BODY_TOP)
    QTest.keyClick(part, Qt.Key.Key_X)
    panel = part.floating.section_panel
    assert panel.isVisible()
    assert part.view.face_at(at.x(), at.y()) == -1  # y = 15 is in the half that is cut away
    kept = place(part, (100.0, 70.0, 48.0))
    assert part.view.face_at(kept.x(), kept.y()) == plane_at(model, (0, 0, 1), 48)
    # The lower handle of Y to the very left keeps everything again.
    bar = panel.bars[1]
    bar.setFocus()
    for _ in range(40):
        QTest.keyClick(bar, Qt.Key.Key_Left)
    assert part.view.face_at(at.x(), at.y()) == plane_at(model, (0, 0, 1), 48)
    QTest.keyClick(part, Qt.Key.Key_X)
    assert part.session.shown.look.section is None


def test_one_can_see_through_the_part_and_see_only_its_edges(part):
    part.view.show_standard("top")
    at = place(part, BODY_TOP)
    plain = color_at(part, at)
    QTest.keyClick(part, Qt.Key.Key_T)
    assert part.session.shown.look.opacity == SEE_THROUGH
    assert color_at(part, at) != plain
    QTest.keyClick(part, Qt.Key.Key_T)
    QTest.keyClick(part, Qt.Key.Key_W)
    background = color_at(part, QPoint(5, 5))
    assert color_at(part, at) == background


def test_colours_of_the_file_are_shown(part, model):
    part.view.show_standard("front")
    bore = next(f for f in model.faces if f.color is not None)
    assert bore.color[2] > bore.color[0]
    names = part.view.scene._actors
    tints = [np.round(255 * np.array(a.GetProperty().GetColor())) for n, a in names.items() if n.startswith("tint")]
    assert any(np.array_equal(t, bore.color) for t in tints)


def test_what_was_hidden_and_cut_does_not_follow_to_another_part(part, settle, tmp_path):
    part.session.selection.pick(0)
    part.actions_table.trigger("hide")
    part.actions_table.trigger("section")
    part.session.files.open_part(write_step(drilled_plate(), tmp_path / "other.step"))
    settle()
    part.view.repaint()
    assert part.session.shown.look.hidden == frozenset()
    assert part.session.shown.look.section is None
    assert not part.floating.section_panel.isVisible()
    part.view.show_standard("top")
    at = place(part, (50, 40, 10))
    assert part.view.face_at(at.x(), at.y()) == plane_at(part.session.model, (0, 0, 1), 10)
    assert color_at(part, at) != color_at(part, QPoint(5, 5))
    part.session.document.undo()
    settle()
    part.view.repaint()
    assert part.session.plan.part.file_name == "LW-1140.step"


def test_a_slot_is_taken_whole_and_becomes_one_feature(part, settle, model):
    session = part.session
    session.selection.pick(plane_at(model, (1, 0, 0), 124))
    part.actions_table.trigger("element")
    settle()
    assert len(session.selection.groups) == 4
    first, second = session.proposing.proposals[:2]
    assert {first.label, second.label} == {"width", "length"}
    session.proposing.accept(0)
    settle()
    session.proposing.accept(1)
    settle()
    assert [f.name for f in session.plan.constructed] == ["slot 1"]
    assert {c.name: round(c.nominal, 6) for c in session.plan.characteristics} == {
        "slot 1 width": 12.0,
        "slot 1 length": 30.0,
    }
    session.document.undo()
    session.document.undo()
    assert session.plan.constructed == ()
