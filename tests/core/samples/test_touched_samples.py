"""Samples of touches: made up on the nominal part, moved as a whole, and evaluated."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.evaluation.touch_needs import axis_about
from truegauge.core.frames import apply, invert, random_rigid, rotate
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import GivenAlignment
from truegauge.core.routes.on_faces import on_faces
from truegauge.core.routes.places import FeatureToTouch, Surface
from truegauge.core.routes.usual import usual_strategy
from truegauge.core.samples.document import ProbedTouch, SampleData, Touch
from truegauge.core.samples.sample import Sample
from truegauge.core.samples.words import touch_notes, touch_warning
from truegauge.demo.cmm_plan import cmm_plan

POSE = random_rigid(np.random.default_rng(12), 300.0)  # machine_from_part
RADIUS = 1.5


def touched(evaluator, plan, shift=None, names=(), **about):
    """Return touches of every feature (or those named), each at its places moved by shift(name)."""
    found = []
    for f in plan.features:
        if names and f.name not in names:
            continue
        nominal = evaluator.nominal(f.group)
        nominal = None if isinstance(nominal, NotComputed) else nominal
        axis = axis_about(evaluator.context(plan, None), f.id)
        own = FeatureToTouch(f.id, f.name, f.faces, nominal, axis)
        surface = Surface(evaluator.model, evaluator.projector, own)
        places, _, _ = on_faces(surface, usual_strategy(own), RADIUS + 1.0)
        at = places.points + (np.zeros(3) if shift is None else shift(f.name))
        rows = places.rows.tolist()
        centers = apply(POSE, at + RADIUS * places.normals)
        # Nobody comes quite square.
        approach = rotate(POSE, -places.normals) + np.random.default_rng(3).normal(0, 0.03, at.shape)
        approach /= np.linalg.norm(approach, axis=1)[:, None]
        found += [
            ProbedTouch(place=tuple(c), approach=tuple(a), radius=RADIUS, feature=f.id, stylus="A", row=row, **about)
            for c, a, row in zip(centers.tolist(), approach.tolist(), rows, strict=True)
        ]
    return tuple(found)


def sample_of(probed=(), touches=(), key="t"):
    return Sample.of(SampleData(name="touched", probed=probed, touches=touches), origin=key)


@pytest.fixture(scope="module")
def plans(model):
    plan = cmm_plan(model)
    given = GivenAlignment(id="given", name="given", matrix=tuple(invert(POSE).ravel().tolist()))
    return plan, plan.replace(alignments=(given,), in_force="given")


def test_a_perfect_part_has_no_deviations_whatever_the_way_of_touching(evaluator, plans):
    _, plan = plans
    evaluation = evaluator.evaluate(plan, sample_of(touched(evaluator, plan), key="perfect"))
    for r in evaluation.results:
        assert r.measured is not None, (r.characteristic.name, r.reason)
        assert abs(r.measured - r.characteristic.nominal) < 2e-6, r.characteristic.name
    assert evaluation.cloud.touched is not None


def test_a_displaced_hole_is_found_where_it_is(evaluator, plans):
    _, plan = plans

    def shift(name):
        return np.array([0.1, 0.0, 0.0]) if name == "bolt hole 1" else np.zeros(3)

    moved = touched(evaluator, plan, shift)
    evaluation = evaluator.evaluate(plan, sample_of(moved, key="displaced"))
    (measured,) = (r for r in evaluation.results if r.characteristic.name == "bolt hole 1 to main bore")
    # The hole is at 30 degrees on a circle of radius 30.
    expected = np.hypot(30 * np.cos(np.pi / 6) + 0.1, 30 * np.sin(np.pi / 6))
    assert measured.measured == pytest.approx(expected, abs=2e-6)


def test_what_is_not_touched_says_so_and_the_rest_is_evaluated(evaluator, plans):
    _, plan = plans
    evaluation = evaluator.evaluate(plan, sample_of(touched(evaluator, plan, names=("main bore",)), key="one"))
    found = {r.characteristic.name: r for r in evaluation.results}
    assert found["main bore"].measured == pytest.approx(42.0, abs=1e-6)
    assert found["cross bore"].reason.endswith("not touched yet")


def test_seven_touches_and_datums_give_the_pose(evaluator, plans):
    plan, _ = plans
    touches = []
    for t in plan.alignments[0].targets:
        center = apply(POSE, np.array(t.place) + RADIUS * np.array(t.direction))
        approach = rotate(POSE, -np.array(t.direction) + np.array([0.04, -0.03, 0.02]))
        touches.append(Touch(target=t.name, place=tuple(center.tolist()), radius=RADIUS,
                             approach=tuple((approach / np.linalg.norm(approach)).tolist())))  # fmt: skip
    by_hand = evaluator.alignment(plan, sample_of(touches=tuple(touches), key="seven"), "touches")
    assert_allclose(by_hand.part_from_scan, invert(POSE), atol=1e-6)
    both = sample_of(touched(evaluator, plan, names=("base A", "side B", "side C")), tuple(touches), key="refined")
    refined = evaluator.alignment(plan, both, "abc")
    assert_allclose(refined.part_from_scan, invert(POSE), atol=1e-6)


def test_results_and_report_say_what_was_touched_with_a_stylus_not_qualified(evaluator, plans):
    _, plan = plans
    probed = touched(evaluator, plan, names=("main bore",), qualified=False, warning="not qualified: never")
    sample = sample_of(probed, key="unqualified")
    evaluation = evaluator.evaluate(plan, sample)
    (bore,) = (r for r in evaluation.results if r.characteristic.name == "main bore")
    assert bore.warning == "touched with a stylus that is not qualified (A)"
    assert touch_warning(sample, {"nothing"}) == ""
    assert touch_notes(sample)[0] == "12 touches with A"
    assert "measured with all the same as the plan allows: A, 12 touches" in touch_notes(sample)[1]
    assert touch_notes(sample_of()) == ()
