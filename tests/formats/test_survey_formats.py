"""E57, LAS and LAZ: what was written is read; 200 damaged copies of each never crash or hang the program."""

import laspy
import numpy as np
import pye57
import pytest
from mutations import assert_only_refusals
from numpy.testing import assert_allclose

from truegauge.core.errors import Cancelled, FormatError
from truegauge.formats import guard
from truegauge.formats.sample_file import open_sample, write_sample
from truegauge.formats.scan import read_scan

POINTS = np.random.default_rng(2).uniform(-60, 60, (400, 3))  # mm
COLORS = np.random.default_rng(3).integers(0, 256, (400, 3)).astype(np.uint8)


def write_e57(path, scans=1, moved=0.0):
    file = pye57.E57(str(path), mode="w")
    for k in range(scans):
        data = {f"cartesian{c}": POINTS[k::scans, i] / 1000 for i, c in enumerate("XYZ")}
        data |= {f"color{c}": COLORS[k::scans, i] for i, c in enumerate(("Red", "Green", "Blue"))}
        if moved:
            file.write_scan_raw(data, translation=np.array([moved / 1000, 0, 0]))
        else:
            file.write_scan_raw(data)
    file.close()
    return path


def write_las(path, version="1.2", form=2, offset=(0.0, 0.0, 0.0)):
    header = laspy.LasHeader(point_format=form, version=version)
    header.scales, header.offsets = np.full(3, 1e-6), np.array(offset)
    las = laspy.LasData(header)
    las.x, las.y, las.z = (POINTS / 1000 + offset).T
    las.red, las.green, las.blue = (COLORS.astype(np.uint16) * 257).T
    las.write(str(path))
    return path


def test_an_e57_file_is_read_in_mm_with_its_colours(tmp_path):
    scan = read_scan(write_e57(tmp_path / "scan.e57"))
    assert scan.unit == "m"
    assert_allclose(scan.points, POINTS, atol=1e-9)
    assert np.array_equal(scan.colors, COLORS)


def test_all_scans_of_an_e57_file_stand_in_their_places(tmp_path):
    scan = read_scan(write_e57(tmp_path / "scan.e57", scans=2, moved=250.0))
    assert_allclose(scan.points, np.vstack([POINTS[::2], POINTS[1::2]]) + np.array([250, 0, 0]), atol=1e-9)


@pytest.mark.parametrize(("name", "version", "form"), [("a.las", "1.2", 2), ("b.las", "1.4", 7), ("c.laz", "1.2", 2)])
def test_las_and_laz_are_read_in_mm_with_their_colours(name, version, form, tmp_path):
    scan = read_scan(write_las(tmp_path / name, version, form))
    assert_allclose(scan.points, POINTS, atol=1e-3)
    assert np.array_equal(scan.colors, COLORS)


def test_coordinates_of_a_map_are_taken_off_and_told(tmp_path):
    scan = read_scan(write_las(tmp_path / "map.las", offset=(432_000.0, 4_512_000.0, 120.0)))
    # Whole metres are taken off, so that only the height keeps its own.
    moved = scan.points - (POINTS + np.array([0, 0, 120_000.0]))
    assert_allclose(moved, np.broadcast_to(moved[0], moved.shape), atol=2e-3)
    assert_allclose(moved[0], np.round(moved[0] / 1000) * 1000, atol=2e-3)
    assert np.abs(scan.points[:, :2]).max() < 3000
    (note,) = scan.notes
    assert "map" in note
    assert "x 432," in note
    assert "y 4,512," in note
    assert "z" not in note.split(":")[1]
    assert open_sample(tmp_path / "map.las")[0].notes == (note,)


def test_bytes_behind_the_points_are_refused_in_words(tmp_path):
    path = write_las(tmp_path / "a.las")
    path.write_bytes(path.read_bytes() + b"more")
    with pytest.raises(FormatError, match="4 bytes follow its 400 points"):
        read_scan(path)


def test_what_was_no_number_is_told_with_the_sample(tmp_path):
    path = tmp_path / "scan.xyz"
    path.write_text("".join(f"{x} {x * x % 7} nan\n" if x % 10 == 0 else f"{x} {x * x % 7} 1.5\n" for x in range(40)))
    sample, contents = open_sample(path)
    assert sample.notes[0] == "4 of 40 points were no numbers and are left out"
    write_sample(tmp_path / "s.tgsample", sample, contents)
    again, _ = open_sample(tmp_path / "s.tgsample")
    assert again.notes == sample.notes
    assert len(again.points) == 36


def test_a_survey_file_in_mm_can_be_read_as_mm(tmp_path):
    assert_allclose(read_scan(write_las(tmp_path / "a.las"), "mm").points, POINTS / 1000, atol=1e-6)


@pytest.mark.parametrize(
    ("name", "change", "match"),
    [
        ("a.e57", lambda d: b"", "empty"),
        ("a.e57", lambda d: b"PK" + d[2:], "not an E57 file"),
        ("a.e57", lambda d: d[:-100], "bytes are promised"),
        ("a.e57", lambda d: d[:40], "cut off inside its header"),
        ("a.las", lambda d: b"LASX" + d[4:], "not a LAS file"),
        ("a.las", lambda d: d[:-21], "400 points are promised, 399 are there"),
        ("a.las", lambda d: d[:107] + (4_000_000_000).to_bytes(4, "little") + d[111:], "4,000,000,000 points"),
        ("a.las", lambda d: d[:100] + (4_000_000_000).to_bytes(4, "little") + d[104:], "records are promised"),
        ("a.las", lambda d: d[:107] + bytes(4) + d[111:], "holds no points"),
        ("a.laz", lambda d: d[: len(d) // 2], "damaged"),
    ],
)
def test_a_bad_survey_file_says_what_is_wrong(name, change, match, tmp_path):
    good = write_e57(tmp_path / "good.e57") if name.endswith("e57") else write_las(tmp_path / f"good.{name[-3:]}")
    path = tmp_path / name
    path.write_bytes(change(good.read_bytes()))
    with pytest.raises(FormatError, match=match) as caught:
        read_scan(path)
    assert str(caught.value).startswith(name)


@pytest.mark.parametrize("name", ["scan.e57", "scan.las", "scan.laz"])
def test_no_damaged_survey_file_crashes_hangs_or_comes_in_part(name, tmp_path, monkeypatch):
    monkeypatch.setattr(guard, "TIME_LIMIT", 20.0)
    path = tmp_path / name
    good = (write_e57(path) if name.endswith("e57") else write_las(path)).read_bytes()
    # A changed coordinate is still a coordinate. The count of a packed file stands nowhere else to compare it with.
    least = 1 if name.endswith("laz") else 400

    def is_whole(scan):
        return least <= len(scan.points) + scan.skipped <= 400 and np.isfinite(scan.points).all()

    assert_only_refusals(read_scan, path, good, 200, 8, is_whole)


def test_a_reading_that_was_stopped_leaves_the_next_one_whole(tmp_path, monkeypatch):
    path = write_e57(tmp_path / "scan.e57")
    reader = guard._Reader()  # a cold one takes long enough to be stopped
    monkeypatch.setattr(guard, "_READER", reader)

    def stop(fraction, detail):
        raise Cancelled

    with pytest.raises(Cancelled):
        read_scan(path, progress=stop)
    assert reader._process is None
    assert len(read_scan(path).points) == 400
    reader._stop()
