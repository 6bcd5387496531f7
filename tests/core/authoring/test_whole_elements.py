"""A slot and a countersink as one feature each, of a plate whose real sizes and places are known."""

import numpy as np
import pytest
from numpy.testing import assert_allclose
from tests.core.cad.kernel_files import box, cone, cut, cylinder, fuse, wedge

from truegauge.core.authoring.proposals import accept, construction_offers, proposals
from truegauge.core.cad.element import ElementKind
from truegauge.core.cad.kernel.documents import document_of_shape
from truegauge.core.cad.kernel.shapes import model_from_document
from truegauge.core.commands.command import Several
from truegauge.core.commands.features import AddConstructed
from truegauge.core.commands.history import History
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.plan.alignments import GivenAlignment
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.requirements import Datum
from truegauge.core.samples.contributions import ScanPoints
from truegauge.core.samples.document import ProbedTouch, SampleData, ScanFile
from truegauge.core.samples.sample import Sample

# As designed: a slot 40 x 10 about (40, 25) along X, a countersink of 8 on a hole of 4 at (70, 25), 90 degrees.
WIDTH, LENGTH, MIDDLE, TURN = 10.06, 40.16, np.array([40.03, 24.96]), 0.002
SINK, ANGLE, HOLE, SINK_AT = 8.2, np.radians(92.0), 4.04, np.array([70.05, 25.02])


@pytest.fixture(scope="module")
def evaluator():
    slot = fuse(box(25, 20, -1, 30, 10, 12), cylinder(25, 25, -1, 5, 12), cylinder(55, 25, -1, 5, 12))
    plate = cut(box(0, 0, 0, 90, 50, 10), slot, cylinder(70, 25, -1, 2, 12), cone(70, 25, 8, 2, 5, 3))
    made = Evaluator(model_from_document(document_of_shape(plate, "part"), "key", "part"))
    assert made.patterns.all == ()
    return made


def real_points(rng, noise):
    """Points of the plate as it is: the three datum faces as designed, slot and countersink off."""
    n = 6000
    u, v = rng.uniform(0, 1, n), rng.uniform(0, 1, n)
    top = np.column_stack([90 * u, 50 * v, np.full(n, 10.0)])
    in_slot = (np.abs(top[:, 0] - 40) < 21) & (np.abs(top[:, 1] - 25) < 6)
    in_sink = np.hypot(top[:, 0] - 70, top[:, 1] - 25) < 5
    faces = [(top[~in_slot & ~in_sink], (0, 0, 1.0))]
    faces.append((np.column_stack([np.zeros(n), 50 * u, 10 * v]), (-1.0, 0, 0)))
    faces.append((np.column_stack([90 * u, np.zeros(n), 10 * v]), (0, -1.0, 0)))
    points, normals = [p for p, _ in faces], [np.tile(w, (len(p), 1)) for p, w in faces]
    turn = np.array([[np.cos(TURN), -np.sin(TURN)], [np.sin(TURN), np.cos(TURN)]])
    straight, half = (LENGTH - WIDTH) / 2, WIDTH / 2
    for side in (-1, 1):
        x = rng.uniform(-straight, straight, n)
        flat = np.column_stack([x, np.full(n, side * half)])
        t = rng.uniform(-np.pi / 2, np.pi / 2, n) + (np.pi if side < 0 else 0)
        outward = np.column_stack([np.cos(t), np.sin(t)])
        round_end = outward * half + np.array([side * straight, 0])
        for at, out in ((flat, np.tile((0.0, side), (n, 1))), (round_end, outward)):
            points.append(np.column_stack([at @ turn.T + MIDDLE, rng.uniform(0, 10, n)]))
            normals.append(-np.column_stack([out @ turn.T, np.zeros(n)]))
    t, high = rng.uniform(-np.pi, np.pi, n), rng.uniform(0, 1, n)
    around = np.column_stack([np.cos(t), np.sin(t)])
    deep = (SINK - HOLE) / 2 / np.tan(ANGLE / 2)
    radius = HOLE / 2 + high * (SINK - HOLE) / 2
    points.append(np.column_stack([radius[:, None] * around + SINK_AT, 10 - deep + high * deep]))
    normals.append(np.column_stack([-around * np.cos(ANGLE / 2), np.full(n, np.sin(ANGLE / 2))]))
    points.append(np.column_stack([HOLE / 2 * around + SINK_AT, high * (10 - deep)]))
    normals.append(np.column_stack([-around, np.zeros(n)]))
    normal = np.vstack(normals)
    return np.vstack(points) + noise * rng.normal(size=(len(normal), 1)) * normal, normal


def sample_of(seed, noise):
    points, normals = real_points(np.random.default_rng(seed), noise)
    scan = ScanPoints(f"plate {seed} {noise}", ScanFile(file_name="plate.ply"), points, normals)
    return Sample.of(SampleData(name="plate"), (scan,))


def plane_at(model, normal, place):
    return next(
        f.index for f in model.faces if f.surface.kind.name == "PLANE"
        and float(f.surface.z @ normal) * f.surface.outward > 0.999
        and abs(float((f.surface.origin - np.array(place)) @ normal)) < 1e-6
    )  # fmt: skip


@pytest.fixture(scope="module")
def plan(evaluator):
    faces = (((0, 0, 1.0), (0, 0, 10)), ((-1.0, 0, 0), (0, 0, 0)), ((0, -1.0, 0), (0, 0, 0)))
    features = tuple(
        NominalFeature(id=name, name=name, faces=(plane_at(evaluator.model, np.array(normal), at),))
        for name, (normal, at) in zip("abc", faces, strict=True)
    )
    datums = tuple(Datum(letter=f.id.upper(), feature=f.id) for f in features)
    return Plan(features=features, datums=datums, alignments=(GivenAlignment(id="given", name="given"),),
                in_force="given")  # fmt: skip


def chosen(evaluator, kind):
    (element,) = (e for e in evaluator.elements.all if e.kind == kind)
    return element.groups


def take(evaluator, plan, sample, groups, kind):
    found = next(p for p in proposals(evaluator.context(plan, sample), groups) if p.kind.name == kind)
    after = plan if found.made is None else found.made.apply(plan)
    return accept(plan, found, tuple(evaluator.nominal(g, after) for g in found.groups)), found


def by_name(found):
    return {p.kind.name: p for p in reversed(found)}


def test_a_slot_offers_width_length_and_position_as_they_are(evaluator, plan):
    groups = chosen(evaluator, ElementKind.SLOT)
    offered = proposals(evaluator.context(plan, sample_of(1, 0.0)), groups)
    assert {p.kind.name for p in offered[:3]} == {"width", "slot_length", "position"}
    found = by_name(offered)
    assert_allclose([found[k].nominal for k in ("width", "slot_length")], (10, 40), atol=1e-6)
    assert_allclose([found[k].value for k in ("width", "slot_length")], (WIDTH, LENGTH), rtol=0, atol=2e-5)
    assert found["position"].value == pytest.approx(2 * np.hypot(0.03, 0.04), abs=5e-5)


def test_a_countersink_offers_diameter_angle_and_depth_as_they_are(evaluator, plan):
    groups = chosen(evaluator, ElementKind.COUNTERSINK)
    found = by_name(proposals(evaluator.context(plan, sample_of(1, 0.0)), groups))
    depth = (SINK - HOLE) / 2 / np.tan(ANGLE / 2)
    kinds = ("diameter", "cone_angle", "countersink_depth")
    assert_allclose([found[k].nominal for k in kinds], (10 - 2, np.pi / 2, 2), atol=1e-5)
    assert_allclose([found[k].value for k in kinds], (SINK, ANGLE, depth), rtol=0, atol=2e-5)
    assert found["position"].value == pytest.approx(2 * np.hypot(0.05, 0.02), abs=5e-5)


def test_what_is_taken_is_one_feature_and_one_step_of_undo(evaluator, plan):
    groups, history = chosen(evaluator, ElementKind.SLOT), History(plan)
    command, proposal = take(evaluator, plan, None, groups, "width")
    assert isinstance(command, Several)
    assert isinstance(command.commands[0], AddConstructed)
    history.run(command)
    assert [f.name for f in history.plan.constructed] == ["slot 1"]
    members = sorted(f.name for f in history.plan.features if f.name.startswith("slot 1 "))
    assert members == ["slot 1 end 1", "slot 1 end 2", "slot 1 side 1", "slot 1 side 2"]
    assert proposal.nominal == pytest.approx(10.0)
    # The second characteristic of the same slot uses the feature that is there, however it is selected.
    again, second = take(evaluator, history.plan, None, groups[::-1], "slot_length")
    assert second.made is None
    history.run(again)
    (one, other) = history.plan.characteristics
    assert one.features == other.features == (history.plan.constructed[0].id,)
    assert (one.name, other.name) == ("slot 1 width", "slot 1 length")
    history.undo()
    history.undo()
    assert history.plan == plan


def test_the_doubt_of_a_slot_is_that_of_its_scatter(evaluator, plan):
    groups = chosen(evaluator, ElementKind.SLOT)
    for kind in ("width", "slot_length"):
        plan = take(evaluator, plan, None, groups, kind)[0].apply(plan)
    plan = take(evaluator, plan, None, chosen(evaluator, ElementKind.COUNTERSINK), "diameter")[0].apply(plan)
    truth, values, stated = (WIDTH, LENGTH, SINK), [], []
    for seed in range(8):
        sample = sample_of(seed, 0.01)
        evaluation = evaluator.evaluate(plan, sample)
        values.append([r.measured for r in evaluation.results])
        if seed == 0:
            stated = [evaluator.uncertainty(plan, sample, c) for c in plan.characteristics]
    errors = np.array(values) - truth
    assert np.all(np.abs(errors.mean(axis=0)) < 0.01 / 5)
    assert not any(isinstance(u, NotComputed) for u in stated)
    assert np.all(np.sqrt((errors**2).mean(axis=0)) < 3 * np.array(stated))


def test_a_slot_is_offered_as_a_construction_of_its_faces_too(evaluator, plan):
    groups = chosen(evaluator, ElementKind.SLOT)
    assert "slot" in [o.construction.name for o in construction_offers(evaluator.context(plan, None), groups)]
    # Sides and ends of different slots, or one end missing, are none.
    assert "slot" not in [o.construction.name for o in construction_offers(evaluator.context(plan, None), groups[:3])]


def test_a_slanted_face_is_offered_its_angularity_first_with_what_one_datum_leaves_open():
    made = Evaluator(model_from_document(document_of_shape(wedge(60, 40, 20, 30), "part"), "key", "part"))
    faces = ((0, -1.0, 0), (0, 0, 0)), ((-1.0, 0, 0), (0, 0, 0))
    features = tuple(
        NominalFeature(id=name, name=name, faces=(plane_at(made.model, np.array(normal), at),))
        for name, (normal, at) in zip("ab", faces, strict=True)
    )
    plan = Plan(features=features, datums=tuple(Datum(letter=f.id.upper(), feature=f.id) for f in features))
    (slanted,) = (
        f.index for f in made.model.faces if abs(float(f.surface.z[0])) > 0.1 and abs(float(f.surface.z[1])) > 0.1
    )
    offered = proposals(made.context(plan, None), ((slanted,),))
    assert [p.label for p in offered[:2]] == ["angularity A | B", "angularity A"]


def touches_of(plan, model, radius=1.0):
    """Touches of the datum faces and of the sides and ends of the slot as it is, of their features, without noise."""
    touches = []
    middle, half, straight = np.append(MIDDLE, 0.0), WIDTH / 2, (LENGTH - WIDTH) / 2
    c, s = np.cos(TURN), np.sin(TURN)
    turn = np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]])

    def touch(feature, point, normal):
        # A place of the feature may be touched by a tip of any radius: the middle of the tip is what is kept.
        place, approach = point + radius * normal, -normal
        touches.append(
            ProbedTouch(place=tuple(place), approach=tuple(approach), radius=radius, feature=feature, stylus="A")
        )

    for f in plan.features:
        surface = model.faces[f.faces[0]].surface
        for u, z in ((-0.9, 2.0), (0.1, 2.0), (0.9, 2.0), (-0.9, 8.0), (0.1, 8.0), (0.9, 8.0)):
            if surface.kind.name == "CYLINDER":
                side = 1.0 if surface.origin[0] > 40 else -1.0
                out = np.array([side * np.cos(1.2 * u), np.sin(1.2 * u), 0.0])
                at = half * out + [side * straight, 0, z]
            elif f.name in "abc":
                normal = surface.z * surface.outward
                at = {"a": [5 + 10 * z, 25 + 22 * u, 10], "b": [0, 25 + 20 * u, z], "c": [45 + 40 * u, 0, z]}[f.name]
                touch(f.id, np.array(at, dtype=float), normal)
                continue
            else:
                out = np.array([0.0, 1.0 if surface.origin[1] > 25 else -1.0, 0.0])
                at = half * out + [straight * u, 0, z]
            touch(f.id, turn @ at + middle, -(turn @ out))
    return tuple(touches)


def test_a_slot_of_touches_is_as_it_is(evaluator, plan):
    groups = chosen(evaluator, ElementKind.SLOT)
    for kind in ("width", "slot_length", "position"):
        plan = take(evaluator, plan, None, groups, kind)[0].apply(plan)
    assert len(plan.features) == 3 + 4
    probed = touches_of(plan, evaluator.model)
    sample = Sample.of(SampleData(name="touched", probed=probed))
    results = evaluator.evaluate(plan, sample).results
    assert not [r.reason for r in results if r.measured is None]
    width, length, position = (r.measured for r in results)
    assert_allclose((width, length), (WIDTH, LENGTH), rtol=0, atol=1e-5)
    assert position == pytest.approx(2 * np.hypot(0.03, 0.04), abs=2e-4)  # turned by 2 mrad about its middle
