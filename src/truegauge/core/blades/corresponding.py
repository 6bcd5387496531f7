"""Places of sections that correspond: what a surface through all of them goes along."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.mean_line import mean_line
from truegauge.core.blades.profile import Profile
from truegauge.core.errors import EvaluationError, GeometryError, TrueGaugeError

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats, Points

_PLACES = 150  # along each side of a section
_LEVEL = 1e-4  # mm that the points of a section are at one height


def corresponding(sections: Sequence[Points]) -> list[Points]:
    """Return as many places (n, 3) around each section, from low to high.

    Sections are points (n, 3) mm in order around them, square to an axis of the part. Places correspond by length
    along each side, from the trailing edge on.

    Raises
    ------
    GeometryError
        Fewer than two sections, one askew, one with a sharp edge, or one that is none of an aerofoil.
    """
    if len(sections) < 2:
        raise GeometryError("a part is made of two sections or more: the table has only one")
    axis = _axis(sections)
    across = [(axis + 1) % 3, (axis + 2) % 3]
    heights = np.array([float(s[:, axis].mean()) for s in sections])
    order = np.argsort(heights)
    close = np.diff(heights[order])
    if close.min() <= _LEVEL:
        raise GeometryError(f"two sections are at the height {heights[order[int(np.argmin(close))]]:g} mm")
    made, toward = [], None
    for k in order:
        try:
            places, toward = _places(sections[k][:, across], toward)
        except TrueGaugeError as error:
            raise GeometryError(f"the section at {heights[k]:g} mm: {error}") from error
        solid = np.empty((len(places), 3))
        solid[:, across], solid[:, axis] = places, heights[k]
        made.append(solid)
    return made


def _axis(sections: Sequence[Points]) -> int:
    """Return the axis of the part that all sections are square to."""
    for axis in (2, 0, 1):
        if all(float(np.ptp(s[:, axis])) <= _LEVEL for s in sections):
            return axis
    raise GeometryError("the sections are not square to x, y or z: the points of each have to be at one height")


def _places(flat: Floats, toward: Floats | None) -> tuple[Floats, Floats]:
    """Return places (n, 2) around a section from its trailing edge on, and the way to its leading edge (2,)."""
    profile = Profile.through(flat)
    if len(profile.corners):
        x, y = profile.at(profile.corners[:1])[0]
        raise EvaluationError(f"it has a sharp edge at ({x:.3f}, {y:.3f}): a smooth solid goes through round ones only")
    line = mean_line(profile, toward)
    # Along each side from end to end, denser towards both: sections of other sizes have them at the same shares.
    share = (1.0 - np.cos(np.pi * np.arange(_PLACES) / _PLACES)) / 2.0
    made = []
    for first, last in ((line.trailing_s, line.leading_s), (line.leading_s, line.trailing_s)):
        made.append(first + share * np.mod(last - first, profile.length))
    return profile.at(np.concatenate(made)), line.leading - line.trailing
