"""Routes of the housing: what is reached, where it is touched, in which order; by what they mean, not by how."""

import itertools

import numpy as np
import pytest
from tests.core.routes.routing import ON_ITS_BACK, made

from truegauge.core.arrays import three
from truegauge.core.commands.history import History
from truegauge.core.commands.routes import SetRoute
from truegauge.core.datums.named_frame import shifted_frame
from truegauge.core.evaluation.touch_needs import along_frames
from truegauge.core.frames import apply, invert, rotate
from truegauge.core.routes.candidates import with_pose
from truegauge.core.routes.checking import check
from truegauge.core.routes.document import Coming, MeasureStep, NoteStep, PartFixture, Placement, Route, Via, step_id
from truegauge.core.routes.making import make_route
from truegauge.core.routes.settling import least_touches
from truegauge.core.routes.strategies import (
    Border,
    Cap,
    Clicked,
    Grid,
    Helix,
    Rings,
    Spread,
    StraightLine,
    Trace,
    Usual,
)
from truegauge.demo.cmm_plan import demo_probing


@pytest.fixture(scope="module")
def housing(evaluator):
    return made(evaluator)


def touched_in_part(found, step):
    """Places and normals (part coordinates) of a step."""
    visits = next(s.visits for s in found.planned.steps if s.step.id == step)
    back = invert(found.scene.machine_from_part)
    return (np.vstack([apply(back, v.places.points) for v in visits]),
            np.vstack([rotate(back, v.places.normals) for v in visits]))  # fmt: skip


def test_the_housing_is_made_in_one_go_and_nothing_collides(housing):
    found = check(housing.scene, housing.planned, housing.route.near)
    assert found.meetings == ()
    assert housing.planned.unreached == ()
    for s in housing.planned.steps:
        if s.visits:
            assert sum(len(v.places) for v in s.visits) >= least_touches(s.visits[0].feature.nominal)


def test_what_is_not_reached_names_a_pose_that_reaches_it(housing, evaluator):
    """All over the shroud no pose of the plan gets at it; what is asked for by numbers is not given up silently."""
    step = MeasureStep(id="m", feature="shroud", strategy=Grid(along=4, across=4))
    asked = ON_ITS_BACK.replace(steps=(step,))
    lost = made(evaluator, asked).planned.unreached[0]
    assert lost.feature.name == "shroud"
    assert lost.reason
    assert lost.of_styli
    assert lost.candidates[0].share == 1.0
    again = made(evaluator, asked, probing=with_pose(housing.plan.probing, lost.candidates[0].use))
    assert again.planned.unreached == ()
    assert check(again.scene, again.planned, 1.0).meetings == ()


def test_ways_go_on_where_the_one_before_ended(housing):
    """The quill never jumps, but where the probe is changed by the rack or the head turns about its pivot."""
    for before, after in zip(housing.planned.legs, housing.planned.legs[1:], strict=False):
        if before.use == after.use:
            assert np.allclose(before.end, after.start, atol=1e-9)
        else:
            assert after.kind in ("turn", "change") or before.kind in ("turn", "change")
            here = housing.scene.quill(before.use, before.end)
            there = housing.scene.quill(after.use, after.start)
            assert np.allclose(here[:2], there[:2], atol=1e-9)
        assert after.start_s == pytest.approx(before.start_s + before.seconds)


def test_every_place_is_touched_once_at_the_touch_speed_from_its_approach(housing):
    for s in housing.planned.steps:
        for v in s.visits:
            legs = [x for x in housing.planned.legs if x.step == s.step.id and x.use == v.use and x.kind == "touch"]
            assert [x.place for x in legs] == list(range(len(v.places)))
            for k, leg in enumerate(legs):
                assert np.allclose(leg.end, v.places.points[k] + v.radius * v.places.normals[k])
                assert np.linalg.norm(leg.start - leg.end) == pytest.approx(v.approach, abs=1e-6)


def test_heads_turn_outside_of_the_safe_envelope(housing):
    turns = [x for x in housing.planned.legs if x.kind in ("turn", "change")]
    assert len(turns) == housing.planned.changes >= 3
    for leg in turns:
        a = housing.scene.probing.assembly(leg.use.assembly)
        pivot, radius = a.sweep()
        at = housing.scene.quill(leg.use, leg.start) + pivot
        assert at[2] - radius >= housing.scene.envelope[1, 2]


def test_between_features_the_whole_probe_is_outside_of_the_envelope(housing):
    """Looked at in many places of every way from one feature to another: the probe's solids and the box."""
    low, high = housing.scene.envelope
    by_step = {}
    for leg in housing.planned.legs:
        by_step.setdefault(leg.step, []).append(leg)
    seen = 0
    for s in housing.planned.steps:
        for v in s.visits:
            own = [x for x in by_step[s.step.id] if x.use == v.use]
            entry = v.ways[0][0]
            first = next(k for k, x in enumerate(own) if np.allclose(x.end, entry, atol=1e-9)) if len(own) else 0
            for leg in own[: first + 1]:
                if leg.kind != "travel" or np.allclose(leg.start, entry):
                    continue
                probe = housing.scene.probe(leg.use)
                for t in np.linspace(0, 1, 15):
                    at = housing.scene.quill(leg.use, leg.start + t * (leg.end - leg.start))
                    out = (probe.low + at >= high - 1e-6) | (probe.high + at <= low + 1e-6)
                    assert out.any(), (s.step.id, leg)
                    seen += 1
    assert seen > 100


@pytest.mark.parametrize(
    ("name", "strategy"),
    [
        ("main-bore", Rings(touches=7, rows=2, first=4.0, last=14.0)),
        ("main-bore", Rings(touches=5, rows=1, start_deg=30.0, sweep_deg=120.0, first=8.0)),
        ("base", Spread(touches=20)),
        ("base", Grid(along=5, across=4, drawn_in=0.15, turned_deg=10.0)),
        ("base", Border(touches=14, inset=5.0)),
        ("side-b", Grid(along=6, across=1)),
        ("socket", Cap(touches=9, rows=2, coverage=60.0)),
        ("bolt-3", Usual(touches=8, rows=2)),
        ("top", Usual()),
        ("base", StraightLine(touches=7, pulled_in=6.0, turned_deg=90.0, shift=12.0)),
        ("main-bore", StraightLine(touches=6, pulled_in=5.0, turned_deg=40.0)),
        ("main-bore", Helix(touches=20, turns=2.5, first=4.0, last=16.0)),
        ("shroud", StraightLine(touches=5, pulled_in=8.0)),
    ],
)
def test_touches_lie_on_the_trimmed_face_off_its_borders(evaluator, name, strategy):
    route = ON_ITS_BACK.replace(steps=(MeasureStep(id=step_id(name), feature=name, strategy=strategy),))
    found = made(evaluator, route)
    points, normals = touched_in_part(found, step_id(name))
    feature = found.features[name]
    on = evaluator.projector.deviations(points)
    assert np.isin(on.face, feature.faces).all()
    assert np.abs(on.distance).max() < 1e-6
    assert np.allclose(on.normals, normals, atol=1e-5)
    # The nearest border by brute force: the edges that the face shares with others.
    edges = [e.polyline for e in evaluator.model.edges if set(e.faces) & set(feature.faces)
             and set(e.faces) - set(feature.faces)]  # fmt: skip
    a = np.vstack([e[:-1] for e in edges])
    b = np.vstack([e[1:] for e in edges])
    along = b - a
    for p in points:
        t = np.clip(((p - a) * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-12), 0, 1)
        nearest = np.linalg.norm(p - a - t[:, None] * along, axis=1).min()
        assert nearest >= 0.45  # a tip of 4 mm on a face of 3 mm has less than its radius and 1 mm
    gaps = np.linalg.norm(points[:, None] - points[None], axis=2) + 1e9 * np.eye(len(points))
    assert gaps.min() > 0.3


def test_rows_lie_where_their_numbers_say(evaluator):
    strategy = Rings(touches=6, rows=3, start_deg=15.0, end="outer", first=4.0, last=16.0)
    route = ON_ITS_BACK.replace(steps=(MeasureStep(id="m", feature="main-bore", strategy=strategy),))
    found = made(evaluator, route)
    points, _ = touched_in_part(found, "m")
    # The outer end of the bore is its mouth in the top face, at 60 mm.
    depths = np.unique(np.round(60.0 - points[:, 2], 6))
    assert np.allclose(depths, [4.0, 10.0, 16.0]) or len(depths) == 3
    axis = found.features["main-bore"].nominal.feature
    assert np.allclose(np.hypot(*(points - axis.point)[:, :2].T), axis.radius, atol=1e-6)


def test_a_trace_keeps_its_spacing_and_speed(evaluator):
    strategy = Rings(touches=4, rows=2, first=4.0, last=12.0, trace=Trace(spacing=1.0, speed=20.0))
    route = ON_ITS_BACK.replace(steps=(MeasureStep(id="m", feature="main-bore", strategy=strategy),))
    found = made(evaluator, route)
    legs = [x for x in found.planned.legs if x.kind == "trace"]
    radius = found.features["main-bore"].nominal.feature.radius
    steps = np.array([np.linalg.norm(x.end - x.start) for x in legs])
    tip = found.scene.probe(legs[0].use).place.radius
    assert len(legs) > 2 * 2 * np.pi * radius * 0.9 - 4
    assert steps.max() < 1.05 * (radius - tip) / radius + 0.05
    assert legs[0].speed == 20.0
    assert check(found.scene, found.planned, 1.0).meetings == ()


def test_clicked_places_are_touched_as_they_are_and_what_is_off_the_face_is_told(evaluator):
    good = ((30.0, 20.0, 0.0), (0.0, 0.0, -1.0))
    places = (good, ((110.0, 70.0, 0.0), (0.0, 0.0, -1.0)), ((70.0, 76.0, 0.0), (0.0, 0.0, -1.0)),
              ((300.0, 0.0, 0.0), (0.0, 0.0, -1.0)))  # fmt: skip
    step = MeasureStep(id="m", feature="base", strategy=Clicked(places=places))
    found = made(evaluator, ON_ITS_BACK.replace(steps=(step,)))
    points, _ = touched_in_part(found, "m")
    assert np.allclose(points, [p for p, _ in places[:3]], atol=1e-6)
    plan = next(s for s in found.planned.steps if s.step.id == "m")
    assert [(t.place, t.moved) for t in plan.troubles] == [((300.0, 0.0, 0.0), False)]


def test_making_a_route_twice_gives_the_same_one(housing, evaluator):
    again = make_route(housing.route, ["abc"], housing.planner, housing.features)
    assert again == housing.route
    assert made(evaluator).route == housing.route
    assert [x.start_s for x in made(evaluator).planned.legs] == [x.start_s for x in housing.planned.legs]


def test_datums_and_their_alignment_come_first_and_lanes_are_kept_together(housing):
    kinds = [s.kind for s in housing.route.steps]
    align = kinds.index("align")
    first = {s.feature for s in housing.route.steps[:align]}
    assert first == {f.id for f in housing.features.values() if f.first}
    lanes = [s.visits[0].use for s in housing.planned.steps[align + 1 :] if s.visits]
    runs = 1 + sum(a != b for a, b in itertools.pairwise(lanes))
    assert runs == len(set(lanes))


def test_pinned_steps_and_what_was_said_of_steps_stay(housing):
    note = NoteStep(id="n", text="Clean the base.")
    steps = [*housing.route.steps]
    steps[4] = steps[4].replace(group="bolts", on=False)
    steps.insert(2, note)
    again = make_route(housing.route.replace(steps=tuple(steps)), ["abc"], housing.planner, housing.features)
    assert again.steps[2] == note
    kept = next(s for s in again.steps if s.id == steps[5].id)
    assert kept in steps


def test_a_route_is_undone_exactly(housing):
    history = History(housing.plan)
    history.run(SetRoute(housing.route, "make the route"))
    history.run(SetRoute(housing.route.replace(steps=housing.route.steps[::-1]), "reorder"))
    assert history.undo()
    assert history.plan.route == housing.route
    assert history.undo()
    assert history.plan == housing.plan


def test_a_probe_comes_along_the_axis_that_was_asked_for(housing, evaluator):
    coming = Coming(along="axis", axis=(0.0, 0.0, 1.0), far=30.0)
    down = housing.scene.machine_from_part[:3, 2]
    into, out_of = (
        next(u for u in demo_probing().uses() if sign * (housing.scene.probe(u).place.direction @ down) < -0.9)
        for sign in (1, -1)
    )
    for use in (into, out_of):
        step = MeasureStep(id="m", feature="main-bore", coming=coming, strategy=Usual(touches=6, rows=2), stylus=use)
        scene_route = ON_ITS_BACK.replace(steps=(step,))
        found = housing.planner.plan(scene_route, housing.features).steps[0]
        way = apply(invert(housing.scene.machine_from_part), found.visits[0].ways[0])
        comes = np.allclose(way[-2] - way[-1], [0, 0, 30.0], atol=1e-6)
        # A stylus that comes into the bore from the base cannot come from the top; that is said.
        assert comes == (use is into)
        assert any("asked for" in t.why for t in found.troubles) == (not comes)


@pytest.mark.parametrize("turned", [(0.0, 0.0, 0.7), (0.5 * np.pi, 0.0, 0.0)])
def test_a_probe_comes_along_the_axis_of_a_frame_of_the_plan(housing, evaluator, turned):
    """Seen from the frame of an alignment that is turned, the probe comes along its axis."""
    own = housing.plan.alignments[0]
    plan = housing.plan.replace(alignments=(own.replace(turns=turned), *housing.plan.alignments[1:]))
    frame_from_part = shifted_frame(np.zeros(3), np.array(turned))
    axis = (0.0, 1.0, 0.0)
    step = MeasureStep(id="m", feature="base", coming=Coming(along="axis", axis=axis, frame=own.id, far=12.0))
    route = along_frames(evaluator.context(plan, None), ON_ITS_BACK.replace(steps=(step,)))
    got = np.array(route.steps[0].coming.axis)
    assert route.steps[0].coming.frame == ""
    assert np.allclose(frame_from_part[:3, :3] @ got, axis)
    assert not np.allclose(got, axis)
    # One that is gone is no obstacle to measuring: the axis is that of the part.
    gone = step.replace(coming=step.coming.replace(frame="gone"))
    kept = along_frames(evaluator.context(plan, None), ON_ITS_BACK.replace(steps=(gone,)))
    assert kept.steps[0].coming.axis == axis


def test_the_tip_goes_by_places_that_were_put_on_its_way_where_they_are_free(housing):
    plain = MeasureStep(id="m", feature="base", strategy=Spread(touches=6))
    back = invert(housing.scene.machine_from_part)
    visit = housing.planner.plan(ON_ITS_BACK.replace(steps=(plain,)), housing.features).steps[0].visits[0]
    third = apply(back, visit.before(2)[None])[0]
    free, other, inside = (three(third + np.array(by)) for by in ([0, 0, -25], [6, 0, -30], [0, 0, 30]))
    via = (Via(before=2, place=free), Via(before=2, place=other), Via(before=0, place=other))
    planned = housing.planner.plan(ON_ITS_BACK.replace(steps=(plain.replace(via=via),)), housing.features)
    ways = [apply(back, w) for w in planned.steps[0].visits[0].ways]
    assert np.allclose(ways[2][:2], [free, other])
    assert np.allclose(ways[0][-2], other)
    assert all(len(w) == len(o) for w, o in zip(ways[3:], visit.ways[3:], strict=True))
    assert check(housing.scene, planned, 0.1).meetings == ()
    stuck = plain.replace(via=(Via(before=2, place=inside),))
    told = housing.planner.plan(ON_ITS_BACK.replace(steps=(stuck,)), housing.features)
    assert any("stands in the way over the places" in t.why for t in told.steps[0].troubles)
    assert np.allclose(told.steps[0].visits[0].ways[2], visit.ways[2])
    assert check(housing.scene, told, 0.1).meetings == ()


def test_a_step_has_its_own_approach_and_speed(housing):
    step = MeasureStep(id="m", feature="base", strategy=Spread(touches=6))
    plain, own = (
        housing.planner.plan(ON_ITS_BACK.replace(steps=(s,)), housing.features)
        for s in (step, step.replace(approach=2.5, speed=40.0))
    )
    assert {v.approach for s in own.steps for v in s.visits} == {2.5}
    assert {v.approach for s in plain.steps for v in s.visits} == {housing.scene.probing.moves.approach}
    assert {x.speed for x in own.legs if x.kind == "travel"} == {40.0}
    assert own.seconds > plain.seconds
    touches = [x for x in own.legs if x.kind == "touch"]
    assert np.allclose([np.linalg.norm(x.end - x.start) for x in touches], 2.5)


def test_a_fixture_is_kept_away_from_and_what_it_hides_is_told(evaluator):
    clamp = PartFixture(name="clamp", low=(10.0, -30.0, -6.0), high=(60.0, 92.0, -0.5))
    found = made(evaluator, ON_ITS_BACK.replace(fixtures=(clamp,)))
    assert check(found.scene, found.planned, 0.5).meetings == ()
    base = next(s for s in found.planned.steps if s.step.id == step_id("base"))
    touched = touched_in_part(found, base.step.id)[0] if base.visits else np.zeros((0, 3))
    assert not ((touched[:, 0] > 10) & (touched[:, 0] < 60) & (touched[:, 1] < 92)).any()
    assert any("clamp" in t.why for t in base.troubles) or "clamp" in base.unreached.of_styli[0][1]


def test_the_part_stays_as_it_is_drawn_where_that_side_is_up(evaluator):
    found = made(evaluator, Route(placement=Placement(height=25.0)))
    pose = found.scene.machine_from_part
    assert np.allclose(pose[:3, :3], np.eye(3))
    assert pose[2, 3] == pytest.approx(25.0)


def test_inside_of_the_envelope_ways_are_shorter_and_as_free(evaluator):
    inside = ON_ITS_BACK.replace(envelope=ON_ITS_BACK.envelope.replace(inside=True))
    outside, short = made(evaluator), made(evaluator, inside)
    assert short.planned.travel < 0.95 * outside.planned.travel
    assert short.planned.seconds < outside.planned.seconds
    assert short.planned.touches == outside.planned.touches
    assert check(short.scene, short.planned, 0.5, inside=True).meetings == ()
    for before, after in zip(short.planned.legs, short.planned.legs[1:], strict=False):
        if before.use == after.use:
            assert np.allclose(before.end, after.start, atol=1e-9)
    # Pose changes stay outside all the same.
    for leg in short.planned.legs:
        assert leg.kind not in ("turn", "change") or short.scene.is_outside(leg.use, leg.start)
    # Without leave it would be told.
    told = check(short.scene, short.planned, 0.5, inside=False).meetings
    assert {m.obstacle for m in told} == {"the safe envelope"}
