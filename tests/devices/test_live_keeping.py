"""What a device measured is on the disk before it is confirmed: killed at any byte, full disks, second programs."""

import os
import signal
import subprocess
import sys
import time

import numpy as np
import pytest
from tests.devices.test_live_line import ABOUT, block, connected, measure, told, until

from truegauge.core.errors import FormatError
from truegauge.devices.live.client import LiveClient
from truegauge.devices.live.keeping import Kept
from truegauge.devices.live.messages import Reading, Touch
from truegauge.devices.live.server import LiveServer
from truegauge.devices.live.wire import Block


def things(count=9):
    """Return different things, numbered."""
    made = []
    for k in range(1, count + 1):
        if k % 3 == 0:
            made.append(block(k, 40)(k, k / 2))
        else:
            made.append(Touch(seq=k, time=k / 2, place=(float(k), 0.0, 0.0), stem=(0.0, 0.0, 1.0), radius=3.0))
    return made


def same(a, b):
    if isinstance(a, Block):
        return isinstance(b, Block) and (a.seq, a.time) == (b.seq, b.time) and np.array_equal(a.places, b.places)
    return a == b


def test_what_is_kept_is_there_again(tmp_path):
    items = things()
    kept = Kept.begin(tmp_path / "arm.tglive", ABOUT)
    assert kept.keep(items[:4]) == 4
    assert kept.keep(items[2:7]) == 7  # what came twice is kept once
    kept.close()
    again = Kept.go_on(tmp_path / "arm.tglive")
    assert (again.hello, again.last, len(again.items)) == (ABOUT, 7, 7)
    assert all(same(a, b) for a, b in zip(again.items, items, strict=False))
    assert again.keep(items) == 9
    again.close()
    assert Kept.go_on(tmp_path / "arm.tglive").last == 9


def test_a_file_that_ends_anywhere_gives_what_was_whole(tmp_path):
    items, path = things(6), tmp_path / "arm.tglive"
    kept = Kept.begin(path, ABOUT)
    sizes = [path.stat().st_size]
    for item in items:
        kept.keep([item])
        sizes.append(path.stat().st_size)
    kept.close()
    whole = path.read_bytes()
    for end in {*range(sizes[0], len(whole) + 1, 37), *sizes, *(s - 1 for s in sizes[1:])}:
        path.write_bytes(whole[:end])
        again = Kept.go_on(path)
        there = sum(s <= end for s in sizes) - 1
        assert [i.seq for i in again.items] == list(range(1, there + 1))
        assert again.keep(items) == 6
        again.close()
        assert path.read_bytes() == whole
    path.write_bytes(whole[: sizes[0] - 1])
    with pytest.raises(FormatError, match="which device it belongs to"):
        Kept.go_on(path)


def test_damage_in_the_middle_costs_only_what_follows_it(tmp_path):
    path = tmp_path / "arm.tglive"
    kept = Kept.begin(path, ABOUT)
    kept.keep(things(2))
    size = path.stat().st_size
    kept.keep(things(6))
    kept.close()
    data = bytearray(path.read_bytes())
    data[size + 20] ^= 0xFF
    path.write_bytes(data)
    assert Kept.go_on(path).last == 2


def test_a_second_program_and_a_disk_that_is_full_are_told(tmp_path, monkeypatch):
    kept = Kept.begin(tmp_path / "arm.tglive", ABOUT)
    for begin in (lambda: Kept.begin(tmp_path / "arm.tglive", ABOUT), lambda: Kept.go_on(tmp_path / "arm.tglive")):
        with pytest.raises(FormatError, match="another program measures"):
            begin()
    kept.keep(things(2))
    size = (tmp_path / "arm.tglive").stat().st_size
    write = os.write

    def full(file, data):
        if len(data) > 100:
            return write(file, data[:100])
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "write", full)
    with pytest.raises(FormatError, match="No space left"):
        kept.keep(things(4))
    monkeypatch.undo()
    assert (kept.last, (tmp_path / "arm.tglive").stat().st_size) == (2, size)
    assert kept.keep(things(4)) == 4
    kept.end()
    assert not (tmp_path / "arm.tglive").exists()
    with pytest.raises(FormatError, match="cannot be read"):
        Kept.go_on(tmp_path / "arm.tglive")


PROGRAM = """
import sys
from pathlib import Path
from truegauge.devices.live.client import LiveClient
from truegauge.devices.live.keeping import Kept
from truegauge.devices.live.messages import Button, Reading, Touch
from truegauge.devices.live.wire import Block
path, port = Path(sys.argv[1]), int(sys.argv[2])
kept = Kept.go_on(path) if path.exists() else None
client = LiveClient("127.0.0.1", port, after=kept.last if kept else 0, known=kept.hello if kept else None)
hello = client.connect()
kept = kept or Kept.begin(path, hello)
print("ready", flush=True)
while True:
    items = [e for e in client.events(0.5) if isinstance(e, (Touch, Button, Reading, Block))]
    if items:
        client.confirm(kept.keep(items))
"""


def test_a_program_that_is_killed_again_and_again_loses_and_doubles_nothing(tmp_path):
    """By SIGKILL, while things come; the next one goes on where the file ends."""
    server, path, rng = LiveServer(ABOUT), tmp_path / "arm.tglive", np.random.default_rng(8)
    made = 0
    for _ in range(5):
        program = subprocess.Popen([sys.executable, "-c", PROGRAM, str(path), str(server.port)],
                                   stdout=subprocess.PIPE, text=True)  # fmt: skip
        with program:
            assert program.stdout.readline().strip() == "ready"
            for _ in range(12):
                measure(server, 1, first=made)
                made += 1
                time.sleep(float(rng.uniform(0, 0.01)))
            program.send_signal(signal.SIGKILL)
        end = time.monotonic() + 120
        while server.is_used and time.monotonic() < end:
            time.sleep(0.01)
    kept = Kept.go_on(path)
    client = LiveClient("127.0.0.1", server.port, after=kept.last, known=kept.hello)
    connected(client)
    left = made - kept.last
    rest = [e for e in until(client, lambda e: len(told(e)) == left) if isinstance(e, Touch | Reading | Block)]
    assert told([*kept.items, *rest]) == list(range(made))
    client.close()
    kept.close()
    server.close()
