"""The Align stage in real widgets: making alignments by picking, changing them, comparing, and being guided."""

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt

from truegauge.app.stages.align.before_after import BeforeAfter
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.stages.devices.portable.line import Borrowed
from truegauge.app.widgets.dial import FreedomDial
from truegauge.core.frames import apply, invert, random_rigid
from truegauge.core.nodes.nominal import ReportFrame
from truegauge.core.plan.alignments import (
    BestFitAlignment,
    DatumAlignment,
    GivenAlignment,
    GuidedAlignment,
    MatchedPlace,
    MatchedPointAlignment,
    ReferencePointAlignment,
)
from truegauge.core.registration.alignment import Alignment
from truegauge.devices.protocol import Lost, PointBlock
from truegauge.formats.ply import ply_from_points

TOPS = ((40.0, 4.0, 14.0), (100.0, 4.0, 14.0), (12.0, 45.0, 14.0))
SIDES = ((40.0, 0.0, 7.0), (100.0, 0.0, 7.0), (0.0, 45.0, 7.0))


@pytest.fixture
def stage(loaded, settle):
    loaded.session.set_stage("align")
    settle()
    return loaded


def click_in_view(window, qtbot, place):
    """Click where a place of the part is seen; the test fails where it is hidden."""
    view = window.view
    x, y, _ = view.camera.project(np.array([place], dtype=float), view.width() / view.height())[0]
    spot = QPoint(round(x * view.width()), round(y * view.height()))
    qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=spot)


def pick(window, place):
    """Pick a place of the part, seen or not."""
    s = window.session
    place = np.array(place, dtype=float)
    s.pointer.pick_at(int(s.evaluator.projector.deviations(place[None]).face[0]), place)


def rows(window):
    return [
        window.parts["align"].bench.targets.item(i).text() for i in range(window.parts["align"].bench.targets.count())
    ]


def test_the_list_shows_each_alignment_and_which_is_in_force(stage):
    bench = stage.parts["align"].bench
    texts = [bench.list.item(i).text() for i in range(bench.list.count())]
    assert texts[0].startswith("Best fit, best fit · rms 9.")
    assert "by datums" in texts[1]
    assert not bench.force.isEnabled()  # the one in force is chosen


def test_putting_another_in_force_changes_ledger_map_and_header(stage, settle):
    before = stage.session.evaluation
    stage.session.show(map=True)
    stage.parts["align"].bench.list.setCurrentRow(1)
    stage.parts["align"].bench.force.click()
    settle()
    assert stage.session.plan.in_force == "datums"
    assert "Datums A B C" in stage.header.alignment.text()
    assert stage.session.evaluation.cloud.statistics != before.cloud.statistics
    assert stage.session.evaluator.known_deviation_map(stage.session.plan, stage.session.sample) is not None
    stage.session.document.undo()
    settle()
    assert stage.session.plan.in_force == "a1"
    assert "Best fit" in stage.header.alignment.text()


def test_datums_are_picked_in_the_view_and_the_dial_fills(stage, qtbot, settle):
    stage.get(AlignModel).add("datums")
    stage.get(AlignModel).edit(datums=())
    settle()
    assert "no datum yet" in stage.parts["align"].bench.doubts.text()
    for place, held in (((70.0, 0.0, 7.0), 3), ((100.0, 4.0, 14.0), 5)):
        click_in_view(stage, qtbot, place)
        settle()
        assert stage.get(AlignModel).freedoms_of(stage.get(AlignModel).own.id).held == held
    assert "free: shift along x" in stage.parts["align"].bench.trust.text()
    pick(stage, (0.0, 45.0, 7.0))
    settle()
    assert stage.parts["align"].bench.trust.text() == "All six freedoms are held."
    assert [r.split()[0] for r in rows(stage)] == ["B", "plane", "C"]
    assert not stage.session.selection.groups  # picks went to the alignment


def test_dragging_changes_the_order_of_datums(stage, qtbot, settle):
    stage.parts["align"].bench.list.setCurrentRow(1)
    before = stage.get(AlignModel).result.part_from_scan
    targets = stage.parts["align"].bench.targets
    targets.model().moveRow(targets.rootIndex(), 1, targets.rootIndex(), 0)
    settle()
    assert [d.feature for d in stage.get(AlignModel).own.datums] == ["side-b", "base", "side-c"]
    assert stage.get(AlignModel).freedoms_of("datums").holders == ("C", "B", "A", "B", "A", "B")
    assert np.abs(stage.get(AlignModel).result.part_from_scan - before).max() > 1e-6
    stage.session.document.undo()
    settle()
    assert [d.feature for d in stage.get(AlignModel).own.datums] == ["base", "side-b", "side-c"]


def test_a_datum_that_holds_nothing_is_explained_where_the_result_would_be(stage, settle):
    stage.get(AlignModel).choose("datums")
    stage.get(AlignModel).set_picking(True)
    pick(stage, (85.0, 45.0, 60.0))
    settle()
    assert "takes no freedom" in stage.parts["align"].bench.doubts.text()
    assert stage.parts["align"].bench.rms.text() == "–"
    assert not stage.notices


def test_axis_and_origin_of_a_frame_are_set_and_undone(stage, settle):
    stage.get(AlignModel).choose("datums")
    panel = stage.parts["align"].bench.kind
    for key, axis in (("base", "+z"), ("side-b", "+y")):
        stage.get(AlignModel).choose_target(key)
        panel.axis.setCurrentText(axis)
        panel.axis.activated.emit(panel.axis.currentIndex())
        settle()
    stage.parts["align"].bench.frame.offset[0].setValue(58.0)
    settle()
    frame = stage.session.evaluator.context(stage.session.plan, None, "datums").get(ReportFrame())
    assert apply(frame, np.array([0.0, 0.0, -3.0]))[2] == pytest.approx(3.0)
    assert stage.get(AlignModel).own.offset == (58.0, 0.0, 0.0)
    for _ in range(3):
        stage.session.document.undo()
    settle()
    assert stage.get(AlignModel).own.offset == (0.0, 0.0, 0.0)
    assert all(d.axis is None for d in stage.get(AlignModel).own.datums)


def test_the_worst_matched_point_is_offered_and_left_out_on_request_only(stage, settle):
    stage.parts["align"].bench.list.setCurrentRow(2)
    settle()
    panel = stage.parts["align"].bench.kind
    assert panel.leave_out.text() == "Leave bolt hole 4 out"
    assert all(p.used for p in stage.get(AlignModel).own.points)
    rms = stage.get(AlignModel).result.rms
    panel.leave_out.click()
    settle()
    assert [p.used for p in stage.get(AlignModel).own.points] == [True, True, True, True, False, True]
    assert stage.get(AlignModel).result.rms < 0.1 * rms
    assert "left out" in rows(stage)[4]


def test_weights_are_typed_and_nonsense_is_refused(stage, settle):
    stage.get(AlignModel).choose("holes")
    stage.get(AlignModel).choose_target("ball socket")
    panel = stage.parts["align"].bench.kind
    panel.weights.setText("1 1 0")
    panel.weights.editingFinished.emit()
    settle()
    assert stage.get(AlignModel).own.points[5].weights == (1.0, 1.0, 0.0)
    panel.weights.setText("one")
    panel.weights.editingFinished.emit()
    assert "three numbers" in stage.notices[-1].text
    assert panel.weights.text() == "1 1 0"


def test_reference_points_are_picked_and_their_directions_edited(stage, settle):
    stage.get(AlignModel).add("reference_points")
    for place in (*TOPS, *SIDES, (58.0, 66.0, 40.0)):
        pick(stage, place)
    settle()
    own = stage.get(AlignModel).own
    assert isinstance(own, ReferencePointAlignment)
    assert [p.name for p in own.points] == ["Z1", "Z2", "Z3", "Y1", "Y2", "X1", "main bore"]
    assert [p.held for p in own.points][-1] == "xy"
    assert any("2 to spare" in n for n in stage.get(AlignModel).result.notes)
    stage.get(AlignModel).choose_target("X1")
    panel = stage.parts["align"].bench.kind
    panel.held.setText("z")
    panel.held.editingFinished.emit()
    settle()
    assert "X1 cannot hold z" in stage.parts["align"].bench.doubts.text()


def test_best_fit_to_chosen_faces_with_weights_locks_and_criterion(stage, settle):
    stage.get(AlignModel).add("best_fit")
    panel = stage.parts["align"].bench.kind
    assert stage.get(AlignModel).own.base == "a1"
    panel.pick.click()
    for place in (*TOPS[:1], *SIDES[1:], (85.0, 45.0, 60.0)):
        pick(stage, place)
    settle()
    assert len(stage.get(AlignModel).own.faces) == 4
    stage.get(AlignModel).set_picking(False)
    pick(stage, (85.0, 45.0, 60.0))
    panel.weight.setValue(5.0)
    panel.set_weight.click()
    settle()
    assert stage.get(AlignModel).own.weights[0].weight == 5.0
    panel.locks[5].click()
    settle()
    assert stage.get(AlignModel).freedoms_of(stage.get(AlignModel).own.id).holders[5] == "locked"
    panel.criterion.setCurrentIndex(panel.criterion.findData("largest"))
    panel.criterion.activated.emit(1)
    settle()
    assert isinstance(stage.get(AlignModel).result, Alignment)
    stage.session.document.undo()
    stage.session.document.undo()
    settle()
    assert stage.get(AlignModel).own.locked == (False,) * 6


def test_the_slider_moves_the_points_between_before_and_after(stage, settle):
    stage.get(AlignModel).choose("datums")
    slider = stage.get(BeforeAfter).slider
    assert stage.get(BeforeAfter).isVisible()
    slider.setValue(0)
    assert stage.session.shown.points
    assert "times" in stage.get(BeforeAfter).text.text()
    base, after = stage.get(AlignModel).result_of("a1"), stage.get(AlignModel).result
    motion = stage.get(AlignModel).shown_from_force()
    back = base.part_from_scan @ invert(after.part_from_scan)
    center = stage.session.model.box.mean(axis=0)
    enlarged = stage.get(AlignModel).exaggeration * (apply(back, center) - center)
    np.testing.assert_allclose(
        apply(motion @ base.part_from_scan @ invert(after.part_from_scan), center), center + enlarged, atol=1e-6
    )
    slider.setValue(100)
    np.testing.assert_allclose(
        stage.get(AlignModel).shown_from_force(), after.part_from_scan @ invert(base.part_from_scan), atol=1e-12
    )
    stage.get(AlignModel).choose("a1")
    assert stage.get(AlignModel).shown_from_force() is None
    assert not stage.get(BeforeAfter).isVisible()


def test_a_typed_matrix_is_used_and_a_left_handed_one_refused(stage, settle):
    stage.get(AlignModel).add("given")
    panel = stage.parts["align"].bench.frame
    panel.matrix.setPlainText("1 0 0 5\n0 1 0 0\n0 0 1 0\n0 0 0 1")
    panel.apply.click()
    settle()
    assert isinstance(stage.get(AlignModel).own, GivenAlignment)
    moved = stage.get(AlignModel).result.part_from_scan @ invert(stage.get(AlignModel).result_of("a1").part_from_scan)
    np.testing.assert_allclose(moved[:3, 3], [5, 0, 0], atol=1e-9)
    for text, words in (("1 0 0 0 0 1 0 0 0 0 -1 0 0 0 0 1", "left-handed"), ("1 2", "16 numbers"), ("a", "no number")):
        panel.matrix.setPlainText(text)
        panel.apply.click()
        assert words in stage.notices[-1].text
    assert stage.get(AlignModel).own.matrix[3] == 5.0


def test_guided_from_the_first_target_to_accepted(stage, settle):
    """Pick targets, touch them with the stand-in of an arm, measure a poor one again, accept."""
    stage.get(AlignModel).add("guided")
    for place in (*TOPS, *SIDES, (140.0, 45.0, 10.0), (85.0, 45.0, 60.0), (118.0, 20.0, 30.0), (58.0, 45.0, 60.0)):
        pick(stage, place)
    own, guide, panel = stage.get(AlignModel).own, stage.get(GuideModel), stage.parts["align"].bench.kind
    assert isinstance(own, GuidedAlignment)
    assert len(own.targets) == 10
    settle()
    panel.guide.run.click()
    assert guide.running
    assert guide.text() == ("Touch T1 once", "on the surface")
    held = []
    for _ in range(4):
        panel.guide.touch.click()
        settle()
        result = stage.get(AlignModel).result
        held.append(result.freedoms.held if isinstance(result, Alignment) else 0)
    assert held[:2] == [0, 0]
    assert held[2] >= 3
    assert isinstance(guide.device, Borrowed)
    guide.device.stand_in.slip_next(0.3)
    while guide.current() is not None:
        panel.guide.touch.click()
    settle()
    assert guide.text()[0] == "All targets are measured"
    poor = [t.name for t in stage.get(AlignModel).result.targets if t.poor]
    assert len(poor) == 1
    panel.leave_out.click()
    assert guide.current()[0].name == poor[0]
    while guide.current() is not None:
        panel.guide.touch.click()
    settle()
    assert stage.get(AlignModel).result.suggestion != poor[0]
    assert stage.get(AlignModel).result.rms < 0.05
    assert stage.get(AlignModel).freedoms_of(own.id).held == 6
    panel.guide.accept.click()
    settle()
    assert stage.session.plan.in_force == own.id
    assert not guide.running
    assert abs(stage.session.evaluation.cloud.statistics.mean) < 0.05  # the scan came from the same device
    there = guide.place_in_part(stage.session.sample.touches[0])
    assert abs(there[2] - 14.0 - stage.session.sample.touches[0].radius) < 0.1  # the centre of the tip


def test_a_lost_device_stops_the_guide_and_keeps_the_touches(stage, settle):
    class Arm:
        name = identity = "an arm"
        calls = 0

        def connect(self):
            """Works."""

        def close(self):
            """Works."""

        def events(self):
            self.calls += 1
            if self.calls > 1:
                return [Lost("the arm does not answer: check its cable")]
            return [PointBlock(np.array([[1.0, 2.0, 3.0]]))]

    stage.get(AlignModel).add("guided")
    for place in TOPS:
        pick(stage, place)
    stage.get(GuideModel).start(Arm())
    stage.get(GuideModel).poll()
    stage.get(GuideModel).poll()
    assert not stage.get(GuideModel).running
    assert "check its cable" in stage.notices[-1].text
    assert stage.session.sample.touches[0].place == (1.0, 2.0, 3.0)
    stage.get(GuideModel).take_back()
    assert stage.session.sample.touches == ()


def test_temperature_is_corrected_and_shown(stage, settle):
    s, panel = stage.session, stage.parts["align"].bench.temperature
    before = s.evaluation.result("c18").measured
    stage.parts["align"].bench.folds["Temperature"].header.click()
    panel.material.setCurrentText("aluminium")
    panel.material.activated.emit(0)
    panel.part_c.setValue(30.0)
    settle()
    assert s.evaluation.result("c18").measured == pytest.approx(before / (1 + 23.1e-5), abs=2e-4)
    assert "at 20 °C" in stage.header.alignment.text()
    assert "part 30 °C" in panel.result.text()
    s.document.undo()
    settle()
    assert s.plan.material is None
    assert s.evaluation.temperature == ""


def test_a_scan_of_the_part_turned_over_joins_the_sample(stage, settle, tmp_path, sample):
    rng = np.random.default_rng(1)
    moved = apply(random_rigid(rng, 200), sample.points[::5])
    path = tmp_path / "turned.ply"
    path.write_bytes(ply_from_points(moved))
    stage.session.files.add_turned_scan(path, 0.0)
    settle()
    joined = stage.session.sample
    assert len(joined.points) == len(sample.points) + len(moved)
    assert joined.data.scans[1].placed_by == "the part's own shape"
    assert np.abs(joined.points[len(sample.points) :] - sample.points[::5]).max() < 0.02
    assert stage.session.evaluation.alignment.trusted
    stage.session.files.add_turned_scan(path, 20.0)  # there are no spheres of that size
    settle()
    assert "three in common are needed" in stage.notices[-1].text
    assert stage.session.sample is joined


def test_measured_points_of_a_table_are_matched_by_name(stage, settle, tmp_path, truth):
    scan_from_part = invert(np.array(truth["part_from_scan"]))
    nominal = {"A": (10.0, 10.0, 16.0), "B": (130.0, 10.0, 16.0), "C": (10.0, 80.0, 16.0), "D": (58.0, 45.0, 60.0)}
    lines = ["name;x;y;z"]
    for name, place in nominal.items():
        lines.append(f"{name};{';'.join(str(v) for v in apply(scan_from_part, np.array(place)))}")
    path = tmp_path / "measured.csv"
    path.write_text("\n".join(lines))
    stage.session.files.open_touches(path)
    settle()
    stage.get(AlignModel).add("matched_points")
    assert isinstance(stage.get(AlignModel).own, MatchedPointAlignment)
    stage.get(AlignModel).edit(base="", points=tuple(MatchedPlace(name=n, place=p) for n, p in nominal.items()))
    settle()
    np.testing.assert_allclose(stage.get(AlignModel).result.part_from_scan, truth["part_from_scan"], atol=1e-6)
    path.write_text("A;1;2;x")
    stage.session.files.open_touches(path)
    settle()
    assert "line 1" in stage.notices[-1].text


def test_the_dial_tells_who_holds_what(stage, qtbot):
    dial = FreedomDial(stage.theme)
    qtbot.addWidget(dial)
    dial.show_freedoms(stage.get(AlignModel).freedoms_of("datums"))
    assert dial.tell(0) == "shift along x: held by C"
    assert dial.tell(5) == "turn about z: held by B"
    assert dial.arc_at(52, 8) == 1  # y is on top
    assert dial.arc_at(52, 52) == -1
    assert isinstance(stage.get(AlignModel).own, BestFitAlignment)
    assert isinstance(stage.session.plan.alignment("datums"), DatumAlignment)


def test_a_result_is_reported_in_another_alignment_and_says_so(stage, settle):
    s = stage.session
    s.selection.select((s.plan.feature("main-bore").group,))
    settle()
    index = next(i for i, p in enumerate(s.proposing.proposals) if p.kind.name == "coordinate_x")
    s.proposing.accept(index)
    settle()
    number = s.selection.characteristic
    ours = s.evaluation.result(number).measured
    stage.get(AlignModel).choose("datums")
    assert stage.parts["align"].bench.report.isVisible()
    stage.parts["align"].bench.report.click()
    settle()
    assert s.plan.characteristic(number).alignment == "datums"
    theirs = s.evaluation.result(number).measured
    assert 1e-5 < abs(theirs - ours) < 0.1
    stage.parts["align"].bench.report.click()
    settle()
    assert s.evaluation.result(number).measured == ours


def test_features_that_cannot_be_picked_are_added_by_name(stage, settle):
    stage.get(AlignModel).choose("holes")
    panel = stage.parts["align"].bench.kind
    panel.features.setCurrentText("mounting hole 1")  # there already: taken out
    panel.features.activated.emit(1)
    assert len(stage.get(AlignModel).own.points) == 5
    panel.features.setCurrentText("top face")
    panel.features.activated.emit(1)
    assert "gives no point" in stage.notices[-1].text
    panel.features.setCurrentText("cross bore")
    panel.features.activated.emit(1)
    assert stage.get(AlignModel).own.points[-1].feature == "cross-bore"
