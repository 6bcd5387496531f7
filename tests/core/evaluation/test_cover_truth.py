"""The second demo: a formed thin panel, aligned by its whole shape and then by its holes."""

import json

import numpy as np
import pytest

from truegauge import demo
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.formats.plan_file import model_of_plan, read_plan
from truegauge.formats.sample_file import open_sample


@pytest.fixture(scope="module")
def cover():
    file = read_plan(demo.COVER_PLAN)
    evaluator = Evaluator(model_of_plan(demo.COVER_PLAN, file))
    sample = open_sample(demo.COVER_SCAN)[0]
    evaluation = evaluator.evaluate(file.plan, sample)
    return evaluation, json.loads(demo.COVER_TRUTH.read_text())


def test_the_cover_is_measured_as_it_was_made(cover):
    evaluation, truth = cover
    value = {r.characteristic.number: r.measured for r in evaluation.results}
    errors = {e["name"]: e for e in truth["errors"]}
    moved, sagged = errors["hole 4 displaced"], errors["dome sagged"]["middle"]
    # Holes of a thin sheet: some 60 points with 0.010 mm of noise hold each centre to 2 micrometres.
    assert value[11] - 208.0 == pytest.approx(moved["dx"], abs=0.008)
    assert value[12] - 150.0 == pytest.approx(moved["dy"], abs=0.008)
    assert value[4] == pytest.approx(errors["hole 2 large"]["diameter"], abs=0.010)
    for k in (1, 2, 3, 5, 6):
        assert value[3 * k - 1] == pytest.approx([12, 95, 208, 208, 118, 12][k - 1], abs=0.010)
    assert value[19] == pytest.approx(moved["position"], abs=0.03)
    assert value[20] == pytest.approx(2 * abs(sagged), abs=0.03)
    for number in range(22, 31):
        assert value[number] == pytest.approx(sagged, abs=0.02)
    assert value[31] == pytest.approx(sagged, abs=0.02)
    height = next(r for r in evaluation.results if r.characteristic.number == 32)
    assert height.deviation == pytest.approx(sagged, abs=0.01)
    assert all(r.measured is not None for r in evaluation.results)


def test_the_sheet_is_not_taken_for_its_other_side(cover):
    evaluation, truth = cover
    whole, holes = (evaluation.alignments[a].part_from_scan for a in ("a1", "holes"))
    true = np.array(truth["part_from_scan"])
    for pose, off in ((whole, 0.15), (holes, 0.02)):
        motion = pose @ np.linalg.inv(true)
        corners = np.array([[0, 0, 0, 1], [220, 0, 0, 1], [0, 160, 0, 1], [220, 160, 17, 1.0]])
        assert np.abs((corners @ motion.T - corners)[:, :3]).max() < off
