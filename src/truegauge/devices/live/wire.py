"""Frames on the line: a header; a JSON message, a block of points or a picture; a check sum. See docs/formats.md."""

import json
import struct
import zlib
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Points

MAGIC = b"TG"
JSON, BLOCK, PICTURE = ord("J"), ord("B"), ord("P")
MOST_BYTES = 16_000_000  # of a frame
_HEADER = struct.Struct(">2sBI")  # magic, kind, length of what follows
_CHECK = struct.Struct(">I")
_ABOUT = struct.Struct("<QdBI")  # of a block: number, seconds, columns, points
_OF_PICTURE = struct.Struct("<QdII")  # number, seconds, rows, columns
_BEAMS, _INTENSITIES = 1, 2
_PLACE, _BEAM, _INTENSITY = 24, 12, 1  # bytes a point


class WireError(ValueError):
    """What came is no frame, or was damaged on its way."""


@dataclass(frozen=True, slots=True, eq=False)
class Block:
    """Points of a scan in the order in which they were measured, mm in the coordinates of the device.

    `seq` numbers it among all that the device has measured, `time` is by the device's clock, s. `beams` (n, 3) lead
    from the points to the sensor (unit), `intensities` (n,) are 0 to 255; None where the device does not tell.
    """

    seq: int
    time: float
    places: Points
    beams: NDArray[np.float32] | None = None
    intensities: NDArray[np.uint8] | None = None

    def __len__(self) -> int:
        return len(self.places)


@dataclass(frozen=True, slots=True, eq=False)
class Picture:
    """What a camera sees: grey values (rows, columns), 0 dark; the next one replaces it, none is kept.

    `number` counts all that it took, so that it is seen when some were left out; `time` is by its clock, s.
    """

    number: int
    time: float
    pixels: NDArray[np.uint8]


@dataclass(frozen=True, slots=True)
class Frame:
    """One frame: its kind, and what it carries."""

    kind: int
    payload: bytes

    def message(self) -> dict[str, Any]:
        """Return the message of a JSON frame (WireError: it is none)."""
        try:
            found = json.loads(self.payload)
        except ValueError as error:
            raise WireError(f"a message is no JSON ({error})") from None
        if not isinstance(found, dict):
            raise WireError("a message is no JSON object")
        return found

    def block(self) -> Block:
        """Return the block of points (WireError: it is none)."""
        if len(self.payload) < _ABOUT.size:
            raise WireError("a block is too short")
        seq, seconds, columns, count = _ABOUT.unpack_from(self.payload)
        widths = [_PLACE, _BEAM if columns & _BEAMS else 0, _INTENSITY if columns & _INTENSITIES else 0]
        if len(self.payload) != _ABOUT.size + count * sum(widths):
            raise WireError(f"block {seq} says {count} points and holds another number")
        at, parts = _ABOUT.size, []
        for width in widths:
            parts.append(self.payload[at : at + count * width])
            at += count * width
        places = np.frombuffer(parts[0], dtype="<f8").reshape(-1, 3)
        if not np.isfinite(places).all() or not np.isfinite(seconds):
            raise WireError(f"block {seq} holds what is no number")
        beams = np.frombuffer(parts[1], dtype="<f4").reshape(-1, 3) if widths[1] else None
        intensities = np.frombuffer(parts[2], dtype=np.uint8) if widths[2] else None
        return Block(seq, seconds, places, beams, intensities)

    def picture(self) -> Picture:
        """Return the picture (WireError: it is none)."""
        if len(self.payload) < _OF_PICTURE.size:
            raise WireError("a picture is too short")
        number, seconds, rows, columns = _OF_PICTURE.unpack_from(self.payload)
        if len(self.payload) != _OF_PICTURE.size + rows * columns or not rows or not columns:
            raise WireError(f"picture {number} says {columns} x {rows} pixels and holds another number")
        if not np.isfinite(seconds):
            raise WireError(f"picture {number} holds what is no number")
        pixels = np.frombuffer(self.payload, dtype=np.uint8, offset=_OF_PICTURE.size).reshape(rows, columns)
        return Picture(number, seconds, pixels)


def message_frame(message: dict[str, Any]) -> bytes:
    """Return a message as it goes over the line."""
    return _framed(JSON, json.dumps(message, separators=(",", ":"), allow_nan=False).encode())


def block_frame(block: Block) -> bytes:
    """Return a block as it goes over the line."""
    columns = (_BEAMS if block.beams is not None else 0) | (_INTENSITIES if block.intensities is not None else 0)
    parts = [_ABOUT.pack(block.seq, block.time, columns, len(block)), block.places.astype("<f8").tobytes()]
    if block.beams is not None:
        parts.append(block.beams.astype("<f4").tobytes())
    if block.intensities is not None:
        parts.append(block.intensities.astype(np.uint8).tobytes())
    return _framed(BLOCK, b"".join(parts))


def picture_frame(picture: Picture) -> bytes:
    """Return a picture as it goes over the line."""
    rows, columns = picture.pixels.shape
    about = _OF_PICTURE.pack(picture.number, picture.time, rows, columns)
    return _framed(PICTURE, about + np.ascontiguousarray(picture.pixels, dtype=np.uint8).tobytes())


def _framed(kind: int, payload: bytes) -> bytes:
    if len(payload) > MOST_BYTES:
        raise WireError(f"a frame of {len(payload)} bytes is too long: at most {MOST_BYTES}")
    return b"".join((_HEADER.pack(MAGIC, kind, len(payload)), payload, _CHECK.pack(zlib.crc32(payload, kind))))


def first_frame(data: memoryview | bytes | bytearray) -> tuple[Frame, int] | None:
    """Return the first frame of some bytes and how many it takes; None: it is not whole yet.

    Raises
    ------
    WireError
        What begins there is no frame, or was damaged.
    """
    if len(data) < _HEADER.size:
        return None
    magic, kind, length = _HEADER.unpack_from(data)
    if magic != MAGIC or kind not in (JSON, BLOCK, PICTURE) or length > MOST_BYTES:
        raise WireError("what comes over the line is not the device protocol")
    end = _HEADER.size + length
    if len(data) < end + _CHECK.size:
        return None
    payload = bytes(data[_HEADER.size : end])
    if _CHECK.unpack_from(data, end)[0] != zlib.crc32(payload, kind):
        raise WireError("a frame was damaged on its way")
    return Frame(kind, payload), end + _CHECK.size


class Frames:
    """Takes bytes as they come, and gives whole frames."""

    def __init__(self) -> None:
        self._kept = bytearray()

    def feed(self, data: bytes) -> list[Frame]:
        """Return the frames that are whole now.

        Raises
        ------
        WireError
            Something else came: the connection is of no use any more.
        """
        self._kept += data
        found: list[Frame] = []
        at = 0
        view = memoryview(self._kept)
        try:
            while (first := first_frame(view[at:])) is not None:
                found.append(first[0])
                at += first[1]
        finally:
            view.release()
        del self._kept[:at]
        return found
