"""LW-1215, the mirror-cell cover: a formed thin panel with six holes, built with the CAD kernel.

Part coordinates (mm): the flange lies in z = 0 (its upper side), the dome rises from it; the corner of the outline is
the origin. The sheet is 1.5 mm thick along z.
"""

from typing import Any

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakePrism
from OCP.GeomAPI import GeomAPI_PointsToBSplineSurface
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Vec
from OCP.TColgp import TColgp_Array2OfPnt

from truegauge.core.arrays import Floats
from truegauge.demo.housing import rounded_block

LENGTH, WIDTH, THICKNESS = 220.0, 160.0, 1.5
HEIGHT = 17.0
HOLE_RADIUS = 3.25
HOLES = ((12.0, 10.0), (95.0, 8.5), (208.0, 10.0), (208.0, 150.0), (118.0, 151.5), (12.0, 150.0))
_FLANGE, _SLOPE = 17.0, 46.0


def dome(x: Floats, y: Floats) -> Floats:
    """Return the height of the formed surface, mm: flat along the flange, steeper on one side."""
    return np.asarray(HEIGHT * _rise(x, LENGTH, 1.0) * _rise(y, WIDTH, 1.3) * (1 + 0.12 * (x / LENGTH - 0.5)))


def _rise(at: Floats, size: float, steeper: float) -> Floats:
    """Return 0 on the flange and 1 inside, with steps that are smooth to the third derivative."""
    near = np.clip((at - _FLANGE) / (_SLOPE / steeper), 0, 1)
    far = np.clip((size - _FLANGE - at) / _SLOPE, 0, 1)
    return np.asarray(_smooth(near) * _smooth(far))


def _smooth(t: Floats) -> Floats:
    return np.asarray(t**4 * (35 - 84 * t + 70 * t**2 - 20 * t**3))


def build_cover() -> Any:
    """Return the cover as a kernel solid."""
    xs, ys = np.linspace(-4, LENGTH + 4, 67), np.linspace(-4, WIDTH + 4, 49)
    grid = TColgp_Array2OfPnt(1, len(xs), 1, len(ys))
    for i, x in enumerate(xs, 1):
        heights = dome(np.full(len(ys), x), ys)
        for j, (y, z) in enumerate(zip(ys, heights, strict=True), 1):
            grid.SetValue(i, j, gp_Pnt(float(x), float(y), float(z)))
    through = GeomAPI_PointsToBSplineSurface()
    through.Interpolate(grid)
    surface = through.Surface()
    sheet = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(surface, 1e-6).Face(), gp_Vec(0, 0, -THICKNESS)).Shape()
    part = BRepAlgoAPI_Common(sheet, rounded_block(LENGTH, WIDTH, -10.0, 60.0, 14.0)).Shape()
    for x, y in HOLES:
        hole = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, -10), gp_Dir(0, 0, 1)), HOLE_RADIUS, 60).Shape()
        part = BRepAlgoAPI_Cut(part, hole).Shape()
    return part
