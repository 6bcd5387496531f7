"""Where devices stand: joined by reference points, drift, and what is refused."""

import numpy as np
import pytest

from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, invert, random_rigid
from truegauge.core.samples.document import Placed, ReferencePoint, SampleAbout
from truegauge.core.samples.stations import drift, joined_by_references, placed_at, sample_from_device


def references(places):
    return tuple(ReferencePoint(name=f"R{k + 1}", place=tuple(p)) for k, p in enumerate(places.tolist()))


@pytest.mark.parametrize("seed", range(5))
def test_a_device_is_joined_by_the_points_that_both_have_measured(seed):
    rng = np.random.default_rng(seed)
    places, pose = rng.uniform(-500, 500, (int(rng.integers(3, 9)), 3)), random_rigid(rng, 3000.0)
    measured = apply(invert(pose), places) + rng.normal(0, 0.01, places.shape)
    found, adjustment = joined_by_references(references(places), measured)
    apart = apply(found, apply(invert(pose), places)) - places
    assert np.abs(apart).max() < 0.06
    assert adjustment.rms < 0.04
    # Nobody fits them better: least squares by brute force.
    best = np.sum((apply(found, measured) - places) ** 2)
    for _ in range(60):
        other = random_rigid(rng, 1e-3)
        turn = np.eye(4)
        turn[:3, :3] += 1e-6 * (other[:3, :3] - other[:3, :3].T)
        turn[:3, 3] = 0.01 * rng.normal(size=3)
        assert np.sum((apply(turn, apply(found, measured)) - places) ** 2) >= best * (1 - 1e-6)


def test_fewer_than_three_points_and_points_on_a_line_are_refused():
    line = np.array([[0.0, 0, 0], [100, 0, 0], [200, 0, 0]])
    with pytest.raises(RegistrationError, match="2 reference points; three"):
        joined_by_references(references(line), line[:2])
    with pytest.raises(RegistrationError, match="line"):
        joined_by_references(references(line), line)


def test_seats_in_another_order_are_refused_by_the_worst_of_them():
    places = np.random.default_rng(2).uniform(-300, 300, (4, 3))
    with pytest.raises(RegistrationError, match=r"R\d is \d+\.\d mm off; was another seat touched"):
        joined_by_references(references(places), places[[1, 0, 2, 3]] + 5.0)
    found, _ = joined_by_references(references(places), places + 5.0)
    assert np.allclose(found[:3, 3], -5.0)


def test_drift_is_told_of_the_nearest_point():
    places = np.array([[0.0, 0, 0], [100, 0, 0], [0, 100, 0]])
    own, off = drift(references(places), np.array([100.1, 0.0, -0.2]))
    assert own.name == "R2"
    assert off == pytest.approx([0.1, 0.0, -0.2])
    with pytest.raises(RegistrationError, match="no reference point"):
        drift((), np.zeros(3))


def test_the_first_device_gives_the_coordinates_and_another_one_none_until_it_is_joined():
    about = SampleAbout(device="Arm 1")
    assert np.array_equal(sample_from_device(about, "Arm 1"), np.eye(4))
    assert sample_from_device(about, "Tracker 2") is None
    assert np.array_equal(sample_from_device(SampleAbout(), "anything"), np.eye(4))
    pose = random_rigid(np.random.default_rng(1), 100.0)
    moved = placed_at(placed_at(about, "Tracker 2", np.eye(4), "by guess"), "Tracker 2", pose, "4 points")
    assert np.allclose(sample_from_device(moved, "Tracker 2"), pose, atol=1e-12)
    assert [p.by for p in moved.placed] == ["4 points"]
    # The one that gave the coordinates can be moved itself.
    again = placed_at(moved, "Arm 1", pose, "moved")
    assert np.allclose(sample_from_device(again, "Arm 1"), pose, atol=1e-12)


def test_a_placement_that_is_none_is_refused():
    with pytest.raises(ValueError, match="placement"):
        Placed(device="x", placement=(1.0, 2.0))
    bad = SampleAbout(placed=(Placed(device="x", placement=tuple(2.0 * np.eye(4).ravel())),))
    with pytest.raises(ValueError, match=r"rigid|rotation"):
        sample_from_device(bad, "x")
