"""Places along lines, helices, round tubes and on each side of a slot: by their definitions."""

from pathlib import Path

import numpy as np
import pytest
from tests.core.routes.routing import ON_ITS_BACK, made

from truegauge.core.arrays import any_perpendicular
from truegauge.core.association.features import Torus
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.routes.checking import check
from truegauge.core.routes.document import MeasureStep
from truegauge.core.routes.on_faces import on_faces
from truegauge.core.routes.places import FeatureToTouch, Surface
from truegauge.core.routes.strategies import Helix, Rings, Sides, StraightLine, Trace, Usual
from truegauge.core.routes.usual import count_of, resolved, usual_strategy
from truegauge.core.routes.wanted import wanted_places
from truegauge.formats.part import read_part

FOREIGN = Path(__file__).parents[2] / "data" / "foreign"


@pytest.fixture(scope="module")
def screw():
    return Evaluator(read_part(FOREIGN / "screw.step"))


def surface_of(evaluator, faces):
    nominal = evaluator.nominal(faces)
    known = None if isinstance(nominal, NotComputed) else nominal
    return Surface(evaluator.model, evaluator.projector, FeatureToTouch("f", "f", faces, known))


def asked(surface, strategy, margin=0.5):
    return wanted_places(surface, strategy, surface.candidates(margin)[0], margin)


def feature_surface(evaluator, plan, feature):
    return surface_of(evaluator, next(f.faces for f in plan.features if f.id == feature))


@pytest.mark.parametrize("turned", [0.0, 30.0, 90.0, 137.0])
@pytest.mark.parametrize("shift", [0.0, -15.0])
def test_a_line_is_straight_even_and_ends_so_far_from_where_the_face_does(evaluator, plan, turned, shift):
    surface = feature_surface(evaluator, plan, "base")
    points = asked(surface, StraightLine(touches=6, pulled_in=4.0, turned_deg=turned, shift=shift)).points
    assert len(points) == 6
    way = points[-1] - points[0]
    way /= np.linalg.norm(way)
    off = points - points[0]
    assert np.abs(off - np.outer(off @ way, way)).max() < 1e-6
    assert np.ptp(np.diff(off @ way)) < 1e-6
    # From both ends the face goes on for 4 mm and no farther: it is asked in small steps.
    for end, out in ((points[0], -way), (points[-1], way)):
        further = end + np.outer(np.arange(0, 9, 0.1), out)
        there = surface.on_it(further)[1]
        ends = 0.1 * (len(there) - int(np.argmax(there[::-1])) - 1)
        assert ends == pytest.approx(4.0, abs=0.4)  # it is asked every 0.3 mm where the face ends


def test_a_line_turns_with_its_number_and_is_shifted_across(evaluator, plan):
    surface = feature_surface(evaluator, plan, "base")
    ways = []
    for turned in (0.0, 50.0):
        p = asked(surface, StraightLine(touches=2, turned_deg=turned)).points
        ways.append((p[1] - p[0]) / np.linalg.norm(p[1] - p[0]))
    assert abs(ways[0] @ ways[1]) == pytest.approx(np.cos(np.radians(50.0)), abs=1e-9)
    here, there = (asked(surface, StraightLine(touches=2, shift=s)).points for s in (0.0, 11.0))
    between = there[0] - here[0]
    between -= (between @ ways[0]) * ways[0]
    assert np.linalg.norm(between) == pytest.approx(11.0, abs=1e-6)


def test_a_line_on_a_bore_runs_along_its_axis(evaluator, plan):
    surface = feature_surface(evaluator, plan, "main-bore")
    f = surface.feature.nominal.feature
    points = asked(surface, StraightLine(touches=4, pulled_in=3.0, turned_deg=70.0)).points
    way = points[-1] - points[0]
    assert np.linalg.norm(np.cross(way, f.direction)) < 1e-5 * np.linalg.norm(way)
    assert np.allclose(np.linalg.norm(np.cross(points - f.point, f.direction), axis=1), f.radius, atol=1e-6)


@pytest.mark.parametrize(("turns", "trace"), [(1.5, None), (3.0, Trace(spacing=0.8))])
def test_a_helix_rises_evenly_with_its_turn(evaluator, plan, turns, trace):
    surface = feature_surface(evaluator, plan, "main-bore")
    f = surface.feature.nominal.feature
    points = asked(surface, Helix(touches=31, turns=turns, first=2.0, last=14.0, start_deg=20.0, trace=trace)).points
    off = points - f.point
    assert np.allclose(np.linalg.norm(np.cross(off, f.direction), axis=1), f.radius, atol=1e-6)
    height = off @ f.direction
    x = off[0] - height[0] * f.direction
    x /= np.linalg.norm(x)
    angle = np.unwrap(np.arctan2(off @ np.cross(f.direction, x), off @ x))
    assert abs(angle[-1]) == pytest.approx(2 * np.pi * turns, abs=1e-6)
    assert np.abs(height - np.interp(np.abs(angle), [0, 2 * np.pi * turns], [height[0], height[-1]])).max() < 1e-6
    assert abs(height[-1] - height[0]) == pytest.approx(12.0)
    # Its outer end is the mouth of the bore in the top face, at 60 mm.
    assert points[0, 2] == pytest.approx(58.0)
    steps = np.linalg.norm(np.diff(points, axis=0), axis=1)
    assert len(points) == 31 if trace is None else steps.max() < 0.82


@pytest.mark.parametrize("turns", [1.0, 2.5])
def test_on_a_face_that_does_not_go_round_a_helix_goes_to_and_fro(turns):
    """A rounded edge of a cube: all places lie on it, and their turn rises and falls as often as is asked."""
    cube = Evaluator(read_part(FOREIGN / "rounded-cube.step"))
    face = next(f.index for f in cube.model.faces if f.surface.kind == SurfaceKind.CYLINDER)
    surface = surface_of(cube, (face,))
    f = surface.feature.nominal.feature
    found = asked(surface, Helix(touches=41, turns=turns), 0.1)
    assert surface.on_it(found.points)[1].all()
    off = found.points - f.point
    x = any_perpendicular(f.direction)
    angle = np.unwrap(np.arctan2(off @ np.cross(f.direction, x), off @ x))
    height = off @ f.direction
    assert np.ptp(np.diff(height)) < 1e-9
    turning = np.sign(np.diff(angle))
    assert (np.diff(turning) != 0).sum() == int(np.ceil(turns)) - 1
    assert np.abs(np.diff(angle)).sum() == pytest.approx(turns * np.ptp(angle), rel=0.08)


def test_a_helix_in_contact_is_one_trace_where_nothing_opens_into_the_bore(evaluator):
    strategy = Helix(turns=2.0, first=3.0, last=9.0, trace=Trace(spacing=1.0, speed=15.0))
    found = made(evaluator, ON_ITS_BACK.replace(steps=(MeasureStep(id="m", feature="main-bore", strategy=strategy),)))
    legs = [x for x in found.planned.legs if x.kind == "trace"]
    assert len([x for x in found.planned.legs if x.kind == "touch" and x.step == "m"]) == 1
    f = found.features["main-bore"].nominal.feature
    tip = found.scene.probe(legs[0].use).place.radius
    length = sum(np.linalg.norm(x.end - x.start) for x in legs)
    assert length == pytest.approx(np.hypot(2 * 2 * np.pi * (f.radius - tip), 6.0), rel=1e-3)
    assert legs[0].speed == 15.0
    assert check(found.scene, found.planned, 0.5).meetings == ()


def test_rows_on_a_torus_go_round_its_axis_on_its_tube(evaluator, screw):
    seen = 0
    for own in (evaluator, screw):
        for face in range(len(own.model.faces)):
            if own.model.faces[face].surface.kind != 4:
                continue
            surface = surface_of(own, whole_surface(own.model, face))
            if surface.feature.nominal is None or not isinstance(surface.feature.nominal.feature, Torus):
                continue
            f = surface.feature.nominal.feature
            assert usual_strategy(surface.feature) == Rings(touches=6, rows=2)
            found = wanted_places(surface, Rings(touches=8, rows=3), surface.candidates(0.05)[0], 0.05)
            off = found.points - f.center
            out = np.linalg.norm(off - np.outer(off @ f.direction, f.direction), axis=1)
            assert np.allclose(np.hypot(out - f.major_radius, off @ f.direction), f.minor_radius, atol=1e-9)
            for row in range(3):
                assert np.ptp((off @ f.direction)[found.rows == row]) < 1e-9
            assert surface.on_it(found.points)[1].mean() > 0.7  # faces of the tube are not all of it
            seen += 1
    assert seen >= 2


def test_each_side_of_a_slot_has_its_touches(evaluator, plan):
    sides_of = [next(f.faces for f in plan.features if f.name == n) for n in ("slot side 1", "slot side 2")]
    faces = tuple(sorted({*sides_of[0], *sides_of[1]}))
    bores = next(f.faces for f in plan.features if f.id == "bolt-3")
    surface = surface_of(evaluator, (*faces, *bores))
    assert surface.feature.nominal is None
    assert isinstance(usual_strategy(surface.feature), Sides)
    places, _, troubles = on_faces(surface, Sides(touches=5, ends=4), 1.0)
    on = evaluator.projector.deviations(places.points)
    for face in faces:
        assert (on.face == face).sum() == 5
    for face in bores:
        assert (on.face == face).sum() == 4
    assert not troubles
    assert count_of(Sides(touches=5, ends=4), surface.feature, evaluator.model) == len(places)
    # A number that is asked for in all is shared out.
    asked_for = resolved(Usual(touches=30), surface.feature)
    assert 30 <= count_of(asked_for, surface.feature, evaluator.model) < 30 + len(surface.feature.faces)
    assert resolved(Usual(touches=500), surface.feature)
