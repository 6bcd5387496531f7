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
_PIECE = 4_000  # triangles of an actor
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
    middles = mesh.vertices[mesh.triangles].mean(axis=1)
    for name, chosen in (("map", known & drawn), ("no_data", ~known & drawn)):
        # In pieces that lie close together: what a band of the picture does not show, is not looked at for it.
        for k, rows in enumerate(_pieces(middles, np.flatnonzero(chosen))):
            used, local = np.unique(mesh.triangles[rows], return_inverse=True)
            tells = coordinates[used] if name == "map" else None
            data = surface_data(mesh.vertices[used], local.reshape(-1, 3), mesh.normals[used], actors.origin, tells)
            actors.surface(f"{prefix}{name} {k}", data)
            if name == "map":
                actors[f"{prefix}{name} {k}"].SetTexture(texture)


def _pieces(places: NDArray[np.float64], rows: NDArray[np.int64]) -> list[NDArray[np.int64]]:
    """Return rows of places (n, 3) in groups that lie close together, halved along their longest side."""
    if len(rows) == 0:
        return []
    if len(rows) <= _PIECE:
        return [rows]
    side = int(np.argmax(np.ptp(places[rows], axis=0)))
    order = np.argsort(places[rows, side], kind="stable")
    half = len(rows) // 2
    return [*_pieces(places, rows[order[:half]]), *_pieces(places, rows[order[half:]])]


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
