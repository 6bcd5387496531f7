"""Areas of the map that are outside the tolerance, by size; statistics of faces; the histogram."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Mask, Vector
from truegauge.core.cad.projection import Deviations
from truegauge.core.deviations.deviation_map import MapMesh
from truegauge.core.deviations.map_scale import DeviationScale
from truegauge.core.deviations.shown import face_tolerances, is_outside, vertex_tolerances
from truegauge.core.deviations.statistics import DeviationStatistics, statistics


@dataclass(frozen=True, slots=True, eq=False)
class OutsideArea:
    """An area of one face beyond its tolerance: its size (mm^2), worst deviation (mm) and the place of that."""

    face: int
    size: float
    worst: float
    place: Vector
    normal: Vector


def areas_outside(mesh: MapMesh, values: Floats, scale: DeviationScale) -> tuple[OutsideArea, ...]:
    """Return the areas outside, the largest first. Each lies on one face and is too much or too little."""
    from scipy.sparse import coo_array
    from scipy.sparse.csgraph import connected_components

    outside = is_outside(values, vertex_tolerances(mesh, scale), scale)
    sign = np.sign(np.nan_to_num(values))
    corners = mesh.triangles
    same = outside[corners].sum(axis=1) >= 2  # the border of an area runs through triangles
    rows = np.flatnonzero(same)
    if not len(rows):
        return ()
    first = corners[rows]
    ends = np.vstack([first[:, [0, 1]], first[:, [1, 2]], first[:, [2, 0]]])
    joined = outside[ends].all(axis=1) & (sign[ends[:, 0]] == sign[ends[:, 1]])
    ends = ends[joined]
    count = len(mesh.vertices)
    _, label = connected_components(
        coo_array((np.ones(len(ends), dtype=bool), (ends[:, 0], ends[:, 1])), shape=(count, count)), directed=False
    )
    a, b, c = (mesh.vertices[corners[:, k]] for k in range(3))
    third = np.linalg.norm(np.cross(b - a, c - a), axis=1) / 6
    share = np.bincount(corners.ravel(), weights=np.repeat(third, 3), minlength=count)
    wanted = np.flatnonzero(outside)
    found = []
    for number in np.unique(label[wanted]):
        members = wanted[label[wanted] == number]
        worst = members[np.argmax(np.abs(values[members]))]
        found.append(
            OutsideArea(
                int(mesh.vertex_face[worst]), float(share[members].sum()), float(values[worst]), mesh.vertices[worst],
                mesh.normals[worst],
            )
        )  # fmt: skip
    return tuple(sorted(found, key=lambda area: -area.size))


@dataclass(frozen=True, slots=True)
class FaceStatistics:
    """Statistics of the deviations of some faces, and the share (0 to 1) of the points within tolerance."""

    all: DeviationStatistics
    within: float


def face_statistics(
    found: Deviations, usable: Mask, faces: tuple[int, ...], count: int, scale: DeviationScale,
    stray: Mask | None = None,
) -> FaceStatistics | None:  # fmt: skip
    """Return the statistics of faces (none: all of the part's `count`) without strays (n,); None without points."""
    counted = usable & ~found.on_edge
    if faces:
        counted &= np.isin(found.face, faces)
    rows = np.flatnonzero(counted)
    if not len(rows):
        return None
    deviations = found.distance[rows]
    outside = is_outside(deviations, face_tolerances(count, scale)[found.face[rows]], scale)
    left_out = np.zeros(len(rows), dtype=bool) if stray is None else stray[rows]
    return FaceStatistics(statistics(deviations, left_out), 1.0 - float(outside[~left_out].mean()))


def histogram(
    found: Deviations, usable: Mask, faces: tuple[int, ...], edges: tuple[float, ...], bins: int = 60
) -> NDArray[np.float64]:
    """Return the share (bins,) of the points in even steps from the first edge to the last; the rest is left out."""
    rows = usable & ~found.on_edge
    if faces:
        rows &= np.isin(found.face, faces)
    total = max(1, int(rows.sum()))
    counts, _ = np.histogram(found.distance[rows], bins=bins, range=(edges[0], edges[-1]))
    return np.asarray(counts / total)
