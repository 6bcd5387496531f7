"""Intersection planes: which way the planes lie that cut a surface into lines (ISO 1101:2017, 13)."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import unit
from truegauge.core.constructions.parts import axis_of, plane_of
from truegauge.core.errors import EvaluationError
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import nominal_feature

if TYPE_CHECKING:
    from truegauge.core.cad.recognition import Nominal
    from truegauge.core.frozen_model import Three
    from truegauge.core.nodes.context import Context
    from truegauge.core.tolerancing.zone import Zone


def cutting_normal(context: Context, zone: Zone, own: Nominal | None) -> Three | None:
    """Return the normal of the planes that cut a surface; None where none are stated.

    Raises
    ------
    EvaluationError
        The datum of the intersection plane gives no such planes.
    """
    if not zone.cut:
        return zone.direction
    feature = context.plan.feature(context.plan.datum(zone.cut_datum).feature)
    known = nominal_feature(context, feature.group)
    if isinstance(known, NotComputed):
        raise EvaluationError(f"intersection plane: datum {zone.cut_datum}: {known.reason}")
    plane, line = plane_of(known.feature), axis_of(known.feature)
    if plane is None and line is None:
        raise EvaluationError(f"intersection plane: datum {zone.cut_datum} has no direction")
    direction = plane.normal if plane is not None else line.direction  # type: ignore[union-attr]
    along_datum = (zone.cut == "parallel") == (plane is not None)
    if along_datum:  # parallel to a plane, or square to an axis: the datum gives the normal
        found = direction
    else:
        face = None if own is None else plane_of(own.feature)
        if face is None or float(abs(face.normal @ direction)) > 0.999:
            raise EvaluationError(
                f"intersection planes {zone.cut} to datum {zone.cut_datum} are not fixed: choose another datum"
            )
        found = unit(np.cross(face.normal, direction))
    x, y, z = (float(v) for v in found)
    return x, y, z
