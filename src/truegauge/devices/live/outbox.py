"""What a device has measured and nobody has confirmed yet, as frames by their numbers."""

from collections import deque
from collections.abc import Callable, Iterator
from itertools import islice

MOST_BYTES = 400_000_000


class Outbox:
    """Bounded: when it is full, the oldest go, and a program that asks for them learns that they are gone."""

    def __init__(self, most_bytes: int = MOST_BYTES) -> None:
        self._most = most_bytes
        self._frames: deque[bytes] = deque()
        self._bytes = 0
        self.next = 1  # number of what comes next

    @property
    def oldest(self) -> int:
        """The lowest number that is still there; `next` when there is none."""
        return self.next - len(self._frames)

    def put(self, made: Callable[[int], bytes]) -> int:
        """Keep what `made` makes with its number; returns the number."""
        frame, seq = made(self.next), self.next
        self._frames.append(frame)
        self._bytes += len(frame)
        self.next += 1
        while self._bytes > self._most and len(self._frames) > 1:
            self._bytes -= len(self._frames.popleft())
        return seq

    def confirm(self, up_to: int) -> None:
        """Forget everything up to a number."""
        while self._frames and self.oldest <= up_to:
            self._bytes -= len(self._frames.popleft())

    def since(self, after: int, most: int = 64) -> Iterator[tuple[int, bytes]]:
        """Return what follows a number, the first `most`: numbers and frames; what is gone is left out."""
        first = max(after + 1, self.oldest)
        skipped = first - self.oldest
        for k, frame in enumerate(islice(self._frames, skipped, skipped + most)):
            yield first + k, frame
