"""What the last evaluation told and what it tells after an edit: nothing that holds still may be stale.

The second way: every characteristic judged anew. Random edits, one after the other, of limits, modifiers, datums,
rules, features and touches.
"""

import numpy as np
import pytest
from tests.core.samples.test_touched_samples import sample_of, touched

from truegauge.core.commands.requirements import EditCharacteristic
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.plan.alignments import GivenAlignment
from truegauge.core.plan.requirements import Datum, DatumReference
from truegauge.demo.cmm_plan import cmm_plan


def judged_anew(evaluator, plan, sample):
    context = evaluator.context(plan, sample)
    return tuple(evaluator._judged(context.seen_in(c.alignment), c) for c in plan.characteristics)


def edited(plan, rng):
    """Return the plan after one random edit of the kinds that people make."""
    every = list(plan.characteristics)
    k = int(rng.integers(len(every)))
    c, choice = every[k], int(rng.integers(9))
    if choice == 0 and c.upper is not None:
        every[k] = c.replace(upper=float(c.upper * rng.uniform(0.6, 1.6)))
    elif choice == 1 and plan.characteristics[k].kind == "position":
        every[k] = c.replace(modifiers=(("M",), ("M", "R"), (), ("L",))[int(rng.integers(4))])
    elif choice == 2 and c.datums:
        first = c.datums[0].replace(modifiers=() if c.datums[0].modifiers else ("M",))
        every[k] = c.replace(datums=(first, *c.datums[1:]))
    elif choice == 3 and c.datums:
        every[k] = c.replace(datums=c.datums[: int(rng.integers(1, len(c.datums) + 1))])
    elif choice == 4 and len(every) > 12:
        del every[k]
    elif choice == 5:
        made = c.replace(id=f"n{rng.integers(10**9)}", number=plan.next_number)
        every.append(made)
    elif choice == 6:
        same = [i for i, o in enumerate(every) if o.kind == "position" and o.datums == c.datums]
        for i in same[:2]:
            every[i] = every[i].replace(simultaneous="" if every[i].simultaneous else "SIM1")
    elif choice == 7:
        return plan.replace(usual_size=str(rng.choice(["GG", "LP", "E"])))
    else:
        features = tuple(
            f.replace(criterion="least_squares" if f.criterion == "by_use" else "by_use")
            if f.id == plan.features[k % len(plan.features)].id
            else f
            for f in plan.features
        )
        return plan.replace(features=features)
    return plan.replace(characteristics=tuple(every))


@pytest.mark.parametrize("seed", range(4))
def test_after_every_edit_all_results_are_those_that_are_judged_anew(evaluator, plan, sample, seed):
    rng = np.random.default_rng([seed, 23])
    kept = 0
    for step in range(25):
        now = edited(plan, rng)
        before = {id(r) for r in evaluator.evaluate(plan, sample).results}
        found = evaluator.evaluate(now, sample).results
        assert found == judged_anew(evaluator, now, sample), step
        kept += sum(id(r) in before for r in found)
        plan = now
    assert kept > 200  # and most were not judged again


def test_reciprocity_reaches_a_size_through_the_datum_of_another_tolerance(evaluator, plan, sample):
    """The limits of the datum bore are its boundary; that moves a hole's position, and so what its size may take."""
    size = plan.characteristic("c19").replace(features=("bolt-4",))
    system = (DatumReference(letter="A"), DatumReference(letter="Q", modifiers=("M",)))
    floating = plan.characteristic("c20").replace(
        id="floating", number=plan.next_number, datums=system, modifiers=("M", "R"), upper=0.4
    )
    letters = (*(d for d in plan.datums if d.feature != "main-bore"), Datum(letter="Q", feature="main-bore"))
    wide = plan.replace(datums=letters, characteristics=(plan.characteristic("c4"), size, floating))
    narrow = EditCharacteristic("c4", (("lower", -0.2),)).apply(wide)
    first, second = (evaluator.evaluate(p, sample) for p in (wide, narrow))
    assert first.results == judged_anew(evaluator, wide, sample)
    assert second.results == judged_anew(evaluator, narrow, sample)
    assert second.result(size.id).notes[-1] != first.result(size.id).notes[-1]
    assert "reciprocity" in second.result(size.id).notes[-1]


def test_an_uncertainty_that_comes_in_is_seen_by_its_result(evaluator, plan, sample):
    fresh = plan.replace(device=plan.device.replace(probing=0.0021))
    assert evaluator.evaluate(fresh, sample).result("c4").uncertainty is None
    u = evaluator.uncertainty(fresh, sample, fresh.characteristic("c4"))
    assert evaluator.evaluate(fresh, sample).result("c4").uncertainty == u


@pytest.fixture(scope="module")
def on_a_machine(model, evaluator):
    plan = cmm_plan(model).replace(alignments=(GivenAlignment(id="given", name="given"),), in_force="given")
    plan = plan.replace(characteristics=tuple(c.replace(alignment="") for c in plan.characteristics))
    return plan, touched(evaluator, plan)


def test_touches_that_come_and_go_leave_no_stale_result(evaluator, on_a_machine):
    plan, every = on_a_machine
    rng = np.random.default_rng(8)
    sample, kept = sample_of(every[: len(every) // 2], key="growing"), 0
    before = evaluator.evaluate(plan, sample).results
    for step in range(20):
        probed = list(sample.probed)
        if rng.random() < 0.3:
            del probed[int(rng.integers(len(probed)))]
        else:
            probed.append(every[(len(every) // 2 + step) % len(every)])
        sample = sample.with_probed(tuple(probed))
        found = evaluator.evaluate(plan, sample).results
        assert found == judged_anew(evaluator, plan, sample), step
        kept += sum(a is b for a, b in zip(before, found, strict=True))
        before = found
    assert kept > 5 * len(found)


@pytest.mark.parametrize("others", [4, 16])
def test_a_touch_more_is_no_matter_to_the_features_that_it_does_not_concern(model, projector, on_a_machine, others):
    """What is worked out for one more touch does not grow with the features that have touches already."""
    plan, every = on_a_machine
    ids = list(dict.fromkeys(t.feature for t in every))
    concerned, rest = ids[0], set(ids[1 : 1 + others])
    small = plan.replace(characteristics=tuple(c for c in plan.characteristics if set(c.features) <= {concerned})[:1])
    own = [t for t in every if t.feature == concerned]
    evaluator = Evaluator(model, projector)
    sample = sample_of((*(t for t in every if t.feature in rest), *own[:-1]), key="one more")
    before = evaluator.evaluate(small, sample).features
    computed = evaluator.graph.computed
    more = sample.with_probed((*sample.probed, own[-1]))
    after = evaluator.evaluate(small, more).features
    assert evaluator.graph.computed - computed <= 8
    assert after[concerned] is not before[concerned]
    assert all(after[f] is before[f] for f in rest)
    assert all(more.touched[f] is sample.touched[f] for f in rest)
