"""What is saved is written beside the window, which stays alive, and counts as saved only as far as it was written."""

import threading
import time

import pytest
from PySide6.QtCore import QTimer

from truegauge.app.document import files
from truegauge.app.document.jobs import waited_for
from truegauge.app.shell import files as shell_files
from truegauge.core.commands.features import EditFeature
from truegauge.core.errors import FormatError
from truegauge.formats.plan_file import read_plan, write_plan

RENAME = EditFeature("boss", (("name", "boss 30"),))


@pytest.fixture
def slowly(monkeypatch):
    """Writing a plan takes a while; returns the threads that wrote."""
    threads = []

    def write(path, plan, part):
        threads.append(threading.current_thread())
        time.sleep(0.3)
        return write_plan(path, plan, part)

    monkeypatch.setattr(files, "write_plan", write)
    return threads


def beside(then):
    """Do something from the window's thread while something else goes on."""
    QTimer.singleShot(50, then)


def test_the_window_lives_while_a_plan_is_written(loaded, slowly, tmp_path):
    ticks = []
    timer = QTimer()
    timer.timeout.connect(lambda: ticks.append(time.monotonic()))
    timer.start(10)
    assert loaded.session.files.save_plan(tmp_path / "slow.tgplan")
    timer.stop()
    assert threading.main_thread() not in slowly
    assert len(ticks) >= 3
    assert loaded.session.document.history.is_saved


def test_what_changes_while_it_is_written_stays_unsaved(loaded, slowly, tmp_path):
    beside(lambda: loaded.session.run(RENAME))
    assert loaded.session.files.save_plan(tmp_path / "before.tgplan")
    assert not loaded.session.document.history.is_saved
    assert read_plan(tmp_path / "before.tgplan").plan.feature("boss").name == "boss"
    loaded.session.document.undo()
    assert loaded.session.document.history.is_saved


def test_a_window_that_is_closed_meanwhile_closes_when_it_is_written(loaded, slowly, tmp_path, qtbot):
    seen = []

    def close():
        seen.append(loaded.close())
        seen.append(loaded.isVisible())

    beside(close)
    assert loaded.session.files.save_plan(tmp_path / "closing.tgplan")
    assert seen == [False, True]
    qtbot.waitUntil(lambda: not loaded.isVisible())
    assert read_plan(tmp_path / "closing.tgplan").plan == loaded.session.plan


def test_edits_that_were_written_are_not_asked_about_when_it_closes(loaded, slowly, tmp_path, qtbot, monkeypatch):
    loaded.session.run(RENAME)
    asked = []
    monkeypatch.setattr(shell_files, "ask", lambda *a: asked.append(a) or "Discard")
    beside(loaded.close)
    assert loaded.session.files.save_plan(tmp_path / "closing.tgplan")
    qtbot.waitUntil(lambda: not loaded.isVisible())
    assert asked == []
    assert read_plan(tmp_path / "closing.tgplan").plan.feature("boss").name == "boss 30"


def test_a_window_that_was_closed_stays_when_it_cannot_be_written(loaded, tmp_path, qtbot, monkeypatch):
    loaded.session.run(RENAME)

    def full(path, plan, part):
        time.sleep(0.3)
        raise FormatError(path, "the disk is full")

    monkeypatch.setattr(files, "write_plan", full)
    beside(loaded.close)
    assert not loaded.session.files.save_plan(tmp_path / "closing.tgplan")
    qtbot.wait(50)
    assert loaded.isVisible()
    assert "the disk is full" in loaded.notices[-1].text


def test_what_cannot_be_written_is_told_and_stays_unsaved(loaded, tmp_path):
    loaded.session.run(RENAME)
    assert not loaded.session.files.save_plan(tmp_path / "nowhere" / "plan.tgplan")
    assert "choose another folder" in loaded.notices[-1].text
    assert not loaded.session.document.history.is_saved


def test_waiting_gives_what_the_work_returns_and_raises(qapp):
    assert waited_for(lambda progress: 42, "test") == 42
    with pytest.raises(FormatError, match="no room"):
        waited_for(lambda progress: (_ for _ in ()).throw(FormatError("file", "no room")), "test")
    with pytest.raises(ZeroDivisionError):
        waited_for(lambda progress: 1 / 0, "test")
