"""The deviation map as actors: bands of the scale as a texture, hatched beyond its limits."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from vtkmodules.util.numpy_support import numpy_to_vtk
from vtkmodules.vtkCommonDataModel import vtkImageData
from vtkmodules.vtkRenderingCore import vtkTexture

from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.palette import colors_of, scale_bands
from truegauge.rendering.actors import Actors
from truegauge.rendering.arrays import surface_data

if TYPE_CHECKING:
    from truegauge.core.deviations.deviation_map import MapMesh

_OVER = 1.25  # the scale's texture reaches this far beyond its limits, hatched
_HATCHES = 90.0  # across the diagonal


def draw_map(
    actors: Actors, prefix: str, mesh: MapMesh, values: NDArray[np.float64], scale: DeviationScale,
    texture: vtkTexture, size: float, hidden: NDArray[np.bool_] | None,
) -> None:  # fmt: skip
    """Draw a map (values (v,) at the vertices of its mesh), and its surface without data, but for hidden faces (n,).

    `size` of the part, mm, gives the hatching its width.
    """
    drawn = np.ones(len(mesh.triangles), dtype=bool)
    if hidden is not None:
        drawn = ~hidden[mesh.vertex_face[mesh.triangles[:, 0]]]
    known = np.isfinite(values)[mesh.triangles].all(axis=1)
    edges = scale_bands(scale).edges
    middle, half = (edges[0] + edges[-1]) / 2, (edges[-1] - edges[0]) / 2
    s = np.clip((np.where(np.isfinite(values), values, 0.0) - middle) / half, -_OVER, _OVER)
    across = (mesh.vertices - actors.origin).sum(axis=1) / size * _HATCHES / np.sqrt(3)
    # The texture repeats along t; keep s off its ends, where it would come in again from the other side.
    coordinates = np.column_stack([0.5 + 0.498 * s / _OVER, across])
    actors.surface(
        f"{prefix}map",
        surface_data(mesh.vertices, mesh.triangles[known & drawn], mesh.normals, actors.origin, coordinates),
    )
    actors[f"{prefix}map"].SetTexture(texture)
    actors.surface(
        f"{prefix}no_data", surface_data(mesh.vertices, mesh.triangles[~known & drawn], mesh.normals, actors.origin)
    )


def scale_texture(scale: DeviationScale) -> vtkTexture:
    """Return the scale as a texture: bands along s, hatching along t beyond the limits."""
    width, height = 2048, 8
    edges = scale_bands(scale).edges
    middle, half = (edges[0] + edges[-1]) / 2, (edges[-1] - edges[0]) / 2
    value = middle + ((np.arange(width) + 0.5) / width * 2 - 1) * _OVER * half
    picture = np.repeat(colors_of(value, scale)[None], height, axis=0)
    beyond = np.abs(value - middle) > half
    if scale.sided == "plus":  # too little is not looked at, so that it is not marked
        beyond &= value > middle
    elif scale.sided == "minus":
        beyond &= value < middle
    picture[: height // 3, beyond] = (picture[: height // 3, beyond] * 0.55).astype(np.uint8)
    image = vtkImageData()
    image.SetDimensions(width, height, 1)
    image.GetPointData().SetScalars(numpy_to_vtk(picture.reshape(-1, 3), deep=1))
    texture = vtkTexture()
    texture.SetInputData(image)
    texture.InterpolateOff()
    texture.SetWrap(vtkTexture.Repeat)
    return texture
