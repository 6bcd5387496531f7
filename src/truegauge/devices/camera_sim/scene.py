"""What lies under the camera that does not exist: a part that a hand puts down and takes away, dirt, a lamp."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.silhouette.looking import Place

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from truegauge.core.arrays import Floats
    from truegauge.devices.camera_sim.shadow import Camera

_MOVING = 3  # pictures while a hand puts a part down
_FAR = 25.0  # mm that it comes from
SHAKES = 0.0008  # mm that a part trembles by, rms


@dataclass(frozen=True, slots=True)
class Lying:
    """Outlines (n, 2) mm of something, and where it lies."""

    outlines: Sequence[Floats]
    place: Place


@dataclass
class Scene:
    """What the camera sees, picture by picture. A hand takes some pictures to put something down."""

    camera: Camera
    seed: int = 1
    lit: float = 1.0  # how much of its light the lamp has
    sharp: float = 1.0  # times as blurred as it should be
    shakes: float = SHAKES
    _lying: list[Lying] = field(default_factory=list)
    _coming: list[Lying] = field(default_factory=list)
    _left: int = 0

    def __post_init__(self) -> None:
        self._rng = np.random.default_rng([self.seed, 30])

    def put(self, outlines: Sequence[Floats], place: Place, *, beside: bool = False) -> None:
        """Put something down, in place of what is there, or beside it."""
        self._coming = [*(self._lying if beside else ()), Lying(outlines, place)]
        self._left = _MOVING

    def take_away(self) -> None:
        """Take all away."""
        self._coming, self._left = [], 1

    def dirty(self, spots: int = 1) -> None:
        """Let dirt fall on the glass: it is in every picture from now on."""
        rows, columns = self.camera.shape
        made = []
        for _ in range(spots):
            t = np.linspace(0.0, 2 * np.pi, 12, endpoint=False)
            reach = self._rng.uniform(5.0, 9.0, len(t))
            middle = self._rng.uniform([0.1 * columns, 0.1 * rows], [0.9 * columns, 0.9 * rows])
            made.append(middle + reach[:, None] * np.column_stack([np.cos(t), np.sin(t)]))
        self.camera.dirt = (*self.camera.dirt, *made)

    def clean(self) -> None:
        """Wipe the glass."""
        self.camera.dirt = ()

    def next_picture(self) -> NDArray[np.uint8]:
        """Return the next picture."""
        seen = self._seen()
        made = self.camera.picture(seen, sharp=self.sharp)
        return made if self.lit >= 1.0 else (made * self.lit).astype(np.uint8)

    def _seen(self) -> list[Floats]:
        off = np.zeros(2)
        if self._left > 0:
            self._left -= 1
            if self._left == 0:
                self._lying = self._coming
            elif self._coming:
                off = np.array([_FAR * self._left / _MOVING, 0.5 * _FAR])
        trembles = off + self.shakes * self._rng.normal(size=2)
        there = self._coming if self._left > 0 else self._lying
        return [_upright(one.place.picture_from_part(o) + trembles, mirrored=one.place.mirrored)
                for one in there for o in one.outlines]  # fmt: skip


def _upright(outline: Floats, *, mirrored: bool) -> Floats:
    return outline[::-1] if mirrored else outline
