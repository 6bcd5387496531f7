"""What stands in a scene, by name: surfaces, lines and points, drawn about a local origin and cut by a box."""

from __future__ import annotations

from collections.abc import ItemsView, Iterator

import numpy as np
from numpy.typing import NDArray
from vtkmodules.vtkCommonDataModel import vtkPlane, vtkPlaneCollection, vtkPolyData
from vtkmodules.vtkRenderingCore import vtkActor, vtkLight, vtkPolyDataMapper, vtkRenderer

from truegauge.rendering.arrays import lines_data, points_data


class Actors:
    """Of one renderer."""

    def __init__(self, renderer: vtkRenderer) -> None:
        self._renderer = renderer
        self.origin = np.zeros(3)  # everything is drawn from here: the graphics have seven digits
        self._section: vtkPlaneCollection | None = None
        self._every: dict[str, vtkActor] = {}

    def __contains__(self, name: str) -> bool:
        return name in self._every

    def __getitem__(self, name: str) -> vtkActor:
        return self._every[name]

    def __iter__(self) -> Iterator[str]:
        return iter(self._every)

    def items(self) -> ItemsView[str, vtkActor]:
        """Names and actors."""
        return self._every.items()

    def named(self, kinds: tuple[str, ...]) -> list[str]:
        """Return the actors of some kinds; those of points come in numbered pieces."""
        return [name for name in self._every if name.partition(" ")[0] in kinds]

    def cut(self, box: NDArray[np.float64] | None) -> None:
        """Keep only what lies in a box (2, 3) mm; None: all."""
        self._section = None
        if box is not None:
            self._section = vtkPlaneCollection()
            for corner, sign in ((box[0], 1.0), (box[1], -1.0)):
                for axis in np.eye(3):
                    plane = vtkPlane()
                    plane.SetOrigin(*(corner - self.origin))
                    plane.SetNormal(*(sign * axis))
                    self._section.AddItem(plane)
        for actor in self._every.values():
            self._cut(actor)

    def _cut(self, actor: vtkActor) -> None:
        if self._section is None:
            actor.GetMapper().RemoveAllClippingPlanes()
        else:
            actor.GetMapper().SetClippingPlanes(self._section)

    def add(self, name: str, data: vtkPolyData, nearer: float) -> vtkActor:
        """Add an actor, drawn `nearer` steps of depth in front of the surface that it lies on."""
        self.remove(name)
        mapper = vtkPolyDataMapper()
        mapper.SetInputData(data)
        mapper.ScalarVisibilityOff()
        if nearer:  # only where needed: it costs a third of the frame on a part drawn without a GPU
            mapper.SetResolveCoincidentTopologyToPolygonOffset()
            mapper.SetRelativeCoincidentTopologyPolygonOffsetParameters(-nearer, -2 * nearer)
            mapper.SetRelativeCoincidentTopologyLineOffsetParameters(-nearer, -2 * nearer)
            mapper.SetRelativeCoincidentTopologyPointOffsetParameter(-2 * nearer)
        actor = vtkActor()
        actor.SetMapper(mapper)
        self._cut(actor)
        self._renderer.AddActor(actor)
        self._every[name] = actor
        return actor

    def surface(self, name: str, data: vtkPolyData, nearer: float = 0.0) -> None:
        """Add a lit surface."""
        look = self.add(name, data, nearer).GetProperty()
        look.SetInterpolationToPhong()
        look.SetAmbient(0.26)
        look.SetDiffuse(0.80)
        look.SetSpecular(0.10)
        look.SetSpecularPower(24)

    def lines(self, name: str, polylines: list[NDArray[np.float64]], width: float, opacity: float) -> None:
        """Add polylines, unlit."""
        if not polylines:
            return
        look = self.add(name, lines_data(polylines, self.origin), 2.0).GetProperty()
        look.SetLineWidth(width)
        look.SetOpacity(opacity)
        look.LightingOff()

    def dots(
        self, name: str, points: NDArray[np.float64], size: float, colors: NDArray[np.uint8] | None = None
    ) -> None:
        """Add points (n, 3), unlit, with colours of their own (n, 3) if given."""
        actor = self.add(name, points_data(points, self.origin, colors), 3.0)
        if colors is not None:
            actor.GetMapper().ScalarVisibilityOn()
        actor.GetProperty().SetPointSize(size)
        actor.GetProperty().LightingOff()

    def remove(self, name: str) -> None:
        """Take an actor away, if it is there."""
        actor = self._every.pop(name, None)
        if actor is not None:
            self._renderer.RemoveActor(actor)


def light(renderer: vtkRenderer) -> None:
    """Light what is in front of the camera, and a little what is beside and below it."""
    renderer.SetAutomaticLightCreation(0)
    for x, y, z, strength in ((-0.45, 0.75, 1.0, 0.80), (0.9, -0.2, 0.6, 0.28), (0.0, -0.9, 0.3, 0.12)):
        made = vtkLight()
        made.SetLightTypeToCameraLight()
        made.SetPosition(x, y, z)
        made.SetFocalPoint(0, 0, 0)
        made.SetIntensity(strength)
        renderer.AddLight(made)
