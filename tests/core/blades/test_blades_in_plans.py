"""Sections of blades as a part of the plan: made, told as characteristics, changed, and the same as without a plan."""

from dataclasses import replace

import numpy as np
import pytest

from truegauge import demo
from truegauge.core.authoring.blades import (
    USUAL_VALUES,
    heights_in,
    names_of,
    new_blade,
    nominals_of,
    set_blade,
    with_heights,
)
from truegauge.core.blades.asked import Asked
from truegauge.core.blades.profile import Profile
from truegauge.core.blades.scatter import scatter_of
from truegauge.core.blades.section_fit import feet_on
from truegauge.core.blades.sections import nominal_cut, sections_of
from truegauge.core.commands.history import History
from truegauge.core.errors import EvaluationError
from truegauge.core.evaluation.blade_heights import height_curves, section_results, whole_blade
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.nodes.blades import MeasuredBlade
from truegauge.core.nodes.map import MapOf
from truegauge.core.nodes.unbent import UnbentMap
from truegauge.core.plan.alignments import GivenAlignment
from truegauge.core.plan.blades import BladeBand, BladeCheck, BladeConstruction, BladeFit, BladeSection, BladeValue
from truegauge.core.plan.document import Plan
from truegauge.core.samples.document import SampleData, ScanFile
from truegauge.core.samples.sample import Sample, ScanPoints
from truegauge.core.tolerancing.judgement import State
from truegauge.demo.vane import FILLET, VaneErrors, vane_cloud, vane_trace
from truegauge.demo.vane_plan import TRACED
from truegauge.drawing.height_figure import format_of
from truegauge.drawing.units import NumberFormat
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import read_plan, write_plan
from truegauge.formats.sample_file import open_sample

HEIGHTS = (30.0, 60.0, 80.0)
BANDS = tuple(BladeBand(zone=z, lower=-t, upper=t)
              for z, t in (("leading", 0.08), ("trailing", 0.06), ("pressure", 0.05), ("suction", 0.05)))  # fmt: skip


def scanned(name, points):
    scan = ScanPoints(name, ScanFile(file_name=f"{name}.ply"), points, None)
    return Sample.of(SampleData(name=name), (scan,))


@pytest.fixture(scope="module")
def evaluator():
    return Evaluator(read_part(demo.VANE_PART))


@pytest.fixture(scope="module")
def points():
    return vane_cloud(200_000, errors=VaneErrors(wave=0.0), gaps=False)


@pytest.fixture(scope="module")
def sample(points):
    return scanned("vane", points)


@pytest.fixture(scope="module")
def plan(evaluator):
    blade = with_heights(new_blade(Plan(), evaluator.model), HEIGHTS).replace(bands=BANDS, edge_distances=(2.0,))
    given = GivenAlignment(id="given", name="as it lies")
    base = Plan(alignments=(given,), in_force="given")
    return set_blade(evaluator.context(base, None), blade, (*USUAL_VALUES, "profile_beyond.all.after")).apply(base)


def by_name(evaluation, height, what):
    found = evaluation.plan.blades[0]
    section = next(s for s in found.sections if s.height == height)
    value = next(v for v in section.values if v.what == what)
    return next(r for r in evaluation.results if r.characteristic.features == (value.id,))


@pytest.mark.parametrize(("text", "heights"), [
    ("20, 40,60", (20.0, 40.0, 60.0)), ("60 20 20", (20.0, 60.0)), ("10 to 90 by 20", (10.0, 30.0, 50.0, 70.0, 90.0)),
    ("3 from 10 to 20", (10.0, 15.0, 20.0)), ("5 to 25", (5.0, 15.0, 25.0)), ("1e1", (10.0,)),
])  # fmt: skip
def test_heights_are_typed_in_words(text, heights):
    assert heights_in(text) == heights


@pytest.mark.parametrize("text", ["", "up", "10 to 5 by 1", "0 to 1 by 0", "x from 1 to 2", "0 to 1000 by 1"])
def test_what_says_no_heights_is_refused_with_an_example(text):
    with pytest.raises(ValueError, match=r"type|heights"):
        heights_in(text)


def test_a_new_blade_stacks_along_the_longest_side(evaluator):
    blade = new_blade(Plan(), evaluator.model)
    assert (blade.axis, blade.machine) == ((0.0, 0.0, 1.0), (1.0, 0.0, 0.0))
    more = with_heights(with_heights(blade, (40.0, 20.0)), (30.0, 20.0))
    assert [s.height for s in more.sections] == [20.0, 30.0, 40.0]


def test_a_plan_tells_what_the_computation_without_one_tells(evaluator, plan, sample, points):
    direct = sections_of(evaluator.model, evaluator.projector, points, Asked(HEIGHTS, edge_distances=(2.0,)))
    evaluation = evaluator.evaluate(plan, sample)
    context = evaluator.context(plan, sample)
    blade = plan.blades[0]
    for one, section in zip(direct, blade.sections, strict=True):
        found = context.need(MeasuredBlade(blade, section))
        assert len(found.points) == pytest.approx(len(one.points), abs=20)  # strays are left out there
        for name, value in one.told.items():
            assert found.told[name] == pytest.approx(value, abs=max(3e-4, 3 * one.uncertainties[name])), name
        assert by_name(evaluation, one.height, "chord_mean_line").measured == found.told["chord_mean_line"]
    for c in plan.characteristics:
        assert evaluator.uncertainty(plan, sample, c) > 0
    with_u = by_name(evaluator.evaluate(plan, sample), 60.0, "chord_mean_line")
    own = replace(direct[1], uncertainties={})
    probing = np.sqrt(2) * plan.device.of_probing
    scale = plan.device.of_scale * direct[1].nominal_values["chord_mean_line"]
    stated = np.sqrt(scatter_of(own, Asked(HEIGHTS, edge_distances=(2.0,)))["chord_mean_line"] ** 2
                     + probing**2 + scale**2)  # fmt: skip
    assert with_u.uncertainty == pytest.approx(stated, rel=0.25)


def test_the_injected_errors_are_found_and_judged(evaluator, plan, sample):
    evaluation = evaluator.evaluate(plan, sample)
    errors = VaneErrors(wave=0.0)
    for height in HEIGHTS:
        truth = errors.made(height).values()
        for what in ("chord_mean_line", "leading_radius", "trailing_radius", "max_thickness"):
            assert by_name(evaluation, height, what).measured == pytest.approx(truth[what], abs=0.03)
    twist = by_name(evaluation, 80.0, "fit_turn")
    assert np.degrees(twist.measured) == pytest.approx(-0.48, abs=0.04)
    # Beyond its bands is what stands out most of them, by definition.
    context, blade = evaluator.context(plan, sample), plan.blades[0]
    found = context.need(MeasuredBlade(blade, blade.sections[2]))
    s = found.nominal.profile.places(600)
    d = found.curve.deviation(s)
    limits = {b.zone: b.upper for b in BANDS}
    beyond = by_name(evaluation, 80.0, "profile_beyond.all.after")
    assert beyond.measured >= np.abs(d).max() - max(limits.values()) - 1e-9
    assert beyond.measured <= np.abs(d).max() - min(limits.values()) + 1e-9
    assert (beyond.state == State.OUTSIDE) == (beyond.measured > 0)


def test_curves_over_the_height_are_deviations_with_their_limits(evaluator, plan, sample):
    evaluation = evaluator.evaluate(plan, sample)
    context, blade = evaluator.context(plan, sample), plan.blades[0]
    curves = {c.what: c for c in height_curves(context, evaluation, blade)}
    assert {"chord_angle", "centroid_x", "centroid_y", "chord_mean_line"} <= set(curves)
    twist = curves["chord_angle"]
    assert np.degrees(twist.deviations) == pytest.approx([0.18, 0.36, 0.48], abs=0.04)
    assert np.degrees(twist.upper) == pytest.approx([0.5] * 3)
    assert format_of(twist.what, NumberFormat()).value(twist.upper[0]) == "0.500°"
    assert np.isnan(curves["centroid_x"].upper).all()  # nobody limits it
    whole = whole_blade(section_results(context, blade))
    assert whole.lean[0] == pytest.approx(0.0012, abs=3e-4)
    assert section_results(evaluator.context(plan, None), blade) == [None] * 3


def test_a_changed_construction_is_kept_and_only_what_was_typed_stays(evaluator, plan, sample):
    blade, context = plan.blades[0], evaluator.context(plan, None)
    radius = next(v for v in blade.sections[1].values if v.what == "leading_radius")
    mine = next(c for c in plan.characteristics if c.features == (radius.id,))
    typed = plan.replace(characteristics=tuple(
        c.replace(nominal=0.7) if c.id == mine.id else c for c in plan.characteristics))  # fmt: skip
    changed = blade.replace(construction=BladeConstruction(leading_share=0.3, trailing_moved=0.05))
    history = History(typed)
    assert history.run(set_blade(evaluator.context(typed, None), changed))
    now = history.plan
    assert now.characteristic(mine.id).nominal == 0.7
    tangent = blade.replace(construction=BladeConstruction(tangent=(0.1, 0.9)))
    assert nominals_of(context, tangent, tangent.sections[0])["chord_tangent"] != pytest.approx(
        nominals_of(context, blade, blade.sections[0])["chord_tangent"], abs=1e-5
    )
    before, after = (evaluator.evaluate(p, sample) for p in (typed, now))
    radii = [by_name(e, 60.0, "leading_radius").measured for e in (before, after)]
    assert radii[0] != radii[1]
    assert radii[1] == pytest.approx(radii[0], abs=0.05)
    history.undo()
    assert history.plan == typed


def test_one_section_can_have_a_construction_of_its_own(evaluator, plan):
    blade = plan.blades[0]
    own = blade.sections[0].replace(construction=BladeConstruction(tangent=(0.1, 0.6)))
    mixed = blade.replace(sections=(own, *blade.sections[1:]))
    context = evaluator.context(plan, None)
    told = [nominals_of(context, mixed, s)["chord_tangent"] for s in mixed.sections]
    as_found = [nominals_of(context, blade, s)["chord_tangent"] for s in blade.sections]
    assert told[0] != pytest.approx(as_found[0], abs=1e-6)
    assert told[1:] == as_found[1:]


def test_values_come_and_go_with_their_characteristics(evaluator, plan):
    context, blade = evaluator.context(plan, None), plan.blades[0]
    fewer = set_blade(context, blade, ("chord_mean_line", "area")).apply(plan)
    assert len(fewer.characteristics) == 2 * len(HEIGHTS)
    kept = {c.id for c in plan.characteristics} & {c.id for c in fewer.characteristics}
    assert len(kept) == len(HEIGHTS)  # the chords stay, with what was typed of them
    area = next(c for c in fewer.characteristics if c.kind == "blade_area")
    assert area.nominal > 50
    more = with_heights(fewer.blades[0], (45.0,))
    grown = set_blade(evaluator.context(fewer, None), more).apply(fewer)
    assert len(grown.characteristics) == 2 * (len(HEIGHTS) + 1)
    thick = set_blade(context, blade, ("leading_thickness_2", "area")).apply(plan)
    elsewhere = set_blade(evaluator.context(thick, None), thick.blades[0].replace(edge_distances=(3.0,))).apply(thick)
    assert {c.kind for c in elsewhere.characteristics} == {"blade_area"}  # nobody asks for the other any more
    none = set_blade(evaluator.context(grown, None), grown.blades[0].replace(sections=())).apply(grown)
    assert none.characteristics == ()


def test_every_name_has_a_nominal_and_a_kind(evaluator, plan, sample):
    blade = plan.blades[0].replace(chord_shares=(0.3,), wavelength=8.0)
    blade = blade.replace(sections=blade.sections[1:2])
    told = set_blade(evaluator.context(plan, None), blade, names_of(blade)).apply(plan)
    evaluation = evaluator.evaluate(told, sample)
    assert len(evaluation.results) == len(names_of(blade))
    for result in evaluation.results:
        assert result.measured is not None, (result.characteristic.name, result.reason)


def test_a_gap_a_wrong_height_and_the_root_are_said(evaluator, plan, points):
    blade = plan.blades[0].replace(sections=(
        BladeSection(id="low", height=60.0), BladeSection(id="high", height=150.0),
        BladeSection(id="root", height=-6.0),
    ))  # fmt: skip
    base = plan.replace(blades=(), characteristics=())
    made = set_blade(evaluator.context(base, None), blade, ("chord_mean_line",)).apply(base)
    there = points[~((np.abs(points[:, 2] - 60) < 3) & (points[:, 0] > 9))]
    evaluation = evaluator.evaluate(made, scanned("gap", there))
    reasons = [r.reason for r in evaluation.results]
    assert reasons[0] == "there are no points at the trailing edge"
    assert "cuts nothing closed" in reasons[1]
    assert "nearly as thick as long" in reasons[2]


def test_the_fit_turns_about_the_axis_of_the_plan_that_is_said(evaluator, plan, sample):
    blade = plan.blades[0]
    about = {"stacking": np.zeros(2), "place": np.array([3.0, -4.0])}
    for key, pivot in about.items():
        own = blade.replace(fit=BladeFit(about=key, place=(3.0, -4.0)))
        there = set_blade(evaluator.context(plan, None), own).apply(plan)
        found = evaluator.context(there, sample).need(MeasuredBlade(own, own.sections[0]))
        assert found.fit.pivot == pytest.approx(pivot, abs=1e-9)
    lost = blade.replace(fit=BladeFit(about="feature", feature="gone"))
    wrong = set_blade(evaluator.context(plan, None), lost).apply(plan)
    assert "is not in the plan" in evaluator.evaluate(wrong, sample).results[0].reason
    for shifts, free in (("along", 0), ("across", 1)):
        own = blade.replace(fit=BladeFit(shifts=shifts, turns=False))
        found = evaluator.context(plan, sample).need(MeasuredBlade(own, own.sections[0]))
        assert found.fit.shift[1 - free] == 0.0
        assert abs(found.fit.shift[free]) > 1e-4
        assert found.fit.turn == 0.0


def test_a_plan_with_blades_comes_back_from_its_file_as_it_was(plan, tmp_path):
    path = tmp_path / "vane.tgplan"
    write_plan(path, plan, None)
    assert read_plan(path).plan == plan


def test_the_demo_plan_is_what_its_maker_makes_and_judges(evaluator):
    plan = read_plan(demo.VANE_PLAN).plan
    assert [s.height for s in plan.blades[0].sections] == [10.0, 20.0, 30.0, 40.0, 50.0, 60.0, 70.0, 80.0, 90.0]
    assert len(plan.characteristics) == 72


@pytest.mark.parametrize(("changes", "words"), [
    ({"machine": (0.0, 0.0, 1.0)}, "along the stacking axis"), ({"axis": (0.0, 0.0, 0.0)}, "points nowhere"),
    ({"bands": (BANDS[0], BANDS[0])}, "two bands"),
    ({"sections": (BladeSection(id="a", height=1.0), BladeSection(id="b", height=1.0))}, "same height"),
    ({"sections": (BladeSection(id="a", height=1.0), BladeSection(id="a", height=2.0))}, "same id"),
])  # fmt: skip
def test_what_makes_no_sense_is_refused(changes, words):
    with pytest.raises(ValueError, match=words):
        BladeCheck(id="b", **changes)
    with pytest.raises(ValueError, match="above the upper"):
        BladeBand(zone="leading", lower=0.2, upper=0.1)
    with pytest.raises(ValueError, match="tangent"):
        BladeConstruction(tangent=(0.8, 0.2))
    with pytest.raises(ValueError, match="weights"):
        BladeFit(weights=(0.0, 0.0, 0.0, 0.0))


def test_unbent_what_twists_leans_and_bows_is_gone_and_a_wave_stays(evaluator, plan):
    """A blade that is only turned and shifted, section by section, lies on its nominal; a dent in it is seen."""
    only_bent = VaneErrors(thick_trailing=0.0, blunt_leading=0.0, short_chord=0.0, wave=0.0)
    bent = vane_cloud(150_000, errors=only_bent, gaps=False, noise=1e-4)
    blade = with_heights(plan.blades[0].replace(sections=()), np.arange(20.0, 86.0, 5.0)).replace(bands=())
    base = plan.replace(blades=(blade,), characteristics=())
    context = evaluator.context(base, scanned("bent", bent))
    found, plain = context.need(UnbentMap(blade)), context.need(MapOf())
    heights = found.fine.vertices[:, 2]
    inside = (heights > 21) & (heights < 84)
    assert np.nanpercentile(np.abs(plain.fine_values[inside]), 95) > 0.05
    assert np.nanpercentile(np.abs(found.fine_values[inside]), 95) < 0.004
    assert np.isnan(found.fine_values[heights < 15]).all()  # below the lowest section nobody says how it lies
    dent = bent.copy()
    off = np.linalg.norm(dent - dent[np.argmin(np.abs(dent[:, 2] - 52.5))], axis=1)
    dent[off < 2.0, 1] += 0.1
    dented = evaluator.context(base, scanned("dented", dent)).need(UnbentMap(blade))
    assert np.nanmax(np.abs(dented.fine_values[inside])) > 0.05
    one = blade.replace(sections=blade.sections[:1])
    assert "two sections" in context.get(UnbentMap(one)).reason


@pytest.mark.parametrize("height", TRACED)
def test_traced_sections_are_compensated_by_the_surface_as_it_is(evaluator, height):
    """Where an edge lies elsewhere than it should a tip comes to it another way: by the nominal it is 0.02 mm off."""
    plan = read_plan(demo.VANE_PLAN).plan
    sample, _ = open_sample(demo.VANE_TRACES, "")
    blade = plan.blades[0].replace(sections=(BladeSection(id="one", height=height),), bands=(), edge_distances=())
    base = plan.replace(in_force="machine", blades=(), characteristics=())
    made = set_blade(evaluator.context(base, None), blade, ("chord_mean_line", "leading_radius")).apply(base)
    found = evaluator.context(made, sample).need(MeasuredBlade(made.blades[0], made.blades[0].sections[0]))
    assert found.problem == ""
    truth = VaneErrors().made(height)
    true = Profile.through(truth.around(400, 60))
    off = feet_on(true, found.measured.profile.at(found.measured.profile.places(800))).distance
    assert np.sqrt(np.mean(np.square(off))) < 0.0015
    assert np.abs(off).max() < 0.008
    for what in ("chord_mean_line", "leading_radius", "trailing_radius", "max_thickness"):
        assert found.values[what] == pytest.approx(truth.values()[what], abs=0.006), what
    u = scatter_of(found, Asked((height,)))
    assert abs(found.values["chord_mean_line"] - truth.values()["chord_mean_line"]) < 4 * u["chord_mean_line"]


@pytest.mark.parametrize("radius", [0.25, 3.0])
def test_tips_of_any_radius_give_the_same_section(evaluator, radius):
    centers, _ = vane_trace(55.0, 500, radius, noise=1e-6)
    first, _ = vane_trace(55.0, 500, 1.0, noise=1e-6)
    one, other = (
        sections_of(evaluator.model, evaluator.projector, c, Asked((55.0,)), radii=np.full(500, r))[0]
        for c, r in ((centers, radius), (first, 1.0))
    )
    for name in ("chord_mean_line", "leading_radius", "trailing_radius", "max_thickness", "area"):
        assert one.values[name] == pytest.approx(other.values[name], abs=4e-3), name
    both = sections_of(evaluator.model, evaluator.projector, np.vstack([centers, first]), Asked((55.0,)),
                       radii=np.repeat([radius, 1.0], 500))[0]  # fmt: skip
    assert len(both.points) == 1000
    assert both.values["chord_mean_line"] == pytest.approx(one.values["chord_mean_line"], abs=2e-3)


def test_a_nominal_that_could_not_be_known_for_a_while_is_taken_again(evaluator):
    """A section that is moved into the fillet and out of it; what was typed stays."""
    base = Plan(alignments=(GivenAlignment(id="given", name="as it lies"),), in_force="given")
    blade = with_heights(new_blade(base, evaluator.model), (30.0,))
    whats = ("chord_mean_line", "max_thickness")
    made = set_blade(evaluator.context(base, None), blade, whats).apply(base)
    chord, thick = made.characteristics
    made = made.replace(characteristics=(chord, thick.replace(nominal=4.5)))

    def moved(plan, height):
        own = plan.blades[0]
        there = own.replace(sections=(own.sections[0].replace(height=height),))
        return set_blade(evaluator.context(plan, None), there).apply(plan)

    inside = moved(made, 0.3)
    assert [c.nominal for c in inside.characteristics] == [0.0, 4.5]
    again = moved(inside, 30.0)
    assert [c.nominal for c in again.characteristics] == [chord.nominal, 4.5]


def test_a_section_through_the_fillet_is_said_and_not_told(evaluator):
    for height in (0.2, 0.5):
        with pytest.raises(EvaluationError, match="through a fillet, not of an aerofoil"):
            nominal_cut(evaluator.model, evaluator.projector, Asked((height,)), height)
    for height in (FILLET + 0.05, 10.0, 95.0):
        nominal_cut(evaluator.model, evaluator.projector, Asked((height,)), height)


@pytest.mark.parametrize("tilt", [0.0, 0.1, -0.25])
def test_planes_rise_along_the_machine_axis_and_cut_there(evaluator, points, tilt):
    """Every place of a section lies in its plane and on the part; the plan and the command cut alike."""
    asked = Asked((30.0, 80.0), tilts=(tilt, 2 * tilt))
    for height, angle in ((30.0, tilt), (80.0, 2 * tilt), (55.0, 1.5 * tilt)):
        plane = asked.plane(height)
        assert plane.solid(np.zeros((1, 2)))[0] == pytest.approx([0.0, 0.0, height])
        assert plane.across == pytest.approx([np.cos(angle), 0.0, np.sin(angle)])  # along the machine axis, rising
    blade = with_heights(new_blade(Plan(), evaluator.model), (30.0, 80.0)).replace(tilts=(tilt, 2 * tilt))
    base = Plan(alignments=(GivenAlignment(id="given", name="as it lies"),), in_force="given")
    made = set_blade(evaluator.context(base, None), blade, ("chord_mean_line",)).apply(base)
    direct = sections_of(evaluator.model, evaluator.projector, points, asked)
    context = evaluator.context(made, scanned("vane", points))
    for one, section in zip(direct, made.blades[0].sections, strict=True):
        found = context.need(MeasuredBlade(made.blades[0], section))
        nominal = found.nominal.profile.at(found.nominal.profile.places(200))
        off = evaluator.projector.deviations(found.plane.solid(nominal)).distance
        assert np.abs(off).max() < 3e-4
        assert len(found.points) == pytest.approx(len(one.points), rel=0.02)
        assert found.values["chord_mean_line"] == pytest.approx(one.values["chord_mean_line"], abs=0.003)
        assert found.values["max_thickness"] == pytest.approx(found.nominal_values["max_thickness"], abs=0.02)
    if tilt:  # cut askew it is longer
        square = sections_of(evaluator.model, evaluator.projector, points, Asked((80.0,)))[0]
        assert direct[1].nominal_values["chord_mean_line"] > square.nominal_values["chord_mean_line"]


def test_a_value_that_means_nothing_and_one_of_another_kind_are_said(evaluator, plan, sample):
    for wrong in ("thickness_nan", "chord", "profile_max.edge.after"):
        with pytest.raises(ValueError, match="is no"):
            BladeValue(id="v", name="v", what=wrong)
    chord = next(c for c in plan.characteristics if c.kind == "blade_chord_mean_line")
    other = plan.replace(characteristics=(chord.replace(kind="blade_area"),))
    assert "its section tells the chord_mean_line" in evaluator.evaluate(other, sample).results[0].reason
