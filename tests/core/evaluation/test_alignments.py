"""The alignments of a plan: chains, frames, what is reported in which, and edits that can be undone."""

import numpy as np
import pytest
from numpy.testing import assert_allclose
from pydantic import ValidationError

from truegauge.core.commands.alignments import RemoveAlignment, SetAlignment, SetInForce
from truegauge.core.commands.features import RemoveFeature
from truegauge.core.commands.history import History
from truegauge.core.commands.part import SetMaterial
from truegauge.core.commands.requirements import EditCharacteristic, SetDatum
from truegauge.core.evaluation.located import machine_from_part
from truegauge.core.frames import apply, invert, rotation_vector
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import ReportFrame
from truegauge.core.plan.alignments import (
    AlignmentDatum,
    BestFitAlignment,
    DatumAlignment,
    GivenAlignment,
    GuidedAlignment,
    GuideTarget,
    MatchedPlace,
    MatchedPointAlignment,
    ReferencePlace,
    ReferencePointAlignment,
)
from truegauge.core.plan.part import PartMaterial
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.samples.document import SampleData, Touch
from truegauge.core.samples.sample import Sample

DATUMS = DatumAlignment(
    id="a2", name="ABC", base="a1", datums=tuple(AlignmentDatum(feature=f) for f in ("base", "side-b", "side-c"))
)


def coordinate(number, feature, axis, alignment=""):
    return Characteristic(
        id=f"k{number}", number=number, name=f"{feature} {axis}", kind=f"coordinate_{axis}", features=(feature,),
        nominal=0.0, lower=-1.0, upper=1.0, alignment=alignment,
    )  # fmt: skip


@pytest.fixture(scope="module")
def by_datums(plan):
    plan = plan.replace(alignments=plan.alignments[:1])
    letters = [SetDatum("A", "base"), SetDatum("B", "side-b"), SetDatum("C", "side-c")]
    for command in letters:
        plan = command.apply(plan)
    plan = SetAlignment(DATUMS).apply(plan)
    more = (
        coordinate(101, "main-bore", "x"),
        coordinate(102, "main-bore", "x", "a2"),
        coordinate(103, "base", "z", "a2"),
    )
    return plan.replace(characteristics=plan.characteristics + more)


@pytest.fixture(scope="module")
def evaluation(evaluator, by_datums, sample):
    return evaluator.evaluate(by_datums, sample)


def test_every_alignment_of_the_plan_is_there_with_what_holds_it(evaluation):
    assert set(evaluation.alignments) == {"a1", "a2"}
    datums = evaluation.alignments["a2"]
    assert datums.freedoms.holders == ("C", "B", "A", "A", "A", "B")
    assert [t.name for t in datums.targets] == ["A", "B", "C"]
    assert evaluation.alignment is evaluation.alignments["a1"]
    assert evaluation.alignments["a1"].freedoms.holders == ("surfaces",) * 6


def test_datums_place_the_scan_on_the_sides_of_the_part(evaluator, by_datums, sample, truth):
    """Side B of the demo part leans by 1.5 mrad: a datum outside its material turns the part, best fit does not."""
    found = evaluator.alignment(by_datums, sample, "a2")
    turn = rotation_vector(found.part_from_scan @ np.array(invert(np.array(truth["part_from_scan"]))))
    assert np.abs(turn).max() < 5e-4
    base = evaluator.context(by_datums, sample, "a2").measured(by_datums.feature("base").group)
    assert abs(base.as_datum().point[2]) < 0.003  # the datum lies in z = 0 now


def test_a_result_can_be_reported_in_any_alignment(evaluator, by_datums, evaluation, sample):
    ours, theirs = (evaluation.result(f"k{n}").measured for n in (101, 102))
    assert abs(ours - 58.0) < 0.1
    assert ours != theirs
    switched = evaluator.evaluate(SetInForce("a2").apply(by_datums), sample)
    assert switched.result("k101").measured == theirs
    assert switched.alignment is evaluation.alignments["a2"]


def test_a_frame_moves_coordinates_and_not_the_part(evaluator, by_datums, sample):
    moved = DATUMS.replace(offset=(58.0, 45.0, 0.0), turns=(0.0, 0.0, np.pi / 2))
    plan = SetAlignment(moved).apply(by_datums)
    result = evaluator.evaluate(plan, sample)
    assert abs(result.result("k102").measured) < 0.1  # the main bore is the origin now
    assert_allclose(result.alignments["a2"].part_from_scan, evaluator.alignment(by_datums, sample, "a2").part_from_scan)


def test_named_axes_make_the_frame(evaluator, by_datums, sample):
    uses = (
        AlignmentDatum(feature="base", axis="+z"),
        AlignmentDatum(feature="side-b", axis="+x"),
        AlignmentDatum(feature="side-c"),
    )
    plan = SetAlignment(DATUMS.replace(datums=uses)).apply(by_datums)
    frame = evaluator.context(plan, None, "a2").get(ReportFrame())
    assert_allclose(apply(frame, np.array([0.0, 0.0, 5.0])), [0, 0, -5], atol=1e-12)
    assert_allclose(apply(frame, np.array([0.0, 4.0, 0.0])), [-4, 0, 0], atol=1e-12)
    wrong = (*uses[:2], AlignmentDatum(feature="side-c", axis="-y"))
    mixed = evaluator.alignment(SetAlignment(DATUMS.replace(datums=wrong)).apply(by_datums), sample, "a2")
    right = evaluator.alignment(
        SetAlignment(DATUMS.replace(datums=(*uses[:2], AlignmentDatum(feature="side-c", axis="+y")))).apply(by_datums),
        sample, "a2",
    )  # fmt: skip
    assert sorted(isinstance(a, NotComputed) and "left-handed" in a.reason for a in (mixed, right)) == [False, True]


def test_reference_points_and_matched_points_go_on_from_the_best_fit(evaluator, plan, sample, truth):
    places = [("Z1", (40, 4, 14), (0, 0, 1)), ("Z2", (100, 4, 14), (0, 0, 1)), ("Z3", (10, 45, 14), (0, 0, 1))]
    points = [ReferencePlace(name=n, place=tuple(map(float, p)), normal=tuple(map(float, d))) for n, p, d in places]
    points += [ReferencePlace(name="bore", held="xy", feature="main-bore"),
               ReferencePlace(name="hole", held="y", feature="mount-2")]  # fmt: skip
    reference = ReferencePointAlignment(id="r", name="RP", base="a1", points=tuple(points))
    matched = MatchedPointAlignment(
        id="m", name="Holes", base="a1",
        points=tuple(
            MatchedPlace(name=f, feature=f) for f in ("main-bore", "mount-1", "mount-2", "bolt-4", "socket")
        ),
    )  # fmt: skip
    plan = SetAlignment(matched).apply(SetAlignment(reference).apply(plan))
    found = evaluator.alignment(plan, sample, "r")
    assert found.freedoms.held == 6
    middle = np.array([70.0, 45.0, 20.0])
    expected = np.array(truth["part_from_scan"])
    assert np.abs(apply(found.part_from_scan @ invert(expected), middle) - middle).max() < 0.03
    holes = evaluator.alignment(plan, sample, "m")
    assert holes.suggestion == "bolt-4"  # the demo's displaced hole
    assert [t.name for t in holes.targets if t.poor] == ["bolt-4"]


def test_touches_alone_align_a_sample(evaluator, plan, sample, truth):
    """Guided targets and matched touches need no scan."""
    device_from_part = invert(np.array(truth["part_from_scan"]))
    up, front, left = (0, 0, 1), (0, -1, 0), (-1, 0, 0)
    spots = [("T1", (40, 4, 14), up), ("T2", (100, 4, 14), up), ("T3", (10, 45, 14), up),
             ("T4", (40, 0, 7), front), ("T5", (100, 0, 7), front), ("T6", (0, 45, 7), left)]  # fmt: skip
    targets = tuple(
        GuideTarget(name=n, place=tuple(map(float, p)), direction=tuple(map(float, d))) for n, p, d in spots
    )
    touches = tuple(
        Touch(target=n, place=tuple(apply(device_from_part, np.array(p, dtype=float)).tolist())) for n, p, _ in spots
    )
    only = Sample.of(SampleData(name="touches", touches=touches))
    guided = GuidedAlignment(id="g", name="Guided", targets=targets)
    plan = SetAlignment(guided, in_force=True).apply(plan)
    found = evaluator.alignment(plan, only)
    assert_allclose(found.part_from_scan, truth["part_from_scan"], atol=1e-6)
    matched = MatchedPointAlignment(
        id="m", points=tuple(MatchedPlace(name=n, place=t.place) for (n, _, _), t in zip(spots, targets, strict=True))
    )
    assert_allclose(
        evaluator.alignment(SetAlignment(matched, in_force=True).apply(plan), only).part_from_scan,
        truth["part_from_scan"], atol=1e-6,
    )  # fmt: skip
    scan_and_touches = sample.with_named(touches)
    both = evaluator.evaluate(plan, scan_and_touches)
    assert both.alignment.rms < 1e-6
    assert abs(both.cloud.statistics.mean) < 0.01
    nothing = evaluator.evaluate(plan, only)
    assert "only touches" in nothing.cloud.reason


@pytest.mark.parametrize("temperature_c", [20.0, 24.0, 35.0])
def test_a_warm_part_lies_on_the_machine_where_its_touches_say(evaluator, plan, temperature_c):
    """Touches a metre and a half from the machine's origin, of a part that has grown about its own."""
    rng = np.random.default_rng(int(temperature_c))
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    turn *= np.linalg.det(turn)
    away = np.array([900.0, -700.0, 950.0])
    up, front, left = (0, 0, 1), (0, -1, 0), (-1, 0, 0)
    spots = [("T1", (40, 4, 14), up), ("T2", (100, 4, 14), up), ("T3", (10, 45, 14), up),
             ("T4", (40, 0, 7), front), ("T5", (100, 0, 7), front), ("T6", (0, 45, 7), left)]  # fmt: skip
    grown = 1 + 23.1e-6 * (temperature_c - 20)
    nominal = np.array([p for _, p, _ in spots], dtype=float)
    placed = nominal * grown @ turn.T + away
    targets = tuple(
        GuideTarget(name=n, place=tuple(map(float, p)), direction=tuple(map(float, d))) for n, p, d in spots
    )
    touches = tuple(Touch(target=n, place=tuple(p)) for (n, _, _), p in zip(spots, placed.tolist(), strict=True))
    touched = Sample.of(SampleData(name="touches", touches=touches, temperature_c=temperature_c))
    aluminium = SetMaterial(PartMaterial(name="aluminium", expansion=23.1e-6)).apply(plan)
    own = SetAlignment(GuidedAlignment(id="g", name="Guided", targets=targets), in_force=True).apply(aluminium)
    found = machine_from_part(own, touched, evaluator.alignment(own, touched))
    assert_allclose(found[:3, :3], turn, atol=1e-9)
    # Nominal places miss the touches by what the part itself has grown, not by what a metre and a half would have.
    assert np.abs(apply(found, nominal) - placed).max() <= 110 * (grown - 1) + 1e-6
    assert_allclose(found[:3, 3], away, rtol=0, atol=1e-6)


def test_warm_parts_are_measured_as_if_at_twenty_degrees(evaluator, plan, sample):
    warm = sample.saying(temperature_c=30.0)
    aluminium = SetMaterial(PartMaterial(name="aluminium", expansion=23.1e-6)).apply(plan)
    cold, hot = evaluator.evaluate(plan, sample), evaluator.evaluate(aluminium, warm)
    shrunk = hot.result("c18").measured / cold.result("c18").measured
    assert abs(shrunk - 1 / (1 + 23.1e-6 * 10)) < 2e-6
    assert hot.temperature == "at 20 °C: part 30 °C, lengths × 0.999769"
    assert cold.temperature == ""


@pytest.mark.parametrize(
    ("own", "words"),
    [
        (DATUMS.replace(base=""), "choose the alignment that it starts from"),
        (DATUMS.replace(datums=()), "no datum yet"),
        (DATUMS.replace(datums=(AlignmentDatum(feature="base"), AlignmentDatum(feature="top"))), "parallel"),
        (MatchedPointAlignment(id="a2", points=(MatchedPlace(name="x"),)), "no touches yet"),
        (GuidedAlignment(id="a2"), "no target yet"),
        (BestFitAlignment(id="a2", base="a1", faces=(999,)), "no face is left that counts"),
    ],
)
def test_what_cannot_be_aligned_says_why(evaluator, by_datums, sample, own, words):
    found = evaluator.alignment(SetAlignment(own).apply(by_datums), sample, "a2")
    assert isinstance(found, NotComputed)
    assert words in found.reason


def test_left_handed_and_bent_matrices_are_refused():
    mirrored = np.diag([1.0, 1, -1, 1]).ravel().tolist()
    with pytest.raises(ValidationError, match="left-handed"):
        GivenAlignment(matrix=tuple(mirrored))
    with pytest.raises(ValidationError, match="orthonormal"):
        GivenAlignment(matrix=tuple((2 * np.eye(4) - np.diag([0, 0, 0, 1.0])).ravel().tolist()))


def test_chains_stay_whole_through_edits_and_undo(by_datums):
    history = History(by_datums)
    third = BestFitAlignment(id="a3", name="again", base="a2")
    history.run(SetAlignment(third, in_force=True))
    history.run(EditCharacteristic("k101", (("alignment", "a3"),)))
    history.run(RemoveAlignment("a2"))
    assert history.plan.alignment("a3").base == "a1"
    history.run(RemoveAlignment("a3"))
    assert history.plan.in_force == "a1"
    assert history.plan.characteristic("k101").alignment == ""
    with pytest.raises(ValueError, match="at least one"):
        history.run(RemoveAlignment("a1"))
    history.run(RemoveFeature("side-c"))
    for _ in range(5):
        history.undo()
    assert history.plan == by_datums


@pytest.mark.parametrize(
    ("changes", "words"),
    [
        ({"in_force": "nobody"}, "in force is not in the plan"),
        ({"alignments": (DATUMS,), "in_force": "a2"}, "starts from one that comes after"),
        ({"alignments": (BestFitAlignment(), BestFitAlignment())}, "same id"),
    ],
)
def test_plans_with_broken_chains_are_refused(plan, changes, words):
    with pytest.raises(ValidationError, match=words):
        plan.replace(**changes)
