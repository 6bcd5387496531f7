"""A scan inspected by the surface checks of a plan: without a part, and beside the characteristics of one."""

import csv
import io
import json
import re
from types import SimpleNamespace

import numpy as np
import pypdfium2
import pytest
from tests.test_imperfections_without_window import command, sheet

import truegauge as tg
from truegauge.core.imperfections.area_steps import AreaOutline, AreaSmooth
from truegauge.core.plan.document import Plan
from truegauge.core.plan.surface_checks import SurfaceCheck, SurfaceLimit
from truegauge.formats.plan_file import read_plan, write_plan
from truegauge.formats.ply import ply_from_points
from truegauge.formats.sample_file import open_sample
from truegauge.jobs.inspection import Inspector
from truegauge.jobs.surface_report import sheets_of, table_bytes

CHECK = SurfaceCheck(
    id="skin", name="outer skin",
    limits=(SurfaceLimit(quantity="depth", limit=0.4), SurfaceLimit(quantity="count", limit=5)),
    frame=((0.0, 0.0, 0.0), (0.0, 100.0, 0.0), (-100.0, 0.0, 0.0)),  # its x is y of the scan, its y is -x
)  # fmt: skip
LEFT_HALF = AreaOutline(
    way="only", right=(1.0, 0.0, 0.0), up=(0.0, 1.0, 0.0), outline=((0, 0), (110, 0), (110, 200), (0, 200))
)


@pytest.fixture(scope="module")
def scan(tmp_path_factory):
    path = tmp_path_factory.mktemp("scans") / "sheet.ply"
    path.write_bytes(ply_from_points(sheet()))
    return path


def planned(path, *checks, name="Skin"):
    write_plan(path, Plan(name=name, surface_checks=checks), None)
    return path


def inspect(*arguments):
    code, out, err = command("inspect", *arguments)
    return code, out + err


def pages_of(data):
    document = pypdfium2.PdfDocument(io.BytesIO(data))
    try:
        return [document[k].get_textpage().get_text_bounded() for k in range(len(document))]
    finally:
        document.close()


def test_a_scan_without_a_part_is_judged_and_reported(scan, tmp_path):
    plan, out = planned(tmp_path / "skin.tgplan", CHECK), tmp_path / "out"
    code, said = inspect(plan, "--scan", scan, "--out", out, "--formats", "pdf,html,csv,json")
    assert code == 1  # deeper than 0.4
    assert "outer skin: 2 imperfections" in said
    assert re.search(r"deepest or highest: 0\.\d+ \(number 1\), limit 0.4: outside", said)
    assert "how many: 2, limit 5: within" in said
    found = json.loads((out / "results.json").read_text())
    (surface,) = found["surfaces"]
    assert surface["state"] == "outside"
    depth, count = surface["limits"]
    assert depth["value"] == pytest.approx(0.5, abs=0.02)
    assert (depth["number"], depth["beyond"], depth["state"]) == (1, [1], "outside")
    assert (count["value"], count["state"], count["number"]) == (2, "within", None)
    deepest = surface["imperfections"][0]["deepest"]
    assert deepest[:2] == pytest.approx([60, 80], abs=0.5)
    told = np.array(surface["frame_from_scan"]) @ [*deepest, 1.0]
    assert told[:2] == pytest.approx([80, -60], abs=0.5)
    rows = list(csv.DictReader(io.StringIO((out / "results.csv").read_text())))
    assert [r["beyond_limits"] for r in rows] == ["yes", "no"]
    assert float(rows[1]["depth"]) == pytest.approx(0.3, abs=0.02)
    text = "\n".join(pages_of((out / "report.pdf").read_bytes()))
    assert "Surface: outer skin" in text
    assert f"{told[0]:.3f}" in text  # the table is in the frame of the check
    assert f"{told[1]:.3f}" in text
    assert f"{surface['imperfections'][0]['depth']:.3f}" in text
    assert re.search("1 +dent.*±", text)  # shown closely: it breaks a limit
    assert not re.search("2 +bump.*±", text)
    page = (out / "report.html").read_text()
    assert "Surface: outer skin" in page
    assert page.count("<svg") == 2
    assert "<script" not in page
    with_bare_numbers = re.findall(r">-?\d+\.\d{3}<", page)
    assert f">{told[0]:.3f}<" in with_bare_numbers


def test_what_is_within_ends_with_0_and_an_area_leaves_out_the_rest(scan, tmp_path):
    check = CHECK.replace(area=(LEFT_HALF,), limits=(SurfaceLimit(quantity="count", limit=1),))
    code, said = inspect(planned(tmp_path / "half.tgplan", check), "--scan", scan, "--out", tmp_path / "out")
    assert code == 0
    assert "outer skin: 1 imperfection beyond" in said


def test_a_plan_measures_from_the_scan_that_is_given(scan, tmp_path):
    check = SurfaceCheck(id="change", name="since", reference="scan", wavelength=0.0,
                         limits=(SurfaceLimit(quantity="count", limit=0),))  # fmt: skip
    plan = planned(tmp_path / "since.tgplan", check)
    code, said = inspect(plan, "--scan", scan, "--before", scan, "--out", tmp_path / "same")
    assert code == 0
    assert "since: 0 imperfections" in said
    document = json.loads((tmp_path / "same" / "results.json").read_text())
    assert "measured from the scan sheet" in document["surfaces"][0]["reference"]["notes"]
    code, said = inspect(plan, "--scan", scan, "--before", scan, "--out", tmp_path / "kept", "--formats", "json,sample")
    assert code == 0, said
    assert open_sample(tmp_path / "kept" / "results.tgsample")[0].name == "sheet"
    code, said = inspect(plan, "--scan", scan, "--out", tmp_path / "none")
    assert code == 1
    assert "no other scan to measure from" in said


def test_a_check_that_cannot_be_done_is_said_and_the_others_are_done(scan, tmp_path):
    nowhere = CHECK.replace(id="b", name="rim", area=(LEFT_HALF.replace(outline=((500, 0), (600, 0), (600, 50))),))
    plan, out = planned(tmp_path / "two.tgplan", nowhere, CHECK.replace(limits=())), tmp_path / "out"
    code, said = inspect(plan, "--scan", scan, "--out", out)
    assert code == 1
    assert "rim: not looked at: after step 1 of the area 0 points are left" in said
    rim, skin = json.loads((out / "results.json").read_text())["surfaces"]
    assert rim["state"] == "not_measured"
    assert len(skin["imperfections"]) == 2
    text = "\n".join(pages_of((out / "report.pdf").read_bytes()))
    assert "Not looked at: after step 1" in text


def test_a_plan_with_nothing_to_inspect_and_outputs_that_there_are_none_of(scan, tmp_path):
    code, said = inspect(planned(tmp_path / "none.tgplan"), "--scan", scan, "--out", tmp_path / "out")
    assert code == 2
    assert "the plan has no part" in said
    plan = planned(tmp_path / "a.tgplan", CHECK)
    code, said = inspect(plan, "--scan", scan, "--out", tmp_path / "x", "--formats", "xlsx")
    assert code == 2
    assert "writes pdf, html, csv and json, not xlsx" in said
    assert not (tmp_path / "x").exists()


def test_the_plan_file_keeps_areas_limits_and_frames(tmp_path):
    check = CHECK.replace(area=(LEFT_HALF,), beyond=12.0)
    path = planned(tmp_path / "kept.tgplan", check)
    assert read_plan(path).plan.surface_checks == (check,)


def shroud_of(pose):
    """What is drawn around the demo's shroud, seen from behind, wherever the part lies."""
    right, up = np.array([-1.0, 0, 0]), np.array([0, 0, 1.0])
    corners = np.array([(-100.0, 20.0), (-75.0, 20.0), (-75.0, 40.0), (-100.0, 40.0)])
    corners -= [right @ pose[:3, 3], up @ pose[:3, 3]]
    return AreaOutline(
        right=tuple(right @ pose[:3, :3]), up=tuple(up @ pose[:3, :3]), outline=tuple(map(tuple, corners))
    )


def test_beside_a_part_surfaces_are_in_its_results_and_report(tmp_path, plan, evaluator, sample):
    pose = evaluator.evaluate(plan, sample).alignment.part_from_scan
    top = SurfaceCheck(id="top", name="top face", reference="plane", wavelength=0.0, area=(LEFT_HALF,))
    shroud = SurfaceCheck(id="shroud", name="shroud", reference="part", wavelength=0.0, depth=0.06, min_area=20.0,
                          area=(shroud_of(pose),), to=("base", "main-bore"))  # fmt: skip
    own = plan.replace(surface_checks=(top, shroud), characteristics=plan.characteristics[:2], views=(), sections=())
    inspector = Inspector(own, evaluator, uncertainty=False, threads=1)
    try:
        done = inspector.evaluate(sample)
        inspector.write(done, ("json", "pdf", "html"), lambda form: tmp_path / f"r.{form}")
    finally:
        inspector.close()
    document = json.loads((tmp_path / "r.json").read_text())
    assert len(document["characteristics"]) == 2
    nothing, told = document["surfaces"]
    assert (nothing["name"], nothing["state"]) == ("top face", "not_measured")
    text = "\n".join(pages_of((tmp_path / "r.pdf").read_bytes()))
    assert "Surface: top face" in text
    assert done.sheets[0].problem[:40] in text
    bump = told["imperfections"][0]
    assert bump["depth"] == pytest.approx(0.15, abs=0.02)
    base, bore = bump["to"]
    # The demo's part: its base is z = 0, the bore stands at 58, 45.
    at = (pose @ [*bump["deepest"], 1.0])[:3]
    assert (base["feature"], base["words"]) == ("base A", "from the plane")
    assert base["distance"] == pytest.approx(at[2], abs=0.1)
    assert (bore["feature"], bore["words"]) == ("main bore", "from the axis")
    assert bore["distance"] == pytest.approx(np.hypot(at[0] - 58, at[1] - 45), abs=0.1)
    words = f"base A {base['distance']:.3f} from the plane; main bore {bore['distance']:.3f} from the axis"
    assert words in text.replace("\r\n", " ")
    assert words in (tmp_path / "r.html").read_text()
    (row,) = csv.DictReader(io.StringIO(table_bytes(done.sheets).decode()))
    assert float(row["to main bore"]) == bore["distance"]
    assert inspector.counts(done)["not_measured"] >= 1


def test_python_says_what_surfaces_came_to(scan, tmp_path):
    found = tg.imperfections(scan)
    assert len(found.imperfections) == 2


def test_a_sample_of_touches_has_no_surface_to_look_at(plan, sample):
    touched = SimpleNamespace(points=np.zeros((0, 3)), normals=None)
    check = CHECK.replace(area=(AreaSmooth(place=(0.0, 0.0, 0.0)),))
    (one,) = sheets_of(plan.replace(surface_checks=(check,)), touched)
    assert one.found is None
    assert "only touches" in one.problem
