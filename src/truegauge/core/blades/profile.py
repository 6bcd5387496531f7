"""The closed curve of a section in its plane: smooth between its points, with tangents and curvature everywhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError

if TYPE_CHECKING:
    from scipy.interpolate import CubicSpline

    from truegauge.core.arrays import Floats

_LEAST = 12  # points of a closed curve
_GAP = 12.0  # times the usual distance of two points beside each other, from which the curve is open there


@dataclass(frozen=True, slots=True, eq=False)
class Profile:
    """Counter-clockwise, by the length of its chords: `curve` gives places (n, 2) mm of parameters, 0 to `length`."""

    curve: CubicSpline
    knots: Floats  # (n,) parameters of the points it goes through
    length: float

    @staticmethod
    def through(points: Floats) -> Profile:
        """Return the curve through points (n, 2) mm that follow each other around it.

        Raises
        ------
        EvaluationError
            Too few points, a gap, or a curve that crosses itself.
        """
        from scipy.interpolate import CubicSpline

        points = np.asarray(points, dtype=np.float64)
        points = points[np.append(True, np.any(np.diff(points, axis=0) != 0, axis=1))]
        if len(points) > 1 and np.array_equal(points[0], points[-1]):
            points = points[:-1]
        if len(points) < _LEAST:
            raise EvaluationError(f"{len(points)} points are too few for a section: {_LEAST} are the least")
        steps = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1)
        widest = int(np.argmax(steps))
        if steps[widest] > _GAP * float(np.median(steps)):
            x, y = points[widest]
            raise EvaluationError(f"the section is open: {steps[widest]:.3g} mm are missing beside ({x:.3f}, {y:.3f})")
        if _area(points) < 0:
            points = points[::-1]
            steps = np.linalg.norm(np.roll(points, -1, axis=0) - points, axis=1)
        knots = np.append(0.0, np.cumsum(steps))
        curve = CubicSpline(knots, np.vstack([points, points[:1]]), bc_type="periodic")
        made = Profile(curve, knots[:-1], float(knots[-1]))
        turned = float(np.sum(made._turns()))
        if abs(turned - 2 * np.pi) > 0.5:
            raise EvaluationError("the section crosses itself: its points do not follow each other around it")
        return made

    def _turns(self) -> Floats:
        t = self.tangent(self.knots)
        a, b = t, np.roll(t, -1, axis=0)
        return np.asarray(np.arctan2(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0], np.einsum("ij,ij->i", a, b)))

    def at(self, s: Floats) -> Floats:
        """Return places (n, 2) mm of parameters (n,), which go around and around."""
        return np.asarray(self.curve(np.mod(s, self.length)))

    def tangent(self, s: Floats) -> Floats:
        """Return the directions (n, 2) in which the curve goes on."""
        t = self.curve(np.mod(s, self.length), 1)
        return np.asarray(t / np.linalg.norm(t, axis=-1, keepdims=True))

    def inward(self, s: Floats) -> Floats:
        """Return the normals (n, 2) into the section."""
        t = self.tangent(s)
        return np.stack([-t[..., 1], t[..., 0]], axis=-1)

    def curvature(self, s: Floats) -> Floats:
        """Return the curvature (n,), 1/mm, positive where the section bulges out."""
        s = np.mod(s, self.length)
        d, dd = self.curve(s, 1), self.curve(s, 2)
        return np.asarray((d[..., 0] * dd[..., 1] - d[..., 1] * dd[..., 0]) / np.linalg.norm(d, axis=-1) ** 3)

    def area_and_centroid(self) -> tuple[float, Floats]:
        """Return the area, mm2, and its centroid (2,), mm, by Green's theorem over the pieces of the curve."""
        nodes, shares = np.polynomial.legendre.leggauss(6)
        ends = np.append(self.knots, self.length)
        half, middle = np.diff(ends) / 2, (ends[1:] + ends[:-1]) / 2
        s = (middle[:, None] + half[:, None] * nodes).ravel()
        w = (half[:, None] * shares).ravel()
        origin = self.curve(self.knots).mean(axis=0)
        p, d = self.curve(s) - origin, self.curve(s, 1)
        x, y = p.T
        area = float(np.sum(w * (x * d[:, 1] - y * d[:, 0])) / 2)
        mx = float(np.sum(w * x * x * d[:, 1])) / 2
        my = -float(np.sum(w * y * y * d[:, 0])) / 2
        return area, origin + np.array([mx, my]) / area


def _area(points: Floats) -> float:
    x, y = points.T
    return float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y) / 2)
