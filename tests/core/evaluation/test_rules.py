"""What a plan's sizes and forms mean: defaults, modifiers, units, intersection planes; what touches do not hold."""

import numpy as np
import pytest
from tests.core.evaluation.test_tolerances import judged  # noqa: F401 - the fixture
from tests.core.samples.test_touched_samples import POSE, touched

from truegauge.core.authoring.annotations import import_annotations
from truegauge.core.authoring.frame_text import frame_problems, modifiers_text, parse_datum, parse_modifiers
from truegauge.core.authoring.frames import faces_around, faces_between
from truegauge.core.authoring.modifier_words import from_words, meaning_of
from truegauge.core.authoring.proposals import accept, proposals
from truegauge.core.cad.annotations import AnnotatedDimension, AnnotatedTolerance, Annotations, FrameDatum
from truegauge.core.characteristics.size import usual_size
from truegauge.core.commands.requirements import EditCharacteristic, SetRules
from truegauge.core.frames import invert
from truegauge.core.nodes.stated import limits_of_size
from truegauge.core.plan.alignments import GivenAlignment
from truegauge.core.plan.document import Plan
from truegauge.core.plan.part import PartReference
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.samples.document import ProbedTouch, SampleData
from truegauge.core.samples.sample import Sample
from truegauge.core.tolerancing.judgement import State
from truegauge.core.tolerancing.zone import Zone
from truegauge.demo.cmm_plan import cmm_plan
from truegauge.demo.faces import housing_faces
from truegauge.drawing.frame_cells import frame_text
from truegauge.drawing.size_text import size_text
from truegauge.drawing.units import NumberFormat


@pytest.mark.parametrize(
    ("standard", "stated", "means", "definition"),
    [("ISO", "", "LP", "LP"), ("ASME", "", "E", "(E)"), ("ASME", "LP", "LP", "LP"), ("ISO", "GX", "GX", "GX")],
)
def test_a_size_without_words_means_what_the_plan_says(judged, plan, standard, stated, means, definition):  # noqa: F811
    rules = (("standard", standard), ("usual_size", stated))
    assert usual_size(SetRules(rules).apply(plan)) == means
    found = judged(4, rules=rules)  # the main bore
    assert found.definition == definition
    # The inscribed size of a cloud is that of its innermost point.
    assert found.measured == pytest.approx(42.012, abs=0.1 if means == "GX" else 0.03)
    assert found.notes


def test_a_new_plan_follows_its_standard_and_the_demo_states_its_own(plan):
    assert (usual_size(Plan()), usual_size(Plan(standard="ASME"))) == ("LP", "E")
    assert plan.usual_size == "GG"


def test_modifiers_of_a_size_are_evaluated(judged):  # noqa: F811
    largest, smallest = judged(4, modifiers=("LP", "SX")), judged(4, modifiers=("LP", "SN"))
    assert smallest.measured <= largest.measured
    # The bore of the demo is round: its sizes are one and the same, and no longer spread by noise.
    for found in (smallest, largest, judged(4, modifiers=("GG",))):
        assert found.measured == pytest.approx(42.012, abs=0.0005)
    assert judged(4, modifiers=("GX", "ACS")).definition == "GX ACS"
    assert judged(4, modifiers=("CC", "SA")).measured == pytest.approx(42.012, abs=0.01)
    at = judged(4, modifiers=("GG", "SCS"), zone=Zone(at=3.0))
    assert at.definition == "GG SCS+3"
    assert "no cross section is measured" in judged(4, modifiers=("GG", "SCS"), zone=Zone(at=500.0)).reason


def test_limits_of_every_kind_of_size_feed_material_limits(evaluator, plan):
    for kind in ("diameter_lp_sn", "diameter_gx", "diameter"):
        c = plan.characteristic("c4").replace(kind=kind)
        changed = EditCharacteristic("c4", (("kind", kind),)).apply(plan)
        assert limits_of_size(evaluator.context(changed, None), c.features) == (42.0, 42.025)
    spread = EditCharacteristic("c4", (("kind", "diameter_lp_sr"),)).apply(plan)
    assert limits_of_size(evaluator.context(spread, None), ("main-bore",)) == (None, None)


def test_proposals_offer_what_a_size_means(evaluator, plan, sample):
    bore = (plan.feature("main-bore").group,)

    def offered(**rules):
        changed = SetRules(tuple(rules.items())).apply(plan)
        return next(p for p in proposals(evaluator.context(changed, sample), bore) if p.kind.name == "diameter").value

    assert offered(usual_size="GG") == pytest.approx(42.012, abs=0.002)
    assert offered(usual_size="LP") != offered(usual_size="GG")


def test_forms_by_reference_parameter_and_unit(judged):  # noqa: F811
    whole = judged(1)  # the flatness of the base, which is dished
    assert judged(1, modifiers=("G",)).measured >= whole.measured
    assert judged(1, modifiers=("P",)).measured == pytest.approx(whole.measured / 2, abs=1e-9)
    assert judged(1, modifiers=("G", "Q")).measured < whole.measured / 2
    part = judged(1, zone=Zone(per=30.0, per_second=30.0))
    assert part.measured < 0.6 * whole.measured
    assert "largest over any 30 x 30 mm" in part.notes[0]
    line = judged(kind="straightness", features=("base",), upper=0.05, zone=Zone(cut="parallel", cut_datum="B"))
    assert 0 < line.measured <= whole.measured + 1e-9
    assert "choose a direction" in judged(kind="straightness", features=("base",), upper=0.05).reason
    none = judged(kind="straightness", features=("base",), upper=0.05, zone=Zone(cut="perpendicular", cut_datum="A"))
    assert "are not fixed" in none.reason
    given = judged(kind="straightness", features=("base",), upper=0.05, zone=Zone(direction=(1.0, 0.0, 0.0)))
    assert given.measured == pytest.approx(line.measured, abs=0.02)
    ball = judged(kind="roundness", features=("socket",), upper=0.05)
    assert ball.measured is not None or "roundness" in ball.reason


def test_words_are_read_and_said_again():
    letters, zone = parse_modifiers("GX acs SCS+2.5", Zone())
    assert letters == ("GX", "ACS", "SCS")
    assert zone.at == 2.5
    c = Characteristic(id="a", number=1, name="a", kind="diameter", features=("f",), nominal=10.0,
                       modifiers=("GG", "SCS"), zone=Zone(at=2.5))  # fmt: skip
    assert modifiers_text(c) == "GG SCS+2.5"
    letters, zone = parse_modifiers("G Q //B", Zone())
    assert (letters, zone.cut, zone.cut_datum) == (("G", "Q"), "parallel", "B")
    assert parse_modifiers("⊥AB", Zone())[1].cut == "perpendicular"
    assert modifiers_text(c.replace(kind="straightness", modifiers=("G",), zone=zone)) == "G ∥B"
    assert parse_datum("B[PL]").say() == "B[PL]"
    assert parse_datum("a(m)[pt]><").modifiers == ("M", "PT", "><")
    with pytest.raises(ValueError, match="of a form C G N X"):
        parse_modifiers("W", Zone())
    framed = c.replace(
        kind="flatness", nominal=0.0, upper=0.02, modifiers=("G", "T"), zone=Zone(per=25.0, per_second=10.0)
    )
    assert frame_text(framed, NumberFormat()) == "flatness | 0.020 / 25 × 10 G T"
    assert meaning_of("flatness", "T") == "parameter: peak to valley"
    assert meaning_of("perpendicularity", "T") == "tangent plane"
    assert meaning_of("diameter", "CC") == "circumference diameter"


@pytest.mark.parametrize(
    ("kind", "more", "said"),
    [
        ("flatness", {"modifiers": ("LP",)}, "LP is for a size"),
        ("diameter", {"modifiers": ("Q",)}, "for form tolerances"),
        ("diameter", {"modifiers": ("GX", "GN")}, "one definition"),
        ("diameter", {"modifiers": ("E", "I")}, "contradict"),
        ("diameter", {"modifiers": ("E", "GX")}, "two-point and mating"),
        ("diameter", {"modifiers": ("ACS", "SCS")}, "contradict"),
        ("width", {"modifiers": ("CC",)}, "are for cylinders"),
        ("flatness", {"modifiers": ("P", "Q")}, "take off the others"),
        ("position", {"modifiers": ("OZ",)}, "is for profiles"),
        ("roundness", {"zone": Zone(per=10.0)}, "for straightness and flatness"),
        ("straightness", {"zone": Zone(per=10.0, per_second=5.0)}, "unit length, not an area"),
        ("flatness", {"zone": Zone(cut="parallel", cut_datum="A")}, "cuts a surface into lines"),
        ("straightness", {"zone": Zone(cut="parallel", cut_datum="Q")}, "on no feature"),
    ],
)  # fmt: skip
def test_what_makes_no_sense_is_explained(plan, kind, more, said):
    c = Characteristic(id="n", number=99, name="n", kind=kind, features=("main-bore",), nominal=0.0, upper=0.1, **more)
    assert any(said in problem for problem in frame_problems(plan, c, ()))


def test_what_a_size_is_stands_beside_its_number(judged):  # noqa: F811
    found = judged(4, modifiers=("E",), fit="H7")
    assert size_text(found, NumberFormat()) == "42.000  H7  +0.025 / 0.000  (E)"


def test_a_drawing_says_what_of_it_is_not_evaluated(model):
    faces = housing_faces(model)
    plan = Plan(part=PartReference(file_name="LW-1140.step", sha256="0"))
    import dataclasses

    part = dataclasses.replace(model, annotations=Annotations(
        dimensions=(AnnotatedDimension(kind="diameter", name="d", faces=(faces["main-bore"],), value=42.0,
                                       modifiers=("circumference diameter", "square")),),
        tolerances=(AnnotatedTolerance(kind="profile of a surface", name="p", faces=(faces["base"],), value=0.2,
                                       modifiers=("all around", "not convex"),
                                       datums=(FrameDatum(letter="A", modifiers=("plane", "pitch diameter")),)),),
    ))  # fmt: skip
    found = import_annotations(part, plan)
    made = found.command.apply(plan).characteristics
    assert made[0].modifiers == ("CC",)
    assert made[1].datums[0].modifiers == ("PL",)
    said = " | ".join(found.left_out)
    for text in (
        "'square' is not evaluated",
        "all around: the faces that the file ties",
        "'not convex'",
        "'pitch diameter'",
    ):
        assert text in said
    assert from_words(["two point size", "any cross section"])[0] == ("LP", "ACS")


def test_faces_between_are_a_part_of_those_all_around(model):
    faces = housing_faces(model)
    up = np.array([0.0, 0.0, 1.0])
    around = faces_around(model, faces["side-b"], up)
    between = faces_between(model, (faces["side-b"], faces["side-c"]), up)
    assert between[0] == faces["side-b"]
    assert between[-1] == faces["side-c"]
    assert set(between) < set(around)
    assert faces_between(model, (faces["side-b"], faces["base"]), up) == ()


@pytest.fixture(scope="module")
def touched_plan(model):
    given = GivenAlignment(id="given", name="given", matrix=tuple(invert(POSE).ravel().tolist()))
    return cmm_plan(model).replace(alignments=(given,), in_force="given")


def touches_of(feature, nominal, angles, heights):
    """Exact touches of a bore about its nominal axis, by a tip of radius 1."""
    axes, points = nominal.feature.pose.axes, []
    for h in heights:
        for a in angles:
            out = -(np.cos(a) * axes[0] + np.sin(a) * axes[1])  # out of the material of a bore
            at = nominal.center + h * axes[2] - nominal.feature.radius * out
            points.append((at + out, out))
    turn = POSE[:3, :3]
    return tuple(
        ProbedTouch(place=tuple((turn @ p + POSE[:3, 3]).tolist()), approach=tuple((turn @ -o).tolist()), radius=1.0,
                    feature=feature, stylus="A") for p, o in points
    )  # fmt: skip


def test_touches_that_do_not_hold_a_bore_leave_it_not_measured(evaluator, touched_plan):
    """Eight touches at one height over 105 degrees: no diameter, no direction, no place, each with what is missing."""
    plan = touched_plan
    bore = plan.feature("main-bore")
    touches = touches_of(bore.id, evaluator.nominal(bore.group), np.radians(np.linspace(0, 105, 8)), [0.0])
    touches += touched(evaluator, plan, names=("base A", "side B", "side C"))
    evaluation = evaluator.evaluate(plan, Sample.of(SampleData(name="t", probed=touches)))
    own = [r for r in evaluation.results if r.characteristic.features == ("main-bore",)]
    assert {r.characteristic.kind for r in own} >= {"diameter", "perpendicularity"}
    for r in own:
        if r.characteristic.kind in ("roundness",):
            continue
        assert r.state == State.NOT_MEASURED, r.characteristic.name
        assert "8 touches" in r.reason, r.reason


def test_one_ring_of_a_bore_has_size_and_roundness_but_no_direction(evaluator, touched_plan):
    plan = touched_plan
    bore = plan.feature("main-bore")
    touches = touches_of(bore.id, evaluator.nominal(bore.group), np.arange(8) * np.pi / 4, [2.0])
    touches += touched(evaluator, plan, names=("base A", "side B", "side C"))
    evaluation = evaluator.evaluate(plan, Sample.of(SampleData(name="t", probed=touches)))
    by_kind = {r.characteristic.kind: r for r in evaluation.results if r.characteristic.features == ("main-bore",)}
    assert by_kind["diameter"].measured == pytest.approx(42.0, abs=1e-6)
    assert "its direction needs touches at least" in by_kind["perpendicularity"].reason


def test_features_of_one_proposal_have_names_of_their_own(evaluator, plan, sample):
    """Five new bores in one step were all called the same."""
    bare = Plan(part=plan.part)
    groups = tuple(plan.feature(f"bolt-{k}").group for k in range(1, 6))
    bare = bare.replace(features=tuple(plan.feature(f).replace(name=f"bore {k}") for k, f in
                                       enumerate(("main-bore", "cross-bore", "mount-1", "mount-2"), 1)))  # fmt: skip
    nominals = tuple(evaluator.nominal(g) for g in groups)
    offer = next(p for p in proposals(evaluator.context(bare, sample), groups) if p.kind.name == "position")
    made = accept(bare, offer, nominals).apply(bare)
    names = [f.name for f in made.features]
    assert len(set(names)) == len(names) == 9


def test_a_face_along_a_datum_is_asked_for_its_parallelism_first(evaluator, plan, sample):
    found = proposals(evaluator.context(plan, sample), (plan.feature("top").group,))
    assert (found[0].kind.name, found[0].datums[0].letter) == ("parallelism", "A")
    assert (found[1].kind.name, found[1].label) == ("distance", "distance to A")
    assert abs(found[1].nominal - 60) < 1e-9
    assert abs(found[1].value - 60) < 0.1
    edited = accept(plan, found[1], tuple(evaluator.nominal(g) for g in found[1].groups)).apply(plan)
    assert edited.characteristics[-1].features == ("top", plan.datum("A").feature)
    assert not [p for p in proposals(evaluator.context(plan, sample), (plan.feature("main-bore").group,)) if p.datum]


def test_the_history_of_edits_keeps_no_sample_alive(model, projector, plan):
    import gc
    import weakref

    from truegauge import demo
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.formats.sample_file import open_sample

    own = Evaluator(model, projector)
    small = plan.replace(characteristics=plan.characteristics[:2], spots=(), sections=())
    one = open_sample(demo.SCAN)[0]
    own.evaluate(small, one)
    # What belongs to the sample stays while it is the one that is kept ...
    computed = own.graph.computed
    own.forget_other_samples(one.origin)
    own.evaluate(small, one)
    assert own.graph.computed == computed
    # ... and the plan, which the history holds, does not keep it.
    gone = weakref.ref(one)
    own.forget_other_samples("another")
    del one
    gc.collect()
    assert gone() is None
    assert small is not None
