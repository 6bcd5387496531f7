"""Who may have the machine: hands only with a token, one program at a time, and nobody for ever who says nothing."""

import json
import socket
import subprocess
import sys
import time

import pytest
from tests.devices.cmm_bench import Bench

from truegauge.core.errors import DeviceError
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm_sim.hands import Hands
from truegauge.devices.ipp.client import ConnectionLost, IppClient, MachineRefused
from truegauge.devices.ipp.messages import call


@pytest.fixture
def made():
    own = Bench()
    yield own
    own.close()


def opened(port, *said):
    """Return a connection on which something was said, whatever is answered."""
    s = socket.create_connection(("127.0.0.1", port), timeout=300)
    for line in said:
        s.sendall(line)
    return s


def ended(s):
    """Read until the other side ends the connection (a socket that is never ended times out)."""
    said = b""
    try:
        while piece := s.recv(4096):
            said += piece
    except ConnectionError:
        pass
    s.close()
    return said


def test_hands_are_closed_unless_asked_for_and_need_the_token():
    command = [sys.executable, "-m", "truegauge.cli", "cmm-sim", "--port", "0", "--until-closed"]
    for more, known in (([], {"port"}), (["--hands", "0"], {"port", "hands", "token"})):
        with subprocess.Popen([*command, *more], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True) as process:
            said = json.loads(process.stdout.readline())
            assert set(said) == known
            if "hands" in said:
                with pytest.raises(DeviceError, match="the token is wrong"):
                    Hands(said["hands"], "0" * 32)
                hands = Hands(said["hands"], said["token"])
                assert hands.do("look")["homed"] is False
                hands.close()
            process.stdin.close()
            assert process.wait(120) == 0


@pytest.mark.parametrize("said", [
    b'{"do": "power", "on": false}\n', b'{"do": "enter"}\n', b'{"do": "enter", "token": null}\n',
    b'{"do": "enter", "token": ""}\n', b'["enter"]\n', b"\xff\xfe\n", b"[" * 300 + b"\n", b"x" * 5000 + b"\n",
    b'{"do": "enter", "token": "\xc3\xa4"}\n',
])  # fmt: skip
def test_nothing_is_done_by_hand_without_the_token(made, said):
    s = opened(made.stand_in.hands.port, said, b'{"do": "power", "on": false}\n')
    assert b'"ok": true' not in ended(s)
    assert made.stand_in.server.powered
    made.connect()
    assert made.cmm.is_homed()


def test_a_second_program_is_refused_in_words_and_the_first_goes_on(made):
    made.connect()
    made.stand_in.server.ending_s = 0.3
    for second in (Cmm("127.0.0.1", made.stand_in.port), Cmm("localhost", made.stand_in.port)):
        with pytest.raises(MachineRefused, match="another program is connected"):
            second.connect()
    made.cmm.where()
    made.cmm.close()
    second.connect()
    assert second.is_homed()
    second.close()


@pytest.mark.parametrize("said", [
    (), (b"00001 Start",), (b"\n" * 50,), (b"00001 GetDMEVersion()\r\n",), (b"00001 IsHomed()\r\n",),
    (b"00001 StartSession()\r\n", b"00002 EndSession()\r\n"),
])  # fmt: skip
def test_who_opens_no_session_is_let_go(made, said):
    made.stand_in.server.greeted_s = 0.3
    s = opened(made.stand_in.port, *said)
    ended(s)
    made.connect()
    assert made.cmm.is_homed()


def test_who_keeps_saying_something_without_a_session_is_let_go_too(made):
    made.stand_in.server.greeted_s = 0.4
    s = opened(made.stand_in.port)
    end = time.monotonic() + 120
    is_cut = False
    while not is_cut and time.monotonic() < end:
        try:
            s.sendall(b"00001 GetDMEVersion()\r\n")
        except OSError:
            is_cut = True
        time.sleep(0.02)
    assert is_cut
    s.close()


def test_a_session_that_says_nothing_ends_when_somebody_else_asks(made):
    server = made.stand_in.server
    server.quiet_s = 0.3
    silent = opened(made.stand_in.port, b"00001 StartSession()\r\n")
    assert silent.recv(100).startswith(b"00001 &")
    time.sleep(0.5)
    made.connect()
    ended(silent)
    # Who waits for touches by hand says something now and then, and is not ended.
    made.cmm.link.client.watch(0.05)
    time.sleep(0.6)
    server.ending_s = 0.3
    with pytest.raises(MachineRefused, match="another program is connected"):
        Cmm("127.0.0.1", made.stand_in.port).connect()
    made.cmm.where()


def test_who_never_reads_does_not_hold_the_machine(made):
    server = made.stand_in.server
    server.greeted_s = server.quiet_s = 0.3
    s = socket.socket()
    s.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 2048)
    s.connect(("127.0.0.1", made.stand_in.port))
    s.settimeout(20)
    s.sendall(b"00001 StartSession()\r\n")
    try:
        for _ in range(4000):
            s.sendall(b"00002 GetDMEVersion()\r\n" * 100)
    except OSError:
        pass
    made.connect()
    assert made.cmm.is_homed()
    s.close()


def test_a_machine_that_is_silent_while_touches_are_waited_for_is_told():
    """Without power nothing closes the connection: it just does not answer any more."""
    with socket.create_server(("127.0.0.1", 0)) as listening:
        client = IppClient("127.0.0.1", listening.getsockname()[1])
        client.answer_s = 0.3
        there, _ = listening.accept()
        client.watch(0.05)
        end = time.monotonic() + 120
        while not client.is_lost and time.monotonic() < end:
            time.sleep(0.02)
        assert b"GetErrStatusE" in there.recv(1000)
        with pytest.raises(ConnectionLost, match="does not answer any more"):
            client.ask(call("IsHomed"))
        there.close()
        client.close()
