"""Tags stand beside the part, point at material that is seen, shrink where there is no room, and let clicks through."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt

from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.view.tag_painter import part_outline
from truegauge.core.characteristics.registry import kind_named
from truegauge.rendering.camera import STANDARD_VIEWS, standard_camera
from truegauge.rendering.tag_anchors import tag_anchor


@pytest.fixture
def view(loaded, settle):
    loaded.session.set_stage("measure")
    settle()
    loaded.view.show_standard("corner")
    loaded.view.finish()
    loaded.view.grab()
    return loaded.view


def covering(view, session):
    """Return the tags that cover the part, and how many pairs of boxes overlap."""
    part = part_outline(session, view.camera, view.rect().toRectF())
    boxes = list(view.tags_shown.boxes.values())
    over = [k for k, b in view.tags_shown.boxes.items() if part.meets((b.x(), b.y(), b.width(), b.height()))]
    return over, sum(a.intersects(b) for i, a in enumerate(boxes) for b in boxes[:i])


@pytest.mark.parametrize("name", STANDARD_VIEWS)
@pytest.mark.parametrize("stage", ["measure", "evaluate"])
def test_no_tag_covers_the_part_in_any_standard_view(loaded, view, name, stage):
    loaded.session.set_stage(stage)
    view.show_standard(name)
    view.finish()
    view.grab()
    assert len(view.tags_shown.boxes) >= 3
    assert covering(view, loaded.session) == ([], 0)


def test_the_whole_part_is_in_sight_beside_its_tags(loaded, view):
    shares = view.camera.project(loaded.session.model.mesh.vertices, view.width() / view.height())[:, :2]
    assert shares.min() > 0
    assert shares.max() < 1
    assert not view.tags_shown.small


def test_where_the_part_fills_the_view_tags_are_small_and_open_under_the_pointer(loaded, view, qtbot):
    view.set_camera(view.camera.zoomed(2.4, 0.5, 0.5, view.width() / view.height()))
    view.finish()
    view.grab()
    assert view.tags_shown.small
    key, box = next(iter(view.tags_shown.boxes.items()))
    assert box.height() < 30
    closed = view.grab().toImage()
    qtbot.mouseMove(view, box.center().toPoint())
    assert view.tags_shown.under_pointer == key
    assert view.grab().toImage() != closed
    qtbot.mouseMove(view, QPoint(view.width() // 2, view.height() // 2))
    assert not view.tags_shown.under_pointer


def test_tags_of_hidden_features_and_of_what_is_out_of_sight_go(loaded, view):
    s = loaded.session
    result = next(r for r in s.evaluation.results if r.characteristic.id in view.tags_shown.boxes
                  and len(r.characteristic.features) == 1)  # fmt: skip
    feature = s.plan.feature(result.characteristic.features[0])
    s.showing.set_look(hidden=frozenset(feature.faces))
    view.grab()
    assert result.characteristic.id not in view.tags_shown.boxes
    s.showing.show_all()
    view.grab()
    assert result.characteristic.id in view.tags_shown.boxes
    view.set_camera(view.camera.panned(3.0, 0.0, view.width() / view.height()))
    view.finish()
    view.grab()
    assert not view.tags_shown.boxes


def test_one_key_hides_them_all_in_every_stage(loaded, view):
    for stage in ("measure", "evaluate"):
        loaded.session.set_stage(stage)
        view.grab()
        assert view.tags_shown.boxes
        loaded.actions_table.trigger("tags")
        view.grab()
        assert not view.tags_shown.boxes
        loaded.actions_table.trigger("tags")
    assert loaded.actions_table.table["tags"].shortcut == "Shift+T"


def test_a_click_beside_the_first_line_of_a_tag_reaches_the_part(loaded, view, qtbot):
    s = loaded.session
    view.set_camera(view.camera.zoomed(2.4, 0.5, 0.5, view.width() / view.height()))
    pinned = next(iter(view.tags_shown.boxes))
    middle = QPointF(view.width() * 0.5, view.height() * 0.6)
    view._tags.dragged, view._tags.pressed = (pinned, middle), pinned
    view._tags.release(view.size())
    view.tags_shown.boxes[pinned] = view.rect().toRectF().adjusted(150, 250, -150, -150)
    below = view.tags_shown.boxes[pinned].center().toPoint()
    assert view.face_at(below.x(), below.y()) >= 0
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=below)
    assert s.selection.groups
    assert not s.selection.characteristic or s.selection.characteristic != pinned
    s.selection.select(())
    view.tags_shown.boxes[pinned] = view.rect().toRectF().adjusted(150, 250, -150, -150)
    handle = view.tags_shown.boxes[pinned].topLeft().toPoint() + QPoint(20, 10)
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=handle)
    assert s.selection.characteristic == pinned


def test_tags_are_chosen_one_beside_the_other(loaded, view, qtbot):
    loaded.session.selection.select(())
    view.grab()
    (first, box), (second, other) = list(view.tags_shown.boxes.items())[:2]
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=(box.topLeft() + QPointF(4, 4)).toPoint())
    assert [c.id for c in loaded.ledger.selected()] == [first]
    beside = (other.topLeft() + QPointF(4, 4)).toPoint()
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, beside)
    assert {c.id for c in loaded.ledger.selected()} == {first, second}
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, beside)
    assert [c.id for c in loaded.ledger.selected()] == [first]


def test_feet_stand_on_material_that_is_seen(evaluator, evaluation, plan, sample, rng):
    """By definition: the foot lies on a face of its features, and on the line to the eye nothing is in the way."""
    model, size = evaluator.model, evaluator.model.diagonal
    seen = behind = missed = 0
    for _ in range(5):
        camera = standard_camera("corner", model.box, 1.3).orbited(*rng.uniform(-1, 1, 2), model.box.mean(axis=0))
        for result in evaluation.results:
            c = result.characteristic
            faces = [f for x in c.features for f in plan.faces_of(plan.named(x).group)]
            at = tag_anchor(evaluator, plan, sample, result, camera)
            if at is None or not faces:
                continue
            assert abs(evaluator.projector.deviations(at.place[None]).distance[0]) < 1e-3 * size, c.name
            if at.is_seen:
                seen += 1
                assert not in_the_way(evaluator, at.place, camera), c.name
                continue
            if len(c.features) > 1 or kind_named(c.kind).reading:  # one place is pointed at, and not another one
                continue
            behind += 1
            mesh = model.mesh
            rows = np.flatnonzero(np.isin(mesh.triangle_face, faces))[::9]
            middles = mesh.vertices[mesh.triangles[rows]].mean(axis=1)
            missed += any(not in_the_way(evaluator, p, camera) for p in middles)
    assert seen > behind > 0
    assert missed <= 0.1 * behind  # not every place of a feature is looked at


def in_the_way(evaluator, place, camera):
    """Tell whether the part is in the way from a place to the eye, step by step."""
    size = evaluator.model.diagonal
    way = place + np.linspace(1e-3, 1.2, 1200)[:, None] * size * camera.back
    low, high = evaluator.model.box
    way = way[((way > low) & (way < high)).all(axis=1)]  # beyond there is no part
    return bool((evaluator.projector.deviations(way).distance < -2e-4 * size).any())


def test_escape_lets_the_selection_go_wherever_the_focus_is(loaded, view, qtbot):
    s = loaded.session
    for widget in (loaded.ledger.search, loaded.ledger.list, loaded.rail.buttons["measure"], loaded.rail.menu_button,
                   loaded.view):  # fmt: skip
        s.selection.select((s.plan.features[0].faces,))
        widget.setFocus()
        qtbot.keyClick(widget, Qt.Key.Key_Escape)
        assert not s.selection.groups, widget


def test_escape_lets_go_of_selection_tool_and_panels_in_this_order(loaded, view, qtbot, settle):
    s = loaded.session
    s.set_stage("evaluate")
    model = loaded.get(EvaluateModel)
    s.show(why=True)
    s.showing.look_at_section(s.plan.sections[0].id)
    s.showing.set_look(section=np.array(s.model.box))
    model.pick_for("spot")
    s.selection.select((s.plan.features[0].faces,))
    states = []
    for _ in range(5):
        qtbot.keyClick(loaded.ledger.search, Qt.Key.Key_Escape)
        states.append((bool(s.selection.groups), model.picking, s.shown.why, bool(s.shown.section),
                       s.shown.look.section is not None))  # fmt: skip
    assert states == [
        (False, "spot", True, True, True), (False, "", True, True, True), (False, "", False, True, True),
        (False, "", False, False, True), (False, "", False, False, False),
    ]  # fmt: skip
    s.notify("something is not so")
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert not loaded.floating.notice.isVisible()


def test_tab_walks_as_the_eye_does_and_nothing_falls_to_the_menu_by_chance(loaded, qtbot, settle):
    s = loaded.session
    s.set_stage("measure")
    settle()
    loaded.activateWindow()
    loaded.rail.menu_button.setFocus()
    seen = []
    for _ in range(150):
        qtbot.keyClick(loaded.focusWidget(), Qt.Key.Key_Tab)
        seen.append(loaded.focusWidget())
        if seen[-1] is loaded.rail.menu_button:
            break
    areas = [next(k for k, a in enumerate((loaded.rail, loaded.header, loaded.benches, loaded.middle, loaded.ledger))
                  if a is w or a.isAncestorOf(w)) for w in seen[:-1]]  # fmt: skip
    assert areas == sorted(areas)
    assert set(areas) == {0, 1, 2, 3, 4}
    bench = [w.mapTo(loaded, QPoint(0, 0)) for w, a in zip(seen, areas, strict=False) if a == 2]
    assert [p.y() for p in bench] == sorted(p.y() for p in bench) or len(bench) > 5
    qtbot.keyClick(loaded.focusWidget(), Qt.Key.Key_Backtab)
    assert loaded.focusWidget() is seen[-2]
    # What has the focus goes with its stage: the view has it then.
    bench_field = loaded.parts["measure"].bench.find_field
    bench_field.setFocus()
    s.set_stage("report")
    assert loaded.focusWidget() is not loaded.rail.menu_button


def test_a_message_goes_with_its_stage_and_can_be_seen_again(loaded):
    s, notice = loaded.session, loaded.floating.notice
    s.set_stage("measure")
    s.notify("'x' is not a length; it stays as it was")
    assert notice.isVisible()
    s.set_stage("evaluate")
    assert not notice.isVisible()
    loaded.actions_table.trigger("last-message")
    assert notice.isVisible()
    assert "not a length" in notice.text.text()
    s.notify("Bring it back?", "Yes", lambda: None, "No", lambda: None)
    s.set_stage("measure")
    assert notice.isVisible()  # a question waits for its answer


def test_the_question_about_an_outline_goes_with_it(loaded, view, qtbot):
    view.draw_outline("box")
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(100, 100))
    qtbot.mouseMove(view, QPoint(200, 180))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(200, 180))
    notice = loaded.floating.notice
    assert notice.isVisible()
    assert "inside the outline" in notice.text.text()
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert not view.outline.mode
    assert not notice.isVisible()
    view.draw_outline("box")
    loaded.session.notify("something else")
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert notice.isVisible()  # that is about something else
