"""A scan without a part is seen, turned, judged by its surface, and reported."""

import io

import numpy as np
import pypdfium2
import pytest
from PySide6.QtCore import Qt
from tests.app.test_surface_page import scan_file, sheet

from truegauge import demo
from truegauge.app.document.bare_scan import drawn_scan, lit, shades
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.evaluate.surface.flat_view import FlatView
from truegauge.app.stages.evaluate.surface.in_space import in_space
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.stages.report.making import ReportMaker

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def bare(window, settle, tmp_path):
    window.session.files.open_scan(scan_file(tmp_path / "sheet.ply", *sheet()))
    settle()
    return window


def share_of(image, color):
    """How much of a picture is not of a colour."""
    data = np.frombuffer(image.convertToFormat(image.Format.Format_RGB32).constBits(), dtype=np.uint8)
    pixels = data.reshape(image.height(), image.width(), 4)[:, :, 2::-1].astype(int)
    return float((np.abs(pixels - color).max(axis=2) > 12).mean())


def test_a_scan_without_a_part_is_seen_and_turned(bare, settle, qtbot):
    s, view = bare.session, bare.view
    assert view.isVisible()
    assert not bare.start.isVisible()
    assert not s.shows_scale
    view.finish()
    picture = view.grab().toImage()
    corner = picture.pixelColor(picture.width() // 2, 4)
    assert share_of(picture, np.array([corner.red(), corner.green(), corner.blue()])) > 0.08
    before = view.camera
    qtbot.keyClick(view, Qt.Key.Key_Left)
    assert not np.allclose(view.camera.back, before.back)
    # Turned about its middle: that stays where it is in the picture.
    middle = s.bare_scan.drawn().box.mean(axis=0)[None]
    aspect = view.width() / view.height()
    assert view.camera.project(middle, aspect)[0, :2] == pytest.approx(before.project(middle, aspect)[0, :2], abs=1e-6)
    assert "scan alone" in bare.parts["part"].next().words
    assert "Surface" in bare.ledger.empty.text()


def test_with_a_part_the_part_is_seen_again(bare, settle):
    s = bare.session
    s.document.sample_is_saved = True
    s.files.open_part(demo.PART)
    settle()
    assert not s.bare_scan.is_there
    assert s.bare_scan.drawn() is None
    assert bare.view._box() == pytest.approx(s.model.box)


def test_another_scan_is_looked_at_whole(bare, settle, tmp_path):
    points, normals = sheet(4, 20_000)
    bare.session.files.open_scan(scan_file(tmp_path / "far.ply", 3 * points + 5000.0, normals))
    settle()
    shares = bare.view.camera.project(3 * points[:50] + 5000.0, bare.view.width() / bare.view.height())[:, :2]
    assert ((shares > 0) & (shares < 1)).all()


def test_the_light_tells_how_the_surface_runs():
    points, _ = sheet(5, 30_000, truth=((100.0, 100.0, -6.0, 15.0),))
    z = np.array([[0.0, 0.0, 1.0], [0.0, 0.0, -1.0], [1.0, 0.0, 0.0]])
    assert shades(z)[0] == shades(z)[1]
    assert abs(shades(z)[0] - shades(z)[2]) > 0.05
    grey = lit(points, None)[:, 0].astype(float)
    inside = np.hypot(points[:, 0] - 100, points[:, 1] - 100) < 20
    assert grey[inside].std() > 3 * grey[~inside].std()
    points[7] = np.nan
    drawn = drawn_scan(points, lit(points, None))
    assert len(drawn.points) == len(points) - 1


def test_enlarged_heights_are_those_of_the_surface(bare, settle):
    bare.session.set_stage("evaluate")
    assert bare.get(EvaluateModel).page == "surface"
    m = bare.get(SurfaceModel)
    m.add()
    settle()
    plain, high = (in_space(m.found, times, 0.1).points for times in (1, 30))
    points = bare.session.sample.points
    assert len(plain) == len(high) > 0.98 * len(points)

    def height(drawn, x, y):
        near = np.hypot(drawn[:, 0] - x, drawn[:, 1] - y) < 1.5
        return float(np.median(drawn[near, 2]))

    assert height(plain, 60, 80) == pytest.approx(height(points, 60, 80), abs=0.01)
    # 30 times the dent below the surface without it.
    assert height(high, 60, 80) == pytest.approx(2e-4 * 60 * 80 - 0.5 * 30, abs=0.6)
    assert height(high, 140, 120) == pytest.approx(2e-4 * 140 * 120 + 0.3 * 30, abs=0.4)


def test_the_example_is_found_judged_and_reported(window, settle, qtbot):
    window.start.examples[3].click()
    settle()
    m = window.get(SurfaceModel)
    qtbot.waitUntil(lambda: m.found is not None)
    assert window.get(FlatView).isVisible()
    assert len(m.found.imperfections) == 40
    (deep, *others) = m.judged()
    assert (str(deep.decision.state), deep.worst) == ("outside", 0)
    assert {str(o.decision.state) for o in others} == {"within"}
    beside = window.ledger.surfaces
    assert beside.isVisible()
    (shown,) = beside.rows()
    assert shown.name == "outer skin"
    assert shown.judged == m.judged()
    assert shown.words[0] == "deepest or highest ≤ 1.200 mm"
    beside.grab()
    window.ledger.set_mode("narrow")
    assert not beside.isVisible()
    window.ledger.set_mode("whole")
    m.change(depth=0.3)  # worked out anew: until then nothing is known
    assert beside.rows()[0].judged == (None, None, None)
    beside.grab()
    settle()
    qtbot.waitUntil(lambda: None not in beside.rows()[0].judged)
    window.session.document.undo()
    settle()
    window.session.set_stage("report")
    maker = window.get(ReportMaker)
    qtbot.waitUntil(lambda: bool(maker.pdf))
    document = pypdfium2.PdfDocument(io.BytesIO(maker.pdf))
    text = document[0].get_textpage().get_text_bounded()
    document.close()
    assert "Surface: outer skin" in text
    assert f"{m.found.imperfections[0].depth:.3f}" in text
    assert window.parts["report"].bench.pdf.isEnabled()
    assert not window.parts["report"].bench.xlsx.isEnabled()


def test_the_table_of_a_scan_alone_is_saved(bare, settle, tmp_path, monkeypatch):
    bare.session.set_stage("evaluate")
    bare.get(SurfaceModel).add()
    settle()
    maker = bare.get(ReportMaker)
    path = tmp_path / "found.csv"
    monkeypatch.setattr(maker._files, "ask_save", lambda *a: path)
    maker.ask_csv()
    settle()
    rows = path.read_text().splitlines()
    assert len(rows) == 4
    assert maker.is_saved


@pytest.mark.parametrize("points", [np.zeros((1, 3)), np.full((40, 3), 7.0), np.eye(3), np.zeros((0, 3)),
                                    np.full((5, 3), np.nan)])  # fmt: skip
def test_hardly_any_points_are_drawn_without_a_fall(points):
    drawn = drawn_scan(points, lit(points, None))
    assert len(drawn.points) == np.isfinite(points).all(axis=1).sum()
    assert np.isfinite(drawn.box).all()
    assert np.ptp(drawn.box, axis=0).max() > 0
