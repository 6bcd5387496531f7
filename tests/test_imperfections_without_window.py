"""Imperfections by the command line and in Python: files in, numbers and words out."""

import io
import json
import sys
from contextlib import redirect_stderr, redirect_stdout
from functools import partial

import numpy as np
import pytest

import truegauge as tg
from truegauge.cli import main
from truegauge.core.errors import TrueGaugeError
from truegauge.demo import tube
from truegauge.formats.ply import ply_from_points


def command(*arguments):
    out, err, code = io.StringIO(), io.StringIO(), 0
    with pytest.MonkeyPatch.context() as patch, redirect_stdout(out), redirect_stderr(err):
        patch.setattr(sys, "argv", ["truegauge", *map(str, arguments)])
        try:
            main()
        except SystemExit as ended:
            code = ended.code
    return code, out.getvalue(), err.getvalue()


run = partial(command, "imperfections")


def sheet():
    """A sheet with a dent 0.5 deep and a bump 0.3 high."""
    rng = np.random.default_rng(1)
    x, y = rng.uniform(0, 200, (2, 40_000))
    z = -0.5 * np.exp(-((x - 60) ** 2 + (y - 80) ** 2) / 150) + 0.3 * np.exp(-((x - 140) ** 2 + (y - 120) ** 2) / 120)
    return np.column_stack([x, y, z + 2e-4 * x * y + rng.normal(0, 0.01, len(x))])


@pytest.fixture(scope="module")
def scan(tmp_path_factory):
    path = tmp_path_factory.mktemp("scans") / "sheet.ply"
    path.write_bytes(ply_from_points(sheet()))
    return path


def test_json_tells_everything_the_deepest_first(scan):
    code, out, err = run(scan, "--json")
    assert (code, err) == (0, "")
    said = json.loads(out)
    assert said["reference"]["kind"] == "smooth"
    assert said["reference"]["wavelength"] == 150.0
    assert said["reference"]["filter"] == "spline"
    assert said["reference"]["rms"] == pytest.approx(0.01, rel=0.1)
    assert any("no normals" in n for n in said["reference"]["notes"])
    dent, bump = said["imperfections"]
    assert (dent["kind"], bump["kind"]) == ("dent", "bump")
    assert dent["depth"] == pytest.approx(-0.5, abs=0.02)
    assert bump["depth"] == pytest.approx(0.3, abs=0.02)
    assert dent["deepest"][:2] == pytest.approx([60, 80], abs=0.5)
    assert bump["centroid"][:2] == pytest.approx([140, 120], abs=0.5)
    assert dent["deepest"][2] == pytest.approx(2e-4 * 60 * 80, abs=0.02)
    assert dent["nearest"] == {"number": 2, "edge": bump["nearest"]["edge"], "center": bump["nearest"]["center"]}
    assert dent["nearest"]["center"] == pytest.approx(np.hypot(80, 40), abs=1.0)
    # In closed form: exp(-r2/150) is a fifth of its top at r2 = 150 ln 5.
    assert dent["area_mm2"] == pytest.approx(np.pi * 150 * np.log(5), rel=0.05)
    assert dent["volume_mm3"] == pytest.approx(np.pi * 150 * 0.5 * 0.8, rel=0.05)


def test_what_is_new_since_an_earlier_scan(scan, tmp_path):
    points = sheet()
    points[:, 2] += 0.4 * np.exp(-((points[:, 0] - 140) ** 2 + (points[:, 1] - 120) ** 2) / 120)
    points[:, 2] -= 0.3 * np.exp(-((points[:, 0] - 150) ** 2 + (points[:, 1] - 40) ** 2) / 120)
    now = tmp_path / "now.ply"
    now.write_bytes(ply_from_points(points))
    code, out, _ = run(now, "--before", scan, "--json")
    assert code == 0
    changes = json.loads(out)["changes"]
    assert sorted(c["state"] for c in changes) == ["deeper", "new", "same"]
    deeper = next(c for c in changes if c["state"] == "deeper")
    assert deeper["change"] == pytest.approx(0.4, abs=0.02)
    assert deeper["now"]["kind"] == "bump"
    _, out, _ = run(scan, "--before", now)
    assert "since now.ply" in out
    assert "gone" in out


def test_a_table_for_people(scan):
    code, out, _ = run(scan, "--sides", "out", "--depth", "0.15")
    assert code == 0
    assert "1 imperfection beyond 0.15 mm" in out
    assert "bump" in out
    assert "dent" not in out
    code, out, _ = run(scan, "--min-area", "900")
    assert "0 imperfections" in out


def test_python_finds_the_same(scan):
    found = tg.imperfections(scan)
    _, out, _ = run(scan, "--json")
    assert [i.depth for i in found.imperfections] == [i["depth"] for i in json.loads(out)["imperfections"]]


def test_a_tube_in_inch_by_its_cylinder(tmp_path):
    points, normals = tube.tube_cloud(120_000)
    path = tmp_path / "tube.ply"
    path.write_bytes(ply_from_points(points / 25.4, normals=normals, double=True))
    code, out, _ = run(path, "--reference", "cylinder", "--unit", "inch", "--json")
    assert code == 0
    said = json.loads(out)
    assert said["reference"]["wavelength"] == 0.0
    depths = sorted(p.depth for p in tube.corroded())
    assert [i["depth"] for i in said["imperfections"]] == pytest.approx(depths, abs=0.06)


def test_another_scan_is_the_reference(scan, tmp_path):
    """What has changed since: the bump is gone, by the command line and in Python."""
    rng = np.random.default_rng(5)
    x, y = rng.uniform(0, 200, (2, 40_000))
    z = 2e-4 * x * y - 0.5 * np.exp(-((x - 60) ** 2 + (y - 80) ** 2) / 150) + rng.normal(0, 0.01, len(x))
    after = tmp_path / "after.ply"
    after.write_bytes(ply_from_points(np.column_stack([x, y, z])))
    code, out, err = run(after, "--reference", "scan", "--before", scan, "--json")
    assert (code, err) == (0, "")
    said = json.loads(out)
    (gone,) = said["imperfections"]
    assert gone["depth"] == pytest.approx(-0.3, abs=0.03)
    assert gone["deepest"][:2] == pytest.approx([140, 120], abs=1.0)
    assert said["reference"]["kind"] == "scan"
    assert "changes" not in said
    (again,) = tg.imperfections(after, reference="scan", before=scan).imperfections
    assert again.depth == gone["depth"]
    code, out, err = run(after, "--reference", "scan")
    assert code == 2
    assert "which one? Give the earlier one, too" in err


@pytest.mark.parametrize(("options", "words"), [
    (("--reference", "torus"), "reference 'torus' is not known; use one of smooth, plane"),
    (("--sides", "left"), "sides 'left' is not known"),
    (("--filter", "mean"), "filter 'mean' is not known; use one of spline, gaussian"),
    (("--depth", "0"), "a depth of 0 mm is no threshold"),
    (("--wavelength", "0"), "a wavelength of 0 mm is too short"),
    (("--wavelength", "2"), "too short for an area so large"),
    (("--min-area", "-1"), "not below 0"),
])  # fmt: skip
def test_what_cannot_be_asked_for_is_one_line(scan, options, words):
    code, out, err = run(scan, *options)
    assert (code, out) == (2, "")
    assert words in err
    assert err.count("\n") == 1


def test_bad_surfaces_are_one_line(tmp_path):
    few = tmp_path / "few.xyz"
    few.write_text("\n".join(f"{k} {k * k % 7} 0" for k in range(10)))
    code, _, err = run(few)
    assert code == 2
    assert "10 points are too few" in err
    with pytest.raises(TrueGaugeError, match="too few"):
        tg.imperfections(few)
    code, _, err = run(tmp_path / "none.ply")
    assert code == 2
    assert "none.ply" in err


def test_bumps_have_a_threshold_of_their_own(scan):
    said = json.loads(run(scan, "--json", "--height", "0.35")[1])["imperfections"]
    assert [one["kind"] for one in said] == ["dent"]
    said = json.loads(run(scan, "--json", "--depth", "0.6", "--height", "0.2")[1])["imperfections"]
    assert [one["kind"] for one in said] == ["bump"]
    both = tg.imperfections(scan, depth=0.4, height=0.2).imperfections
    alone = (*tg.imperfections(scan, depth=0.4, sides="in").imperfections,
             *tg.imperfections(scan, depth=0.2, sides="out").imperfections)  # fmt: skip
    assert [one.area for one in both] == pytest.approx([one.area for one in alone], rel=0.02)
    assert run(scan, "--height", "0")[0] == 2
    code, _, err = run(scan, "--saddle", "1.2")
    assert (code, "from 0 to 1" in err) == (2, True)
