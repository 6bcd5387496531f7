"""Sections on cones and cylinders about the machine axis: unrolled truly, cut and measured against the closed form."""

from dataclasses import replace

import numpy as np
import pytest

from truegauge import demo
from truegauge.core.authoring.blades import new_blade, set_blade, with_heights
from truegauge.core.blades.asked import Asked
from truegauge.core.blades.parameters import blade_of
from truegauge.core.blades.profile import Profile
from truegauge.core.blades.section_fit import feet_on
from truegauge.core.blades.sections import nominal_blade, nominal_cut, sections_of
from truegauge.core.blades.table_profile import sections_by_table
from truegauge.core.blades.told import blade_values
from truegauge.core.errors import EvaluationError
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.nodes.blades import MeasuredBlade
from truegauge.core.nodes.map import MapOf
from truegauge.core.nodes.unbent import UnbentMap
from truegauge.core.plan.alignments import GivenAlignment
from truegauge.core.plan.blades import BladeCheck, BladeFit
from truegauge.core.plan.document import Plan
from truegauge.core.samples.document import SampleData, ScanFile
from truegauge.core.samples.sample import Sample, ScanPoints
from truegauge.core.sections.cone import SectionCone
from truegauge.demo.vane import VaneErrors, designed, vane_cloud
from truegauge.formats.part import read_part

RISES = (0.0, 1e-9, 1e-3, 0.2, -0.35)


@pytest.fixture(scope="module")
def evaluator():
    return Evaluator(read_part(demo.VANE_PART))


def cone_of(rise, seed=3):
    """A cone about an axis that lies anyhow."""
    frame = np.linalg.qr(np.random.default_rng(seed).normal(size=(3, 3)))[0]
    return SectionCone(np.array([3.0, -7.0, 11.0]), frame[:, 0], frame[:, 1], 60.0, rise)


def on_cone(shape_at, below, height, rise):
    """Places (n, 3) of a blade on a cone about x at z = -below: each at the height where the cone is there."""
    count = len(shape_at(height).around())
    z, made = np.full(count, height), np.zeros((count, 2))
    for _ in range(12):
        made = np.array([shape_at(own).around()[k] for k, own in enumerate(z)])
        z = np.sqrt((below + height + np.tan(rise) * made[:, 0]) ** 2 - made[:, 1] ** 2) - below
    return np.column_stack([made, z])


@pytest.mark.parametrize("rise", RISES)
def test_unrolled_lengths_and_angles_are_those_on_the_cone(rise):
    cone, rng = cone_of(rise), np.random.default_rng(1)
    flat = rng.uniform(-25, 25, (200, 2))
    solid = cone.solid(flat)
    assert cone.flat(solid) == pytest.approx(flat, abs=1e-11)
    assert np.abs(cone.heights(solid)).max() < 1e-11
    normals, step = cone.normals_at(solid), 1e-4
    ways = [(cone.solid(flat + d) - cone.solid(flat - d)) / (2 * step) for d in (np.array([step, 0.0]),
                                                                               np.array([0.0, step]))]  # fmt: skip
    x, y = ways
    for a, b, expected in ((x, x, 1.0), (y, y, 1.0), (x, y, 0.0), (x, normals, 0.0), (y, normals, 0.0)):
        assert np.einsum("ij,ij->i", a, b) == pytest.approx(np.full(200, expected), abs=1e-8)
    assert np.cross(x, y) == pytest.approx(normals, abs=1e-8)
    assert cone.flat_directions(x, solid) == pytest.approx(np.tile([1.0, 0.0], (200, 1)), abs=1e-8)
    assert cone.flat_directions(y, solid) == pytest.approx(np.tile([0.0, 1.0], (200, 1)), abs=1e-8)
    beside = solid + rng.uniform(-3, 3, 200)[:, None] * normals
    assert cone.flat(beside) == pytest.approx(flat, abs=1e-11)
    assert cone.heights(beside) == pytest.approx(np.einsum("ij,ij->i", beside - solid, normals), abs=1e-11)
    assert np.abs(cone.through(beside).heights(beside)).max() < 1e-11
    assert cone.through(beside).solid(cone.through(beside).flat(beside)) == pytest.approx(beside, abs=1e-10)


def test_a_cylinder_is_unrolled_by_its_radius():
    cylinder = SectionCone(np.zeros(3), np.array([1.0, 0.0, 0.0]), np.array([0.0, 0.0, 1.0]), 50.0, 0.0)
    turn = np.linspace(-2.5, 2.5, 41)
    at = np.column_stack([np.full(41, 7.0), -50.0 * np.sin(turn), 50.0 * np.cos(turn)])
    # Seen from outside with x to the right, y goes up.
    assert cylinder.flat(at) == pytest.approx(np.column_stack([np.full(41, 7.0), -50.0 * turn]), abs=1e-11)
    assert np.cross(cylinder.across, cylinder.up) == pytest.approx(cylinder.normal)


@pytest.mark.parametrize(("below", "rise"), [(120.0, 0.0), (120.0, 0.15), (60.0, -0.2)])
def test_the_part_is_cut_where_the_closed_form_says(evaluator, below, rise):
    asked = Asked((50.0,), tilts=(rise, rise), machine_below=below)
    _, profile = nominal_cut(evaluator.model, evaluator.projector, asked, 50.0)
    true = asked.plane(50.0).flat(on_cone(designed, below, 50.0, rise))
    assert np.abs(feet_on(profile, true).distance).max() < 1e-3  # what the CAD is off its formula
    found = blade_values(nominal_blade(profile, asked, 50.0), asked)
    truth = blade_values(blade_of(Profile.through(true), asked.ways(asked.plane(50.0))), asked)
    for name in ("chord_mean_line", "chord_tangent", "axial_chord", "max_thickness", "leading_radius"):
        assert found[name] == pytest.approx(truth[name], abs=2e-3), name


def test_about_an_axis_far_away_it_is_the_plane(evaluator):
    points = vane_cloud(60_000)
    for rise in (0.0, 0.1):
        plane, cone = (sections_of(evaluator.model, evaluator.projector, points,
                                   Asked((40.0,), tilts=(rise, rise), machine_below=below))[0]
                       for below in (None, 1e7))  # fmt: skip
        for name, value in plane.values.items():
            assert cone.values[name] == pytest.approx(value, abs=2e-3, nan_ok=True), name


@pytest.mark.parametrize(("below", "rise"), [(120.0, 0.0), (70.0, 0.2)])
def test_what_is_wrong_with_a_vane_is_found_on_a_cone(evaluator, below, rise):
    errors = replace(VaneErrors(), wave=0.0)
    asked = Asked((35.0, 75.0), tilts=(rise, rise), machine_below=below)
    results = sections_of(evaluator.model, evaluator.projector, vane_cloud(400_000, errors=errors), asked)
    off = []
    for one in results:
        true = one.plane.flat(on_cone(errors.made, below, one.height, rise))
        truth = blade_values(blade_of(Profile.through(true), asked.ways(one.plane)), asked)
        told = ("chord_mean_line", "chord_angle", "axial_chord", "max_thickness", "trailing_radius", "area")
        off += [(one.values[n] - truth[n]) / one.uncertainties[n] for n in told]
        assert abs(one.values["chord_angle"] - one.nominal_values["chord_angle"]) > 5e-4  # the twist that is there
    assert np.mean(np.abs(off) < 2) >= 0.8, off
    assert np.abs(off).max() < 4, off


def in_plan(evaluator, points, heights, **changes):
    """A plan with a blade, the context of a scan of it, and the blade in it."""
    base = Plan(alignments=(GivenAlignment(id="given", name="as it lies"),), in_force="given")
    blade = with_heights(new_blade(base, evaluator.model), heights).replace(**changes)
    made = set_blade(evaluator.context(base, None), blade, ("chord_mean_line",)).apply(base)
    name = f"vane {points[0]}"  # samples are told apart by what they are called
    scan = ScanPoints(name, ScanFile(file_name=f"{name}.ply"), points, None)
    return evaluator.context(made, Sample.of(SampleData(name=name), (scan,))), made.blades[0]


def test_a_plan_cuts_as_the_command_does(evaluator):
    points = vane_cloud(150_000)
    asked = Asked((30.0, 55.0, 80.0), tilts=(0.05, 0.15), machine_below=150.0)
    context, blade = in_plan(evaluator, points, asked.heights, tilts=asked.tilts, machine_below=150.0,
                             fit=BladeFit(about="stacking"))  # fmt: skip
    direct = sections_of(evaluator.model, evaluator.projector, points, asked)
    for one, section in zip(direct, blade.sections, strict=True):
        found = context.need(MeasuredBlade(blade, section))
        assert found.plane.radius == one.plane.radius
        assert len(found.points) == pytest.approx(len(one.points), rel=0.02)
        assert found.values["chord_mean_line"] == pytest.approx(one.values["chord_mean_line"], abs=0.003)
        assert found.fit.pivot == pytest.approx([0.0, 0.0])  # the stacking axis goes through where x and y begin


@pytest.mark.parametrize("rise", [0.0, 0.15])
def test_what_every_cone_turns_and_shifts_is_unbent(evaluator, rise):
    """The part itself, turned and shifted on its cones, more with the height: what is left is what steps leave."""
    rng = np.random.default_rng(5)
    true = evaluator.projector.deviations(vane_cloud(150_000, errors=VaneErrors(*[0.0] * 7), gaps=False, noise=0.0))
    at = true.feet_at(np.arange(150_000))
    at = at[at[:, 2] > 12.0]
    cones = Asked((50.0,), tilts=(rise, rise), machine_below=60.0).plane(50.0).through(at)
    x, y = cones.flat(at).T
    share = (cones.radius - 60.0) / 100.0
    turn = np.radians(0.5) * share
    moved = np.column_stack([x * np.cos(turn) - y * np.sin(turn) + 0.1 * share, x * np.sin(turn) + y * np.cos(turn)])
    bent = cones.solid(moved) + 1e-4 * rng.normal(size=at.shape)
    context, blade = in_plan(evaluator, bent, tuple(np.arange(20.0, 86.0, 5.0)), tilts=(rise, rise), machine_below=60.0)
    found, plain = context.need(UnbentMap(blade)), context.need(MapOf())
    heights = found.fine.vertices[:, 2]
    inside = (heights > 30) & (heights < 75)
    assert np.nanpercentile(np.abs(plain.fine_values[inside]), 95) > 0.05
    assert np.nanpercentile(np.abs(found.fine_values[inside]), 95) < 0.004


def test_what_cannot_be_cut_by_a_cone_is_said(evaluator):
    aslant = Asked((50.0,), machine=(1.0, 0.0, 0.2), machine_below=100.0)
    with pytest.raises(EvaluationError, match="square to the stacking axis: this one is not"):
        aslant.plane(50.0)
    with pytest.raises(EvaluationError, match="the machine axis is not below it"):
        Asked((50.0,), machine_below=-50.0).plane(50.0)
    with pytest.raises(EvaluationError, match="say which"):
        Asked((50.0,), machine=None, machine_below=100.0).plane(50.0)
    with pytest.raises(EvaluationError, match="lie in planes square"):
        sections_by_table([np.zeros((20, 3))], np.zeros((0, 3)), Asked((), machine_below=100.0))
    with pytest.raises(ValueError, match="square to the stacking axis"):
        BladeCheck(id="b", machine=(1.0, 0.0, 0.3), machine_below=10.0)
