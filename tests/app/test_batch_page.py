"""The batch page: rows that say how far each scan is, the worst of each, the summary, and the way back to a sample."""

import shutil
from pathlib import Path

import pytest
from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QImage, QPainter
from tests.app.conftest import PATIENCE

from truegauge import demo
from truegauge.app.shell.batch.dialog import BatchDialog
from truegauge.app.shell.batch.scan_rows import ScanRow, ScanRows, bar_of_entry, worst_of
from truegauge.app.shell.batch.summary_table import SummaryTable
from truegauge.app.widgets.theme import DAY
from truegauge.jobs.records import Record
from truegauge.jobs.summary import summarize


def entry(number, measured, nominal, lower, upper, state):
    named = {"number": number, "name": f"c {number}", "kind": "diameter", "unit": "mm", "state": state}
    limits = {"nominal": nominal, "lower": lower, "upper": upper}
    off, reason = (None, "no points") if measured is None else (measured - nominal, "")
    return {**named, **limits, "measured": measured, "deviation": off, "reason": reason}


ENTRIES = [
    entry(1, 42.010, 42.0, 42.0, 42.025, "within"), entry(2, 0.030, 0.0, None, 0.040, "near"),
    entry(3, 29.88, 30.0, 29.9, 30.1, "outside"), entry(4, None, 5.0, 4.9, 5.1, "not_measured"),
]  # fmt: skip


def record(name="A", entries=ENTRIES, reason=""):
    counts = {}
    for c in entries:
        counts[c["state"]] = counts.get(c["state"], 0) + 1
    results = None if reason else {"plan": "p", "plan_revision": 1, "characteristics": entries}
    return Record(name, f"/scans/{name}.ply", "key", reason, results, counts={} if reason else counts)


def test_the_worst_is_the_farthest_out_of_its_tolerance():
    """By definition: the share of the tolerance that is used, from its middle, or to the only limit."""
    assert worst_of(record())["number"] == 3
    assert worst_of(record(entries=ENTRIES[:2]))["number"] == 2  # 0.75 of one limit, 0.2 of the half of the other
    assert worst_of(record(entries=ENTRIES[3:])) is None
    assert worst_of(record(reason="no such file")) is None


def test_the_bar_of_an_entry_stands_where_its_limits_say():
    bar = bar_of_entry(ENTRIES[0])
    assert bar.position == pytest.approx(0.25 + 0.5 * 0.010 / 0.025)
    assert bar_of_entry(ENTRIES[2]).marker == "triangle_left"
    assert bar_of_entry(ENTRIES[1]).position == pytest.approx(0.25 + 0.5 * 0.75)


def painted(rows, row):
    rows.show_rows([row])
    image = QImage(700, 48, QImage.Format.Format_RGB32)
    image.fill(DAY.raised)
    painter = QPainter(image)
    rows.paint_row(painter, QRectF(0, 0, 700, 48), "0", selected=False)
    painter.end()
    return image


def test_rows_say_how_far_a_scan_is_and_what_came_of_it(qtbot, qapp):
    rows = ScanRows(DAY, "scans")
    qtbot.addWidget(rows)
    half = painted(rows, ScanRow("a.ply", "finding the pose", 0.5))
    assert "50 %" in rows.item(0).data(Qt.ItemDataRole.AccessibleTextRole)
    accent = [x for x in range(700) if half.pixelColor(x, 24).name() == DAY.accent.lower()]
    whole = painted(rows, ScanRow("a.ply", "finding the pose", 1.0))
    assert len([x for x in range(700) if whole.pixelColor(x, 24).name() == DAY.accent.lower()]) == pytest.approx(
        2 * len(accent), abs=4
    )
    done = painted(rows, ScanRow("a.ply", record=record()))
    assert "1 outside" in rows.item(0).toolTip()
    assert any(done.pixelColor(x, 24).name() == DAY.band.lower() for x in range(500, 700))
    painted(rows, ScanRow("a.ply", record=record(reason="not a scan")))
    assert "not a scan" in rows.item(0).toolTip()
    asked = []
    rows.wanted.connect(asked.append)
    rows.itemActivated.emit(rows.item(0))
    assert asked == []  # it has no results to look at
    rows.show_rows([ScanRow("a.ply", record=record())])
    rows.itemActivated.emit(rows.item(0))
    assert asked == ["/scans/A.ply"]


def test_a_cell_of_the_summary_asks_for_the_why_of_its_sample(qtbot, qapp):
    table = SummaryTable(DAY)
    qtbot.addWidget(table)
    asked = []
    table.wanted.connect(lambda scan, number: asked.append((scan, number)))
    table.show_summary(summarize([record("A"), record("B"), record("C", reason="failed")]))
    table.show()
    assert table.item(2, 6).text() == "29.880 outside"
    assert table.item(3, 5).text() == "not measured"
    assert table.item(2, table.columnCount() - 1).text() == "2"
    for column in (5, 6, 7, 1):
        table.cellDoubleClicked.emit(2, column)
    assert asked == [("/scans/A.ply", 3), ("/scans/B.ply", 3)]  # a failed sample and the name have no why
    assert not table.grab().isNull()


def test_a_batch_is_stopped_and_every_row_says_so_then_goes_on(loaded, qtbot, tmp_path):
    scans = tmp_path / "scans"
    scans.mkdir()
    for k in range(2):
        shutil.copy(demo.SCAN, scans / f"part {k}{demo.SCAN.suffix}")
    opened = []
    made = BatchDialog(demo.PLAN, loaded.theme, lambda *what: opened.append(what), loaded)
    qtbot.addWidget(made)
    made.add_scans([scans])
    made.out.setText(str(tmp_path / "out"))
    for box in made.formats.values():
        box.setChecked(False)
    made.formats["json"].setChecked(True)
    made.jobs.setValue(1)
    made.show()
    made.start.click()
    assert made.cancel.isEnabled()
    assert [r.words for r in made.table.rows] == ["waiting", "waiting"] or made.table.rows[0].fraction is not None
    made.cancel.click()
    assert {r.words for r in made.table.rows} <= {"stopped before it was done", "stopped before it was begun"}
    assert made.start.isEnabled()
    made.start.click()
    qtbot.waitUntil(lambda: made.batch is None, timeout=PATIENCE)
    assert "2 inspected, 0 failed" in made.told.text()
    assert made.pages.currentWidget() is made.summary
    assert [r.state for r in made.table.rows] == ["outside", "outside"]
    made.summary.cellDoubleClicked.emit(12, 5)
    assert opened == [(Path(scans / f"part 0{demo.SCAN.suffix}"), 13)]
    assert not made.isVisible()


def test_a_sample_of_a_batch_is_shown_at_its_why(loaded, settle):
    s = loaded.session
    loaded.files.open_sample(demo.SCAN, 13)
    settle()
    assert (s.stage, s.selection.characteristic, s.shown.why) == ("evaluate", "c13", True)
    assert loaded.benches.currentWidget() is loaded.why_panel
