"""Is a qualification good, and if not, what to look for: in the order in which it is quickest to check."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np
from pydantic import Field, model_validator

from truegauge.core.frozen_model import Frozen

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector
    from truegauge.core.probing.qualification import SphereFit, StylusResult


class Verdict(StrEnum):
    """What a qualification is worth."""

    GOOD = "good"
    ACCEPTABLE = "acceptable"
    LOOK = "look into it"
    STOP = "stop"

    @property
    def passes(self) -> bool:
        """Whether the stylus may measure."""
        return self is not Verdict.STOP


class QualificationLimits(Frozen):
    """Limits, mm: of the standard deviation of the touches, of diameter and place against what was entered."""

    good: float = Field(default=0.005, gt=0, le=1)
    acceptable: float = Field(default=0.007, gt=0, le=1)
    look: float = Field(default=0.010, gt=0, le=1)
    diameter: float = Field(default=0.10, gt=0, le=10)
    place: float = Field(default=1.5, gt=0, le=50)
    moved: float = Field(default=0.020, gt=0, le=10)

    @model_validator(mode="after")
    def _in_order(self) -> QualificationLimits:
        if not self.good <= self.acceptable <= self.look:
            raise ValueError("the limits of the standard deviation must grow: good, acceptable, look into it")
        return self


@dataclass(frozen=True, slots=True)
class Cause:
    """Something to check: what, why it is suspected, and whether the numbers point at it."""

    what: str
    why: str
    likely: bool = False


@dataclass(frozen=True, slots=True)
class Judgement:
    """The verdict, in a sentence, and what to check in this order (the likely ones are marked)."""

    verdict: Verdict
    text: str
    causes: tuple[Cause, ...] = ()

    @property
    def likely(self) -> Cause | None:
        """What the numbers point at."""
        return next((c for c in self.causes if c.likely), None)


def judge_qualification(
    result: StylusResult, entered_diameter: float, limits: QualificationLimits, *, sphere_shift: float | None = None,
    place_known: bool = True, stylus: Vector | None = None, locates: bool = False,
) -> Judgement:  # fmt: skip
    """Judge a qualification.

    Parameters
    ----------
    entered_diameter : float
        The diameter of the tip by the assembly, mm.
    sphere_shift : float, optional
        How far the centre of the sphere was found from where it was before, by a stylus that was qualified then, mm;
        without one touch that alone stands out (`standing_out`): dirt shifts no sphere.
    place_known : bool
        Whether the sphere was located by the master; the place of the stylus means nothing else.
    stylus : (3,), optional
        The direction away from the stem of the stylus; the middle of the touches without.
    locates : bool
        Whether it is the master, which says where the sphere is.
    """
    deviation = result.fit.deviation
    verdict = _by_deviation(deviation, limits)
    off_diameter = result.diameter - entered_diameter
    off_place = float(np.linalg.norm(result.offset)) if place_known else 0.0
    wrong_diameter = abs(off_diameter) > limits.diameter
    wrong_place = off_place > limits.place
    # The master that finds it elsewhere by touches that agree has located it there: nothing is wrong.
    elsewhere = sphere_shift is not None and sphere_shift > limits.moved
    moved = elsewhere and not (locates and deviation <= limits.acceptable)
    said = [f"standard deviation {deviation:.4f} mm: {verdict}"]
    if wrong_diameter:
        said.append(f"the effective diameter {result.diameter:.3f} is not the {entered_diameter:g} that was entered")
    if wrong_place:
        said.append(f"the tip is {off_place:.2f} mm from where the assembly says")
    if moved:
        said.append(f"it finds the sphere {sphere_shift:.3f} mm from where it was")
    if wrong_diameter or wrong_place or moved:
        verdict = Verdict.STOP
    causes: tuple[Cause, ...] = ()
    if verdict in (Verdict.LOOK, Verdict.STOP):
        scattered = deviation > limits.acceptable
        causes = _causes(result.fit, stylus, scattered, wrong_diameter, wrong_place, moved, off_diameter)
    return Judgement(verdict, "; ".join(said), causes)


def _by_deviation(deviation: float, limits: QualificationLimits) -> Verdict:
    for verdict, limit in (
        (Verdict.GOOD, limits.good), (Verdict.ACCEPTABLE, limits.acceptable), (Verdict.LOOK, limits.look),
    ):  # fmt: skip
        if deviation <= limit:
            return verdict
    return Verdict.STOP


def _causes(
    fit: SphereFit, stylus: Vector | None, scattered: bool, wrong_diameter: bool, wrong_place: bool, moved: bool,
    off_diameter: float,
) -> tuple[Cause, ...]:  # fmt: skip
    one = standing_out(fit) if scattered else None
    dirt = "" if one is None else f"touch {one + 1} alone stands out of the sphere"
    bent = _two_sided(fit, stylus) if scattered and not dirt else ""
    # A sphere that was moved is as round as before: what scatters and finds it elsewhere is the stylus.
    loose = scattered and moved and not dirt
    why_loose = bent or ("its touches scatter, and it finds the sphere elsewhere" if loose else "")
    why_loose = why_loose or ("the tip is not where the assembly says" if wrong_place else "")
    moved = moved and not scattered
    larger = "larger" if off_diameter > 0 else "smaller"
    return (
        Cause("dirt on tip or sphere: clean both", dirt or "the quickest to rule out", bool(dirt)),
        Cause("loose or bent stylus: tighten or change it", why_loose or "touches from one side differ from others",
              bool(why_loose) and not dirt and not moved and not (wrong_diameter and not bent)),
        Cause("wrong tip diameter entered", f"the effective diameter is {abs(off_diameter):.3f} mm {larger}"
              if wrong_diameter else "it agrees with what was entered", wrong_diameter),
        Cause("damaged tip: look at it under a glass", "scatter without a pattern" if scattered and not dirt
              and not why_loose else "chips and flats scatter the touches", scattered and not dirt and not why_loose),
        Cause("the sphere moved: locate it again with the master stylus",
              "its centre is somewhere else now" if moved else "its centre is where it was", moved),
    )  # fmt: skip


def standing_out(fit: SphereFit) -> int | None:
    """Return the one touch without which the others agree; None where there is no such one."""
    n = len(fit.residuals)
    if n < 7:
        return None
    jacobian = np.column_stack([-fit.directions, -np.ones(n)])
    hat = jacobian @ np.linalg.pinv(jacobian)
    left = 1 - np.diag(hat)
    total = float(fit.residuals @ fit.residuals)
    # Leaving touch k out takes r_k^2 / (1 - h_kk) away from the sum of squares.
    gain = fit.residuals**2 / np.maximum(left, 1e-6)
    gain[left < 0.05] = 0.0
    k = int(np.argmax(gain))
    return k if gain[k] > 0.75 * total and fit.residuals[k] > 0 else None


def _two_sided(fit: SphereFit, stylus: Vector | None) -> str:
    """Say that the residuals go with twice the angle about the stylus: it gives way to one side more."""
    n = len(fit.residuals)
    if n < 8:
        return ""
    pole = fit.directions.mean(axis=0) if stylus is None else -stylus
    pole = pole / np.linalg.norm(pole)
    x = np.cross(pole, [0.0, 0.0, 1.0] if abs(pole[2]) < 0.9 else [1.0, 0.0, 0.0])
    x /= np.linalg.norm(x)
    y = np.cross(pole, x)
    angle = 2 * np.arctan2(fit.directions @ y, fit.directions @ x)
    weight = 1 - (fit.directions @ pole) ** 2
    base = np.column_stack([fit.directions, np.ones(n)])
    two = np.column_stack([weight * np.cos(angle), weight * np.sin(angle)])
    two -= base @ np.linalg.lstsq(base, two, rcond=None)[0]
    explained = two @ np.linalg.lstsq(two, fit.residuals, rcond=None)[0]
    share = float(explained @ explained) / max(float(fit.residuals @ fit.residuals), 1e-30)
    return "the tip gives way to one side more than across it" if share > 0.7 else ""
