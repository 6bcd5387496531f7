"""`truegauge run` against a stand-in on a socket: the first part by hand, the next by itself, in part, gone on with."""

import csv
import json
import os
import signal
import subprocess
import time
from pathlib import Path

import numpy as np
import pytest
from tests.runs.conftest import small_plan  # noqa: F401 - a fixture
from tests.runs.shop import FEW, Shop
from tests.test_cli import PROGRAM, run

from truegauge import demo
from truegauge.cli import running
from truegauge.core.frames import apply, invert
from truegauge.core.plan.subsets import Subset
from truegauge.core.routes.document import NoteStep
from truegauge.core.routes.pieces import Pieces
from truegauge.core.samples.document import SampleData
from truegauge.formats.plan_file import write_plan
from truegauge.formats.sample_file import read_sample
from truegauge.runs.journal import Journal, RunAbout
from truegauge.runs.state import Located


@pytest.fixture
def workshop(small_plan, evaluator, tmp_path, monkeypatch):  # noqa: F811
    """A stand-in whose operator does what the command asks for; records are kept in a folder of the test."""
    from truegauge.formats import machine_file

    monkeypatch.setattr(machine_file, "user_state_path", lambda name: tmp_path / "state")
    size = next(c for c in small_plan.characteristics if c.features == ("main-bore",) and not c.datums)
    plan = small_plan.replace(subsets=(Subset(name="the bore", characteristics=(size.id,)),))
    steps = tuple(s for s in plan.route.steps if not isinstance(s, NoteStep))
    plan = plan.replace(route=plan.route.replace(steps=steps))
    write_plan(tmp_path / "small.tgplan", plan, demo.PART.read_bytes())
    shop = Shop(plan, evaluator)
    shop.cmm.close()
    asked = []
    targets = {t.name: t for t in plan.alignments[0].targets}

    def ask(words):
        asked.append(words)
        if "sphere" in words:
            shop.by_hand(lambda o: o.touches_sphere(0))
            return
        target = targets[words.split()[1]]
        part = shop.world.part.machine_from_part
        place = part[:3, :3] @ np.array(target.place) + part[:3, 3]
        shop.by_hand(lambda o: o.touches(place, part[:3, :3] @ np.array(target.direction)))

    monkeypatch.setattr(running, "_ask", ask)
    shop.asked, shop.folder = asked, tmp_path
    shop.arguments = ("run", tmp_path / "small.tgplan", "--server", f"127.0.0.1:{shop.stand_in.port}",
                      "--no-uncertainty", "--formats", "csv,json,sample")  # fmt: skip
    yield shop
    shop.close()


def test_the_first_part_is_found_by_hand_and_the_next_ones_are_not(workshop):
    out = workshop.folder / "out"
    done = run(*workshop.arguments, "--out", out, "--serial", "S1", "--qualify", "--operator", "M. Vale")
    assert done.returncode == 1, done.stderr  # characteristics of features that the route does not measure
    assert sum("touch" in words and "sphere" not in words for words in workshop.asked) == 6
    assert "the part is located" in done.stdout
    rows = list(csv.DictReader((out / "S1.csv").read_text().splitlines()))
    bore = next(r for r in rows if r["name"] == "main bore" or (r["kind"] == "diameter" and r["measured"]))
    assert float(bore["measured"]) == pytest.approx(42.012, abs=0.006)
    # Its result stands in the output before the run has ended.
    assert "42.01" in done.stdout.split("located")[-1]
    sample = read_sample(out / "S1.tgsample")[0]
    assert (sample.about.serial, sample.about.operator) == ("S1", "M. Vale")
    assert {t.feature for t in sample.probed} == set(FEW)
    assert not list(out.glob("*.tgrun"))
    workshop.asked.clear()
    done = run(*workshop.arguments, "--out", out, "--serial", "S2", "--subset", "the bore")
    assert done.returncode == 0, done.stderr
    assert not workshop.asked
    assert "partial run (the bore): 1 of" in done.stdout
    rows = list(csv.DictReader((out / "S2.csv").read_text().splitlines()))
    assert [r["partial"].startswith("partial run (the bore): 1 of") for r in rows] == [True]
    document = json.loads((out / "S2.json").read_text())
    assert [c["state"] for c in document["characteristics"]] == ["within"]
    assert document["partial"].startswith("partial run (the bore)")
    done = run(
        *workshop.arguments, "--out", out, "--serial", "S3", "--subset", "the bore", "--before", out / "S1.tgsample"
    )
    assert done.returncode == 0, done.stderr
    own = read_sample(out / "S3.tgsample")[0]
    assert {t.feature for t in own.probed if not t.warning.startswith("taken over from S1")} == {"main-bore"}


def test_a_journal_of_another_part_and_a_sample_that_is_there_are_left_alone(workshop):
    """Touches of one part in the sample of another would be judged as its own."""
    out = workshop.folder / "out"
    assert run(*workshop.arguments, "--out", out, "--serial", "S1", "--qualify").returncode == 1
    there = (out / "S1.tgsample").read_bytes()
    done = run(*workshop.arguments, "--out", out, "--serial", "S1")
    assert done.returncode == 2
    assert "S1.tgsample is there already: give another --serial, or another --out" in done.stderr.replace("\n", " ")
    assert (out / "S1.tgsample").read_bytes() == there
    about = RunAbout(plan="p", machine="m", started="2026-11-29T10:00:00", first=Located.at(np.eye(4)),
                     sample=SampleData(name="S7", serial="S7"))  # fmt: skip
    Journal.begin(out / "run.tgrun", about).close()
    before = (out / "run.tgrun").read_bytes()
    for more, words in (
        (("--serial", "S8"), "the run of S7 stopped there: finish it first"),
        (("--serial", "S7", "--subset", "the bore"), "something else of S7 was run there"),
    ):
        done = run(*workshop.arguments, "--out", out, *more)
        assert done.returncode == 2
        assert words in done.stderr.replace("\n", " "), done.stderr
    assert (out / "run.tgrun").read_bytes() == before


def test_what_is_asked_for_wrongly_is_said(workshop):
    base = (*workshop.arguments[:2], *workshop.arguments[4:], "--out", workshop.folder / "out")
    for arguments, words in (
        (("--server", "here"), "'here' is no HOST:PORT"),
        (("--server", "127.0.0.1:1"), "127.0.0.1:1"),
        (("--server", workshop.arguments[3], "--only", "900"), "the plan has no characteristic 900"),
        (("--server", workshop.arguments[3], "--only", "a"), "is not a list of numbers"),
        (("--server", workshop.arguments[3], "--subset", "bores"), "no subset 'bores'; it has: the bore"),
        (("--server", workshop.arguments[3], "--original"), "the route was not made shorter"),
        (("--server", workshop.arguments[3]), "nobody knows which stylus is on the machine"),
    ):
        done = run(*base, *arguments)
        assert done.returncode == 2
        assert words in done.stderr, done.stderr


def test_a_killed_program_goes_on_from_the_last_touch(workshop):
    """Killed without warning in the middle of a run, in processes of their own (at 50 moments: the benchmark)."""
    out = workshop.folder / "out"
    assert run(*workshop.arguments, "--out", out, "--serial", "S1", "--qualify").returncode == 1
    environment = {**os.environ, "XDG_STATE_HOME": str(workshop.folder / "xdg")}
    state = workshop.folder / "xdg" / "truegauge"
    state.parent.mkdir()
    (workshop.folder / "state").rename(state)
    arguments = [str(PROGRAM), *map(str, workshop.arguments), "--out", str(out), "--serial", "S2"]
    journal, seen = out / "run.tgrun", []
    for kill_at in (20,):
        with subprocess.Popen(arguments, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT) as process:
            while _lines(journal) < kill_at:
                assert process.poll() is None, process.stdout.read()
                time.sleep(0.002)
            process.send_signal(signal.SIGKILL)
        seen.append([t.at for t in Journal.read(journal)[1].taken])
        assert len(seen[-1]) >= 2
    done = subprocess.run(arguments, env=environment, capture_output=True, text=True, timeout=300)
    assert done.returncode == 1, done.stderr
    assert "going on with the run that stopped" in done.stdout
    assert not journal.exists()
    sample = read_sample(out / "S2.tgsample")[0]
    assert len(sample.touches) == 6
    assert len({t.place for t in sample.probed}) == len(sample.probed) == 9 * 3 + 8


def _lines(path: Path) -> int:
    return path.read_bytes().count(b"\n") if path.exists() else 0


def test_several_pieces_on_one_table_are_run_each_into_its_own_files(workshop):
    """The first is found by hand, the others beside it; a run that stops goes on with its piece."""
    out, world = workshop.folder / "out", workshop.world
    layout = Pieces(rows=2, columns=2, column_pitch=180.0, row_pitch=165.0)
    world.others = world.part.beside(layout, world.seed)
    arguments = (*workshop.arguments, "--out", out, "--pieces", "2x2", "--pitch", "180,165", "--subset", "the bore")
    done = run(*arguments, "--serial", "P09", "--qualify")
    assert done.returncode == 0, done.stderr
    assert not workshop.troubles
    assert sum("touch" in words and "sphere" not in words for words in workshop.asked) == 6  # of the first one only
    assert done.stdout.count("piece ") == 4
    poses = (world.part.machine_from_part, *(p.machine_from_part for p in world.others))
    for name, pose in zip(("P09", "P10", "P11", "P12"), poses, strict=True):
        sample = read_sample(out / f"{name}.tgsample")[0]
        assert sample.about.serial == name
        local = apply(invert(pose), np.array([t.place for t in sample.probed if t.feature == "main-bore"]))
        assert np.abs(np.linalg.norm(local[:, :2] - [58, 45], axis=1) - 19).max() < 0.3, name  # in its own bore
        assert json.loads((out / f"{name}.json").read_text())["characteristics"][0]["state"] == "within"
    # The next load starts by itself, also with another piece first; what is there is not written over.
    workshop.asked.clear()
    done = run(*arguments, "--serial", "P09")
    assert done.returncode == 2
    assert "P09.tgsample is there already" in done.stderr
    done = run(*arguments, "--serial", "Q1", "--first", "4")
    assert done.returncode == 0, done.stderr
    assert not workshop.asked
    assert [f.name for f in out.glob("Q*.tgsample")] == ["Q4.tgsample"]
    for more, words in (
        (("--pieces", "two"), "give ROWSxCOLUMNS"), (("--first", "9"), "there are 4 pieces"),
        (("--pitch", "1.2.3,4"), "give ROWSxCOLUMNS"), (("--pieces", "0x2"), "greater than or equal to 1"),
        (("--before", out / "P09.tgsample"), "each is located by itself"),
    ):  # fmt: skip
        done = run(*arguments, *more)
        assert done.returncode == 2
        assert words in done.stderr
