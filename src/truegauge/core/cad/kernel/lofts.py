"""A solid that goes smoothly through closed curves, one above the other."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.arrays import Floats, Points


def loft_of(around: Sequence[Points]) -> Any:
    """Return the solid through closed curves, each given by as many places (n, 3) mm that correspond."""
    from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections

    middle = around[len(around) // 2]
    steps = np.linalg.norm(np.diff(np.vstack([middle, middle[:1]]), axis=0), axis=1)
    parameters = np.append(0.0, np.cumsum(steps)) / steps.sum()  # the same for all: their curves fit each other
    made = BRepOffsetAPI_ThruSections(True, False, 1e-6)
    made.CheckCompatibility(False)
    for places in around:
        made.AddWire(closed_wire(places, parameters))
    made.Build()
    return made.Shape()


def closed_wire(places: Points, parameters: Floats) -> Any:
    """Return the closed curve through places (n, 3) at parameters (n + 1,)."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeEdge, BRepBuilderAPI_MakeWire
    from OCP.GeomAPI import GeomAPI_Interpolate
    from OCP.gp import gp_Pnt
    from OCP.TColgp import TColgp_HArray1OfPnt
    from OCP.TColStd import TColStd_HArray1OfReal

    array = TColgp_HArray1OfPnt(1, len(places))
    for k, place in enumerate(places.tolist(), 1):
        array.SetValue(k, gp_Pnt(*place))
    knots = TColStd_HArray1OfReal(1, len(parameters))
    for k, value in enumerate(parameters.tolist(), 1):
        knots.SetValue(k, value)
    curve = GeomAPI_Interpolate(array, knots, True, 1e-7)
    curve.Perform()
    return BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(curve.Curve()).Edge()).Wire()
