"""What a tip reads: its deviation as by definition, wherever the part stands, and what is allowed there."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from truegauge import demo
from truegauge.core.arrays import three
from truegauge.core.evaluation.live_reading import Allowed, allowed_on, read_tip
from truegauge.core.evaluation.located import Lie
from truegauge.core.frames import apply, invert, random_rigid, rotate
from truegauge.core.plan.part import PartMaterial
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.samples.document import ProbedTouch, SampleData, Touch
from truegauge.core.samples.sample import Sample
from truegauge.core.tolerancing.judgement import State
from truegauge.core.tolerancing.zone import Zone
from truegauge.formats.plan_file import read_plan
from truegauge.jobs.routing import places_of_step

MAIN = np.array([58.0, 45.0])  # axis of the main bore, along z
BORE = 21.0


@pytest.mark.parametrize("seed", range(6))
def test_the_deviation_is_that_of_the_closed_form(projector, seed):
    """In the bore: how far the contact is inside the nominal wall; on its side: how far it is off the plane."""
    rng = np.random.default_rng(seed)
    part_from_device = random_rigid(rng, 800.0)
    device_from_part = invert(part_from_device)
    for _ in range(40):
        radius, off = float(rng.uniform(0.5, 4.0)), float(rng.normal(0, 0.2))
        angle, height = rng.uniform(0, 2 * np.pi), rng.uniform(46.0, 54.0)
        reach = BORE - radius - off
        center = np.array([*(MAIN + reach * np.array([np.cos(angle), np.sin(angle)])), height])
        found = read_tip(projector, Lie(part_from_device), apply(device_from_part, center[None])[0], radius)
        assert found.deviation == pytest.approx(off, abs=1e-6)
        assert np.hypot(*(found.foot[:2] - MAIN)) == pytest.approx(BORE, abs=1e-6)
        assert found.foot[2] == pytest.approx(height, abs=1e-6)
        assert np.allclose(found.place, center, atol=1e-9)
        x, z = rng.uniform([30.0, 4.0], [60.0, 9.0])
        center = np.array([x, -radius - off, z])
        found = read_tip(projector, Lie(part_from_device), apply(device_from_part, center[None])[0], radius)
        assert found.deviation == pytest.approx(off, abs=1e-6)
        assert np.allclose(found.foot, [x, 0.0, z], atol=1e-6)


def test_it_is_the_least_distance_to_a_dense_set_of_points_of_the_part(model, projector, rng):
    mesh = model.mesh
    corners = mesh.vertices[mesh.triangles]
    u = rng.dirichlet([1, 1, 1], (len(corners), 30))
    dense = np.einsum("tkc,tcd->tkd", u, corners).reshape(-1, 3)
    for _ in range(30):
        center = rng.uniform(model.box[0] - 20, model.box[1] + 20)
        found = read_tip(projector, Lie(np.eye(4)), center, 2.0)
        least = np.linalg.norm(dense - center, axis=1).min()
        assert abs(found.deviation + 2.0) <= least + 0.05
        assert np.linalg.norm(found.foot - center) == pytest.approx(abs(found.deviation + 2.0), abs=1e-6)


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.parametrize("temperature", [20.0, 31.0])
def test_it_is_the_deviation_that_the_evaluation_finds_of_the_same_touch(evaluator, projector, seed, temperature):
    """By the other way through the program: touches of no feature, aligned, compensated and projected as a cloud.

    The part is warm, stands a metre away, and each touch is off by something else.
    """
    rng = np.random.default_rng(seed)
    plan = read_plan(demo.CMM_PLAN).plan
    guided = plan.alignments[0].id
    plan = plan.replace(in_force=guided, material=PartMaterial(name="aluminium", expansion=23.8e-6))
    grown = 1 + 23.8e-6 * (temperature - 20.0)
    device_from_part = random_rigid(rng, 900.0)

    def at(place, out, off):
        center = grown * (np.asarray(place) + off * np.asarray(out)) + 1.5 * np.asarray(out)
        return apply(device_from_part, center[None])[0]

    def touch(place, out, off=0.0):
        back = rotate(device_from_part, -np.asarray(out)[None])[0]
        return {"place": three(at(place, out, off)), "approach": three(back), "radius": 1.5}

    named = [Touch(target=t.name, **touch(t.place, t.direction)) for t in plan.alignments[0].targets]
    steps = [s for s in plan.route.steps if getattr(s, "feature", "") in ("base", "side-b", "main-bore")]
    wanted = [places_of_step(plan, evaluator, s) for s in steps]
    pairs = [pair for w in wanted for pair in zip(w.points, w.normals, strict=True)]
    offs = rng.normal(0, 0.15, len(pairs))
    probed = [ProbedTouch(**touch(p, n, off)) for (p, n), off in zip(pairs, offs, strict=True)]
    sample = Sample.of(SampleData(name="x", touches=tuple(named), probed=tuple(probed), temperature_c=temperature))
    found = evaluator.evaluate(plan, sample)
    alignment = found.alignments[guided]
    lie = Lie.by(plan, sample, alignment)
    read = np.array([read_tip(projector, lie, np.array(t.place), t.radius).deviation for t in probed])
    evaluated = found.cloud.found.distance
    assert np.abs(read - evaluated).max() < 2e-6
    # And as it was made: the alignment by six touches is good to some hundredths, the warmth would be a tenth.
    assert np.abs(read - offs).max() < 0.02
    cold = np.array([read_tip(projector, Lie(lie.part_from_device), np.array(t.place), 1.5).deviation for t in probed])
    assert (np.abs(cold - offs).max() > 0.1) == (temperature != 20.0)


def test_a_profile_of_the_face_says_what_is_allowed_there(model):
    plan = read_plan(demo.PLAN).plan
    feature = plan.features[0]
    face, known = feature.faces[0], {k for f in plan.features for k in f.faces}
    other = next(k for k in range(len(model.faces)) if k not in known)
    plain = plan.replace(characteristics=())
    band = plan.scale.tolerance
    assert (allowed_on(plain, other).lower, allowed_on(plain, other).upper) == (-band, band)
    own = Characteristic(id="p", number=99, name="profile", kind="profile_surface", features=(feature.id,), nominal=0.0,
                         upper=0.3, zone=Zone(offset=0.05))  # fmt: skip
    judged = plain.replace(characteristics=(own,))
    found = allowed_on(judged, face)
    assert (found.lower, found.upper) == pytest.approx((-0.10, 0.20))
    assert found.words == "99 profile"
    assert allowed_on(judged, other).words == "the band of the map"
    # Zones that have no one width and place tell nothing.
    lower = own.replace(id="q", number=100, upper=0.02, tier_of="p")
    loose, cone = own.replace(modifiers=("OZ",)), own.replace(zone=Zone(end=0.5, direction=(0.0, 0.0, 1.0)))
    assert allowed_on(plain.replace(characteristics=(lower, own)), face).words == "99 profile"
    for vague in (loose, cone):
        assert allowed_on(plain.replace(characteristics=(vague,)), face).words == "the band of the map"


@given(st.floats(-1, 1), st.floats(0.01, 0.5), st.floats(-0.2, 0.2))
def test_a_state_is_what_the_limits_say(value, half, middle):
    allowed = Allowed(middle - half, middle + half, "")
    state = allowed.state_of(value)
    assert (state == State.OUTSIDE) == (value < allowed.lower or value > allowed.upper)
    if state == State.WITHIN:
        assert min(value - allowed.lower, allowed.upper - value) >= 0.2 * half - 1e-12
