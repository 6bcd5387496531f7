"""Bands that the deviations of a section are allowed in: one of each zone, going over into each other at the joints."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.zones import zone_of

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.parameters import Blade


@dataclass(frozen=True, slots=True)
class Bands:
    """The lowest and the highest deviation (mm) allowed of each zone, as `ZONES` names them; None: any.

    At a joint of two zones a limit goes straight from one to the other along `blend` mm.
    """

    lower: tuple[float | None, float | None, float | None, float | None]
    upper: tuple[float | None, float | None, float | None, float | None]
    blend: float = 0.0

    def at(self, blade: Blade, s: Floats) -> tuple[Floats, Floats]:
        """Return the lowest and the highest deviation (n,) allowed at parameters (n,); infinite where any is."""
        return _limit(blade, s, self.lower, self.blend, -np.inf), _limit(blade, s, self.upper, self.blend, np.inf)

    def excess(self, blade: Blade, s: Floats, deviations: Floats) -> Floats:
        """Return by how much (n,) deviations (n,) mm are beyond their band; below 0 they are inside by so much."""
        low, high = self.at(blade, s)
        return np.asarray(np.maximum(deviations - high, low - deviations))


def _limit(
    blade: Blade, s: Floats, limits: tuple[float | None, float | None, float | None, float | None], blend: float,
    none: float,
) -> Floats:  # fmt: skip
    of_zone = np.array([none if v is None else v for v in limits], dtype=np.float64)
    length = blade.profile.length
    made = np.asarray(of_zone[zone_of(blade, s)])
    joints = sorted(
        {float(np.mod(e, length)) for edge in (blade.leading, blade.trailing) for e in (edge.begin, edge.end)}
    )
    ends = np.array(joints)
    # No farther than to the middle of the shorter zone beside it: two joints never meet.
    apart = np.diff(np.append(ends, ends[0] + length)) if len(ends) > 1 else np.array([length])
    for k, joint in enumerate(ends.tolist()):
        half = min(blend, float(apart[k]), float(apart[k - 1])) / 2
        off = np.mod(s - joint + length / 2, length) - length / 2
        near = np.abs(off) < half
        if not near.any():
            continue
        before, after = (of_zone[zone_of(blade, np.array([joint + d]))[0]] for d in (-half / 2, half / 2))
        if np.isfinite(before) and np.isfinite(after):
            made = np.where(near, before + (after - before) * (off + half) / (2 * half), made)
    return np.asarray(made, dtype=np.float64)
