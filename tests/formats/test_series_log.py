"""The log of a series: rows whole or not at all, one number after the other, whatever happens to the program."""

import csv
import io
import os
import random
import signal
import subprocess
import sys

import openpyxl
import pytest

from truegauge.core.errors import FormatError
from truegauge.formats.series_log import SeriesLog
from truegauge.formats.series_xlsx import series_xlsx

COLUMNS = ("part", "seat", "state")
WRITER = """
import sys
from pathlib import Path
from truegauge.formats.series_log import SeriesLog
log = SeriesLog(Path(sys.argv[1]), ("part", "seat", "state"))
print("open", log.rows, flush=True)
for k in range(10_000):
    print(log.add((f"LW-1408-{k:04d}", 8.0 + k / 1000, "in")), flush=True)
"""


def rows_of(path):
    with path.open(newline="", encoding="utf-8") as file:
        return list(csv.reader(file))


def test_rows_are_there_in_their_order_and_are_gone_on_with(tmp_path):
    path = tmp_path / "series.csv"
    log = SeriesLog(path, COLUMNS)
    assert [log.add(("a", 8.001, "in")), log.add(("b, with a comma", 7.5, "out"))] == [1, 2]
    assert rows_of(path) == [["no", *COLUMNS], ["1", "a", "8.001", "in"], ["2", "b, with a comma", "7.5", "out"]]
    log.close()
    again = SeriesLog(path, COLUMNS)
    assert again.rows == 2
    assert again.add(("line\nbreak", None, "=1+1")) == 3
    assert rows_of(path)[3] == ["3", "line break", "", "'=1+1"]
    with pytest.raises(FormatError, match="another program"):
        SeriesLog(path, COLUMNS)
    again.close()
    with pytest.raises(FormatError, match="closed"):
        again.add(("c", 1.0, "in"))


def test_a_program_that_is_killed_at_any_moment_loses_no_row_and_doubles_none(tmp_path):
    """Fifty times: all that it said was written is there, once, and at most one that it could not say any more."""
    path, rng, said = tmp_path / "series.csv", random.Random(3), 0
    for _ in range(50):
        with subprocess.Popen([sys.executable, "-c", WRITER, str(path)], stdout=subprocess.PIPE, text=True) as child:
            first = child.stdout.readline().split()
            assert first[0] == "open"
            assert said <= int(first[1]) <= said + 1
            said = int(first[1])
            for _ in range(rng.randint(0, 12)):
                said = int(child.stdout.readline())
            os.kill(child.pid, signal.SIGKILL)
            rest = child.stdout.read().split()
        said = int(rest[-1]) if rest else said
        numbers = [row[0] for row in rows_of(path)[1:]]
        whole = numbers[:said]
        assert whole == [str(k) for k in range(1, said + 1)]
        assert len(numbers) <= said + 1


def test_a_row_that_was_not_written_whole_is_taken_out(tmp_path):
    path = tmp_path / "series.csv"
    log = SeriesLog(path, COLUMNS)
    log.add(("a", 1.0, "in"))
    log.close()
    whole = path.read_bytes()
    for cut in range(len(b"no,part,seat,state\r\n") + 1, len(whole) + 6):
        path.write_bytes((whole + b"2,b,1.5")[:cut])
        log = SeriesLog(path, COLUMNS)
        assert log.rows == (1 if cut >= len(whole) else 0)
        assert log.add(("c", 2.0, "in")) == log.rows
        log.close()
        assert rows_of(path)[-1][1:] == ["c", "2.0", "in"]


def test_a_first_line_that_was_not_written_whole_is_written_again(tmp_path):
    path = tmp_path / "series.csv"
    for content in (b"", b"no,pa"):
        path.write_bytes(content)
        log = SeriesLog(path, COLUMNS)
        log.close()
        assert rows_of(path) == [["no", *COLUMNS]]


def test_a_full_disk_is_said_and_nothing_is_half(tmp_path, monkeypatch):
    path = tmp_path / "series.csv"
    log = SeriesLog(path, COLUMNS)
    log.add(("a", 1.0, "in"))
    before, write = path.read_bytes(), os.write
    monkeypatch.setattr(os, "write", lambda file, data: write(file, data[:4] if file == log._file else data))
    with pytest.raises(FormatError, match="No space left"):
        log.add(("b", 1.0, "in"))
    monkeypatch.undo()
    assert path.read_bytes() == before
    assert log.add(("b", 1.0, "in")) == 2
    assert [row[0] for row in rows_of(path)] == ["no", "1", "2"]


def test_a_workbook_of_a_log_has_its_rows_and_refuses_what_is_none(tmp_path):
    path = tmp_path / "series.csv"
    log = SeriesLog(path, ("time", "serial", "Seat [mm]", "state"))
    for cells in (("t", "=1+1", 8.00125, "good"), ("t", "7", None, "incomplete"), ("t", "8", float("inf"), "nan")):
        log.add(cells)
    log.close()
    path.write_bytes(path.read_bytes() + b"4,t,9")  # a row on its way
    sheet = openpyxl.load_workbook(io.BytesIO(series_xlsx(path))).active
    assert [list(row) for row in sheet.iter_rows(values_only=True)] == [
        ["no", "time", "serial", "Seat [mm]", "state"], [1, "t", "'=1+1", 8.00125, "good"],
        [2, "t", "7", None, "incomplete"], [3, "t", "8", "inf", "nan"],
    ]  # fmt: skip
    assert sheet["C2"].data_type == "s"
    for content, words in (
        (b"no,time\r\n1,t,more\r\n", "line 2 has 3 cells for 2 columns"),
        (b"no,x\r\n1," + b"9" * 200_000 + b"\n", "no log"),
        (b"a,b\n", "no log"), (b"\xff\xfe\n", "no text"), (b"", "empty|no log"),
    ):  # fmt: skip
        path.write_bytes(content)
        with pytest.raises(FormatError, match=words):
            series_xlsx(path)


def test_what_is_no_such_log_is_left_as_it_is(tmp_path):
    path = tmp_path / "other.csv"
    for content, words in (
        (b"a,b\r\n1,2\r\n", "other columns"),
        (b"a note without an end", "other columns"),
        (b"no,part,seat,state\r\n1,a,1,in\r\n3,b,1,in\r\n", "line 3 is not row 2"),
        (b"\xff\xfe\x00binary\n", "no text"),
    ):  # fmt: skip
        path.write_bytes(content)
        with pytest.raises(FormatError, match=words):
            SeriesLog(path, COLUMNS)
        assert path.read_bytes() == content
    with pytest.raises(FormatError, match="cannot be written"):
        SeriesLog(tmp_path / "nowhere" / "log.csv", COLUMNS)
    log = SeriesLog(tmp_path / "new.csv", COLUMNS)
    with pytest.raises(FormatError, match="2 cells for 3 columns"):
        log.add(("a", 1.0))
