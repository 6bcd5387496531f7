"""Alignment by reference points: from afar, over- and under-determined, and where it cannot be."""

import numpy as np
import pytest

from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, from_rotation_vector, invert
from truegauge.core.registration.reference_points import (
    ReferencePoint,
    align_by_reference_points,
    directions_of,
)

LENGTH = 160.0
X, Y, Z = np.eye(3)
PLACES = {
    "Z1": ([20, 15, 60], Z), "Z2": ([115, 20, 60], Z), "Z3": ([60, 75, 60], Z),
    "Y1": ([25, 0, 30], -Y), "Y2": ([110, 0, 32], -Y), "X1": ([0, 45, 30], -X),
}  # fmt: skip


def block(rng, noise=0.0, count=60_000):
    """Points on a block 140 x 90 x 60."""
    size = np.array([140.0, 90.0, 60.0])
    points = rng.uniform(0, 1, (count, 3)) * size
    axis = rng.integers(0, 3, count)
    points[np.arange(count), axis] = rng.integers(0, 2, count) * size[axis]
    return points + rng.normal(0, noise, points.shape)


def targets(names, held=""):
    made = []
    for name in names:
        place, normal = PLACES[name]
        letters = held or name[0].lower()
        made.append(ReferencePoint(name, np.array(place, dtype=float), normal, directions_of(letters, normal), letters))
    return made


def off(rng):
    turn = rng.normal(size=3)
    shift = rng.normal(size=3)
    return from_rotation_vector(np.radians(3) * turn / np.linalg.norm(turn), 5 * shift / np.linalg.norm(shift))


def test_it_converges_from_five_millimetres_and_three_degrees():
    for seed in range(6):
        rng = np.random.default_rng(seed)
        scan_from_part = off(rng)
        scan = apply(scan_from_part, block(rng))
        found = align_by_reference_points(targets(PLACES), scan, np.eye(4), length=LENGTH)
        np.testing.assert_allclose(found.part_from_base, invert(scan_from_part), rtol=0, atol=1e-9)
        assert found.largest < 1e-9
        assert found.freedoms.held == 6
        assert "X1" in found.freedoms.holders[0]
        assert set(found.freedoms.holders[5].split()) == {"Y1", "Y2"}


def test_noise_on_the_surface_is_averaged_around_each_point():
    rng = np.random.default_rng(9)
    scan = block(rng, noise=0.02, count=200_000)
    found = align_by_reference_points(targets(PLACES), scan, off(np.random.default_rng(1)), length=LENGTH)
    assert np.abs(apply(found.part_from_base, np.array([70.0, 45, 30])) - [70, 45, 30]).max() < 0.02


def test_directions_to_spare_are_shared_and_said():
    rng = np.random.default_rng(2)
    scan = block(rng)
    scan[(np.abs(scan - [60, 75, 60]) < [8, 8, 0.01]).all(axis=1), 2] += 0.3  # a pad stands out at Z3
    more = targets(PLACES)
    more.append(ReferencePoint("Z4", np.array([70.0, 45, 60]), Z, directions_of("z", Z), "z"))
    found = align_by_reference_points(more, scan, np.eye(4), length=LENGTH)
    assert found.surplus == 1
    assert any("7 held directions for 6 freedoms: 1 to spare" in n for n in found.notes)
    assert 0.02 < found.largest < 0.3


def test_too_few_directions_name_what_stays_open():
    scan = block(np.random.default_rng(3))
    middle = targets(["Z1", "Z2", "Z3", "X1"])
    found = align_by_reference_points(middle, scan, np.eye(4), length=LENGTH)
    assert found.freedoms.free == ("shift along y", "turn about z")
    assert any("fix 4 of 6 freedoms" in d for d in found.doubts)


def test_a_hole_s_centre_holds_two_directions():
    scan_from_part = off(np.random.default_rng(4))
    scan = apply(scan_from_part, block(np.random.default_rng(4)))
    places = targets(["Z1", "Z2", "Z3"])
    for name, place, held in (("H1", [10.0, 10, 60], "xy"), ("H2", [130.0, 80, 60], "y")):
        center = np.array(place)
        places.append(ReferencePoint(name, center, Z, directions_of(held, Z), held, apply(scan_from_part, center)))
    found = align_by_reference_points(places, scan, np.eye(4), length=LENGTH)
    np.testing.assert_allclose(found.part_from_base, invert(scan_from_part), rtol=0, atol=1e-9)


def test_missing_points_are_named_and_the_rest_goes_on():
    scan = block(np.random.default_rng(5))
    scan = scan[~(np.abs(scan - [0, 45, 30]) < [5, 20, 20]).all(axis=1)]
    found = align_by_reference_points(targets(PLACES), scan, np.eye(4), length=LENGTH)
    assert "no measured points at X1" in found.doubts
    assert not found.targets[5].used


def test_a_scan_of_something_else_gives_a_reason_and_no_numbers():
    rng = np.random.default_rng(8)
    egg = rng.normal(size=(20_000, 3))
    egg = egg / np.linalg.norm(egg, axis=1, keepdims=True) * [80, 45, 30] + [70, 45, 30]
    try:
        found = align_by_reference_points(targets(PLACES), egg, np.eye(4), length=LENGTH)
    except RegistrationError as error:
        assert "settle" in str(error) or "slide off" in str(error) or "no measured points" in str(error)
    else:
        assert found.doubts


@pytest.mark.parametrize(
    ("points", "words"),
    [
        (lambda: [], "no reference point yet"),
        (lambda: targets(["Z1"], "x"), "Z1 cannot hold x: the surface there runs along x"),
        (lambda: targets(["Z1"], "q"), "held along x, y, z or n"),
    ],
)
def test_points_that_hold_nothing_are_refused(points, words):
    with pytest.raises(RegistrationError, match=words):
        align_by_reference_points(points(), block(np.random.default_rng(6)), np.eye(4), length=LENGTH)
