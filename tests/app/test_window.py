"""The real window, driven as a user would, offscreen."""

import gc
import threading
import warnings

import numpy as np
import pypdfium2
import pytest
from openpyxl import load_workbook
from PySide6.QtCore import QMimeData, QPoint, QPointF, Qt, QUrl
from PySide6.QtGui import QDragEnterEvent, QDropEvent, QWheelEvent
from PySide6.QtWidgets import QApplication, QFileDialog, QLineEdit
from tests.app.conftest import PATIENCE

from truegauge import demo
from truegauge.app.ledger.characteristic_editor import CharacteristicEditor
from truegauge.app.shell.finder import Finder
from truegauge.app.shell.stage import STAGES
from truegauge.app.stages.report.making import ReportMaker
from truegauge.core.samples.document import ProbedTouch
from truegauge.core.tolerancing.judgement import State
from truegauge.demo.faces import plane_at
from truegauge.formats.plan_file import read_plan
from truegauge.formats.ply import ply_from_points

BODY_TOP = (100.0, 15.0, 48.0)
BORE_WALL = (58.0, 66.0, 50.0)


def place(window, point):
    """Return where a point of the part is in the view."""
    view = window.view
    x, y, _ = view.camera.project(np.asarray(point, float), view.width() / view.height())[0]
    return QPoint(round(x * view.width()), round(y * view.height()))


def click(window, qtbot, point, modifier=Qt.KeyboardModifier.NoModifier):
    qtbot.mouseClick(window.view, Qt.MouseButton.LeftButton, modifier, place(window, point))


def drop(window, *paths):
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(p)) for p in paths])
    how = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    dropped(window, *how)


def dropped(window, *how):
    """Come over the window, then let go, as the system tells it."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore", DeprecationWarning)  # nothing else makes such an event
        enter = QDragEnterEvent(QPoint(50, 50), *how)
    QApplication.sendEvent(window, enter)
    assert enter.isAccepted()
    QApplication.sendEvent(window, QDropEvent(QPointF(50, 50), *how))


def row(window, number):
    return next(
        i for i in range(window.ledger.model.rowCount()) if window.ledger.model.characteristic(i).number == number
    )


def test_an_empty_window_says_what_to_do(window):
    assert window.ledger.empty.isVisible()
    assert "No part yet" in window.parts["part"].bench.name.text()
    assert STAGES["measure"].missing(window.session.document) == "open a part first"
    assert window.view.camera is None


def test_a_dropped_part_is_shown_and_a_dropped_scan_is_aligned(window, settle, evaluation):
    drop(window, demo.SCAN, demo.PART)  # in any order
    settle()
    assert window.parts["part"].bench.name.text() == "LW-1140.step"
    assert "43 planes" in window.parts["part"].bench.kinds.text()
    alignment = window.session.evaluation.alignment
    assert np.array_equal(alignment.part_from_scan, evaluation.alignment.part_from_scan)
    window.session.set_stage("align")
    assert window.parts["align"].bench.rms.text() == f"{1000 * alignment.rms:.1f} µm"
    assert window.parts["align"].bench.pairs.values["points used"].text() == f"{alignment.points_used:,}"
    assert "rms" in window.header.alignment.text()


def test_the_ledger_shows_every_characteristic_with_its_state(loaded):
    model = loaded.ledger.model
    assert model.rowCount() == 30
    assert loaded.ledger.counts.text() == "26 in   1 near   3 out"
    assert model.data(model.index(3)) == "4 main bore 42.012 within"
    assert model.data(model.index(row(loaded, 13))) == "13 bolt hole 4 to main bore 30.179 outside"


def test_hovering_says_what_would_be_picked_and_what_was_measured(loaded, qtbot, settle, surveys):
    loaded.session.evaluating.evaluate()
    settle()
    loaded.view.show_standard("top")
    qtbot.mouseMove(loaded.view, place(loaded, BODY_TOP))
    assert loaded.floating.hover_label.text().startswith("plane, facing +Z")
    loaded.session.pointer.hover(loaded.session.plan.feature("main-bore").faces[0])
    nominal, measured = loaded.floating.hover_label.text().split("\n")
    assert nominal == "main bore: hole ⌀ 42, through, 60 deep"
    assert measured.startswith("measured cylinder Ø42.012 · deviation -0.006")
    assert measured.endswith("% covered")


def test_picking_faces_offers_proposals_and_accepting_adds_a_characteristic(loaded, qtbot, settle, model):
    loaded.view.show_standard("top")
    click(loaded, qtbot, BODY_TOP)
    click(loaded, qtbot, (30.0, 5.0, 14.0), Qt.KeyboardModifier.ControlModifier)
    settle()
    assert loaded.session.selection.groups == ((plane_at(model, (0, 0, 1), 48),), (plane_at(model, (0, 0, 1), 14),))
    texts = [b.text() for b in loaded.floating.strip.buttons]
    assert [t.split()[0] for t in texts][:2] == ["distance", "parallelism"]
    assert abs(float(texts[0].split()[1]) - 34.0) < 0.01
    qtbot.mouseClick(loaded.floating.strip.buttons[0], Qt.MouseButton.LeftButton)
    settle()
    assert loaded.ledger.model.rowCount() == 31
    added = loaded.ledger.model.characteristic(30)
    assert added.number == 31
    assert added.nominal == pytest.approx(34.0)
    assert loaded.session.evaluation.result(added.id).state == State.WITHIN
    loaded.session.document.undo()
    assert loaded.ledger.model.rowCount() == 30
    loaded.session.document.redo()
    assert loaded.ledger.model.rowCount() == 31


def test_enter_takes_the_first_proposal(loaded, qtbot, settle):
    loaded.view.show_standard("top")
    click(loaded, qtbot, BODY_TOP)
    settle()
    qtbot.keyClick(loaded.view, Qt.Key.Key_Return)
    settle()
    assert loaded.session.plan.characteristics[-1].kind == "parallelism"  # the face lies along datum A


def test_a_tolerance_is_edited_in_its_row_and_undone(loaded, qtbot):
    ledger, index = loaded.ledger, loaded.ledger.model.index(3)
    ledger.list.setCurrentIndex(index)
    ledger.edit_selected()
    editor = ledger.list.findChild(CharacteristicEditor)
    editor.upper_field.setText("0.005")
    qtbot.keyClick(editor.upper_field, Qt.Key.Key_Return)
    if editor.isVisible():
        ledger.list.commitData(editor)
        ledger.list.closeEditor(editor, ledger._delegate.EndEditHint.NoHint)
    assert loaded.session.plan.characteristic("c4").upper == 0.005
    assert ledger.model.result(3).state == State.OUTSIDE
    assert ledger.counts.text() == "25 in   1 near   4 out"
    loaded.session.document.undo()
    assert ledger.model.result(3).state == State.WITHIN


def test_a_typed_word_is_refused_and_nothing_is_lost(loaded, qtbot):
    ledger = loaded.ledger
    ledger.list.setCurrentIndex(ledger.model.index(3))
    ledger.edit_selected()
    editor = ledger.list.findChild(CharacteristicEditor)
    editor.upper_field.setText("wide")
    ledger.list.commitData(editor)
    assert "'wide' is not a number" in loaded.notices[-1].text
    assert loaded.session.plan.characteristic("c4").upper == 0.025


def test_selecting_a_row_marks_its_faces_and_points(loaded, qtbot, settle):
    visual = loaded.ledger.list.visualRect(loaded.ledger.model.index(3)).center()
    qtbot.mouseClick(loaded.ledger.list.viewport(), Qt.MouseButton.LeftButton, pos=visual)
    settle()
    assert loaded.session.selection.groups == (loaded.session.plan.feature("main-bore").faces,)
    points = loaded.session.selection.points()
    radius = np.hypot(points[:, 0] - 58, points[:, 1] - 45)
    assert len(points) > 20_000
    assert np.abs(radius - 21.006).max() < 0.1


def test_picking_a_feature_selects_its_row(loaded, qtbot, settle):
    # From above and behind the wall of the bore is in sight.
    loaded.view.show_standard("corner")
    click(loaded, qtbot, BORE_WALL)
    settle()
    assert loaded.ledger.list.currentIndex().row() == 3
    click(loaded, qtbot, (-60.0, -60.0, 100.0))  # beside the part
    assert loaded.session.selection.groups == ()


def test_the_map_follows_its_scale(loaded, qtbot, settle):
    loaded.session.set_stage("evaluate")
    settle()
    assert loaded.session.shown.map
    assert loaded.floating.scale.isVisible()
    loaded.view.show_standard("back")
    at = place(loaded, (84.0, 83.0, 30.0))

    def color():
        settle()
        loaded.view.finish()
        return loaded.view.grab().toImage().pixelColor(at)

    hot = color()
    assert hot.red() > hot.blue() + 60
    field = loaded.parts["evaluate"].bench.map_page.limit
    field.setText("2.0")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    field = loaded.parts["evaluate"].bench.map_page.tolerance
    field.setText("1.0")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert loaded.session.plan.scale.limit == 2.0
    calm = color()
    assert abs(calm.red() - calm.blue()) < 40
    loaded.session.document.undo()
    loaded.session.document.undo()
    assert loaded.session.plan.scale.limit == 0.1


def test_dragging_on_the_scale_changes_its_limit_as_one_edit(loaded, qtbot, settle):
    loaded.session.show(map=True)
    settle()
    bar = loaded.floating.scale
    start = QPoint(16, round(bar.y_of(0.1)))
    qtbot.mousePress(bar, Qt.MouseButton.LeftButton, pos=start)
    for step in range(1, 6):
        qtbot.mouseMove(bar, start - QPoint(0, 8 * step))
    qtbot.mouseRelease(bar, Qt.MouseButton.LeftButton, pos=start - QPoint(0, 40))
    assert loaded.session.plan.scale.limit > 0.1
    loaded.session.document.undo()
    assert loaded.session.plan.scale.limit == 0.1


def test_a_value_is_typed_on_the_scale(loaded, qtbot, settle):
    loaded.session.show(map=True)
    loaded.floating.scale.edit("tolerance")
    editor = loaded.floating.scale.findChild(QLineEdit)
    editor.setText("0.02")
    qtbot.keyClick(editor, Qt.Key.Key_Return)
    assert loaded.session.plan.scale.tolerance == 0.02


@pytest.mark.parametrize("name", ["bad.ply", "bad.step", "bad.tgplan", "photo.jpg"])
def test_a_bad_file_is_a_message_and_the_window_stays(loaded, settle, tmp_path, name):
    path = tmp_path / name
    path.write_bytes(np.random.default_rng(5).bytes(4000))
    before = loaded.session.plan, loaded.session.sample, loaded.session.evaluation
    drop(loaded, path)
    settle()
    assert name in loaded.notices[-1].text
    assert loaded.floating.notice.isVisible()
    assert (loaded.session.plan, loaded.session.sample, loaded.session.evaluation) == before


def test_a_scan_in_inch_is_noticed_and_read_as_inch_on_one_click(window, qtbot, settle, sample, tmp_path):
    path = tmp_path / "inch.ply"
    path.write_bytes(ply_from_points(sample.points[::20] / 25.4))
    drop(window, demo.PART)
    settle()
    drop(window, path)
    settle()
    assert "inch" in window.notices[-1].text
    assert window.session.sample is None
    qtbot.mouseClick(window.floating.notice.action, Qt.MouseButton.LeftButton)
    settle()
    assert window.session.sample.unit == "inch"
    assert window.session.evaluation.alignment.trusted


def test_another_scan_is_evaluated_by_the_same_plan(loaded, settle, sample, tmp_path):
    path = tmp_path / "next.ply"
    path.write_bytes(ply_from_points(sample.points[::3]))
    before = loaded.session.evaluation.result("c4").measured
    loaded.session.files.open_scan(path)
    settle()
    after = loaded.session.evaluation.result("c4").measured
    assert loaded.header.sample.text() == "Sample next"
    assert after != before
    assert after == pytest.approx(before, abs=0.0005)


def test_a_scan_of_another_part_is_shown_as_not_trusted(loaded, settle, rng, tmp_path):
    direction = rng.normal(size=(20_000, 3))
    direction /= np.linalg.norm(direction, axis=1, keepdims=True)
    path = tmp_path / "egg.ply"
    path.write_bytes(ply_from_points(direction * [80, 45, 30]))
    loaded.session.files.open_scan(path)
    settle()
    assert "not trusted" in loaded.header.alignment.text()
    loaded.session.set_stage("align")
    assert "another part" in loaded.parts["align"].bench.doubts.text()
    loaded.session.files.open_scan(demo.SCAN)
    settle()


def test_the_report_is_seen_before_it_is_saved(loaded, qtbot, settle, tmp_path, monkeypatch):
    loaded.session.set_stage("report")
    qtbot.waitUntil(lambda: len(loaded.get(ReportMaker).preview.pages) == 3, timeout=PATIENCE)
    assert loaded.get(ReportMaker).preview.pages[0].pixmap().width() > 300
    loaded.parts["report"].bench.fields["inspector"].setText("A. Marlowe")
    qtbot.keyClick(loaded.parts["report"].bench.fields["inspector"], Qt.Key.Key_Return)
    target = tmp_path / "report.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    qtbot.mouseClick(loaded.parts["report"].bench.pdf, Qt.MouseButton.LeftButton)
    settle()
    document = pypdfium2.PdfDocument(target)
    assert "A. Marlowe" in document[0].get_textpage().get_text_bounded()
    document.close()
    target = tmp_path / "report.html"
    loaded.parts["report"].bench.html.click()
    settle()
    assert "A. Marlowe" in target.read_text()
    target = tmp_path / "table.xlsx"
    loaded.parts["report"].bench.xlsx.click()
    settle()
    assert load_workbook(target)["results"].max_row == 7 + 30
    loaded.session.document.undo()
    assert loaded.parts["report"].bench.fields["inspector"].text() == "R. Fenwright"
    target = tmp_path / "nowhere" / "table.csv"
    loaded.parts["report"].bench.csv.click()
    settle()
    assert "choose another folder" in loaded.notices[-1].text


def test_plan_and_sample_are_saved_and_opened_with_the_same_results(loaded, settle, tmp_path, monkeypatch):
    loaded.session.set_stage("measure")
    before = [r.measured for r in loaded.session.evaluation.results]
    target = tmp_path / "copy"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(target), ""))
    loaded.session.run(
        __import__("truegauge.core.commands.features", fromlist=["x"]).EditFeature("boss", (("name", "boss 30"),))
    )
    assert loaded.windowTitle().startswith("LW-1140 worm-drive housing*")
    assert loaded.files.save_as()
    loaded.files.save_sample()
    assert not loaded.windowTitle().startswith("LW-1140 worm-drive housing*")
    assert read_plan(tmp_path / "copy.tgplan").plan.feature("boss").name == "boss 30"
    loaded.session.document.start_over()
    settle()
    assert loaded.ledger.model.rowCount() == 0
    drop(loaded, tmp_path / "copy.tgsample", tmp_path / "copy.tgplan")
    settle()
    assert [r.measured for r in loaded.session.evaluation.results] == before


def test_undo_of_another_part_brings_the_old_one_back(loaded, settle, tmp_path):
    other = tmp_path / "other.csv"
    other.write_text("type,name,x,y,z,diameter\nhole,bore,0,0,0,20\nhole,second,80,0,0,20\n")
    loaded.session.files.open_part(other)
    settle()
    assert loaded.session.plan.characteristics == ()
    loaded.session.document.undo()
    settle()
    assert loaded.ledger.model.rowCount() == 30
    assert loaded.session.evaluation.result("c4").measured is not None


def test_work_can_be_cancelled(window, qtbot, settle, monkeypatch):
    import threading

    started = threading.Event()

    def slow(progress):
        started.set()
        while True:
            progress(0.5, "")
            threading.Event().wait(0.01)

    window.session.queue.start(slow, lambda _: None, "Waiting")
    qtbot.waitUntil(started.is_set)
    assert window.header.stop.isVisible()
    qtbot.mouseClick(window.header.stop, Qt.MouseButton.LeftButton)
    settle()
    assert not window.header.stop.isVisible()


def test_a_stopped_evaluation_can_be_taken_up_again(window, qtbot, settle, evaluator, monkeypatch):
    import threading

    real, started = evaluator.evaluate, threading.Event()

    def slow(plan, sample, *, progress):
        started.set()
        while True:
            progress(0.1, "waiting")
            threading.Event().wait(0.01)

    monkeypatch.setattr(evaluator, "evaluate", slow)
    window.session.files.open_plan(demo.PLAN)
    qtbot.waitUntil(started.is_set, timeout=PATIENCE)
    window.session.queue.cancel()
    settle()
    assert window.session.evaluation is None
    assert "stopped" in window.notices[-1].text
    monkeypatch.setattr(evaluator, "evaluate", real)
    qtbot.mouseClick(window.floating.notice.action, Qt.MouseButton.LeftButton)
    settle()
    assert len(window.session.evaluation.results) == 30


def test_turning_zooming_and_keys_move_the_camera_and_rest_is_sharp(loaded, qtbot):
    view = loaded.view
    view.show_standard("front")
    first = view.camera
    qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=QPoint(200, 200))
    qtbot.mouseMove(view, QPoint(240, 210))
    qtbot.mouseMove(view, QPoint(260, 220))
    qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=QPoint(260, 220))
    assert not np.allclose(view.camera.back, first.back)
    assert loaded.session.selection.groups == ()  # a drag is no pick
    height = view.camera.height
    no_button, no_key = Qt.MouseButton.NoButton, Qt.KeyboardModifier.NoModifier
    at, phase = QPointF(100, 100), Qt.ScrollPhase.NoScrollPhase
    QApplication.sendEvent(view, QWheelEvent(at, at, QPoint(), QPoint(0, 240), no_button, no_key, phase, False))
    assert view.camera.height < height
    qtbot.keyClick(view, Qt.Key.Key_Left)
    assert not view.picture.is_fine
    qtbot.waitUntil(lambda: view.picture.is_fine, timeout=PATIENCE)


def test_the_command_finder_finds_and_runs(loaded, qtbot):
    loaded.help.open_finder()
    finder = loaded.findChild(Finder)
    finder.text.setText("theme")
    assert finder.list.item(0).text().startswith("Day or night theme")
    qtbot.keyClick(finder.text, Qt.Key.Key_Return)
    assert loaded.theme.name == "night"
    loaded.appearance.toggle_theme()


def test_shortcuts_are_unique_and_every_command_has_a_title(window):
    shortcuts = [a.shortcut for a in window.actions_table.table.values() if a.shortcut]
    assert len(shortcuts) == len(set(shortcuts))
    assert all(a.title and a.group for a in window.actions_table.table.values())


def test_leaving_unsaved_work_asks(loaded, monkeypatch):
    from truegauge.core.commands.requirements import RemoveCharacteristic

    loaded.session.run(RemoveCharacteristic("c1"))
    monkeypatch.setattr("truegauge.app.shell.files.ask", lambda *_: "Cancel")
    assert not loaded.close()
    assert loaded.isVisible()


def test_what_comes_after_the_window_was_left_is_told_to_nobody(loaded, qtbot):
    """Touches that a machine still tells, with the evaluation that they ask for a moment later."""
    document, heard = loaded.session.document, []
    document.evaluated.connect(lambda: heard.append("results"))
    document.sample_data_changed.connect(lambda: heard.append("touches"))
    document.set_probed((ProbedTouch(feature="f1", place=(1.0, 2.0, 3.0), approach=(0.0, 0.0, -1.0), radius=1.0),))
    assert heard == ["touches"]
    document.history.mark_saved()
    document.sample_is_saved = True
    assert loaded.close()
    document.set_probed((ProbedTouch(feature="f1", place=(1.0, 2.0, 4.0), approach=(0.0, 0.0, -1.0), radius=1.0),))
    qtbot.wait(300)
    assert heard == ["touches"]


def test_repainting_for_hours_does_not_use_up_the_constants(loaded):
    import sys

    before = sys.getrefcount(None)
    for _ in range(5):
        loaded.ledger.grab()
    lost_each = max(1, (before - sys.getrefcount(None)) / 5)
    assert sys.getrefcount(None) / lost_each > 1e7  # repaints left: years of work


def test_another_criterion_changes_the_ledger_and_undo_brings_it_back(loaded, settle):
    loaded.session.set_stage("measure")
    loaded.session.selection.select_characteristic("c14")
    settle()
    before = loaded.ledger.model.result(13).measured
    box = loaded.parts["measure"].bench.criterion
    box.setCurrentIndex(box.findData("minimum_circumscribed"))
    box.activated.emit(box.currentIndex())
    settle()
    after = loaded.ledger.model.result(13).measured
    assert before + 0.01 < after < before + 0.1  # a boss is larger around its highest points
    loaded.session.document.undo()
    settle()
    assert loaded.ledger.model.result(13).measured == before
    assert box.currentData() == "by_use"


def test_inch_is_shown_everywhere_at_once(loaded, qtbot):
    qtbot.mouseClick(loaded.header.unit, Qt.MouseButton.LeftButton)
    assert loaded.ledger.model.data(loaded.ledger.model.index(3)) == "4 main bore 1.6540 within"
    loaded.session.document.undo()
    assert loaded.header.unit.text() == "mm"


def test_garbage_is_collected_on_the_windows_thread_only(loaded, qtbot, settle):
    """A worker that allocates a lot must not be the one that destroys widgets."""
    collected = []

    class Cycle:
        def __init__(self):
            self.me = self

        def __del__(self):
            collected.append(threading.current_thread())

    def work(progress):
        for _ in range(20_000):
            Cycle()

    loaded.session.queue.start(work, lambda _: None, "working")
    settle()
    assert not gc.isenabled()
    qtbot.waitUntil(lambda: len(collected) > 10_000, timeout=PATIENCE)
    assert set(collected) == {threading.main_thread()}
