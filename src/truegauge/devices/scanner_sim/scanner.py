"""The scanner on its line: what its hand sweeps over is measured and streamed."""

import threading
import time
from collections.abc import Callable, Iterator, Sequence

import numpy as np

from truegauge.core.arrays import Points, Rigid, Vector, three, unit
from truegauge.core.frames import apply, rotate
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.devices.arm_sim.world import ReachError
from truegauge.devices.live.faults import LineFault
from truegauge.devices.live.messages import At, Hello
from truegauge.devices.live.server import LiveServer
from truegauge.devices.live.wire import Block
from truegauge.devices.made_part import MadePart
from truegauge.devices.scanner_sim.optics import Optics
from truegauge.devices.scanner_sim.settings import ScannerSettings
from truegauge.devices.scanner_sim.sweep import Stroke, sides, strokes

_BLOCK_S = 1 / 30
_MOST_WAITING = 500  # blocks that nobody has confirmed: a hand waits for the screen


class ScannerStandIn:
    """Serves the device protocol until it is closed; `sweep` has its hand scan the part.

    It sits on the arm of the same seed (its serial number), in whose coordinates its points are.
    """

    def __init__(
        self, part: MadePart, device_from_part: Callable[[], Rigid], seed: int = 1,
        settings: ScannerSettings | None = None, faults: Sequence[LineFault] = (), *, port: int = 0,
    ) -> None:  # fmt: skip
        self.settings = s = settings or ScannerSettings()
        self._pose = device_from_part
        self.optics = Optics(part, s, seed)
        self._error = ReachError(s.arm, np.random.default_rng([seed, 28]))
        self._hand = np.random.default_rng([seed, 35])
        about = Hello(
            device="scanner", name="Scanner stand-in", serial=f"S-{seed}", boot="-", series="-", time=0.0,
            stated=StatedErrors(name="Scanner stand-in", probing=s.arm.probing + 3 * s.noise, constant=s.arm.constant,
                                per_metre=s.arm.per_metre),
            coordinates=f"Arm stand-in A-{seed}", near=s.standoff - s.depth, far=s.standoff + s.depth,
            lines_per_s=s.lines_per_s,
        )  # fmt: skip
        self.server = LiveServer(about, port, faults=list(faults))
        self._ended = threading.Event()
        self._thread: threading.Thread | None = None

    @property
    def device_from_part(self) -> Rigid:
        """Where the part stands in truth."""
        return self._pose()

    @property
    def port(self) -> int:
        """The port of its line."""
        return self.server.port

    @property
    def is_sweeping(self) -> bool:
        """Whether its hand is at it."""
        return self._thread is not None and self._thread.is_alive()

    def start_sweep(self, box: Points | None = None) -> None:
        """Have the hand sweep over a box (2, 3) of the part, over all of it without one, in the background."""
        self.stop_sweep()
        self._ended.clear()
        self._thread = threading.Thread(target=self.sweep, args=(box,), name="scanner-hand", daemon=True)
        self._thread.start()

    def stop_sweep(self) -> None:
        """Have it stop."""
        self._ended.set()
        if self._thread is not None:
            self._thread.join(5.0)
            self._thread = None

    def close(self) -> None:
        """Stop serving."""
        self.stop_sweep()
        self.server.close()

    def sweep(self, box: Points | None = None) -> None:
        """Sweep over a box (2, 3) of the part from all sides: it stands on supports, with room for a hand below."""
        part, s = self.optics.part, self.settings
        for stroke in strokes(part.box if box is None else box, sides(from_below=True), s.width):
            for block in self.along(stroke):
                if self._ended.is_set():
                    return
                place, stem, seen = block
                self.server.show(At(time=self.server.clock(), place=three(place), stem=three(stem), pressed=(1,)))
                if len(seen[0]):
                    self.server.put(lambda n, t, seen=seen: Block(n, t, *seen))  # type: ignore[misc]
                while s.pace <= 0 and self.server.unconfirmed > _MOST_WAITING and not self._ended.wait(0.01):
                    pass

    def along(self, stroke: Stroke) -> Iterator[tuple[Vector, Vector, tuple[Points, np.ndarray, np.ndarray]]]:
        """Yield, block by block, where the scanner is, the way from the part to it, and points with beams and light."""
        s = self.settings
        length = float(np.linalg.norm(stroke.end - stroke.start))
        lines = max(2, int(length / s.speed * s.lines_per_s))
        a_block = max(1, int(s.lines_per_s * _BLOCK_S))
        began = time.monotonic()
        phases, turns = self._hand.uniform(0, 2 * np.pi, 6), self._hand.normal(0, s.tilt, 2)
        for first in range(0, lines, a_block):
            numbers = np.arange(first, min(first + a_block, lines))
            share = numbers / (lines - 1)
            t = numbers / s.lines_per_s
            shaken = s.tremble * np.sin(2 * np.pi * np.outer(t, (1.1, 1.7, 2.3)) + phases[:3])
            middle = stroke.start + share[:, None] * (stroke.end - stroke.start) + shaken
            nod = turns[0] + 0.3 * s.tilt * np.sin(2 * np.pi * 0.6 * t + phases[3])
            along = np.cross(stroke.across, stroke.away)
            away = unit(stroke.away + nod.mean() * along + turns[1] * stroke.across)
            yield self._lines(middle, away, stroke.across)
            if s.pace > 0:
                due = began + float(t[-1]) / s.pace
                if self._ended.wait(max(0.0, due - time.monotonic())):
                    return

    def _lines(
        self, middle: Points, away: Vector, across: Vector
    ) -> tuple[Vector, Vector, tuple[Points, np.ndarray, np.ndarray]]:
        """Look at lines about middles (k, 3), all of them from one direction."""
        s, pose = self.settings, self.device_from_part
        across = unit(across - (across @ away) * away)
        origins = middle + s.standoff * away
        fan = np.linspace(-s.width / 2, s.width / 2, s.line_points)
        ways = fan[:, None] * across - s.standoff * away
        ways /= np.linalg.norm(ways, axis=1)[:, None]
        count = len(middle)
        seen = self.optics.look(np.repeat(origins, s.line_points, axis=0), np.tile(ways, (count, 1)))
        at = apply(pose, origins.mean(axis=0)[None])
        # The joints of the arm are what is wrong about a line, all of it alike.
        off = self._error.at(at)
        believed = apply(pose, seen.places) + off
        beams = rotate(pose, seen.beams).astype(np.float32)
        return at[0] + off[0], rotate(pose, away[None])[0], (believed, beams, seen.intensities)
