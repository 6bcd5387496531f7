import functools
import gc
import sys
import threading

import pytest
import shiboken6
from PySide6.QtCore import QEvent, QObject, QTimer
from PySide6.QtWidgets import QApplication

from truegauge import demo
from truegauge.app.document import evaluating
from truegauge.app.document.evaluating import Evaluating
from truegauge.app.document.queue import WorkQueue
from truegauge.app.document.recovery import Keeper
from truegauge.app.document.session import Session
from truegauge.app.document.uncertainty import UncertaintyWorker
from truegauge.app.main import make_application
from truegauge.app.stages.align.guide import GuideModel
from truegauge.app.stages.align.model import AlignModel
from truegauge.app.stages.devices.model import DevicesModel
from truegauge.app.window import MainWindow
from truegauge.core.registration.alignment import Alignment
from truegauge.rendering import scene

SURVEY = Evaluating._survey  # of every face, after each evaluation: a test of its own lets it run
PATIENCE = 300_000  # ms: kernels are compiled or loaded at first, and others work on the machine beside


@pytest.fixture(scope="session")
def qapp():
    return make_application()


@pytest.fixture
def qtbot(qtbot, monkeypatch):
    """No wait ends because the machine is busy."""
    monkeypatch.setattr(qtbot, "waitUntil", functools.partial(qtbot.waitUntil, timeout=PATIENCE))
    return qtbot


def let_go(window):
    """Nobody answers questions when a test is over."""
    window.session.document.history.mark_saved()
    window.session.document.sample_is_saved = True


@pytest.fixture(scope="module", autouse=True)
def windows_go():
    """Let go of the windows of a module's tests: what is connected within them would keep them, 35 MB each."""
    yield
    QApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    shared = {id(v) for name, m in sys.modules.items() if name.startswith("truegauge") for v in vars(m).values()}
    for found in gc.get_objects():
        ours = isinstance(found, QObject) and type(found).__module__.startswith("truegauge.app")
        if ours and id(found) not in shared and shiboken6.isValid(found) and found.parent() is None:
            shiboken6.delete(found)
    gc.collect()


@pytest.fixture
def window(qtbot, qapp, evaluator, sample, monkeypatch):
    """An empty window. The demo part's evaluator is shared by all tests: it is a pure function of its inputs."""
    original = evaluating._evaluator

    def shared(model):
        return evaluator if model.key == evaluator.model.key else original(model)

    def forget(key):
        """Keep the demo sample's results too: the next test wants them again."""
        evaluator.graph.forget_other_samples(key, sample.origin)

    monkeypatch.setattr(scene, "SAMPLES", 0)  # pictures at rest without smoothing, which takes two thirds of their time
    monkeypatch.setattr(evaluating, "_evaluator", shared)
    monkeypatch.setattr(UncertaintyWorker, "DELAY_MS", 10**8)  # its own test lets it run
    monkeypatch.setattr(Evaluating, "_survey", lambda self, start=0: None)
    monkeypatch.setattr(evaluator, "forget_other_samples", forget)
    made = MainWindow(Session(), "day")
    made.notices = []
    made.session.queue.noticed.connect(lambda notice: made.notices.append(notice))
    qtbot.addWidget(made, before_close_func=let_go)
    made.show()
    qtbot.waitExposed(made)
    before = {t.ident for t in threading.enumerate()}
    yield made
    made.close()
    assert not [w for w in QApplication.topLevelWidgets() if w.isVisible()]
    assert not left_over(made, before)


def left_over(window, before):
    """Return what still works though its window is closed: jobs, timers that go on for ever, threads of ours."""
    found = [f"timer of {type(t.parent()).__name__}" for t in window.findChildren(QTimer)
             if t.isActive() and not t.isSingleShot()]  # fmt: skip
    queues = [window.session.queue, *window.session.findChildren(WorkQueue), *window.findChildren(WorkQueue)]
    found += [f"job: {q.busy_text}" for q in dict.fromkeys(queues) if q.is_busy]
    ours = ("truegauge", "uncertainty", "keeper", "ipp-client", "ipp-beat")
    return found + [t.name for t in threading.enumerate() if t.ident not in before and t.name.startswith(ours)]


@pytest.fixture
def surveys(window, monkeypatch):
    """Let the window measure every face in the background, as it does for its users."""
    monkeypatch.setattr(Evaluating, "_survey", SURVEY)


@pytest.fixture
def settle(window, qtbot):
    def wait():
        qtbot.waitUntil(lambda: not window.session.queue.is_busy, timeout=PATIENCE)

    return wait


@pytest.fixture
def loaded(window, qtbot, settle):
    """The window with the demo plan and sample, evaluated."""
    window.session.files.open_plan(demo.PLAN)
    window.session.files.open_scan(demo.SCAN)
    settle()
    assert window.session.evaluation is not None
    return window


@pytest.fixture
def guided(window, settle):
    """The window with the plan for touches, its guided alignment measured with the stand-in of an arm from now on."""
    s = window.session
    s.files.open_plan(demo.CMM_PLAN)
    settle()
    s.document.take_sample_out()
    s.set_stage("align")
    window.get(AlignModel).choose(s.plan.alignments[0].id)
    window.get(GuideModel).start_with("portable")
    assert window.get(GuideModel).running
    return window


@pytest.fixture
def located(guided, settle):
    """The part located by an arm at its targets."""
    s, guide = guided.session, guided.get(GuideModel)
    for _ in range(40):
        if guide.current() is None:
            break
        guide.operator_touches()
    settle()
    assert guide.current() is None
    guide.stop()
    force = s.evaluation.alignments[s.plan.alignments[0].id]
    assert isinstance(force, Alignment)
    s.set_stage("devices")
    guided.get(DevicesModel).set_page("portable")
    return guided


@pytest.fixture
def keeper(loaded, tmp_path):
    """What keeps the unsaved work of that window."""
    made = Keeper(loaded.session.document, tmp_path / "unsaved")
    yield made
    made.close()
