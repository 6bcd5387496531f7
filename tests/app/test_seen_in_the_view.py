"""Datum letters on the part, marks that leave the colours of the map, what comes next, where something was saved."""

import numpy as np
import pytest
from PySide6.QtGui import QDesktopServices
from PySide6.QtWidgets import QFileDialog
from tests.app.conftest import PATIENCE

from truegauge import demo
from truegauge.app.document.next_step import BRING_SCAN, OPEN_PART
from truegauge.app.stages.measure.form_page import FormModel
from truegauge.rendering.camera import STANDARD_VIEWS


def painted(window, stage, name="corner"):
    window.session.set_stage(stage)
    window.view.show_standard(name)
    window.view.finish()
    window.grab()
    return window.view


@pytest.mark.parametrize("name", STANDARD_VIEWS)
def test_letters_stand_on_datums_that_face_the_eye_and_keep_off_tags(loaded, name):
    view = painted(loaded, "measure", name)
    s, camera = loaded.session, view.camera
    seen = {}
    for datum in s.plan.datums:
        nominal = s.evaluator.nominal(s.plan.feature(datum.feature).group, s.plan)
        if nominal.shape == "plane":
            seen[datum.letter] = float(nominal.outward * nominal.feature.normal @ camera.back) > 0.02
    for letter, faces_eye in seen.items():
        assert (letter in view.letters.boxes) <= faces_eye, letter
    boxes = [*view.letters.boxes.values(), *view.tags_shown.boxes.values()]
    assert not any(a.intersects(b) for i, a in enumerate(boxes) for b in boxes[:i])
    if name == "corner":
        assert set(view.letters.boxes) == {"A", "B", "C", "D"} - {k for k, v in seen.items() if not v}


def test_letters_go_with_hidden_faces_and_are_not_in_the_map(loaded, settle):
    view = painted(loaded, "measure", "front")
    assert "B" in view.letters.boxes
    side = loaded.session.plan.feature(loaded.session.plan.datum("B").feature)
    loaded.session.selection.select((side.faces,))
    loaded.session.showing.hide_selected()
    view.finish()
    loaded.grab()
    assert "B" not in view.letters.boxes
    loaded.session.showing.show_all()
    row = loaded.parts["measure"].bench.rows[side.id]
    assert row.letter == "B"
    assert "datum B" in row.accessibleDescription()


def test_the_map_keeps_its_colours_under_a_selected_face(loaded, settle):
    s = loaded.session
    s.show(map=True)
    settle()
    view = painted(loaded, "evaluate", "back")
    s.show(tags=False)
    before = view.scene.render(view.camera, 600, 480)
    s.selection.select((s.plan.feature("shroud").faces,))
    settle()
    after = view.scene.render(view.camera, 600, 480)
    changed = (np.abs(before.astype(int) - after.astype(int)).max(axis=2) > 12).mean()
    assert 0.001 < changed < 0.03  # its outline is there, and nothing else
    s.show(map=False)
    settle()
    plain = view.scene.render(view.camera, 600, 480)
    s.selection.select(())
    settle()
    bare = view.scene.render(view.camera, 600, 480)
    filled = (np.abs(plain.astype(int) - bare.astype(int)).max(axis=2) > 12).mean()
    assert filled > max(0.03, 2 * changed)  # where no map is


def test_the_height_map_lies_as_the_plane_in_the_view(loaded, settle, qtbot):
    s, form = loaded.session, loaded.get(FormModel)
    s.set_stage("measure")
    s.selection.select((s.plan.feature("top").faces if s.plan.has_feature("top") else s.plan.features[3].faces,))
    settle()
    qtbot.waitUntil(lambda: form.current() is not None, timeout=PATIENCE)
    for name in ("top", "corner"):
        loaded.view.show_standard(name)
        across, along = form.current().directions
        camera = loaded.view.camera
        assert across @ camera.right > 0.6
        assert along @ camera.up > 0.3


def test_what_comes_next_is_said_until_it_is_done(window, settle, qtbot, monkeypatch):
    s = window.session
    bench = {key: parts.bench for key, parts in window.parts.items()}
    assert bench["part"].next.command == OPEN_PART
    s.files.open_part(demo.PART)
    settle()
    assert bench["part"].next.command == "annotations"
    bench["part"].next.click()
    settle()
    assert s.plan.characteristics
    assert bench["part"].next.command == BRING_SCAN
    for key in ("align", "measure", "evaluate"):
        s.set_stage(key)
        assert bench[key].next.command == BRING_SCAN, key
    s.set_stage("devices")
    assert "start the stand-in" in bench["devices"].next.accessibleName()
    s.files.open_scan(demo.SCAN)
    settle()
    for key in ("part", "align", "measure", "evaluate"):
        s.set_stage(key)
        assert not bench[key].next.isVisible(), key
    s.set_stage("report")
    assert "who inspects" in bench["report"].next.accessibleName()
    bench["report"].fields["inspector"].setText("R. Fenwright")
    bench["report"].fields["inspector"].editingFinished.emit()
    settle()
    assert bench["report"].next.command == "save-pdf"
    assert not window.rail.buttons["report"].missing


def test_every_save_says_where_and_opens_the_folder(loaded, settle, tmp_path, monkeypatch):
    opened = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()))
    s, notice = loaded.session, loaded.floating.notice
    for path, save in (
        (tmp_path / "a.tgplan", s.files.save_plan), (tmp_path / "b.tgsample", s.files.save_sample),
        (tmp_path / "c.ply", s.files.save_cloud),
    ):  # fmt: skip
        save(path)
        settle()
        assert path.exists()
        assert notice.text.text() == f"{path.name} is saved in {tmp_path}"
        notice.action.click()
    assert opened == [str(tmp_path)] * 3
    name = tmp_path / "report.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(name), ""))
    loaded.actions_table.trigger("save-csv")
    settle()
    assert "report.csv is saved in" in notice.text.text()
    notice._going.timeout.emit()
    assert not notice.isVisible()  # it says no more than that, and goes by itself


def test_unit_and_decimals_change_by_key_for_everything(loaded, settle):
    trigger, plan = loaded.actions_table.trigger, lambda: loaded.session.plan
    row = loaded.ledger.model.index(3)
    assert "42.012" in loaded.ledger.model.data(row)
    trigger("more-decimals")
    settle()
    assert plan().decimals == 4
    assert any(f"42.01{k}" in loaded.ledger.model.data(row) for k in range(10))
    trigger("unit")
    settle()
    assert plan().unit == "inch"
    assert "1.654" in loaded.ledger.model.data(row)
    for _ in range(9):
        trigger("fewer-decimals")
    assert plan().decimals == 0
    for _ in range(6):
        loaded.session.document.undo()
    assert (plan().decimals, plan().unit) == (3, "mm")


def test_the_menu_begins_with_plans_and_has_lines_between_its_groups(loaded):
    menu = loaded.actions_table.menu(loaded)
    titles = [a.text() for a in menu.actions()]
    assert titles[:4] == ["New plan", "Open plan …", "Save plan", ""]
    plan = next(a.menu() for a in menu.actions() if a.text() == "Plan")
    lines = [k for k, a in enumerate(plan.actions()) if a.isSeparator()]
    assert len(lines) >= 4
    assert {"Open part …", "Bring in a scan …", "Quit"} <= {plan.actions()[k + 1].text() for k in lines}
    menu.close()


def test_the_page_of_the_form_closes_with_its_stage(loaded, settle, qtbot):
    s, form = loaded.session, loaded.get(FormModel)
    s.set_stage("measure")
    s.selection.select((s.plan.features[3].faces,))
    settle()
    qtbot.waitUntil(lambda: form.current() is not None, timeout=PATIENCE)
    loaded.actions_table.trigger("form-plot")
    assert loaded.center.currentWidget() is loaded.shell.full_page is not None
    s.set_stage("evaluate")
    assert loaded.center.currentWidget() is loaded.view
    s.set_stage("measure")
    assert loaded.center.currentWidget() is loaded.view
    s.show(map=True)
    settle()
    assert loaded.floating.scale.isVisible()


def test_tags_make_room_for_a_message(loaded):
    view = painted(loaded, "measure")
    before = {key: box.top() for key, box in view.tags_shown.boxes.items()}
    assert min(before.values()) < 40
    loaded.session.notify("something is not so")
    loaded.grab()
    assert min(box.top() for box in view.tags_shown.boxes.values()) > loaded.floating.notice.bottom
    loaded.floating.notice.dismiss()
    loaded.grab()
    assert min(box.top() for box in view.tags_shown.boxes.values()) < 40
