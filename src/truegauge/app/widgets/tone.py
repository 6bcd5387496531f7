"""A tone that tells how far off something is: higher above the middle, lower below, even and soft within the limits.

Played by a program that is there (PipeWire, PulseAudio, ALSA): it takes the samples on a pipe.
"""

from __future__ import annotations

import contextlib
import shutil
import subprocess
import threading
from collections.abc import Sequence

import numpy as np

RATE = 22_050  # samples a second
_CHUNK_S = 0.05
_MIDDLE_HZ, _OCTAVES = 440.0, 1.5  # of the tone in the middle, and how many it goes up or down at most
_PLAYERS = (
    ("pw-cat", "-p", "--raw", "--format=s16", f"--rate={RATE}", "--channels=1", "-"),
    ("paplay", "--raw", "--format=s16le", f"--rate={RATE}", "--channels=1"),
    ("aplay", "-q", "-t", "raw", "-f", "S16_LE", "-r", str(RATE), "-c", "1", "-"),
)


def player() -> tuple[str, ...] | None:
    """Return the command of a program that plays samples, None where there is none."""
    return next((p for p in _PLAYERS if shutil.which(p[0])), None)


def pitch(share: float) -> float:
    """Return the frequency (Hz) of a value by its share of the way from the middle to a limit: 0 in the middle."""
    beyond = np.sign(share) * max(0.0, abs(share) - 1.0)
    return float(_MIDDLE_HZ * 2 ** np.clip(beyond, -_OCTAVES, _OCTAVES))


class Tone:
    """Sounds from `start` to `stop`; silent while it is told None. Its thread never makes the window wait."""

    def __init__(self, command: Sequence[str] | None = None) -> None:
        self._command = tuple(command) if command is not None else player()
        self._share: float | None = None
        self._ended = threading.Event()
        self._thread: threading.Thread | None = None

    @property
    def is_possible(self) -> bool:
        """Whether there is something that plays it."""
        return self._command is not None

    def start(self) -> None:
        """Begin."""
        if self._thread is None and self._command is not None:
            self._ended.clear()
            self._thread = threading.Thread(target=self._play, name="tone", daemon=True)
            self._thread.start()

    def tell(self, share: float | None) -> None:
        """Sound for a value: its share of the way from the middle to a limit (beyond 1: outside); None: silence."""
        self._share = share

    def stop(self) -> None:
        """End."""
        self._ended.set()
        if self._thread is not None:
            self._thread.join(1.0)
            self._thread = None

    def _play(self) -> None:
        assert self._command is not None
        phase, count = 0.0, int(RATE * _CHUNK_S)
        with contextlib.suppress(OSError):
            process = subprocess.Popen(self._command, stdin=subprocess.PIPE, stdout=subprocess.DEVNULL,
                                       stderr=subprocess.DEVNULL)  # fmt: skip
            assert process.stdin is not None
            while not self._ended.wait(_CHUNK_S * 0.9):
                samples, phase = tone_samples(self._share, phase, count)
                process.stdin.write(samples.tobytes())
                process.stdin.flush()
            process.stdin.close()
            try:
                process.wait(0.5)  # it plays what it still has
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()


def tone_samples(share: float | None, phase: float, count: int) -> tuple[np.ndarray, float]:
    """Return samples (count,) of 16 bits from a phase (rad) on, and the phase after them."""
    if share is None:
        return np.zeros(count, dtype="<i2"), phase
    steps = phase + 2 * np.pi * pitch(share) / RATE * np.arange(1, count + 1)
    loud = 0.12 if abs(share) <= 1 else 0.35
    return (loud * 32767 * np.sin(steps)).astype("<i2"), float(steps[-1] % (2 * np.pi))
