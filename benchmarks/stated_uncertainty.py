"""Stated uncertainty beside the errors of repeated measurements: ``benchmarks/stated_uncertainty.py [repetitions]``.

A part of three datum faces, two bores and a top face is measured again and again with fresh noise: once perfect, once
with errors that are known. The uncertainty that each measurement states is put beside its error.
"""

import sys
from dataclasses import dataclass

import numpy as np

from truegauge.core.association.features import Cylinder, Plane
from truegauge.core.cad.recognition import Nominal
from truegauge.core.datums.common import DatumAssociation
from truegauge.core.datums.given import SystemDatum
from truegauge.core.datums.system import establish
from truegauge.core.errors import EvaluationError
from truegauge.core.evaluation.trials import perturbed
from truegauge.core.evaluation.uncertainty import TRIALS, spread_and_bias
from truegauge.core.features.extraction import ExtractionSettings, Measured, measure
from truegauge.core.nodes.datum_parts import datum_parts
from truegauge.core.tolerancing.form import form_value
from truegauge.core.tolerancing.geometric import evaluate
from truegauge.core.tolerancing.request import Request, Unit
from truegauge.core.tolerancing.size import sizes_by
from truegauge.core.tolerancing.size_rule import SizeRule
from truegauge.core.uncertainty.common_errors import common_errors
from truegauge.core.uncertainty.stated_errors import StatedErrors

X, Y, Z = np.eye(3)
NOISE = {"touches": 0.005, "cloud": 0.010}
SETTINGS = {"touches": ExtractionSettings(averaging=0.0, reject=0.0), "cloud": ExtractionSettings()}
RULES = (SizeRule("GG"), SizeRule("GX"), SizeRule("GN"), SizeRule("LP", "SX"), SizeRule("LP", "SN"), SizeRule("E"))
FORMS = ("flatness", "cylindricity", "roundness")
MAGNITUDES = ("position", "perpendicularity", "parallelism", "profile", *FORMS)
Scene = dict[str, Measured]
_EVERY = 3  # repetition whose uncertainty is worked out


@dataclass(frozen=True)
class Errors:
    """What is wrong with the part, mm: bore 1 off by `shift` in X, leaning `lean` over its 20 mm, with three lobes of
    `lobes`; the top bowed by `bow` and too high by `high`."""

    shift: float = 0.0
    lean: float = 0.0
    lobes: float = 0.0
    bow: float = 0.0
    high: float = 0.0


PERFECT, REAL = Errors(), Errors(shift=0.03, lean=0.012, lobes=0.02, bow=0.03, high=0.02)


def truth(e: Errors) -> dict[str, float]:
    """Return what a measurement without noise finds."""
    small, large = 10 - 2 * e.lobes, 10 + 2 * e.lobes
    return {
        "distance": 40.0 - e.shift, "angle": e.lean / 20, "place x": e.shift,
        "position": 2 * (e.shift + e.lean / 2), "perpendicularity": e.lean,
        # The best plane of a cylindrical bow lies half way; datum A is flat.
        "parallelism": e.bow, "profile": 2 * max(abs(e.high), abs(e.high - e.bow)),
        "GG": 10.0, "GX": small, "GN": large,
        "SX": 10.0, "SN": 10.0,
        "E": 10.0,  # what is nearest to its limit, 9.9 or 10, is told
        "flatness": e.bow, "cylindricity": 2 * e.lobes, "roundness": 2 * e.lobes,
    }  # fmt: skip


def _grid(rng: np.random.Generator, count: int, how: str) -> tuple[np.ndarray, np.ndarray]:
    if how == "cloud":
        return rng.uniform(-0.5, 0.5, count), rng.uniform(-0.5, 0.5, count)
    across = max(2, int(np.sqrt(count)))
    along = count // across
    u, v = np.meshgrid(np.linspace(-0.45, 0.45, along), np.linspace(-0.45, 0.45, across))
    return u.ravel(), v.ravel()


def face(rng: np.random.Generator, count: int, how: str, at, normal, sides, errors: Errors = PERFECT) -> Measured:  # type: ignore[no-untyped-def]
    """Measure a rectangle; `errors` bow it along its first side and raise it."""
    u, v = _grid(rng, count, how)
    first = X if abs(normal[0]) < 0.5 else Y
    off = errors.high - errors.bow * (2 * u / 0.9 if how == "touches" else 2 * u) ** 2
    off = off + rng.normal(0, NOISE[how], len(u))
    place = np.asarray(at, dtype=float)
    points = place + sides[0] * u[:, None] * first + sides[1] * v[:, None] * np.cross(normal, first)
    points = points + off[:, None] * normal
    nominal = Nominal(Plane(place, np.asarray(normal, dtype=float)), 1, float(np.hypot(*sides)), place)
    return measure(nominal, points, np.arange(len(points)), SETTINGS[how], single=how == "touches")


def bore(rng: np.random.Generator, count: int, how: str, x: float, errors: Errors = PERFECT) -> Measured:
    """Measure a bore of 10 by 20 mm."""
    taken = None
    if how == "cloud":
        t, z = rng.uniform(0, 2 * np.pi, count), rng.uniform(-10, 10, count)
    else:
        rings = 2 if count < 25 else 3 if count < 100 else 4
        around = count // rings
        t, z = np.tile(np.arange(around) * 2 * np.pi / around, rings), np.repeat(np.linspace(-9, 9, rings), around)
        taken = np.repeat(np.arange(rings), around)
    r = 5 + errors.lobes * np.cos(3 * t) + rng.normal(0, NOISE[how], len(t))
    center = np.array([x, 0.0, 10.0])
    off = errors.shift + errors.lean * z / 20
    points = center + np.column_stack([r * np.cos(t) + off, r * np.sin(t), z])
    nominal = Nominal(Cylinder(center, Z, 5.0), -1, 20.0, center)
    return measure(nominal, points, np.arange(len(points)), SETTINGS[how], single=how == "touches", taken=taken)


def scene(rng: np.random.Generator, count: int, how: str, errors: Errors) -> Scene:
    """Measure the part once."""
    return {
        "A": face(rng, count, how, (0, 0, 0), -Z, (100, 60)),
        "B": face(rng, count, how, (0, -30, 10), -Y, (100, 20)),
        "C": face(rng, count, how, (-50, 0, 10), -X, (60, 20)),
        "bore": bore(rng, count, how, 0.0, errors),
        "other": bore(rng, count, how, 40.0),
        "top": face(rng, count, how, (0, 0, 20), Z, (100, 60), errors),
    }


def _axis(measured: Measured) -> tuple[np.ndarray, np.ndarray]:
    """Return where an axis is at mid height, and its slope."""
    p, d = measured.feature.parameters["point"], measured.feature.parameters["direction"]
    return p + d / d[2] * (10.0 - p[2]), d / d[2]


def values(s: Scene, *, forms: bool) -> dict[str, float]:
    """Return what is read of the part, mm (the angle: rad); `forms` alone, or all the others."""
    if forms:
        of = {"flatness": s["top"], "cylindricity": s["bore"], "roundness": s["bore"]}
        return _read({name: lambda n=name, m=m: form_value(n, (m,))[0] for name, m in of.items()})
    uses = [SystemDatum(letter, tuple(datum_parts([letter], [s[letter]]))) for letter in "ABC"]
    middle = np.array([0.0, 0.0, 10.0])
    full = establish(uses, DatumAssociation.OUTSIDE, center=middle, length=120.0)
    first = establish(uses[:1], DatumAssociation.OUTSIDE, center=middle, length=120.0)

    def zone(kind: str, name: str, system) -> float:  # type: ignore[no-untyped-def]
        return evaluate(Request(kind, (Unit(name, (s[name],)),), system)).value

    (one, slope), (other, _) = _axis(s["bore"]), _axis(s["other"])
    base = s["A"].feature.parameters["normal"]
    wanted = {
        "distance": lambda: float(np.hypot(*(other - one)[:2])),
        "angle": lambda: float(slope[0] - base[0] / base[2]),
        "place x": lambda: float(np.append(one, 1.0) @ full.part_from_measured[0]),
        "position": lambda: zone("position", "bore", full),
        "perpendicularity": lambda: zone("perpendicularity", "bore", first),
        "parallelism": lambda: zone("parallelism", "top", first),
        "profile": lambda: zone("profile_surface", "top", full),
    }
    for rule in RULES:
        wanted[rule.rank or rule.how] = lambda r=rule: sizes_by((s["bore"],), r).told(9.9, 10.0)[0]
    return _read(wanted)


def _read(wanted) -> dict[str, float]:  # type: ignore[no-untyped-def]
    found = {}
    for name, read in wanted.items():
        try:
            found[name] = read()
        except EvaluationError:  # touches too few for it
            continue
    return found


def _stated(s: Scene, own: dict[str, float], seed: int, *, forms: bool) -> dict[str, float]:
    device, trials = StatedErrors(), []
    s = {name: m for name, m in s.items() if name in ("bore", "top") or not forms}
    for t in range(TRIALS):
        shared = common_errors(1000 * t + seed, device)
        moved = {
            name: perturbed(m, device, (np.random.default_rng([t, k, seed]), shared), forms=forms)
            for k, (name, m) in enumerate(s.items())
        }
        trials.append(values(moved, forms=forms))
    stated = {}
    for name, value in own.items():
        above, found = None, [x[name] for x in trials if name in x]
        if name in MAGNITUDES:
            above = (value, found)
        elif name in ("GX", "GN", "SX", "SN", "E"):
            above = (value - own["GG"], [x[name] - x["GG"] for x in trials if name in x])
        stated[name] = spread_and_bias(value, found, above=above)
    return stated


def ratios(count: int, how: str, errors: Errors, repetitions: int) -> dict[str, tuple[float, float]]:
    """Return for each value the stated uncertainty over the rms error, and how often the error is within 2 u."""
    known = truth(errors)
    off: dict[str, list[float]] = {}
    stated: dict[str, list[tuple[float, float]]] = {}
    for k in range(repetitions):
        s = scene(np.random.default_rng([3, k]), count, how, errors)
        for forms in (False, True):
            own = values(s, forms=forms)
            for name, value in own.items():
                off.setdefault(name, []).append(value - known[name])
            if k % _EVERY == 0:
                for name, u in _stated(s, own, k, forms=forms).items():
                    stated.setdefault(name, []).append((u, abs(own[name] - known[name])))
    found = {}
    for name, pairs in stated.items():
        u, error = np.array(pairs).T
        rms = float(np.sqrt(np.mean(np.square(off[name]))))
        share = float(np.mean(error <= 2 * u + 1e-4))
        found[name] = (float(np.sqrt(np.mean(np.square(u)))) / rms if rms > 1e-4 else 1.0, share)
    return found


def main() -> None:
    """Print a table for each part: a line a value, a column for each way of measuring."""
    repetitions = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    ways = ((8, "touches"), (25, "touches"), (100, "touches"), (2000, "cloud"), (10_000, "cloud"))
    for word, errors in (("perfect", PERFECT), ("with errors", REAL)):
        table = [ratios(count, how, errors, repetitions) for count, how in ways]
        print(f"\n{word}, {repetitions} repetitions: u / rms error (share within 2 u)")
        print(" " * 18 + "".join(f"{f'{count} {how}':>16s}" for count, how in ways))
        for name in truth(errors):
            cells = [f"{found[name][0]:.2f} ({found[name][1]:.2f})" if name in found else "-" for found in table]
            print(f"{name:18s}" + "".join(f"{cell:>16s}" for cell in cells), flush=True)


if __name__ == "__main__":
    main()
