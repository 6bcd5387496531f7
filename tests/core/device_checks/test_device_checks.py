"""Checks of a device: what they work out, by definition; when they are due; records that are kept."""

import datetime

import numpy as np
import pytest

from truegauge.core.device_checks.records import Check, CheckRecord, DeviceRecord, DueDays
from truegauge.core.device_checks.working_out import seat_spread, sphere_errors, warming
from truegauge.core.errors import EvaluationError, FormatError
from truegauge.formats import device_record_file
from truegauge.formats.device_record_file import read_device, write_device

NOW = datetime.datetime(2026, 11, 30, 8, 0, tzinfo=datetime.UTC)


@pytest.mark.parametrize("seed", range(5))
def test_the_spread_in_a_seat_is_the_smallest_ball_around_the_touches(seed):
    rng = np.random.default_rng(seed)
    places = rng.normal(0, 0.01, (5, 3)) + rng.uniform(-900, 900, 3)
    spread = seat_spread(places)
    widest = max(np.linalg.norm(a - b) for a in places for b in places)
    assert widest - 1e-9 <= spread <= widest * np.sqrt(1.5) + 1e-9  # Jung's theorem
    centers = places.mean(axis=0) + rng.normal(0, 0.004, (20_000, 3))
    reached = np.linalg.norm(places[None] - centers[:, None], axis=2).max(axis=1)
    assert spread / 2 <= reached.min() + 1e-12  # no other middle does with less
    assert spread / 2 > 0.9 * reached.min()


@pytest.mark.parametrize("seed", range(4))
def test_size_and_form_of_a_sphere(seed):
    rng = np.random.default_rng(seed)
    diameter, tip, large = float(rng.uniform(10, 40)), float(rng.uniform(0.5, 3)), float(rng.uniform(-0.05, 0.05))
    out = rng.normal(size=(25, 3))
    out[:, 2] = np.abs(out[:, 2])
    out /= np.linalg.norm(out, axis=1)[:, None]
    off = rng.normal(0, 0.003, 25)
    places = rng.uniform(-500, 500, 3) + ((diameter + large) / 2 + tip + off)[:, None] * out
    size, form = sphere_errors(places, tip, diameter)
    assert size == pytest.approx(large, abs=0.02)
    assert 0.3 * np.ptp(off) < form <= np.ptp(off) * 1.3


def test_touches_of_something_else_are_no_check():
    rng = np.random.default_rng(3)
    out = rng.normal(size=(9, 3))
    out /= np.linalg.norm(out, axis=1)[:, None]
    with pytest.raises(EvaluationError, match="is it another"):
        sphere_errors(60.0 * out, 1.5, 25.0)


def test_a_temperature_that_is_not_known_long_enough_says_nothing():
    readings = [(t, 22.0 + 0.001 * t / 60) for t in range(0, 3600, 10)]
    assert warming(readings[:80]) is None
    assert warming([]) is None
    assert warming(readings) == pytest.approx(0.015, abs=1e-9)
    assert warming([*readings, (3600.0, 23.0)]) == pytest.approx(23.0 - readings[-90][1], abs=1e-9)


def record(check=Check.SEAT, value=0.01, limit=0.03, days=0):
    at = (NOW - datetime.timedelta(days=days)).isoformat()
    return CheckRecord(check=check, at=at, value=value, limit=limit)


def test_a_check_is_judged_by_what_is_stated():
    assert record().verdict == "within"
    assert record(value=-0.031).verdict == "outside"
    assert record(limit=0.0).verdict == ""


def test_checks_are_due_after_their_days_and_when_the_clock_was_set_back():
    known = DeviceRecord(due=DueDays(seat=3, warm=0)).with_check(record(days=2))
    assert not known.is_due(Check.SEAT, NOW)
    assert known.is_due(Check.SEAT, NOW + datetime.timedelta(days=1, seconds=1))
    assert known.is_due(Check.SEAT, NOW - datetime.timedelta(days=30))
    assert known.is_due(Check.SPHERE, NOW)
    assert not known.is_due(Check.WARM, NOW)
    assert known.due_on(Check.SEAT) == NOW + datetime.timedelta(days=1)


@pytest.mark.parametrize("at", ["yesterday", "", "2026-11-30T08:00:00", "2026-13-01T00:00:00+00:00"])
def test_a_check_without_a_time_is_none(at):
    with pytest.raises(ValueError, match="at"):
        CheckRecord(check=Check.SEAT, at=at, value=0.0, limit=0.0)


def test_the_latest_check_counts_and_only_so_many_are_kept():
    known = DeviceRecord()
    for k in range(12):
        known = known.with_check(record(value=k / 100), most=5)
    assert len(known.checks) == 5
    assert known.last(Check.SEAT).value == 0.11
    assert known.last(Check.DRIFT) is None


@pytest.fixture
def folder(tmp_path, monkeypatch):
    monkeypatch.setattr(device_record_file, "device_folder", lambda: tmp_path / "devices")
    return tmp_path / "devices"


def test_records_are_kept_device_by_device(folder):
    one = DeviceRecord(due=DueDays(seat=3)).with_check(record())
    write_device("Arm 1", one)
    write_device("Arm 2", DeviceRecord())
    assert read_device("Arm 1") == one
    assert read_device("Arm 2") == DeviceRecord() == read_device("Arm 3")
    assert len(list(folder.iterdir())) == 2


@pytest.mark.parametrize(
    ("change", "words"),
    [(lambda t: t[:40], "record of the device"), (lambda t: t.replace("Arm 1", "Arm 9"), "not the record of Arm 1"),
     (lambda t: t.replace('"schema_version": 1', '"schema_version": 2'), "newer"),
     (lambda t: t.replace("+00:00", ""), "damaged: .*no zone"),
     (lambda t: t.replace('"within"', "x").replace('"seat"', '"teeth"', 1), "damaged")],
)  # fmt: skip
def test_a_record_that_cannot_be_used_is_told(folder, change, words):
    write_device("Arm 1", DeviceRecord().with_check(record()))
    path = next(folder.iterdir())
    path.write_text(change(path.read_text()))
    with pytest.raises(FormatError, match=words):
        read_device("Arm 1")
