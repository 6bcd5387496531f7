"""Files are replaced whole, and stay what they were: links, permissions, folders, pipes."""

import os
import shutil
import stat
import subprocess
import sys
import tempfile

import pytest

from truegauge import demo
from truegauge.core.errors import FormatError
from truegauge.formats.files import Stamp, read_bytes, write_whole
from truegauge.formats.plan_file import model_of_plan, read_plan
from truegauge.rendering.graphics_environment import has_room, prepare_graphics


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


def test_a_temporary_folder_that_cannot_be_used_is_named(tmp_path, monkeypatch):
    monkeypatch.setattr(tempfile, "tempdir", str(tmp_path / "gone"))
    with pytest.raises(FormatError, match=r"gone: nothing can be written in .*gone.*make room, or name another"):
        model_of_plan(demo.PLAN, read_plan(demo.PLAN))


def test_where_the_disk_is_full_no_shaders_are_kept(tmp_path, monkeypatch):
    """The graphics library maps the files of its cache, and writing to them would end the process."""
    usage = shutil.disk_usage(tmp_path)
    assert has_room(tmp_path / "not" / "there" / "yet") == (usage.free > 200 << 20)
    monkeypatch.setattr(shutil, "disk_usage", lambda path: usage._replace(free=1000))
    assert not has_room(tmp_path)
    monkeypatch.delenv("MESA_SHADER_CACHE_DISABLE", raising=False)
    prepare_graphics()
    assert os.environ["MESA_SHADER_CACHE_DISABLE"] == "true"
    monkeypatch.delenv("MESA_SHADER_CACHE_DISABLE")


def test_a_write_that_ends_half_way_leaves_the_old_file_and_nothing_else(tmp_path):
    """With a limit of the size of files, as with a full disk, writing ends in the middle."""
    path = tmp_path / "plan.bin"
    write_whole(path, b"old")
    script = (
        "import resource, sys; from pathlib import Path; from truegauge.formats.files import write_whole\n"
        "resource.setrlimit(resource.RLIMIT_FSIZE, (60000, 60000))\n"
        "write_whole(Path(sys.argv[1]), bytes(200000))"
    )
    ended = subprocess.run([sys.executable, "-c", script, str(path)], capture_output=True, text=True, timeout=300)
    assert "plan.bin: cannot be written (File too large); the old file is untouched" in ended.stderr
    assert path.read_bytes() == b"old"
    assert [p.name for p in tmp_path.iterdir()] == ["plan.bin"]
