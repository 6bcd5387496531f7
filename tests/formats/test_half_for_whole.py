"""Texts that were cut off: half a scan is never taken for a whole one without a word."""

import numpy as np
import pytest

from truegauge.core.errors import FormatError
from truegauge.formats.points_text import read_points
from truegauge.formats.sample_file import open_sample, write_sample
from truegauge.formats.scan import read_scan

POINTS = np.random.default_rng(6).uniform(-80, 80, (200, 3))
SILENT = "does not say how many"


def lines(form, separator=" "):
    return [separator.join(form.format(v) for v in p) for p in POINTS]


def scan(path, rows, head=(), end="\n"):
    path.write_text("\n".join([*head, *rows]) + end)
    return path


@pytest.mark.parametrize("head", [
    ["200"], ["# points: 200"], ["// 200 points"], ["# Number of points = 200"], ["number_of_points 200"],
    ["; 200 vertices"], ["# num points: 200"], ["N = 200"], ["# Total number of points: 200."], ["Point count: 200"],
    ["# made by nobody", "200", "# in mm"], ["# points: 200", "x y z"],
])  # fmt: skip
def test_the_count_of_a_heading_is_compared(head, tmp_path):
    rows = lines("{:.4f}")
    whole = read_scan(scan(tmp_path / "scan.xyz", rows, head))
    assert (len(whole.points), whole.notes) == (200, ())
    for left in (199, 100, 1):
        with pytest.raises(FormatError, match=f"cut off: 200 points are promised in line .*, {left} are there"):
            read_scan(scan(tmp_path / "scan.xyz", rows[:left], head))
    more = read_scan(scan(tmp_path / "scan.xyz", [*rows, *rows[:7]], head))
    assert len(more.points) == 207
    assert "promises 200 points, 207 are there" in more.notes[0]


@pytest.mark.parametrize("head", [
    [], ["# 3 points a degree"], ["# 2026"], ["# points in mm"], ["x y z"], ["# laser 12, points from above"],
    ["# spacing of points: 0.5"], ["# line 7"], ["# lines: 500"], ["# 500 lines"],
])  # fmt: skip
def test_what_promises_nothing_says_so(head, tmp_path):
    found = read_scan(scan(tmp_path / "scan.xyz", lines("{:.4f}")[:120], head))
    assert len(found.points) == 120
    assert found.notes == ("120 points were read; the file does not say how many it should hold",)


def test_the_fewest_and_thousands_are_understood(tmp_path):
    rows = [f"{k}.5 0 0" for k in range(1234)]
    assert not read_scan(scan(tmp_path / "scan.txt", rows, ["# 1,234 points"])).notes
    with pytest.raises(FormatError, match="1,235 points are promised"):
        read_scan(scan(tmp_path / "scan.txt", rows, ["# 1'235 points"]))
    points_that_are_none = ["nan nan nan", *rows]
    assert read_scan(scan(tmp_path / "scan.txt", points_that_are_none, ["1235"])).skipped == 1


@pytest.mark.parametrize("form", ["{:.3f}", "{:9.4f}", "{:.5e}"])
@pytest.mark.parametrize("separator", [" ", ";", ", "])
@pytest.mark.parametrize("head", [[], ["200"]])
def test_a_file_cut_anywhere_gives_no_wrong_point(form, separator, head, tmp_path):
    path = scan(tmp_path / "scan.xyz", lines(form, separator), head)
    content = path.read_bytes()
    whole = read_scan(path).points
    rng = np.random.default_rng(3)
    outcomes = set()
    for at in rng.integers(len(content) // 3, len(content) - 1, 120):
        path.write_bytes(content[:at])
        try:
            found = read_scan(path)
        except FormatError as error:
            assert "cut off" in str(error) or "is not a point" in str(error)
            outcomes.add("refused")
            continue
        assert not head
        assert SILENT in found.notes[0]
        assert np.array_equal(found.points, whole[: len(found.points)])
        outcomes.add("said")
    assert "refused" in outcomes


def test_a_last_line_with_less_than_the_others_is_cut_off(tmp_path):
    rows = [f"{row} {k}" for k, row in enumerate(lines("{:.4f}"))]
    path = scan(tmp_path / "scan.xyz", rows, end="")
    assert len(read_scan(path).points) == 200
    path.write_text(path.read_text().rpartition(" ")[0])
    with pytest.raises(FormatError, match="cut off in line 200"):
        read_scan(path)


def test_a_mesh_in_text_tells_its_count_in_a_comment(tmp_path):
    rows = [f"v {row}" for row in lines("{:.4f}")]
    assert not read_scan(scan(tmp_path / "scan.obj", rows, ["# 200 vertices"])).notes
    with pytest.raises(FormatError, match="200 points are promised in line 1, 150 are there"):
        read_scan(scan(tmp_path / "scan.obj", rows[:150], ["# Vertices: 200"]))
    assert SILENT in read_scan(scan(tmp_path / "scan.obj", rows)).notes[0]


def test_points_to_associate_are_counted_too(tmp_path):
    rows = lines("{:.4f}")
    assert len(read_points(scan(tmp_path / "points.txt", rows, ["200", "x y z"])).points) == 200
    with pytest.raises(FormatError, match="200 points are promised in line 1, 9 are there"):
        read_points(scan(tmp_path / "points.txt", rows[:9], ["200", "x y z"]))


def test_the_note_goes_with_the_sample(tmp_path):
    sample, contents = open_sample(scan(tmp_path / "scan.xyz", lines("{:.4f}")))
    assert SILENT in sample.notes[0]
    write_sample(tmp_path / "one.tgsample", sample, contents)
    assert SILENT in open_sample(tmp_path / "one.tgsample")[0].notes[0]


@pytest.mark.parametrize(("unit", "far"), [("mm", 1.1e6), ("m", 1100.0), ("inch", 4e4)])
def test_numbers_that_no_part_has_are_refused_in_every_unit(unit, far, tmp_path):
    path = scan(tmp_path / "scan.xyz", [*lines("{:.4f}"), f"0 0 {far}"])
    with pytest.raises(FormatError, match="is no measured point"):
        read_scan(path, unit)
    assert len(read_scan(scan(tmp_path / "scan.xyz", lines("{:.4f}")), unit).points) == 200


@pytest.mark.parametrize("number", ["1e7", "-1000001", "1e400", "nan", "inf"])
def test_points_to_associate_are_within_reach(number, tmp_path):
    for text in (f"1 2 3\n4 5 {number}\n", f'{{"points": [[1, 2, 3], [4, 5, {number}]]}}'):
        path = tmp_path / "points.txt"
        path.write_text(text)
        with pytest.raises(FormatError, match=r"points\.txt: "):
            read_points(path)
