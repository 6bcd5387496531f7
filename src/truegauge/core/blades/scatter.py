"""How sure the values of a section are: what they scatter by, were it measured again and again."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.result import in_pose
from truegauge.core.blades.section_fit import minimax_step, motion_columns
from truegauge.core.blades.told import blade_values, profile_values
from truegauge.core.blades.waviness import waviness_of
from truegauge.core.blades.zone_deviations import deviations_of, seen_places
from truegauge.core.blades.zones import zone_of
from truegauge.core.errors import TrueGaugeError

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.asked import Asked
    from truegauge.core.blades.result import SectionResult

_REPEATS = 16  # measurements that an uncertainty is read from
_TOLD = 0.75  # of them, that a value has to be told by


def scatter_of(result: SectionResult, asked: Asked) -> dict[str, float]:
    """Return the standard uncertainties of all that a section tells, by name; NaN where nothing tells them.

    They hold the noise of its points and what is between them, not where the scan is aligned to.
    """
    curve, fit = result.curve, result.fit
    if curve is None or fit is None:
        return {}
    rng, ways = np.random.default_rng(int(1e3 * abs(result.height))), asked.ways(result.plane)
    back = np.asarray(np.linalg.inv(fit.matrix), dtype=np.float64)
    every = []
    for _ in range(_REPEATS):
        drawn = curve.another(rng)
        try:
            made = blade_values(in_pose(curve, back, ways, asked.construction, drawn), asked)
        except TrueGaugeError:
            continue
        if asked.wavelength:
            made |= waviness_of(curve, result.nominal, asked.wavelength, result.gaps, drawn)
        profile = profile_values(deviations_of(curve, result.nominal, result.gaps, drawn), "after")
        # Laid on the nominal as it was measured its noise is the same.
        every.append(made | profile | {name.replace(".after", ".before"): v for name, v in profile.items()})
    if len(every) < _REPEATS // 2:
        return dict.fromkeys(result.told, float("nan"))
    base = dict(result.told) | {n: result.told[n.replace(".before", ".after")] for n in result.told if ".before" in n}
    off = {name: np.array([one[name] for one in every]) - base[name] for name in every[0]}
    off["chord_angle"] = np.mod(off["chord_angle"] + np.pi, 2 * np.pi) - np.pi  # a turn is none
    return {name: _scatter(own) for name, own in off.items()} | _of_fit(result, asked)


def _scatter(off: Floats) -> float:
    """Return the root mean square of differences; NaN where some repetitions in four do not tell the value at all."""
    known = off[np.isfinite(off)]
    return float(np.sqrt(np.mean(np.square(known)))) if len(known) >= _TOLD * len(off) else float("nan")


def _of_fit(result: SectionResult, asked: Asked) -> dict[str, float]:
    """Return the standard uncertainties of shift and turn, from the spline that the deviations are laid on.

    By least squares the motion follows linearly from its coefficients; the smallest largest distance is looked for
    again with others that they might be.
    """
    curve, fit, blade, freedom = result.curve, result.fit, result.nominal, asked.freedom
    assert curve is not None
    assert fit is not None
    many = len(freedom.shifts)
    s, there = seen_places(blade.profile, result.gaps)
    s = s[there]
    w = np.ones(len(s)) if asked.weights is None else np.array(asked.weights)[zone_of(blade, s)]
    columns = motion_columns(blade.profile, s, fit.pivot, freedom)
    if not columns.shape[1]:
        return {"fit_dx": 0.0, "fit_dy": 0.0, "fit_turn": 0.0}
    if asked.criterion == "minimax":
        rng, moved, free = np.random.default_rng(1), [], np.full(columns.shape[1], np.inf)
        for _ in range(_REPEATS):
            moved.append(minimax_step(columns, curve.deviation(s, curve.another(rng)), w, -free, free))
        spread = np.array(moved).T - np.mean(moved, axis=0)[:, None]
        spread = spread / np.sqrt(_REPEATS - 1)
    else:
        root = np.sqrt(w)[:, None]
        spread = np.linalg.lstsq(root * columns, root * curve.spread(s), rcond=1e-10)[0]
    shift = np.linalg.norm(freedom.shifts.T @ spread[:many], axis=1) if many else np.zeros(2)
    turn = float(np.linalg.norm(spread[many])) if freedom.turns else 0.0
    return {"fit_dx": float(shift[0]), "fit_dy": float(shift[1]), "fit_turn": turn}
