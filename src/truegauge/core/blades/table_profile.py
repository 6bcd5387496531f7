"""The nominal curve of a section from a table of its points, and the points of a scan that belong to it."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.carrying import FAR
from truegauge.core.blades.parameters import blade_of
from truegauge.core.blades.profile import Profile
from truegauge.core.blades.result import SectionResult
from truegauge.core.blades.scatter import scatter_of
from truegauge.core.blades.section_fit import feet_on
from truegauge.core.blades.sections import judged
from truegauge.core.errors import EvaluationError
from truegauge.core.progress import Progress, silent

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Points
    from truegauge.core.blades.asked import Asked

_LEVEL = 1e-4  # mm that the points of a section are at one height


def heights_of(tables: Sequence[Points], asked: Asked) -> tuple[float, ...]:
    """Return the heights of sections that are given by points (n, 3), part coordinates.

    Raises
    ------
    EvaluationError
        The points of one are at different heights.
    """
    axis = np.array(asked.axis, dtype=np.float64) / np.linalg.norm(asked.axis)
    made = []
    for k, table in enumerate(tables, 1):
        along = (table - np.array(asked.origin)) @ axis
        if np.ptp(along) > _LEVEL:
            raise EvaluationError(
                f"the points of section {k} are at heights from {along.min():g} to {along.max():g} mm"
            )
        made.append(float(along.mean()))
    return tuple(made)


def sections_by_table(
    tables: Sequence[Points], points: Points, asked: Asked, progress: Progress = silent
) -> tuple[SectionResult, ...]:
    """Measure sections that are given by points (n, 3) of each, in order around it; the scan is aligned.

    Points of the scan near a plane are taken as they lie: without a surface nothing tells how it leans.

    Raises
    ------
    EvaluationError
        Sections rise; there is none at a height that is asked for; or it is none of an aerofoil.
    """
    if not asked.is_level:
        raise EvaluationError("sections of a table lie in planes square to the stacking axis, not in others")
    there = heights_of(tables, asked)
    axis = np.array(asked.axis, dtype=np.float64) / np.linalg.norm(asked.axis)
    along = (points - np.array(asked.origin)) @ axis
    made = []
    for k, height in enumerate(asked.heights or there):
        progress(k / max(1, len(asked.heights or there)), f"section at {height:g} mm")
        own = int(np.argmin(np.abs(np.array(there) - height)))
        if abs(there[own] - height) > _LEVEL:
            told = ", ".join(f"{h:g}" for h in there)
            raise EvaluationError(f"the table has no section at {height:g} mm, only at {told}")
        plane = asked.plane(height)
        try:
            blade = blade_of(Profile.through(plane.flat(tables[own])), asked.ways(plane), asked.construction)
        except EvaluationError as error:
            raise EvaluationError(f"at {height:g} mm: {error}") from error
        flat = plane.flat(points[np.abs(along - height) <= asked.thickness / 2])
        near = np.abs(feet_on(blade.profile, flat).distance) <= FAR if len(flat) else np.zeros(0, dtype=bool)
        notes = ("the points lie as they are: without a surface nothing tells how it leans",)
        result = judged(blade, flat[near], height, plane, asked, notes)
        made.append(replace(result, uncertainties=scatter_of(result, asked)))
    return tuple(made)
