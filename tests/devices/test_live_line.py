"""The line of the device protocol: whatever happens to it, everything comes once, in its order, or is told as gone."""

import json
import socket
import struct
import time
import zlib

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from truegauge.core.errors import DeviceError
from truegauge.devices.live import client as client_module
from truegauge.devices.live import server as server_module
from truegauge.devices.live.client import Gone, LineState, LiveClient
from truegauge.devices.live.device import LiveDevice
from truegauge.devices.live.faults import LINE_FAULTS, line_fault
from truegauge.devices.live.messages import At, Beat, Button, Confirm, Hello, Reading, Touch, Warned, from_device
from truegauge.devices.live.outbox import Outbox
from truegauge.devices.live.server import LiveServer
from truegauge.devices.live.wire import BLOCK, MAGIC, Block, Frames, WireError, block_frame, message_frame
from truegauge.devices.protocol import PointBlock

ABOUT = Hello(device="arm", name="Arm 7", serial="A-7", boot="-", series="-", time=0.0, radius=3.0)
COUNT = 14  # numbered things of a session


def touch(x):
    return lambda seq, t: Touch(seq=seq, time=t, place=(float(x), 0.0, 0.0), stem=(0.0, 0.0, 1.0), radius=3.0)


def block(x, n=200):
    rng = np.random.default_rng(x)
    places, grey = rng.normal(size=(n, 3)) + x, rng.integers(0, 256, n).astype(np.uint8)
    return lambda seq, t: Block(seq, t, places, rng.normal(size=(n, 3)).astype(np.float32), grey)


def measure(server, count=COUNT, first=0):
    """Measure different things, a number each; x tells them apart."""
    for x in range(first, first + count):
        match x % 4:
            case 0 | 2:
                server.put(touch(x))
            case 1:
                server.put(lambda seq, t, x=x: Reading(seq=seq, time=t, of="air", value=float(x)))
            case _:
                server.put(block(x))


def told(events):
    """Return which things came (their x), in their order."""
    found = []
    for e in events:
        if isinstance(e, Touch):
            found.append(round(e.place[0]))
        elif isinstance(e, Reading):
            found.append(round(e.value))
        elif isinstance(e, Block):
            found.append(round(float(e.places.mean())))
    return found


def until(client, enough, patience=120.0):
    """Return the events until there are enough."""
    events, end = [], time.monotonic() + patience
    while not enough(events):
        assert time.monotonic() < end, (told(events), [e for e in events if isinstance(e, (LineState, Warned, Gone))])
        events += client.events(0.05)
    return events


def connected(client):
    """Connect as soon as the program before is known to be gone."""
    deadline = time.monotonic() + 120
    while True:
        try:
            return client.connect()
        except DeviceError:
            assert time.monotonic() < deadline
            time.sleep(0.05)


@pytest.fixture
def line():
    """Make a device and a program that is connected to it; all are closed."""
    made = []

    def make(faults=(), about=ABOUT, **given):
        server = LiveServer(about, faults=[line_fault(f) for f in faults], **given)
        client = LiveClient("127.0.0.1", server.port)
        made.extend((client, server))
        client.connect()
        return server, client

    yield make
    for one in made:
        one.close()


@pytest.mark.parametrize("name", [n for n in LINE_FAULTS if n not in ("forget", "reset")])
@pytest.mark.parametrize("at", range(1, COUNT + 1))
def test_nothing_is_lost_or_doubled_whatever_happens_with_any_frame(line, name, at):
    server, client = line([f"{name}@{at}x0.2" if name != "clock" else f"clock@{at}x40"])
    measure(server)
    events = until(client, lambda e: len(told(e)) >= COUNT)
    time.sleep(0.05)
    events += client.events()
    assert told(events) == list(range(COUNT))
    assert not [e for e in events if isinstance(e, Gone)]
    assert server.frames >= at
    places = [e.places for e in events if isinstance(e, Block)]
    assert all(np.array_equal(p, block(x)(1, 0.0).places) for p, x in zip(places, range(3, COUNT, 4), strict=False))
    words = [e.words for e in events if isinstance(e, Warned)]
    assert any("switched off and on" in w for w in words) == (name == "restart")
    assert [e.state for e in events if isinstance(e, LineState)][-1] == "open"


@pytest.mark.parametrize("at", range(1, COUNT + 1))
def test_what_a_device_has_forgotten_is_told_by_its_numbers(line, at):
    """Of all that it measured each number came, or is told as gone: never neither, never both."""
    server, client = line([f"forget@{at}"])
    with server._changed:  # all is there before the first is sent: there is something to forget, whatever is slow
        measure(server)
    events = until(client, lambda e: any(isinstance(x, Gone) for x in e) or len(told(e)) == COUNT)
    measure(server, 3, first=COUNT)
    events += until(client, lambda e: COUNT + 2 in told(e))
    gone = {k - 1 for e in events if isinstance(e, Gone) for k in range(e.first, e.last + 1)}
    came = told(events)
    assert gone
    assert gone.isdisjoint(came)
    assert sorted(gone | set(came)) == list(range(COUNT + 3))
    assert came == sorted(set(came))


@pytest.mark.parametrize("at", range(1, COUNT + 1))
@pytest.mark.parametrize("more", [2, COUNT + 6])
def test_a_device_that_counts_from_one_again_loses_nothing_of_what_it_measures_then(line, at, more):
    """Also where it has measured more by then than the program had seen: the same numbers are other things."""
    server, client = line([f"reset@{at}"])
    measure(server)
    events = until(client, lambda e: any(isinstance(x, Warned) and "lost its memory" in x.words for x in e))
    client._shut()
    measure(server, more, first=COUNT)
    events += until(client, lambda e: COUNT + more - 1 in told(e))
    came = told(events)
    assert [x for x in came if x >= COUNT] == list(range(COUNT, COUNT + more))
    assert len(set(came)) == len(came)


def test_what_was_taken_of_a_series_before_confirms_nothing_of_the_next(line):
    server, client = line()
    measure(server)
    until(client, lambda e: len(told(e)) == COUNT)
    server.restart("reset")
    server._line.cut()
    until(client, lambda e: any(isinstance(x, LineState) and x.state == "open" for x in e))
    client.confirm(COUNT)
    measure(server, 4, first=COUNT)
    client.confirm(COUNT)
    assert told(until(client, lambda e: len(told(e)) == 4)) == list(range(COUNT, COUNT + 4))


def test_no_more_is_confirmed_than_was_taken(line, monkeypatch):
    """Something that comes between taking and confirming stays with the device."""
    server = LiveServer(ABOUT)
    device = LiveDevice("127.0.0.1", server.port)
    device.connect()
    server.put(touch(0))
    while not device.has(1):
        time.sleep(0.005)
    take = device._client.events

    def slow():
        found = take()
        if any(isinstance(e, Touch) for e in found):
            server.put(touch(1))
            while not device.has(2):
                time.sleep(0.005)
        return found

    monkeypatch.setattr(device._client, "events", slow)
    assert len([e for e in device.events() if isinstance(e, PointBlock)]) == 1
    device.confirm(device.taken)
    time.sleep(0.2)
    assert server.unconfirmed == 1
    monkeypatch.undo()
    assert len([e for e in device.events() if isinstance(e, PointBlock)]) == 1
    device.confirm(device.taken)
    end = time.monotonic() + 120
    while server.unconfirmed and time.monotonic() < end:
        time.sleep(0.01)
    assert server.unconfirmed == 0
    device.close()
    server.close()


def test_what_did_not_fit_into_the_device_is_named_and_the_rest_comes():
    server = LiveServer(ABOUT, most_bytes=3000)
    for x in range(40):
        server.put(touch(x))
    kept = server.unconfirmed
    assert 5 < kept < 40
    client = LiveClient("127.0.0.1", server.port, after=2, known=server.hello())
    client.connect()
    events = until(client, lambda e: 39 in told(e))
    assert [(e.first, e.last) for e in events if isinstance(e, Gone)] == [(3, 40 - kept)]
    assert told(events) == list(range(40 - kept, 40))
    client.close()
    server.close()


def test_what_a_slow_line_could_not_send_in_time_is_named_and_the_rest_comes(monkeypatch):
    """It is open all the time: nobody would ever fill that gap if the device went on."""
    monkeypatch.setattr(server_module, "_BATCH", 1)
    server = LiveServer(ABOUT, most_bytes=3000)
    client = LiveClient("127.0.0.1", server.port)
    client.connect()
    server.put(touch(0))
    events = until(client, lambda e: told(e) == [0])
    with server._changed:  # more than it can keep, faster than it can send
        for x in range(1, 40):
            server.put(touch(x))
        oldest = server._outbox.oldest
    events += until(client, lambda e: 39 in told(e))
    gone = [k - 1 for e in events if isinstance(e, Gone) for k in range(e.first, e.last + 1)]
    assert len(gone) >= oldest - 2 > 5
    assert gone + told(events)[1:] == list(range(1, 40))
    client.close()
    server.close()


def test_a_program_that_asks_for_all_gets_what_is_there():
    """What the greeting said is gone is no reason to close the line again and again."""
    server = LiveServer(ABOUT, most_bytes=3000)
    for x in range(40):
        server.put(touch(x))
    frames, came = Frames(), []
    with socket.create_connection(("127.0.0.1", server.port), timeout=120) as connection:
        connection.sendall(message_frame({"type": "resume", "after": 0, "program": "another"}))
        while not came or came[-1] != 39:
            data = connection.recv(1 << 16)
            assert data
            came += told([from_device(f.message()) for f in frames.feed(data)])
    assert came == list(range(came[0], 40))
    server.close()


@given(st.lists(st.integers(0, 5), max_size=8))
def test_a_beat_tells_no_number_that_was_not_sent(counts):
    """What is measured between a batch and the beat after it is on its way: nothing is asked for again."""
    server = LiveServer(ABOUT)
    ours, theirs = socket.socketpair()
    line, frames, came = server_module._Line(server, ours), Frames(), 0
    for count in counts:
        line._send_items()
        measure(server, count)
        line._send_others(0.0)
        for frame in frames.feed(theirs.recv(1 << 20)):
            item = frame.block() if frame.kind == BLOCK else from_device(frame.message())
            if isinstance(item, Beat):
                assert item.next == came + 1
            else:
                came = item.seq
    assert came == sum(counts[:-1])
    line.cut()
    theirs.close()
    server.close()


def test_what_is_not_confirmed_is_there_for_the_next_program(line):
    """Killed: the next one says up to where the first has kept everything."""
    server, client = line()
    measure(server)
    until(client, lambda e: len(told(e)) == COUNT)
    client.confirm(6)
    deadline = time.monotonic() + 120
    while server.unconfirmed != COUNT - 6:
        assert time.monotonic() < deadline
        time.sleep(0.01)
    client.close()
    again = LiveClient("127.0.0.1", server.port, after=6, known=server.hello())
    connected(again)
    assert told(until(again, lambda e: len(told(e)) == COUNT - 6)) == list(range(6, COUNT))
    again.close()


def test_a_line_that_is_silent_is_given_up_and_opened_again(line, monkeypatch):
    monkeypatch.setattr(client_module, "QUIET_S", 0.7)
    server, client = line(["stall@4x1.6"])
    measure(server)
    events = until(client, lambda e: len(told(e)) >= COUNT)
    assert told(events) == list(range(COUNT))
    assert any("nothing was heard" in e.words for e in events if isinstance(e, LineState))


def test_a_clock_that_jumps_is_told_once(line, monkeypatch):
    monkeypatch.setattr(server_module, "BEAT_S", 0.05)
    server, client = line()
    until(client, lambda e: any(isinstance(x, LineState) for x in e))
    time.sleep(0.3)
    server.jump(-300.0)
    events = until(client, lambda e: any(isinstance(x, Warned) for x in e))
    time.sleep(0.3)
    events += client.events()
    assert ["jumped by -300.0 s" in e.words for e in events if isinstance(e, Warned)] == [True]


def test_one_program_at_a_time_and_the_second_is_told(line):
    server, client = line()
    until(client, lambda e: any(isinstance(x, LineState) for x in e))
    with pytest.raises(DeviceError, match="another program is connected"):
        LiveClient("127.0.0.1", server.port).connect()
    measure(server, 3)
    assert told(until(client, lambda e: len(told(e)) == 3)) == [0, 1, 2]


def test_nobody_there_is_said_with_what_to_do():
    with socket.create_server(("127.0.0.1", 0)) as listening:
        port = listening.getsockname()[1]
    with pytest.raises(DeviceError, match="switched on"):
        LiveClient("127.0.0.1", port).connect()


def test_of_places_on_the_way_only_the_last_is_told(line):
    server, client = line()
    for x in range(400):
        server.show(At(time=server.clock(), place=(float(x), 0.0, 0.0)))
    time.sleep(0.3)
    events = until(client, lambda e: any(isinstance(a, At) and a.place[0] == 399 for a in e))
    assert sum(isinstance(e, At) for e in events) < 400
    assert client.last == 0


def test_a_program_that_talks_nonsense_does_not_disturb_the_device(line):
    server, client = line()
    client.close()
    for bytes_ in (b"GET / HTTP/1.1\r\n\r\n", message_frame({"type": "resume"}),
                   message_frame({"type": "resume", "after": -1}),
                   struct.pack(">2sBI", MAGIC, ord("J"), 1 << 30)):  # fmt: skip
        with socket.create_connection(("127.0.0.1", server.port)) as raw:
            raw.recv(10)
            raw.sendall(bytes_)
            time.sleep(0.05)
    measure(server, 2)
    again = LiveClient("127.0.0.1", server.port)
    connected(again)
    assert told(until(again, lambda e: len(told(e)) == 2)) == [0, 1]
    again.close()


# Frames -----------------------------------------------------------------------------------------------------------


@given(st.lists(st.integers(1, 60), min_size=1, max_size=12), st.integers(0, 2**32))
def test_frames_come_whole_however_the_bytes_are_cut(sizes, seed):
    rng = np.random.default_rng(seed)
    blocks = [Block(k, k / 7, rng.normal(size=(n, 3)), None if n % 2 else rng.normal(size=(n, 3)).astype(np.float32),
                    None if n % 3 else rng.integers(0, 256, n).astype(np.uint8))
              for k, n in enumerate(sizes, 1)]  # fmt: skip
    data = b"".join(block_frame(b) for b in blocks) + message_frame({"type": "beat", "time": 1.5})
    cuts = np.sort(rng.integers(0, len(data), 9))
    reader = Frames()
    found = [f for a, b in zip([0, *cuts], [*cuts, len(data)], strict=True) for f in reader.feed(data[a:b])]
    assert len(found) == len(blocks) + 1
    for frame, own in zip(found, blocks, strict=False):
        made = frame.block()
        assert (made.seq, made.time) == (own.seq, own.time)
        for a, b in ((made.places, own.places), (made.beams, own.beams), (made.intensities, own.intensities)):
            assert (a is None and b is None) or np.array_equal(a, b)
    assert found[-1].message() == {"type": "beat", "time": 1.5}


@given(st.binary(max_size=60), st.integers(0, 400), st.integers(1, 255))
def test_damage_is_seen(tail, at, change):
    data = bytearray(block_frame(block(3, 10)(5, 1.0)))
    at %= len(data)
    data[at] ^= change
    reader = Frames()
    try:
        frames = reader.feed(bytes(data) + tail)
    except WireError:
        return
    # A length that was damaged has it wait for more; what comes then is no frame.
    assert not frames


def test_a_block_that_lies_about_itself_is_refused():
    good = block_frame(block(1, 4)(2, 0.0))
    payload = good[7:-4]
    for wrong in (payload[:-1], payload[:10], payload[:17] + struct.pack("<I", 5) + payload[21:],
                  payload[:21] + struct.pack("<d", float("nan")) + payload[29:]):  # fmt: skip
        whole = (
            struct.pack(">2sBI", MAGIC, ord("B"), len(wrong)) + wrong + struct.pack(">I", zlib.crc32(wrong, ord("B")))
        )
        (frame,) = Frames().feed(whole)
        with pytest.raises(WireError):
            frame.block()


@pytest.mark.parametrize(
    ("message", "words"),
    [
        ({"type": "touch", "seq": 1}, "touch"), ({"type": "what"}, "what"), ({}, "without a type"),
        ({"type": "touch", "seq": 0, "time": 0.0, "place": [0, 0, 0], "stem": [0, 0, 1], "radius": 1.0}, "seq"),
        ({"type": "touch", "seq": 1, "time": 0.0, "place": [0.0, 1e300, 0.0], "stem": [0, 0, 1], "radius": 1.0},
         "place"),
        ({"type": "reading", "seq": 1, "time": 0.0, "of": "moon", "value": 1.0}, "of"),
        ({"type": "hello", "device": "arm", "name": "", "boot": "x", "series": "s", "time": 0.0}, "name"),
    ],
)  # fmt: skip
def test_a_message_that_is_wrong_says_what_and_where(message, words):
    with pytest.raises(WireError, match=words):
        from_device(message)


def test_a_newer_device_is_refused_with_what_to_do():
    server = LiveServer(ABOUT.replace(version=99))
    try:
        with pytest.raises(DeviceError, match="version 99 of the device protocol, this program 1: take a newer"):
            LiveClient("127.0.0.1", server.port).connect()
    finally:
        server.close()


@given(st.lists(st.tuples(st.sampled_from(["put", "confirm"]), st.integers(0, 30)), max_size=60))
def test_an_outbox_keeps_exactly_what_is_not_confirmed(steps):
    box, there, high = Outbox(10**9), {}, 0
    for what, n in steps:
        if what == "put":
            for _ in range(n % 4):
                seq = box.put(lambda k: json.dumps(k).encode())
                there[seq] = str(seq).encode()
        else:
            high = max(high, n)
            box.confirm(n)
            there = {k: v for k, v in there.items() if k > n}
    assert dict(box.since(0, 1000)) == there
    assert box.oldest == (min(there) if there else box.next)
    for after in (0, 3, box.next):
        assert [k for k, _ in box.since(after, 5)] == [k for k in sorted(there) if k > after][:5]


def test_messages_hold_what_they_say():
    for message in (Button(seq=3, time=1.0, number=1, down=True), ABOUT, Warned(words="x")):
        assert from_device(json.loads(json.dumps(message.model_dump()))) == message
    assert Confirm(up_to=3).model_dump()["type"] == "confirm"
