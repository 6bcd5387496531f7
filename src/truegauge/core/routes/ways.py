"""Ways of a probe: between touches, out of the safe envelope, and around it."""

import itertools
from collections.abc import Sequence

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.probing.probing import StylusUse
from truegauge.core.probing.travel import MARGIN, NoWay
from truegauge.core.routes.scene import Scene

_LEAST = 0.05  # where the way begins or ends close to something
_HOPS = (3.0, 8.0, 20.0, 45.0)  # mm off the surface
_REACHES = (10.0, 25.0, 50.0, 90.0)  # mm that a probe is drawn out before it turns to leave the envelope
_OVER = 1.0  # mm outside of the envelope


class Ways:
    """Plans the ways of one stylus through a scene."""

    def __init__(self, scene: Scene, use: StylusUse) -> None:
        self.scene, self.use = scene, use
        self._probe = scene.probe(use)
        axes = [*scene.machine_from_part[:3, :3].T, *np.eye(3)]
        back = -self._probe.place.direction
        ways = [back, *(s * a for a in axes for s in (1.0, -1.0))]
        ways.sort(key=lambda d: -float(d @ back))
        self._back = back
        self._ways: list[Vector] = []
        for d in ways:
            if all(float(d @ o) < 0.999 for o in self._ways):
                self._ways.append(np.asarray(d))

    def room(self, *places: Vector) -> float:
        """Return the room to ask for on a way between places: less where there is little at one of them."""
        least = MARGIN
        for p in places:
            met = self.scene.nearest(self.use, p, p, MARGIN / 0.6)
            if met is not None:
                least = min(least, max(_LEAST, 0.6 * met.distance))
        return least

    def is_free(self, places: Sequence[Vector], room: float) -> bool:
        """Tell whether a way along places keeps some room."""
        return all(self.scene.is_free(self.use, a, b, room) for a, b in itertools.pairwise(places))

    def between(self, start: Vector, end: Vector, out_start: Vector, out_end: Vector) -> Points | None:
        """Return places (n, 3) from before one touch to before another; None: only by the outside.

        Straight, or hopping off the surfaces (along `out_start`, `out_end`), or drawn back along the stylus.
        """
        room = self.room(start, end)
        if self.is_free((start, end), room):
            return end[None]
        for hop in _HOPS:
            for a, b in (
                (out_start, out_end),
                (self._back, self._back),
                (out_start, self._back),
                (self._back, out_end),
            ):
                way = (start, start + hop * a, end + hop * b, end)
                if self.is_free(way, room):
                    return np.array(way[1:])
        return None

    def out(self, start: Vector, normal: Vector | None) -> Points:
        """Return places (n, 3) that lead from a place to where the whole probe is outside of the safe envelope.

        Raises
        ------
        NoWay
            Something is in the way whatever is tried.
        """
        if self.scene.is_outside(self.use, start):
            return np.zeros((0, 3))
        room = self.room(start)
        directions = [*self._ways, *([] if normal is None else [normal])]
        best: tuple[float, tuple[Vector, ...]] | None = None
        for d in directions:
            far = self._distance_out(start, d)
            if far is not None and (best is None or far < best[0]) and self.is_free((start, start + far * d), room):
                best = (far, (start + far * d,))
        if best is None:
            for reach in _REACHES:
                for first in directions:
                    beside = start + reach * first
                    if not self.is_free((start, beside), room):
                        continue
                    for d in directions:
                        far = self._distance_out(beside, d)
                        if far is None or (best is not None and reach + far >= best[0]):
                            continue
                        if self.is_free((beside, beside + far * d), min(room, MARGIN)):
                            best = (reach + far, (beside, beside + far * d))
                if best is not None:
                    break
        if best is None:
            met = self.scene.nearest(self.use, start, start + 40.0 * self._back, room)
            raise NoWay(f"no way leads out of the part: {met.name if met else 'something'} is in the way")
        return np.array(best[1])

    def around(self, start: Vector, end: Vector) -> Points:
        """Return places (n, 3) outside of the safe envelope from one to another that are outside, without the first.

        Raises
        ------
        NoWay
            Something stands in the way above everything.
        """
        room = self.room(start, end)
        for way in self._ways_around(start, end):
            if all(self._passes(a, b) for a, b in itertools.pairwise(way)) and self.is_free(way, room):
                return np.array([p for k, p in enumerate(way[1:]) if not np.allclose(p, way[k])]).reshape(-1, 3)
        raise NoWay("something is in the way around the safe envelope")

    def _ways_around(self, start: Vector, end: Vector) -> list[tuple[Vector, ...]]:
        """Return ways to try, the shortest first: straight, round one or two sides, over the top."""
        found: list[tuple[Vector, ...]] = [(start, end)]
        low, high = self.scene.envelope
        own, center = self._probe, self._probe.place.center
        # Where the tip is when the probe is just outside of each side.
        beyond = [(c, float(high[c] - own.low[c] + center[c] + _OVER)) for c in range(3)]
        before = [(c, float(low[c] - own.high[c] + center[c] - _OVER)) for c in range(2)]
        sides = [*beyond, *before]

        def at_side(p: Vector, side: tuple[int, float], sign: float) -> Vector:
            q = p.copy()
            q[side[0]] = max(p[side[0]], side[1]) if sign > 0 else min(p[side[0]], side[1])
            return q

        signs = [1.0] * 3 + [-1.0] * 2
        for s, sign in zip(sides, signs, strict=True):
            found.append((start, at_side(start, s, sign), at_side(end, s, sign), end))
        for s, sign in zip(sides, signs, strict=True):
            for t, other in zip(sides, signs, strict=True):
                if s[0] != t[0]:
                    a, b = at_side(start, s, sign), at_side(end, t, other)
                    corner = at_side(a, t, other)
                    found.append((start, a, corner, at_side(b, s, sign), b, end))
        length = [sum(float(np.linalg.norm(b - a)) for a, b in itertools.pairwise(w)) for w in found]
        return [found[k] for k in np.argsort(length, kind="stable")]

    def _passes(self, start: Vector, end: Vector) -> bool:
        """Tell whether the box around the probe stays outside of the envelope on a straight way."""
        low, high = self.scene.envelope
        own, a, b = self._probe, self.scene.quill(self.use, start), self.scene.quill(self.use, end)
        # Boxes that move along each other are together between the last first and the first last of the axes.
        enter, leave = 0.0, 1.0
        for c in range(3):
            v = float(b[c] - a[c])
            gap_low, gap_high = low[c] - (own.high[c] + a[c]), high[c] - (own.low[c] + a[c])
            if abs(v) < 1e-12:
                if gap_low >= -1e-9 or gap_high <= 1e-9:
                    return True
                continue
            t0, t1 = sorted((gap_low / v, gap_high / v))
            enter, leave = max(enter, t0), min(leave, t1)
        return enter >= leave - 1e-12

    def _distance_out(self, start: Vector, d: Vector) -> float | None:
        """Return how far in a direction the whole probe is outside of the envelope; None: never."""
        low, high = self.scene.envelope
        own, at = self._probe, self.scene.quill(self.use, start)
        found = []
        for c in range(3):
            if d[c] > 0.05:
                found.append((high[c] - own.low[c] - at[c] + _OVER) / d[c])
            elif d[c] < -0.05 and c < 2:  # not below: there is the table
                found.append((low[c] - own.high[c] - at[c] - _OVER) / d[c])
        found = [max(f, 0.0) for f in found]
        return min(found) if found else None
