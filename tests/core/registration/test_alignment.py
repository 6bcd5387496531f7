"""Alignment from any pose, against poses and errors that are known."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.clouds.extent import unit_doubt
from truegauge.core.clouds.prepared import prepare
from truegauge.core.errors import Cancelled, RegistrationError
from truegauge.core.frames import apply, invert, random_rigid
from truegauge.core.registration.align import align
from truegauge.demo.scan_maker import ScanSettings, make_scan


@pytest.fixture(scope="module")
def clean(model, projector):
    """A scan without injected errors, with table and outliers."""
    return make_scan(model, projector, ScanSettings(points=60_000, seed=3))


def corners(model):
    low, high = model.box
    return np.array([[x, y, z] for x in (low[0], high[0]) for y in (low[1], high[1]) for z in (low[2], high[2])])


@pytest.mark.parametrize("seed", range(6))
def test_any_starting_pose_is_found_to_the_noise_of_the_points(model, projector, clean, seed):
    points, truth = clean
    move = random_rigid(np.random.default_rng(seed), 400)
    result = align(prepare(apply(move, points)), model, projector)
    expected = np.array(truth["part_from_scan"]) @ invert(move)
    back = apply(invert(expected), corners(model))
    # 55,000 points of 0.008 mm: some 0.0001 mm at the corners; float32 in the file adds about as much.
    assert_allclose(apply(result.part_from_scan, back), corners(model), rtol=0, atol=0.001)
    assert result.trusted
    assert 0.007 < result.rms < 0.009


def test_table_and_outliers_are_left_out_and_counted(model, projector, clean):
    points, truth = clean
    result = align(prepare(points), model, projector)
    assert abs(int(result.table.sum()) - truth["points"]["table"]) < 0.02 * truth["points"]["table"]
    assert result.points_used <= truth["points"]["part"] * 1.001
    assert result.points_used > 0.97 * truth["points"]["part"]
    assert not (result.used & result.table).any()


def test_a_part_lying_on_the_table_is_aligned(model, projector):
    points, truth = make_scan(
        model, projector, ScanSettings(points=40_000, seed=5, table_z=0.0, table_share=0.3,
                                       hidden=lambda p, f: p[:, 2] < 1e-6)
    )  # fmt: skip
    result = align(prepare(points), model, projector)
    back = apply(invert(np.array(truth["part_from_scan"])), corners(model))
    assert_allclose(apply(result.part_from_scan, back), corners(model), rtol=0, atol=0.005)


def test_a_scan_from_one_side_is_aligned(model, projector):
    points, truth = make_scan(
        model, projector, ScanSettings(points=40_000, seed=6, hidden=lambda p, f: (p[:, 2] < 10) | (p[:, 0] < 30))
    )
    result = align(prepare(points), model, projector)
    back = apply(invert(np.array(truth["part_from_scan"])), corners(model))
    assert_allclose(apply(result.part_from_scan, back), corners(model), rtol=0, atol=0.005)


def test_the_same_points_give_the_same_digits(model, projector, clean):
    first, second = (align(prepare(clean[0]), model, projector) for _ in range(2))
    assert np.array_equal(first.part_from_scan, second.part_from_scan)
    assert first.rms == second.rms


def test_a_scan_of_another_part_is_not_trusted_and_says_why(model, projector, rng):
    direction = rng.normal(size=(30_000, 3))
    direction /= np.linalg.norm(direction, axis=1, keepdims=True)
    egg = direction * [80, 45, 30] + rng.normal(0, 0.01, (30_000, 3))
    result = align(prepare(egg), model, projector)
    assert not result.trusted
    assert any("another part" in doubt for doubt in result.doubts)


def test_too_few_points_are_refused(model, projector, rng):
    with pytest.raises(RegistrationError, match="needs 100"):
        align(prepare(rng.normal(size=(40, 3))), model, projector)


def test_sizes_that_speak_for_another_unit_are_noticed():
    assert unit_doubt(7.0, 177.0).unit == "inch"
    assert unit_doubt(0.178, 177.0).unit == "m"
    assert unit_doubt(17.9, 177.0).unit == "cm"
    wrongly_inch = unit_doubt(177.0 * 25.4, 177.0, "inch")
    assert (wrongly_inch.unit, "look like mm" in wrongly_inch.text) == ("mm", True)
    assert unit_doubt(0.2, None).unit == "m"
    assert unit_doubt(177.0, None) is None
    assert unit_doubt(190.0, 177.0) is None
    assert unit_doubt(40.0, 177.0) is None  # a scan of a small region


@pytest.mark.parametrize("calls", [0, 3, 9])
def test_alignment_can_be_cancelled_at_any_report(model, projector, clean, calls):
    seen = []

    def progress(fraction, text=""):
        seen.append(fraction)
        if len(seen) > calls:
            raise Cancelled

    with pytest.raises(Cancelled):
        align(prepare(clean[0]), model, projector, progress=progress)
    assert len(seen) == calls + 1
