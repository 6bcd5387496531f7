"""The command line as a user calls it."""

import csv
import io
import json
import os
import re
import socket
import subprocess
import sys
from contextlib import redirect_stderr, redirect_stdout
from pathlib import Path

import numpy as np
import pytest

from truegauge import demo
from truegauge.cli import main
from truegauge.core.cad.model import SurfaceKind
from truegauge.core.frames import apply, invert
from truegauge.core.tolerancing.judgement import DecisionRule
from truegauge.demo.faces import face_of_kind
from truegauge.devices.live.client import LiveClient
from truegauge.devices.live.messages import Touch
from truegauge.devices.live.wire import Block
from truegauge.formats.plan_file import write_plan
from truegauge.formats.ply import ply_from_points

PROGRAM = Path(sys.executable).parent / "truegauge"
FITS = Path(__file__).parent / "data" / "fits"


def run(*arguments, apart=False):
    """Call a command: in a process of its own, or (quicker) in this one."""
    if apart:
        return subprocess.run([str(PROGRAM), *map(str, arguments)], capture_output=True, text=True, timeout=300,
                              errors="backslashreplace")  # fmt: skip
    out, err, code = io.StringIO(), io.StringIO(), 0
    with pytest.MonkeyPatch.context() as patch, redirect_stdout(out), redirect_stderr(err):
        patch.setattr(sys, "argv", ["truegauge", *map(str, arguments)])
        try:
            main()
        except SystemExit as ended:
            code = ended.code
    return subprocess.CompletedProcess(arguments, code, out.getvalue(), err.getvalue())


def test_inspect_writes_all_and_tells_by_its_exit_code(tmp_path, truth):
    done = run("inspect", demo.PLAN, "--scan", demo.SCAN, "--out", tmp_path / "out", apart=True)
    assert done.returncode == 1, done.stderr  # two characteristics are outside
    document = json.loads((tmp_path / "out" / "results.json").read_text())
    assert document["plan"] == "LW-1140 worm-drive housing"
    assert document["unit"] == "mm"
    bore = document["characteristics"][3]
    assert bore["measured"] == pytest.approx(42.012, abs=0.0005)
    assert bore["deviation"] == pytest.approx(bore["measured"] - bore["nominal"])
    assert (bore["lower"], bore["upper"]) == (42.0, 42.025)
    assert {c["state"] for c in document["characteristics"]} == {"within", "near", "outside"}
    rows = list(csv.DictReader((tmp_path / "out" / "results.csv").read_text().splitlines()))
    assert [float(r["measured"]) for r in rows] == [c["measured"] for c in document["characteristics"]]
    assert (tmp_path / "out" / "report.pdf").read_bytes().startswith(b"%PDF")


def test_inspect_is_content_when_all_is_within(tmp_path, plan):
    kept = tuple(c for c in plan.characteristics if c.number in (4, 15))
    guarded = plan.replace(characteristics=kept, decision=DecisionRule(rule="guard_band"))
    write_plan(tmp_path / "good.tgplan", guarded, demo.PART.read_bytes())
    done = run("inspect", tmp_path / "good.tgplan", "--scan", demo.SCAN, "--out", tmp_path)
    assert done.returncode == 0, done.stderr
    bore, socket = json.loads((tmp_path / "results.json").read_text())["characteristics"]
    assert (bore["state"], socket["state"]) == ("within", "near")
    assert bore["uncertainty"] == pytest.approx(0.0024, abs=0.0003)
    assert "not proven" in socket["decision"]  # 24.016 of 24.020 with an uncertainty of 0.004


def test_compare_prints_pose_and_deviation(truth, model):
    done = run("compare", demo.PART, demo.SCAN, "--json")
    assert done.returncode == 0, done.stderr
    document = json.loads(done.stdout)
    pose = np.array(document["alignment"]["part_from_scan"])
    center = model.box.mean(axis=0)
    there = apply(invert(np.array(truth["part_from_scan"])), center[None])
    assert np.linalg.norm(apply(pose, there) - center) < 0.01
    assert document["alignment"]["points_total"] == truth["points"]["total"]
    assert document["alignment"]["rms"] < 0.012
    assert set(document["deviation"]) == {"count", "mean", "std", "min", "max", "p05", "p50", "p95", "strays"}
    assert abs(document["deviation"]["p50"]) < 0.003


def test_a_scan_in_the_wrong_unit_is_an_error_with_the_way_out(tmp_path, sample):
    path = tmp_path / "inch.ply"
    path.write_bytes(ply_from_points(sample.points[::10] / 25.4))
    done = run("compare", demo.PART, path, "--json")
    assert done.returncode == 2
    assert "inch.ply" in done.stderr
    assert "--units inch" in done.stderr
    again = run("compare", demo.PART, path, "--units", "inch", "--json")
    assert again.returncode == 0
    assert json.loads(again.stdout)["alignment"]["trusted"]


@pytest.mark.parametrize(
    "arguments",
    [
        ("inspect", "nothing.tgplan", "--scan", demo.SCAN, "--out", "x"),
        ("compare", demo.SCAN, demo.SCAN),
        ("associate", "cylinder", demo.PART),
        ("associate", "potato", FITS / "cylinder-ls-01.json"),
        ("associate", "plane", FITS / "plane-ls-01.json", "--criterion", "best"),
    ],
)
def test_errors_are_one_line_and_exit_code_2(arguments):
    done = run(*arguments)
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_associate_prints_the_parameters_of_a_reference_case():
    done = run("associate", "cylinder", FITS / "cylinder-ls-01.json", "--json")
    document = json.loads(done.stdout)
    expected = json.loads((FITS / "cylinder-ls-01.json").read_text())["expected"]
    assert (document["shape"], document["criterion"]) == ("cylinder", "least_squares")
    assert document["parameters"]["radius"] == pytest.approx(expected["radius"], abs=1e-9)
    assert document["form"] == pytest.approx(expected["form"], abs=1e-9)
    assert document["points"] > 0


@pytest.mark.parametrize("name", ["cylinder-mz-01", "circle-mc-01", "sphere-mi-01", "line-mz-triangle", "cone-mz-01"])
def test_associate_meets_minimax_reference_cases(name):
    case = json.loads((FITS / f"{name}.json").read_text())
    done = run("associate", case["shape"], FITS / f"{name}.json", "--criterion", case["association"], "--json")
    document = json.loads(done.stdout)
    assert document["criterion"] == case["association"]
    assert document["form"] == pytest.approx(case["expected"]["form"], abs=case["tolerance"]["form_mm"])


CASES = {c.stem: json.loads(c.read_text()) for c in FITS.glob("*-ls-0*.json")}


def test_associate_holds_a_direction_and_a_radius():
    direction = CASES["cylinder-ls-01"]["expected"]["direction"]
    radius = CASES["cylinder-ls-01"]["expected"]["radius"] + 0.02
    text = ",".join(str(v) for v in direction)
    done = run("associate", "cylinder", FITS / "cylinder-ls-01.json", "--fix-direction", text,
               "--fix-radius", str(radius), "--json")  # fmt: skip
    parameters = json.loads(done.stdout)["parameters"]
    assert parameters["radius"] == pytest.approx(radius, abs=1e-12)
    assert parameters["direction"] == pytest.approx(direction, abs=1e-12) or parameters["direction"] == pytest.approx(
        [-v for v in direction], abs=1e-12
    )


def test_associate_reads_weights_and_leaves_strays_out(tmp_path):
    rows = [[x, y, 0.001 * ((x + y) % 2)] for x in range(6) for y in range(6)]
    path = tmp_path / "points.csv"
    lines = ["x;y;z;weight", *(f"{x};{y};{z};1" for x, y, z in rows), "2.5;2.5;0.1;20"]
    path.write_text("\n".join(lines))
    clean = json.loads(run("associate", "plane", path, "--reject", "5", "--json").stdout)
    heavy = json.loads(run("associate", "plane", path, "--weights-column", "4", "--json").stdout)
    assert heavy["points"] == 37
    assert heavy["parameters"]["point"][2] > clean["parameters"]["point"][2] + 0.05
    assert (clean["points_rejected"], clean["rejection"]["rows"]) == (1, [36])
    assert clean["form"] < 0.002
    assert clean["standard_deviations"]["point z"] > 0
    for arguments in (("--weights-column", "9"), ("--fix-direction", "1,2"), ("--fix-direction", "0,0,0"),
                      ("--material", "wood")):  # fmt: skip
        done = run("associate", "plane", path, *arguments)
        assert done.returncode == 2
        assert len(done.stderr.strip().splitlines()) == 1


def test_associate_tells_what_holds_a_one_sided_plane(tmp_path):
    path = tmp_path / "points.xyz"
    path.write_text("0 0 0\n10 0 0\n0 10 0\n10 10 -1\n5 5 -2\n")
    found = json.loads(run("associate", "plane", path, "--criterion", "one_sided", "--json").stdout)
    assert len(found["certificate"]["contacts"]) >= 3 or min(found["certificate"]["multipliers"]) > 0


def test_associate_holds_a_nominal_in_its_datum_system(tmp_path):
    case = {"points": CASES["plane-ls-01"]["points"], "given": {"nominal": CASES["plane-ls-01"]["expected"]}}
    path = tmp_path / "case.json"
    path.write_text(json.dumps(case))
    done = run("associate", "plane", path, "--datum-free", "tz", "--residuals", "--json")
    document = json.loads(done.stdout)
    assert document["parameters"]["normal"] == pytest.approx(case["given"]["nominal"]["normal"], abs=1e-14)
    assert len(document["residuals"]) == len(case["points"])


def test_associate_fits_faces_of_the_part(tmp_path, model, projector):
    face = face_of_kind(model, SurfaceKind.BSPLINE)
    mesh = model.mesh
    points = mesh.vertices[mesh.triangles[mesh.triangle_face == face]].mean(axis=1)
    points[:, 2] += 0.05
    path = tmp_path / "points.xyz"
    path.write_text("\n".join(" ".join(f"{v:.9f}" for v in p) for p in points))
    done = run(
        "associate", "free_form", path, "--part", demo.PART, "--faces", str(face), "--datum-free", "tz", "--json"
    )
    document = json.loads(done.stdout)
    assert document["parameters"]["part_from_nominal"][2][3] == pytest.approx(0.05, abs=0.03)
    assert document["points_used"] > 6
    assert run("associate", "free_form", path).returncode == 2
    assert run("associate", "free_form", path, "--part", demo.PART, "--faces", "9999").returncode == 2


def test_the_stand_in_refuses_faults_and_ports_that_cannot_be():
    found = run("cmm-sim", "--fault", "rain")
    assert found.returncode == 2
    assert "'rain' is no fault; known: bent-stylus" in " ".join(found.stderr.split())
    with socket.create_server(("127.0.0.1", 0)) as taken:
        found = run("cmm-sim", "--port", str(taken.getsockname()[1]))
    assert found.returncode == 2
    assert "another program listens there?" in found.stderr


def test_stand_ins_for_portable_devices_refuse_what_cannot_be():
    for arguments, words in (
        (("arm",), "an arm needs a plan with a part"),
        (("scanner",), "a scanner needs a plan with a part"),
        (("arm", "--part", demo.PLAN, "--fault", "rain@3"), "'rain@3' is no fault; known: moved, slip, cut"),
        (("kite",), "'kite' is not one of 'arm', 'scanner', 'tracker', 'gauge'"),
        (("gauge", "--pace", "-1"), "pace"),
    ):
        found = run("device-sim", *arguments)
        assert found.returncode == 2
        assert words in " ".join(found.stderr.replace("\u2502", " ").split())
    with socket.create_server(("127.0.0.1", 0)) as taken:
        found = run("device-sim", "gauge", "--port", str(taken.getsockname()[1]))
    assert found.returncode == 2
    assert "another program listens there?" in found.stderr


def test_an_arm_as_a_program_touches_what_its_input_asks_for():
    with subprocess.Popen(
        [str(PROGRAM), "device-sim", "arm", "--port", "0", "--part", str(demo.PLAN), "--pace", "0", "--until-closed"],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    ) as arm:  # fmt: skip
        client = LiveClient("127.0.0.1", json.loads(arm.stdout.readline())["port"])
        assert client.connect().device == "arm"
        said = []
        for line in ('{"place": [100, 15, 48], "out": [0, 0, 1]}', "nonsense", '{"place": [1], "out": [0, 0, 1]}'):
            arm.stdin.write(line + "\n")
            arm.stdin.flush()
            said.append(json.loads(arm.stdout.readline()))
        assert said[0] == {"touched": 1}
        assert all("of the part" in s["error"] for s in said[1:])
        events = []
        while not any(isinstance(e, Touch) for e in events):
            events += client.events(5.0)
        client.close()
        arm.stdin.close()
        assert arm.wait(120) == 0


@pytest.mark.parametrize(
    ("kind", "wanted", "answer", "what"),
    [("scanner", {"sweep": True}, {"sweep": True}, Block), ("tracker", {"seat": 1}, {"touched": 1}, Touch)],
)
def test_a_scanner_and_a_tracker_as_programs(kind, wanted, answer, what):
    with subprocess.Popen(
        [str(PROGRAM), "device-sim", kind, "--port", "0", "--part", str(demo.PLAN), "--pace", "0", "--until-closed"],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    ) as device:  # fmt: skip
        client = LiveClient("127.0.0.1", json.loads(device.stdout.readline())["port"])
        assert client.connect().device == kind
        for line, said in (("nonsense", None), (json.dumps(wanted), answer)):
            device.stdin.write(line + "\n")
            device.stdin.flush()
            found = json.loads(device.stdout.readline())
            assert "give " in found["error"] if said is None else found == said
        events = []
        while not any(isinstance(e, what) for e in events):
            events += client.events(5.0)
        client.close()
        device.stdin.close()
        assert device.wait(120) == 0


@pytest.mark.parametrize("kind", ["pipe", "device", "folder", "long", "no text", "missing", "zero bytes"])
@pytest.mark.parametrize("command", ["inspect", "compare", "associate"])
def test_whatever_cannot_be_read_is_one_line_and_two(tmp_path, command, kind):
    """No traceback, no hanging."""
    name = {"long": "x" * 300 + ".ply", "no text": b"\xff\xfe.ply".decode("utf-8", "surrogateescape")}
    path = tmp_path / name.get(kind, "a.ply")
    if kind == "pipe":
        os.mkfifo(path)
    elif kind == "device":
        path = tmp_path / "zero.ply"
        path.symlink_to("/dev/zero")
    elif kind == "folder":
        path.mkdir()
    elif kind == "zero bytes":
        path.touch()
    given = {
        "inspect": ["inspect", str(demo.PLAN), "--scan", str(path), "--out", str(tmp_path / "out")],
        "compare": ["compare", str(demo.PART), str(path)],
        "associate": ["associate", "plane", str(path)],
    }[command]
    done = run(*given, apart=kind in ("pipe", "device", "no text"))
    assert done.returncode == 2, done.stderr
    assert "Traceback" not in done.stderr
    assert len(done.stderr.strip().splitlines()) == 1


def test_what_nobody_foresaw_is_one_line_and_a_log(tmp_path, monkeypatch, capsys):
    from truegauge.cli import program

    def broken():
        raise ZeroDivisionError("deep inside\nof it")

    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    monkeypatch.setattr(program, "app", broken)
    with pytest.raises(SystemExit) as caught:
        program.main()
    said = capsys.readouterr().err
    assert caught.value.code == 2
    assert len(said.strip().splitlines()) == 1
    log = said.strip().rsplit("details are in ", 1)[1]
    with open(log) as file:
        assert "deep inside" in file.read()


@pytest.mark.parametrize("number", ["nan", "inf", "1e9", "-inf", "x", "1" * 5000])
@pytest.mark.parametrize("arguments", [
    ["cmm-sim", "--pace"], ["cmm-sim", "--temperature"], ["inbox", "plan.tgplan", "folder", "--settle"],
    ["batch", "plan.tgplan", "scans", "--out", "out", "--memory"],
    ["associate", "circle", "points.txt", "--fix-radius"], ["associate", "circle", "points.txt", "--reject"],
    ["associate", "free_form", "points.txt", "--reach"],
], ids=lambda a: a[0] + a[-1])  # fmt: skip
def test_options_that_are_no_numbers_are_refused(arguments, number):
    done = run(*arguments, number)
    assert done.returncode == 2
    assert "Traceback" not in done.stderr
    assert re.search(r"Invalid value for '--[a-z-]+'", done.stderr)


@pytest.mark.parametrize("number", ["nan,0,0", "1e9,0,0", "1,2", "1,2,x", "0,0,0"])
def test_places_and_directions_of_options_are_three_numbers(number):
    done = run("associate", "circle", FITS / "circle-ls-01.json", "--fix-direction", number)
    assert done.returncode == 2
    assert "--fix-direction" in done.stderr
