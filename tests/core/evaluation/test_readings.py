"""Spot checks, sections, comparisons and extraction settings as parts of a plan."""

import numpy as np
import pytest

from truegauge.core.authoring.readings import (
    NamedPlace,
    SpotWish,
    add_compared,
    add_spots,
    parallel_sections,
    places_along,
    places_on_grid,
    sections_around,
)
from truegauge.core.characteristics.registry import KINDS
from truegauge.core.commands.history import History
from truegauge.core.commands.readings import (
    AddDimension,
    RemoveCharacteristics,
    RemoveSection,
    SetExtraction,
    SetSections,
)
from truegauge.core.commands.requirements import RemoveCharacteristic
from truegauge.core.errors import GeometryError
from truegauge.core.frames import apply, invert
from truegauge.core.nodes.compared import ComparedReading, PointCompared
from truegauge.core.nodes.features import chosen_points, extraction_of
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.sections import section_curves
from truegauge.core.nodes.spots import SpotAt
from truegauge.core.nodes.survey import SurveyOf
from truegauge.core.plan.points import Extraction, ShapeExtraction
from truegauge.core.plan.readings import SectionDimension, Span, SpotCheck
from truegauge.core.samples.document import Touch
from truegauge.core.tolerancing.judgement import State

BUMP = (88.0, 80.0, 30.0)


@pytest.fixture
def history(plan):
    return History(plan)


def test_the_bump_is_found_at_its_place_and_everywhere_on_the_face(evaluator, plan, sample, model, projector, truth):
    bump = next(e for e in truth["errors"] if e["name"] == "shroud bump")
    faces = plan.feature("shroud").faces
    wishes = [SpotWish(BUMP, "top", lower=-0.2, upper=0.2), SpotWish(BUMP, reads="highest", faces=faces, name="high")]
    wide = add_spots(plan, model, projector, wishes).apply(plan)
    results = evaluator.evaluate(wide, sample).results[-2:]
    assert results[0].measured == pytest.approx(bump["height"], abs=0.005)
    assert results[1].measured == pytest.approx(bump["height"], abs=0.005)
    assert results[1].state == State.OUTSIDE  # 0.15 of ±0.1
    place = KINDS["spot"].anchor(evaluator.context(wide, sample), wide.characteristics[-1])
    assert np.hypot(place[0] - bump["x"], place[2] - bump["z"]) < 3.0
    assert evaluator.uncertainty(wide, sample, results[0].characteristic) == pytest.approx(0.004, abs=0.002)


def test_spot_checks_over_a_face_and_along_its_edge(evaluator, plan, sample, model, projector, evaluation):
    faces = plan.feature("base").faces
    grid = places_on_grid(model, projector, faces, 25.0)
    assert len(grid) > 10
    assert np.ptp(grid[:, 2]) < 1e-9
    apart = np.linalg.norm(grid[:, None] - grid[None], axis=2)
    assert apart[apart > 0].min() == pytest.approx(25.0)
    edge = places_along(model, projector, faces, np.array([70.0, 0.0, 0.0]), 10.0, 3.0)
    assert len(edge) == 12  # of 128 mm between the rounded corners
    assert edge[:, 1] == pytest.approx(np.full(12, 3.0))
    places = [*grid[:3], *edge[:2]]
    wide = add_spots(plan, model, projector, [SpotWish(tuple(p)) for p in places]).apply(plan)
    results = evaluator.evaluate(wide, sample).results[-5:]
    assert all(r.state == State.WITHIN and abs(r.measured) < 0.03 for r in results)
    with pytest.raises(GeometryError, match="at most 2000"):
        places_on_grid(model, projector, faces, 0.5)
    with pytest.raises(GeometryError, match="above zero"):
        places_along(model, projector, faces, np.zeros(3), 0.0, 1.0)


def test_places_far_from_the_part_are_refused_and_near_ones_put_on_it(plan, model, projector):
    with pytest.raises(GeometryError, match="spot check P7: its place lies"):
        add_spots(plan, model, projector, [SpotWish((0.0, 0.0, 400.0), "P7")])
    near = add_spots(plan, model, projector, [SpotWish((100.0, 15.0, 49.0))]).spots[0]
    assert near.place == pytest.approx((100.0, 15.0, 48.0), abs=2.0)
    assert near.normal == pytest.approx((0, 0, 1))


def test_where_nothing_was_scanned_a_spot_check_says_so(evaluator, plan, sample, model, projector):
    under = SpotWish((30.0, 16.0, 0.0), "under a support")
    wide = add_spots(plan, model, projector, [under]).apply(plan)
    result = evaluator.evaluate(wide, sample).results[-1]
    assert result.state == State.NOT_MEASURED
    assert "under a support: 0 points near the place, a spot check needs 3 within 1 mm" in result.reason


def test_what_is_read_goes_with_its_last_characteristic_and_comes_back(history, model, projector):
    plan = history.plan
    history.run(add_spots(plan, model, projector, [SpotWish(BUMP), SpotWish(BUMP)]))
    first, second = history.plan.characteristics[-2:]
    history.run(RemoveCharacteristic(first.id))
    assert len(history.plan.spots) == len(plan.spots) + 1
    history.run(RemoveCharacteristics(frozenset({second.id})))
    assert history.plan.spots == plan.spots
    for _ in range(3):
        history.undo()
    assert history.plan == plan


def test_a_dimension_of_a_section_is_a_characteristic_and_goes_with_the_section(history, evaluator, sample):
    (section,) = parallel_sections(history.plan, np.array([0, 0, 7.0]), np.array([0.0, 0, 1.0]), 1, 1.0)
    history.run(SetSections((section,)))
    spans = (Span(at=(124.0, 45.0), reach=6.0), Span(at=(136.0, 45.0), reach=6.0))
    slot = SectionDimension(id="d9", name="slot", kind="aligned", spans=spans)
    c = history.plan.characteristics[-1].replace(
        id="c99", number=99, name="slot in the section", kind="section_aligned", features=("d9",), nominal=12.0,
        lower=0.0, upper=0.05,
    )  # fmt: skip
    before = history.plan
    history.run(AddDimension(section.id, slot, c))
    result = evaluator.evaluate(history.plan, sample).results[-1]
    assert result.measured == pytest.approx(12.030, abs=0.004)  # injected: 0.030 wide
    assert evaluator.uncertainty(history.plan, sample, c) < 0.01
    history.undo()
    assert history.plan == before
    history.redo()
    history.run(RemoveSection(section.id))
    assert "c99" not in {x.id for x in history.plan.characteristics}


def test_sections_in_a_row_and_around_an_axis(plan, evaluator, sample):
    rows = parallel_sections(plan, np.array([0, 0, 10.0]), np.array([0.0, 0, 1.0]), 3, 5.0)
    assert [s.origin[2] for s in rows] == [10.0, 15.0, 20.0]
    assert len({s.name for s in rows}) == 3
    around = sections_around(plan, np.array([58.0, 45.0, 30.0]), np.array([0.0, 0, 1.0]), 4)
    angles = [np.degrees(np.arctan2(s.across[1], s.across[0])) % 180 for s in around]
    assert np.diff(angles) == pytest.approx([45, 45, 45])
    curves = section_curves(evaluator.context(plan, sample), around[0])
    walls = np.abs(np.abs(curves.nominal.flat[:, 0]) - 21.0) < 1e-6  # the bore on both sides of its axis
    assert walls.sum() > 10


def test_points_are_compared_by_name_and_follow_the_alignment(evaluator, plan, sample, evaluation):
    part_from_scan = evaluation.alignment.part_from_scan
    touched = apply(invert(part_from_scan), np.array([[10.02, 20.0, 59.97]]))[0]
    touches = (Touch(target="P1", place=tuple(touched)), Touch(target="P9", place=(0.0, 0.0, 0.0)))
    with_touches = sample.with_named(touches)
    places = [NamedPlace("p1", (10.0, 20.0, 60.0), (0.0, 0.0, 1.0)), NamedPlace("bolt hole 4", (28.0, 45.0, 53.0)),
              NamedPlace("nowhere", (0.0, 0.0, 0.0))]  # fmt: skip
    wide = add_compared(plan, places, ("x", "y", "z", "total", "normal")).apply(plan)
    results = {r.characteristic.name: r for r in evaluator.evaluate(wide, with_touches).results[30:]}
    assert results["p1 dx"].measured == pytest.approx(0.02, abs=1e-6)
    assert results["p1 dz"].measured == pytest.approx(-0.03, abs=1e-6)
    assert results["p1 distance"].measured == pytest.approx(np.hypot(0.02, 0.03), abs=1e-6)
    assert results["p1 along the normal"].measured == pytest.approx(-0.03, abs=1e-6)
    assert "no touch and no feature is named nowhere" in results["nowhere dx"].reason
    assert "bolt hole 4 along the normal" not in results  # it has none
    by_datums = wide.replace(in_force="datums")
    moved = evaluator.context(by_datums, with_touches).get(PointCompared(wide.compared[0]))
    assert isinstance(moved, ComparedReading)
    assert 1e-4 < np.linalg.norm(moved.delta - [0.02, 0, -0.03]) < 0.1


def test_settings_of_extraction_hold_for_a_feature_then_its_shape_then_the_plan(evaluator, history, sample):
    bore, base = history.plan.feature("main-bore").faces, history.plan.feature("base").faces
    tight = Extraction(reach=0.1, edge_margin=3.0)
    history.run(SetExtraction(tight, shape="cylinder"))
    assert extraction_of(evaluator.context(history.plan, None), bore) == tight
    assert extraction_of(evaluator.context(history.plan, None), base) == history.plan.extraction
    own = Extraction(reach=0.2)
    history.run(SetExtraction(own, feature="main-bore"))
    assert extraction_of(evaluator.context(history.plan, None), bore) == own
    assert extraction_of(evaluator.context(history.plan, None), history.plan.feature("cross-bore").faces) == tight
    history.run(SetExtraction(None, feature="main-bore"))
    assert extraction_of(evaluator.context(history.plan, None), bore) == tight
    plain = history.plan.replace(extraction_of_shapes=())
    few, many = (chosen_points(evaluator.context(p, sample), bore) for p in (history.plan, plain))
    assert len(few.rows) < len(many.rows)
    assert len(few.near_edge) > len(many.near_edge)
    every = np.concatenate([few.rows, few.too_far, few.near_edge, few.turned_away])
    assert len(np.unique(every)) == len(every)


def test_points_whose_neighbours_lie_aslant_are_left_out(evaluator, plan, sample):
    faces = plan.feature("top").faces
    own = ShapeExtraction(shape="plane", extraction=Extraction(max_angle=np.radians(3.0)))
    strict = chosen_points(evaluator.context(plan.replace(extraction_of_shapes=(own,)), sample), faces)
    loose = chosen_points(evaluator.context(plan, sample), faces)
    assert 0 < len(strict.turned_away) < 0.9 * len(loose.rows)
    assert len(loose.turned_away) == 0


def test_little_coverage_is_a_warning_on_the_result(evaluator, plan, sample, evaluation):
    assert all(0.4 < r.coverage <= 1 for r in evaluation.results if r.coverage is not None)
    assert not any(r.warning for r in evaluation.results)
    wary = plan.replace(extraction=plan.extraction.replace(low_coverage=0.7))
    warned = {r.characteristic.number: r.warning for r in evaluator.evaluate(wary, sample).results if r.warning}
    assert set(warned) == {12, 13, 19, 20, 21, 22}  # the bolt holes: the scanner does not see their depth
    assert warned[13].startswith("points on only ")
    assert warned[13].endswith("% of bolt hole 4")


def test_every_face_has_its_measured_counterpart(evaluator, plan, sample, truth):
    bore = evaluator.context(plan, sample).get(SurveyOf(plan.feature("main-bore").faces))
    assert 2 * bore.feature.parameters["radius"] == pytest.approx(42.012, abs=0.001)
    assert bore.coverage > 0.95
    shroud = evaluator.context(plan, sample).get(SurveyOf(plan.feature("shroud").faces))
    assert shroud.feature is None
    assert shroud.greatest > 0.08
    assert evaluator.known_survey(plan, sample, plan.feature("shroud").faces) is shroud


def test_spot_checks_that_make_no_sense_are_refused():
    with pytest.raises(ValueError, match="points nowhere"):
        SpotCheck(id="s", name="s", place=(0, 0, 0), normal=(0, 0, 0))
    with pytest.raises(ValueError, match="needs an area or faces"):
        SpotCheck(id="s", name="s", place=(0, 0, 0), normal=(0, 0, 1), reads="highest")
    with pytest.raises(ValueError, match="takes two spans"):
        SectionDimension(id="d", name="d", kind="angle", spans=(Span(at=(0, 0)),))


def test_without_a_sample_nothing_is_read(evaluator, plan):
    assert isinstance(evaluator.context(plan, None).get(SpotAt(plan.spots[0])), NotComputed)
    assert isinstance(section_curves(evaluator.context(plan, None), plan.sections[0]).measured, NotComputed)
