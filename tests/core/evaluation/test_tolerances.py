"""Tolerances of the demo plan: datum systems side by side, bonus, rules, general tolerances, uncertainty."""

import numpy as np
import pytest

from truegauge.core.authoring.frame_text import frame_problems, modifiers_text, parse_datum, parse_modifiers
from truegauge.core.authoring.modifier_words import from_words
from truegauge.core.commands.requirements import AddCharacteristic, EditCharacteristic, SetDatum, SetRules
from truegauge.core.errors import Cancelled, EvaluationError
from truegauge.core.evaluation.trials import Trial
from truegauge.core.evaluation.uncertainty import UncertaintyOf
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.stated import limits_of_size, stated_by
from truegauge.core.plan.requirements import Characteristic, DatumReference, DatumTarget
from truegauge.core.tolerancing.fits import fit_limits
from truegauge.core.tolerancing.general import GeneralTolerances
from truegauge.core.tolerancing.judgement import DecisionRule, State, decide, dominates
from truegauge.core.tolerancing.zone import Zone
from truegauge.core.uncertainty.stated_errors import StatedErrors


def refs(text):
    return tuple(parse_datum(cell) for cell in text.split("|"))


@pytest.fixture
def judged(evaluator, plan, sample):
    """The result of one characteristic of the demo plan with changes, or of a new one."""

    def result(number=None, rules=(), **changes):
        changed = SetRules(tuple(rules)).apply(plan) if rules else plan
        if number is None:
            c = Characteristic(id="new", number=99, nominal=changes.pop("nominal", 0.0), name="new", **changes)
            changed = AddCharacteristic(c).apply(changed)
        else:
            c = next(c for c in plan.characteristics if c.number == number)
            changed = EditCharacteristic(c.id, tuple(changes.items())).apply(changed)
        return evaluator.evaluate(changed, sample).result(c.id)

    return result


def test_the_same_holes_in_two_systems_stand_side_by_side(evaluation):
    """Bolt hole 4 is 0.18 off; about the main bore the others are in place, in A | B | C all are a little off."""
    by_number = {r.characteristic.number: r for r in evaluation.results}
    frame, about, among = by_number[20], by_number[21], by_number[22]
    assert frame.measured == pytest.approx(0.36, abs=0.04)
    assert about.measured == pytest.approx(0.36, abs=0.02)
    assert among.measured == pytest.approx(0.18, abs=0.01)  # two holes share the misfit when the pattern may move
    assert (frame.state, about.state) == (State.OUTSIDE, State.WITHIN)
    worst = max(frame.outcome.units, key=lambda u: u.value)
    assert worst.name == "bolt hole 4"
    # The bonus is what the hole is larger than its smallest size, 5.45.
    assert frame.bonus == pytest.approx(0.05, abs=0.01)
    assert frame.upper == pytest.approx(0.2 + frame.bonus)
    assert about.outcome.bounded > 0
    assert [r.characteristic.system_text for r in (frame, about)] == ["A | B | C", "A | D(M) | B"]


def test_a_missing_datum_or_size_is_said(judged, evaluator, plan, sample):
    assert "datum Q is on no feature" in judged(23, datums=refs("A|Q")).reason
    assert "needs its limits" in judged(23, modifiers=("M",), features=("mount-2",)).reason
    assert "D(M)" not in judged(21).reason
    lost = judged(20, datums=refs("A|C(M)|B"))
    assert "no size tolerance" in lost.reason or "feature of size" in lost.reason
    hidden = plan.replace(features=tuple(f.replace(faces=(-7,)) if f.id == "side-b" else f for f in plan.features))
    gone = evaluator.evaluate(hidden, sample).result("c20")
    assert gone.reason.startswith("datum B is not measured yet: side B")


def test_limits_of_size_are_found_for_their_feature(evaluator, plan):
    context = evaluator.context(plan, None)
    assert limits_of_size(context, ("main-bore",)) == (42.0, 42.025)
    assert limits_of_size(context, ("slot-right", "slot-left")) == (12.0, 12.05)
    assert stated_by(context, plan.characteristic("c20")).sizes[3] == pytest.approx((5.45, 5.6))  # of an equal hole


def test_single_freedoms_and_targets_of_a_datum(judged, plan, evaluator, sample):
    loose = judged(23, datums=refs("A|B[turn z]"))
    assert loose.outcome.freedoms.holders == ("", "", "A", "A", "A", "B")
    targets = tuple(
        DatumTarget(name=f"A{k + 1}", kind="area", place=p, radius=4.0)
        for k, p in enumerate(((20.0, 30.0, 0.0), (120.0, 15.0, 0.0), (70.0, 80.0, 0.0)))
    )
    changed = SetDatum("A", "base", targets=targets).apply(plan)
    found = evaluator.evaluate(changed, sample).result("c20")
    assert found.outcome.freedoms.added == (3, 2, 1)
    # The dished base: three places in its middle lie deeper than the rim that a plate would touch.
    assert found.measured == pytest.approx(evaluator.evaluate(plan, sample).result("c20").measured, abs=0.05)
    off = SetDatum("A", "base", targets=(DatumTarget(name="A1", place=(20.0, 30.0, 9.0)),)).apply(plan)
    assert "9.00 mm off the surface of datum A" in evaluator.evaluate(off, sample).result("c20").reason


def test_a_pattern_or_opposite_faces_are_one_datum(plan, evaluator, sample):
    pattern = SetDatum("P", "mount-1", others=("mount-2",)).apply(plan)
    c = Characteristic(id="n", number=99, name="n", kind="position", features=("main-bore",), nominal=0.0, upper=0.1,
                       datums=refs("A|P"))  # fmt: skip
    found = evaluator.evaluate(AddCharacteristic(c).apply(pattern), sample).result("n")
    assert found.outcome.freedoms.held == 6
    slot = SetDatum("S", "slot-left", others=("slot-right",)).apply(plan)
    c = c.replace(datums=refs("A|S"), kind="position")
    found = evaluator.evaluate(AddCharacteristic(c).apply(slot), sample).result("n")
    assert found.outcome.freedoms.holders[0] == "S"
    assert found.measured is not None


def test_the_envelope_is_told_where_it_is_the_nearer_limit(judged):
    hole = judged(4, modifiers=("E",), lower=0.0, upper=0.2)
    plain = judged(4)
    # The largest inscribed size, near the lower limit: of the surface, which is round, not of its innermost point.
    assert hole.measured == pytest.approx(plain.measured, abs=0.002)
    assert "mating size" in hole.notes[0]
    tight = judged(4, modifiers=("E",), lower=-0.2, upper=0.02)
    assert tight.measured == pytest.approx(plain.measured, abs=0.0005)
    assert "largest two-point size" in tight.notes[0]


def test_reciprocity_gives_the_size_what_is_unused(judged, evaluator, plan, sample):
    changed = EditCharacteristic("c25", (("modifiers", ("M", "R")),)).apply(plan)
    size = evaluator.evaluate(changed, sample).result("c16")
    unused = 0.1 - evaluator.evaluate(changed, sample).result("c25").measured
    assert size.lower == pytest.approx(0.0 - unused)
    assert "reciprocity" in size.notes[0]


def test_coordinates_are_told_in_the_datum_system(evaluation, judged):
    in_system = next(r for r in evaluation.results if r.characteristic.number == 28)
    by_axes = judged(28, datums=())
    # The base lies lower than in the best fit by what the dish lets it.
    assert in_system.measured - by_axes.measured == pytest.approx(0.017, abs=0.006)


def test_general_tolerances_fill_in_what_has_none(judged):
    fine = (("general", GeneralTolerances(linear="m", geometry="K")),)
    free = judged(12, rules=fine, lower=None, upper=None)
    assert (free.lower, free.upper, free.general) == (-0.2, 0.2, "ISO 2768-mK")
    assert judged(12, lower=None, upper=None).upper is None
    assert judged(1, rules=fine, upper=None).upper == 0.4
    one_profile = (("general", GeneralTolerances(size=0.3, surface=0.5)),)
    assert judged(26, rules=one_profile, upper=None).upper == 0.5
    assert judged(14, rules=one_profile, lower=None, upper=None).state == State.WITHIN


def test_exact_dimensions_are_not_judged(judged):
    assert (judged(14, basic=True).state, judged(14).state) == (State.WITHIN, State.OUTSIDE)
    assert "not judged" in judged(14, basic=True).decision


def test_editing_one_tolerance_computes_no_zone_again(evaluator, plan, sample, evaluation):
    before = evaluator.graph.computed
    changed = EditCharacteristic("c20", (("upper", 0.5),)).apply(plan)
    assert evaluator.evaluate(changed, sample).result("c20").state == State.WITHIN
    assert evaluator.graph.computed == before


def test_both_standards_can_judge_the_plan(judged):
    iso, asme = judged(23), judged(23, rules=(("standard", "ASME"),))
    assert "median line" in iso.outcome.association
    assert "mating envelope" in asme.outcome.association
    assert asme.measured == pytest.approx(iso.measured, abs=0.01)


# Limits, warnings, decisions ---------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("value", "u", "rule", "state", "words"),
    [
        (0.5, 0.1, "simple", State.WITHIN, "within"),
        (0.85, 0.1, "guard_band", State.NEAR, "not proven"),
        (0.75, 0.1, "guard_band", State.WITHIN, "beyond doubt"),
        (1.1, 0.1, "guard_band", State.OUTSIDE, "not proven"),
        (1.3, 0.1, "guard_band", State.OUTSIDE, "outside the limits"),
        (0.75, None, "guard_band", State.UNDECIDED, "not decided yet"),
        (1.1, None, "guard_band", State.OUTSIDE, "outside the limits"),
        (0.85, 0.1, "simple", State.NEAR, "simple acceptance, not proven"),
        (1.1, 0.1, "simple", State.OUTSIDE, "not proven"),
    ],
)
def test_the_decision_rule(value, u, rule, state, words):
    said = decide(value, -1.0, 1.0, uncertainty=u, rule=DecisionRule(rule=rule, k=2.0))
    assert said.state == state
    assert words in said.words


def test_warning_limits_replace_the_usual_share():
    assert decide(0.7, -1.0, 1.0, warn_upper=0.6).state == State.NEAR
    assert decide(0.95, -1.0, 1.0, warn_upper=0.97).state == State.WITHIN
    with pytest.raises(ValueError, match="warning limit"):
        Characteristic(
            id="a", number=1, name="a", kind="diameter", features=("f",), nominal=1.0, upper=0.1, warn_upper=0.2
        )


def test_an_uncertainty_above_a_third_dominates():
    assert dominates(0.02, 0.0, 0.1, k=2.0)
    assert not dominates(0.016, 0.0, 0.1, k=2.0)
    assert not dominates(None, 0.0, 0.1)


@pytest.mark.parametrize(
    ("size", "fit", "lower", "upper"),
    [  # ISO 286-2, tables
        (42.0, "H7", 0.0, 0.025), (40.0, "K7", -0.018, 0.007), (40.0, "N7", -0.033, -0.008),
        (40.0, "P7", -0.042, -0.017), (40.0, "S7", -0.059, -0.034), (40.0, "g6", -0.025, -0.009),
        (40.0, "k6", 0.002, 0.018),
        (40.0, "js6", -0.008, 0.008), (280.0, "M6", -0.041, -0.009), (100.0, "n6", 0.023, 0.045),
        (30.0, "f7", -0.041, -0.020), (50.0, "M8", -0.034, 0.005), (20.0, "P6", -0.031, -0.018),
        (3.0, "H8", 0.0, 0.014),
        (500.0, "h11", -0.4, 0.0), (8.0, "d9", -0.076, -0.040),
    ],
)  # fmt: skip
def test_fit_classes(size, fit, lower, upper):
    assert fit_limits(size, fit) == pytest.approx((lower, upper), abs=1e-9)


@pytest.mark.parametrize("fit", ["Q7", "H0", "H19", "7H", "", "HH7", "za6"])
def test_unknown_fit_classes_are_refused(fit):
    with pytest.raises(EvaluationError):
        fit_limits(40.0, fit)
    with pytest.raises(EvaluationError, match="500 mm"):
        fit_limits(600.0, "H7")


# Uncertainty -------------------------------------------------------------------------------------------------------


def test_uncertainties_follow_the_device(evaluator, plan, sample):
    """Of a diameter by covariance, of a form and of a position by trials; three times the errors are felt."""
    for number in (4, 5, 23):
        c = plan.characteristic(f"c{number}")
        plain = evaluator.uncertainty(plan, sample, c)
        worse = plan.replace(device=StatedErrors(probing=0.012, constant=0.018, per_metre=0.06))
        rough = evaluator.uncertainty(worse, sample, c)
        assert 0.0 < plain < 0.02
        assert rough > 1.2 * plain or number == 5
    size = evaluator.uncertainty(plan, sample, plan.characteristic("c4"))
    assert size == pytest.approx(np.hypot(0.004, 42 * 0.020 / 1000) / 3**0.5, rel=0.02)
    assert evaluator.evaluate(plan, sample).result("c4").uncertainty == size


def test_trials_that_begin_at_the_zone_of_the_value_find_the_same_as_those_that_look_for_it(
    evaluator, plan, sample, monkeypatch
):
    """Trials of a position with a floating datum, and of a profile, take up the zone found for the value."""
    worse = plan.replace(device=StatedErrors(probing=0.006, constant=0.01))
    context, asked = evaluator.context(worse, sample), []

    def worked_out(number):
        return UncertaintyOf(worse.characteristic(f"c{number}"), evaluator._trial).compute(context)

    taken = [worked_out(number) for number in (21, 26)]

    def nothing_known(*_):
        asked.append(1)
        return ()

    evaluator.forget_trials()
    monkeypatch.setattr(Trial, "settled", nothing_known)
    for number, before in zip((21, 26), taken, strict=True):
        assert worked_out(number) == pytest.approx(before, rel=0.02)
    assert asked
    evaluator.forget_trials()


def test_an_uncertainty_can_be_stopped_and_taken_up_again(evaluator, plan, sample):
    c, seen = plan.characteristic("c18"), []

    def stop(fraction, text):
        seen.append(fraction)
        if len(seen) == 3:
            raise Cancelled

    fresh = plan.replace(device=StatedErrors(probing=0.005))
    with pytest.raises(Cancelled):
        evaluator.uncertainty(fresh, sample, c, progress=stop)
    assert not evaluator.knows_uncertainty(fresh, sample, c)
    assert evaluator.uncertainty(fresh, sample, c) > 0


def test_an_uncertainty_of_what_cannot_be_measured_says_why(evaluator, plan, sample):
    c = plan.characteristic("c23").replace(datums=refs("Q"))
    assert isinstance(evaluator.uncertainty(plan, sample, c), NotComputed)


# Frames as text ----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("text", "letter", "modifiers", "holds"),
    [
        ("a", "A", (), ()), ("A - B", "A-B", (), ()), ("d(m)", "D", ("M",), ()), ("B><", "B", ("><",), ()),
        ("C (L) [turn z, x]", "C", ("L",), ("turn about z", "shift along x")),
    ],
)  # fmt: skip
def test_a_datum_cell_is_read_and_said_again(text, letter, modifiers, holds):
    found = parse_datum(text)
    assert (found.letter, found.modifiers, found.holds) == (letter, modifiers, holds)
    assert parse_datum(found.say()) == found


@pytest.mark.parametrize("text", ["1", "A(Q)", "A[turn]", "A[w]", "A B", "A(M"])
def test_a_datum_cell_that_is_none_is_explained(text):
    with pytest.raises(ValueError, match=r"is no datum|not understood|no freedom"):
        parse_datum(text)


def test_modifiers_are_read_and_said_again():
    letters, zone = parse_modifiers("m R P30 UZ+0.05 cz -0.3", Zone())
    c = Characteristic(id="a", number=1, name="a", kind="position", features=("f",), nominal=0.0, modifiers=letters,
                       zone=zone)  # fmt: skip
    assert modifiers_text(c) == "M R P30 UZ+0.05 CZ -0.3"
    assert from_words(["maximum material requirement", "free state", "projected zone 12", "unheard of"])[0] == (
        "M", "F", "unheard of"
    )  # fmt: skip
    with pytest.raises(ValueError, match="no modifier"):
        parse_modifiers("W", Zone())


@pytest.mark.parametrize(
    ("kind", "features", "more", "said"),
    [
        ("flatness", ("base",), {"datums": ("B",)}, "has no datums"),
        ("coaxiality", ("cross-bore",), {}, "needs a datum"),
        ("position", ("main-bore",), {"datums": ("A", "B", "A")}, "twice"),
        ("position", ("main-bore",), {"datums": ("D",)}, "itself"),
        ("position", ("main-bore",), {"datums": ("A",), "modifiers": ("M", "L")}, "contradict"),
        ("position", ("top",), {"datums": ("A",), "modifiers": ("M",)}, "feature of size"),
        ("profile_surface", ("top",), {"modifiers": ("M",)}, "not tied to a size"),
        ("position", ("main-bore",), {"modifiers": ("R",)}, "goes with M or L"),
        ("position", ("main-bore",), {"modifiers": ("T",)}, "tangent plane"),
        ("flatness", ("base",), {"modifiers": ("E",)}, "is for a size"),
        ("position", ("top",), {"datums": ("A",), "zone": Zone(projected=10.0)}, "needs an axis"),
        ("position", ("main-bore",), {"modifiers": ("M",), "zone": Zone(projected=10.0)}, "take off one"),
        ("position", ("main-bore",), {"zone": Zone(offset=0.1)}, "for profiles"),
        ("position", ("main-bore",), {"zone": Zone(shape="sphere")}, "centre"),
        ("position", ("top",), {"zone": Zone(shape="cylinder")}, "not a surface"),
        ("position", ("main-bore",), {"zone": Zone(shape="planes")}, "needs a direction"),
    ],
)
def test_what_makes_no_sense_is_explained(evaluator, plan, kind, features, more, said):
    more = dict(more)
    if "datums" in more:
        more["datums"] = tuple(DatumReference(letter=x) for x in more["datums"])
    c = Characteristic(id="n", number=99, name="n", kind=kind, features=features, nominal=0.0, upper=0.1, **more)
    nominals = [evaluator.nominal(plan.feature(f).faces) for f in features]
    assert any(said in text for text in frame_problems(plan, c, nominals))


def test_sound_frames_have_no_problems(evaluator, plan):
    for c in plan.characteristics[:28]:
        nominals = [n for f in c.features if not isinstance(n := evaluator.nominal(plan.feature(f).faces), NotComputed)]
        assert frame_problems(plan, c, nominals) == []
