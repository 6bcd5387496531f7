"""The arm on its line: what the hand does is measured and streamed."""

import threading

import numpy as np

from truegauge.core.arrays import Rigid, Vector, three, unit
from truegauge.core.uncertainty.stated_errors import StatedErrors
from truegauge.devices.arm_sim.hand import Hand
from truegauge.devices.arm_sim.settings import ArmFaults, ArmSettings
from truegauge.devices.arm_sim.world import BALL, ArmWorld
from truegauge.devices.live.messages import At, Hello, Touch
from truegauge.devices.live.server import LiveServer
from truegauge.devices.made_part import MadePart


class ArmStandIn:
    """Serves the device protocol until it is closed; `touch` has its hand touch the part."""

    def __init__(
        self, part: MadePart, seed: int = 1, settings: ArmSettings | None = None, faults: ArmFaults | None = None, *,
        port: int = 0, device_from_part: Rigid | None = None,
    ) -> None:  # fmt: skip
        self.settings, self._faults = settings or ArmSettings(), faults or ArmFaults()
        self.world = ArmWorld(part, self.settings, seed, device_from_part)
        self.server = LiveServer(self.about(seed), port, faults=self._faults.of_line)
        self._hand = Hand(self.world, self._show)
        self._busy = threading.Lock()

    def about(self, seed: int) -> Hello:
        """Return what it says of itself."""
        s = self.settings
        return Hello(
            device="arm", name="Arm stand-in", serial=f"A-{seed}", boot="-", series="-", time=0.0, radius=s.radius,
            stated=StatedErrors(name="Arm stand-in", probing=s.probing, constant=s.constant, per_metre=s.per_metre),
        )  # fmt: skip

    def leads_to_hand(self, at: Vector, stem: Vector) -> Vector:
        """Return the direction that is told with a tip at a place (3,): that of the stem."""
        return stem

    def close(self) -> None:
        """Stop serving."""
        self.server.close()

    @property
    def port(self) -> int:
        """The port of its line."""
        return self.server.port

    def slip_next(self, distance: float) -> None:
        """Let the next touch stand off the surface by a distance, mm: a chip under the tip."""
        self._faults.of_arm["slip", self.world.touches + 1] = distance

    def touch(self, where: Vector, out: Vector) -> int | None:
        """Have the hand touch a place (3,) of the part from the direction `out` (3,), in coordinates of the part.

        Returns the number of the touch; None when the tip met nothing.
        """
        with self._busy:
            w = self.world
            w.touches += 1
            pushed = self._faults.take("moved", w.touches)
            if pushed:
                w.push(pushed * np.array([0.8, -0.6, 0.0]))
            made = self._hand.goes_and_touches(np.asarray(where, float), np.asarray(out, float))
            if made is None:
                return None
            at, stem, back = made
            at = at + self._faults.take("slip", w.touches) * back
            place, radius = three(w.believed(at[None])[0]), self.settings.radius
            seq = self.server.put(
                lambda n, t: Touch(seq=n, time=t, place=place, stem=three(self.leads_to_hand(at, stem)),
                                   out=three(back), radius=radius)
            )  # fmt: skip
            self._hand.draws_back(back, stem)
            return seq

    def seat(self, number: int) -> int | None:
        """Have the hand put the tip into a seat beside the part, each touch from another side; None: no such seat."""
        with self._busy:
            w = self.world
            if not 0 <= number < len(w.seats):
                return None
            w.touches += 1
            at = w.at_seat(number)
            stem = unit(np.array([0.0, 0.0, 1.0]) + w.rng.uniform(-0.7, 0.7, 3))
            self._hand.goes_to(at, stem)
            place, radius = three(w.believed(at[None])[0]), self.settings.radius
            return self.server.put(
                lambda n, t: Touch(seq=n, time=t, place=place, stem=three(self.leads_to_hand(at, stem)), radius=radius)
            )

    def ball(self, number: int) -> int:
        """Have the hand touch the sphere beside the part, with each number elsewhere on its upper half."""
        with self._busy:
            w, s = self.world, self.settings
            w.touches += 1
            turn = np.pi * (3 - np.sqrt(5)) * number
            height = 1 - (number % 9 + 0.3) / 10
            out = np.array([*np.sqrt(1 - height**2) * np.array([np.cos(turn), np.sin(turn)]), height])
            at = w.ball + (BALL / 2 + s.radius) * out
            self._hand.goes_to(at, out)
            place = three(w.believed(at[None])[0])
            return self.server.put(
                lambda n, t: Touch(seq=n, time=t, place=place, stem=three(self.leads_to_hand(at, out)), out=three(out),
                                   radius=s.radius)
            )  # fmt: skip

    def _show(self, at: Vector, stem: Vector) -> None:
        self.server.show(At(time=self.server.clock(), place=three(at), stem=three(stem)))
