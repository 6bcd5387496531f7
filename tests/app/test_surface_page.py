"""Imperfections of a scan in the window, without a part: looked for, chosen on the flat map, kept in the plan."""

import threading
import time
from types import SimpleNamespace

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtWidgets import QFileDialog
from tests.app.conftest import PATIENCE
from tests.test_surfaces_inspected import shroud_of

import truegauge as tg
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.evaluate.surface import model
from truegauge.app.stages.evaluate.surface.before import BeforeModel
from truegauge.app.stages.evaluate.surface.flat_view import FlatView
from truegauge.app.stages.evaluate.surface.model import SurfaceModel
from truegauge.app.stages.evaluate.surface.sections_here import add_sections
from truegauge.core.commands.shown import SetDisplay
from truegauge.core.commands.surface_checks import SetSurfaceCheck
from truegauge.core.imperfections.area_steps import AreaGrown, AreaOutline, AreaSmooth
from truegauge.core.imperfections.measuring import Imperfection
from truegauge.drawing.flat_map import Frame, cut, picture, place_of, scale_of
from truegauge.drawing.histogram import bars_of
from truegauge.drawing.surface_figure import beside
from truegauge.formats.plan_file import read_plan
from truegauge.formats.ply import ply_from_points

LEFT = Qt.MouseButton.LeftButton
TRUTH = ((60.0, 80.0, -0.5, 12.0), (140.0, 120.0, 0.3, 10.0), (150.0, 40.0, -0.25, 9.0))  # x, y, depth, size


def sheet(seed=1, count=60_000, truth=TRUTH):
    rng = np.random.default_rng(seed)
    x, y = rng.uniform(0, 200, (2, count))
    z = 2e-4 * x * y + rng.normal(0, 0.01, count)
    for a, b, depth, size in truth:
        z += depth * np.exp(-((x - a) ** 2 + (y - b) ** 2) / size**2)
    normals = np.tile([0.0, 0.0, 1.0], (count, 1))
    return np.column_stack([x, y, z]), normals


def scan_file(path, points, normals):
    path.write_bytes(ply_from_points(points, normals=normals))
    return path


@pytest.fixture
def opened(window, settle, tmp_path):
    """A window with a scan and nothing else, at the page of surfaces."""
    window.session.files.open_scan(scan_file(tmp_path / "sheet.ply", *sheet()))
    settle()
    window.session.set_stage("evaluate")
    window.get(EvaluateModel).set_page("surface")
    return window


@pytest.fixture
def page(opened):
    return opened.parts["evaluate"].bench.surface_page


@pytest.fixture
def looked(opened, page, qtbot, settle):
    qtbot.mouseClick(page.add, LEFT)
    settle()
    return opened


def rows(page):
    return [page.list.item(k).text() for k in range(page.list.count())]


def type_in(field, text):
    field.setText(text)
    field.editingFinished.emit()


def test_dents_are_looked_for_without_a_part(looked, page):
    view = looked.get(FlatView)
    assert view.isVisible()
    assert page.count.text() == "3 found"
    said = [r.split() for r in rows(page)]
    assert [(n, kind) for n, kind, _ in said] == [("1", "dent"), ("2", "bump"), ("3", "dent")]
    assert [float(d) for *_, d in said] == pytest.approx([-0.5, 0.3, -0.25], abs=0.02)
    assert "0.010 mm rms" in page.quality.text()
    assert not looked.parts["evaluate"].bench.next.isVisible()  # no part is asked for


def test_one_is_chosen_on_the_map_and_looked_at_closely(looked, page, qtbot):
    m, view = looked.get(SurfaceModel), looked.get(FlatView)
    frame, one = view.frame_of(m.found), m.found.imperfections[1]
    x, y = frame.to_pixels(place_of(m.found, one)[None])[0]
    at = (view.map_room.topLeft() + QPointF(x, y)).toPoint()
    qtbot.mouseClick(view, LEFT, pos=at)
    assert m.number == 1
    assert page.list.currentRow() == 1
    shown = {name: value.text() for name, value in page.details.values.items()}
    depth, doubt = map(float, shown["depth"].split(" ± "))
    assert depth == pytest.approx(0.3, abs=0.01)
    assert 0 < doubt < 0.01
    assert float(shown["area"].split()[0]) == pytest.approx(np.pi * 100 * np.log(3), rel=0.08)
    before = view.frame_of(m.found).scale
    qtbot.mouseDClick(view, LEFT, pos=at)
    close = view.frame_of(m.found)
    assert close.scale > 2 * before
    assert close.middle == pytest.approx(tuple(place_of(m.found, one)), abs=0.1)
    dark = view.grab().toImage()
    room = view.map_room
    middle = dark.pixelColor(int(room.center().x()), int(room.center().y()))
    assert middle.red() > middle.blue() + 40  # a bump is warm
    qtbot.mouseDClick(view, LEFT, pos=at)
    assert view.frame_of(m.found).scale == pytest.approx(before, rel=0.3)
    qtbot.mouseClick(view, LEFT, pos=QPoint(int(room.left()) + 30, int(room.top()) + 5))
    assert m.number == -1


def test_what_is_looked_for_is_changed_and_undone_and_the_reference_is_kept(looked, page, settle):
    m, s = looked.get(SurfaceModel), looked.session
    reference = m.found.prepared
    m.choose(0)
    type_in(page.threshold, "0.12")
    settle()
    assert page.count.text() == "3 found"
    assert m.found.prepared is reference
    assert m.number == 0  # the same one
    type_in(page.threshold, "0.28")
    settle()
    assert [r.split()[1] for r in rows(page)] == ["dent", "bump"]
    page.which.setCurrentIndex(page.which.findData("in"))
    page.which.activated.emit(page.which.currentIndex())
    settle()
    assert [r.split()[1] for r in rows(page)] == ["dent"]
    s.document.undo()
    s.document.undo()
    s.document.undo()
    settle()
    assert page.count.text() == "3 found"
    type_in(page.wavelength, "0")
    assert "1 mm is the shortest" in looked.notices[-1].text
    assert page.wavelength.text() == "150.000"
    page.order.setCurrentIndex(page.order.findData("border"))
    page.order.activated.emit(page.order.currentIndex())
    # 40, 60 and 60 mm from the border to their middles, and the bump is smaller than the dent.
    assert [r.split()[0] for r in rows(page)] == ["3", "1", "2"]


def test_bumps_and_dents_have_thresholds_of_their_own(looked, page, settle):
    m, s = looked.get(SurfaceModel), looked.session
    assert (page.deeper.isVisible(), page.higher.isVisible(), page.higher_than.text()) == (True, True, "0.100")
    type_in(page.threshold, "0.2")
    settle()
    assert (page.higher_than.text(), m.check.height) == ("0.200", None)  # it follows the depth
    type_in(page.higher_than, "0.4")
    settle()
    assert [r.split()[1] for r in rows(page)] == ["dent", "dent"]
    assert m.check.height == 0.4
    page.which.setCurrentIndex(page.which.findData("in"))
    page.which.activated.emit(page.which.currentIndex())
    settle()
    assert (page.deeper.isVisible(), page.higher.isVisible()) == (True, False)
    s.document.undo()
    type_in(page.higher_than, "0.2")  # as deep as the other: it follows again
    settle()
    assert m.check.height is None
    assert page.count.text() == "3 found"
    page.more.header.setChecked(True)
    page.saddle.setValue(80)
    page.saddle.editingFinished.emit()
    assert m.check.saddle == 0.8
    settle()
    s.document.undo()
    assert page.saddle.value() == 50


def test_what_is_shown_does_not_depend_on_the_thresholds_tried_before(looked, page, settle, tmp_path):
    m, s = looked.get(SurfaceModel), looked.session
    for depth in ("0.3", "0.13", "0.2"):
        type_in(page.threshold, depth)
        settle()
    path = scan_file(tmp_path / "again.ply", *sheet())
    alone = tg.imperfections(path, depth=0.2).imperfections
    assert m.found.imperfections == alone
    assert [i.depth for i in alone] == pytest.approx([-0.5, 0.3, -0.25], abs=0.02)
    assert s.plan.surface_checks[0].depth == 0.2


def test_in_inch_lengths_areas_and_volumes_are_those_of_the_surface(looked, page, settle):
    m, s = looked.get(SurfaceModel), looked.session
    s.run(SetDisplay((("unit", "inch"),)))
    m.choose(0)
    settle()
    one, shown = m.chosen, {name: value.text() for name, value in page.details.values.items()}
    assert float(shown["depth"].split(" ± ")[0]) == pytest.approx(one.depth / 25.4, abs=6e-5)
    length, width = map(float, shown["length, width"].split(", "))
    assert (length, width) == pytest.approx((one.length / 25.4, one.width / 25.4), abs=6e-5)
    assert shown["area"] == f"{one.area / 25.4**2:.4g} inch²"
    assert shown["volume"] == f"{one.volume / 25.4**3:.4g} inch³"
    assert page.threshold.text() == f"{0.1 / 25.4:.4f}"
    assert page.min_area.suffix() == " inch²"
    page.min_area.setValue(round(one.area / 25.4**2, 3) - 0.001)  # the largest is the first
    page.min_area.editingFinished.emit()
    settle()
    assert page.count.text() == "1 found"
    assert s.plan.surface_checks[0].min_area == pytest.approx(page.min_area.value() * 25.4**2)


def test_the_plan_keeps_it_and_the_next_scan_is_looked_at_the_same_way(looked, page, settle, tmp_path):
    s, m = looked.session, looked.get(SurfaceModel)
    type_in(page.threshold, "0.2")
    settle()
    path = tmp_path / "panel.tgplan"
    s.files.save_plan(path)
    settle()
    assert read_plan(path).plan.surface_checks == s.plan.surface_checks
    assert s.plan.surface_checks[0].depth == 0.2
    s.files.open_scan(scan_file(tmp_path / "next.ply", *sheet(2, truth=((100.0, 100.0, -0.4, 12.0),))))
    settle()
    (one,) = m.found.imperfections
    assert one.depth == pytest.approx(-0.4, abs=0.02)
    assert page.count.text() == "1 found"
    m.remove()
    assert s.plan.surface_checks == ()
    assert not looked.get(FlatView).isVisible()
    s.document.undo()
    settle()
    assert looked.get(FlatView).isVisible()


def test_a_surface_that_cannot_be_looked_at_says_why(looked, page, settle, tmp_path):
    s, m = looked.session, looked.get(SurfaceModel)
    points, normals = sheet(3, 20_000)
    both = np.vstack([points, points + np.array([0.0, 0.0, 8.0])])
    s.files.open_scan(scan_file(tmp_path / "two.ply", both, np.vstack([normals, normals])))
    settle()
    assert "several sheets" in page.problem.text()
    assert page.count.text() == ""
    assert m.found is None
    looked.get(FlatView).grab()
    page.reference.setCurrentIndex(page.reference.findData("sphere"))
    page.reference.activated.emit(page.reference.currentIndex())
    settle()
    assert s.plan.surface_checks[0].wavelength == 0.0  # others than a smooth surface follow nothing
    assert page.problem.text()


def test_what_is_stopped_is_not_begun_again_by_itself(opened, page, qtbot, settle, monkeypatch):
    s, m = opened.session, opened.get(SurfaceModel)
    prepare, begun = model.prepare, threading.Event()

    def slowly(points, normals, reference, *, depth, progress, **more):
        begun.set()
        for k in range(2000):
            progress(k / 2000, "working")  # raises when it is stopped
            time.sleep(0.005)
        return prepare(points, normals, reference, depth=depth, **more)

    monkeypatch.setattr(model, "prepare", slowly)
    qtbot.mouseClick(page.add, LEFT)
    qtbot.waitUntil(begun.is_set, timeout=PATIENCE)
    assert page.count.text() == "looking …"
    s.queue.cancel()
    settle()
    assert (page.problem.text(), m.is_stopped) == ("Stopped.", True)
    opened.get(FlatView).grab()
    page.refresh()
    assert not s.queue.is_busy
    monkeypatch.undo()
    qtbot.mouseClick(page.again, LEFT)
    settle()
    assert page.count.text() == "3 found"
    assert not page.again.isVisible()


def test_several_checks_are_chosen_by_name(looked, page, qtbot, settle):
    m, s = looked.get(SurfaceModel), looked.session
    qtbot.mouseClick(page.another, LEFT)
    settle()
    assert [c.name for c in s.plan.surface_checks] == ["surface 1", "surface 2"]
    assert page.checks.isVisible()
    assert m.check.name == "surface 2"
    m.change(depth=0.28)
    settle()
    assert page.count.text() == "2 found"
    page.checks.setCurrentIndex(0)
    page.checks.activated.emit(0)
    settle()
    assert page.count.text() == "3 found"


def test_the_picture_and_the_cuts_are_those_of_the_surface(looked):
    found = looked.get(SurfaceModel).found
    dent = found.imperfections[0]
    for across in (False, True):
        off, value = cut(found, dent, across=across)
        inner = np.abs(off) < 15
        assert np.allclose(value[inner], -0.5 * np.exp(-(off[inner] ** 2) / 144), atol=0.03)
    scale = scale_of(found, 0.1)
    assert scale.limit == pytest.approx(0.5, abs=0.02)
    assert scale.tolerance == 0.1
    x, y = place_of(found, dent)
    colors = picture(found, Frame((float(x), float(y)), 2.0, (61, 61)), scale, (1, 2, 3))
    assert colors[30, 30, 2] > colors[30, 30, 0] + 40  # a dent is cold
    away = picture(found, Frame((1e4, 1e4), 2.0, (20, 20)), scale, (1, 2, 3))
    assert (away == [1, 2, 3]).all()
    contours = picture(found, Frame((float(x), float(y)), 4.0, (201, 201)), scale, (1, 2, 3), step=0.1)
    plain = picture(found, Frame((float(x), float(y)), 4.0, (201, 201)), scale, (1, 2, 3))
    changed = (contours != plain).any(axis=2)
    radii = np.hypot(*(np.argwhere(changed) - 100).T) / 4.0
    # Where the dent is 0.05, 0.15, 0.25, 0.35, 0.45 deep.
    wanted = 12.0 * np.sqrt(np.log(0.5 / np.array([0.15, 0.25, 0.35])))
    for radius in wanted:
        assert np.count_nonzero(np.abs(radii - radius) < 0.8) > 2 * np.pi * radius * 2


def test_two_checks_of_one_id_and_a_smooth_one_without_a_wavelength_are_refused(looked):
    s = looked.session
    check = s.plan.surface_checks[0]
    with pytest.raises(ValueError, match="two surface checks"):
        s.plan.replace(surface_checks=(check, check))
    with pytest.raises(ValueError, match="1 mm is the shortest"):
        check.replace(wavelength=0.5)
    assert not s.run(SetSurfaceCheck(check))  # nothing is new


def test_numbers_cover_neither_each_other_nor_what_was_found():
    for width in (12.0, 40.0, 160.0):
        middle, radius = QPointF(100.0 + width / 2, 80.0 + width / 2), width / 2
        for box in (QRectF(*b) for b in beside((100.0, 80.0, width, width), 22.0, 18.0)):
            # The nearest place of the box is outside of the ring.
            x = min(max(middle.x(), box.left()), box.right()) - middle.x()
            y = min(max(middle.y(), box.top()), box.bottom()) - middle.y()
            assert np.hypot(x, y) >= radius - 1e-9
            assert np.hypot(x, y) < radius + 12


def draw(view, qtbot, places, *, double=False):
    """Press at the first place of the surface (mm), go along, let go."""
    frame, corner = view.frame_of(view._model.found), view.map_room.topLeft()
    pixels = [(corner + QPointF(x, y)).toPoint() for x, y in frame.to_pixels(np.array(places))]
    qtbot.mousePress(view, LEFT, pos=pixels[0])
    for at in pixels[1:]:
        qtbot.mouseMove(view, at)
    qtbot.mouseRelease(view, LEFT, pos=pixels[-1])


def ring(x, y, radius, count=40):
    turn = np.linspace(0, 2 * np.pi, count)
    return np.column_stack([x + radius * np.cos(turn), y + radius * np.sin(turn)])


def laid(m, x, y):
    """Where a place of the sheet is on the flat map."""
    return m.found.prepared.surface.chart.laid(np.array([[x, y, 2e-4 * x * y]]))[0, :2]


def test_the_area_is_drawn_on_the_map_and_undone(looked, page, qtbot, settle):
    m, s, view = looked.get(SurfaceModel), looked.session, looked.get(FlatView)
    page.area.header.setChecked(True)
    page.area.tools["lasso"].click()
    assert "Draw around it" in view.hand.words
    draw(view, qtbot, ring(*laid(m, 60, 80), 45))
    settle()
    assert [i.deepest[0] for i in m.found.imperfections] == pytest.approx([60], abs=1)
    assert m.found.quality.area == pytest.approx(np.pi * 45**2, rel=0.05)
    assert page.area.header.text() == "Where: 1 step"
    page.area.way.setCurrentIndex(page.area.way.findData("not"))
    page.area.way.activated.emit(page.area.way.currentIndex())
    page.area.tools["brush"].click()
    type_in(page.area.radius, "18")
    draw(view, qtbot, [laid(m, 60, 79), laid(m, 60, 81)])
    settle()
    assert m.found.imperfections == ()
    assert m.found.quality.area == pytest.approx(np.pi * (45**2 - 18**2), rel=0.08)
    page.area.wider.click()
    settle()
    first, *others = [page.area.steps.item(k).text()[3:] for k in range(3)]
    assert first.startswith("Only in a line of ")
    assert others == ["Not painted, 36 mm wide", "wider by 5 mm"]
    for _ in range(3):
        s.document.undo()
    settle()
    assert s.plan.surface_checks[0].area == ()
    assert page.count.text() == "3 found"
    s.document.redo()
    settle()
    assert page.count.text() == "1 found"
    page.area.remove.click()
    settle()
    assert page.count.text() == "3 found"


def test_corners_are_clicked_and_forgotten(looked, page, qtbot, settle):
    m, s, view = looked.get(SurfaceModel), looked.session, looked.get(FlatView)
    page.area.header.setChecked(True)
    page.area.tools["polyline"].click()
    for x, y in ((100, 90), (190, 90), (190, 150), (100, 150)):
        draw(view, qtbot, [laid(m, x, y)])
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert view.hand.places == []
    draw(view, qtbot, [laid(m, 100, 90)])
    page.area.tools["brush"].click()  # another tool begins anew
    page.area.tools["polyline"].click()
    assert view.hand.places == []
    for x, y in ((100, 90), (190, 90), (190, 150), (100, 150)):
        draw(view, qtbot, [laid(m, x, y)])
    qtbot.keyClick(view, Qt.Key.Key_Return)
    settle()
    assert [i.deepest[:2] for i in m.found.imperfections] == [pytest.approx((140, 120), abs=1)]
    qtbot.keyClick(view, Qt.Key.Key_Escape)
    assert not view.hand.active
    assert len(s.plan.surface_checks[0].area) == 1


def test_an_area_that_leaves_nothing_is_said_and_can_be_taken_back(looked, page, settle):
    m = looked.get(SurfaceModel)
    place = (1000.0, 1000.0, 0.0)
    m.change(area=(AreaSmooth(place=place),))
    settle()
    assert "step 1 of the area: there are no points at the place" in page.problem.text()
    assert not page.area.tools["lasso"].isEnabled()
    page.area._remove()
    settle()
    assert page.count.text() == "3 found"


def test_an_outline_is_drawn_in_space_and_heights_are_enlarged(looked, page, qtbot, settle):
    m, s, view = looked.get(SurfaceModel), looked.session, looked.view
    page.view.click()
    settle()
    assert view.isVisible()
    assert not looked.get(FlatView).isVisible()
    plain = s.bare_scan.drawn()
    page.times.setCurrentIndex(page.times.findData("100"))
    page.times.activated.emit(page.times.currentIndex())
    settle()
    high = s.bare_scan.drawn()
    # The dent of 0.5 mm is 50 mm deep there.
    near = np.hypot(high.points[:, 0] - 60, high.points[:, 1] - 80) < 1.0
    assert np.median(high.points[near, 2]) == pytest.approx(0.96 - 50, abs=2)
    assert plain.points[:, 2].min() > -1
    view.show_standard("top")
    page.area.outlines[1].click()
    assert view.outline.active
    shares = view.camera.project(np.column_stack([ring(60, 80, 40), np.zeros(40)]), view.width() / view.height())
    pixels = [QPointF(x * view.width(), y * view.height()) for x, y in shares[:, :2]]
    view.outline.press(pixels[0])
    for at in pixels[1:]:
        view.outline.move(at)
    view.outline.release()
    settle()
    (step,) = s.plan.surface_checks[0].area
    assert step.kind == "outline"
    assert [i.deepest[0] for i in m.found.imperfections] == pytest.approx([60], abs=1)
    assert m.found.quality.area == pytest.approx(np.pi * 40**2, rel=0.08)
    assert looked.get(FlatView).isVisible()


def test_limits_are_judged_and_those_that_break_them_are_marked(looked, page, settle):
    m, s = looked.get(SurfaceModel), looked.session
    box = page.limits
    for quantity in ("depth", "count", "edge_to_edge"):
        box.add.setCurrentIndex(box.add.findData(quantity))
        box.add.activated.emit(box.add.currentIndex())
    limits = {one.quantity: one.limit for one in s.plan.surface_checks[0].limits}
    assert limits["depth"] == pytest.approx(0.5, abs=0.01)  # as it is, to begin with
    assert limits["count"] == 3
    assert m.flagged() == ()
    field = box.rows["depth"][1]
    field.clear()
    field.insert("0.28")
    field.editingFinished.emit()
    assert "outside" in box.rows["depth"][2].text()
    assert "(number 1)" in box.rows["depth"][2].text()
    assert [r.endswith("!") for r in rows(page)] == [True, True, False]
    assert m.flagged() == (0, 1)
    assert box.header.text().startswith("What is allowed: 3 limits, 1 broken")
    field.clear()
    field.insert("deep")
    field.editingFinished.emit()
    assert "is no limit for deepest" in looked.notices[-1].text
    found = m.found
    s.document.undo()
    settle()
    assert m.found is found  # nothing is looked for again
    assert m.flagged() == ()
    ledger = looked.ledger
    for words, many in (("deepest", 1), ("surface", 3), ("bore", 0), ("", 3)):
        ledger.search.setText(words)
        assert sum(len(shown.judged) for shown in ledger.surfaces.rows()) == many
    box._remove("count")
    assert not box.rows["count"][0].isVisibleTo(box.inside)


def test_places_are_told_in_a_frame_of_three_places(looked, page, qtbot, settle):
    m, view = looked.get(SurfaceModel), looked.get(FlatView)
    m.choose(0)
    before = np.array(m.chosen.deepest)
    page.frame.header.setChecked(True)
    page.frame.pick.click()
    for x, y in ((60, 80), (60, 180), (10, 80)):
        draw(view, qtbot, [laid(m, x, y)])
    settle()
    assert m.check.frame is not None
    told = m.place(tuple(before))
    assert told == pytest.approx((0, 0, 0), abs=2.0)
    assert m.place((60.0, 130.0, 0.0))[0] == pytest.approx(50, abs=2.0)
    assert m.place((20.0, 80.0, 0.0))[1] == pytest.approx(40, abs=2.0)
    shown = dict((name, value.text()) for name, value in page.details.values.items())["deepest at"]
    assert np.allclose([float(v) for v in shown.split()], told, atol=1e-3)
    page.frame.none.click()
    assert m.check.frame is None
    assert [f.text() for f in page.frame.fields] == ["", "", ""]


def test_an_earlier_scan_tells_what_is_new_gone_and_deeper(looked, page, qtbot, settle, tmp_path, monkeypatch):
    earlier = ((60.0, 80.0, -0.3, 12.0), (150.0, 40.0, -0.25, 9.0), (40.0, 160.0, 0.4, 9.0))  # one less, one more
    path = scan_file(tmp_path / "earlier.ply", *sheet(7, truth=earlier))
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a, **k: (str(path), ""))
    page.compare.click()
    settle()
    qtbot.waitUntil(lambda: bool(looked.get(BeforeModel).changes()))
    settle()
    assert page.since.text() == "Since earlier.ply: 1 new, 1 gone, 1 deeper, 1 same"
    assert [r.split()[3:] for r in rows(page)] == [["deeper"], ["new"], []]
    type_in(page.threshold, "0.28")  # both are looked at by the check as it is now
    settle()
    qtbot.waitUntil(lambda: page.since.text() == "Since earlier.ply: 1 new, 1 gone, 1 deeper")
    page.alone.click()
    assert page.since.text() == ""
    assert [r.split()[3:] for r in rows(page)] == [[], []]
    points, normals = sheet(7, truth=earlier)
    looked.get(BeforeModel).open(scan_file(tmp_path / "inches.ply", points / 25.4, normals))
    settle()
    # It is about as large as the scan that is open only in inch: that is asked, and done.
    assert "inch" in looked.notices[-1].text
    assert page.since.text() == ""
    looked.get(BeforeModel).open(tmp_path / "inches.ply", "inch")
    settle()
    qtbot.waitUntil(lambda: page.since.text() == "Since inches.ply: 1 new, 1 gone, 1 deeper")
    assert looked.session.surfaces.earlier_file.unit == "inch"
    page.alone.click()
    bad = tmp_path / "bad.ply"
    bad.write_bytes(b"ply\nnothing")
    looked.get(BeforeModel).open(bad)
    settle()
    assert "bad.ply" in looked.notices[-1].text


def test_the_bars_hold_all_depths(looked, page):
    assert page.bars.isVisible()
    page.bars.grab()
    rng = np.random.default_rng(3)
    for count in (1, 2, 7, 300):
        for scale in (1e-3, 1.0, 250.0):
            values = rng.normal(0, scale, count)
            edges, counts = bars_of(values)
            assert counts.sum() == count
            assert edges[0] <= values.min() <= values.max() <= edges[-1]
            assert 1 <= len(counts) <= 14
            for k in range(len(counts)):
                last = k == len(counts) - 1
                inside = (values >= edges[k]) & ((values <= edges[k + 1]) if last else (values < edges[k + 1]))
                assert inside.sum() == counts[k]


def test_sections_of_the_part_go_through_the_deepest_place(loaded, settle):
    """With a part: places of the scan are carried into its coordinates by the alignment."""
    s = loaded.session
    pose = s.evaluation.alignment.part_from_scan
    top = AreaOutline(right=(1.0, 0, 0), up=(0, 1.0, 0), outline=((-500, -500), (500, -500), (500, 500), (-500, 500)))
    assert not loaded.parts["evaluate"].bench.surface_page.sections.isVisible()
    m = loaded.get(SurfaceModel)
    m.add()
    one = Imperfection("dent", -0.5, 0.01, (1.0, 2.0, 3.0), (1.0, 2.0, 3.0), (0.0, 0.0, 1.0), 90, 30.0, 9.0, 50.0, 12.0,
                       7.0, 6.0, (1.0, 0.0, 0.0), 0.1, 0.05, 40.0)  # fmt: skip
    m.change(area=(top,))
    m.found = SimpleNamespace(imperfections=(one,))
    m._for = m._wanted = s.surfaces.key(m.check)
    m._chosen = 0
    before = len(s.plan.sections)
    add_sections(m)
    along, across = s.plan.sections[before:]
    place = (pose @ [1.0, 2.0, 3.0, 1.0])[:3]
    for section in (along, across):
        assert abs((place - section.origin) @ np.array(section.normal)) < 1e-9
    assert abs(np.array(across.normal) @ pose[:3, 0]) == pytest.approx(1)
    assert abs(np.array(along.normal) @ pose[:3, 1]) == pytest.approx(1)
    assert along.name == f"{m.check.name} 1 along"
    s.document.undo()
    assert len(s.plan.sections) == before


def test_the_part_as_designed_is_the_reference_where_there_is_one(loaded, settle, qtbot):
    s, m = loaded.session, loaded.get(SurfaceModel)
    s.set_stage("evaluate")
    loaded.get(EvaluateModel).set_page("surface")
    page = loaded.parts["evaluate"].bench.surface_page
    m.add()
    settle()
    assert page.reference.findData("part") >= 0
    pose = s.evaluation.alignment.part_from_scan
    m.change(area=(shroud_of(pose),), depth=0.06, min_area=20.0)
    page.reference.setCurrentIndex(page.reference.findData("part"))
    page.reference.activated.emit(page.reference.currentIndex())
    settle()
    qtbot.waitUntil(lambda: m.look() is not None)
    assert s.plan.surface_checks[0].wavelength == 0.0
    bump = m.found.imperfections[0]
    assert bump.depth == pytest.approx(0.15, abs=0.02)  # as the demo says
    first = m.found
    m.choose(0)
    offered = [page.seeing.to.itemText(k) for k in range(1, page.seeing.to.count())]
    assert offered == [f.name for f in s.plan.features]
    for name in ("base A", "main bore"):
        page.seeing.to.setCurrentIndex(page.seeing.to.findText(name))
        page.seeing.to.activated.emit(page.seeing.to.currentIndex())
        settle()
    assert m.found is first
    # The demo's part: its base is z = 0, the bore stands at 58, 45.
    at = (pose @ [*bump.deepest, 1.0])[:3]
    base, bore = m.distances()
    assert (base.words, bore.words) == ("from the plane", "from the axis")
    assert base.value == pytest.approx(at[2], abs=0.1)
    assert bore.value == pytest.approx(np.hypot(at[0] - 58, at[1] - 45), abs=0.1)
    assert page.details.values["to base A"].text() == f"{base.value:.3f}"
    page.seeing.no_more.click()
    assert m.check.to == ()
    assert m.distances() == ()
    s.run(SetSurfaceCheck(m.check.replace(name="shroud")))
    assert m.look() is first
    m.choose(0)
    assert page.sections.isVisible()
    page.sections.click()
    assert [x.name for x in s.plan.sections[-2:]] == ["shroud 1 along", "shroud 1 across"]
    page.view.click()  # in space, on the part
    settle()
    qtbot.waitUntil(lambda: s.bare_scan.on_part is not None)
    drawn = s.bare_scan.on_part
    assert loaded.view.shown._points_shown is drawn.points
    assert s.bare_scan.drawn() is None
    near = np.linalg.norm(drawn.points - at, axis=1) < 2.0
    assert near.any()
    assert page.times.isVisible()
    page.times.setCurrentIndex(page.times.findData("10"))
    page.times.activated.emit(page.times.currentIndex())
    qtbot.waitUntil(lambda: s.bare_scan.on_part is not drawn)
    # What is 0.15 high stands ten times as far out.
    before, after = (
        np.median(p[(np.abs(p - at)[:, [0, 2]] < 1.5).all(axis=1)], axis=0)
        for p in (drawn.points, s.bare_scan.on_part.points)
    )
    assert np.linalg.norm(after - before) == pytest.approx(9 * 0.15, abs=0.4)
    assert not loaded.floating.scale.isVisible()
    page.view.click()
    settle()
    assert s.bare_scan.on_part is None
    assert loaded.view.shown._points_shown is not drawn.points
    s.document.take_sample_out()
    settle()
    assert m.look() is None


def test_without_a_part_it_is_no_reference(looked, page, settle):
    assert page.reference.findData("part") < 0
    looked.get(SurfaceModel).change(reference="part")
    settle()
    assert "no aligned part" in page.problem.text()


def test_steps_of_the_area_are_told_in_the_unit_of_the_plan(looked, page, settle):
    looked.session.run(SetDisplay((("unit", "inch"),)))
    looked.get(SurfaceModel).change(area=(AreaGrown(by=-12.7),))
    settle()
    assert page.area.steps.item(0).text() == "1  narrower by 0.5 inch"
