"""Guided alignment, relocation by spheres, and temperature."""

import numpy as np
import pytest

from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply, invert, random_rigid
from truegauge.core.registration.guided import (
    NO_TOUCHES,
    GuidedTarget,
    Touches,
    align_by_targets,
    still_needed,
)
from truegauge.core.registration.relocation import find_spheres, relocate
from truegauge.core.temperature import Temperatures

X, Y, Z = np.eye(3)
SIZE = np.array([140.0, 90.0, 60.0])
NONE = np.zeros((0, 3))


def to_block(points):
    """Signed distances and normals of points near the faces of a block from the origin to SIZE."""
    off = np.concatenate([-points, points - SIZE], axis=1)
    k = np.argmax(off, axis=1)
    normals = np.vstack([-np.eye(3), np.eye(3)])[k]
    return off[np.arange(len(points)), k], normals


T = GuidedTarget
SURFACES = [
    T("P1", "surface", np.array([20.0, 20, 60]), Z), T("P2", "surface", np.array([120.0, 20, 60]), Z),
    T("P3", "surface", np.array([60.0, 80, 60]), Z), T("P4", "surface", np.array([20.0, 0, 30]), -Y),
    T("P5", "surface", np.array([120.0, 0, 30]), -Y), T("P6", "surface", np.array([0.0, 45, 30]), -X),
    T("P7", "surface", np.array([140.0, 50, 20]), X), T("P8", "surface", np.array([70.0, 90, 30]), Y),
    T("P9", "surface", np.array([110.0, 75, 60]), Z), T("P10", "surface", np.array([70.0, 45, 60]), Z),
]  # fmt: skip


def touched(target, device_from_part, rng, noise=0.0, aim=1.5):
    """One touch near the aimed-at place."""
    across = rng.normal(0, aim, 3)
    across -= (across @ target.direction) * target.direction
    there = target.place + across + noise * rng.normal() * target.direction
    return Touches(apply(device_from_part, there[None]), NONE, NONE)


def test_three_targets_give_a_pose_and_more_make_it_exact():
    rng = np.random.default_rng(1)
    device_from_part = random_rigid(rng, 400)
    touches = [touched(t, device_from_part, rng) for t in SURFACES]
    errors = []
    for count in (3, 6, 10):
        shown = [own if k < count else NO_TOUCHES for k, own in enumerate(touches)]
        found = align_by_targets(SURFACES, shown, to_block, length=170.0)
        corners = np.array([[0, 0, 0], SIZE, [140, 0, 60]], dtype=float)
        errors.append(np.abs(apply(found.part_from_base @ device_from_part, corners) - corners).max())
        assert sum(t.used for t in found.targets) == count
    assert errors[0] < 12  # rough: aimed by hand
    assert errors[1] < 1e-6
    assert errors[2] < 1e-6
    assert found.freedoms.held == 6


def test_a_poor_target_is_marked_to_be_measured_again():
    rng = np.random.default_rng(2)
    device_from_part = random_rigid(rng, 400)
    touches = [touched(t, device_from_part, rng, noise=0.01) for t in SURFACES]
    touches[1] = touched(SURFACES[1], device_from_part, np.random.default_rng(5), noise=2.0)
    found = align_by_targets(SURFACES, touches, to_block, length=170.0)
    assert found.suggestion == "P2"
    assert [t.name for t in found.targets if t.poor] == ["P2"]
    touches[1] = touched(SURFACES[1], device_from_part, rng, noise=0.01)
    again = align_by_targets(SURFACES, touches, to_block, length=170.0)
    assert not any(t.poor for t in again.targets)
    assert again.rms < 0.02


def test_holes_and_spheres_are_measured_by_their_touches():
    rng = np.random.default_rng(3)
    device_from_part = random_rigid(rng, 400)
    hole = GuidedTarget("H1", "hole", np.array([30.0, 30, 60]), Z, 10.0)
    balls = [GuidedTarget(f"S{k}", "sphere", np.array(c, dtype=float), Z, 20.0)
             for k, c in enumerate(([100, 20, 75], [20, 70, 75]))]  # fmt: skip
    ring = hole.place + 5 * np.array([[1, 0, 0], [-0.5, 0.8660254037844386, 0], [-0.5, -0.8660254037844386, 0]])
    own = Touches(NONE, hole.place + np.array([[9.0, 0, 0], [-5, 8, 0], [-5, -8, 0]]), ring - [0, 0, 4.0])
    out = np.array([[1.0, 0, 0], [-1, 0, 0], [0, 1, 0], [0, 0, 1], [0, -1, 0]])
    touches = [Touches(NONE, apply(device_from_part, own.face), apply(device_from_part, own.wall))]
    touches += [Touches(apply(device_from_part, b.place + 10 * out), NONE, NONE) for b in balls]
    assert still_needed(hole, NO_TOUCHES) == ("face", 3)
    assert still_needed(hole, Touches(NONE, own.face, own.wall[:1])) == ("wall", 2)
    found = align_by_targets([hole, *balls], touches, to_block, length=170.0)
    np.testing.assert_allclose(found.part_from_base, invert(device_from_part), rtol=0, atol=1e-9)


def test_two_targets_are_not_enough():
    with pytest.raises(RegistrationError, match="2 of 10 targets are measured"):
        align_by_targets(SURFACES, [Touches(np.zeros((1, 3)), NONE, NONE)] * 2 + [NO_TOUCHES] * 8, to_block, length=1.0)


def sphere_points(rng, center, radius, count, up):
    out = rng.normal(size=(4 * count, 3))
    out /= np.linalg.norm(out, axis=1, keepdims=True)
    return center + radius * out[out @ up > -0.2][:count]


def test_spheres_bring_both_sides_of_a_part_together():
    """Three balls beside the part, seen from above and, after the part was turned over, from the other side."""
    rng = np.random.default_rng(4)
    centers = np.array([[-30.0, 10, 5], [170, 20, 15], [60, 130, 25]])
    body = rng.uniform(0, 1, (30_000, 3)) * SIZE
    axis = rng.integers(0, 3, len(body))
    body[np.arange(len(body)), axis] = rng.integers(0, 2, len(body)) * SIZE[axis]
    before = np.vstack([body[body[:, 2] > 20], *(sphere_points(rng, c, 10.0, 1500, Z) for c in centers)])
    after_from_before = random_rigid(rng, 300)
    after = np.vstack([body[body[:, 2] < 40], *(sphere_points(rng, c, 10.0, 1500, -Z) for c in centers)])
    after = apply(after_from_before, after + rng.normal(0, 0.005, after.shape))
    first, second = find_spheres(before, 20.0), find_spheres(after, 20.0)
    assert len(first) == len(second) == 3
    assert max(abs(s.diameter - 20.0) for s in (*first, *second)) < 0.01
    found = relocate(np.array([s.center for s in first]), np.array([s.center for s in second]), tolerance=0.2)
    assert np.abs(apply(found.before_from_after @ after_from_before, SIZE) - SIZE).max() < 0.005
    assert found.adjustment.rms < 0.005
    assert found.others == 0
    with pytest.raises(RegistrationError, match="three in common"):
        relocate(centers[:2], centers, tolerance=0.1)


def test_no_sphere_is_found_where_there_is_none():
    rng = np.random.default_rng(6)
    flat = np.column_stack([rng.uniform(0, 100, (5000, 2)), rng.normal(0, 0.01, 5000)])
    angle = rng.uniform(0, 2 * np.pi, 4000)
    tube = np.column_stack([10 * np.cos(angle) + 50, 10 * np.sin(angle) + 50, rng.uniform(0, 80, 4000)])
    assert find_spheres(np.vstack([flat, tube]), 20.0) == []


def test_lengths_are_brought_to_the_reference_temperature():
    aluminium = Temperatures(part_c=26.0, scale_c=23.0, part_expansion=23.1e-6, scale_expansion=8e-6)
    assert abs(aluminium.growth - (1 + 8e-6 * 3) / (1 + 23.1e-6 * 6)) < 1e-15
    assert "part 26 °C, scale 23 °C" in aluminium.say()
    # A 500 mm aluminium part at 30 °C, measured with a scale that does not grow, is 0.1155 mm too long.
    assert abs(500.1155 * Temperatures(part_c=30.0, part_expansion=23.1e-6).growth - 500.0) < 1e-9
    assert Temperatures().say() == ""
