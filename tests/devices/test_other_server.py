"""The client at a server of somebody else: own tool names, a fixed head, strict tags, events, a slow retract."""

import itertools
import threading
import time

import numpy as np
import pytest
from tests.devices.cmm_bench import NOW, hands
from tests.devices.other_server import OtherServer

from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import HeadPose
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.records import MachineRecord, ToolName
from truegauge.demo.cmm_plan import demo_probing
from truegauge.devices.cmm.again import reconnect
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.ipp.client import MachineRefused
from truegauge.devices.protocol import Said
from truegauge.runs.qualifying import Qualifying

ACROSS = HeadPose(tilt_deg=90.0, turn_deg=90.0)
DEMO = demo_probing()
OWN = DEMO.assembly("p1").with_poses((HeadPose(), ACROSS))
PROBING = DEMO.replace(
    assemblies=(OWN,), rack=(), settings=DEMO.settings.replace(touches=7), sphere=DEMO.sphere.replace(diameter=25.0)
)
DOWN, SIDE = (StylusUse(assembly="p1", stylus="c3", pose=p) for p in (HeadPose(), ACROSS))
NAMES = (
    ToolName(assembly="Short 4", stylus="c3", pose=HeadPose(), name="RefTool"),
    ToolName(assembly="Short 4", stylus="c3", pose=ACROSS, name="T4_B90_A90"),
)


@pytest.fixture
def server():
    tools = {
        n.name: (OWN.stylus("c3", n.pose).center + off, 2.0)
        for n, off in zip(NAMES, ([0.0, 0, 0], [0.02, -0.03, 0.01]), strict=True)
    }
    made = OtherServer(tools)
    yield made
    made.close()


@pytest.fixture
def cmm(server):
    made = Cmm("127.0.0.1", server.port)
    made.names = NAMES
    yield made
    made.close()


def qualified(server, cmm, uses):
    def operator(use, why):
        if why:
            threading.Timer(0.1, server.touch_by_hand, [-OWN.stylus(use.stylus, use.pose).direction]).start()

    job = Qualifying(cmm, PROBING, MachineRecord(), uses, hands(operator), lambda: NOW)
    job.run()
    return job


def test_it_is_asked_what_it_can_do_and_less_is_enough(server, cmm):
    cmm.connect()
    assert not cmm.turns
    assert cmm.tools == ("RefTool", "T4_B90_A90")
    assert cmm.identity == f"127.0.0.1:{server.port}"
    assert not cmm.says_who_it_is
    assert cmm.temperature() is None
    assert cmm.is_homed()
    assert not cmm.has_error()
    assert np.linalg.norm(cmm.where() - server.at) < 1e-6
    cmm.let_user_move(True)  # refused there, and no matter


def test_styli_are_qualified_by_the_names_that_the_machine_has_for_them(server, cmm):
    """A touch is where the tip touched, not where it was while it went back."""
    cmm.connect()
    job = qualified(server, cmm, (DOWN, SIDE))
    assert [q.verdict for q in job.done] == ["good", "good"]
    for q in job.done:
        assert q.diameter == pytest.approx(4.0, abs=2e-4)
    assert np.linalg.norm(np.array(job.record.location.center) - server.sphere) < 2e-4
    # What the machine has otherwise than the plan comes out as the offset.
    assert np.abs(np.array(job.done[1].offset)).max() < 1e-3
    assert any('ChangeTool("T4_B90_A90")' in line for line in server.seen)
    assert not server.error


def test_a_tool_that_nobody_named_is_asked_for(server, cmm):
    cmm.connect()
    cmm.names = NAMES[:1]
    with pytest.raises(DeviceError, match=r"no tool Short 4:c3: say which of its tools it is \(RefTool, T4_B90_A90\)"):
        cmm.take_stylus(PROBING, SIDE)
    cmm.names = (NAMES[0].replace(pose=None),)
    with pytest.raises(DeviceError, match="does not turn its head by command: say which of its tools is Short 4 at"):
        cmm.take_stylus(PROBING, SIDE)
    cmm.take_stylus(PROBING, DOWN)
    assert cmm.use == DOWN


def test_events_of_touches_and_keys_are_understood(server, cmm):
    cmm.connect()
    cmm.take_stylus(PROBING, DOWN)
    server.say('E0000 # KeyPress("Done")')
    server.touch_by_hand((0.0, 0.0, 1.0))
    touch = cmm.wait_for_hand_touch(lambda: None)
    assert np.linalg.norm(touch.place - server.sphere - [0, 0, 14.5]) < 1e-5
    assert cmm.link.garbage == 0


def test_an_alarm_ends_what_goes_on_and_is_told(server, cmm):
    cmm.connect()
    go = server._go

    def slow(goal):
        server.say('E0000 ! Error(2, 1009, "", "emergency stop")')
        time.sleep(0.3)
        go(goal)

    server._go = slow
    with pytest.raises(MachineRefused, match="emergency stop"):
        cmm.go_to(np.array([400.0, 500.0, -120.0]))
    server.say('E0000 ! Error(2, 1009, "", "door open")')
    end = time.monotonic() + 120
    said = []
    while "door open" not in said and time.monotonic() < end:
        said += [e.words for e in cmm.events() if isinstance(e, Said)]
        time.sleep(0.02)
    assert said == ["emergency stop", "door open"]


def test_tags_that_come_round_do_not_mix_reports_into_answers(server, cmm):
    cmm.connect()
    cmm.take_stylus(PROBING, DOWN)
    cmm.link.client._tags = itertools.chain(range(9_990, 10_000), itertools.cycle(range(1, 10_000)))
    used = {line.partition(" ")[0] for line in server.seen if "OnMoveReportE" in line}
    for k in range(40):
        target = np.array([160.0 + 0.5 * k, 150.0, -600.0])
        touch = cmm.touch(target, np.array([0.0, 0.0, 1.0]))
        assert touch.place[2] == pytest.approx(-598.0, abs=1e-4)
        assert touch.place[0] == pytest.approx(target[0], abs=1e-4)
    again = [line.partition(" ")[0] for line in server.seen if "PtMeas" in line and "Report" not in line]
    assert not used & set(again)


def test_commands_have_the_tags_that_the_standard_gives_them(server, cmm):
    cmm.connect()
    qualified(server, cmm, (DOWN,))
    cmm.stop()
    for line in server.seen:
        tag, _, call = line.partition(" ")
        name = call.partition("(")[0]
        assert (tag[0] == "E") == name.endswith("E"), line


def test_an_error_that_stands_is_found_after_a_reconnect(server, cmm):
    cmm.connect()
    cmm.take_stylus(PROBING, DOWN)
    server.error = "air pressure"
    with pytest.raises(DeviceError, match="stands still after an error"):
        reconnect(cmm, PROBING)
    cmm.clear_errors()
    assert not cmm.has_error()


def test_another_machine_behind_the_same_address_is_not_taken_for_the_first(server, cmm):
    cmm.connect()
    cmm._says = "Old Iron"
    with pytest.raises(DeviceError, match="another machine answers now"):
        reconnect(cmm, PROBING)
