"""What was prepared once is there the next time, to the last digit; what is damaged is made anew, and nothing stops."""

import os
import threading

import numpy as np
import pytest

from truegauge.core.cad import projection
from truegauge.core.evaluation.evaluator import Evaluator
from truegauge.core.shelf import NO_SHELF, OF_PARTS, key_of
from truegauge.formats import disk_shelf
from truegauge.formats.disk_shelf import DiskShelf

KEY = key_of("input", 1.0)


@pytest.fixture
def folder(tmp_path):
    return tmp_path / "prepared"


class Maker:
    """Makes arrays, and counts how often."""

    def __init__(self, size=1000, seed=5):
        self.times = 0
        self.made = {"values": np.random.default_rng(seed).normal(size=size), "rows": np.arange(4, dtype=np.int32)}

    def __call__(self):
        self.times += 1
        return {name: array.copy() for name, array in self.made.items()}


def same(found, maker):
    return found.keys() == maker.made.keys() and all(
        np.array_equal(found[n], a) and found[n].dtype == a.dtype for n, a in maker.made.items()
    )


def test_it_is_made_once_and_is_the_same_the_next_time(folder):
    maker = Maker()
    assert same(DiskShelf(folder).take("things", KEY, maker), maker)
    assert same(DiskShelf(folder).take("things", KEY, maker), maker)
    assert maker.times == 1
    DiskShelf(folder).take("things", key_of("input", 2.0), maker)
    DiskShelf(folder).take("others", KEY, maker)
    assert maker.times == 3


def test_nobody_alters_what_is_kept(folder):
    for _ in range(2):
        with pytest.raises(ValueError, match="read-only"):
            DiskShelf(folder).take("things", KEY, Maker())["values"][0] = 1.0


def test_what_comes_off_a_shelf_needs_no_other_compiled_code(model, sample, folder):
    """Set-up compiles without a shelf: the first part in a window would wait for half a minute."""
    compiled = []
    for shelf in (NO_SHELF, DiskShelf(folder), DiskShelf(folder)):
        evaluator = Evaluator(model, shelf=shelf)
        evaluator.projector.deviations(sample.points[:50])
        compiled.append(len(projection._project_all.signatures))
    assert compiled[0] == compiled[1] == compiled[2]


def test_without_a_shelf_it_is_made_every_time():
    maker = Maker()
    for _ in range(2):
        assert same(NO_SHELF.take("things", KEY, maker), maker)
    assert maker.times == 2


def test_a_damaged_file_is_made_anew_wherever_it_is_damaged(folder, rng):
    maker = Maker(size=40)
    DiskShelf(folder).take("things", KEY, maker)
    (path,) = folder.iterdir()
    whole = path.read_bytes()
    for at in rng.integers(0, len(whole), 150):
        for damaged in (whole[:at], whole[:at] + bytes([whole[at] ^ 0x55]) + whole[at + 1 :]):
            path.write_bytes(damaged)
            found = DiskShelf(folder).take("things", KEY, maker)
            assert same(found, maker), at


def test_another_version_of_the_program_finds_nothing(folder, monkeypatch):
    maker = Maker()
    DiskShelf(folder).take("things", KEY, maker)
    monkeypatch.setattr(disk_shelf, "_program", lambda: "another")
    DiskShelf(folder).take("things", KEY, maker)
    assert maker.times == 2
    assert len(list(folder.iterdir())) == 2


@pytest.mark.parametrize("broken", ["mkdir", "full", "replace"])
def test_a_folder_that_cannot_be_written_costs_time_only(folder, broken, monkeypatch):
    def refuse(*_, **__):
        raise OSError(28, "No space left on device")

    if broken == "mkdir":
        folder.write_text("a file where the folder should be")
    elif broken == "full":
        monkeypatch.setattr(np, "savez", refuse)
    else:
        monkeypatch.setattr(os, "replace", refuse)
    maker = Maker()
    for _ in range(2):
        assert same(DiskShelf(folder).take("things", KEY, maker), maker)
    assert maker.times == 2
    if folder.is_dir():
        assert list(folder.iterdir()) == []


def test_the_files_not_used_for_longest_go_when_there_are_too_many(folder):
    keys = [key_of(k) for k in range(4)]
    shelf, makers = DiskShelf(folder, most_bytes=30_000), [Maker(seed=k) for k in range(4)]
    for k in range(3):
        shelf.take("things", keys[k], makers[k])
        path = next(p for p in folder.iterdir() if keys[k][:32] in p.name)
        os.utime(path, (1000 + k, 1000 + k))
    shelf.take("things", keys[0], makers[0])  # used again: the second one is the oldest now
    shelf.take("things", keys[3], makers[3])
    there = [k for k in range(4) if any(keys[k][:32] in p.name for p in folder.iterdir())]
    assert there == [0, 2, 3]


def test_what_a_killed_program_left_half_written_goes_after_a_while(folder):
    folder.mkdir()
    for name, age in (("old.part", 5_000), ("new.part", 0)):
        (folder / name).write_bytes(b"half")
        when = os.stat(folder / name).st_mtime - age
        os.utime(folder / name, (when, when))
    DiskShelf(folder).take("things", KEY, Maker())
    assert {p.name for p in folder.iterdir() if p.suffix == ".part"} == {"new.part"}


def test_a_batch_keeps_only_what_follows_from_the_part(folder):
    maker, shelf = Maker(), DiskShelf(folder, only=OF_PARTS)
    for _ in range(2):
        for what in ("clearances", "field", "cloud", "coarse", "mirrored"):
            assert same(shelf.take(what, KEY, maker), maker)
    assert maker.times == 2 + 6
    assert {p.name.partition("-")[0] for p in folder.iterdir()} == OF_PARTS


def test_several_may_use_it_at_once(folder):
    found, maker = [], Maker()

    def use():
        for k in range(20):
            found.append(same(DiskShelf(folder).take("things", key_of(k % 3), maker), maker))

    threads = [threading.Thread(target=use) for _ in range(4)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    assert all(found)
    assert len(found) == 80


def test_keys_tell_arrays_apart_by_value_shape_and_kind():
    a = np.arange(6.0)
    parts = [(a,), (a.reshape(2, 3),), (a.astype(np.float32),), (a + 1e-12,), (a, 1.0), (a, "1.0"), (a[:5], a[5:]), ()]
    assert len({key_of(*p) for p in parts}) == len(parts)
    assert key_of(a[::-1]) == key_of(a[::-1].copy())


def test_results_from_the_shelf_are_those_without_it_to_the_last_digit(folder, model, plan, sample, evaluation):
    for round_number in range(2):
        alignment, cloud = Evaluator(model, shelf=DiskShelf(folder)).aligned(plan, sample)
        kept = {p.name.partition("-")[0] for p in folder.iterdir()}
        assert kept == {"clearances", "cloud", "coarse", "field", "mirrored"}
        assert np.array_equal(alignment.part_from_scan, evaluation.alignment.part_from_scan), round_number
        assert np.array_equal(cloud.found.distance, evaluation.cloud.found.distance)
        assert np.array_equal(cloud.usable, evaluation.cloud.usable)
        assert alignment.doubts == evaluation.alignment.doubts
