"""Orientation, distance and judgement against closed forms."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.core.tolerancing.made import request, system, use

from truegauge.core.association.features import Cylinder, Plane, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import KINDS
from truegauge.core.features.extraction import ExtractionSettings, measure
from truegauge.core.tolerancing.distance import Distance
from truegauge.core.tolerancing.geometric import evaluate
from truegauge.core.tolerancing.judgement import State, decide
from truegauge.core.tolerancing.orientation import are_parallel, are_perpendicular

plain = Distance()


def orientation(features):
    """The orientation of the first to the second feature."""
    return evaluate(request("perpendicularity", features[:1], system(use("A", features[1])))).value


distance, has_distance, nominal_distance = plain.value, plain.fits, plain.nominal
Z, X = np.array([0.0, 0, 1]), np.array([1.0, 0, 0])
PLAIN = ExtractionSettings(averaging=0.0)


def plane_nominal(normal, center):
    center = np.asarray(center, float)
    return Nominal(Plane(center, np.asarray(normal, float)), 1, 50.0, center)


def measured_plane(normal, center, tilt=0.0, size=(40.0, 30.0)):
    """A plane patch of a size, tilted by a small angle about its own y."""
    nominal = plane_nominal(normal, center)
    u = np.cross([0, 1, 0], normal)
    u = u / np.linalg.norm(u)
    a, b = np.meshgrid(np.linspace(-size[0] / 2, size[0] / 2, 21), np.linspace(-size[1] / 2, size[1] / 2, 16))
    v = np.cross(normal, u)
    points = np.asarray(center) + a.reshape(-1, 1) * u + b.reshape(-1, 1) * v
    points = points + np.outer(np.tan(tilt) * a.ravel(), normal)
    return measure(nominal, points, np.arange(len(points)), PLAIN)


def measured_axis(direction, center, radius=5.0, length=20.0):
    direction = np.asarray(direction, float) / np.linalg.norm(direction)
    center = np.asarray(center, float)
    nominal_direction = np.eye(3)[np.argmax(np.abs(direction))]
    nominal = Nominal(Cylinder(center, nominal_direction, radius), -1, length, center)
    x = np.cross(direction, [0.3, 0.5, 0.8])
    x /= np.linalg.norm(x)
    y = np.cross(direction, x)
    t, h = np.meshgrid(np.linspace(0, 2 * np.pi, 24, endpoint=False), np.linspace(-length / 2, length / 2, 9))
    ring = radius * (np.outer(np.cos(t.ravel()), x) + np.outer(np.sin(t.ravel()), y))
    points = center + ring + np.outer(h.ravel(), direction)
    return measure(nominal, points, np.arange(len(points)), PLAIN)


def test_parallel_planes():
    datum, tilted = measured_plane(Z, (0, 0, 0)), measured_plane(Z, (5, 5, 20), tilt=0.001)
    assert orientation((tilted, datum)) == pytest.approx(40 * np.tan(0.001), rel=1e-4)
    assert distance((tilted, datum)) == pytest.approx(20.0, abs=0.01)
    assert distance((datum, tilted)) == pytest.approx(distance((tilted, datum)), abs=1e-12)


def test_a_leaning_side_over_its_height():
    datum = measured_plane(Z, (0, 0, 0))
    nominal = plane_nominal(X, (0, 0, 10))
    y, z = np.meshgrid(np.linspace(-20, 20, 15), np.linspace(0, 20, 11))
    # Leaning by 0.002 and turned by 0.01 about z: perpendicularity may turn, so only the leaning counts.
    x = 0.002 * z.ravel() + 0.01 * y.ravel()
    points = np.column_stack([x, y.ravel(), z.ravel()])
    side = measure(nominal, points, np.arange(len(points)), PLAIN)
    assert orientation((side, datum)) == pytest.approx(0.002 * 20, rel=1e-3)


def test_a_tilted_bore_over_its_length():
    datum = measured_plane(Z, (0, 0, 0))
    bore = measured_axis([0.003, 0.004, 1.0], (10, 10, 15), length=30)
    assert orientation((bore, datum)) == pytest.approx(30 * np.sin(np.arctan(0.005)), rel=1e-4)
    lying = measured_axis([1.0, 0.0, 0.002], (0, 0, 40), length=30)
    assert orientation((lying, datum)) == pytest.approx(30 * np.sin(np.arctan(0.002)), rel=1e-4)


def test_axes_apart():
    a, b = measured_axis([0, 0, 1], (0, 0, 0)), measured_axis([0, 0, 1], (30, 40, 5))
    assert distance((a, b)) == pytest.approx(50.0, abs=1e-9)
    assert orientation((a, b)) == pytest.approx(0.0, abs=1e-9)


def test_axis_and_plane_apart():
    assert distance((measured_axis([1, 0, 0], (0, 0, 25)), measured_plane(Z, (0, 0, 0)))) == pytest.approx(25.0)


def test_what_makes_sense_for_what():
    plane, above = plane_nominal(Z, (0, 0, 0)), plane_nominal(-Z, (0, 0, 9))
    side = plane_nominal(X, (0, 0, 0))
    axis = Nominal(Cylinder(np.zeros(3), Z, 5.0), -1, 10, np.zeros(3))
    ball = Nominal(Sphere(np.array([3.0, 4.0, 0]), 2.0), 1, 4, np.zeros(3))
    assert are_parallel((plane, above))
    assert are_perpendicular((plane, side))
    assert are_perpendicular((axis, plane))
    assert are_parallel((axis, side))
    assert not has_distance((plane, side))
    assert not has_distance((plane, plane))
    assert nominal_distance((ball, axis)) == pytest.approx(5.0)
    assert [k.name for k in KINDS.values() if k.fits((ball,)) and k.common and not k.geometric] == ["diameter"]


@given(st.floats(-10, 10), st.floats(0.001, 5), st.floats(-12, 12))
def test_a_judgement_is_outside_exactly_beyond_a_limit(nominal, half, measured):
    state = decide(measured, nominal - half, nominal + half).state
    assert (state == State.OUTSIDE) == (measured < nominal - half or measured > nominal + half)


@pytest.mark.parametrize(
    ("measured", "lower", "upper", "state"),
    [
        (0.0, -1, 1, State.WITHIN),
        (0.79, -1, 1, State.WITHIN),
        (0.81, -1, 1, State.NEAR),
        (1.0, -1, 1, State.NEAR),
        (1.0000001, -1, 1, State.OUTSIDE),
        (0.0, None, 0.05, State.WITHIN),
        (0.046, None, 0.05, State.NEAR),
        (0.051, None, 0.05, State.OUTSIDE),
        (123.0, None, None, State.WITHIN),
    ],
)
def test_states(measured, lower, upper, state):
    assert decide(measured, lower, upper).state == state
