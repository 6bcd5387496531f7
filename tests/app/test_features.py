"""The Measure bench: criterion, filter, needles, form plot, construct; driven through its widgets."""

import numpy as np
import pytest
from PySide6.QtCore import QEvent, QPointF, Qt
from PySide6.QtGui import QEnterEvent
from PySide6.QtWidgets import QApplication, QScrollArea

from truegauge.app.stages.measure.form_page import FormModel, FormPage
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.features.extraction import Built
from truegauge.demo.faces import face_of_kind


@pytest.fixture
def measure(loaded, settle):
    loaded.session.set_stage("measure")
    loaded.faces = {f.name: f.faces for f in loaded.session.plan.features}

    def select(*names):
        loaded.session.selection.select(tuple(loaded.faces[n] for n in names))
        settle()

    loaded.select = select
    return loaded


def pixels(window):
    window.view.finish()
    image = window.view.grab().toImage().convertToFormat(image_format())
    return np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), -1).copy()


def image_format():
    from PySide6.QtGui import QImage

    return QImage.Format.Format_RGB32


def test_the_panel_tells_how_a_feature_came_about(measure):
    measure.select("main bore")
    shown = {name: value.text() for name, value in measure.parts["measure"].bench.details.values.items()}
    assert shown["points used"] == f"{len(measure.session.selection.measured()[0].rows):,}"
    assert "×" in shown["beyond"]
    assert float(shown["condition"]) > 0
    assert float(shown["diameter"].split()[0]) == pytest.approx(42, abs=0.1)


def test_needles_are_drawn_on_the_selected_feature_and_can_be_turned_off(measure):
    measure.select("base A")
    measure.view.show_standard("bottom")
    with_needles = pixels(measure)
    measure.parts["measure"].bench.needles.click()
    assert not measure.session.shown.needles
    assert (pixels(measure) != with_needles).mean() > 0.002


def test_what_shows_as_zero_has_no_needles_and_no_colours_of_form(measure):
    """The needles of a perfect bore stood out of it 200,000 times magnified, each of them 0.000 mm."""
    measure.select("cross bore")
    own = measure.session.selection.measured()[0]
    assert abs(own.mean_residuals).max() < 0.0005
    with_needles = pixels(measure)
    measure.parts["measure"].bench.needles.click()
    assert (pixels(measure) != with_needles).mean() < 0.002


def test_nothing_of_the_bench_is_wider_than_the_bench(measure):
    scroll = measure.parts["measure"].bench.findChild(QScrollArea)
    assert scroll.isAncestorOf(measure.parts["measure"].bench.details)
    needed = scroll.widget().minimumSizeHint().width() - measure.parts["measure"].bench.column.contentsMargins().right()
    assert needed <= scroll.viewport().width()


def test_the_filter_is_chosen_and_undone(measure, settle, qtbot):
    bench = measure.parts["measure"].bench
    measure.select("main bore")
    before = measure.session.selection.measured()[0].form
    bench.filter_kind.setCurrentIndex(1)
    bench.filter_kind.activated.emit(1)
    settle()
    after = measure.session.selection.measured()[0]
    assert after.form_filter.text == "gaussian 50 UPR, 2.5 mm"
    assert after.form != before
    assert bench.upr_field.isVisible()
    bench.upr_field.setText("15")
    bench.upr_field.editingFinished.emit()
    settle()
    assert measure.session.selection.measured()[0].form_filter.upr == 15.0
    bench.upr_field.setText("many")
    bench.upr_field.editingFinished.emit()
    assert "cut-off" in measure.notices[-1].text
    measure.session.document.undo()
    measure.session.document.undo()
    settle()
    assert measure.session.selection.measured()[0].form == before


def test_the_form_plot_is_enlarged_and_saved(measure, qtbot, tmp_path):
    measure.select("main bore")
    assert measure.parts["measure"].bench.plot.isVisible()
    qtbot.mouseClick(measure.parts["measure"].bench.plot, Qt.MouseButton.LeftButton)
    page = measure.get(FormPage)
    assert measure.center.currentWidget() is page
    small, large = page.picture(400, 300), page.picture(1100, 700)
    for image in (small, large):
        colors = {
            image.pixelColor(x, y).name() for x in range(0, image.width(), 7) for y in range(60, image.height(), 7)
        }
        assert len(colors) > 5
    page.write_pdf(tmp_path / "form.pdf")
    assert (tmp_path / "form.pdf").read_bytes().startswith(b"%PDF")
    qtbot.mouseClick(page.back, Qt.MouseButton.LeftButton)
    assert measure.center.currentWidget() is measure.view


@pytest.mark.parametrize("name", ["base A", "ball socket", "main bore"])
def test_each_kind_of_feature_has_its_plot(measure, name):
    measure.select(name)
    shown = measure.get(FormModel).current()
    assert shown is not None
    assert np.isfinite(shown.heights).sum() > 20
    assert measure.get(FormModel).title().startswith(name)


def test_construct_offers_only_what_makes_sense(measure):
    def offered(*names):
        measure.select(*names)
        return [b.text() for b in measure.parts["measure"].bench.construct.buttons]

    assert "edge where the planes meet" in offered("base A", "side B")
    assert "mid-plane" not in offered("base A", "side B")
    assert "mid-plane" in offered("base A", "top face")
    assert "point: axis meets plane" in offered("main bore", "base A")
    assert offered("main bore") == []


def test_a_feature_is_constructed_with_a_preview_and_undone(measure, settle, qtbot):
    panel = measure.parts["measure"].bench.construct
    measure.select("main bore", "base A")
    button = next(b for b in panel.buttons if b.text().startswith("point: axis"))
    plain = pixels(measure)
    enter = QEnterEvent(QPointF(5, 5), QPointF(5, 5), QPointF(5, 5))
    QApplication.sendEvent(button, enter)
    assert measure.session.proposing.preview is not None
    assert "measured point at" in panel.preview_text.text()
    assert (pixels(measure) != plain).any()
    QApplication.sendEvent(button, QEvent(QEvent.Type.Leave))
    assert measure.session.proposing.preview is None
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    settle()
    made = measure.session.plan.constructed[0]
    assert measure.session.selection.groups == (made.id,)
    assert isinstance(measure.session.selection.measured()[0], Built)
    assert made.id in measure.parts["measure"].bench.rows
    measure.session.document.undo()
    settle()
    assert measure.session.plan.constructed == ()
    assert measure.session.selection.groups == ()


def test_constructing_works_by_keyboard_alone(measure, settle, qtbot):
    measure.select("base A", "top face")
    measure.session.set_stage("evaluate")
    measure.actions_table.trigger("construct")
    first = measure.parts["measure"].bench.construct.buttons[0]
    assert measure.session.stage == "measure"
    assert measure.session.proposing.preview is not None or first.hasFocus()
    qtbot.keyClick(first, Qt.Key.Key_Space)
    settle()
    assert measure.session.plan.constructed[0].construction == "mid_plane"


def test_a_typed_distance_moves_the_preview(measure, settle, qtbot):
    panel = measure.parts["measure"].bench.construct
    measure.select("top face")
    button, field = panel.buttons[0], panel.fields["offset_plane distance"]
    field.clear()
    qtbot.keyClicks(field, "12,5")
    assert measure.session.proposing.preview.values == (12.5,)
    field.clear()
    qtbot.keyClicks(field, "far")
    assert not button.isEnabled()
    field.clear()
    qtbot.keyClicks(field, "-4")
    qtbot.mouseClick(button, Qt.MouseButton.LeftButton)
    settle()
    assert measure.session.plan.constructed[0].values == (-4.0,)


def test_the_less_common_kinds_are_behind_more(measure, settle):
    measure.select("main bore")
    measure.floating.strip.more.aboutToShow.emit()
    labels = [a.text() for a in measure.floating.strip.more.actions()]
    assert any("two-point" in text for text in labels)
    index = next(i for i, text in enumerate(labels) if text.startswith("diameter GX"))
    measure.floating.strip.more.actions()[index].trigger()
    settle()
    assert measure.session.plan.characteristics[-1].kind == "diameter_gx"


def test_an_angle_is_shown_and_typed_in_degrees(measure, settle, qtbot):
    session = measure.session
    session.selection.select(((face_of_kind(session.model, SurfaceKind.CONE),),))
    settle()
    session.proposing.accept(next(i for i, p in enumerate(session.proposing.proposals) if p.kind.name == "cone_angle"))
    settle()
    row = session.plan.characteristics[-1]
    result = session.evaluation.result(row.id)
    model = measure.ledger.list.model()
    spoken = model.spoken(result)
    assert f"{np.degrees(result.measured):.3f}°" in spoken


def test_a_feature_is_renamed_and_removed(measure, settle, qtbot):
    field = measure.parts["measure"].bench.name_field
    measure.select("boss")
    field.setFocus()
    field.selectAll()
    qtbot.keyClicks(field, "pump boss")
    qtbot.keyClick(field, Qt.Key.Key_Return)
    assert "pump boss" in [f.name for f in measure.session.plan.features]
    measure.session.selection.remove_features()
    settle()
    assert "pump boss" not in [f.name for f in measure.session.plan.features]
    measure.session.document.undo()
    settle()
    assert "pump boss" in [f.name for f in measure.session.plan.features]
