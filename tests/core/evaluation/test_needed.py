"""What a characteristic needs: with the points of nothing else its result is the same, without any of these another."""

import pytest

from truegauge.core.evaluation.choice import Choice, chosen_features, chosen_route, taken_over
from truegauge.core.evaluation.needed import needed_features
from truegauge.core.plan.subsets import Subset
from truegauge.core.routes.document import AlignStep, MeasureStep, NoteStep, Route
from truegauge.core.samples.document import ProbedTouch, SampleData
from truegauge.core.samples.sample import Sample
from truegauge.demo.cmm_plan import cmm_plan


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
    from truegauge.core.commands.features import RemoveFeature

    bore = next(c for c in cmm.characteristics if c.features == ("bolt-1",))
    plan = cmm.replace(subsets=(Subset(name="holes", characteristics=(bore.id,), features=("bolt-1", "base")),))
    after = RemoveFeature("bolt-1").apply(plan)
    assert after.subsets[0].characteristics == ()
    assert after.subsets[0].features == ("base",)
    with pytest.raises(ValueError, match="two subsets have the same name"):
        plan.replace(subsets=(Subset(name="a"), Subset(name="a")))
