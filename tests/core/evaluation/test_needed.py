"""What a characteristic needs: with the points of nothing else its result is the same, without any of these another."""

import pytest

from truegauge import demo
from truegauge.core.commands.features import RemoveFeature
from truegauge.core.evaluation.choice import Choice, chosen_features, chosen_route, reported, taken_over
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.evaluation.needed import needed_features
from truegauge.core.plan.subsets import Subset
from truegauge.core.routes.document import AlignStep, MeasureStep, NoteStep, Route
from truegauge.core.samples.document import ProbedTouch, SampleData
from truegauge.core.samples.sample import Sample
from truegauge.demo.cmm_plan import cmm_plan
from truegauge.formats.plan_file import model_of_plan, read_plan
from truegauge.formats.sample_file import open_sample


@pytest.fixture(scope="module")
def cmm(model):
    return cmm_plan(model)


@pytest.fixture(scope="module")
def touched(evaluator, cmm, sample, plan):
    """Touches of all features, taken from the scan of the demo; the part lies as it is drawn."""
    from truegauge.core.plan.alignments import GivenAlignment

    own = cmm.replace(
        alignments=(GivenAlignment(id="touches", name="as drawn"), *cmm.alignments[1:]),
    )
    found = []
    for f in own.features:
        measured = evaluator.measured(plan, sample, f.group)
        if not hasattr(measured, "points"):
            continue
        for p in measured.points[:: max(1, len(measured.points) // 40)]:
            found.append(ProbedTouch(place=tuple(map(float, p)), approach=(0.0, 0.0, 0.0), radius=0.0, feature=f.id))
    return own, Sample.of(SampleData(name="x", probed=tuple(found)))


def _only(sample, features):
    return sample.with_probed(tuple(t for t in sample.probed if t.feature in features))


def test_a_result_follows_from_what_it_needs_alone_and_from_all_of_it(evaluator, touched):
    plan, sample = touched
    whole = {r.characteristic.id: r for r in evaluator.evaluate(plan, sample).results}
    measured = [c for c in plan.characteristics if whole[c.id].measured is not None]
    assert len(measured) > 15
    for c in measured:
        wanted = needed_features(plan, (c.id,))
        alone = evaluator.evaluate(plan, _only(sample, wanted)).result(c.id)
        assert alone.measured == whole[c.id].measured, c.name
        for feature in wanted:
            less = evaluator.evaluate(plan, _only(sample, set(wanted) - {feature})).result(c.id)
            assert less.measured != whole[c.id].measured, (c.name, feature)


def test_so_does_a_result_of_the_thin_panel():
    """Another part and plan: a scan aligned by its whole shape needs no feature for that, holes in the frame do."""
    file = read_plan(demo.COVER_PLAN)
    evaluator, plan = Evaluator(model_of_plan(demo.COVER_PLAN, file)), file.plan
    scan = open_sample(demo.COVER_SCAN)[0]
    whole = {r.characteristic.id: r for r in evaluator.evaluate(plan, scan).results}
    compared = 0
    for c in plan.characteristics:
        wanted = needed_features(plan, (c.id,))
        assert set(c.features) & {f.id for f in plan.features} <= set(wanted)
        for other in [f for f in plan.features if f.id not in wanted]:
            users = [k for k in plan.characteristics if other.id in needed_features(plan, (k.id,))]
            kept = tuple(k for k in plan.characteristics if k not in users)
            less = RemoveFeature(other.id).apply(plan.replace(characteristics=kept))
            assert evaluator.evaluate(less, scan).result(c.id).measured == whole[c.id].measured, (c.name, other.name)
            compared += 1
            break
    assert compared > 15


def test_results_are_reported_of_what_was_chosen_and_of_features_that_suffice(cmm):
    bore = [c for c in cmm.characteristics if "main-bore" in c.features]
    size = next(c for c in bore if c.features == ("main-bore",) and not c.datums)
    assert reported(cmm, Choice()) == ()
    assert reported(cmm, Choice(characteristics=(size.id,))) == (size.id,)
    own = reported(cmm, Choice(features=("main-bore",)))
    assert size.id in own
    measured = set(chosen_features(cmm, Choice(features=("main-bore",))))
    for c in bore:
        assert (c.id in own) == (set(needed_features(cmm, (c.id,))) <= measured), c.name
    assert len(own) >= 2
    # A feature of the frame that is measured anyway, but was not chosen, brings no results of its own.
    flat = next(c for c in cmm.characteristics if c.features == ("base",) and not c.datums)
    assert flat.id not in own
    assert flat.id in reported(cmm, Choice(features=("base",)))


def test_reasons_name_datums_alignments_and_what_is_built(cmm):
    holes = next(c for c in cmm.characteristics if len(c.features) > 1 and c.datums)
    found = needed_features(cmm, (holes.id,))
    assert next(r.text for r in found[holes.features[1]]) == f"characteristic {holes.number}"
    base = [r.text for r in found["base"]]
    assert any(text.startswith("datum A of") for text in base)
    assert any(text == "alignment A, B, C" for text in base)
    assert set(needed_features(cmm, (), ("main-bore",))) == {"main-bore", "base", "side-b", "side-c"}


def test_simultaneous_requirements_are_measured_together(cmm):
    first, second = [c for c in cmm.characteristics if c.datums and not set(c.features) & {"base", "side-b"}][:2]
    joint = cmm.replace(characteristics=tuple(
        c.replace(simultaneous="S1") if c.id in (first.id, second.id) else c for c in cmm.characteristics
    ))  # fmt: skip
    assert set(second.features) <= set(needed_features(joint, (first.id,)))
    assert not set(second.features) <= set(needed_features(cmm, (first.id,))) | set(first.features)


def test_a_choice_keeps_the_steps_that_it_needs_in_their_order(cmm):
    route = Route(steps=(
        MeasureStep(id="m-bolt-1", feature="bolt-1"), NoteStep(id="n", text="wipe"),
        MeasureStep(id="m-base", feature="base", on=False), AlignStep(id="a", alignment="abc"),
        MeasureStep(id="m-main-bore", feature="main-bore"),
    ))  # fmt: skip
    choice = Choice(features=("main-bore",))
    made = chosen_route(cmm.replace(route=route), route, choice)
    assert [s.id for s in made.steps] == ["m-side-b", "m-side-c", "n", "m-base", "a", "m-main-bore"]
    assert all(s.on for s in made.steps)
    everything = chosen_route(cmm.replace(route=route), route, Choice())
    assert "m-base" not in [s.id for s in everything.steps]


def test_what_only_places_the_part_may_be_taken_over(cmm):
    size = next(c for c in cmm.characteristics if c.features == ("main-bore",) and not c.datums)
    choice = Choice(characteristics=(size.id,), align="as before")
    assert set(chosen_features(cmm, choice)) == {"main-bore"}
    assert taken_over(cmm, choice) == {"base", "side-b", "side-c"}
    made = chosen_route(cmm, cmm.route.replace(steps=(AlignStep(id="a", alignment="abc"),)), choice)
    assert [s.id for s in made.steps] == ["m-main-bore"]


def test_a_subset_loses_what_the_plan_loses(cmm):
    bore = next(c for c in cmm.characteristics if c.features == ("bolt-1",))
    plan = cmm.replace(subsets=(Subset(name="holes", characteristics=(bore.id,), features=("bolt-1", "base")),))
    after = RemoveFeature("bolt-1").apply(plan)
    assert after.subsets[0].characteristics == ()
    assert after.subsets[0].features == ("base",)
    with pytest.raises(ValueError, match="two subsets have the same name"):
        plan.replace(subsets=(Subset(name="a"), Subset(name="a")))
