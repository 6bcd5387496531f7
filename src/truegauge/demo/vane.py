"""LW-1330, the cooling-fan vane: its sections in closed form, as designed and with known errors, and its CAD.

Part coordinates (mm): the stacking axis along z, the machine axis along x; the aerofoil from z = 0 to 100 on a root. A
section is what circles cover whose centres follow an arc and whose radii change smoothly: so its mean line, its
thickness and the circles of its edges are known.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Points

HEIGHT, ROOT, FILLET = 100.0, (46.0, 34.0, 12.0), 1.5  # mm
NOISE = 0.008
_SHAPE = (60, 14)  # places along each side, and along each edge, that the CAD goes through
_OF_ROOT = 0.15  # of the points of a scan
_THICKEST = 0.36  # of the chord


@dataclass(frozen=True, slots=True)
class SectionShape:
    """A section: length of its arc from the centre of one edge to that of the other, and what it is turned by (rad).

    `lead`, `thick` and `trail` are radii, mm: of the edges, and of the largest circle. `wave` mm is the height of waves
    on its suction side.
    """

    arc: float
    camber: float  # rad that the arc turns by
    stagger: float  # rad from the machine axis
    lead: float
    thick: float
    trail: float
    x: float = 0.0
    y: float = 0.0
    wave: float = 0.0

    def mean(self, u: Floats) -> tuple[Floats, Floats]:
        """Return centres (n, 2) and directions (n, 2) at shares (n,) of the arc."""
        half = self.camber / 2
        radius = self.arc / self.camber
        a = half - self.camber * u
        c = np.column_stack([radius * (np.sin(half) - np.sin(a)), radius * (np.cos(a) - np.cos(half))])
        t = np.column_stack([np.cos(a), np.sin(a)])
        chord = 2 * radius * np.sin(half)
        cos, sin = np.cos(self.stagger), np.sin(self.stagger)
        turn = np.array([[cos, -sin], [sin, cos]])
        middle = np.array([0.42 * chord, 0.0])
        return (c - middle) @ turn.T + [self.x, self.y], t @ turn.T

    def radius(self, u: Floats) -> tuple[Floats, Floats]:
        """Return radii (n,) at shares of the arc, and by how much they change along it, mm by mm."""
        front, value, slope = u < _THICKEST, np.empty(len(u)), np.empty(len(u))
        for own, end, wide in ((front, self.lead, _THICKEST), (~front, self.trail, 1.0 - _THICKEST)):
            x = np.abs(u[own] - _THICKEST) / wide
            value[own] = self.thick - (self.thick - end) * x**2
            slope[own] = -np.sign(u[own] - _THICKEST) * 2 * (self.thick - end) * x / wide / self.arc
        return value, slope

    def sides(self, u: Floats) -> tuple[Floats, Floats]:
        """Return the places (n, 2) of the suction and of the pressure side where the circles at shares touch."""
        c, t = self.mean(u)
        r, slope = self.radius(u)
        n = np.column_stack([-t[:, 1], t[:, 0]])
        across = np.sqrt(1.0 - slope**2)
        suction = c + r[:, None] * (-slope[:, None] * t + across[:, None] * n)
        pressure = c + r[:, None] * (-slope[:, None] * t - across[:, None] * n)
        bump = self.wave * np.sin(2 * np.pi * u * self.arc / 6.0) * np.exp(-(((u - 0.55) / 0.12) ** 2))
        return suction + bump[:, None] * n, pressure

    def around(self, count: int = 240, of_edge: int = 24) -> Floats:
        """Return places (n, 2) around it, against the clock from the trailing edge over the suction side."""
        u = (1 - np.cos(np.linspace(0, np.pi, count))) / 2
        suction, pressure = self.sides(u)
        made = [suction[::-1], self.edge(of_edge, leading=True)[1:-1], pressure, self.edge(of_edge)[1:-1]]
        return np.vstack(made)

    def edge(self, count: int, *, leading: bool = False) -> Floats:
        """Return places (n, 2) along the arc of an edge, from the side it is come from, with its ends."""
        u = np.array([0.0 if leading else 1.0])
        c, t = self.mean(u)
        r, slope = self.radius(u)
        way = np.arctan2(t[0, 1], t[0, 0])
        reach = np.arccos(-slope[0])  # from the direction of the line to where a side begins
        a = way + (np.linspace(reach, 2 * np.pi - reach, count) if leading else np.linspace(-reach, reach, count))
        return np.asarray(c[0] + r[0] * np.column_stack([np.cos(a), np.sin(a)]))

    def values(self) -> dict[str, float]:
        """Return what is measured of it: lengths in mm, angles in rad."""
        c, t = self.mean(np.array([0.0, 1.0]))
        lead, trail = c[0] - self.lead * t[0], c[1] + self.trail * t[1]
        chord = trail - lead
        return {
            "chord_mean_line": float(np.linalg.norm(chord)), "chord_angle": float(np.arctan2(chord[1], chord[0])),
            "leading_radius": self.lead, "trailing_radius": self.trail, "max_thickness": 2 * self.thick,
            "leading_x": float(lead[0]), "leading_y": float(lead[1]),
            "trailing_x": float(trail[0]), "trailing_y": float(trail[1]),
        }  # fmt: skip


def designed(z: float) -> SectionShape:
    """Return the section at a height as it is designed: twisted and tapered, with its fillet on the root."""
    s, more = z / HEIGHT, fillet_at(z)
    return SectionShape(
        arc=34.0 - 8.0 * s, camber=0.75 - 0.25 * s, stagger=0.35 + 0.55 * s - 0.1 * s * s, lead=0.75 - 0.2 * s + more,
        thick=2.4 - 0.9 * s + more, trail=0.45 - 0.1 * s + more,
    )  # fmt: skip


def fillet_at(z: float) -> float:
    """Return by how much a section is larger all around, mm, for the fillet: a quarter of a circle."""
    return 0.0 if not 0.0 <= z < FILLET else float(FILLET - np.sqrt(FILLET**2 - (FILLET - z) ** 2))


@dataclass(frozen=True, slots=True)
class VaneErrors:
    """What is wrong with a vane, at its tip where it grows with the height; mm and rad."""

    twist: float = np.radians(0.6)
    lean: float = 0.12
    bow: float = 0.08
    thick_trailing: float = 0.06
    blunt_leading: float = 0.08
    short_chord: float = 0.15
    wave: float = 0.012

    def made(self, z: float) -> SectionShape:
        """Return the section at a height as it was made."""
        s, d = z / HEIGHT, designed(z)
        return replace(
            d, stagger=d.stagger + self.twist * s, x=self.lean * s, y=self.bow * 4 * s * (1 - s),
            trail=d.trail + self.thick_trailing * s, lead=d.lead + self.blunt_leading * s,
            arc=d.arc - self.short_chord, wave=self.wave * float(30 < z < 70),
        )  # fmt: skip


def vane_cloud(
    count: int = 250_000, seed: int = 1330, *, noise: float = NOISE, errors: VaneErrors | None = None,
    gaps: bool = True,
) -> Points:  # fmt: skip
    """Return points (n, 3) of the aerofoil of a vane and of its root, as a scanner sees it, in part coordinates.

    With `gaps` it sees little of the trailing edge below a height of 15 mm.
    """
    rng = np.random.default_rng(seed)
    errors = VaneErrors() if errors is None else errors
    heights = np.linspace(0.2, HEIGHT - 0.2, 400)
    share = int(count * (1.0 - _OF_ROOT)) // len(heights)
    made = [_root(count - share * len(heights), rng)]
    for low in heights:
        z = low + rng.uniform(-0.12, 0.12)
        around = errors.made(z).around(400, 40)
        closed = np.vstack([around, around[:1]])
        way = np.append(0.0, np.cumsum(np.linalg.norm(np.diff(closed, axis=0), axis=1)))
        at = rng.uniform(0, way[-1], share)
        places = np.column_stack([np.interp(at, way, closed[:, k]) for k in range(2)])
        if gaps and z < 15.0:
            c, t = designed(z).mean(np.array([1.0]))
            places = places[(places - c[0]) @ t[0] < 0.0]
        made.append(np.column_stack([places, np.full(len(places), z)]))
    points = np.vstack(made)
    return points + rng.normal(0, noise, points.shape)


def vane_trace(
    height: float, count: int = 400, radius: float = 1.0, *, noise: float = 0.001, errors: VaneErrors | None = None,
    seed: int = 12,
) -> tuple[Points, Points]:  # fmt: skip
    """Return the centres (n, 3) of a tip of a radius that goes around a vane at a height, and its ways there (n, 3)."""
    errors = VaneErrors() if errors is None else errors
    step = 1e-3
    rng = np.random.default_rng(seed + int(height))
    low, here, high = (errors.made(height + dz).around(600, 80) for dz in (-step, 0.0, step))
    way = np.append(0.0, np.cumsum(np.linalg.norm(np.diff(np.vstack([here, here[:1]]), axis=0), axis=1)))
    at = way[-1] * np.arange(count) / count

    def places(around: Floats) -> Floats:
        closed = np.vstack([around, around[:1]])
        return np.column_stack([np.interp(at, way, closed[:, k]) for k in range(2)])

    p = places(here)
    along = np.roll(p, -1, axis=0) - np.roll(p, 1, axis=0)
    along = np.column_stack([along / np.linalg.norm(along, axis=1)[:, None], np.zeros(count)])
    up = np.column_stack([(places(high) - places(low)) / (2 * step), np.ones(count)])
    out = np.cross(along, up)
    out /= np.linalg.norm(out, axis=1)[:, None]
    touched = np.column_stack([p, np.full(count, height)]) + rng.normal(0, noise, (count, 1)) * out
    return touched + radius * out, -out


def _root(count: int, rng: np.random.Generator) -> Points:
    """Return points of the upper face of the root, outside of the aerofoil, and of its sides."""
    x, y, z = ROOT
    upper = np.column_stack([rng.uniform(-0.5, 0.5, (count, 2)) * [x, y], np.zeros(count)])
    a = designed(0.0).around(100, 12)[None] - upper[:, None, :2]
    b = np.roll(a, -1, axis=1)
    turned = np.arctan2(a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0], (a * b).sum(axis=2)).sum(axis=1)
    upper = upper[np.abs(turned) < np.pi][: count // 2]
    many = count - len(upper)
    along, high, side = rng.uniform(-0.5, 0.5, many), rng.uniform(-z, 0.0, many), rng.integers(0, 4, many)
    sides = np.column_stack([np.where(side < 2, x * (side - 0.5), x * along), y * along, high])
    sides[side >= 2, 1] = y * (side[side >= 2] - 2.5)
    return np.vstack([upper, sides])


def build_vane() -> Any:
    """Return the vane as a kernel solid."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse
    from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    from truegauge.core.cad.kernel.lofts import closed_wire

    middle = designed(HEIGHT / 2).around(*_SHAPE)
    steps = np.linalg.norm(np.diff(np.vstack([middle, middle[:1]]), axis=0), axis=1)
    parameters = np.append(0.0, np.cumsum(steps)) / steps.sum()  # the same for all: their curves fit each other

    def loft(heights: Floats) -> Any:
        made = BRepOffsetAPI_ThruSections(True, False, 1e-6)
        made.CheckCompatibility(False)
        for z in heights:
            around = designed(float(z)).around(*_SHAPE)
            made.AddWire(closed_wire(np.column_stack([around, np.full(len(around), z)]), parameters))
        made.Build()
        return made.Shape()

    x, y, z = ROOT
    root = BRepPrimAPI_MakeBox(gp_Pnt(-x / 2, -y / 2, -z), x, y, z).Shape()
    fillet = loft(FILLET * (1.0 - np.cos(np.linspace(0.0, np.pi / 2, 9))))
    aerofoil = loft(np.append(FILLET, np.linspace(0.0, HEIGHT, 12)[1:]))
    return BRepAlgoAPI_Fuse(BRepAlgoAPI_Fuse(root, fillet).Shape(), aerofoil).Shape()
