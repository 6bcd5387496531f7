"""Sections of a blade by the command line and in Python: the demo's vane, against the truth about it."""

import json
import math

import numpy as np
import pytest
from tests.test_imperfections_without_window import command

import truegauge as tg
from truegauge import demo
from truegauge.core.errors import TrueGaugeError
from truegauge.demo.vane import designed, vane_cloud
from truegauge.formats.ply import ply_from_points
from truegauge.jobs.blades import way_of

HEIGHTS = "30,60,80"


@pytest.fixture(scope="module")
def told():
    code, out, err = command("blade", demo.VANE_PART, demo.VANE_SCAN, "--heights", HEIGHTS, "--scan-aligned", "--json")
    assert (code, err) == (0, "")
    return json.loads(out)["sections"]


def test_the_injected_errors_are_found(told):
    truth = {one["height"]: one for one in json.loads(demo.VANE_TRUTH.read_text())["sections"]}
    assert [one["height"] for one in told] == [30.0, 60.0, 80.0]
    off = []
    for one in told:
        true = {**truth[one["height"]]}
        true["chord_angle_deg"] = math.degrees(true.pop("chord_angle"))
        for name, value in true.items():
            if name != "height":
                off.append((one[name] - value) / one[f"u_{name}"])
        assert one["fit"]["turn_deg"] == pytest.approx(-0.6 * one["height"] / 100, abs=0.03)
        assert one["fit"]["profile_max"] < one["profile_max"]
        zones = one["zones"]
        assert set(zones) == {"leading", "trailing", "pressure", "suction"}
        assert max(z["max"] for z in zones.values()) == one["profile_max"]
    assert np.mean(np.abs(off) <= 2) >= 0.85
    assert np.mean(np.abs(off) <= 3) >= 0.95


def test_the_whole_blade_is_told_and_thickness_where_it_is_asked_for():
    code, out, _ = command("blade", demo.VANE_PART, demo.VANE_SCAN, "--heights", "20,50,80", "--scan-aligned",
                           "--edge-distances", "2,5", "--json")  # fmt: skip
    document = json.loads(out)
    twist = [one["twist_deg"] for one in document["blade"]["over_height"]]
    assert twist == pytest.approx([0.12, 0.3, 0.48], abs=0.03)
    assert document["blade"]["lean"][0] > 0
    for one in document["sections"]:
        assert one["leading_thickness_5"] > one["leading_thickness_2"] > 2 * one["leading_radius"]
        assert one["trailing_thickness_2"] == pytest.approx(one["nominal_trailing_thickness_2"], abs=0.15)
    usual = ("blade", demo.VANE_PART, demo.VANE_SCAN, "--heights", "50", "--scan-aligned")
    code, out, _ = command(*usual, "--edge-distances", "2")
    assert (code, "leading, 2 mm in" in out) == (0, True)
    assert command(*usual, "--edge-distances", "0")[0] == 2


def test_the_nominal_is_that_of_the_closed_form(told):
    for one in told:
        wanted = designed(one["height"]).values()
        wanted["chord_angle_deg"] = math.degrees(wanted.pop("chord_angle"))
        for name, value in wanted.items():
            assert one[f"nominal_{name}"] == pytest.approx(value, abs=1e-3 if name.endswith("deg") else 6e-4)


def test_a_table_of_sections_without_cad(tmp_path, told):
    rows = ["section,x,y,z"]
    for height in (30.0, 60.0):
        rows += [f"{height:g},{x:.6f},{y:.6f},{height}" for x, y in designed(height).around(200, 30)]
    path = tmp_path / "vane.csv"
    path.write_text("\n".join(rows) + "\n")
    code, out, _ = command("blade", path, demo.VANE_SCAN, "--scan-aligned", "--thickness", "0.5", "--json")
    assert code == 0
    by_table = json.loads(out)["sections"]
    assert [one["height"] for one in by_table] == [30.0, 60.0]
    for one, other in zip(by_table, told, strict=False):
        for name in ("chord_mean_line", "leading_radius", "max_thickness", "chord_angle_deg"):
            assert one[f"nominal_{name}"] == pytest.approx(other[f"nominal_{name}"], abs=1e-3)
            assert abs(one[name] - other[name]) < 3 * np.hypot(one[f"u_{name}"], other[f"u_{name}"])
    assert command("blade", path, demo.VANE_SCAN)[0] == 2  # nothing to align to
    assert "no section at 40 mm" in command("blade", path, demo.VANE_SCAN, "--scan-aligned", "--heights", "40")[2]


def test_a_scan_somewhere_else_is_aligned_first(tmp_path):
    points = vane_cloud(gaps=False)
    a = 1.1
    turn = np.array([[np.cos(a), -np.sin(a), 0], [0, 0, -1], [np.sin(a), np.cos(a), 0]])
    scan = tmp_path / "vane.ply"
    scan.write_bytes(ply_from_points(points @ turn.T + [100.0, -50.0, 20.0]))
    (one,) = tg.blade(demo.VANE_PART, scan, [60.0])
    assert one.values["chord_mean_line"] == pytest.approx(29.67, abs=0.05)
    assert abs(math.degrees(one.fit.turn)) < 0.4  # what the best fit has not taken away already


def test_zones_count_as_they_are_weighed():
    """With the sides alone the twist is told by them; where all count alike it is as if nobody had said so."""
    plain, sides, alike = (
        tg.blade(demo.VANE_PART, demo.VANE_SCAN, [80.0], aligned=True, weights=w, chord_shares=[0.5])[0]
        for w in ((), (0, 0, 1, 1), (2, 2, 2, 2))
    )
    assert math.degrees(sides.fit.turn) == pytest.approx(-0.48, abs=0.03)
    assert abs(plain.fit.turn - sides.fit.turn) > 1e-6
    assert alike.fit.turn == pytest.approx(plain.fit.turn, abs=1e-9)
    assert plain.values["thickness_0.5"] == pytest.approx(plain.nominal_values["thickness_0.5"], abs=0.05)


def test_traces_of_a_machine_are_measured_and_a_plan_judges_and_reports_all(tmp_path):
    code, out, _ = command("blade", demo.VANE_PART, demo.VANE_TRACES, "--heights", "50", "--scan-aligned", "--json")
    (one,) = json.loads(out)["sections"]
    assert code == 0
    truth = next(o for o in json.loads(demo.VANE_TRUTH.read_text())["sections"] if o["height"] == 50)
    for name in ("chord_mean_line", "leading_radius", "trailing_radius", "max_thickness"):
        assert one[name] == pytest.approx(truth[name], abs=0.006), name
    assert command("blade", demo.VANE_PART, demo.VANE_TRACES, "--heights", "50")[0] == 2  # lies nobody knows how
    code, out, _ = command("inspect", demo.VANE_PLAN, "--scan", demo.VANE_SCAN, "--out", tmp_path, "--no-uncertainty",
                           "--formats", "json,csv,html")  # fmt: skip
    assert code == 1  # the twist is outside at the tip, and at 10 mm there are no points at the trailing edge
    document = json.loads((tmp_path / "results.json").read_text())
    by_name = {c["name"]: c for c in document["characteristics"]}
    assert by_name["90 mm: chord angle"]["state"] == "outside"
    assert by_name["10 mm: chord"]["state"] == "not_measured"
    assert by_name["50 mm: chord"]["measured"] == pytest.approx(truth["chord_mean_line"], abs=0.03)
    (blade,) = document["blades"]
    assert [s["height"] for s in blade["sections"]][-1] == 90.0
    twist = [o["twist_deg"] for o in blade["blade"]["over_height"]][1:]
    assert twist == pytest.approx([0.006 * h for h in range(20, 91, 10)], abs=0.035)
    page = (tmp_path / "report.html").read_text()
    assert "vane: over the height" in page
    assert "vane, section at 50.000 mm" in page


def test_what_cannot_be_is_said_in_one_line(tmp_path):
    usual = ("blade", demo.VANE_PART, demo.VANE_SCAN, "--scan-aligned")
    for more, words in (
        (("--heights", "20,x"), "'x' is no number"),
        ((), "at which heights"),
        (("--heights", "150"), "at 150 mm: the plane of the section cuts nothing closed"),
        (("--heights", "-6"), "nearly as thick as long"),
        (("--heights", "50", "--machine-axis", "z"), "lies along the stacking axis"),
        (("--heights", "50", "--axis", "up"), "'up' is no direction"),
        (("--heights", "50", "--fit", "some"), "fit"),
        (("--heights", "50", "--thickness", "0"), "make no section"),
        (("--heights", "50", "--weights", "1,2"), "weights are four numbers"),
        (("--heights", "50", "--chord-shares", "25"), "between 0 and 1"),
        (("--heights", "50", "--tilt", "80"), "rise by up to 68 degrees"),
    ):
        code, _, err = command(*usual, *more)
        assert code == 2, (more, err)
        assert words in err, (more, err)
    elsewhere = tmp_path / "far.ply"
    elsewhere.write_bytes(ply_from_points(vane_cloud(20_000) + np.array([0.0, 60.0, 0.0])))
    code, out, _ = command("blade", demo.VANE_PART, elsewhere, "--scan-aligned", "--heights", "50")
    assert code == 1
    assert "not measured: there are 0 points" in out
    bad = tmp_path / "bad.csv"
    for text, words in (
        ("x,y\n1,2\n", "no column z"), ("1,2,a\n", "'a' is no number"), ("1,2,3\n", "1 points: 12 are the least"),
        ("# nothing\n", "the table is empty"),
    ):  # fmt: skip
        bad.write_text(text)
        assert words in command("blade", bad, demo.VANE_SCAN, "--scan-aligned")[2]
    assert way_of("-y", "axis") == (0.0, -1.0, 0.0)
    assert way_of("1,0,2", "axis") == (1.0, 0.0, 2.0)
    with pytest.raises(TrueGaugeError, match="points nowhere"):
        way_of("0,0,0", "axis")
