"""The check of a machine on the stand-in: its errors of lengths and on the sphere as they are, and judged."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from numpy.testing import assert_allclose
from scipy.optimize import least_squares

from truegauge.core.arrays import unit
from truegauge.core.errors import DeviceError
from truegauge.core.frames import apply, invert, rigid, rotate, rotation_about
from truegauge.core.meeting.swept import ball
from truegauge.core.probing.length_standard import BY_HAND, GaugeObstacle, LengthStandard, by_hand_place, located
from truegauge.core.probing.machine_check import LengthError, MachineCheck, said
from truegauge.core.probing.records import MachineRecord
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.devices.cmm_sim.operator import Operator
from truegauge.formats.machine_file import read_machine, write_machine
from truegauge.runs.checking import Checking
from truegauge.runs.events import CheckTouched, TouchWanted

STATED = StatedErrors(probing=0.0019, constant=0.0016, per_metre=1000 / 350_000)


def checking(here, tell=lambda event: None, **given):
    """Return a check on a stand-in whose operator touches the gauge where he is asked to."""

    def told(event):
        tell(event)
        if isinstance(event, TouchWanted) and event.why:
            number = next(k for k, (words, _) in enumerate(BY_HAND) if words in event.why)
            here.by_hand(lambda o: o.touches_gauge(number))

    return Checking(here.cmm, here.plan.probing, here.record, given.pop("stated", STATED), told, **given)


def true_error(world, check):
    """Return what the machine's own errors make of each length: by its scales, at the faces as they are."""
    gauge, quill = world.gauge, -world.true_tip().center
    found = []
    for e in check.lengths:
        k = gauge.standard.lengths.index(e.length)
        x = gauge.boxes()[[0, k], [0, 1], 0]
        ends = apply(gauge.machine_from_gauge, np.array([[x[0], 0, -5.0], [x[1], 0, -5.0]]))
        scales = ends + quill
        for _ in range(4):
            scales = ends + quill - world.error.at(scales)
        found.append(float(np.linalg.norm(np.diff(scales, axis=0))) - e.length)
    return np.array(found)


def test_form_and_size_are_those_of_the_touches_by_brute_force(shop, monkeypatch):
    """Of the places that the machine tells, by a general solver, started elsewhere."""
    here, places = shop(), []
    touch = here.cmm.touch

    def kept(*given):
        made = touch(*given)
        places.append(made.place)
        return made

    monkeypatch.setattr(here.cmm, "touch", kept)
    run = checking(here, gauge=False)
    run.run()
    points = np.array(places)
    assert len(points) == 25
    start = np.append(points.mean(axis=0) + np.array([1.0, -2.0, -5.0]), 10.0)
    fit = least_squares(lambda x: np.linalg.norm(points - x[:3], axis=1) - x[3], start, xtol=1e-15, ftol=1e-15)
    off = np.linalg.norm(points - fit.x[:3], axis=1) - fit.x[3]
    check = run.found()
    assert check.form == pytest.approx(np.ptp(off), abs=1e-6)
    known = here.record.latest(here.plan.probing, run.use)
    assert check.size == pytest.approx(2 * fit.x[3] - known.diameter - here.plan.probing.sphere.diameter, abs=1e-6)
    assert check.gauge == ""
    assert check.lengths == ()


@pytest.mark.parametrize("temperature_c", [20.0, 23.0])
def test_lengths_and_sphere_are_what_the_machine_makes_of_them(shop, temperature_c):
    here, told = shop(), []
    here.world.temperature_c = temperature_c
    here.world.put_gauge(here.plan.probing.gauge)
    run = checking(here, told.append)
    run.run()
    assert not here.troubles
    check = run.found()
    assert len(check.lengths) == 15
    assert {e.length for e in check.lengths} == {100.0, 180.0, 260.0, 340.0, 420.0}
    grown = np.array([e.length for e in check.lengths]) * here.plan.probing.gauge.expansion * (temperature_c - 20)
    # Noise of two touches, and the sphere's part in the effective diameter.
    assert_allclose([e.error for e in check.lengths], true_error(here.world, check) - grown, rtol=0, atol=0.0012)
    assert 0.0002 < check.form < 0.004
    assert abs(check.size) < 0.0015
    assert check.verdict in ("within", "undecided")
    counts = [e for e in told if isinstance(e, CheckTouched)]
    assert [e.done for e in counts if e.what == "the reference sphere"] == list(range(1, 26))
    assert counts[-1].done == counts[-1].of == 18


def test_a_machine_that_is_worse_than_stated_is_found_out(shop):
    here = shop()
    here.world.put_gauge(here.plan.probing.gauge)
    true = here.world.error.at
    here.world.error.at = lambda scales: true(scales) + 40e-6 * (scales - here.world.error._middle)
    run = checking(here, sphere=False)
    run.run()
    check = run.found()
    assert check.verdict == check.of_lengths == "outside"
    worst = check.worst()
    assert worst.length == 420.0
    assert abs(worst.error) == pytest.approx(0.0168, abs=0.003)
    assert "OUTSIDE of what its maker states" in said(check)
    assert check.form is None


def test_the_gauge_is_gone_around_wherever_it_lies_and_a_wrong_touch_is_refused(shop):
    here = shop(seed=11)
    here.record = MachineRecord()
    here.qualify()
    here.world.put_gauge(here.plan.probing.gauge)
    run = checking(here, sphere=False)
    wrong = []

    def confused(event):
        if isinstance(event, TouchWanted) and event.why:
            number = next(k for k, (words, _) in enumerate(BY_HAND) if words in event.why)
            here.by_hand(
                lambda o: o.touches_gauge(0 if number == 1 and not wrong and wrong.append(1) is None else number)
            )

    run.tell = confused
    with pytest.raises(DeviceError, match=r"the touches on top are \d+ mm apart, about 400 were to be: touch again"):
        run.run()
    run.run()
    pose, true = run.gauge, here.world.gauge.machine_from_gauge
    ends = np.array([[0.0, 0, 0], [420.0, 0, 0]])
    off = apply(pose, ends) - apply(true, ends)
    assert np.abs(off).max() < 0.15  # where the tip of the master truly is nobody can know
    assert np.abs(np.diff(off, axis=0)).max() < 0.01
    assert len(run.found().lengths) == 15
    assert not here.world.fault_text


def test_nothing_is_checked_with_a_stylus_that_is_not_qualified_or_too_thick(shop):
    here = shop()
    here.record = MachineRecord()
    with pytest.raises(DeviceError, match="no stylus that points straight down is qualified"):
        checking(here)
    other = shop()
    narrow = LengthStandard(lengths=(20.0, 46.0, 72.0))
    other.plan = other.plan.replace(probing=other.plan.probing.replace(gauge=narrow))
    other.world.put_gauge(narrow)
    run = checking(other, sphere=False)
    with pytest.raises(DeviceError, match=r"between the blocks of the gauge: 9.0 mm are needed, there are 6.0"):
        run.run()


@given(seed=st.integers(0, 10_000))
def test_five_touches_tell_where_a_gauge_lies(seed):
    """Aimed by eye, at a gauge that lies anyhow on the table."""
    rng = np.random.default_rng(seed)
    standard = LengthStandard()
    turn = rotation_about(np.array([0, 0, 1.0]), rng.uniform(-3, 3)) @ rotation_about(unit(rng.normal(size=3)), 0.01)
    pose = rigid(turn[:3, :3], rng.uniform(-500, 500, 3))
    places, outs = [], []
    for k, (_, out) in enumerate(BY_HAND):
        aim = rng.normal(0, 0.8, 3) * (np.array(out) == 0)
        places.append(by_hand_place(standard, k) + aim)
        outs.append(rotate(pose, np.array([out]))[0])
    found = located(standard, apply(pose, np.array(places)), outs)
    ends = np.array([[0.0, 0, 0], [420.0, 0, 0], [420.0, 10, -5]])
    assert np.abs(apply(found, ends) - apply(pose, ends)).max() < 0.02
    assert found[:3, 0] @ pose[:3, 0] > 1 - 1e-9  # lengths along it are not shortened


def test_distances_to_a_gauge_are_those_by_brute_force():
    rng = np.random.default_rng(4)
    pose = rigid(rotation_about(unit(rng.normal(size=3)), 0.7)[:3, :3], np.array([10.0, -20, 30]))
    there = GaugeObstacle(LengthStandard(lengths=(20.0, 60.0, 100.0)), pose)
    points = apply(pose, rng.uniform([-40, -30, -60], [140, 30, 30], (400, 3)))
    local = apply(invert(pose), points)
    best = np.full(400, np.inf)
    for low, high in there.boxes():
        inside = np.minimum(local - low, high - local).min(axis=1)
        outside = np.linalg.norm(local - np.clip(local, low, high), axis=1)
        best = np.minimum(best, np.where(inside > 0, -inside, outside))
    assert_allclose(there.distances(points), best, atol=1e-9)
    for p, d in zip(points, best, strict=True):
        if d > 3:
            near = there.nearest(np.array([ball(p, 1.0)]), np.zeros(3), 1000.0)
            assert near.distance == pytest.approx(d - 1.0, abs=1e-4)


@pytest.mark.parametrize(
    ("error", "verdict"), [(0.0010, "within"), (-0.0028, "outside"), (0.00195, "undecided"), (0.0021, "undecided")]
)
def test_what_the_uncertainty_leaves_open_is_undecided(error, verdict):
    """ISO 14253-1: 2 um are stated for 100 mm, the standard is known to 0.3 um (k = 1)."""
    stated = StatedErrors(constant=0.0018, per_metre=0.002)
    check = MachineCheck(at="2026-11-29T10:00:00", lengths=(LengthError(length=100.0, error=error),), stated=stated,
                         gauge_uncertainty=0.0003, temperature_c=20.0)  # fmt: skip
    assert check.of_lengths == check.verdict == verdict
    assert check.replace(stated=StatedErrors()).verdict == ""


def test_checks_are_kept_with_the_machine(tmp_path):
    record = MachineRecord()
    for k in range(210):
        record = record.with_check(MachineCheck(at=f"2026-01-01T00:00:{k % 60:02d}", form=0.001 + k / 1e6))
    assert len(record.checks) == 200
    assert record.checks[-1].form == pytest.approx(0.001209)
    write_machine(tmp_path / "m.json", record, "m")
    assert read_machine(tmp_path / "m.json", "m") == record


def test_a_run_tells_the_last_check_in_its_sample(shop, tmp_path):
    here = shop()
    check = MachineCheck(at="2026-11-28T09:00:00", form=0.0011, lengths=(LengthError(length=420.0, error=0.0009),),
                         stated=STATED)  # fmt: skip
    here.record = here.record.with_check(check)
    about = here.begin(tmp_path / "run.tgrun").started_with.about
    assert about.machine_check == said(check)
    assert "checked on 2026-11-28 at 09:00, form error on a sphere 0.0011 mm" in about.machine_check
    assert about.machine_check.endswith("within what its maker states")


def test_an_operator_touches_the_gauge_only_where_there_is_one(shop):
    from truegauge.devices.cmm_sim.words import MachineStopped

    with pytest.raises(MachineStopped, match="no step gauge on the table"):
        Operator(shop().world).touches_gauge(0)
