"""Files are replaced whole, and stay what they were: links, permissions, folders, pipes."""

import os
import stat

import pytest

from truegauge.core.errors import FormatError
from truegauge.formats.files import Stamp, read_bytes, write_whole


def test_a_link_stays_a_link_and_what_it_leads_to_is_replaced(tmp_path):
    real, link = tmp_path / "real.csv", tmp_path / "link.csv"
    real.write_text("old")
    link.symlink_to(real)
    write_whole(link, b"new")
    assert link.is_symlink()
    assert real.read_bytes() == b"new"
    loose = tmp_path / "loose.csv"
    loose.symlink_to(tmp_path / "not there.csv")
    write_whole(loose, b"made")
    assert (tmp_path / "not there.csv").read_bytes() == b"made"
    assert sorted(p.name for p in tmp_path.iterdir()) == ["link.csv", "loose.csv", "not there.csv", "real.csv"]


@pytest.mark.parametrize("mode", [0o600, 0o664, 0o640])
def test_permissions_stay_as_they_were(tmp_path, mode):
    path = tmp_path / "plan"
    path.write_text("old")
    path.chmod(mode)
    write_whole(path, b"new")
    assert stat.S_IMODE(path.stat().st_mode) == mode


def test_new_files_have_the_usual_permissions(tmp_path):
    before = os.umask(0o027)
    try:
        write_whole(tmp_path / "new", b"x")
    finally:
        os.umask(before)
    assert stat.S_IMODE((tmp_path / "new").stat().st_mode) == 0o640


def test_pipes_devices_and_folders_are_refused_at_once(tmp_path):
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    for path, word in ((pipe, "pipe"), (tmp_path, "folder"), ("/dev/zero", "device"), ("/dev/full", "device")):
        from pathlib import Path

        with pytest.raises(FormatError, match=word):
            read_bytes(Path(path))
        with pytest.raises(FormatError, match=word):
            write_whole(Path(path), b"x")
    assert stat.S_ISFIFO(pipe.stat().st_mode)


@pytest.mark.parametrize("name", ["a" * 300, "zero\0byte", b"\xff\xfe.csv".decode("utf-8", "surrogateescape"), "a\nb"])
def test_odd_names_are_told_on_one_printable_line(tmp_path, name):
    with pytest.raises(FormatError) as caught:
        read_bytes(tmp_path / name)
    text = str(caught.value)
    assert text.isprintable()
    assert text.encode()
    assert len(text) < 300


def test_names_that_are_no_text_and_long_ones_can_be_written(tmp_path):
    for name in (b"\xff\xfe.csv".decode("utf-8", "surrogateescape"), "b" * 255):
        write_whole(tmp_path / name, b"there")
        assert read_bytes(tmp_path / name) == b"there"


def test_a_stamp_tells_a_change_by_its_content(tmp_path):
    path = tmp_path / "plan"
    stamp = write_whole(path, b"one")
    assert stamp.is_of(path)
    os.utime(path, ns=(1, 1))
    assert stamp.is_of(path)
    path.write_bytes(b"two")
    assert not stamp.is_of(path)
    path.unlink()
    assert stamp.is_of(path)  # gone is not changed
    assert isinstance(stamp, Stamp)
