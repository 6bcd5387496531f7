"""Sections of a blade in the window: cut at typed heights, read flat, constructed by hand, told over the height."""

import numpy as np
import pypdfium2
import pytest
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QApplication, QFileDialog

from truegauge import demo
from truegauge.app.stages.evaluate.blade.middle import BladeMiddle
from truegauge.app.stages.evaluate.blade.model import BladeModel
from truegauge.app.stages.evaluate.blade.page import BladePage
from truegauge.app.stages.evaluate.model import EvaluateModel
from truegauge.app.stages.report.making import ReportMaker
from truegauge.core.commands.shown import SetDisplay
from truegauge.core.nodes.blades import MeasuredBlade
from truegauge.core.nodes.graph import NotComputed
from truegauge.demo.vane import VaneErrors, vane_cloud
from truegauge.formats.ply import ply_from_points

LEFT = Qt.MouseButton.LeftButton
NONE = Qt.MouseButton.NoButton


@pytest.fixture(scope="module")
def scan(tmp_path_factory):
    path = tmp_path_factory.mktemp("vane") / "LW-1330-0077.ply"
    path.write_bytes(ply_from_points(vane_cloud(120_000, errors=VaneErrors(wave=0.0), gaps=False)))
    return path


@pytest.fixture
def opened(window, settle, scan):
    """A window with the vane and a scan of it, at the page of blades."""
    window.session.files.open_part(demo.VANE_PART)
    settle()
    window.session.files.open_scan(scan)
    settle()
    window.session.set_stage("evaluate")
    window.get(EvaluateModel).set_page("blade")
    return window


@pytest.fixture
def page(opened):
    return opened.findChild(BladePage)


@pytest.fixture
def cut(opened, page, settle, qtbot):
    """Cut at three heights, with points of 2 mm of height."""
    page.heights.setText("40 to 80 by 20")
    page.add.click()
    settle()
    opened.get(BladeModel).change("thickness", thickness=2.0)
    settle()
    qtbot.waitUntil(lambda: opened.get(BladeModel).sheet is not None)
    settle()
    return opened


def type_in(field, text):
    field.setFocus()
    field.setText(text)
    field.setModified(True)
    field.editingFinished.emit()
    field.clearFocus()


def mouse(widget, kind, at, button=LEFT):
    held = LEFT if kind == QMouseEvent.Type.MouseMove and button != NONE else button
    pressed = NONE if kind == QMouseEvent.Type.MouseMove else LEFT
    event = QMouseEvent(kind, QPointF(*at), widget.mapToGlobal(QPointF(*at)), pressed, held,
                        Qt.KeyboardModifier.NoModifier)  # fmt: skip
    QApplication.sendEvent(widget, event)


def results(window):
    return {r.characteristic.name: r for r in window.session.evaluation.results}


def test_from_cad_and_a_scan_to_the_report_by_typing_heights(cut, page, settle, qtbot, tmp_path, monkeypatch):
    m, s, middle = cut.get(BladeModel), cut.session, cut.get(BladeMiddle)
    assert [page.list.item(k).text().split("   ")[0] for k in range(3)] == ["40.000 mm", "60.000 mm", "80.000 mm"]
    assert middle.isVisible()
    assert middle.at.text() == "1 of 3"
    truth = VaneErrors(wave=0.0).made(60.0).values()
    found = results(cut)
    assert len(found) == 24
    assert found["60 mm: chord"].measured == pytest.approx(truth["chord_mean_line"], abs=0.03)
    assert found["60 mm: largest thickness"].measured == pytest.approx(truth["max_thickness"], abs=0.02)
    middle.above.click()
    settle()
    assert m.section.height == 60.0
    qtbot.waitUntil(lambda: "60.000 mm" in middle.flat.sheet.title)
    own = next(c for c in s.plan.characteristics if c.name == "80 mm: chord")
    s.selection.select_characteristic(own.id)
    settle()
    assert m.section.height == 80.0
    path = tmp_path / "report.pdf"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a, **k: (str(path), ""))
    cut.get(ReportMaker).ask_pdf()
    settle()
    pages = pypdfium2.PdfDocument(path)
    words = " ".join(p.get_textpage().get_text_range() for p in pages)
    for wanted in ("blade: over the height", "blade, section at 60.000 mm", "trailing edge", "60 mm: chord"):
        assert wanted in words


def test_the_pointer_reads_the_deviation_of_the_place(cut, settle):
    flat, m = cut.get(BladeMiddle).flat, cut.get(BladeModel)
    flat.grab()
    sheet = flat.sheet
    drawing, place, _ = flat.drawings(sheet)["whole"]
    row = 100
    at = QPointF(*place.on(drawing.places[row][None])[0].tolist())
    side, read = flat.read(at)
    assert side == "whole"
    assert abs(read - row) <= 2
    result = m.session.evaluator.context(m.session.plan, m.session.sample)
    found = result.need(MeasuredBlade(m.blade, m.section))
    s = found.nominal.profile.places(600)[read]
    said = flat.said(side, read)
    assert said.startswith(f"{float(found.curve.deviation(np.array([s]))[0]):+.3f} mm")
    assert flat.read(QPointF(2.0, 2.0)) is None
    mouse(flat, QMouseEvent.Type.MouseMove, (at.x(), at.y()), NONE)
    flat.grab()


@pytest.mark.parametrize("key", ["leading_share", "leading_moved", "tangent_1"])
def test_a_handle_is_dragged_and_everything_follows_and_is_undone(cut, page, settle, qtbot, key):
    m, s, flat = cut.get(BladeModel), cut.session, cut.get(BladeMiddle).flat
    before = s.plan
    side, handle, x, y = next(h for h in flat.handles(flat.sheet) if h[1].key == key)
    place = flat.drawings(flat.sheet)[side][1]
    if key == "tangent_1":
        target = (x - 0.2 * handle.size * place.scale, y)
    else:
        center = place.on(np.array([handle.center]))[0]
        a = np.radians(18.0)
        off = np.array([x, y]) - center
        target = tuple(center + np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]]) @ off)
    flat_at = place.back(*target)
    wanted = handle.dragged(float(flat_at[0]), float(flat_at[1]))
    mouse(flat, QMouseEvent.Type.MouseButtonPress, (x, y))
    mouse(flat, QMouseEvent.Type.MouseMove, target)
    settle()
    assert m.preview is not None
    assert s.plan is before  # nothing is kept while it is dragged
    mouse(flat, QMouseEvent.Type.MouseButtonRelease, target)
    settle()
    assert m.preview is None
    own = s.plan.blades[0].construction
    value = own.tangent[1] if key == "tangent_1" else getattr(own, key)
    assert value == pytest.approx(wanted, abs=0.03)
    assert value != getattr(before.blades[0].construction, key, None)
    page.refresh()
    if key == "leading_share":
        assert page.construction.shares["leading"].value() == pytest.approx(100 * value, abs=0.1)
    s.document.undo()
    settle()
    assert s.plan == before


def test_a_construction_of_one_section_leaves_the_others(cut, page, settle):
    m, s = cut.get(BladeModel), cut.session
    fold = page.construction
    fold.scope.setCurrentIndex(1)
    fold.scope.activated.emit(1)
    fold.shares["trailing"].setValue(30.0)
    fold.shares["trailing"].editingFinished.emit()
    settle()
    own = [x.construction for x in s.plan.blades[0].sections]
    assert own[0].trailing_share == pytest.approx(0.3)
    assert own[1:] == [None, None]
    fold.found.click()
    settle()
    assert m.construction.tangent == (0.2, 0.8)
    fold.tangent[1].setValue(10.0)  # before the other one
    fold.tangent[1].editingFinished.emit()
    settle()
    assert m.construction.tangent == (0.2, 0.8)
    assert any("tangent" in str(n.text) for n in cut.notices)


def test_bands_fit_values_and_axes_are_set_on_the_bench(cut, page, settle, qtbot):
    s = cut.session
    type_in(page.bands.fields["leading", "upper"], "0.06")
    settle()
    (band,) = s.plan.blades[0].bands
    assert (band.zone, band.lower, band.upper) == ("leading", -0.06, 0.06)
    type_in(page.bands.fields["leading", "lower"], "0.2")  # above the upper one
    assert s.plan.blades[0].bands == (band,)
    type_in(page.bands.fields["leading", "lower"], "")
    settle()
    assert (s.plan.blades[0].bands[0].lower, s.plan.blades[0].bands[0].upper) == (None, 0.06)
    type_in(page.bands.fields["leading", "upper"], "")
    settle()
    assert s.plan.blades[0].bands == ()
    s.document.undo()
    s.document.undo()
    settle()
    assert s.plan.blades[0].bands == (band,)
    assert any("above the upper" in str(n.text) for n in cut.notices)
    qtbot.waitUntil(lambda: cut.get(BladeMiddle).flat.sheet.whole.limits is not None)
    fold = page.values
    fold.refresh()
    type_in(fold.shares, "25, 50")
    settle()
    assert s.plan.blades[0].chord_shares == (0.25, 0.5)
    names = [fold.list.item(k).data(256) for k in range(fold.list.count())]
    fold.list.item(names.index("thickness_0.25")).setCheckState(Qt.CheckState.Checked)
    fold.list.item(names.index("profile_beyond.all.after")).setCheckState(Qt.CheckState.Checked)
    assert fold.take.isEnabled()
    fold.take.click()
    settle()
    found = results(cut)
    assert len(found) == 30
    assert found["60 mm: thickness at 25 % of the chord"].measured == pytest.approx(
        found["60 mm: thickness at 25 % of the chord"].characteristic.nominal, abs=0.05
    )
    type_in(fold.shares, "x")
    assert s.plan.blades[0].chord_shares == (0.25, 0.5)
    page.fit.turns.click()
    settle()
    assert not s.plan.blades[0].fit.turns
    assert results(cut)["60 mm: turn of the fit"].measured == 0.0
    page.fit.weights[0].setValue(0.0)
    page.fit.weights[0].editingFinished.emit()
    settle()
    assert s.plan.blades[0].fit.weights == (0.0, 1.0, 1.0, 1.0)
    page.magnification.setValue(50)
    page.magnification.editingFinished.emit()
    settle()
    assert s.plan.blades[0].magnification == 50
    page.in_report.click()
    settle()
    assert [x.in_report for x in s.plan.blades[0].sections] == [False, True, True]
    page.fit.about.setEnabled(True)
    page.axes.machine.setCurrentIndex(page.axes.machine.findData("Z"))
    page.axes.machine.activated.emit(page.axes.machine.currentIndex())
    assert any("along the stacking axis" in str(n.text) for n in cut.notices)
    page.axes.machine.setCurrentIndex(page.axes.machine.findData("Y"))
    page.axes.machine.activated.emit(page.axes.machine.currentIndex())
    settle()
    assert s.plan.blades[0].machine == (0.0, 1.0, 0.0)
    nominal = {c.name: c.nominal for c in s.plan.characteristics}["60 mm: chord angle"]
    assert nominal == pytest.approx(0.35 + 0.55 * 0.6 - 0.1 * 0.36 - np.pi / 2, abs=0.02)  # told from the new axis


def test_sections_lie_on_cones_about_the_machine_axis(cut, page, settle, qtbot):
    m, s = cut.get(BladeModel), cut.session
    chord = next(c.id for c in s.plan.characteristics if c.kind == "blade_chord_mean_line" and "60 mm" in c.name)
    plane = s.plan.characteristic(chord).nominal
    assert page.axes.below_row.isHidden()
    page.axes.shape.setCurrentIndex(page.axes.shape.findData("cones"))
    page.axes.shape.activated.emit(page.axes.shape.currentIndex())
    settle()
    assert s.plan.blades[0].machine_below == 0.0
    assert not page.axes.below_row.isHidden()
    type_in(page.axes.below, "-30")
    settle()
    type_in(page.axes.tilts[0].lineEdit(), "12")
    page.axes.tilts[0].editingFinished.emit()
    settle()
    blade = s.plan.blades[0]
    assert (blade.machine_below, blade.tilts) == (-30.0, pytest.approx((np.radians(12),) * 2))
    qtbot.waitUntil(lambda: m.sheet is not None)
    found = s.evaluator.context(s.plan, s.sample).need(MeasuredBlade(blade, blade.sections[1]))
    assert float(found.plane.radius) == pytest.approx(30.0)  # at 60 mm, 30 mm over the axis
    assert s.plan.characteristic(chord).nominal > plane + 0.2  # cut askew it is longer
    m.choose(blade.sections[1].id)
    qtbot.waitUntil(lambda: getattr(m.sheet, "title", "").endswith("on a cone, unrolled"))
    for _ in range(3):
        s.document.undo()
    settle()
    assert s.plan.blades[0].machine_below is None
    assert page.axes.below_row.isHidden()


def test_curves_and_the_table_show_every_section(cut, settle, qtbot):
    m, s, middle = cut.get(BladeModel), cut.session, cut.get(BladeMiddle)
    middle.pages["height"].click()
    settle()
    middle.heights.grab()
    panels = middle.heights.panels()
    twist = next(p for p in panels if p.curve.what == "chord_angle")
    assert np.degrees(np.diff(twist.curve.deviations)) == pytest.approx([0.12, 0.12], abs=0.05)
    x, y = twist.x(float(twist.curve.deviations[2])), twist.y(80.0)
    mouse(middle.heights, QMouseEvent.Type.MouseButtonPress, (x, y))
    assert m.section.height == 80.0
    mouse(middle.heights, QMouseEvent.Type.MouseButtonDblClick, (x, y))
    assert m.shown == "section"
    middle.pages["table"].click()
    settle()
    table = middle.table
    assert (table.rowCount(), table.columnCount()) == (3, 8)
    chord = results(cut)["80 mm: chord"]
    assert table.item(0, 0).text().endswith(f"{chord.measured:.3f}")
    table.setFocus()
    table.setCurrentCell(1, 0)
    qtbot.waitUntil(lambda: s.selection.characteristic == results(cut)["60 mm: chord"].characteristic.id)
    middle.pages["part"].click()
    assert not middle.isVisible()


def test_on_the_part_sections_are_dragged_and_the_blade_is_unbent(cut, page, settle, qtbot):
    m, s, view = cut.get(BladeModel), cut.session, cut.view
    m.show("part")
    view.show_standard("front")
    settle()
    view.finish()
    curves = dict((x.height, c) for x, c in view.overlay.hand.curves())
    assert list(curves) == [40.0, 60.0, 80.0]
    assert np.abs(curves[60.0][:, 2] - 60.0).max() < 1e-9
    shares = view.camera.project(curves[60.0], view.width() / view.height())
    at = shares[50, :2] * [view.width(), view.height()]
    up = 8.0 * view.height() / view.camera.height
    mouse(view, QMouseEvent.Type.MouseButtonPress, at)
    mouse(view, QMouseEvent.Type.MouseMove, at - [0, up])
    assert m.section.height == pytest.approx(68.0, abs=0.3)
    assert s.plan.blades[0].sections[1].height == 60.0
    mouse(view, QMouseEvent.Type.MouseButtonRelease, at - [0, up])
    settle()
    now = s.plan.blades[0].sections
    assert [x.height for x in now] == [40.0, pytest.approx(68.0, abs=0.3), 80.0]
    moved = next(c for c in s.plan.characteristics if c.features[0] == now[1].values[0].id)
    truth = 29.15 if moved.kind == "blade_chord_mean_line" else None
    assert moved.nominal == pytest.approx(truth, abs=0.1)
    s.document.undo()
    settle()
    assert [x.height for x in s.plan.blades[0].sections] == [40.0, 60.0, 80.0]
    page.unbent.click()
    qtbot.waitUntil(lambda: s.showing.other_map is not None)
    view.grab()
    cut.get(EvaluateModel).set_page("map")
    assert s.showing.other_map is None
    assert not m.is_unbent


def test_what_is_typed_wrong_or_misses_the_part_is_said(opened, page, settle, qtbot):
    page.heights.setText("high")
    page.add.click()
    assert any("are no heights" in str(n.text) for n in opened.notices)
    assert page.heights.text() == "high"  # it can be put right
    assert opened.session.plan.blades == ()
    opened.session.run(SetDisplay((("unit", "inch"),)))
    page.heights.setText("2, 8")
    page.add.click()
    settle()
    assert [x.height for x in opened.session.plan.blades[0].sections] == [50.8, 203.2]
    m = opened.get(BladeModel)
    m.choose(opened.session.plan.blades[0].sections[1].id)
    qtbot.waitUntil(lambda: isinstance(m.sheet, NotComputed))
    assert "cuts nothing closed" in m.sheet.reason
    opened.get(BladeMiddle).flat.grab()
    page.remove_section.click()
    settle()
    assert [x.height for x in opened.session.plan.blades[0].sections] == [50.8]
    assert len(opened.session.plan.characteristics) == 8
    page.remove.click()
    assert opened.session.plan.blades == ()
    assert opened.session.plan.characteristics == ()
    assert not opened.get(BladeMiddle).isVisible()
    opened.session.document.undo()
    settle()
    assert len(opened.session.plan.characteristics) == 8


def test_what_is_changed_while_another_change_is_under_way_is_kept(cut, page, settle):
    """Typed one after the other, without waiting: nothing is made to a blade that is no more."""
    s = cut.session
    type_in(page.bands.fields["leading", "upper"], "0.06")
    type_in(page.bands.fields["suction", "upper"], "0.03")
    type_in(page.values.edges, "2")
    page.fit.turns.click()
    settle()
    blade = s.plan.blades[0]
    assert {b.zone: b.upper for b in blade.bands} == {"leading": 0.06, "suction": 0.03}
    assert blade.edge_distances == (2.0,)
    assert not blade.fit.turns
    for _ in range(4):
        s.document.undo()
    settle()
    assert s.plan.blades[0].bands == ()
    assert s.plan.blades[0].fit.turns


def test_cutting_that_is_stopped_leaves_the_plan_and_can_be_begun_again(opened, page, settle, qtbot):
    s = opened.session
    page.heights.setText("10 to 90 by 2")
    page.add.click()
    s.queue.cancel()
    settle()
    assert s.plan.blades == ()
    page.heights.setText("50")
    page.add.click()
    settle()
    assert [x.height for x in s.plan.blades[0].sections] == [50.0]


def test_distances_are_typed_in_the_unit_of_the_plan(cut, page, settle):
    s = cut.session
    s.run(SetDisplay((("unit", "inch"),)))
    page.values.refresh()
    type_in(page.values.edges, "0.1, 5 mm")
    settle()
    assert s.plan.blades[0].edge_distances == (2.54, 5.0)
    assert page.values.edges.text() == "0.1, 0.19685"
