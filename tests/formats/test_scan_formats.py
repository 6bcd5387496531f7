"""Scans in STL, OBJ and text: the same points whatever the dialect; 200 mutations of each never crash a reader."""

import numpy as np
import pytest
from numpy.testing import assert_allclose

from truegauge.core.errors import FormatError
from truegauge.formats.sample_file import open_sample, write_sample
from truegauge.formats.scan import SCAN_READERS, read_scan

POINTS = np.round(np.random.default_rng(4).uniform(-50, 50, (120, 3)), 3).astype(np.float32).astype(np.float64)
TRIANGLES = np.arange(120).reshape(40, 3)


def binary_stl():
    record = np.zeros(40, dtype=[("n", "<f4", 3), ("c", "<f4", (3, 3)), ("r", "<u2")])
    record["c"] = POINTS[TRIANGLES]
    return b"made for a test".ljust(80, b" ") + (40).to_bytes(4, "little") + record.tobytes()


def ascii_stl():
    lines = ["solid part"]
    for triangle in TRIANGLES:
        lines += ["facet normal 0 0 1", "outer loop"]
        lines += ["vertex {:.9g} {:.9g} {:.9g}".format(*POINTS[k]) for k in triangle]
        lines += ["endloop", "endfacet"]
    return "\n".join([*lines, "endsolid part", ""]).encode()


def obj():
    lines = ["# a mesh", "o part", *("v {:.9g} {:.9g} {:.9g}".format(*p) for p in POINTS)]
    lines += ["f {}/1 {}/2 {}/3".format(*(t + 1)) for t in TRIANGLES]
    return "\n".join([*lines, ""]).encode()


def text(separator=" ", heading="", comma=False, more=()):
    rows = []
    for p in POINTS:
        words = [f"{v:.9g}" for v in (*p, *more)]
        rows.append(separator.join(words).replace(".", ",") if comma else separator.join(words))
    return "\n".join([*([heading] if heading else []), *rows, ""]).encode()


GOOD = {".stl": binary_stl(), ".ascii.stl": ascii_stl(), ".obj": obj(), ".xyz": text(), ".csv": text(",", "x,y,z")}


def written(tmp_path, name, content):
    path = tmp_path / f"scan{name}"
    path.write_bytes(content)
    return path


@pytest.mark.parametrize("name", GOOD)
def test_every_format_gives_the_same_points(name, tmp_path):
    scan = read_scan(written(tmp_path, name, GOOD[name]))
    order = np.lexsort(scan.points.T)
    assert_allclose(scan.points[order], POINTS[np.lexsort(POINTS.T)], atol=1e-6)


@pytest.mark.parametrize("content", [
    text("\t"), text(";"), text(", "), text(" ", "# x y z"), text(" ", "120"), text(";", comma=True),
    text(" ", comma=True), text("\t", comma=True), text(",", "X [mm],Y [mm],Z [mm]"), text(" ", more=(0.1, 0.2, 1)),
    text(";", "x;y;z;r;g;b", more=(1, 2, 3)), text("\t", '"x"\t"y"\t"z"'), b"\xef\xbb\xbf" + text(),
], ids=range(13))  # fmt: skip
def test_the_dialect_of_a_text_is_found(content, tmp_path):
    assert_allclose(read_scan(written(tmp_path, ".txt", content)).points, POINTS, atol=1e-6)


def test_the_heading_tells_the_columns(tmp_path):
    rows = "\n".join(f"{i},{z:.9g},{x:.9g},{y:.9g}" for i, (x, y, z) in enumerate(POINTS))
    assert_allclose(read_scan(written(tmp_path, ".csv", f"id,Z,X,Y\n{rows}\n".encode())).points, POINTS, atol=1e-6)


@pytest.mark.parametrize("name", GOOD)
def test_no_mutation_crashes_a_reader_or_imports_a_part(name, tmp_path):
    rng = np.random.default_rng(7)
    path = tmp_path / f"scan{name}"
    outcomes = set()
    for _ in range(200):
        data = bytearray(GOOD[name])
        for at in rng.integers(0, len(data), rng.integers(1, 10)):
            data[at] = rng.integers(0, 256)
        if rng.random() < 0.3:
            data = data[: rng.integers(0, len(data))]
        path.write_bytes(bytes(data))
        try:
            scan = read_scan(path)
        except FormatError as error:
            assert str(error).startswith(f"{path.name}: ")
            outcomes.add("refused")
            continue
        assert np.isfinite(scan.points).all()
        assert len(scan.points) <= len(POINTS)
        outcomes.add("read")
    assert "refused" in outcomes


@pytest.mark.parametrize(("name", "content", "match"), [
    (".stl", b"", "empty"),
    (".stl", GOOD[".stl"][:-60], "cut off.*40 triangles are promised, 38 are there"),
    (".stl", GOOD[".stl"] + bytes(5000), "follow its 40 triangles"),
    (".stl", GOOD[".ascii.stl"][:-40], "cut off after"),
    (".stl", GOOD[".ascii.stl"].replace(b"vertex", b"vertex one", 1), "line 4 is no corner"),
    (".obj", GOOD[".obj"] + b"f 1 2 500\n", "vertex 500, there are 120"),
    (".obj", GOOD[".obj"] + b"f 1 2 0\n", "line 163 is no face"),
    (".obj", b"v 1 2\n", "line 1 is no vertex"),
    (".obj", b"hello world\n", "line 1 is not of an OBJ"),
    (".obj", b"# nothing\n", "no points"),
    (".xyz", GOOD[".xyz"] + b"1 2\n", "line 121 is not a point"),
    (".xyz", b"1 2 3\n" * 5000 + b"1 2 3 4\n1 2\n" + b"1 2 3\n" * 5000, "line 5002 is not a point"),
    (".xyz", b"1 2\n3 4\n", "line 1 is not a point"),
    (".xyz", b"some words\nand more\n", "no lines of three numbers"),
    (".xyz", b"1 2 three 4 5\n1 2 3 4 5\n", "line 1 mixes numbers and words"),
    (".xyz", bytes(range(256)) * 10, "not a text file"),
    (".txt", b"nan nan nan\nnan nan nan\n", "NaN"),
    (".txt", b"1e30 0 0\n", "no measured point"),
])  # fmt: skip
def test_a_bad_scan_says_what_and_where(name, content, match, tmp_path):
    path = written(tmp_path, name, content)
    with pytest.raises(FormatError, match=match):
        read_scan(path)


def test_an_unknown_ending_names_the_known_ones(tmp_path):
    with pytest.raises(FormatError, match=r"\.ply, \.stl, \.obj"):
        read_scan(written(tmp_path, ".docx", b"1 2 3\n"))
    assert set(SCAN_READERS) == {".ply", ".stl", ".obj", ".xyz", ".asc", ".txt", ".csv", ".e57", ".las", ".laz"}


@pytest.mark.parametrize("name", [".stl", ".csv"])
def test_a_sample_keeps_the_file_it_came_from(name, tmp_path):
    sample, content = open_sample(written(tmp_path, name, GOOD[name]))
    saved = tmp_path / "one.tgsample"
    write_sample(saved, sample, content)
    again, kept = open_sample(saved)
    assert kept == (GOOD[name],)
    assert np.array_equal(again.points, sample.points)
    assert again.scans_key == sample.scans_key
