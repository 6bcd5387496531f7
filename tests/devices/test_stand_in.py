import json
import socket

import numpy as np
import pytest
from numpy.testing import assert_allclose
from tests.devices.cmm_bench import SHORT

from truegauge.core.errors import DeviceError
from truegauge.core.probing.assembly import HeadPose
from truegauge.core.probing.probing import StylusUse
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm.words import ChangeByHand
from truegauge.devices.cmm_sim.hands import Hands
from truegauge.devices.cmm_sim.settings import Fault, MachineSettings, VolumetricError
from truegauge.devices.ipp.client import ConnectionLost, MachineRefused
from truegauge.devices.ipp.messages import call, read_command


def raw(port, *lines):
    """Send lines and return the replies."""
    with socket.create_connection(("127.0.0.1", port), timeout=120) as s, s.makefile("rw", newline="\r\n") as f:
        found = []
        for line in lines:
            f.write(line + "\n")
            f.flush()
            while True:
                reply = f.readline().strip()
                found.append(reply)
                if reply[6:7] == "%":
                    break
        return found


def test_the_protocol_as_it_is_on_the_wire(bench):
    port = bench().stand_in.port
    assert raw(port, "00001 Get(X())")[1].startswith("00001 ! Error(0, 0008")
    said = raw(port, "00001 StartSession()", "00002 IsHomed()", "00003 Nonsense()", "00004 GoTo(X(1", "00005 Home()",
               "00006 Get(X(), Z())", "E0007 GetErrStatusE()", "00008 EndSession()")  # fmt: skip
    assert said[:2] == ["00001 &", "00001 %"]
    assert "00002 # IsHomed(0)" in said
    assert any(s.startswith("00003 ! Error(0, 0501") for s in said)
    assert any(s.startswith("00004 ! Error(1, 0008") for s in said)
    assert "00006 # X(400), Z(0)" in said
    assert "E0007 # ErrStatus(0)" in said


def test_it_does_not_move_before_it_is_homed(bench):
    made = bench()
    made.cmm.connect()
    with pytest.raises(MachineRefused, match="home it first"):
        made.cmm.go_to(np.array([300.0, 300, -200]))


def test_it_goes_where_it_is_sent_within_its_travel(there):
    there.cmm.go_to(np.array([300.0, 310, -320]))
    assert_allclose(there.cmm.where(), [300, 310, -320], atol=1e-6)
    with pytest.raises(MachineRefused, match="beyond the travel of the Y axis"):
        there.cmm.go_to(np.array([300.0, 1400, -320]))
    assert_allclose(there.cmm.where(), [300, 310, -320], atol=1e-6)


@pytest.mark.parametrize(("lower", "what"), [(0.0, "tip 1"), (9.0, "Ball dia. 4 x 20"), (40.0, "Touch-trigger sensor"),
                                             (80.0, "Indexed head")])  # fmt: skip
def test_collisions_of_tip_stem_sensor_and_head_stop_the_machine(there, lower, what):
    # Across the ball of the sphere, with the tip so much below its middle; on a stem that leads away sideways.
    sphere = there.world.sphere
    sphere.record = sphere.record.replace(stem_tilt_deg=90.0, stem_turn_deg=90.0)
    beside = sphere.center + np.array([-90.0, 0, -lower])
    there.cmm.go_to(beside + np.array([0, 0, 150.0]))
    there.cmm.go_to(beside)
    with pytest.raises(MachineRefused, match="the reference sphere") as told:
        there.cmm.go_to(beside + np.array([180.0, 0, 0]))
    assert what in str(told.value)
    with pytest.raises(MachineRefused, match="Clear the error"):
        there.cmm.go_to(beside)
    there.cmm.clear_errors()
    there.cmm.go_to(beside)


def test_a_touch_in_the_air_says_that_nothing_was_there(there):
    with pytest.raises(MachineRefused, match="nothing was touched within 8 mm"):
        there.cmm.touch(np.array([300.0, 300, -300]), np.array([0, 0, 1.0]))
    assert not there.cmm.has_error()


def test_a_touch_on_the_sphere_is_where_its_surface_is(there):
    sphere = there.world.sphere
    touch = there.cmm.touch(sphere.center + np.array([0, 0, 12.5]), np.array([0, 0, 1.0]))
    true = there.world.true_tip().center - there.world.nominal_tip()
    # Up to the errors of the machine and the build of the probe, which shifts the place of contact on the ball.
    assert abs(touch.place[2] + true[2] - sphere.center[2] - 14.5) < 0.02


def test_poses_between_the_steps_are_refused(there):
    with pytest.raises(MachineRefused, match="between two steps"):
        there.cmm.link.ask(call("GoTo", call("Tool.A", 10.0)))
    there.cmm.take_stylus(there.probing, SHORT.replace(pose=HeadPose(tilt_deg=90.0, turn_deg=90.0)))
    assert there.cmm.pose == HeadPose(tilt_deg=90.0, turn_deg=90.0)


def test_probes_are_changed_through_the_rack_or_by_hand(there):
    there.cmm.take_stylus(there.probing, StylusUse(assembly="p2", stylus="c4"))
    assert there.world.probe.assembly.name == "Long 3"
    bare = there.probing.replace(rack=())
    there.world.rack.clear()
    with pytest.raises(ChangeByHand, match="take Long 3 off the machine and put Short 4 on"):
        there.cmm.take_stylus(bare, SHORT)
    there.world.mount("Short 4")
    there.cmm.take_stylus(bare, SHORT)
    assert there.cmm.mounted == "Short 4"


def test_a_scan_follows_the_equator_of_the_sphere(there):
    sphere = there.world.sphere.center
    x, y, z = sphere
    there.cmm.go_to(sphere + np.array([30, 0, 40]))
    lines = there.cmm.link.ask(call("ScanOnCircle", x, y, z, x + 12.5, y, z, 0, 0, 1, 90.0, 0.0, 5.0), at_most_s=20)
    places = np.array([[v.numbers()[0] for v in line[:3]] for line in lines])
    assert len(places) == 19
    assert np.ptp(np.linalg.norm(places - sphere, axis=1)) < 0.25  # the tip is not quite where it is described
    with pytest.raises(MachineRefused, match="12 numbers"):
        there.cmm.link.ask(call("ScanOnCircle", 1, 2))


def test_speeds_are_kept_in_their_range(there):
    there.cmm.set_speeds(touch_speed=3.0)
    assert there.world.touch_speed == 3.0
    with pytest.raises(MachineRefused, match=r"Tool.PtMeasPar.Speed goes from 0 to 50"):
        there.cmm.set_speeds(touch_speed=80.0)


def test_hands_move_touch_and_see(there):
    hands = Hands(there.stand_in.hands.port, there.stand_in.hands.token)
    there.cmm.let_user_move(True)
    assert hands.do("touch sphere")["touched"]
    (touch,) = _wait_for(there.cmm)
    assert np.linalg.norm(touch.place - there.world.sphere.center) == pytest.approx(14.5, abs=0.3)
    assert hands.do("look")["mounted"] == "Short 4"
    there.cmm.let_user_move(False)
    with pytest.raises(DeviceError, match="the program moves the machine now"):
        hands.do("touch sphere")
    with pytest.raises(DeviceError, match="nothing that hands can do"):
        hands.do("dance")
    hands.close()


def _wait_for(cmm):
    return [cmm.wait_for_hand_touch(lambda: None)]


def test_the_joystick_moves_while_it_is_held(there):
    hands = Hands(there.stand_in.hands.port, there.stand_in.hands.token)
    there.cmm.let_user_move(True)
    before = there.world.drive.scales.copy()
    hands.do("jog", velocity=[0, 0, -50])
    for _ in range(200):
        if there.world.drive.scales[2] < before[2] - 2:
            break
        there.world.drive.stop.wait(0.01)
    assert there.world.drive.scales[2] < before[2] - 2
    assert_allclose(there.world.drive.scales[:2], before[:2], atol=1e-9)
    hands.close()


def test_lengths_are_within_the_stated_error_of_the_machine():
    settings = MachineSettings()
    rng = np.random.default_rng(5)
    for seed in range(20):
        error = VolumetricError(settings, np.random.default_rng(seed))
        a, b = rng.uniform(*settings.travel, (2, 300, 3))
        length = np.linalg.norm(b - a, axis=1)
        off = np.linalg.norm(b + error.at(b) - a - error.at(a), axis=1) - length
        assert (np.abs(off) <= settings.mpe_a + length / settings.mpe_k).all()
        assert np.abs(off).max() > 1e-4


def test_garbage_from_a_client_leaves_the_server_working(bench):
    made = bench()
    with socket.create_connection(("127.0.0.1", made.stand_in.port), timeout=120) as s:
        s.sendall(b"\x00\xff" * 500 + b"\r\n" + json.dumps({"a": 1}).encode() + b"\r\n")
        assert b"!" in s.recv(4000)
    made.connect()
    assert made.cmm.is_homed()


def test_nothing_to_connect_to_is_said_with_what_to_do():
    with socket.create_server(("127.0.0.1", 0)) as s:
        port = s.getsockname()[1]
    with pytest.raises(ConnectionLost, match=f"no machine answers at 127.0.0.1:{port}.*is its server running"):
        Cmm("127.0.0.1", port).connect()


@pytest.mark.parametrize("text", ["", "nonsense", "cut@x", "cut@1y2"])
def test_faults_that_do_not_exist_are_refused(text):
    with pytest.raises(ValueError, match="is no fault; known: bent-stylus"):
        Fault.read(text)


def test_an_abort_ends_what_waits_and_is_cleared(bench):
    made = bench()
    made.world.drive.pace = 1.0
    port = made.stand_in.port
    with socket.create_connection(("127.0.0.1", port), timeout=120) as s, s.makefile("rw", newline="\r\n") as f:

        def say(*lines):
            f.write("".join(line + "\n" for line in lines))
            f.flush()

        def until(tag):
            found = []
            while not (found and found[-1].startswith(f"{tag} %")):
                found.append(f.readline().strip())
            return [line for line in found if line.startswith(tag)]

        say("00001 StartSession()")
        until("00001")
        say("E0001 AbortE()", "E0002 GetErrStatusE()")
        assert "E0002 # ErrStatus(0)" in until("E0002")  # nothing went on: nothing was stopped
        made.world.drive.pace = 0
        say("00003 Home()")
        until("00003")
        made.world.drive.pace = 1.0
        say("00004 GoTo(X(10), Y(900))", "00005 GoTo(X(500))", "00006 Get(X())", "E0003 AbortE()")
        for tag in ("00004", "00005", "00006"):
            assert any(line.startswith(f"{tag} ! Error(1, 0006") for line in until(tag))
        say("00007 GoTo(X(500))", "E0004 GetErrStatusE()", "00008 Get(X())")
        assert "ClearAllErrors" in until("00007")[1]
        assert any(line.startswith("00008 # X(") for line in until("00008"))
        say("E0005 GetErrStatusE()")
        assert "E0005 # ErrStatus(1)" in until("E0005")
        made.world.drive.pace = 0
        say("00009 ClearAllErrors()", "00010 GoTo(X(500))", "E0006 GetErrStatusE()", "00011 Get(X())")
        assert until("00010") == ["00010 &", "00010 %"]
        assert "00011 # X(500)" in until("00011")


def test_tags_suit_their_commands(bench):
    lines = ("00001 StartSession()", "E0002 IsHomed()", "00003 AbortE()", "E0004 GetPropE(Part.Temperature())")
    said = raw(bench().stand_in.port, *lines)
    assert any(s.startswith("E0002 ! Error(1, 0008") for s in said)
    assert any(s.startswith("00003 ! Error(1, 0008") for s in said)
    assert any(s.startswith("E0004 # Part.Temperature(20)") for s in said)


@pytest.mark.parametrize("words", [
    "PtMeas(X(300), Y(300), Z(-300), IJK(1e-200, 0, 0))", "PtMeas(X(300), Y(300), Z(-300), IJK(0, 0, 0))",
    "PtMeas(X(300), Y(300), Z(-300), IJK(1, 0))", "PtMeas(X(1e300), Y(0), Z(0))", "GoTo(X(999999))", "GoTo(X())",
    'GoTo(X("a"))', "GoTo(Tool.A(1e5), Tool.B(-1e5))", "SetProp(Tool.GoToPar.Speed(-1))", "GetProp(Nothing())",
    "ChangeTool()", "ChangeTool(3)", f'ChangeTool("{"x" * 60_000}")',
    "ScanOnCircle(0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0)", "ScanOnLine(1)", "OnPtMeasReport(X())",
    "OnMoveReport(Time(-1))", "SetCoordSystem(TheirCsy)", "Get()", "FindTool(X(1))",
])  # fmt: skip
def test_no_numbers_and_words_end_the_session(there, words):
    with pytest.raises(DeviceError):
        there.cmm.link.ask(read_command(f"00001 {words}").call, at_most_s=20.0)
    assert there.cmm.is_connected
    there.cmm.clear_errors()
    there.cmm.where()


def test_a_touch_without_a_direction_comes_from_where_it_stands(there):
    above = there.world.sphere.center + np.array([0, 0, 40.0])
    there.cmm.go_to(np.array([above[0], above[1], -300.0]))
    there.cmm.go_to(above)
    x, y, z = (float(v) for v in there.world.sphere.center + np.array([0, 0, 12.5]))
    lines = there.cmm.link.ask(call("PtMeas", call("X", x), call("Y", y), call("Z", z)))
    assert dict((v.name, v.numbers()) for v in lines[-1])["Z"][0] == pytest.approx(z + 2.0, abs=0.05)


def test_names_are_spelled_as_the_standard_has_them(bench):
    said = raw(bench().stand_in.port, "00001 StartSession()", "00002 GetCoordSystem()")
    assert "00002 # CoordSystem(MachineCsy)" in said
