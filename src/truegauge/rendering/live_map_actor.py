"""The map of a scan that is being taken: one surface whose colours change in place, many times a second."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from vtkmodules.util.numpy_support import numpy_to_vtk

from truegauge.palette import colors_of
from truegauge.rendering.arrays import surface_data

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.deviations.deviation_map import MapMesh
    from truegauge.core.deviations.map_scale import DeviationScale
    from truegauge.palette import Rgb
    from truegauge.rendering.actors import Actors

NAME = "live_map"


class LiveMapActor:
    """Of one scene."""

    def __init__(self, actors: Actors) -> None:
        self._actors = actors
        self._mesh: MapMesh | None = None
        self._colors = np.zeros((0, 3), dtype=np.uint8)

    @property
    def is_shown(self) -> bool:
        """Whether there is one."""
        return NAME in self._actors

    def show(self, mesh: MapMesh | None, values: Floats, scale: DeviationScale, unseen: Rgb) -> None:
        """Show values (v,) mm at the vertices of a mesh, NaN where nothing was seen yet; None: no map."""
        if mesh is None:
            self._actors.remove(NAME)
            self._mesh = None
            return
        if mesh is not self._mesh or not self.is_shown:
            self._mesh = mesh
            self._colors = np.empty((len(mesh.vertices), 3), dtype=np.uint8)
            data = surface_data(mesh.vertices, mesh.triangles, mesh.normals, self._actors.origin)
            self._array = numpy_to_vtk(self._colors, deep=0)  # looks into it: it is changed in place
            data.GetPointData().SetScalars(self._array)
            self._actors.remove(NAME)
            self._actors.surface(NAME, data)
            self._actors[NAME].GetMapper().ScalarVisibilityOn()
        seen = np.isfinite(values)
        self._colors[:] = unseen
        self._colors[seen] = colors_of(values[seen], scale)
        self._array.Modified()
