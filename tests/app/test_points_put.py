"""Points first, features later: taken with an arm, put by the list, by names, by place and by boxes in the view."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from truegauge.app.stages.devices.portable.page import PortablePage
from truegauge.app.stages.devices.portable.prepared import PreparedModel
from truegauge.app.stages.measure.points.model import PointsModel
from truegauge.core.commands.features import EditFeature
from truegauge.core.evaluation.prepared import feature_touched, touched_features
from truegauge.core.samples.document import Touch
from truegauge.rendering.camera import standard_camera

LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def taken(located, qtbot, settle, request):
    """Points of features (so many, without a word all), taken with an arm before anybody says what they are."""
    s, page, p = located.session, located.get(PortablePage), located.get(PreparedModel)
    qtbot.mouseClick(page.free, LEFT)
    assert p.on
    wanted = min(getattr(request, "param", 10_000), sum(x.touches for x, _ in p.waits()))
    for _ in range(3 * wanted):
        if len(s.sample.probed) >= wanted:
            break
        qtbot.mouseClick(page.hand, LEFT)
    settle()
    assert page.next.text() == f"{len(s.sample.probed)} points"
    assert {t.feature for t in s.sample.probed} == {""}
    qtbot.mouseClick(page.measure, LEFT)
    assert not p.on
    s.set_stage("measure")
    qtbot.mouseClick(located.parts["measure"].bench.pages.buttons["points"], LEFT)
    return located


@pytest.fixture
def panel(taken):
    return taken.parts["measure"].bench.points_panel


def serving(session):
    """Return how many touches each feature has, by name."""
    counts = {}
    for t in session.sample.probed:
        if t.feature:
            name = session.plan.feature(t.feature).name
            counts[name] = counts.get(name, 0) + 1
    return counts


def test_points_taken_first_are_put_by_where_they_are_and_measure_the_part(taken, panel, qtbot, settle):
    s, m, p = taken.session, taken.get(PointsModel), taken.get(PreparedModel)
    assert panel.isVisible()
    assert panel.list.count() == len(m.points)
    assert f"{len(m.points)} open" in panel.hint.text()
    qtbot.mouseClick(panel.by_place, LEFT)
    assert f"{len(m.offer.where)} points to" in panel.offer.text()
    assert {t.feature for t in s.sample.probed} == {""}  # nothing is done yet
    offered = [r.offered for r in panel.list.rows]
    assert sum(bool(o) for o in offered) == len(m.offer.where)
    qtbot.mouseClick(panel.leave, LEFT)
    assert not panel.answers.isVisible()
    qtbot.mouseClick(panel.by_place, LEFT)
    qtbot.mouseClick(panel.accept, LEFT)
    settle()
    # As many as were taken for each, but for what the hand missed.
    counts = serving(s)
    assert set(counts) == {own.name for own, _ in p.waits()}
    assert sum(counts.values()) >= 0.9 * sum(own.touches for own, _ in p.waits())
    found = {r.characteristic.name: r.measured for r in s.evaluation.results}
    assert found["main bore"] == pytest.approx(42.012, abs=0.03)
    assert found["cross bore"] == pytest.approx(24.0, abs=0.04)
    s.document.undo()
    settle()
    assert {t.feature for t in s.sample.probed} == {""}
    assert all(r.measured is None for r in s.evaluation.results)
    s.document.redo()
    settle()
    assert {r.characteristic.name: r.measured for r in s.evaluation.results} == found


def test_what_is_drawn_around_in_the_view_is_chosen_and_put_to_the_selected_feature(taken, panel, qtbot, settle):
    s, m, view = taken.session, taken.get(PointsModel), taken.view
    view.set_camera(standard_camera("top", s.model.box, view.width() / view.height()))
    pixels = view.camera.project(m.places(), view.width() / view.height())[:, :2] * [view.width(), view.height()]
    seen = m.seen_from(view.camera.back)
    top = next(f for f in s.plan.features if f.name == "top face")
    on = {k for k, one in m.on_part().items() if one.features[:1] == (top.id,)}
    around = np.array([pixels[k] for k, p in enumerate(m.points) if p.key in on])
    low, high = around.min(axis=0) - 3, around.max(axis=0) + 3
    wanted = {p.key for p, at, there in zip(m.points, pixels, seen, strict=True)
              if there and (at > low).all() and (at < high).all()}  # fmt: skip
    assert on <= wanted
    qtbot.mouseClick(panel.outlines[0], LEFT)
    drag(qtbot, view, low, high)
    assert set(m.chosen) == wanted
    assert len(panel.list.chosen_rows()) == len(wanted)
    assert not view.outline.mode  # and nobody is asked what to do with the points of a scan
    panel.deep.setChecked(True)
    qtbot.mouseClick(panel.outlines[0], LEFT)
    drag(qtbot, view, low, high)
    deep = {p.key for p, at in zip(m.points, pixels, strict=True) if (at > low).all() and (at < high).all()}
    assert set(m.chosen) == deep
    assert len(deep) > len(wanted)  # those of the base below
    m.choose(k for k in wanted if k in on)
    s.selection.select((top.group,))
    assert panel.feature.currentText() == "top face"
    qtbot.mouseClick(panel.put, LEFT)
    settle()
    assert serving(s) == {"top face": len(on)}
    qtbot.mouseClick(panel.outlines[0], LEFT)
    drag(qtbot, view, np.array([4, 4]), np.array([9, 9]))
    assert m.chosen == ()
    assert "no points lie inside" in taken.notices[-1].text


def drag(qtbot, view, low, high):
    a, b = QPoint(*np.round(low).astype(int).tolist()), QPoint(*np.round(high).astype(int).tolist())
    qtbot.mousePress(view, LEFT, pos=a)
    qtbot.mouseMove(view, pos=b)
    qtbot.mouseRelease(view, LEFT, pos=b)


@pytest.mark.parametrize("taken", [40], indirect=True)
def test_one_point_serves_two_features_and_all_is_taken_back_in_order(taken, panel, qtbot, settle):
    s, m = taken.session, taken.get(PointsModel)
    before = s.sample.data
    base, top = (next(f for f in s.plan.features if f.name == n) for n in ("base A", "top face"))
    panel.list.item(2).setSelected(True)
    assert panel.chosen.text() == "1 chosen"
    panel.feature.setCurrentIndex(panel.feature.findData(base.id))
    panel.feature.activated.emit(panel.feature.currentIndex())
    qtbot.mouseClick(panel.put, LEFT)
    panel.feature.setCurrentIndex(panel.feature.findData(top.id))
    panel.feature.activated.emit(panel.feature.currentIndex())
    qtbot.mouseClick(panel.also, LEFT)
    assert panel.list.rows[2].serves == "base A, top face"
    assert len(m.points) == panel.list.count()
    assert s.run(EditFeature(top.id, (("name", "lid"),), "rename feature"))
    assert panel.list.rows[2].serves == "base A, lid"
    panel.name.setText("corner")
    panel.name.editingFinished.emit()
    assert panel.list.rows[2].name == "corner"
    assert s.document.undo_label == "rename a point corner"
    s.document.undo()
    assert panel.list.rows[2].name == "3"
    assert s.document.undo_label == "rename feature"
    s.document.undo()
    assert s.plan.feature(top.id).name == "top face"
    assert s.document.redo_label == "rename feature"
    s.document.undo()
    assert panel.list.rows[2].serves == "base A"
    s.document.undo()
    assert s.sample.data == before
    for label in ("put 1 point to base A", "put 1 point to top face", "rename feature", "rename a point corner"):
        assert s.document.redo_label == label
        s.document.redo()
    assert s.document.redo_label == ""
    assert panel.list.rows[2].serves == "base A, lid"
    s.document.undo()
    s.document.undo()
    assert s.document.redo_label == "rename feature"
    qtbot.mouseClick(panel.free, LEFT)  # something else is done: nothing is done again any more
    assert s.document.redo_label == ""
    assert panel.list.rows[2].serves == ""
    qtbot.mouseClick(panel.remove, LEFT)
    assert len(m.points) == len({(t.place, t.approach) for t in before.probed}) + len(before.touches) - 1
    settle()


@pytest.mark.parametrize("taken", [40], indirect=True)
def test_a_drag_goes_on_after_points_were_put_and_nothing_is_lost_to_undo(taken, panel, qtbot, settle):
    s, m = taken.session, taken.get(PointsModel)
    base = next(f for f in s.plan.features if f.name == "base A")

    def drag_to(name):
        return s.run(EditFeature(base.id, (("name", name),), "rename feature", merge_key="drag"))

    before = s.sample.data
    assert drag_to("base 1")
    m.choose([m.points[0].key])
    m.put((base.id,))
    assert drag_to("base 2")
    for label in ("rename feature", "put 1 point to base 1", "rename feature"):
        assert s.document.undo_label == label
        s.document.undo()
    assert s.sample.data == before
    assert s.plan.feature(base.id).name == "base A"
    settle()


@pytest.mark.parametrize("taken", [40], indirect=True)
def test_an_offer_stays_while_the_temperature_is_logged(taken, panel, qtbot, settle):
    s, m = taken.session, taken.get(PointsModel)
    qtbot.mouseClick(panel.by_place, LEFT)
    offer = m.offer
    assert s.document.set_sample_data(temperature_c=21.5)
    settle()
    assert m.offer is offer
    assert panel.answers.isVisible()
    m.choose([m.points[0].key])
    m.remove()
    assert m.offer is None  # it was of other points


def test_points_of_a_table_are_put_by_their_names(taken, panel, qtbot, settle):
    s, m = taken.session, taken.get(PointsModel)
    qtbot.mouseClick(panel.by_place, LEFT)
    qtbot.mouseClick(panel.accept, LEFT)
    settle()
    bore = next(f for f in s.plan.features if f.name == "main bore")
    by_touches = 2 * s.evaluation.features[bore.id].feature.radius
    own = [p for p in m.points if p.features == (bore.id,) and not p.is_target]
    m.choose(p.key for p in own)
    qtbot.mouseClick(panel.free, LEFT)
    assert "main bore" not in serving(s)
    m.choose(())
    # Another program has compensated them for the tip already.
    places = [np.array(p.place) + p.radius * np.array(p.approach) for p in own]
    named = tuple(Touch(target=f"Main bore_{k}", place=tuple(at.tolist())) for k, at in enumerate(places))
    s.document.set_touches((*s.sample.touches, *named, Touch(target="somewhere", place=(0.0, 0.0, 0.0))))
    settle()
    qtbot.mouseClick(panel.by_name, LEFT)
    assert panel.offer.text().startswith(f"{len(own)} points to 1 feature;")
    qtbot.mouseClick(panel.accept, LEFT)
    settle()
    assert serving(s)["main bore"] == len(own)
    assert {t.radius for t in s.sample.probed if t.feature == bore.id} == {0.0}
    # The way of the tip is a little off the normal, so that these are compensated less well.
    assert 2 * s.evaluation.features[bore.id].feature.radius == pytest.approx(by_touches, abs=0.01)


@pytest.mark.parametrize("taken", [40], indirect=True)
def test_where_touches_lie_is_said_of_many_as_of_each(taken):
    s, m = taken.session, taken.get(PointsModel)
    lie, projector = m.lie(), s.evaluator.projector
    rng = np.random.default_rng(5)
    points = [p for p in m.points if not p.is_target]
    places = np.array([p.place for p in points]) + rng.normal(0, 3.0, (len(points), 3))
    radii, outs = np.array([p.radius for p in points]), -np.array([p.approach for p in points])
    outs[::7] = 0.0
    found = touched_features(s.plan, projector, lie, places, radii, outs)
    one = [feature_touched(s.plan, projector, lie, *each) for each in zip(places, radii, outs, strict=True)]
    assert [f.features[0] if f.features else "" for f in found] == one
    off = projector.deviations(lie.places(places), normals=lie.directions(outs), max_angle=np.radians(70)).distance
    assert all(f.off == pytest.approx(d - r) for f, d, r in zip(found, off, radii, strict=True) if f.features)
    assert 0 < sum(not f.features for f in found) < len(found)
