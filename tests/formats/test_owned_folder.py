"""Folders that belong to a process while it lives."""

import os

from truegauge.formats.owned_folder import make_owned, take_abandoned


def test_a_folder_that_is_held_is_nobody_elses(tmp_path):
    own = make_owned(tmp_path, "scan-")
    assert own.path.is_dir()
    assert list(take_abandoned(tmp_path)) == []
    own.release()
    (taken,) = take_abandoned(tmp_path)
    assert taken.path == own.path
    assert list(take_abandoned(tmp_path)) == []
    taken.remove()
    assert not own.path.exists()


def test_a_folder_that_is_given_up_twice_closes_nothing_of_others(tmp_path):
    """The number of a file that was closed is given to the next one that is opened."""
    own = make_owned(tmp_path)
    own.release()
    others = [os.open(tmp_path, os.O_RDONLY) for _ in range(8)]
    try:
        own.release()
        own.remove()
        for other in others:
            assert os.fstat(other).st_ino == tmp_path.stat().st_ino
    finally:
        for other in others:
            os.close(other)
