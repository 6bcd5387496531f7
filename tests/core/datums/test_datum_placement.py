"""Alignment by datums against closed forms, and its refusals."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from truegauge.core.association.features import Cone, Cylinder, Line, ParallelPlanes, Plane, Point, Sphere
from truegauge.core.constructions.parts import Operand
from truegauge.core.datums.named_frame import frame_by_naming, shifted_frame
from truegauge.core.datums.placement import DatumFeature, place_by_datums
from truegauge.core.errors import DatumError
from truegauge.core.frames import apply, from_rotation_vector, invert, random_rigid, rotation_about

X, Y, Z = np.eye(3)
CENTER = np.array([70.0, 45.0, 30.0])


def plane(point, normal):
    point, normal = np.array(point, dtype=float), np.array(normal, dtype=float)
    return Operand(Plane(point, normal / np.linalg.norm(normal)), point)


def bore(point, direction, radius=5.0):
    return Operand(Cylinder(np.array(point, dtype=float), np.array(direction, dtype=float), radius), np.array(point))


def ball(point):
    return Operand(Sphere(np.array(point, dtype=float), 6.0), np.array(point, dtype=float))


def moved(operand, pose):
    return Operand(operand.feature.moved(pose), apply(pose, operand.middle), operand.length)


def place(nominal, measured, **options):
    names = [chr(ord("A") + k) for k in range(len(nominal))]
    datums = [DatumFeature(n, a, b) for n, a, b in zip(names, nominal, measured, strict=True)]
    return place_by_datums(datums, center=options.get("center", CENTER), length=160.0)


A = plane([60, 40, 0], -Z)
B = plane([70, 0, 8], -Y)
C = plane([0, 45, 8], -X)
BORE = bore([58, 45, 30], Z)
HOLE = bore([10, 80, 8], Z)
SLOT = Operand(ParallelPlanes(np.array([130.0, 45, 5]), X, 12.0), np.array([130.0, 45, 5]))
EDGE = Operand(Line(np.array([0.0, 0, 8]), X), np.array([70.0, 0, 8]))
SYSTEMS = {
    "three planes": ([A, B, C], (3, 2, 1)),
    "plane, line, point": ([A, EDGE, Operand(Point(np.array([0.0, 30, 8])), np.array([0.0, 30, 8]))], (3, 2, 1)),
    "plane and two holes": ([A, BORE, HOLE], (3, 2, 1)),
    "bore, plane, slot": ([BORE, A, SLOT], (4, 1, 1)),
    "three spheres": ([ball([0, 0, 0]), ball([100, 5, 0]), ball([20, 70, 10])], (3, 2, 1)),
    "sphere, plane, bore": ([ball([20, 30, 5]), A, BORE], (3, 2, 1)),
    "cone and hole": ([Operand(Cone(np.array([107.0, 24, 30]), Z, 0.5), np.array([107.0, 24, 40])), HOLE], (5, 1)),
    "two skew bores": ([BORE, bore([58, 20, 30], Y)], (4, 2)),
}  # fmt: skip


@pytest.mark.parametrize("name", SYSTEMS)
def test_a_perfect_part_goes_back_exactly(name):
    """3-2-1 and its relatives find the pose to the last digits; axes have no sense but that of the pose before."""
    nominal, added = SYSTEMS[name]
    for seed in range(5):
        rng = np.random.default_rng(seed)
        base_from_part = from_rotation_vector(rng.uniform(-0.4, 0.4, 3), rng.normal(0, 200, 3))
        found = place(nominal, [moved(n, base_from_part) for n in nominal])
        np.testing.assert_allclose(found.part_from_base, invert(base_from_part), rtol=0, atol=1e-12 * 300)
        np.testing.assert_allclose(found.part_from_base[:3, :3], base_from_part[:3, :3].T, rtol=0, atol=1e-12)
        assert found.freedoms.added == added
        assert found.freedoms.held == 6
        assert not found.freedoms.say_free()


def test_three_crooked_planes_equal_their_closed_form():
    """A real part: the first plane is met, the second turned about it, the third only shifted to."""
    measured = [plane([61, 42, 0.3], [0.01, 0.004, -1]), plane([72, 0.2, 9], [0.02, -1, 0.03]),
                plane([-0.1, 44, 7], [-1, 0.05, 0.02])]  # fmt: skip
    found = place([A, B, C], measured)
    a, b = measured[0].feature.normal, measured[1].feature.normal
    x_row = np.cross(b, a) / np.linalg.norm(np.cross(b, a))  # across both normals: x of the part
    z_row = -a
    y_row = np.cross(z_row, x_row)
    rotation = np.vstack([x_row, y_row, z_row])
    shift = np.array([-(rotation @ measured[2].middle)[0], -(rotation @ measured[1].middle)[1],
                      -(rotation @ measured[0].middle)[2]])  # fmt: skip
    np.testing.assert_allclose(found.part_from_base[:3, :3], rotation, rtol=0, atol=1e-12)
    np.testing.assert_allclose(found.part_from_base[:3, 3], shift, rtol=0, atol=1e-12)
    assert found.deviations[0].angle < 1e-12
    assert found.deviations[2].angle > 0.01
    assert [d.added for d in found.deviations] == [3, 2, 1]


def test_two_holes_turn_about_the_first_towards_the_second():
    nominal = [A, BORE, HOLE]
    measured = [A, bore([58.05, 45.02, 30], Z), bore([10.0, 80.3, 8], Z)]
    found = place(nominal, measured)
    wanted = np.arctan2(35.0, -48.0) - np.arctan2(80.3 - 45.02, 10.0 - 58.05)
    turn = np.arctan2(found.part_from_base[1, 0], found.part_from_base[0, 0])
    assert abs(turn - wanted) < 1e-12
    np.testing.assert_allclose(apply(found.part_from_base, np.array([58.05, 45.02, 0.0])), [58, 45, 0], atol=1e-12)
    off = abs(np.hypot(48, 35) - np.hypot(48.05, 80.3 - 45.02))
    assert abs(found.deviations[2].distance - off) < 1e-12


def test_what_no_datum_holds_stays_and_is_named():
    turned = rotation_about(Z, 0.3)
    found = place([A, BORE], [moved(A, turned), moved(BORE, turned)])
    assert found.freedoms.free == ("turn about z",)
    assert found.freedoms.holders == ("B", "B", "A", "A", "A", "")
    np.testing.assert_allclose(found.part_from_base[:3, :3], np.eye(3), atol=1e-12)  # the turn is kept
    only = place([A], [A])
    assert only.freedoms.free == ("shift along x", "shift along y", "turn about z")
    assert only.freedoms.held == 3


def test_a_datum_at_an_angle_holds_two_freedoms_together():
    oblique = plane([0, 0, 0], [1, 1, 0])
    found = place([A, oblique], [A, oblique])
    assert found.freedoms.partly[:2] == (True, True)
    assert found.freedoms.holders[5] == "B"


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000))
def test_order_matters_only_for_crooked_parts(seed):
    """Moving all measured features moves the answer with them."""
    rng = np.random.default_rng(seed)
    crooked = [plane(n.middle + rng.normal(0, 0.05, 3), n.feature.normal + rng.normal(0, 0.002, 3)) for n in (A, B, C)]
    pose = random_rigid(rng, 50)
    straight = place([A, B, C], crooked).part_from_base
    elsewhere = place([A, B, C], [moved(n, pose) for n in crooked]).part_from_base
    np.testing.assert_allclose(elsewhere @ pose, straight, rtol=0, atol=1e-10)
    other = place([B, A, C], [crooked[1], crooked[0], crooked[2]]).part_from_base
    assert np.abs(other - straight).max() > 1e-9


@pytest.mark.parametrize(
    ("nominal", "words"),
    [
        ([A, plane([60, 40, 60], Z), B], "B takes no freedom: it is parallel to A"),
        ([A, Operand(Line(np.array([5.0, 5, 0]), Z), np.array([5.0, 5, 5]))], "B lies along the direction of A"),
        ([ball([0, 0, 0]), ball([50, 0, 0]), ball([100, 0, 0])], "on one line with A and B"),
        ([], "no datum yet"),
        ([BORE, bore([58, 45, 80], Z)], "takes no freedom"),
        ([A, B, C, HOLE], "D takes no freedom"),
    ],
)
def test_datums_that_hold_nothing_are_refused_in_words(nominal, words):
    with pytest.raises(DatumError, match=words):
        place(nominal, nominal)


def test_a_mirrored_part_is_refused():
    measured = [A, B, plane([140, 45, 8], X)]
    with pytest.raises(DatumError, match="left-handed"):
        place([A, B, C], measured)


def test_a_frame_by_naming_axes_needs_no_part():
    base_from_drawing = random_rigid(np.random.default_rng(4), 100)
    measured = [moved(n, base_from_drawing) for n in (A, B, C)]
    found = frame_by_naming(measured, ["-z", "-y", "-x"], "ABC", center=np.zeros(3))
    np.testing.assert_allclose(found, invert(base_from_drawing), rtol=0, atol=1e-11)


@pytest.mark.parametrize(
    ("axes", "words"),
    [
        (("-z", "-y", "+x"), "left-handed"),
        (("-z", "+z", None), "named along z"),
        (("-z", None, None), "name two axes"),
    ],
)
def test_axes_that_make_no_frame_are_refused(axes, words):
    with pytest.raises(DatumError, match=words):
        frame_by_naming([A, B, C], axes, "ABC", center=np.zeros(3))


def test_a_drawing_origin_is_an_offset_then_a_turn():
    drawing_from_frame = shifted_frame(np.array([10.0, 20.0, 0.0]), np.array([0.0, 0.0, np.pi / 2]))
    np.testing.assert_allclose(apply(drawing_from_frame, np.array([10.0, 20.0, 0.0])), [0, 0, 0], atol=1e-15)
    np.testing.assert_allclose(apply(drawing_from_frame, np.array([10.0, 25.0, 0.0])), [5, 0, 0], atol=1e-14)
