"""The points of a section: those near its plane, carried along the surface into it; of touches their tips, too."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.sections.measured import measured_section

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Normals, Points
    from truegauge.core.cad.projection import Projector
    from truegauge.core.sections.cone import SectionSurface
    from truegauge.core.sections.nominal import NominalSection

FAR = 3.0  # mm off the nominal, from which points are of something else
MOST = 4_000  # points: more tell a section no better
_OF_OTHERS = 0.05  # of the points, that may be


@dataclass(frozen=True, slots=True, eq=False)
class Carried:
    """Points (n, 2) in the plane of a section, mm, and what else is near it in words.

    Of touches `centers` (n, 2) are those of the tips as the plane sees them, each `reach` (n,) mm off its point: on a
    surface that leans by an angle that is the radius over its cosine.
    """

    flat: Floats
    notes: tuple[str, ...]
    centers: Floats
    reach: Floats | None = None


def into_plane(
    projector: Projector, plane: SectionSurface, curve: NominalSection, feet: Points, normals: Normals,
    distances: Floats, faces: Ints, thickness: float, away: int, radii: Floats | None = None,
) -> Carried:  # fmt: skip
    """Carry points near the plane into it, along the surface (see `measured_section`); and say what else is there.

    Parameters
    ----------
    away : int
        How many points are near the plane and far off the nominal.
    radii : (n,), optional
        Of tips, mm; distances are those of the surface already. Of more points than tell a section better only some are
        taken, evenly.
    """
    step = max(1, len(feet) // MOST)
    chosen = np.arange(0, len(feet), step)
    groups = [chosen] if radii is None else [chosen[radii[chosen] == r] for r in np.unique(radii[chosen])]
    flat, centers, reach = [np.zeros((0, 2))], [np.zeros((0, 2))], [np.zeros(0)]
    for own in groups:
        found = measured_section(
            projector, plane, curve, feet[own], normals[own], distances[own], faces[own], thickness
        )
        flat.append(found.flat)
        if radii is not None and len(found.flat):
            at = plane.solid(found.feet)
            inside = plane.flat_directions(np.asarray(projector.deviations(at).normals, dtype=np.float64), at)
            cosine = np.linalg.norm(inside, axis=1)
            reach.append(radii[own[0]] / cosine)
            centers.append(found.flat + reach[-1][:, None] * inside / cosine[:, None])
    made, far = np.vstack(flat), away // step
    notes = () if far <= _OF_OTHERS * max(1, len(made)) else (
        f"{far:,} points at this height are more than {FAR:g} mm off: they are of something else",)  # fmt: skip
    return Carried(made, notes, np.vstack(centers), None if radii is None else np.concatenate(reach))
