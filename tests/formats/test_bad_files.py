"""Damaged, empty, cut-off and mistaken files: a message that names the file and what to do, never a crash."""

import re
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from mutations import assert_only_refusals

from truegauge import demo
from truegauge.core.errors import FormatError, UnsupportedVersionError
from truegauge.formats import part
from truegauge.formats.part import read_part
from truegauge.formats.plan_file import read_plan
from truegauge.formats.ply import ply_from_points, points_from_ply
from truegauge.formats.points_text import read_points
from truegauge.formats.sample_file import open_sample, write_sample
from truegauge.formats.scan import read_scan
from truegauge.formats.touches_csv import read_touches

GOOD = ply_from_points(np.arange(300.0).reshape(100, 3))
HEADER = GOOD[: GOOD.index(b"end_header\n") + 11]


def assert_refused(reader, path, match):
    with pytest.raises(FormatError, match=match) as caught:
        reader(path)
    assert str(caught.value).startswith(path.name)


BAD_PLY = {
    "empty": (b"", "empty"),
    "garbage": (np.random.default_rng(2000).bytes(2000), "not a PLY"),
    "another kind": (demo.PLAN.read_bytes()[:5000], "not a PLY"),
    "header only": (b"ply\nformat binary_little_endian 1.0\n", "no end"),
    "no points": (GOOD.replace(b"vertex 100", b"vertex 0"), "no points"),
    "cut off": (GOOD[:-7], "100 points are promised, 99 are there"),
    "absurd count": (GOOD.replace(b"vertex 100", b"vertex 99999999999"), "cut off"),
    "negative count": (GOOD.replace(b"vertex 100", b"vertex -5"), "line 3"),
    "no z": (GOOD.replace(b"property float z", b"property float w"), "one x, one y and one z"),
    "unknown type": (GOOD.replace(b"property float z", b"property quad z"), "line 6"),
    "no format": (GOOD.replace(b"format binary_little_endian 1.0\n", b""), "does not tell its format"),
    "all NaN": (HEADER + np.full((100, 3), np.nan, "<f4").tobytes(), "NaN"),
    "huge numbers": (HEADER + np.full((100, 3), 1e30, "<f4").tobytes(), "no measured point"),
    "ascii words": (b"ply\nformat ascii 1.0\nelement vertex 2\nproperty float x\nproperty float y\nproperty float z\n"
                    b"end_header\n1 2 3\n4 five 6\n", "line 9"),
    "ascii cut off": (b"ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
                      b"end_header\n1 2 3\n4 5 6\n", "3 points are promised, 2 are there"),
}  # fmt: skip


@pytest.mark.parametrize("case", BAD_PLY)
def test_a_bad_scan_is_refused_with_a_message(case, tmp_path):
    content, match = BAD_PLY[case]
    path = tmp_path / "scan.ply"
    path.write_bytes(content)
    assert_refused(read_scan, path, match)


def test_no_mutation_of_a_scan_crashes_the_reader(tmp_path):
    rng = np.random.default_rng(1)
    path = tmp_path / "scan.ply"
    outcomes = set()
    for _ in range(300):
        data = bytearray(GOOD)
        for at in rng.integers(0, len(HEADER) if rng.random() < 0.7 else len(data), rng.integers(1, 8)):
            data[at] = rng.integers(0, 256)
        try:
            points = points_from_ply(path, bytes(data[: len(data) - max(0, int(rng.integers(-40, 40)))])).points
            assert np.isfinite(points).all()
            outcomes.add("read")
        except FormatError as error:
            assert str(error).startswith("scan.ply: ")
            outcomes.add("refused")
    assert outcomes == {"read", "refused"}


def test_single_bad_points_are_skipped_and_counted(tmp_path):
    points = np.arange(30.0).reshape(10, 3)
    points[4, 1] = np.nan
    path = tmp_path / "scan.ply"
    path.write_bytes(ply_from_points(points))
    scan = read_scan(path)
    assert (len(scan.points), scan.skipped) == (9, 1)


@pytest.mark.parametrize("order", ["binary_little_endian", "binary_big_endian", "ascii"])
def test_every_encoding_reads_the_same_points(tmp_path, order):
    points = np.random.default_rng(0).normal(size=(50, 3))
    rows = np.zeros(50, dtype=[("i", "u1"), ("x", "f8"), ("y", "f8"), ("z", "f8")])
    rows["x"], rows["y"], rows["z"] = points.T
    head = f"ply\nformat {order} 1.0\nelement vertex 50\nproperty uchar i\nproperty double x\nproperty double y\n"
    head += "property double z\nelement face 0\nproperty list uchar int vertex_indices\nend_header\n"
    if order == "ascii":
        body = "\n".join(f"0 {x!r} {y!r} {z!r}" for x, y, z in points.tolist()).encode() + b"\n"
    else:
        kind = rows.dtype.newbyteorder("<" if "little" in order else ">")
        body = rows.astype(kind).tobytes()
    path = tmp_path / "scan.ply"
    path.write_bytes(head.encode() + body)
    assert np.array_equal(read_scan(path).points, points)


def test_inch_is_converted_once(tmp_path):
    path = tmp_path / "scan.ply"
    path.write_bytes(ply_from_points(np.array([[1.0, 2.0, 4.0]])))
    assert np.array_equal(read_scan(path, "inch").points, [[25.4, 50.8, 101.6]])
    with pytest.raises(FormatError, match="use one of mm, inch"):
        read_scan(path, "furlong")


STEP = demo.PART.read_bytes()


@pytest.mark.parametrize(
    ("content", "match"),
    [
        (b"", "empty"),
        (np.random.default_rng(3000).bytes(3000), "not a STEP file"),
        (GOOD, "not a STEP file"),
        (STEP[: len(STEP) // 2], "cut off"),
        (b"ISO-10303-21;\nHEADER;\nENDSEC;\nDATA;\nENDSEC;\nEND-ISO-10303-21;\n", "STEP|damaged"),
        (b"ISO-10303-21;" + np.random.default_rng(500).bytes(500) + b"END-ISO-10303-21;", "STEP|damaged"),
    ],
    ids=["empty", "garbage", "a scan", "cut off", "no shape", "garbage inside"],
)
def test_a_bad_part_is_refused_with_a_message(tmp_path, content, match):
    path = tmp_path / "part.step"
    path.write_bytes(content)
    assert_refused(read_part, path, match)


@pytest.mark.parametrize("seed", range(4))
def test_a_corrupted_part_never_takes_the_program_down(tmp_path, seed):
    rng = np.random.default_rng(seed)
    data = bytearray(STEP)
    for at in rng.integers(600, len(data) - 600, 40):
        data[at] = rng.integers(33, 126)
    path = tmp_path / "part.step"
    path.write_bytes(bytes(data))
    try:
        assert read_part(path).diagonal > 0
    except FormatError as error:
        assert str(error).startswith("part.step: ")


def test_a_missing_file_and_a_folder_are_named(tmp_path):
    assert_refused(read_part, tmp_path / "nothing.step", "no such file")
    assert_refused(read_scan, tmp_path, "a folder")


def test_a_broken_cache_is_read_again(tmp_path, monkeypatch, model):
    monkeypatch.setattr(part, "_cache_folder", lambda: tmp_path)
    (tmp_path / f"{model.key}.npz").write_bytes(b"PK\x03\x04 broken")
    assert len(read_part(demo.PART).faces) == len(model.faces)


PLAN = demo.PLAN.read_bytes()


def with_document(path, change):
    with zipfile.ZipFile(demo.PLAN) as old, zipfile.ZipFile(path, "w") as new:
        for name in old.namelist():
            content = old.read(name)
            new.writestr(name, change(content) if name == "plan.json" else content)


@pytest.mark.parametrize(
    ("change", "match"),
    [
        (lambda d: d[:100], "damaged"),
        (lambda d: b"[1]", "no JSON object"),
        (lambda d: d.replace(b'"nominal": 42.0', b'"nominal": "wide"'), "nominal"),
        (lambda d: d.replace(b'"kind": "best_fit"', b'"kind": "best_fit", "colour": 1'), "colour"),
        (lambda d: d.replace(b'"sha256": "', b'"sha256": "ff'), "its part"),
    ],
)
def test_a_damaged_plan_is_refused_and_says_where(tmp_path, change, match):
    path = tmp_path / "plan.tgplan"
    with_document(path, change)
    assert_refused(read_plan, path, match)


def test_a_plan_of_a_newer_version_says_so(tmp_path):
    path = tmp_path / "plan.tgplan"
    with_document(path, lambda d: re.sub(rb'"schema_version": \d+', b'"schema_version": 999', d))
    with pytest.raises(UnsupportedVersionError, match="newer version"):
        read_plan(path)


@pytest.mark.parametrize("size", [0, 10, 3000, len(PLAN) - 30])
def test_a_cut_off_plan_or_sample_is_refused(tmp_path, size):
    for name, reader in (("plan.tgplan", read_plan), ("sample.tgsample", open_sample)):
        path = tmp_path / name
        path.write_bytes(PLAN[:size])
        assert_refused(reader, path, "empty" if size == 0 else "not a whole")


def test_points_from_text_in_the_usual_forms(tmp_path):
    path = tmp_path / "points.csv"
    for text in (
        "x,y,z\n1,2,3\n4,5,6\n",
        "1 2 3\n4 5 6",
        "# made\n1;2;3;0.5\n\n4;5;6;0.1\n",
        "\ufeff1\t2\t3\r\n4\t5\t6\r\n",
    ):
        path.write_text(text, encoding="utf-8")
        assert np.array_equal(read_points(path).points, [[1, 2, 3], [4, 5, 6]])


@pytest.mark.parametrize(
    ("content", "match"),
    [
        (b"1 2 3\n4 5\n", "line 2"),
        (b"1 2 3\n4 five 6\n", "line 2"),
        (b"1 2 nan\n", "line 1"),
        (b"a b c\n", "no points"),
        (b"\xff\xfe\x00", "not a text file"),
        (b'{"points": [[1, 2]]}', "list of"),
        (b'{"nothing": 1}', "no list of points"),
    ],
)
def test_bad_point_files_name_the_line(tmp_path, content, match):
    path = tmp_path / "points.csv"
    path.write_bytes(content)
    assert_refused(read_points, path, match)


@pytest.mark.parametrize(
    ("text", "match"),
    [
        ("", "no measured points|empty"),
        ("name,x,y,z\n", "no measured points"),
        ("T1,1,2\n", "line 1 is no name with x, y, z"),
        ("name;x;y;z\nT1;1;2;3\nT2;1;nan;3\n", "line 3"),
        ("T1,1,2,3,under\n", "line 1: the side is surface, face or wall"),
        (",1,2,3\n", "line 1"),
    ],
)
def test_a_bad_table_of_measured_points_is_refused_by_its_line(tmp_path, text, match):
    path = tmp_path / "touches.csv"
    path.write_text(text)
    assert_refused(read_touches, path, match)


def test_damaged_tables_of_measured_points_are_refused_or_read_whole(tmp_path):
    good = b"name;x;y;z;side\n" + b"".join(b"T%d;%d.5;2;3;wall\n" % (k, k) for k in range(40))
    assert_only_refusals(read_touches, tmp_path / "t.csv", good, 200, 12, lambda t: all(len(x.place) == 3 for x in t))


def test_a_sample_whose_scan_is_placed_by_a_bent_matrix_is_refused(tmp_path, sample):
    bent = sample.files[0].replace(placement=tuple([2.0] + [0.0] * 14 + [1.0]), placed_by="?")
    path = tmp_path / "a.tgsample"
    write_sample(path, replace(sample, contributions=(replace(sample.scans[0], file=bent),)), (demo.SCAN.read_bytes(),))
    assert_refused(open_sample, path, "placement of scan 1")
