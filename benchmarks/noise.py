"""What noise does to numbers of scans: bias and scatter on perfect features, and form that is there.

``.venv/bin/python benchmarks/noise.py [repetitions]``
"""

import sys
from dataclasses import dataclass

import numpy as np

from truegauge.core.association.features import Cylinder, Plane
from truegauge.core.cad.recognition import Nominal
from truegauge.core.datums.common import DatumAssociation
from truegauge.core.datums.given import DatumPart, SystemDatum
from truegauge.core.datums.system import establish
from truegauge.core.features.extraction import ExtractionSettings, Measured, measure
from truegauge.core.tolerancing.derived import surface_points
from truegauge.core.tolerancing.form import form_value
from truegauge.core.tolerancing.geometric import evaluate
from truegauge.core.tolerancing.request import Request, Unit
from truegauge.core.tolerancing.size import sizes_by
from truegauge.core.tolerancing.size_rule import SizeRule

Z = np.array([0.0, 0.0, 1.0])
X = np.array([1.0, 0.0, 0.0])
SETTINGS = ExtractionSettings()


@dataclass(frozen=True)
class Scan:
    """How a scan is made: points a feature, noise (mm)."""

    points: int
    noise: float


def plane(rng: np.random.Generator, scan: Scan, point, normal, sides, height=lambda u, v: 0.0) -> Measured:  # type: ignore[no-untyped-def]
    """Scan a rectangle of `sides` mm about a point."""
    normal = np.asarray(normal, dtype=float)
    u = np.linalg.svd(normal[None])[2][1]
    v = np.cross(normal, u)
    a, b = (rng.uniform(-0.5, 0.5, scan.points) * s for s in sides)
    off = height(a, b) + rng.normal(0, scan.noise, scan.points)
    points = np.asarray(point, dtype=float) + a[:, None] * u + b[:, None] * v + off[:, None] * normal
    nominal = Nominal(
        Plane(np.asarray(point, dtype=float), normal), 1, float(np.hypot(*sides)), np.asarray(point, float)
    )
    return measure(nominal, points, np.arange(scan.points), SETTINGS)


def bore(rng: np.random.Generator, scan: Scan, place, radius, length, deviation=lambda t, z: 0.0) -> Measured:  # type: ignore[no-untyped-def]
    """Scan a bore along Z about a place."""
    t, z = rng.uniform(0, 2 * np.pi, scan.points), rng.uniform(-0.5, 0.5, scan.points) * length
    r = radius + deviation(t, z) + rng.normal(0, scan.noise, scan.points)
    center = np.asarray(place, dtype=float)
    points = center + np.column_stack([r * np.cos(t), r * np.sin(t), z])
    return measure(Nominal(Cylinder(center, Z, radius), -1, length, center), points, np.arange(scan.points), SETTINGS)


def part(letter: str, m: Measured) -> SystemDatum:
    """A measured feature as a datum."""
    n = m.nominal
    return SystemDatum(letter, (DatumPart(letter, n.feature, n.outward, m.middle, m.feature, surface_points(m)),))


def numbers(rng: np.random.Generator, scan: Scan) -> dict[str, float]:
    """Deviations from the truth of what is read of a perfect part, mm."""
    a = plane(rng, scan, (0, 0, 0), -Z, (100, 60))
    b = plane(rng, scan, (-50, 0, 10), -X, (60, 20))
    c = plane(rng, scan, (0, -30, 10), (0, -1, 0), (100, 20))
    hole = bore(rng, scan, (10, 5, 10), 5.0, 20.0)
    top = plane(rng, scan, (0, 0, 20), Z, (100, 60))
    system = establish([part("A", a), part("B", b), part("C", c)], DatumAssociation.OUTSIDE,
                       center=np.array([0.0, 0, 10]), length=120.0)  # fmt: skip
    only = establish([part("A", a)], DatumAssociation.OUTSIDE, center=np.array([0.0, 0, 10]), length=120.0)

    def value(kind: str, m: Measured, frame=system) -> float:  # type: ignore[no-untyped-def]
        return evaluate(Request(kind, (Unit("f", (m,)),), frame)).value

    datum = a.as_datum()
    moved = system.part_from_measured[:3, 3]
    return {
        "size GG": sizes_by((hole,), SizeRule("GG")).told()[0] - 10,
        "size GX": sizes_by((hole,), SizeRule("GX")).told()[0] - 10,
        "size GN": sizes_by((hole,), SizeRule("GN")).told()[0] - 10,
        "size LP SX": sizes_by((hole,), SizeRule("LP", "SX")).told()[0] - 10,
        "size LP SN": sizes_by((hole,), SizeRule("LP", "SN")).told()[0] - 10,
        "size E": sizes_by((hole,), SizeRule("E")).told(10.0, 10.1)[0] - 10,
        "datum plane": float((datum.parameters["point"]) @ -Z),
        "datum place x": float(moved[0]),
        "position": value("position", hole),
        "perpendicularity": value("perpendicularity", hole, only),
        "parallelism": value("parallelism", top, only),
        "profile": value("profile_surface", top),
        "flatness": form_value("flatness", (top,))[0],
        "cylindricity": form_value("cylindricity", (hole,))[0],
        "roundness": form_value("roundness", (hole,))[0],
        "straightness": form_value("straightness", (hole,))[0],
    }


FORMS = ("flatness", "cylindricity", "roundness", "straightness")


def kept(rng: np.random.Generator, scan: Scan) -> dict[str, float]:
    """Which share of a form that is there is read."""
    depth = 2 * scan.noise
    found = {}
    for lobes in (2, 3, 5, 8, 12):
        lobed = bore(rng, scan, (0, 0, 0), 5.0, 20.0, lambda t, z, k=lobes: depth * np.cos(k * t))
        found[f"{lobes} lobes"] = form_value("roundness", (lobed,))[0] / (2 * depth)
    waved = plane(rng, scan, (0, 0, 0), Z, (100, 60), lambda u, v: depth * np.cos(2 * np.pi * u / 40))
    found["wave of 40 mm"] = form_value("flatness", (waved,))[0] / (2 * depth)
    dished = plane(rng, scan, (0, 0, 0), Z, (100, 60), lambda u, v: 4 * depth * ((u / 50) ** 2 + (v / 30) ** 2) / 2)
    found["dish"] = form_value("flatness", (dished,))[0] / (4 * depth)
    return found


def main() -> None:
    """Print the tables."""
    repetitions = int(sys.argv[1]) if len(sys.argv) > 1 else 20
    for scan in (Scan(2000, 0.005), Scan(2000, 0.020), Scan(10_000, 0.010), Scan(50_000, 0.010)):
        rows = [numbers(np.random.default_rng([1, k]), scan) for k in range(repetitions)]
        print(f"\n{scan.points} points a feature, noise {1000 * scan.noise:.0f} um")
        print("  bias and scatter, in units of the noise")
        for name in rows[0]:
            values = np.array([r[name] for r in rows]) / scan.noise
            bar = 0.5 if name in FORMS else 0.2
            mark = "" if abs(values.mean()) < bar else "  over the bar"
            print(f"  {name:18s} {values.mean():+7.3f}  {values.std():6.3f}{mark}")
        shares = [kept(np.random.default_rng([2, k]), scan) for k in range(max(1, repetitions // 4))]
        print("  kept: " + ", ".join(f"{n} {np.mean([s[n] for s in shares]):.2f}" for n in shares[0]))


if __name__ == "__main__":
    main()
