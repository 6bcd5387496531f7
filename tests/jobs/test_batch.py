"""Batches and inboxes with real worker processes, on small scans and a small plan."""

import csv
import io
import json
import os
import subprocess
import sys
import time
import zipfile
from dataclasses import replace

import numpy as np
import pytest
from openpyxl import load_workbook

from truegauge import demo
from truegauge.core.errors import FormatError
from truegauge.demo.samples import write_samples
from truegauge.formats.plan_file import write_plan
from truegauge.jobs.batch import Batch, BatchSettings, run_batch, scans_in
from truegauge.jobs.inbox import Inbox, InboxSettings, run_inbox
from truegauge.jobs.records import Record, output_names, read_record, scan_key, write_record
from truegauge.jobs.summary import summarize, summary_csv, summary_json, summary_xlsx


@pytest.fixture(scope="module")
def folder(tmp_path_factory, plan):
    """A plan of two characteristics, two scans, and one file that is no scan."""
    made = tmp_path_factory.mktemp("batch")
    kept = tuple(c for c in plan.characteristics if c.number in (4, 15))
    small = plan.replace(characteristics=kept, views=(), sections=(), spots=(), alignments=plan.alignments[:1])
    write_plan(made / "small.tgplan", small, demo.PART.read_bytes())
    write_samples(made / "scans", 2, 30_000)
    (made / "scans" / "LW-1140-0103.ply").write_bytes(b"ply\nformat ascii 1.0\nelement vertex 9\n")
    return made


@pytest.fixture(scope="module")
def first_run(folder):
    events = []
    settings = BatchSettings(folder / "small.tgplan", scans_in([folder / "scans"]), folder / "out", jobs=2,
                             formats=("csv", "json", "xlsx", "sample"))  # fmt: skip
    return settings, run_batch(settings, events.append), events


def test_one_failed_scan_does_not_stop_the_rest(first_run, folder):
    settings, done, events = first_run
    good = [r for r in done.records.values() if not r.failed]
    (bad,) = [r for r in done.records.values() if r.failed]
    assert len(good) == 2
    assert "LW-1140-0103.ply" in bad.reason
    for record in good:
        for ending in ("csv", "json", "xlsx", "tgsample"):
            assert (settings.out / f"{record.name}.{ending}").exists()
    assert not list(settings.out.glob("LW-1140-0103*"))
    assert {e.text for e in events} >= {"opening the plan"}
    assert 100 < max(r.peak_mb for r in good) < 3000


def test_values_are_those_of_each_sample(first_run, folder):
    _, done, _ = first_run
    for name, record in done.records.items():
        if record.failed:
            continue
        factors = json.loads((folder / "scans" / f"{name}.truth.json").read_text())["factors"]
        bore, socket = (c["measured"] for c in record.results["characteristics"])
        assert bore == pytest.approx(42.0 + 0.012 * factors["main bore large"], abs=0.003)
        assert socket == pytest.approx(24.0 + 0.016 * factors["socket large"], abs=0.02)  # a small cap


def test_the_summary_has_every_characteristic_of_every_sample(first_run):
    settings, _, _ = first_run
    rows = list(csv.reader(io.StringIO((settings.out / "summary.csv").read_text())))
    assert rows[0][7:16:3] == ["LW-1140-0101", "LW-1140-0102", "LW-1140-0103"]
    assert rows[1][14] == "not_measured"
    assert [r[0] for r in rows[-3:]] == [str(s) for s in settings.scans]
    assert rows[-1][1] == "failed"
    sheet = load_workbook(settings.out / "summary.xlsx")["characteristics"]
    assert sheet.cell(2, 8).value == pytest.approx(float(rows[1][7]))
    assert sheet.cell(2, 10).value == "not measured"
    document = json.loads((settings.out / "summary.json").read_text())
    values = [c["measured"] for c in document["rows"][0]["cells"][:2]]
    assert document["rows"][0]["mean"] == pytest.approx(np.mean(values))


def test_a_second_run_does_only_what_is_not_done(first_run):
    settings, _, _ = first_run
    batch = Batch(settings)
    try:
        batch.start()
        assert batch.kept == 2  # the failed one is tried again
        assert [t.name for t in batch.tasks if t.name not in batch.records] == ["LW-1140-0103"]
    finally:
        batch.close()
    other = Batch(BatchSettings(settings.plan, settings.scans, settings.out, formats=("csv",), jobs=1))
    assert not any(
        r is not None and other._still_holds(r, t) for t in other.tasks if (r := read_record(settings.out, t.name))
    )


def test_a_killed_batch_leaves_nothing_half_and_goes_on(folder, first_run, tmp_path):
    out = tmp_path / "out"
    command = [sys.executable, "-m", "truegauge.cli", "batch", str(folder / "small.tgplan"), str(folder / "scans"),
               "--out", str(out), "--jobs", "1", "--formats", "csv,json,xlsx,sample"]  # fmt: skip
    with subprocess.Popen(command, stdout=subprocess.PIPE, text=True) as process:
        assert "LW-1140" in process.stdout.readline()  # the first one is done, the second one under way
        time.sleep(0.1)
        process.kill()
    for path in out.rglob("*.*"):
        assert not path.name.startswith(".part-")
        if path.suffix == ".json":
            json.loads(path.read_text())
        elif path.suffix in (".xlsx", ".tgsample"):
            assert zipfile.ZipFile(path).testzip() is None
    settings, before, _ = first_run
    done = run_batch(replace(settings, out=out), lambda event: None)
    assert done.kept >= 1
    assert {n: r.results for n, r in done.records.items()} == {n: r.results for n, r in before.records.items()}


def test_a_worker_that_needs_too_much_memory_is_stopped_and_says_so(folder, tmp_path):
    settings = BatchSettings(folder / "small.tgplan", (folder / "scans" / "LW-1140-0101.ply",), tmp_path, jobs=1,
                             formats=("csv",), memory_mb=60)  # fmt: skip
    (record,) = run_batch(settings).records.values()
    assert record.reason == "it needed more than 60 MB of memory"
    assert not (tmp_path / "LW-1140-0101.csv").exists()


def test_an_inbox_takes_complete_files_and_puts_them_away(folder, tmp_path):
    place = tmp_path / "inbox"
    place.mkdir()
    good = (folder / "scans" / "LW-1140-0101.ply").read_bytes()
    (place / "a.ply").write_bytes(good)
    (place / "bad.ply").write_bytes(b"ply\n")
    (place / "readme.txt.part").write_bytes(b"not a scan")
    settings = InboxSettings(folder / "small.tgplan", place, formats=("csv",), settle=0.4)
    done = run_inbox(settings, lambda event: None, once=True)
    assert sorted(r.name for r in done.finished) == ["a", "bad"]
    assert (place / "done" / "a.ply").read_bytes() == good
    assert (place / "results" / "a.csv").exists()
    assert "bad.ply" in (place / "failed" / "bad.ply.reason.txt").read_text()
    assert (place / "readme.txt.part").exists()
    assert not list(place.glob("*.ply"))


def test_a_file_that_still_grows_is_waited_for(folder, tmp_path):
    inbox = Inbox(InboxSettings(folder / "small.tgplan", tmp_path, settle=5.0))
    try:
        for size in (10, 20, 30):
            (tmp_path / "b.ply").write_bytes(b"x" * size)
            os.utime(tmp_path / "b.ply", (1, 1))  # times in a file say nothing: a copy keeps old ones
            inbox._look()
            assert inbox.busy == 0
        assert inbox.waiting == (tmp_path / "b.ply",)
        (tmp_path / "empty.ply").touch()
        inbox._look()
        inbox._seen = {p: (state, time.monotonic() - 60) for p, (state, _) in inbox._seen.items()}
        inbox._workers.add = lambda task: started.append(task.scan.name)
        started = []
        inbox._look()
        assert started == ["b.ply"]
        assert inbox.waiting == ()  # an empty file is told, and holds nothing up
        (told,) = inbox.step(0)
        assert "empty" in told.record.reason
        assert inbox.refused == ((tmp_path / "empty.ply", told.record.reason),)
        inbox._look()
        assert not inbox.step(0)  # once
    finally:
        inbox.close()
    assert (tmp_path / "b.ply").read_bytes() == b"x" * 30  # what was not finished is back
    assert not list((tmp_path / ".claimed").iterdir())


def test_of_two_inboxes_each_scan_is_inspected_once(folder, tmp_path):
    good = (folder / "scans" / "LW-1140-0101.ply").read_bytes()
    names = [f"part {k}.ply" for k in range(6)]
    for name in names:
        (tmp_path / name).write_bytes(good)
    both = [Inbox(InboxSettings(folder / "small.tgplan", tmp_path, settle=0.0)) for _ in range(2)]
    taken = [[], []]
    try:
        for inbox, own in zip(both, taken, strict=True):
            inbox._workers.add = lambda task, own=own: own.append(task.scan.name)
        seen = [inbox._look() for _ in range(2) for inbox in both]
        assert len(seen) == 4
        assert sorted(taken[0] + taken[1]) == sorted(names)
    finally:
        for inbox in both:
            inbox.close()
    assert sorted(p.name for p in tmp_path.glob("*.ply")) == sorted(names)


def test_outputs_of_two_inboxes_have_names_of_their_own(folder, tmp_path):
    """The same name comes again while the first scan of it is under way in another inbox."""
    names, both = [], [Inbox(InboxSettings(folder / "small.tgplan", tmp_path, settle=0.0)) for _ in range(2)]
    try:
        for inbox in both:
            inbox._workers.add = lambda task: names.append(task.name)
            (tmp_path / "part.ply").write_bytes(b"ply\n")
            inbox._look()
            inbox._look()
        assert names == ["part", "part-2"]
    finally:
        for inbox in both:
            inbox.close()
    assert not [p for p in (tmp_path / "results").iterdir()]


def test_what_a_killed_inbox_had_claimed_is_given_back(folder, tmp_path):
    (tmp_path / "results").mkdir()
    (tmp_path / "results" / ".a.taken").touch()
    dead = tmp_path / ".claimed" / "dead" / "a"
    dead.mkdir(parents=True)
    (dead.parent / ".lock").touch()
    (dead / "a.ply").write_bytes(b"first")
    (tmp_path / "a.ply").write_bytes(b"second")  # the same name came again meanwhile
    Inbox(InboxSettings(folder / "small.tgplan", tmp_path)).close()
    assert (tmp_path / "a.ply").read_bytes() == b"second"
    assert (tmp_path / "a-2.ply").read_bytes() == b"first"
    assert not list((tmp_path / "results").iterdir())  # nor is the name of its outputs taken any more


def test_a_scan_that_changes_while_it_is_read_is_inspected_again(folder, tmp_path):
    inbox = Inbox(InboxSettings(folder / "small.tgplan", tmp_path, formats=("csv",), settle=0.3))
    good = (folder / "scans" / "LW-1140-0101.ply").read_bytes()
    try:
        (tmp_path / "late.ply").write_bytes(b"ply\nhalf")
        while not inbox.busy:
            inbox.step(0.05)
        (claimed,) = inbox._claimed
        claimed.write_bytes(good)  # its writer goes on, wherever the file is now
        ends = []
        while inbox.busy or inbox.waiting:
            ends += [e.record for e in inbox.step(0.1) if e.record is not None]
    finally:
        inbox.close()
    (record,) = ends
    assert record.name == "late"
    assert (tmp_path / "done" / "late.ply").read_bytes() == good
    assert not list((tmp_path / "failed").iterdir())


def test_an_inbox_outlives_odd_names_lost_folders_and_clashes(folder, tmp_path):
    import shutil

    place = tmp_path / "inbox"
    place.mkdir()
    long = "n" * 250 + ".ply"
    (place / long).write_bytes(b"ply\n")
    (place / b"\xff.ply".decode("utf-8", "surrogateescape")).write_bytes(b"ply\n")
    (place / "failed").mkdir()
    (place / "failed" / long).write_bytes(b"an older one")
    told = []
    settings = InboxSettings(folder / "small.tgplan", place, formats=("sample",), settle=0.1)
    done = run_inbox(settings, lambda event: told.append(event.record), once=True)
    assert len(done.finished) == 2
    assert all(r.failed for r in done.finished)
    failed = sorted(p.name for p in (place / "failed").glob("*.ply"))
    assert len(failed) == 3
    assert (place / "failed" / long).read_bytes() == b"an older one"
    assert len(list((place / "failed").glob("*.reason.txt"))) == 2
    inbox = Inbox(settings)
    try:
        shutil.rmtree(place)
        inbox._look()
        inbox._look()
        (lost,) = inbox.step(0)
        assert "waiting for it" in lost.record.reason
        place.mkdir()
        (place / "new.ply").write_bytes(b"ply\n")
        while not inbox.finished:
            inbox.step(0.05)
    finally:
        inbox.close()
    assert (place / "failed" / "new.ply").exists()
    with pytest.raises(FormatError, match="cannot go into the folder that is watched"):
        Inbox(InboxSettings(folder / "small.tgplan", place, out=place))


def test_names_of_outputs_are_made_and_kept_apart(tmp_path):
    scans = [tmp_path / "a" / "part.ply", tmp_path / "b" / "part.stl", tmp_path / "c" / "PART.ply"]
    assert output_names(scans, "{scan}", "plan") == ["part", "part-2", "PART-3"]
    assert output_names(scans[:1], "{plan} {number}", "plan") == ["plan 001"]
    assert output_names([tmp_path / "../x.ply"], "../{scan}", "p") == ["_x"]
    with pytest.raises(FormatError, match=r"\{scan\}, \{plan\} and \{number\}"):
        output_names(scans, "{serial}", "plan")


def test_what_cannot_be_a_batch_says_why(folder, tmp_path):
    with pytest.raises(FormatError, match="no such file or folder"):
        scans_in([tmp_path / "nothing.ply"])
    with pytest.raises(FormatError, match="holds no scan"):
        scans_in([tmp_path])
    scan = folder / "scans" / "LW-1140-0101.ply"
    with pytest.raises(FormatError, match="no such output: docx"):
        Batch(BatchSettings(folder / "small.tgplan", (scan,), tmp_path, formats=("docx",)))
    with pytest.raises(FormatError, match="no such file"):
        Batch(BatchSettings(tmp_path / "gone.tgplan", (scan,), tmp_path))
    with pytest.raises(FormatError, match="no such folder"):
        Inbox(InboxSettings(folder / "small.tgplan", tmp_path / "gone"))


@pytest.mark.parametrize("content", [b"", b"{", b"[]", b'{"schema_version": 1}', b'{"schema_version": 9}'])
def test_a_damaged_record_is_no_record(tmp_path, content):
    write_record(tmp_path, Record("a", "a.ply", "key", reason="no"))
    assert read_record(tmp_path, "a").reason == "no"
    (tmp_path / "records" / "a.json").write_bytes(content)
    assert read_record(tmp_path, "a") is None


def test_a_batch_without_any_result_has_an_empty_summary(tmp_path):
    made = summarize([Record("a", "a.ply", "k", reason="broken")])
    assert made.rows == ()
    assert b"broken" in summary_csv(made)
    assert json.loads(summary_json(made))["samples"][0]["reason"] == "broken"
    assert summary_xlsx(made).startswith(b"PK")
    assert scan_key(tmp_path / "gone") == "missing"


def results_of(bonus, measured):
    own = {"number": 1, "name": "hole", "kind": "position", "unit": "mm", "nominal": 0.0, "lower": None,
           "upper": 0.1 + bonus, "measured": measured, "deviation": measured, "state": "within", "reason": "",
           "bonus": bonus}  # fmt: skip
    return {"plan": "p", "plan_revision": 1, "characteristics": [own]}


def test_the_summary_states_the_tolerance_and_the_bonus_of_each_sample():
    records = [Record(f"s{k}", f"s{k}.ply", "", results=results_of(b, 0.12), counts={"within": 1})
               for k, b in enumerate((0.05, 0.03))]  # fmt: skip
    summary = summarize(records)
    (row,) = summary.rows
    assert row.upper == pytest.approx(0.1)  # not the first sample's 0.15
    assert [c.bonus for c in row.cells] == [0.05, 0.03]
    table = list(csv.reader(io.StringIO(summary_csv(summary).decode())))
    assert table[0][7:13] == ["s0", "s0 state", "s0 bonus", "s1", "s1 state", "s1 bonus"]
    assert [float(table[1][k]) for k in (9, 12)] == [0.05, 0.03]


def test_a_scan_of_another_part_fails_through_a_chain_of_alignments(tmp_path, plan):
    """A ball is no housing: the best fit doubts it, and so does what starts from it."""
    rng = np.random.default_rng(0)
    toward = rng.normal(size=(20_000, 3))
    points = 45 * toward / np.linalg.norm(toward, axis=1)[:, None]
    header = f"ply\nformat ascii 1.0\nelement vertex {len(points)}\n"
    header += "".join(f"property float {axis}\n" for axis in "xyz") + "end_header\n"
    (tmp_path / "ball.ply").write_text(header + "\n".join(" ".join(f"{v:.4f}" for v in p) for p in points) + "\n")
    from truegauge.core.plan.alignments import AlignmentDatum, DatumAlignment

    chained = DatumAlignment(id="abc", name="A, B, C", base=plan.alignments[0].id,
                             datums=tuple(AlignmentDatum(feature=f) for f in ("base", "side-b", "side-c")))  # fmt: skip
    kept = tuple(c for c in plan.characteristics if c.number == 4)
    small = plan.replace(characteristics=kept, views=(), sections=(), spots=(),
                         alignments=(plan.alignments[0], chained), in_force="abc")  # fmt: skip
    write_plan(tmp_path / "p.tgplan", small, demo.PART.read_bytes())
    done = run_batch(BatchSettings(tmp_path / "p.tgplan", [tmp_path / "ball.ply"], tmp_path / "out", jobs=1,
                                   formats=("csv",)), lambda e: None)  # fmt: skip
    (record,) = done.records.values()
    assert record.failed
    assert "another part" in record.reason
