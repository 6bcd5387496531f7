from datetime import datetime, timedelta

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.errors import DeviceError, FormatError
from truegauge.core.probing.assembly import HeadPose
from truegauge.core.probing.judgement import QualificationLimits, Verdict, judge_qualification
from truegauge.core.probing.probing import DueRules
from truegauge.core.probing.qualification import fit_reference_sphere, qualify
from truegauge.core.probing.records import (
    MachineRecord,
    QualificationRecord,
    SphereLocation,
    StylusState,
    state_of,
    why_hand_touch,
)
from truegauge.core.probing.sphere import ReferenceSphere, TouchPattern, advice, touch_directions
from truegauge.demo.cmm_plan import demo_probing
from truegauge.formats.machine_file import read_machine, record_file, write_machine

DOWN = np.array([0.0, 0.0, -1.0])
NOW = datetime(2026, 11, 24, 10, 0)
CENTER = np.array([100.0, 200.0, -300.0])


def touches(count=9, radius=14.5, noise=0.0, seed=1, stylus=DOWN):
    directions = touch_directions(TouchPattern(count, 2), stylus, ReferenceSphere(), 3.0)
    rng = np.random.default_rng(seed)
    return CENTER + (radius + rng.normal(0, noise, len(directions)))[:, None] * directions


def result_of(centers):
    return qualify(centers, CENTER, 25.0, np.zeros(3), np.zeros(3))


def record(**changes):
    made = QualificationRecord(
        assembly_key=demo_probing().assembly("p1").content_key, assembly="Short 4", stylus="c3", pose=HeadPose(),
        name="Short 4", at=NOW.isoformat(), touch_speed=5.0, entered_diameter=4.0, diameter=3.996, diameter_error=1e-4,
        offset=(0.0, 0.0, 0.0), offset_errors=(1e-4, 1e-4, 1e-4), from_master=(0.0, 0.0, 0.0), form=0.001,
        deviation=0.0005, directions=((0.0, 0.0, 1.0),), residuals=(0.0,), verdict="good",
    )  # fmt: skip
    return made.replace(**changes)


def test_exact_touches_give_the_exact_sphere():
    fit = fit_reference_sphere(touches())
    assert_allclose(fit.center, CENTER, rtol=0, atol=1e-9)
    assert_allclose([fit.radius, fit.form], [14.5, 0.0], rtol=0, atol=1e-9)


def test_standard_errors_are_those_of_many_repetitions():
    fits = [fit_reference_sphere(touches(15, noise=0.002, seed=k)) for k in range(300)]
    spread = np.std([f.center for f in fits], axis=0)
    told = np.sqrt(np.mean([f.center_errors**2 for f in fits], axis=0))
    assert_allclose(told, spread, rtol=0.2)
    assert_allclose(np.sqrt(np.mean([f.radius_error**2 for f in fits])), np.std([f.radius for f in fits]), rtol=0.2)


def test_too_few_touches_and_touches_in_one_place_are_refused():
    with pytest.raises(DeviceError, match="4 touches on the sphere; at least 5"):
        fit_reference_sphere(touches()[:4])
    close = CENTER + 14.5 * np.array([[0, 0, 1], [0.01, 0, 1], [0, 0.01, 1], [-0.01, 0, 1], [0, -0.01, 1.0]])
    with pytest.raises(DeviceError, match=r"too close|do not make a sphere"):
        fit_reference_sphere(close)


@pytest.mark.parametrize("stylus", [DOWN, np.array([0, 1.0, 0]), np.array([1, 0, -1.0]) / np.sqrt(2)])
@pytest.mark.parametrize(("tilt", "turn"), [(0.0, 0.0), (30.0, 90.0), (90.0, 0.0)])
def test_touches_keep_off_the_stem_of_the_sphere(stylus, tilt, turn):
    sphere = ReferenceSphere(stem_tilt_deg=tilt, stem_turn_deg=turn)
    directions = touch_directions(TouchPattern(12, 2), stylus, sphere, 3.0)
    assert len(directions) == 12
    # The tip (2 mm) and some room beside the stem: the centre of the tip stays outside of it.
    places = (sphere.radius + 2.0) * directions
    along = places @ sphere.stem
    beside = np.linalg.norm(places - along[:, None] * sphere.stem, axis=1)
    assert ((along < 0) | (beside > sphere.stem_diameter / 2 + 2.0)).all()
    assert (directions @ stylus < 0.35).all()  # and on the half that faces the stylus


def test_a_stylus_that_points_at_the_stem_says_so():
    with pytest.raises(ValueError, match="the stem of the reference sphere is in the way"):
        touch_directions(TouchPattern(9, 2, 0.6), np.array([0, 0, 1.0]), ReferenceSphere(stem_diameter=24.0), 3.0)


def test_advice_on_the_number_of_touches():
    assert "at least 5" in advice(4)
    assert advice(9) == ""
    assert "nothing else" in advice(20)


@pytest.mark.parametrize(("deviation", "verdict"), [
    (0.005, Verdict.GOOD), (0.0051, Verdict.ACCEPTABLE), (0.007, Verdict.ACCEPTABLE), (0.0071, Verdict.LOOK),
    (0.010, Verdict.LOOK), (0.0101, Verdict.STOP),
])  # fmt: skip
def test_the_standard_deviation_is_judged_by_the_limits(deviation, verdict):
    found = result_of(touches(12, noise=0.003))
    object.__setattr__(found.fit, "deviation", deviation)
    judged = judge_qualification(found, found.diameter, QualificationLimits())
    assert judged.verdict == verdict
    assert bool(judged.causes) == (verdict in (Verdict.LOOK, Verdict.STOP))


def test_one_touch_that_stands_out_is_dirt():
    centers = touches()
    centers[2] += 0.05 * (centers[2] - CENTER) / 14.5
    judged = judge_qualification(result_of(centers), 4.0, QualificationLimits())
    assert judged.verdict == Verdict.STOP
    assert "dirt" in judged.likely.what


def test_a_tip_that_gives_way_to_one_side_is_bent_or_loose():
    centers = touches(15)
    directions = (centers - CENTER) / 14.5
    centers -= 0.06 * (directions[:, 0] ** 2)[:, None] * directions
    judged = judge_qualification(result_of(centers), 4.0, QualificationLimits())
    assert judged.verdict == Verdict.STOP
    assert "loose or bent" in judged.likely.what


def test_a_wrong_diameter_and_a_moved_sphere_are_named():
    judged = judge_qualification(result_of(touches()), 3.0, QualificationLimits())
    assert judged.verdict == Verdict.STOP
    assert "wrong tip diameter" in judged.likely.what
    moved = judge_qualification(result_of(touches()), 4.0, QualificationLimits(), sphere_shift=0.3)
    assert moved.verdict == Verdict.STOP
    assert "sphere moved" in moved.likely.what
    assert [c.what.split(":")[0] for c in moved.causes] == [
        "dirt on tip or sphere", "loose or bent stylus", "wrong tip diameter entered", "damaged tip", "the sphere moved"
    ]  # fmt: skip


@pytest.mark.parametrize(("changes", "now", "temperature", "state", "why"), [
    ({}, NOW, 20.0, StylusState.QUALIFIED, ""),
    ({}, NOW + timedelta(days=8), 20.0, StylusState.DUE, "8 days ago"),
    ({}, NOW, 22.5, StylusState.DUE, "changed by 2.5 K"),
    ({"verdict": "stop", "text": "scatter"}, NOW, 20.0, StylusState.FAILED, "scatter"),
])  # fmt: skip
def test_states_of_a_stylus(changes, now, temperature, state, why):
    said = state_of(record(**changes), now, temperature, DueRules())
    assert said.state == state
    assert why in said.why


def test_a_shift_can_make_it_due_and_another_speed_is_warned_about():
    assert state_of(record(), NOW + timedelta(hours=9), 20.0, DueRules(shift_hours=8.0)).state == StylusState.DUE
    said = state_of(record(), NOW, 20.0, DueRules(), touch_speed=8.0)
    assert said.state == StylusState.QUALIFIED
    assert "touches at 8 mm/s but was qualified at 5 mm/s" in said.why
    assert state_of(None, NOW, 20.0, DueRules()).state == StylusState.NOT_QUALIFIED


def test_the_sphere_is_touched_by_hand_whenever_it_may_stand_elsewhere():
    probing = demo_probing()
    key = probing.assembly("p1").content_key
    location = SphereLocation(sphere="Larkspur 25", diameter=24.9987, center=(0.0, 0.0, 0.0), deviation=0.0,
                              at=NOW.isoformat(), assembly_key=key)  # fmt: skip
    assert "does not know yet" in why_hand_touch(MachineRecord(), probing)
    assert why_hand_touch(MachineRecord(location=location), probing) == ""
    moved = location.replace(may_have_moved=True)
    assert "may have been moved" in why_hand_touch(MachineRecord(location=moved), probing)
    assert "master stylus was changed" in why_hand_touch(
        MachineRecord(location=location.replace(assembly_key="other")), probing)  # fmt: skip
    assert "located last was" in why_hand_touch(MachineRecord(location=location.replace(sphere="Old")), probing)


def test_the_record_of_a_machine_is_read_as_it_was_written(tmp_path):
    path = tmp_path / "state" / "machine.json"
    assert read_machine(path, "Old Iron") == MachineRecord()
    made = MachineRecord().with_qualification(record()).with_qualification(record(diameter=3.997))
    write_machine(path, made, "Old Iron")
    assert read_machine(path, "Old Iron") == made
    with pytest.raises(FormatError, match="not the record of New Iron"):
        read_machine(path, "New Iron")
    assert made.latest(demo_probing(), demo_probing().uses()[0]).diameter == 3.997
    path.write_text(path.read_text()[:-40])
    with pytest.raises(FormatError, match="the record of the machine is damaged"):
        read_machine(path, "Old Iron")


def test_every_machine_has_a_record_of_its_own(tmp_path):
    names = [
        "stand-in 1",
        "stand-in 2",
        "10.0.0.7:1294",
        "10.0.0.7:1294 hall 3",
        "10.0.0.7:1294 hall-3",
        "x" * 300,
        "../..",
    ]
    files = [record_file(tmp_path, name) for name in names]
    assert len(set(files)) == len(names)
    for name, path in zip(names, files, strict=True):
        assert path.parent == tmp_path
        assert read_machine(path, name) == MachineRecord()
        write_machine(path, MachineRecord().with_qualification(record()), name)
