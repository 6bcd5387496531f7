"""Values that take a moment: asked for while painting, there later; stopped, failed, of another thing."""

import threading

import numpy as np
import pytest

from truegauge.app.document.document import Document
from truegauge.app.document.queue import WorkQueue
from truegauge.app.document.worked_out import WorkedOut


@pytest.fixture
def document(qtbot, qapp):
    queue = WorkQueue()
    made = Document(queue)
    yield made
    queue.close()


def test_a_value_comes_once_for_what_it_is_of(document, qtbot):
    came, asked = [], []
    value = WorkedOut(document, "Sum", lambda: came.append(1))
    one, same = np.arange(4), np.arange(4)

    def ask(points, scale):
        return value.get((points, scale), lambda: asked.append(1) or points.sum() * scale)

    assert ask(one, 2.0) is None
    assert ask(one, 2.0) is None  # already on its way
    qtbot.waitUntil(lambda: bool(came))
    assert ask(one, 2.0) == 12.0
    assert len(asked) == 1
    assert ask(same, 2.0) is None  # equal, but another object
    assert value.last == 12.0
    qtbot.waitUntil(lambda: len(came) == 2)
    assert ask(same, 3.0) is None
    qtbot.waitUntil(lambda: len(came) == 3)
    assert ask(same, 3.0) == 18.0


def test_what_was_stopped_is_worked_out_when_it_is_asked_for_again(document, qtbot):
    stopped, hold = [], threading.Event()
    document.queue.stopped.connect(lambda: stopped.append(1))
    document.queue.start(lambda progress: hold.wait(60), lambda _: None, "something long")
    value = WorkedOut(document, "One", lambda: None)
    assert value.get(("a",), lambda: 1) is None
    document.queue.cancel()
    hold.set()
    qtbot.waitUntil(lambda: bool(stopped) and not document.queue.is_busy)
    assert value.get(("a",), lambda: 1) is None
    qtbot.waitUntil(lambda: value.get(("a",), lambda: 1) == 1)


def test_what_fails_is_told_once_and_not_tried_again(document, qtbot):
    told, tries = [], []
    document.queue.noticed.connect(lambda notice: told.append(notice.text))
    value = WorkedOut(document, "None", lambda: None)

    def fails():
        tries.append(1)
        raise ZeroDivisionError

    for _ in range(3):
        assert value.get(("a",), fails) is None
        qtbot.waitUntil(lambda: not document.queue.is_busy)
    assert len(tries) == len(told) == 1


def test_of_a_sample_that_went_nothing_is_kept(document, qtbot):
    value = WorkedOut(document, "Much", lambda: None)
    much = np.zeros(10)
    value.get((much,), lambda: much)
    qtbot.waitUntil(lambda: value.last is much)
    document.sample_changed.emit()  # there is none
    assert value.last is None
