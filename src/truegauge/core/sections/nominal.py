"""The nominal curve of a section: where a plane cuts the true surfaces of the part."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Floats, Ints, Mask, Points
from truegauge.core.cad.model import CadModel, Mesh
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.sections.cone import SectionSurface
from truegauge.core.sections.plane import Flat

_STEPS = 400  # points along the diagonal of the part
_LEAST_STEPS = 8  # a piece
_ALONG = 0.1  # surfaces flatter to the plane than this (sine) have no curve in it
_REFINEMENTS = 4


@dataclass(frozen=True, slots=True, eq=False)
class NominalSection:
    """Points along the curves: flat coordinates (n, 2), outward normals in the plane (n, 2), faces (n,).

    `piece` (n,) numbers the curves, each on one surface (of one face, or of several that continue it); `along` (n,) mm
    is the way from the start of the piece, `length` that of each piece; `closed` tells which pieces end where they
    start. `exact` (n,) marks points on the true surface:
    the ends, on edges, may lie a little off.
    """

    flat: Flat
    normals: Flat
    face: Ints
    piece: Ints
    along: Floats
    length: Floats
    closed: Mask
    exact: Mask

    def pieces(self) -> list[Ints]:
        """Return the rows of each piece, in order."""
        return [np.flatnonzero(self.piece == k) for k in range(len(self.length))]


def nominal_section(
    model: CadModel, projector: Projector, plane: SectionSurface, steps: int = _STEPS
) -> NominalSection:  # fmt: skip
    """Cut the part with a plane, or with a cone that is unrolled.

    The seed mesh gives the curves; their points, `steps` along the diagonal of the part, are then moved in the plane
    onto the true surfaces.
    """
    spacing = model.diagonal / steps
    near = 1e-6 * model.diagonal
    chains = _joined(_chains(model.mesh, plane, model.diagonal), model, near)
    flat, face, piece, along, lengths, closed = [], [], [], [], [], []
    for number, (chain, faces_there) in enumerate(chains):
        resampled, way, segment = _resampled(chain, spacing)
        flat.append(resampled)
        face.append(faces_there[segment])
        piece.append(np.full(len(resampled), number, dtype=np.int64))
        along.append(way)
        lengths.append(way[-1])
        closed.append(bool(np.linalg.norm(chain[0] - chain[-1]) < near))
    if not chains:
        nothing = np.zeros((0, 2))
        none = np.zeros(0, dtype=np.int64)
        return NominalSection(nothing, nothing, none, none, np.zeros(0), np.zeros(0), none > 0, none > 0)
    faces = np.concatenate(face)
    solid, normals, exact, _ = onto_surface(projector, plane, np.vstack(flat), faces, 2e-3 * model.diagonal)
    return NominalSection(
        plane.flat(solid), normals, faces, np.concatenate(piece), np.concatenate(along), np.array(lengths),
        np.array(closed), exact,
    )  # fmt: skip


def onto_surface(
    projector: Projector, plane: SectionSurface, flat: Flat, faces: Ints, most: float
) -> tuple[Points, Flat, Mask, Floats]:
    """Move points in the plane onto the true surfaces of their faces, by Newton steps along the normal in the plane.

    Returns the points (n, 3), the unit normals in the plane (n, 2), which of them arrived (n,) bool, and how much of
    the surface's normal lies in the plane (n,): 1 where it is cut squarely.
    """
    at = plane.solid(flat)
    start = at.copy()
    normals = np.zeros((len(at), 2))
    arrived = np.zeros(len(at), dtype=bool)
    cosine = np.ones(len(at))
    rows = np.arange(len(at))  # those that have not arrived
    for step in range(_REFINEMENTS):
        found = projector.deviations(at[rows])
        inside = plane.flat_directions(np.asarray(found.normals, dtype=np.float64), at[rows])
        cosine[rows] = own_cosine = np.linalg.norm(inside, axis=1)
        own = (found.face == faces[rows]) & ~found.on_edge & (own_cosine > _ALONG)
        unit = inside / np.maximum(own_cosine, 1e-12)[:, None]
        there = np.ones(len(rows), dtype=bool) if step == 0 else own
        normals[rows[there]] = unit[there]
        arrived[rows] = own & (np.abs(found.distance) < 1e-7)
        if step == _REFINEMENTS - 1 or arrived.all():
            break
        way = np.where(own, -found.distance / np.maximum(own_cosine, _ALONG), 0.0)
        moved = plane.solid(plane.flat(at[rows]) + way[:, None] * unit)
        near = (np.linalg.norm(moved - start[rows], axis=1) <= most) & ~arrived[rows]
        at[rows] = np.where(near[:, None], moved, at[rows])
        rows = rows[~arrived[rows]]
    return at, normals, arrived, cosine


def _joined(chains: list[tuple[Flat, int]], model: CadModel, near: float) -> list[tuple[Flat, Ints]]:
    """Join the chains of faces that continue the same surface, end to end; with the face of each segment."""
    surfaces: dict[int, int] = {}
    for _, face in chains:
        if face not in surfaces:
            surfaces.update(dict.fromkeys((face, *whole_surface(model, face)), face))
    open_: dict[int, list[tuple[Flat, Ints]]] = {}
    for chain, face in chains:
        line, faces = chain, np.full(len(chain) - 1, face, dtype=np.int64)
        others = open_.setdefault(surfaces[face], [])
        while np.linalg.norm(line[0] - line[-1]) >= near:
            found = next(
                (
                    (k, a, b)
                    for k, (other, _) in enumerate(others)
                    for a in (0, -1)
                    for b in (0, -1)
                    if np.linalg.norm(line[a] - other[b]) < near and np.linalg.norm(other[0] - other[-1]) >= near
                ),
                None,
            )
            if found is None:
                break
            other, other_faces = others.pop(found[0])
            if found[1] == 0:
                line, faces = line[::-1], faces[::-1]
            if found[2] == -1:
                other, other_faces = other[::-1], other_faces[::-1]
            line, faces = np.vstack([line, other[1:]]), np.concatenate([faces, other_faces])
        others.append((line, faces))
    return [piece for pieces in open_.values() for piece in pieces]


def _chains(mesh: Mesh, plane: SectionSurface, size: float) -> list[tuple[Flat, int]]:
    """Return the polylines in which the plane cuts the mesh: flat coordinates and face."""
    height = plane.heights(mesh.vertices)
    height = np.where(np.abs(height) < 1e-9 * size, 1e-9 * size, height)  # no vertex lies in the plane
    above = height[mesh.triangles] > 0
    there = plane.is_beside(mesh.vertices)[mesh.triangles].all(axis=1)
    rows = np.flatnonzero(above.any(axis=1) & ~above.all(axis=1) & there)
    corners = mesh.triangles[rows]
    sides = np.stack([corners, np.roll(corners, -1, axis=1)], axis=-1)  # (m, 3, 2)
    crossing = (height[sides[..., 0]] > 0) != (height[sides[..., 1]] > 0)
    ends = np.sort(sides[crossing].reshape(-1, 2, 2), axis=-1)  # two edges a triangle
    keys, node = np.unique(ends.reshape(-1, 2), axis=0, return_inverse=True)
    node = node.reshape(-1, 2)
    a, b = mesh.vertices[keys[:, 0]], mesh.vertices[keys[:, 1]]
    ha, hb = height[keys[:, 0]], height[keys[:, 1]]
    places = plane.flat(a + (ha / (ha - hb))[:, None] * (b - a))
    return [
        (places[chain], int(mesh.triangle_face[rows[first]]))
        for chain, first in _linked(node, len(keys))
        if len(chain) > 1
    ]


def _linked(segments: NDArray[np.int64], count: int) -> list[tuple[list[int], int]]:
    """Join segments (m, 2) of nodes to chains: each with the number of its first segment. Closed ones repeat a node."""
    at: list[list[int]] = [[] for _ in range(count)]
    for s, (i, j) in enumerate(segments.tolist()):
        at[i].append(s)
        at[j].append(s)
    used = np.zeros(len(segments), dtype=bool)
    ends = [n for n in range(count) if len(at[n]) == 1]
    chains = []
    for start in (*ends, *range(count)):
        for first in at[start]:
            if used[first]:
                continue
            chain, here, segment = [start], start, first
            while True:
                used[segment] = True
                i, j = segments[segment]
                here = int(j if here == i else i)
                chain.append(here)
                following = [s for s in at[here] if not used[s]]
                if not following or here == start:
                    break
                segment = following[0]
            chains.append((chain, first))
    return chains


def _resampled(chain: Flat, spacing: float) -> tuple[Flat, Floats, Ints]:
    """Return points along a polyline, at most `spacing` apart, with their way from the start and their segments."""
    way = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(chain, axis=0), axis=1))])
    count = max(_LEAST_STEPS, int(np.ceil(way[-1] / spacing)))
    wanted = np.linspace(0.0, way[-1], count + 1)
    segment = np.clip(np.searchsorted(way, wanted, side="right") - 1, 0, len(chain) - 2)
    return np.column_stack([np.interp(wanted, way, chain[:, k]) for k in range(2)]), wanted, segment
