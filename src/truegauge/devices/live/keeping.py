"""What came from a device, on disk before the device may forget it: a program that is killed loses nothing confirmed.

A file a device: frames as they go over the line (`wire`). The first says whose it is, and since when it runs.
"""

import contextlib
import os
from pathlib import Path

from truegauge.core.errors import FormatError
from truegauge.devices.live.messages import Button, Hello, Item, Reading, Touch, from_device
from truegauge.devices.live.wire import BLOCK, Block, WireError, block_frame, first_frame, message_frame
from truegauge.formats.growing import append_whole, take_alone

ENDING = ".tglive"


class Kept:
    """An open file; one program at a time has it."""

    def __init__(self, path: Path, file: int, hello: Hello, items: list[Item | Block]) -> None:
        self.path, self.hello = path, hello
        self.items = items  # that were there when it was opened
        self.last = items[-1].seq if items else hello.oldest - 1
        self._file = file

    @staticmethod
    def begin(path: Path, hello: Hello) -> "Kept":
        """Begin anew with a device: what there was goes.

        Raises
        ------
        FormatError
            It cannot be written, or another program has it.
        """
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
        except OSError as error:
            raise FormatError(path, f"what the device measures cannot be kept ({error.strerror})") from error
        made = Kept(path, file, hello, [])
        try:
            _lock(path, file)
            os.ftruncate(file, 0)
            made._append(message_frame(hello.model_dump()))
        except FormatError:
            made.close()
            raise
        return made

    @staticmethod
    def go_on(path: Path) -> "Kept":
        """Open what was kept; an end that was not written whole is left out, and comes again from the device.

        Raises
        ------
        FormatError
            There is none, it is damaged from its beginning on, or another program has it.
        """
        try:
            file = os.open(path, os.O_RDWR | os.O_CLOEXEC)
        except OSError as error:
            raise FormatError(path, f"what was measured cannot be read ({error.strerror})") from error
        try:
            _lock(path, file)
            with os.fdopen(os.dup(file), "rb") as stream:
                data = stream.read()
            hello, items, size = _whole(path, data)
            os.ftruncate(file, size)
            os.lseek(file, 0, os.SEEK_END)
        except BaseException:
            os.close(file)
            raise
        return Kept(path, file, hello, items)

    def keep(self, items: list[Item | Block]) -> int:
        """Write what came; it is on the disk when this returns. Returns up to which number may be confirmed.

        Raises
        ------
        FormatError
            It cannot be written, and what there was is as before: the device keeps it meanwhile.
        """
        new = [i for i in items if i.seq > self.last]
        if new:
            self._append(b"".join(
                block_frame(i) if isinstance(i, Block) else message_frame(i.model_dump()) for i in new))  # fmt: skip
            self.last = new[-1].seq
        return self.last

    def close(self) -> None:
        """Let go of it; it can be gone on with."""
        if self._file >= 0:
            os.close(self._file)
            self._file = -1

    def end(self) -> None:
        """Take it away: what was measured is saved elsewhere."""
        self.close()
        with contextlib.suppress(OSError):
            self.path.unlink()

    def _append(self, data: bytes) -> None:
        append_whole(self.path, self._file, data, "what the device measured cannot be kept ({})")


def _lock(path: Path, file: int) -> None:
    take_alone(path, file, "another program measures with this device")


def _whole(path: Path, data: bytes) -> tuple[Hello, list[Item | Block], int]:
    """Return what a file holds up to the first thing that is not whole, and how many bytes that is."""
    hello: Hello | None = None
    items: list[Item | Block] = []
    view, at = memoryview(data), 0
    while True:
        try:
            found = first_frame(view[at:])
            if found is None:
                break
            frame, size = found
            made = frame.block() if frame.kind == BLOCK else from_device(frame.message())
        except WireError:
            break
        if isinstance(made, Hello) and hello is None:
            hello = made
        elif hello is not None and isinstance(made, Touch | Button | Reading | Block):
            items.append(made)
        else:
            break
        at += size
    if hello is None:
        raise FormatError(path, "it does not say which device it belongs to: it is damaged")
    return hello, items, at
