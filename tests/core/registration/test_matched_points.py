"""Alignment by matched points: closed forms, pairing without names, and its refusals."""

import numpy as np
import pytest

from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, invert, random_rigid
from truegauge.core.registration.matched_points import match_points, pairs_by_geometry, pairs_by_name

POINTS = np.array([[0, 0, 0], [120, 5, 0], [118, 80, 12], [4, 76, 3], [60, 40, 55], [30, 70, 20.0]])
NAMES = [f"P{k}" for k in range(6)]


def elsewhere(seed, scale=1.0):
    pose = random_rigid(np.random.default_rng(seed), 300)
    return invert(pose), apply(pose, POINTS) / scale


def test_exact_points_give_the_pose_exactly():
    part_from_base, measured = elsewhere(1)
    found = match_points(POINTS, measured, NAMES)
    np.testing.assert_allclose(found.part_from_base, part_from_base, rtol=0, atol=1e-11)
    assert found.largest < 1e-10
    assert found.freedoms.held == 6
    assert found.surplus == 12


def test_scale_is_found_when_it_may_be_and_shows_as_deviations_when_not():
    _, measured = elsewhere(2, scale=1.0004)
    free = match_points(POINTS, measured, NAMES, with_scale=True)
    assert abs(free.scale - 1.0004) < 1e-12
    assert free.rms < 1e-10
    assert match_points(POINTS, measured, NAMES).rms > 0.01
    assert any("1.000400" in n for n in free.notes)


def test_weights_per_axis_let_a_point_slide():
    """A point that counts only along z may lie anywhere in x and y."""
    _, measured = elsewhere(3)
    wrong = measured.copy()
    weights = np.ones((6, 3))
    pose, _ = elsewhere(3)
    wrong[4] += 3.0 * pose[:3, :3].T @ np.array([1.0, 0, 0])
    weights[4] = [0, 0, 1]
    found = match_points(POINTS, wrong, NAMES, weights=weights)
    np.testing.assert_allclose(found.part_from_base, pose, rtol=0, atol=1e-9)
    assert abs(found.targets[4].deviation[0] - 3.0) < 1e-9
    assert found.targets[4].held == "z"
    scaled = match_points(POINTS, wrong / 1.001, NAMES, weights=weights, with_scale=True)
    assert abs(scaled.scale - 1.001) < 1e-9


def test_the_worst_point_is_suggested_and_kept():
    part_from_base, measured = elsewhere(4)
    measured[2] += [0.4, 0.0, 0.3]
    measured += np.random.default_rng(0).normal(0, 0.003, measured.shape)
    found = match_points(POINTS, measured, NAMES)
    assert found.suggestion == "P2"
    assert all(t.used for t in found.targets)
    without = match_points(POINTS, measured, NAMES, used=np.arange(6) != 2)
    assert without.rms < 0.2 * found.rms
    assert without.targets[2].length > 0.4
    assert np.abs(without.part_from_base - part_from_base).max() < 0.05


def test_points_find_their_partners_by_their_distances():
    rng = np.random.default_rng(5)
    nominal = rng.uniform(0, 150, (12, 3))
    shuffled = rng.permutation(12)[:9]
    pose = random_rigid(rng, 200)
    measured = apply(pose, nominal[shuffled] + rng.normal(0, 0.02, (9, 3)))
    measured = np.vstack([measured, rng.uniform(0, 150, (3, 3))])  # and three that belong to nothing
    a, b, others = pairs_by_geometry(nominal, measured, tolerance=0.3)
    assert {(int(i), int(j)) for i, j in zip(a, b, strict=True)} == {(int(s), k) for k, s in enumerate(shuffled)}
    assert others == 0


def test_a_symmetrical_pattern_says_that_there_are_other_ways():
    angle = np.radians(60 * np.arange(6))
    circle = np.column_stack([30 * np.cos(angle), 30 * np.sin(angle), 0 * angle])
    a, _, others = pairs_by_geometry(circle, apply(random_rigid(np.random.default_rng(1), 9), circle), tolerance=0.1)
    assert len(a) == 6
    assert others == 11  # six turns, and each turned over


def test_names_pair_without_regard_to_case_and_spaces():
    a, b = pairs_by_name(["Hole 1", "Hole 2", "Ball"], ["ball", "HOLE1", "other"])
    assert list(zip(a.tolist(), b.tolist(), strict=True)) == [(0, 1), (2, 0)]
    with pytest.raises(RegistrationError, match="two measured points have the name"):
        pairs_by_name(["a"], ["b", "B"])


@pytest.mark.parametrize(
    ("nominal", "measured", "words"),
    [
        (POINTS[:2], POINTS[:2], "2 matched points"),
        (np.outer([0, 1, 2.0], [1, 2, 3]), np.outer([0, 1, 2.0], [1, 2, 3]), "on one line"),
        (POINTS, POINTS * [1, 1, -1], "mirror"),
        (POINTS, np.ones((6, 3)), "in one place"),
    ],
)
def test_points_that_give_no_pose_are_refused_in_words(nominal, measured, words):
    with pytest.raises(RegistrationError, match=words):
        match_points(nominal, measured, NAMES[: len(nominal)])


def test_weights_of_nothing_leave_a_freedom_open_and_say_so():
    weights = np.tile([1.0, 1.0, 0.0], (6, 1))
    found = match_points(POINTS, POINTS, NAMES, weights=weights)
    assert found.freedoms.free == ("shift along z",)
    assert any("shift along z" in d for d in found.doubts)
