"""A session is cut, garbled, delayed or left without power at every message: nothing that was measured is lost."""

import numpy as np
import pytest
from tests.devices.cmm_bench import NOW, short_probing, touches

from truegauge.core.errors import Cancelled, DeviceError
from truegauge.core.frames import invert
from truegauge.core.progress import silent
from truegauge.core.routes.document import MeasureStep, Route
from truegauge.core.routes.places import FeatureToTouch
from truegauge.core.routes.strategies import Usual
from truegauge.demo.faces import housing_faces
from truegauge.devices.cmm import again
from truegauge.devices.cmm.words import NotHomed
from truegauge.devices.cmm_sim import world
from truegauge.devices.cmm_sim.build import PartToPlace
from truegauge.devices.cmm_sim.settings import Fault
from truegauge.devices.ipp.client import ConnectionLost
from truegauge.runs.routing import Router
from truegauge.runs.touching import Touching

PROBING = short_probing(touches=5, two_passes=False)
ROUTE = Route(steps=(MeasureStep(id="m", feature="top", strategy=Usual(touches=3)),))


@pytest.fixture
def quick(monkeypatch):
    """Ways are looked over elsewhere: here they are planned as always, and the stand-in meets nothing on them."""
    monkeypatch.setattr(world, "first_meeting", lambda *given: None)
    monkeypatch.setattr(again, "_BETWEEN_S", 0.05)


@pytest.fixture
def session(quick, bench, model, evaluator):
    """Run a whole session with faults; returns what was kept of it."""
    part = PartToPlace(model, evaluator.projector, np.array([0.0, 0, 1.0]))
    face = housing_faces(model)["top"]
    feature = FeatureToTouch("top", "top face", (face,), evaluator.nominal((face,)))

    def run(faults=(), again=lambda made: None):
        made = bench(probing=PROBING, faults=faults, part=part)
        made.cmm.link.answer_s = 0.4
        _persist(lambda: (made.cmm.connect(), made.cmm.home()), made, again)
        qualifying = made.qualifying()
        _persist(qualifying.run, made, again)
        # The part is known to lie there: aligning is tested elsewhere.
        sphere = np.array(qualifying.record.location.center)
        part_pose = made.world.part.machine_from_part
        router = Router(model, evaluator.projector, part_pose, PROBING, lambda use: True, sphere, route=ROUTE)
        touched = []
        job = Touching(made.cmm, router, qualifying.record, (feature,), touches(touched.append), lambda: NOW)
        _persist(job.run, made, again)
        assert not [left.why for left in job.left]
        return made, qualifying, touched

    return run


def _persist(step, made, again):
    """Do a step; where it says that it cannot go on, do what it says and go on, as a user would."""
    for _ in range(4):
        try:
            step()
        except NotHomed as error:
            assert "home it, then go on" in str(error)
            made.cmm.home()
        except DeviceError as error:
            assert any(words in str(error) for words in ("connect", "closed", "cut", "answer", "lost")), str(error)
            again(made)
        else:
            return
    raise AssertionError("the session could not be ended")


def _is_whole(qualifying, touched, made, wanted):
    assert [q.verdict for q in qualifying.done] == ["good"]
    assert len(touched) == wanted
    assert len({t.place for t in touched}) == wanted
    # Each touch lies on the face, whatever happened before it.
    part = made.world.part
    top = np.array([t.place for t in touched]) + PROBING.assembly("p1").styli()[0].radius * np.array(
        [t.approach for t in touched])  # fmt: skip
    height = (top - part.machine_from_part[:3, 3]) @ part.machine_from_part[:3, 2]
    assert np.ptp(height) < 0.003


# In two parts, for several workers. Every second message: of each kind there are many.
@pytest.mark.parametrize("first", [1, 3])
def test_a_session_that_is_cut_at_any_message_loses_nothing(session, first):
    made, qualifying, touched = session()
    messages = made.stand_in.server.messages
    wanted = len(touched)
    assert wanted == 3
    assert messages > 100
    _is_whole(qualifying, touched, made, wanted)
    for k in range(first, messages + 1, 4):
        made, qualifying, touched = session([f"cut@{k}"])
        _is_whole(qualifying, touched, made, wanted)
        made.close()


@pytest.mark.parametrize("fault", ["garbage", "late"])
@pytest.mark.parametrize("k", [3, 41, 83, 124])
def test_garbage_and_late_replies_lose_nothing(session, fault, k):
    made, qualifying, touched = session([f"{fault}@{k}x0.7"])
    assert len(touched) == 3
    _is_whole(qualifying, touched, made, 3)


@pytest.mark.parametrize("k", [15, 45, 77, 118])
def test_a_power_loss_loses_nothing_and_says_what_to_do(session, k):
    said = []

    def power_again(made):
        said.append(True)
        made.stand_in.server.power_on()

    made, qualifying, touched = session([f"power@{k}"], power_again)
    _is_whole(qualifying, touched, made, 3)
    assert said


def test_a_machine_that_stays_away_is_told_with_what_to_do(bench):
    made = bench(probing=PROBING, faults=["power@40"])
    made.connect()
    with pytest.raises(ConnectionLost, match=r"kept: see that it has power.*connect again, then go on"):
        made.qualifying().run()


def test_a_collision_in_a_run_keeps_the_touches_and_can_be_gone_on_from(bench, model, evaluator):
    part = PartToPlace(model, evaluator.projector, np.array([0.0, 0, 1.0]))
    made = bench(probing=PROBING, part=part)
    made.connect()
    qualifying = made.qualifying()
    qualifying.run()
    face = housing_faces(model)["top"]
    feature = FeatureToTouch("top", "top face", (face,), evaluator.nominal((face,)))
    touched = []
    part_pose, sphere = made.world.part.machine_from_part, np.array(qualifying.record.location.center)
    router = Router(model, evaluator.projector, part_pose, PROBING, lambda u: True, sphere, route=ROUTE)
    job = Touching(made.cmm, router, qualifying.record, (feature,), touches(touched.append), lambda: NOW)
    somewhere = made.world.sphere.center.copy()

    def in_the_way(touch):
        touched.append(touch)
        if len(touched) == 2:  # somebody puts the sphere where the next touch will be
            there = job.waiting[0].places.points[2]
            made.world.move_sphere(there + np.array([0, 0, 5.0]) - made.world.sphere.center)

    job.tell = touches(in_the_way)
    with pytest.raises(DeviceError, match=r"top face, touch 3: .*met the reference sphere.*stopped"):
        job.run()
    assert len(touched) == 2
    made.world.move_sphere(somewhere - made.world.sphere.center)
    made.cmm.clear_errors()
    job.run()
    assert len(touched) == 3
    assert np.allclose(invert(part_pose) @ part_pose, np.eye(4))


def test_a_run_can_be_cancelled_between_any_two_touches(bench):
    made = bench(probing=PROBING)
    made.connect()
    job = made.qualifying()
    count = 0

    def stop(fraction, text="", /):
        nonlocal count
        count += 1
        if count == 6:
            raise Cancelled

    job.progress = stop
    with pytest.raises(Cancelled):
        job.run()
    job.progress = silent
    job.run()
    assert [q.verdict for q in job.done] == ["good"]


def test_a_fault_is_written_as_it_is_read():
    assert Fault.read("late@7x2.5") == Fault("late", 7, 2.5)
