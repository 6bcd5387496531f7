"""What is told of a section of a blade: nominal beside measured."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.parameters import blade_of
from truegauge.core.blades.told import fit_values, profile_values

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.blades.construction import Construction
    from truegauge.core.blades.measured_profile import MeasuredProfile
    from truegauge.core.blades.parameters import Blade, Ways
    from truegauge.core.blades.section_fit import SectionFit
    from truegauge.core.blades.zone_deviations import Deviations
    from truegauge.core.sections.cone import SectionSurface


@dataclass(frozen=True, eq=False)
class SectionResult:
    """A section: `nominal_values`, and what is measured where there are points (n, 2), else the `problem`.

    `uncertainties` are standard ones; `before` and `after` the fit by zone and of `all`. What is missing is NaN, and
    `notes` say why. `curve` are the deviations from the nominal after the fit, `plain` those before it, without what
    is in `gaps` (first and last parameter).
    """

    height: float
    plane: SectionSurface
    nominal: Blade
    nominal_values: Mapping[str, float]
    points: Floats
    measured: Blade | None = None
    values: Mapping[str, float] = field(default_factory=dict)
    uncertainties: Mapping[str, float] = field(default_factory=dict)
    fit: SectionFit | None = None
    before: Mapping[str, Deviations] = field(default_factory=dict)
    after: Mapping[str, Deviations] = field(default_factory=dict)
    curve: MeasuredProfile | None = None
    plain: MeasuredProfile | None = None
    gaps: tuple[tuple[float, float], ...] = ()
    noise: float = float("nan")
    notes: tuple[str, ...] = ()
    problem: str = ""

    @cached_property
    def told(self) -> dict[str, float]:
        """Everything that is measured, by name: values, the profile by zone before and after the fit, the fit."""
        if self.fit is None:
            return {}
        profiles = profile_values(self.before, "before") | profile_values(self.after, "after")
        return {**self.values, **profiles, **fit_values(self.fit)}


def in_pose(
    curve: MeasuredProfile, back: Floats, ways: Ways, construction: Construction, coefficients: Floats | None = None
) -> Blade:
    """Return a measured section where it was measured, not where the fit puts it: moved `back` (3, 3) from there."""
    return blade_of(curve.curve(coefficients, np.asarray(back)), ways, construction)
