"""Stated uncertainty beside the errors of repeated measurements: ``benchmarks/stated_uncertainty.py [repetitions]``."""

import sys

import numpy as np

from truegauge.core.association.features import Cylinder
from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.extraction import ExtractionSettings, Measured, measure
from truegauge.core.plan.uncertain import TRIALS, perturbed, spread_and_bias
from truegauge.core.tolerancing.size import sizes_by
from truegauge.core.tolerancing.size_rule import SizeRule
from truegauge.core.uncertainty.common_errors import common_errors
from truegauge.core.uncertainty.stated_errors import StatedErrors

Z = np.array([0.0, 0.0, 1.0])
TRUTH = {"distance": 40.0, "tilt": 0.0, "position": 0.0, "perpendicularity": 0.0}  # all others: 10 mm
MAGNITUDES = ("position", "perpendicularity")
NOISE = {"touches": 0.005, "cloud": 0.010}


def bore(rng: np.random.Generator, count: int, how: str, x: float) -> Measured:
    """Measure a perfect bore of 10 by 20 mm at a place."""
    if how == "cloud":
        t, z = rng.uniform(0, 2 * np.pi, count), rng.uniform(-10, 10, count)
    else:
        rings = max(2, min(5, count // 4))
        around = count // rings
        t, z = np.tile(np.arange(around) * 2 * np.pi / around, rings), np.repeat(np.linspace(-8, 8, rings), around)
    r = 5 + rng.normal(0, NOISE[how], len(t))
    center = np.array([x, 0.0, 0.0])
    points = center + np.column_stack([r * np.cos(t), r * np.sin(t), z])
    settings = ExtractionSettings() if how == "cloud" else ExtractionSettings(averaging=0.0, reject=0.0)
    return measure(Nominal(Cylinder(center, Z, 5.0), -1, 20.0, center), points, np.arange(len(points)), settings)


def values(one: Measured, other: Measured) -> dict[str, float]:
    """Return what is read of two bores, mm (the tilt: rad)."""
    places = []
    for m in (one, other):
        p, d = m.feature.parameters["point"], m.feature.parameters["direction"]
        places.append(p - d * (p[2] / d[2]))
    slope = one.feature.parameters["direction"] / one.feature.parameters["direction"][2]
    ends = [places[0] - 10 * slope, places[0] + 10 * slope]
    found = {
        "distance": float(np.hypot(*(places[1] - places[0])[:2])),
        "tilt": float(one.feature.parameters["direction"][0]),
        "position": 2 * max(float(np.hypot(*e[:2])) for e in ends),
        "perpendicularity": 20 * float(np.hypot(*slope[:2])),
    }
    for rule in (SizeRule("GG"), SizeRule("GX"), SizeRule("GN"), SizeRule("LP", "SX"), SizeRule("E")):
        try:
            found[rule.letters] = sizes_by((one,), rule).told(9.9, 10.0)[0]
        except EvaluationError:
            continue
    return found


def ratios(count: int, how: str, repetitions: int) -> dict[str, float]:
    """Return the stated uncertainty over the rms error."""
    device = StatedErrors()
    real: list[dict[str, float]] = []
    stated: dict[str, list[float]] = {}
    for k in range(repetitions):
        rng = np.random.default_rng([3, k])
        a, b = bore(rng, count, how, 0.0), bore(rng, count, how, 40.0)
        real.append(values(a, b))
        if k % 4:
            continue
        trials = []
        for t in range(TRIALS):
            shared = common_errors(1000 * t + k, device)
            moved = [
                perturbed(m, device, (np.random.default_rng([t, own, k]), shared), forms=False)
                for own, m in enumerate((a, b))
            ]
            trials.append(values(*moved))
        own = real[-1]
        for name in own:
            above = None
            if name not in ("distance", "tilt", "GG"):
                base = "GG" if name not in MAGNITUDES else ""
                above = (own[name] - own.get(base, 0.0), [x[name] - x.get(base, 0.0) for x in trials])
            stated.setdefault(name, []).append(spread_and_bias(own[name], [x[name] for x in trials], above=above))
    off = {n: np.array([r[n] - TRUTH.get(n, 10.0) for r in real]) for n in stated}
    return {n: float(np.sqrt(np.mean(np.square(u)) / np.mean(off[n] ** 2))) for n, u in stated.items()}


def main() -> None:
    """Print a line for each way of measuring."""
    repetitions = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    for count, how in ((8, "touches"), (24, "touches"), (100, "touches"), (5000, "cloud"), (20_000, "cloud")):
        found = ratios(count, how, repetitions)
        print(f"{count:6d} {how:8s} " + "  ".join(f"{name} {ratio:.2f}" for name, ratio in found.items()))


if __name__ == "__main__":
    main()
