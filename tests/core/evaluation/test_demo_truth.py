"""The demo inspection finds the errors that were injected (truth file), and nothing else."""

import numpy as np
import pytest

from truegauge.core.nodes.features import CoverageOf
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.sections import DimensionIn
from truegauge.core.nodes.spots import SpotAt
from truegauge.core.tolerancing.judgement import State


def value(evaluation, number):
    (result,) = [r for r in evaluation.results if r.characteristic.number == number]
    return result.measured


def error(truth, name):
    (found,) = [e for e in truth["errors"] if e["name"] == name]
    return found


# number of the characteristic, error, key of its truth, tolerance of the comparison (mm)
CASES = [
    (4, "main bore large", "diameter", 0.0005),
    (7, "cross bore tilted", "diameter", 0.001),
    (13, "bolt hole 4 displaced", "axis_distance_to_main_bore", 0.002),
    (14, "boss small", "diameter", 0.0015),
    (16, "slot wide", "width", 0.001),
    (1, "base dished", "flatness", 0.008),
    (2, "side B leaning", "perpendicularity", 0.008),
]


@pytest.mark.parametrize(("number", "name", "key", "tolerance"), CASES)
def test_an_injected_error_is_measured(evaluation, truth, number, name, key, tolerance):
    assert value(evaluation, number) == pytest.approx(error(truth, name)[key], abs=tolerance)


def test_the_tilt_of_the_cross_bore_is_measured_over_its_length(evaluation, evaluator, plan, truth):
    length = evaluator.nominal(plan.feature("cross-bore").faces).length
    # The side that it is measured to leans as well, across the tilt of the bore.
    angle = np.hypot(error(truth, "cross bore tilted")["angle_rad"], error(truth, "side B leaning")["angle_rad"])
    expected = np.sin(angle) * length
    assert value(evaluation, 9) == pytest.approx(expected, abs=0.003)


def test_the_ball_socket_diameter_is_measured(evaluation, truth):
    assert value(evaluation, 15) == pytest.approx(2 * error(truth, "socket large")["radius"], abs=0.002)


def test_sound_features_measure_their_nominal(evaluation):
    assert value(evaluation, 12) == pytest.approx(30.0, abs=0.004)
    assert value(evaluation, 17) == pytest.approx(6.6, abs=0.002)
    assert value(evaluation, 18) == pytest.approx(120.0, abs=0.002)


def test_the_states_are_those_that_the_truth_asks_for(evaluation):
    outside = {r.characteristic.number for r in evaluation.results if r.state == State.OUTSIDE}
    assert outside == {13, 14, 20}


def test_the_map_shows_the_bump_on_the_shroud(evaluator, plan, sample, evaluation, truth):
    found = evaluator.deviation_map(plan, sample)
    assert not isinstance(found, NotComputed)
    bump = error(truth, "shroud bump")
    mesh, values = found.fine, found.fine_values
    on = np.isin(mesh.vertex_face, bump["faces"])
    distance = np.hypot(mesh.vertices[on, 0] - bump["x"], mesh.vertices[on, 2] - bump["z"])
    assert np.nanmax(values[on]) == pytest.approx(bump["height"], abs=0.012)
    assert np.nanmedian(np.abs(values[on][distance > 25])) < 0.012
    assert np.isnan(values).any()  # hidden regions have no data


def test_the_pose_is_the_one_that_the_scan_was_made_in(evaluation, truth, model):
    expected = np.array(truth["part_from_scan"])
    got = evaluation.alignment.part_from_scan
    # The injected errors pull the best fit by micrometres.
    at = model.box.mean(axis=0)
    back = expected[:3, :3].T @ (at - expected[:3, 3])
    assert np.linalg.norm(got[:3, :3] @ back + got[:3, 3] - at) < 0.01


def test_a_feature_with_too_few_points_has_a_reason_and_others_still_work(evaluator, plan, sample):
    tight = plan.replace(extraction=plan.extraction.replace(reach=1e-9))
    result = evaluator.evaluate(tight, sample)
    # What is read off the surface itself, without a feature, does not depend on it.
    assert all((r.state == State.NOT_MEASURED) == (r.characteristic.number < 29) for r in result.results)
    assert "a plane needs 3" in result.results[0].reason
    assert result.results[0].reason.startswith("base A: ")


@pytest.mark.parametrize(
    ("number", "expected"),
    [(4, 42.012), (7, 24.0), (14, 29.978), (15, 24.016), (17, 6.6), (19, 5.5), (12, 30.0), (13, 30.18), (18, 120.0)],
)
def test_what_was_injected_is_found_as_closely_as_noise_and_coverage_allow(
    evaluation, evaluator, plan, sample, number, expected
):
    """Five standard deviations of the associations, which know noise and number of points, over the share seen."""
    (result,) = [r for r in evaluation.results if r.characteristic.number == number]
    groups = [plan.feature(f).group for f in result.characteristic.features]
    own = [evaluator.measured(plan, sample, g).fit.standard_deviation("radius") for g in groups]
    seen = min(evaluator.context(plan, sample).get(CoverageOf(g)) for g in groups)
    assert result.measured == pytest.approx(expected, abs=5 * 2 * np.hypot.reduce(own) / seen)


def test_the_bump_and_the_bore_in_a_section_are_found_within_their_noise(evaluation, evaluator, plan, sample, truth):
    spot = evaluator.context(plan, sample).get(SpotAt(plan.spots[0]))
    assert spot.value == pytest.approx(error(truth, "shroud bump")["height"], abs=5 * 1.25 * spot.random)
    assert value(evaluation, 29) == spot.value
    bore = evaluator.context(plan, sample).get(DimensionIn(plan.sections[0].dimensions[0]))
    (fitted,) = bore.fitted
    expected = error(truth, "main bore large")["diameter"]
    assert bore.value == pytest.approx(expected, abs=5 * 2 * fitted.scatter / np.sqrt(fitted.points))
