"""Points in the window: units and columns asked, several scans, and a recipe drawn in the view."""

import time

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest
from test_window import place
from tests.app.conftest import PATIENCE

from truegauge.app.shell.columns_dialog import ColumnsDialog
from truegauge.core.clouds.recipe import CropOutline, Outliers
from truegauge.formats.ply import ply_from_points, points_from_ply
from truegauge.formats.stl import points_from_stl


def scan_file(path, points):
    path.write_bytes(ply_from_points(points))
    return path


def test_a_scan_in_metres_is_asked_about_and_read_right(loaded, settle, tmp_path, sample):
    loaded.session.files.open_scan(scan_file(tmp_path / "m.ply", sample.points[::20] / 1000))
    settle()
    notice = loaded.notices[-1]
    assert "look like metres" in notice.text
    assert (notice.action, notice.second) == ("Read as m", "Keep mm")
    loaded.floating.notice.action.click()
    settle()
    assert loaded.session.sample.unit == "m"
    assert loaded.session.evaluation.alignment.rms < 0.02


def test_a_unit_that_the_user_keeps_is_not_asked_about_again(loaded, settle, tmp_path, sample):
    loaded.session.files.open_scan(scan_file(tmp_path / "m.ply", sample.points[::20] / 1000))
    settle()
    count = len(loaded.notices)
    loaded.floating.notice.second.click()
    settle()
    assert len(loaded.notices) == count
    assert loaded.session.sample.unit == "mm"


def test_unknown_columns_are_asked_for(window, settle, qtbot, tmp_path):
    path = tmp_path / "odd.txt"
    rows = np.random.default_rng(1).uniform(0, 90, (50, 4)).round(3)
    path.write_text("a;b;c;d\n" + "\n".join(";".join(map(str, r)) for r in rows.tolist()))
    window.session.files.open_scan(path)
    settle()
    dialog = window.findChild(ColumnsDialog)
    assert "cannot be told" in dialog.findChildren(type(window.floating.hover_label))[0].text()
    dialog.choices[0].setCurrentIndex(3)
    assert dialog.columns() == (3, 1, 2)
    dialog.choices[1].setCurrentIndex(3)
    assert not dialog.read.isEnabled()
    dialog.choices[1].setCurrentIndex(1)
    qtbot.mouseClick(dialog.read, Qt.MouseButton.LeftButton)
    settle()
    assert np.array_equal(window.session.sample.points, rows[:, [3, 1, 2]])


def test_several_scans_are_one_sample(loaded, settle, tmp_path, sample):
    half = len(sample.points) // 2
    loaded.session.files.open_scan(scan_file(tmp_path / "a.ply", sample.points[:half]))
    settle()
    loaded.session.files.open_scan(scan_file(tmp_path / "b.ply", sample.points[half:]), add=True)
    settle()
    session = loaded.session
    assert [s.file_name for s in session.sample.files] == ["a.ply", "b.ply"]
    assert np.array_equal(session.sample.points, sample.points.astype(np.float32))
    assert session.files.save_sample(tmp_path / "both.tgsample")
    points = session.sample.points
    session.files.open_scan(tmp_path / "both.tgsample")
    settle()
    assert np.array_equal(session.sample.points, points)
    assert len(session.document.sample_contents) == 2


def test_an_outline_drawn_in_the_view_cuts_points_out(loaded, settle, qtbot):
    loaded.session.set_stage("align")
    loaded.view.show_standard("top")
    loaded.actions_table.trigger("outline-polyline")
    settle()
    camera = loaded.view.camera
    corners = [(90, 10, 48), (115, 10, 48), (115, 35, 48), (90, 35, 48)]
    for corner in corners:
        qtbot.mouseClick(loaded.view, Qt.MouseButton.LeftButton, pos=place(loaded, corner))
    QTest.keyClick(loaded.view, Qt.Key.Key_Return)
    assert loaded.view.camera is camera  # drawing does not turn the part
    assert loaded.floating.notice.isVisible()
    qtbot.mouseClick(loaded.floating.notice.action, Qt.MouseButton.LeftButton)
    settle()
    (step,) = loaded.session.plan.recipe
    assert isinstance(step, CropOutline)
    cloud = loaded.session.evaluation.cloud
    x, y, _ = cloud.points.T
    well_inside = (x > 91) & (x < 114) & (y > 11) & (y < 34)
    assert cloud.removed[well_inside].all()
    assert not cloud.removed[(x < 88) | (x > 117) | (y < 8) | (y > 37)].any()
    loaded.session.document.undo()
    settle()
    assert not loaded.session.evaluation.cloud.removed.any()


@pytest.mark.parametrize("mode", ["box", "lasso"])
def test_a_box_and_a_free_outline_are_dragged(loaded, mode):
    loaded.view.show_standard("top")
    loaded.view.draw_outline(mode)
    view = loaded.view
    path = [QPoint(200, 200), QPoint(300, 210), QPoint(320, 320), QPoint(210, 300)]
    QTest.mousePress(view, Qt.MouseButton.LeftButton, pos=path[0])
    for at in path[1:]:
        QTest.mouseMove(view, at)
    QTest.mouseRelease(view, Qt.MouseButton.LeftButton, pos=path[-1])
    assert view.outline.done
    assert len(view.outline.corners) >= 4
    view.repaint()
    QTest.keyClick(view, Qt.Key.Key_Escape)
    assert not view.outline.mode
    assert loaded.session.plan.recipe == ()


def test_steps_are_listed_changed_and_taken_out(loaded, settle, qtbot):
    loaded.session.set_stage("align")
    panel = loaded.parts["align"].bench.points
    panel.add.setCurrentIndex(panel.add.findData("outliers"))
    panel.add.activated.emit(panel.add.findData("outliers"))
    settle()
    taken = loaded.session.evaluation.cloud.left_out[0]
    assert taken > 0
    assert panel.steps.item(0).text().endswith(f"-{taken:,}")
    panel.steps.setCurrentRow(0)
    panel.numbers[0].setValue(9.5)
    settle()
    assert loaded.session.plan.recipe == (Outliers(factor=9.5),)
    panel.steps.item(0).setCheckState(Qt.CheckState.Unchecked)
    settle()
    assert not loaded.session.plan.recipe[0].active
    panel.steps.setCurrentRow(0)
    qtbot.mouseClick(panel.remove, Qt.MouseButton.LeftButton)
    settle()
    assert loaded.session.plan.recipe == ()


def test_limits_of_points_are_set_on_the_bench(loaded, settle):
    loaded.session.set_stage("align")
    loaded.parts["align"].bench.farthest.setValue(0.05)
    settle()
    assert loaded.session.plan.limits.max_distance == 0.05
    cloud = loaded.session.evaluation.cloud
    assert np.abs(cloud.found.distance).max() <= 0.05


def test_points_and_map_are_saved_for_others(loaded, tmp_path, settle):
    session = loaded.session
    session.files.save_cloud(tmp_path / "points.ply")
    session.files.save_map(tmp_path / "map.stl")
    session.files.save_map(tmp_path / "map.ply")
    settle()
    cloud = session.evaluation.cloud
    raw = points_from_ply(tmp_path / "points.ply", (tmp_path / "points.ply").read_bytes())
    assert np.allclose(raw.points, cloud.points[cloud.usable], atol=1e-4)
    assert np.allclose(raw.normals, cloud.found.normals[cloud.usable], atol=1e-6)
    shape = points_from_stl(tmp_path / "map.stl", (tmp_path / "map.stl").read_bytes())
    assert np.allclose(np.ptp(shape.points, axis=0), np.ptp(session.model.mesh.vertices, axis=0), atol=1e-3)
    assert b"property float deviation" in (tmp_path / "map.ply").read_bytes()[:400]
    session.files.save_cloud(tmp_path / "nowhere" / "points.ply")
    settle()
    assert "choose another folder" in loaded.notices[-1].text


def test_a_window_closes_when_what_is_being_saved_is_written(loaded, tmp_path, qtbot):
    done, offered = [], {}
    queue, stop = loaded.session.queue, loaded.header.stop
    queue.busy_changed.connect(lambda: offered.update({queue.busy_text: stop.isVisible()}))
    loaded.session.queue.start(lambda progress: time.sleep(0.2), done.append, "something else")
    loaded.session.queue.start(lambda progress: 1, done.append, "what waits")
    loaded.session.files.save_cloud(tmp_path / "points.ply")
    loaded.session.files.save_map(tmp_path / "map.stl")
    loaded.session.queue.cancel()  # stops the rest, not this
    loaded.close()
    assert loaded.isVisible()
    assert "as soon as the file is saved" in loaded.notices[-1].text
    qtbot.waitUntil(lambda: not loaded.isVisible(), timeout=PATIENCE)
    assert done == []
    assert (offered["something else"], offered["Saving points.ply"], offered["Saving map.stl"]) == (True, False, False)
    assert len(points_from_ply(tmp_path / "points.ply", (tmp_path / "points.ply").read_bytes()).points) > 1000
    assert (tmp_path / "map.stl").stat().st_size > 10_000


def test_a_window_stays_when_what_is_being_saved_cannot_be(loaded, tmp_path, settle):
    loaded.session.files.save_cloud(tmp_path / "nowhere" / "points.ply")
    loaded.close()
    settle()
    assert loaded.isVisible()
    assert "choose another folder" in loaded.notices[-1].text


def test_the_numbers_in_their_boxes_can_be_seen(loaded):
    loaded.session.set_stage("align")
    bench = loaded.parts["align"].bench
    for box in (bench.kind.trim, bench.farthest, bench.angle):
        text = box.lineEdit()
        assert text.width() >= text.fontMetrics().horizontalAdvance(box.text())


def test_points_are_shown_in_their_own_colours(loaded, settle, tmp_path, sample):
    points = sample.points[::5]
    red = np.tile(np.array([230, 20, 20], dtype=np.uint8), (len(points), 1))
    path = tmp_path / "red.ply"
    path.write_bytes(ply_from_points(points, colors=red))
    loaded.session.files.open_scan(path)
    settle()
    loaded.session.set_stage("align")
    loaded.session.show(points=True)
    QTest.keyClick(loaded, Qt.Key.Key_C)
    loaded.view.finish()
    shown = loaded.view.grab().toImage().convertToFormat(QImage.Format.Format_RGB888)
    width, height, line = shown.width(), shown.height(), shown.bytesPerLine()
    pixels = np.frombuffer(shown.constBits(), np.uint8).reshape(height, line)[:, : 3 * width].reshape(-1, 3).astype(int)
    assert ((pixels[:, 0] > 150) & (pixels[:, 1] < 90)).sum() > 5000
