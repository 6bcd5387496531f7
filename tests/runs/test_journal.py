"""The journal of a run: whole after any end, on a full disk as before, never read half."""

import errno
import os

import numpy as np
import pytest

from truegauge.core.errors import FormatError
from truegauge.core.probing.probing import StylusUse
from truegauge.core.samples.document import ProbedTouch
from truegauge.runs.journal import Journal, RunAbout
from truegauge.runs.state import Again, Located, Over, Taken

USE = StylusUse(assembly="p1", stylus="c3")
ABOUT = RunAbout(plan="p", machine="m", started="2026-11-29T10:00:00", first=Located.at(np.eye(4)))


def _taken(k):
    touch = ProbedTouch(place=(float(k), 0.5, 1 / 3), approach=(0.0, 0.0, -1.0), radius=2.0, feature="f")
    return Taken(step="s", use=USE, at=(float(k), 0.0, 0.0), touch=touch)


@pytest.fixture
def path(tmp_path):
    """Five touches, a place, and a step that is over."""
    file = tmp_path / "run.tgrun"
    with Journal.begin(file, ABOUT) as journal:
        for k in range(5):
            journal.keep(_taken(k))
        moved = np.eye(4)
        moved[0, 3] = 0.1
        journal.keep(Located.at(moved))
        journal.keep(Over(step="s", state="done", why="all of it"))
    return file


def test_what_is_kept_is_read_again_to_the_last_digit(path):
    about, state = Journal.read(path)
    assert about == ABOUT
    assert [t.touch for t in state.taken] == [_taken(k).touch for k in range(5)]
    assert state.machine_from_part[0, 3] == 0.1
    assert state.over["s"].why == "all of it"


def test_a_step_that_is_done_again_has_no_touches_any_more(path):
    with Journal.go_on(path) as journal:
        journal.keep(Again(step="s"))
        journal.keep(_taken(9))
    state = Journal.read(path)[1]
    assert [t.at[0] for t in state.taken] == [9.0]
    assert not state.over


def test_wherever_it_is_cut_off_all_whole_lines_are_there_and_it_goes_on(path):
    data = path.read_bytes()
    ends = [k + 1 for k, b in enumerate(data) if b == ord("\n")]
    for size in range(ends[0], len(data) + 1, 7):
        path.write_bytes(data[:size])
        whole = sum(e <= size for e in ends) - 1
        with Journal.go_on(path) as journal:
            assert len(journal.state.taken) == min(whole, 5)
            journal.keep(_taken(77))
        assert Journal.read(path)[1].taken[-1].at[0] == 77.0


def test_damage_in_the_middle_is_told_with_its_line(path):
    data = bytearray(path.read_bytes())
    ends = [k for k, b in enumerate(data) if b == ord("\n")]
    data[ends[1] + 30] ^= 1
    path.write_bytes(data)
    with pytest.raises(FormatError, match=r"run.tgrun: line 3: the journal of the run is damaged"):
        Journal.read(path)


@pytest.mark.parametrize("text", [b"", b"\n", b"hello\n", b"\x00" * 100])
def test_what_is_no_journal_is_refused(tmp_path, text):
    (tmp_path / "x.tgrun").write_bytes(text)
    with pytest.raises(FormatError, match="damaged"):
        Journal.read(tmp_path / "x.tgrun")


def test_a_full_disk_leaves_it_as_it_was(path, monkeypatch):
    before = path.read_bytes()
    with Journal.go_on(path) as journal:
        write = os.write

        def full(file, data):
            write(file, data[: len(data) // 2])
            raise OSError(errno.ENOSPC, "No space left on device")

        monkeypatch.setattr(os, "write", full)
        with pytest.raises(FormatError, match=r"cannot be written \(No space left on device\): make room, then go on"):
            journal.keep(_taken(6))
        monkeypatch.undo()
        assert path.read_bytes() == before
        journal.keep(_taken(6))
    assert len(Journal.read(path)[1].taken) == 6


def test_what_comes_after_its_end_is_refused_in_words(path):
    journal = Journal.go_on(path)
    journal.end()
    with pytest.raises(FormatError, match="the run is over"):
        journal.keep(_taken(6))
    assert not path.exists()


def test_one_process_at_a_time_has_it(path):
    with Journal.go_on(path):
        with pytest.raises(FormatError, match="another program goes on with this run"):
            Journal.go_on(path)
        assert len(Journal.read(path)[1].taken) == 5
    with pytest.raises(FormatError, match="there is the journal of a run already"):
        Journal.begin(path, ABOUT)


def test_one_that_another_process_has_is_not_given_up(path):
    with Journal.go_on(path):
        with pytest.raises(FormatError, match="another program goes on with this run"):
            Journal.give_up(path)
        assert path.exists()
    Journal.give_up(path)
    assert not path.exists()
    Journal.give_up(path)  # nothing is there


def test_a_damaged_one_can_be_given_up(path):
    path.write_bytes(b"nothing of a journal")
    Journal.give_up(path)
    assert not path.exists()
