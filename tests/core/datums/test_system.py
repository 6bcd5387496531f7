"""Datum systems: freedoms, association, targets, common datums and material boundaries against closed forms."""

import numpy as np
import pytest
from tests.core.tolerancing.made import (
    X,
    Z,
    ball,
    flat,
    hole_at,
    part,
    plane,
    plane_grid,
    request,
    system,
    upright,
    use,
)

from truegauge.core.datums.given import MeasuredTarget, SystemDatum
from truegauge.core.errors import DatumError, EvaluationError
from truegauge.core.frames import apply
from truegauge.core.tolerancing.geometric import evaluate

Y = np.array([0.0, 1.0, 0.0])


def base(tilt=0.0):
    return flat(0.0, -Z, height=lambda x, y: tilt * x)


def front(turn=0.0, off=0.0):
    """The plane y = 0, facing -y, turned about z."""
    g = plane_grid((-20, 20), (0, 20))
    return plane((0, 0, 10), -Y, np.column_stack([g[:, 0], off + turn * g[:, 0], g[:, 1]]))


def test_three_planes_hold_three_two_and_one():
    """As ISO 5459 has it for the usual system."""
    found = system(use("A", base()), use("B", upright()), use("C", front()))
    assert found.freedoms.added == (3, 2, 1)
    assert found.freedoms.holders == ("B", "C", "A", "A", "A", "B")
    assert found.free.shape == (6, 0)


def test_the_order_of_the_letters_makes_the_difference():
    """B is turned by 0.004, C is not: a hole in place to C is off after A | B | C, in place by A | C | B."""
    hole = hole_at(15.0, 15.0, 3.0)
    turned = upright(turn=0.004)
    first = evaluate(request("position", [hole], system(use("A", base()), use("B", turned), use("C", front()))))
    other = evaluate(request("position", [hole], system(use("A", base()), use("C", front()), use("B", turned))))
    assert first.value > 0.1
    # By A | C | B the turn is C's; B only stops the part where its highest point touches: x shifts by 0.004 x 20.
    assert other.value == pytest.approx(2 * 0.004 * 20, abs=1e-6)
    assert first.letters == ("A", "B", "C")


def test_a_secondary_datum_is_square_to_the_first():
    """B leans by 0.002: associated alone it touches all along; square to A it touches with its outermost edge only."""
    leaning = upright(lean=0.002)  # faces -x: outermost at z = 0 is x = 0, at z = 20 x = 0.04
    placed = system(use("A", base()), use("B", leaning), use("C", front()))
    moved = apply(placed.part_from_measured, leaning.points)
    assert moved[:, 0].min() == pytest.approx(0.0, abs=1e-9)
    assert moved[:, 0].max() == pytest.approx(0.04, abs=1e-6)


def test_a_face_after_an_axis_is_turned_to_lie_flat_and_not_to_meet_its_place():
    """The bore holds the place; the front lies 0.03 too far out and its middle beside the bore: no turn comes of it."""
    bore = hole_at(-15, 10, 4.0)
    found = system(use("A", base()), use("D", bore), use("B", front(off=-0.03)))
    assert found.freedoms.holders[5] == "B"
    assert found.part_from_measured == pytest.approx(np.eye(4), abs=1e-9)


def test_how_datums_are_associated_is_chosen():
    """A base with one high corner (towards -z): on the material side for least squares, touched by the others."""
    bumped = flat(0.0, -Z, height=lambda x, y: -0.05 if (x, y) == (20.0, 20.0) else 0.0)
    heights = {}
    for method in ("outside", "least_squares", "high_points"):
        placed = system(use("A", bumped), method=method)
        heights[method] = apply(placed.part_from_measured, bumped.points)[:, 2]
    assert heights["least_squares"].min() < -0.02
    assert heights["outside"].min() == pytest.approx(0.0, abs=1e-9)
    assert heights["high_points"].min() == pytest.approx(0.0, abs=1e-9)
    # The smallest largest gap: half of the corner's height, by tilting about the other diagonal's ends.
    assert heights["high_points"].max() <= heights["outside"].max() + 1e-9


def test_single_freedoms_are_released_or_chosen():
    """B may only hold the turn, C only the shift along x: what they leave is open."""
    turn_only = system(use("A", base()), use("B", upright(turn=0.004), holds=("turn about z",)))
    assert turn_only.freedoms.holders == ("", "", "A", "A", "A", "B")
    only_x = system(use("A", base()), use("B", hole_at(5, 5, 3.0), holds=("shift along x",)))
    assert only_x.freedoms.holders == ("B", "", "A", "A", "A", "")
    orients = system(use("A", base()), use("B", upright(off=0.5), orients=True))
    assert orients.freedoms.holders == ("", "", "A", "A", "A", "B")
    assert orients.part_from_measured == pytest.approx(np.eye(4), abs=1e-9)
    with pytest.raises(DatumError, match="cannot hold the turn about z"):
        system(use("A", base(), holds=("turn about z",)))
    with pytest.raises(DatumError, match="only orient"):
        system(use("A", ball((0, 0, 0), 5.0, (0, 0, 0)), orients=True))
    with pytest.raises(DatumError, match="takes no freedom"):
        system(use("A", base()), use("B", flat(12.0, Z)))


def test_a_common_datum_of_two_bores_is_their_common_axis():
    """Two bores 40 mm apart, the second 0.02 off in y: the axis runs between them, turned by 0.02 / 40."""
    a, b = hole_at(-20, 0, 5.0), hole_at(20, 0.02, 5.0, true=(20, 0))
    both = system(SystemDatum("A-B", (part(a, "A"), part(b, "B"))))
    assert both.freedoms.free == ("shift along z",)
    middle = apply(both.part_from_measured, np.array([0, 0.01, 0.0]))
    assert middle[1] == pytest.approx(0.0, abs=1e-6)
    third = hole_at(0.0, 0.01, 3.0, true=(0, 0))
    assert evaluate(request("position", [third], both)).value == pytest.approx(0.0, abs=1e-5)


def test_coplanar_faces_as_one_datum():
    """Two pads, the second 0.02 lower out of the material: the datum rests on both, tilted by 0.02 / 40."""
    low, high = (flat(0.0, -Z, x=x, height=lambda x, y: -0.02 * (x > 0)) for x in ((-22, -18), (18, 22)))
    both = system(SystemDatum("A-B", (part(low, "A"), part(high, "B"))))
    moved = apply(both.part_from_measured, np.vstack([low.points, high.points]))
    assert moved[:, 2].min() == pytest.approx(0.0, abs=1e-9)
    assert moved[:, 2].max() < 0.003


def target(name, place, normal, off=0.0, slides=None):
    place, normal = np.asarray(place, float), np.asarray(normal, float)
    return MeasuredTarget(name, place, normal, place + off * normal, slides)


def test_targets_stand_for_their_datum():
    """Three, two and one points: the classic place; a target 0.03 off tilts the part by 0.03 over its distance."""
    a = [target("A1", (0, 0, 0), -Z), target("A2", (30, 0, 0), -Z), target("A3", (0, 30, 0), -Z, 0.03)]
    b = [target("B1", (0, 0, 5), -Y), target("B2", (30, 0, 5), -Y)]
    c = [target("C1", (0, 10, 5), -X)]
    found = system(*(SystemDatum(x, (), tuple(t)) for x, t in zip("ABC", (a, b, c), strict=True)))
    assert found.freedoms.added == (3, 2, 1)
    assert found.direction == pytest.approx(-Z)  # what an orientation to A is measured by
    placed = apply(found.part_from_measured, np.array([0, 30.0, -0.03]))
    assert placed[2] == pytest.approx(0.0, abs=1e-9)


def test_movable_targets_find_the_middle():
    """Two opposite targets that slide by the same amount: 0.04 wider on one side moves the part by 0.02."""
    left = target("B1", (-20, 0, 5), -X, 0.04, slides=-X)
    right = target("B2", (20, 0, 5), X, 0.0, slides=X)
    found = system(use("A", base()), SystemDatum("B", (), (left, right)))
    assert found.freedoms.holders[0] == "B"
    assert apply(found.part_from_measured, np.array([-0.02, 0, 5.0]))[0] == pytest.approx(0.0, abs=1e-9)


def test_targets_that_slide_past_their_datum_take_what_fixed_ones_do():
    """Sliding along the surface changes nothing that they hold."""
    a = [target("A1", (0, 0, 0), -Z, slides=X), target("A2", (30, 0, 0), -Z), target("A3", (0, 30, 0), -Z)]
    assert system(SystemDatum("A", (), tuple(a))).freedoms.held == 3


def test_a_boundary_lets_the_part_shift_by_its_clearance():
    """A pin of 10.0 in a bore of 10.1: 0.05 of shift. A hole 0.08 off its place: 2 (0.08 - 0.05)."""
    bore = hole_at(0, 0, 5.0, size=5.05, around=72)
    loose = system(use("A", base()), use("B", bore, material="M", sizes=(10.0,)), use("C", front()))
    found = evaluate(request("position", [hole_at(20.08, 0, 3.0, true=(20, 0))], loose))
    assert found.value == pytest.approx(0.06, abs=5e-4)
    assert abs(found.shift[0]) == pytest.approx(0.05, abs=5e-4)
    assert found.bounded == 2
    tight = system(use("A", base()), use("B", bore), use("C", front()))
    assert evaluate(request("position", [hole_at(20.08, 0, 3.0, true=(20, 0))], tight)).value == pytest.approx(0.16)


def test_a_boundary_that_does_not_fit_is_said():
    small = hole_at(0, 0, 5.0, size=4.98)
    loose = system(use("A", base()), use("B", small, material="M", sizes=(10.0,)))
    with pytest.raises(EvaluationError, match="does not fit the gauge"):
        evaluate(request("position", [hole_at(20, 0, 3.0)], loose))
    with pytest.raises(DatumError, match="no size tolerance"):
        system(use("A", base()), use("B", small, material="M"))
