"""Points of a scanner that came and were not looked at yet: as few as a slow computer can bear."""

from __future__ import annotations

import threading
from collections import deque
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.devices.protocol import PointBlock

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Vector

MOST = 2_000_000  # points that wait, about: 75 MB
_FULL = MOST // 4  # from here on fewer of those that come are taken


@dataclass(frozen=True, slots=True)
class Waiting:
    """A block, the clock and place of the scanner, and up to which number of the device it brings what there is."""

    block: PointBlock
    scanner: tuple[float, Vector] | None
    number: int


class WaitingBlocks:
    """One thread puts, another one takes.

    Where more comes than is taken, every second point of a block is left out, then three of four, and so on. The
    thinning would drop most of them anyway; memory that grows until the program is ended would lose all.
    """

    def __init__(self) -> None:
        self._blocks: deque[Waiting] = deque()
        self._lock = threading.Lock()  # what waits is forgotten by one thread while another one takes
        self._put, self._points_put = 0, 0
        self._taken, self._points_taken = 0, 0
        self.one_of = 1  # of so many points that come now

    @property
    def count(self) -> int:
        """Blocks that wait, or are being taken."""
        return self._put - self._taken

    @property
    def points(self) -> int:
        """Points that wait, or are being taken."""
        return self._points_put - self._points_taken

    def put(self, block: PointBlock, scanner: tuple[float, Vector] | None, number: int) -> None:
        """Let a block wait."""
        self.one_of = 1 << (self.points // _FULL)
        if self.one_of > 1:
            block = _some(block, self.one_of)
        self._put += 1
        self._points_put += len(block)
        self._blocks.append(Waiting(block, scanner, number))

    def take(self, at_once: int) -> list[Waiting]:
        """Return the next block, and further ones up to about so many points; `done` is called for them afterwards."""
        found: list[Waiting] = []
        with self._lock:
            while self._blocks and sum(len(w.block) for w in found) < at_once:
                found.append(self._blocks.popleft())
        return found

    def done(self, taken: list[Waiting]) -> None:
        """Count what was taken."""
        with self._lock:
            self._taken += len(taken)
            self._points_taken += sum(len(w.block) for w in taken)

    def clear(self) -> None:
        """Forget what waits."""
        self.done(self.take(np.iinfo(np.int64).max))


def together(blocks: list[PointBlock]) -> PointBlock:
    """Return blocks as one; what one of them does not tell, none does."""
    if len(blocks) == 1:
        return blocks[0]
    beams = [b.beams for b in blocks if b.beams is not None]
    light = [b.intensities for b in blocks if b.intensities is not None]
    return PointBlock(
        np.vstack([b.places for b in blocks]), beams=np.vstack(beams) if len(beams) == len(blocks) else None,
        intensities=np.concatenate(light) if len(light) == len(blocks) else None, time=blocks[-1].time,
    )  # fmt: skip


def _some(block: PointBlock, one_of: int) -> PointBlock:
    """Return every so-and-so-many-th point; copies, so that the rest does not stay in memory."""
    return replace(
        block, places=block.places[::one_of].copy(), approach=_own(block.approach, one_of),
        beams=_own(block.beams, one_of), intensities=_own(block.intensities, one_of),
    )  # fmt: skip


def _own(array: NDArray[Any] | None, one_of: int) -> NDArray[Any] | None:
    return None if array is None else array[::one_of].copy()
