"""Constructed features and relations against closed forms, and under rigid motions."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from truegauge.core.association.features import Circle, Cone, Cylinder, Line, Plane, Point, Sphere
from truegauge.core.constructions.build import CONSTRUCTIONS, construct, offers, shortest_distance
from truegauge.core.constructions.parts import Operand
from truegauge.core.constructions.relations import Between, angle, distance
from truegauge.core.errors import EvaluationError
from truegauge.core.frames import apply, random_rigid

X, Y, Z = np.eye(3)
O = np.zeros(3)  # noqa: E741


def of(feature, middle=None, length=20.0):
    place = next(feature.parameters[n] for n in ("center", "point", "apex") if n in feature.parameters)
    return Operand(feature, np.array(place if middle is None else middle, dtype=float), length)


def at(*place):
    return of(Point(np.array(place, dtype=float)))


FLOOR, WALL, SIDE = Plane(O, Z), Plane(5 * X, X), Plane(-3 * Y, Y)
SLOPED = Plane(O, np.array([1.0, 0, 1]) / np.sqrt(2))
POST = Cylinder(np.array([10.0, 5, 2]), Z, 4.0)
BAR = Line(np.array([0.0, 0, 7]), X)
RING = [at(10 * np.cos(a), 10 * np.sin(a), 3) for a in np.arange(5) * 1.2]


@pytest.mark.parametrize(("name", "operands", "values", "expected"), [
    ("plane_plane", (of(FLOOR), of(WALL)), (), {"point": (5, None, 0), "direction": (0, 1, 0)}),
    ("three_planes", (of(FLOOR), of(WALL), of(SIDE)), (), {"center": (5, -3, 0)}),
    ("line_plane", (of(POST), of(FLOOR)), (), {"center": (10, 5, 0)}),
    ("cylinder_plane", (of(POST), of(FLOOR)), (), {"center": (10, 5, 0), "radius": 4.0}),
    ("cylinder_plane", (of(POST), of(SLOPED)), (), {"major_radius": 4 * np.sqrt(2), "minor_radius": 4.0}),
    ("line_line", (of(POST), of(BAR)), (), {"center": (10, 2.5, 7)}),
    ("midpoint", (at(0, 0, 0), of(Sphere(np.array([4.0, 2, 8]), 3.0))), (), {"center": (2, 1, 4)}),
    ("symmetry_plane", (at(0, 0, 0), at(0, 8, 0)), (), {"point": (0, 4, 0), "normal": (0, 1, 0)}),
    ("mid_line", (of(POST), of(Cylinder(np.array([20.0, 5, 0]), -Z, 2.0))), (),
     {"point": (15, 5, None), "direction": (0, 0, 1)}),
    ("line_bisector", (of(BAR, (9, 0, 7)), of(Line(np.array([0.0, 0, 7]), Y), (0, 9, 7))), (),
     {"point": (0, 0, 7), "direction": (0.5**0.5, 0.5**0.5, 0)}),
    ("mid_plane", (of(FLOOR), of(Plane(8 * Z, -Z))), (), {"point": (None, None, 4), "normal": (0, 0, 1)}),
    ("plane_bisector", (of(FLOOR, (-5, 0, 0)), of(WALL, (5, 0, 9))), (),
     {"normal": (0.5**0.5, 0, 0.5**0.5)}),
    ("point_on_plane", (at(3, 4, 9), of(FLOOR)), (), {"center": (3, 4, 0)}),
    ("point_on_line", (at(3, 4, 9), of(BAR)), (), {"center": (3, 0, 7)}),
    ("line_on_plane", (of(Line(O, np.array([1.0, 0, 1]) / 2**0.5)), of(FLOOR)), (), {"direction": (1, 0, 0)}),
    ("plane_through", (at(1, 2, 3), of(FLOOR)), (), {"point": (1, 2, 3), "normal": (0, 0, 1)}),
    ("normal_through", (at(1, 2, 3), of(FLOOR)), (), {"point": (1, 2, 3), "direction": (0, 0, 1)}),
    ("line_through", (at(1, 2, 3), of(BAR)), (), {"point": (1, 2, 3), "direction": (1, 0, 0)}),
    ("across_through", (at(1, 2, 3), of(BAR)), (), {"point": (1, 2, 3), "normal": (1, 0, 0)}),
    ("drop", (at(1, 2, 7), of(BAR)), (), {"direction": (0, 1, 0)}),
    ("offset_plane", (of(FLOOR),), (2.5,), {"point": (0, 0, 2.5)}),
    ("plane_of_line_and_point", (at(1, 2, 7), of(BAR)), (), {"normal": (0, 0, 1)}),
    ("plane_of_lines", (of(BAR), of(Line(np.array([0.0, 4, 7]), X))), (), {"point": (None, 2, 7), "normal": (0, 0, 1)}),
    ("plane_of_lines", (of(BAR), of(Line(np.array([0.0, 4, 9]), Y))), (), {"point": (None, None, 8),
                                                                        "normal": (0, 0, 1)}),
    ("line_through_points", (at(0, 0, 1), at(4, 0, 1), at(8, 0, 1)), (), {"direction": (1, 0, 0)}),
    ("plane_through_points", (at(0, 0, 1), at(4, 0, 1), at(0, 8, 1)), (), {"normal": (0, 0, 1)}),
    ("circle_through_points", tuple(RING), (), {"center": (0, 0, 3), "radius": 10.0}),
    ("offset_plane", (of(WALL),), (-5.0,), {"point": (0, 0, 0)}),
    ("sphere_through_points", tuple(at(*(6 * v)) for v in (X, Y, Z, -X, -Y)), (), {"center": (0, 0, 0), "radius": 6.0}),
    ("mean_line", tuple(of(Line(k * Y, X), k * Y) for k in (0, 1, 5)), (), {"point": (None, 2, 0)}),
    ("mean_plane", (of(FLOOR, (-9, 0, 0)), of(Plane(2 * Z, Z), (9, 0, 2))), (), {}),
    ("cone_at_diameter", (of(Cone(O, Z, np.arctan(0.5)), (0, 0, 9)),), (6.0,), {"center": (0, 0, 6), "radius": 3.0}),
    ("slot", (of(Plane(3 * Y, -Y)), of(SIDE), of(Cylinder(7 * X, Z, 3.0)), of(Cylinder(-5 * X, Z, 3.0))), (),
     {"center": (1, 0, None), "normal": (0, 0, 1), "direction": (1, 0, 0), "length": 18.0, "width": 6.0}),
    ("countersink", (of(Cone(-2 * Z, Z, np.arctan(0.5)), (0, 0, 4)), of(Plane(6 * Z, Z)), of(Cylinder(O, Z, 1.5))), (),
     {"center": (0, 0, 6), "radius": 4.0, "depth": 5.0}),
    ("cone_at_distance", (of(Cone(O, Z, np.arctan(0.5)), (0, 0, 9)),), (4.0,), {"center": (0, 0, 4), "radius": 2.0}),
])  # fmt: skip
def test_it_is_built_where_geometry_says(name, operands, values, expected):
    built = construct(name, operands, values)
    assert name in [c.name for c in offers(operands)]
    for key, want in expected.items():
        got = built.parameters[key]
        if key in ("direction", "normal"):
            assert np.linalg.norm(np.cross(got, want)) < 1e-12, key
        elif isinstance(want, tuple):
            for g, w in zip(got, want, strict=True):
                assert w is None or g == pytest.approx(w, abs=1e-12), key
        else:
            assert got == pytest.approx(want, abs=1e-12), key


def test_every_construction_is_in_the_table_above():
    cases = test_it_is_built_where_geometry_says.pytestmark[0].args[1]
    assert {c[0] for c in cases} == set(CONSTRUCTIONS)


def test_holes_of_a_bolt_circle_stand_for_their_centers():
    holes = tuple(of(Cylinder(np.append(10 * np.array([np.cos(a), np.sin(a)]), k), Z, 2.0), (
        10 * np.cos(a), 10 * np.sin(a), 5)) for k, a in enumerate(np.arange(6) * np.pi / 3))  # fmt: skip
    assert "circle_through_points" in [c.name for c in offers(holes)]
    circle = construct("circle_through_points", holes)
    assert circle.radius == pytest.approx(10.0)
    assert_allclose(circle.center, [0, 0, 5], atol=1e-12)


@given(st.integers(0, 10_000), st.sampled_from(["plane_plane", "line_line", "plane_bisector", "mid_plane", "drop",
                                                "cylinder_plane", "circle_through_points"]))  # fmt: skip
def test_moving_the_features_moves_what_is_built(seed, name):
    move = random_rigid(np.random.default_rng(seed), 50)
    operands = next(c[1] for c in test_it_is_built_where_geometry_says.pytestmark[0].args[1] if c[0] == name)
    moved = tuple(Operand(o.feature.moved(move), apply(move, o.middle), o.length) for o in operands)
    here, there = construct(name, operands).moved(move), construct(name, moved)
    for key, want in here.parameters.items():
        if key in ("direction", "normal"):
            assert np.linalg.norm(np.cross(want, there.parameters[key])) < 1e-9
        else:
            assert_allclose(there.parameters[key], want, atol=1e-8)


@pytest.mark.parametrize(("name", "operands", "message"), [
    ("plane_plane", (of(FLOOR), of(Plane(Z, Z))), "parallel"),
    ("line_plane", (of(BAR), of(FLOOR)), "parallel to the plane"),
    ("line_line", (of(BAR), of(Line(Y, X))), "parallel"),
    ("three_planes", (of(FLOOR), of(Plane(Z, Z)), of(WALL)), "do not meet"),
    ("drop", (at(3, 0, 7), of(BAR)), "lies on the line"),
    ("line_on_plane", (of(POST), of(FLOOR)), "projection is a point"),
    ("symmetry_plane", (at(1, 1, 1), at(1, 1, 1)), "are one"),
    ("circle_through_points", (at(0, 0, 0), at(1, 0, 0), at(2, 0, 0)), "no circle"),
    ("midpoint", (of(FLOOR), of(WALL)), ""),
    ("somersault", (of(FLOOR),), "cannot build"),
])  # fmt: skip
def test_what_cannot_be_built_says_why(name, operands, message):
    if name == "midpoint":
        assert "midpoint" not in [c.name for c in offers(operands)]
        return
    with pytest.raises(EvaluationError, match=message):
        construct(name, operands)


def test_skew_axes_tell_how_far_they_miss_each_other():
    assert shortest_distance((of(POST), of(BAR))) == pytest.approx(5.0)


CIRCLE = of(Circle(np.array([10.0, 0, 0]), Z, 3.0))
OTHER = of(Circle(np.array([10.0, 20, 5]), Z, 4.0))


@pytest.mark.parametrize(("options", "expected"), [
    ({}, np.hypot(20, 5)),
    ({"along": Y}, 20.0),
    ({"along": Z}, 5.0),
    ({"in_plane": Z}, 20.0),
    ({"in_plane": X}, np.hypot(20, 5)),
    ({"between": Between.NEAREST, "in_plane": Z}, 13.0),
    ({"between": Between.FARTHEST, "in_plane": Z}, 27.0),
])  # fmt: skip
def test_distances_of_two_circles(options, expected):
    assert distance(CIRCLE, OTHER, **options) == pytest.approx(expected)
    assert distance(OTHER, CIRCLE, **options) == pytest.approx(expected)


@pytest.mark.parametrize(("a", "b", "expected"), [
    (of(FLOOR), of(Plane(8 * Z, Z)), 8.0),
    (of(POST), of(WALL), 5.0),
    (of(POST), of(Cylinder(np.array([13.0, 9, 0]), Z, 1.0)), 5.0),
    (at(0, 0, 4), of(FLOOR), 4.0),
    (at(0, 3, 11), of(BAR), 5.0),
    (of(POST), of(BAR), 5.0),
])  # fmt: skip
def test_distances_of_other_features(a, b, expected):
    assert distance(a, b) == pytest.approx(expected)
    assert distance(b, a) == pytest.approx(expected)


def test_angles_in_space_in_a_projection_and_their_complement():
    tilted = Line(O, np.array([1.0, 1, 1]) / np.sqrt(3))
    assert np.degrees(angle(tilted, BAR)) == pytest.approx(54.7356103)
    assert np.degrees(angle(tilted, BAR, in_plane=Z)) == pytest.approx(45.0)
    assert np.degrees(angle(tilted, BAR, complement=True)) == pytest.approx(180 - 54.7356103)
    assert np.degrees(angle(FLOOR, SLOPED)) == pytest.approx(45.0)
    assert np.degrees(angle(tilted, FLOOR)) == pytest.approx(90 - 54.7356103)
    with pytest.raises(EvaluationError, match="stands on the projection plane"):
        angle(POST, BAR, in_plane=Z)
    with pytest.raises(EvaluationError, match="no direction"):
        angle(Point(O), BAR)
