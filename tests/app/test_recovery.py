"""Nothing that is not saved is lost: asked about at every way out, kept beside, brought back."""

import os
import random
import shutil
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog
from test_window import dropped

from truegauge import demo
from truegauge.app.document import recovery
from truegauge.app.document.recovery import Keeper, find_recovered
from truegauge.app.main import offer
from truegauge.app.widgets.question import CANCEL, Question
from truegauge.core.commands.requirements import RemoveCharacteristic
from truegauge.core.errors import FormatError
from truegauge.core.samples.document import Touch
from truegauge.formats.plan_file import read_plan, write_plan

TOUCH = Touch(target="T1", place=(1.0, 2.0, 3.0))
EDITING = """
import sys, itertools
from pathlib import Path
from truegauge.app.main import make_application
from truegauge.app.document.session import Session
from truegauge.app.document.recovery import Keeper
from truegauge.core.samples.document import Touch
app = make_application()
session = Session()
keeper = Keeper(session.document, Path(sys.argv[1]))
for k in itertools.count(1):
    before = session.sample.touches if session.sample else ()
    session.document.set_touches((*before, Touch(target=f"T{k}", place=(float(k), 0.0, 0.0))))
    session.document.history.mark_unsaved()
    keeper.keep()
    keeper.wait()
    print(k, flush=True)
"""


@pytest.fixture
def answers(monkeypatch):
    """What is answered to the questions to come; every question is noted."""
    given, asked = [], []

    def question(parent, title, text, *answers):
        asked.append(title)
        answer = given.pop(0)
        assert answer in (*answers, CANCEL), (title, answer)
        return answer

    monkeypatch.setattr("truegauge.app.shell.files.ask", question)
    yield given, asked
    assert not given


def crashed(keeper):
    """End a session as a kill does: its lock is free, nothing is tidied up."""
    keeper._timer.stop()
    keeper.close()
    return find_recovered(keeper._parent_folder)


def test_unsaved_work_is_kept_found_after_a_crash_and_brought_back_unsaved(loaded, keeper, settle, tmp_path, qtbot):
    session = loaded.session
    session.run(RemoveCharacteristic("c1"))
    session.document.set_touches((TOUCH,))
    keeper.keep()
    assert keeper.wait()
    assert not find_recovered(tmp_path / "unsaved")  # this session lives
    session.document.set_touches((TOUCH, TOUCH.replace(target="T2")))
    keeper.keep()
    assert keeper.wait()
    (found,) = crashed(keeper)
    assert find_recovered(tmp_path / "unsaved") == []  # only one window is offered it
    session.document.history.mark_saved()
    session.document.sample_is_saved = True
    session.document.start_over()
    settle()
    second = Keeper(session.document, tmp_path / "unsaved")
    offer(loaded, second, [found])
    loaded.notices[-1].callback()
    settle()
    assert second.wait()
    assert len(session.plan.characteristics) == 29
    assert [t.target for t in session.sample.touches] == ["T1", "T2"]
    assert len(session.sample.points) == 250_000
    assert session.document.plan_path == demo.PLAN
    assert not session.document.history.is_saved
    assert not session.document.sample_is_saved
    assert not found.folder.path.exists()
    again = crashed(second)  # it is kept again, by the session that has it now
    assert [t.target for t in again[0].work.data.touches] == ["T1", "T2"]
    again[0].folder.remove()
    assert not list((tmp_path / "unsaved").iterdir())


def test_what_was_kept_is_deleted_only_when_it_is_kept_again(loaded, keeper, settle, monkeypatch, tmp_path, qtbot):
    loaded.session.run(RemoveCharacteristic("c1"))
    keeper.keep()
    assert keeper.wait()
    (found,) = crashed(keeper)
    second = Keeper(loaded.session.document, tmp_path / "unsaved")

    def full(path, *_):
        raise FormatError(path, "cannot be written (No space left on device)")

    monkeypatch.setattr(recovery, "write_plan", full)
    loaded.session.document.history.mark_saved()
    offer(loaded, second, [found])
    loaded.notices[-1].callback()
    settle()
    assert not second.wait()
    assert found.work.plan.exists()
    qtbot.waitUntil(lambda: "cannot be kept safe" in loaded.notices[-1].text)
    second.keep()
    second.wait()
    qtbot.wait(100)
    assert sum("cannot be kept safe" in n.text for n in loaded.notices) == 1  # told once
    second.close()
    found.folder.release()


def test_work_brought_back_while_a_plan_is_loading_takes_nobodys_path(loaded, keeper, settle, tmp_path):
    session = loaded.session
    session.run(RemoveCharacteristic("c1"))
    session.document.plan_path = tmp_path / "mine.tgplan"
    keeper.keep()
    keeper.wait()
    (found,) = crashed(keeper)
    other = tmp_path / "other.tgplan"
    shutil.copy(demo.PLAN, other)
    session.document.history.mark_saved()
    second = Keeper(session.document, tmp_path / "unsaved")
    offer(loaded, second, [found])
    session.files.open_plan(other)
    loaded.notices[-1].callback()  # before the other plan is there
    settle()
    second.wait()
    assert session.document.plan_path == tmp_path / "mine.tgplan"
    assert len(session.plan.characteristics) == 29
    assert len(read_plan(other).plan.characteristics) == 30
    second.close()


def test_the_window_does_not_wait_for_a_slow_disk(loaded, keeper, monkeypatch):
    let, begun = threading.Event(), threading.Event()
    original = recovery.write_plan

    def slow(*a):
        begun.set()
        assert let.wait(120)
        return original(*a)

    monkeypatch.setattr(recovery, "write_plan", slow)
    loaded.session.run(RemoveCharacteristic("c1"))
    keeper.keep()
    assert begun.wait(120)
    assert not keeper._last.done()  # keep() has returned, the writing goes on
    loaded.session.run(RemoveCharacteristic("c2"))
    keeper.keep()  # the newer work is kept afterwards
    let.set()
    assert keeper.wait()
    keeper.keep()
    assert keeper.wait()
    (found,) = crashed(keeper)
    assert len(read_plan(found.work.plan).plan.characteristics) == 28
    found.folder.remove()


def test_saved_work_is_not_kept(loaded, keeper, tmp_path):
    loaded.session.run(RemoveCharacteristic("c1"))
    keeper.keep()
    assert keeper.wait()
    assert loaded.session.files.save_plan(tmp_path / "mine.tgplan")
    keeper.keep()
    keeper.wait()
    assert not list((tmp_path / "unsaved").iterdir())


def test_every_copy_is_whole_at_whatever_moment_the_process_is_killed(tmp_path):
    random.seed(20)
    for run in range(5):
        folder = tmp_path / str(run)
        with subprocess.Popen(
            [sys.executable, "-c", EDITING, str(folder)], stdout=subprocess.PIPE, text=True,
            env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        ) as child:  # fmt: skip
            child.stdout.readline()
            time.sleep(random.uniform(0.0, 0.2))
            child.send_signal(signal.SIGKILL)
            told = [int(line) for line in child.stdout.read().split()]
        (found,) = find_recovered(folder)
        touches = found.work.data.touches
        assert [t.target for t in touches] == [f"T{k + 1}" for k in range(len(touches))]
        assert len(touches) >= max(told, default=1)  # nothing that was kept is lost
        read_plan(found.work.plan)
        found.folder.remove()


def test_touches_are_asked_about_at_every_way_out(loaded, answers, monkeypatch, tmp_path, settle):
    given, asked = answers
    session = loaded.session
    session.document.set_touches((TOUCH,))
    assert not session.document.sample_is_saved
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *a: (str(demo.SCAN), ""))
    for way in (loaded.close, loaded.files.new_plan, loaded.files.ask_scan, loaded.files.take_sample_out):
        given.append(CANCEL)
        way()
        settle()
        assert asked.pop() == "Unsaved sample"
        assert session.sample.touches == (TOUCH,)
        assert loaded.isVisible()
    assert not asked
    # Saved in answer, it may go.
    target = tmp_path / "mine.tgsample"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(target), ""))
    given.append("Save")
    loaded.files.new_plan()
    assert session.sample is None
    assert target.exists()


def test_another_scan_that_is_dropped_asks_first(loaded, answers, qtbot, settle):
    from PySide6.QtCore import QMimeData, QUrl

    given, asked = answers
    loaded.session.document.set_touches((TOUCH,))
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(demo.SCAN))])
    given.append(CANCEL)
    how = (Qt.DropAction.CopyAction, data, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier)
    dropped(loaded, *how)
    settle()
    assert loaded.session.sample.touches == (TOUCH,)
    given.append("Discard")
    dropped(loaded, *how)
    settle()
    assert asked == ["Unsaved sample"] * 2
    assert not loaded.session.sample.touches


def test_a_plan_that_somebody_else_changed_is_not_overwritten_unasked(loaded, answers, tmp_path, monkeypatch, settle):
    given, asked = answers
    session, mine = loaded.session, tmp_path / "mine.tgplan"
    assert session.files.save_plan(mine)
    session.run(RemoveCharacteristic("c1"))
    os.utime(mine)  # touched, not changed: nobody is asked
    assert loaded.files.save()
    session.run(RemoveCharacteristic("c2"))
    theirs = session.plan.replace(name="theirs")
    write_plan(mine, theirs, session.document.part_content)
    given.append(CANCEL)
    assert not loaded.files.save()
    assert read_plan(mine).plan.name == "theirs"
    assert not session.document.history.is_saved
    # Under another name both stay.
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "both.tgplan"), ""))
    given.append("Save under another name")
    assert loaded.files.save()
    assert read_plan(mine).plan.name == "theirs"
    assert len(read_plan(tmp_path / "both.tgplan").plan.characteristics) == 28
    # Or theirs is replaced, when that is wanted.
    session.files.open_plan(mine)
    settle()
    write_plan(mine, theirs.replace(name="again"), session.document.part_content)
    given.append("Replace it")
    assert loaded.files.save()
    assert read_plan(mine).plan.name == "theirs"
    assert asked == ["Changed by somebody else"] * 3


def test_a_name_without_ending_does_not_replace_a_file_unasked(loaded, answers, tmp_path, monkeypatch):
    given, _ = answers
    there = tmp_path / "plan.tgplan"
    there.write_bytes(b"theirs")
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *a: (str(tmp_path / "plan"), ""))
    given.append(CANCEL)
    assert not loaded.files.save_as()
    assert there.read_bytes() == b"theirs"
    given.append("Replace it")
    assert loaded.files.save_as()
    assert read_plan(Path(there)).plan == loaded.session.plan


@pytest.mark.parametrize("chosen", ["Save", "Discard", CANCEL])
def test_a_question_is_answered_by_its_buttons_and_escape_cancels(qtbot, chosen):
    asked = Question(None, "Unsaved plan", "Save the changes?", ("Save", "Discard"))
    qtbot.addWidget(asked)
    asked.show()
    assert asked.buttons["Save"].isDefault()
    if chosen == CANCEL:
        qtbot.keyClick(asked, Qt.Key.Key_Escape)
    else:
        qtbot.mouseClick(asked.buttons[chosen], Qt.MouseButton.LeftButton)
    assert not asked.isVisible()
    assert asked.answer == chosen
