"""Many scans by surface checks: without a part and beside one, each limit a row of the summary."""

import csv
import json

import numpy as np
import pytest
from tests.test_imperfections_without_window import command, sheet
from tests.test_surfaces_inspected import planned

from truegauge.core.plan.surface_checks import SurfaceCheck, SurfaceLimit
from truegauge.formats.ply import ply_from_points
from truegauge.jobs.records import Record, read_record
from truegauge.jobs.summary import summarize, summary_csv, summary_json, summary_xlsx

CHECK = SurfaceCheck(
    id="skin", name="outer skin",
    limits=(SurfaceLimit(quantity="depth", limit=0.4), SurfaceLimit(quantity="count", limit=5),
            SurfaceLimit(quantity="edge_to_edge", limit=30)),
)  # fmt: skip


@pytest.fixture(scope="module")
def scans(tmp_path_factory):
    """A sheet with a deep dent, the same one levelled to a third, and two that are no surface."""
    folder = tmp_path_factory.mktemp("scans")
    points = sheet()
    (folder / "a.ply").write_bytes(ply_from_points(points))
    level = points.copy()
    level[:, 2] = 2e-4 * points[:, 0] * points[:, 1] + (points[:, 2] - 2e-4 * points[:, 0] * points[:, 1]) / 3
    (folder / "b.ply").write_bytes(ply_from_points(level))
    (folder / "c.ply").write_bytes(ply_from_points(points[:20]))
    (folder / "d.ply").write_bytes(b"ply\nnothing")
    return folder


def test_a_batch_of_scans_without_a_part(scans, tmp_path):
    plan, out = planned(tmp_path / "skin.tgplan", CHECK), tmp_path / "out"
    code, said, err = command("batch", plan, scans, "--out", out, "--formats", "csv,json,sample", "--jobs", "1")
    assert code != 0, (said, err)
    records = {name: read_record(out, name) for name in "abcd"}
    assert records["a"].counts == {"outside": 1, "within": 2}
    assert records["b"].counts == {"within": 3}
    assert records["c"].counts == {"not_measured": 1}
    assert records["d"].failed
    assert "d.ply" in records["d"].reason
    assert json.loads((out / "a.json").read_text())["surfaces"][0]["limits"][0]["state"] == "outside"
    assert (out / "a.tgsample").exists()
    with (out / "summary.csv").open() as file:
        rows = list(csv.DictReader(line for line in file))
    depth, count, near = rows[:3]
    assert [r["name"] for r in rows[:3]] == ["outer skin: deepest or highest", "outer skin: how many",
                                             "outer skin: nearest to each other"]  # fmt: skip
    assert float(depth["a"]) == pytest.approx(0.5, abs=0.02)
    assert float(depth["b"]) == pytest.approx(0.167, abs=0.02)
    assert [depth[f"{k} state"] for k in "abcd"] == ["outside", "within", "not_measured", "not_measured"]
    assert float(depth["mean"]) == pytest.approx((float(depth["a"]) + float(depth["b"])) / 2)
    assert (depth["number"], depth["lower"], depth["upper"], depth["outside"]) == ("", "", "0.4", "1")
    assert (count["unit"], float(count["a"]), near["lower"], near["upper"]) == ("", 2.0, "30.0", "")
    again = command("batch", plan, scans, "--out", out, "--formats", "csv,json,sample", "--jobs", "1")
    assert "before" in again[1] + again[2]  # those that were done are not done again


def test_beside_characteristics_limits_come_after_them():
    limit = {"quantity": "depth", "limit": 0.3, "value": None, "number": None, "beyond": [], "state": "within"}
    characteristic = {"number": 7, "name": "bore", "kind": "diameter", "unit": "mm", "nominal": 10.0, "lower": 9.9,
                      "upper": 10.1, "measured": 10.02, "deviation": 0.02, "state": "within", "reason": ""}  # fmt: skip
    results = {"plan": "P", "plan_revision": 2, "characteristics": [characteristic],
               "surfaces": [{"name": "skin", "id": "s", "limits": [limit], "state": "within"}]}  # fmt: skip
    failed = {**results, "surfaces": [{"name": "skin", "id": "s", "reason": "no scan", "state": "not_measured"}]}
    made = summarize([Record("one", "one.ply", "k", results=results), Record("two", "two.ply", "k", results=failed),
                      Record("three", "three.ply", "k", reason="damaged")])  # fmt: skip
    assert [row.number for row in made.rows] == [7, None]
    cells = made.rows[1].cells
    assert [(c.measured, c.state, c.reason) for c in cells] == [
        (None, "within", ""), (None, "not_measured", "no scan"), (None, "not_measured", "damaged"),
    ]  # fmt: skip
    assert made.rows[1].mean is None
    assert json.loads(summary_json(made))["rows"][1]["number"] is None
    assert b"skin: deepest or highest" in summary_csv(made)
    assert summary_xlsx(made)[:2] == b"PK"


def test_outputs_that_there_are_none_of_leave_no_half_behind(scans, tmp_path):
    out = tmp_path / "out"
    command("batch", planned(tmp_path / "skin.tgplan", CHECK), scans / "b.ply", "--out", out, "--formats", "csv,xlsx",
            "--jobs", "1")  # fmt: skip
    assert "not xlsx" in read_record(out, "b").reason
    assert not (out / "b.csv").exists()


def test_a_plan_that_looks_for_nothing_is_said(scans, tmp_path):
    out = tmp_path / "out"
    command("batch", planned(tmp_path / "empty.tgplan"), scans / "a.ply", "--out", out, "--jobs", "1")
    assert "neither a part nor a surface check" in read_record(out, "a").reason


def test_many_units_of_limits_are_those_of_what_they_limit():
    from truegauge.core.evaluation.surface_judgement import UNITS, WORDS

    assert UNITS.keys() == WORDS.keys()
    assert np.all([UNITS[k] in ("", "mm", "mm2", "mm3", "1/m2") for k in UNITS])


def test_a_batch_and_an_inbox_measure_from_an_earlier_scan(scans, tmp_path):
    changed = CHECK.replace(reference="scan", wavelength=0.0)
    plan, out, earlier = planned(tmp_path / "since.tgplan", changed), tmp_path / "out", scans / "b.ply"
    usual = (plan, scans / "a.ply", "--out", out, "--formats", "json", "--jobs", "1")
    assert command("batch", *usual)[0] == 1
    assert "no other scan" in read_record(out, "a").results["surfaces"][0]["reason"]
    # Not the same as before: another earlier scan is another batch.
    code, said, _ = command("batch", *usual, "--before", earlier)
    assert (code, "done before" in said) == (0, False)
    (one,) = json.loads((out / "a.json").read_text())["surfaces"]
    assert one["limits"][0]["value"] == pytest.approx(0.5 * 2 / 3, abs=0.02)
    assert any("from the scan b" in note for note in one["reference"]["notes"])
    assert "done before" in command("batch", *usual, "--before", earlier)[1]
    gone = command("batch", *usual, "--before", tmp_path / "gone.ply")
    assert (gone[0], "gone.ply" in gone[2]) == (2, True)
    folder = tmp_path / "inbox"
    folder.mkdir()
    (folder / "a.ply").write_bytes((scans / "a.ply").read_bytes())
    command("inbox", plan, folder, "--once", "--settle", "0", "--formats", "json", "--before", earlier)
    (again,) = json.loads((folder / "results" / "a.json").read_text())["surfaces"]
    assert again["limits"][0]["value"] == one["limits"][0]["value"]
