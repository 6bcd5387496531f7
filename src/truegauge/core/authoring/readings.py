"""Making spot checks, sections and compared points: at places, along edges, as grids, at spacings, by name."""

import uuid
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from truegauge.core.arrays import Points, Vector
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.cad.recognition import whole_surface
from truegauge.core.characteristics.registry import KINDS
from truegauge.core.commands.readings import AddReadings
from truegauge.core.errors import GeometryError
from truegauge.core.frames import rotation_about
from truegauge.core.frozen_model import Three
from truegauge.core.plan.document import Plan
from truegauge.core.plan.readings import ComparedPoint, Section, SpotCheck
from truegauge.core.plan.requirements import Characteristic
from truegauge.core.sections.plane import section_plane, upright

USUAL_TOLERANCE = 0.1


@dataclass(frozen=True, slots=True)
class SpotWish:
    """A spot check to be made: where, with what limits (deviations, mm); the rest follows from the surface there."""

    place: Three
    name: str = ""
    direction: Three | None = None
    lower: float | None = -USUAL_TOLERANCE
    upper: float | None = USUAL_TOLERANCE
    radius: float = 1.0
    reads: Literal["at", "highest", "lowest"] = "at"
    area: float = 0.0
    faces: tuple[int, ...] = ()


def new_id(kind: str) -> str:
    """Return an id that no other has."""
    return f"{kind}-{uuid.uuid4().hex[:10]}"


def three(values: Vector) -> Three:
    """Return three plain numbers, rounded where rounding is not seen."""
    x, y, z = (round(float(v), 9) for v in values)
    return x, y, z


def add_spots(
    plan: Plan, model: CadModel, projector: Projector, wishes: Sequence[SpotWish], label: str = ""
) -> AddReadings:
    """Return the command that adds spot checks with their characteristics.

    Places are put on the nearest surface; the direction is the normal there unless another is wished.

    Raises
    ------
    GeometryError
        A place lies farther than a tenth of the part's size from it.
    """
    found = projector.deviations(np.array([w.place for w in wishes], dtype=np.float64).reshape(-1, 3))
    far = np.flatnonzero(np.abs(found.distance) > 0.1 * model.diagonal)
    if len(far):
        first = wishes[int(far[0])]
        away = abs(float(found.distance[far[0]]))
        raise GeometryError(f"spot check {first.name or int(far[0]) + 1}: its place lies {away:.1f} mm off the part")
    feet, number, count = found.feet, plan.next_number, sum(s.reads == "at" for s in plan.spots)
    spots, characteristics = [], []
    for k, wish in enumerate(wishes):
        face = int(found.face[k])
        faces = wish.faces or whole_surface(model, face)
        count += 1
        name = wish.name or f"{'spot' if wish.reads == 'at' else wish.reads} {count}"
        normal = found.normals[k] if not found.on_edge[k] else _normal_of_face(model, face, feet[k])
        spot = SpotCheck(
            id=new_id("spot"), name=name, place=three(feet[k]), normal=three(np.asarray(normal, dtype=np.float64)),
            direction=wish.direction, faces=tuple(faces), radius=wish.radius, reads=wish.reads, area=wish.area,
        )  # fmt: skip
        spots.append(spot)
        characteristics.append(
            Characteristic(
                id=new_id("c"),
                number=number + k,
                name=name,
                kind="spot",
                features=(spot.id,),
                nominal=0.0,
                lower=wish.lower,
                upper=wish.upper,
            )
        )
    said = label or (f"add {spots[0].name}" if len(spots) == 1 else f"add {len(spots)} spot checks")
    return AddReadings(said, spots=tuple(spots), characteristics=tuple(characteristics))


def _normal_of_face(model: CadModel, face: int, place: Vector) -> Vector:
    """Return the outward normal of a face next to a place on its border."""
    mesh = model.mesh
    own = np.unique(mesh.triangles[mesh.triangle_face == face])
    return np.asarray(mesh.normals[own[np.argmin(((mesh.vertices[own] - place) ** 2).sum(axis=1))]])


def places_on_grid(model: CadModel, projector: Projector, faces: tuple[int, ...], spacing: float) -> Points:
    """Return places (n, 3) on faces, on a square grid seen along their mean normal, half a spacing off the borders.

    Raises
    ------
    GeometryError
        The spacing is not above zero, or leaves more than 2000 or no places.
    """
    if spacing <= 0:
        raise GeometryError("the spacing of a grid must be above zero")
    mesh = model.mesh
    triangles = mesh.triangles[np.isin(mesh.triangle_face, faces)]
    corners = mesh.vertices[triangles]
    weighted = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]).sum(axis=0)
    if np.linalg.norm(weighted) < 1e-6 * float(np.abs(corners).max() ** 2 + 1):  # closed: say a whole cylinder
        weighted = upright(np.array([0.0, 0.0, 1.0]))[0]
    x, y, z = upright(weighted / np.linalg.norm(weighted))
    own = mesh.vertices[np.unique(triangles)]
    low, high = (own @ np.array([x, y]).T).min(axis=0), (own @ np.array([x, y]).T).max(axis=0)
    counts = np.maximum(1, np.floor((high - low) / spacing)).astype(int)
    if counts.prod() > 2000:
        raise GeometryError(f"a spacing of {spacing:g} mm makes {counts.prod()} places; at most 2000 are made")
    start = (low + high - (counts - 1) * spacing) / 2
    u, v = (start[k] + spacing * np.arange(counts[k]) for k in range(2))
    flat = np.array([(a, b) for b in v for a in u])
    top = float((own @ z).max()) + model.diagonal
    hidden = np.ones(len(model.faces), dtype=bool)
    hidden[list(faces)] = False
    places = []
    for a, b in flat:
        hit = projector.pick_point(a * x + b * y + top * z, -z, hidden)
        if hit is not None:
            places.append(hit[1])
    if not places:
        raise GeometryError(f"a grid of {spacing:g} mm has no place on the picked faces")
    found = projector.deviations(np.array(places))
    return np.asarray(found.feet[np.isin(found.face, faces) & ~found.on_edge])


def places_along(
    model: CadModel, projector: Projector, faces: tuple[int, ...], place: Vector, spacing: float, inset: float
) -> Points:
    """Return places (n, 3) on faces along the border next to a place, `inset` mm inside of it, `spacing` mm apart.

    Raises
    ------
    GeometryError
        The faces have no border, or no place on them is found.
    """
    if spacing <= 0:
        raise GeometryError("the spacing along an edge must be above zero")
    edges = [e for e in model.edges if set(e.faces) & set(faces) and set(e.faces) - set(faces)]
    if not edges:
        raise GeometryError("the picked faces have no edge to follow")
    nearest = min(edges, key=lambda e: float(_distance_to(e.polyline, place)))
    line = nearest.polyline
    way = np.concatenate([[0.0], np.cumsum(np.linalg.norm(np.diff(line, axis=0), axis=1))])
    count = max(1, int(way[-1] // spacing))
    wanted = (np.arange(count) + 0.5) * way[-1] / count
    on_edge = np.column_stack([np.interp(wanted, way, line[:, k]) for k in range(3)])
    step = max(1e-3 * way[-1], 1e-6)
    ahead = np.column_stack([np.interp(wanted + step, way, line[:, k]) for k in range(3)])
    behind = np.column_stack([np.interp(wanted - step, way, line[:, k]) for k in range(3)])
    tangent = ahead - behind
    tangent /= np.maximum(np.linalg.norm(tangent, axis=1, keepdims=True), 1e-12)
    face = next(iter(set(nearest.faces) & set(faces)))
    inside = np.array([np.cross(_normal_of_face(model, face, p), t) for p, t in zip(on_edge, tangent, strict=True)])
    tried = np.vstack([on_edge + inset * inside, on_edge - inset * inside])
    found = projector.deviations(tried)
    good = np.isin(found.face, faces) & ~found.on_edge & (np.abs(found.distance) < inset)
    feet, halves = found.feet, good.reshape(2, -1)
    chosen = np.where(halves[0], np.arange(count), np.arange(count) + count)[halves.any(axis=0)]
    if not len(chosen):
        raise GeometryError(f"no place {inset:g} mm inside the edge lies on the picked faces")
    return np.asarray(feet[chosen])


def _distance_to(line: Points, place: Vector) -> float:
    a, b = line[:-1], line[1:]
    along = b - a
    t = np.clip(((place - a) * along).sum(axis=1) / np.maximum((along**2).sum(axis=1), 1e-18), 0.0, 1.0)
    return float(np.linalg.norm(a + t[:, None] * along - place, axis=1).min())


def parallel_sections(
    plan: Plan, origin: Vector, normal: Vector, count: int, spacing: float, thickness: float = 1.0
) -> tuple[Section, ...]:
    """Return sections by parallel planes, from one through `origin` on along the normal.

    Each is seen from the side from which the axis of the part that lies across it points to the right.
    """
    across = section_plane(three(origin), three(normal)).across
    seen_from = normal if across[int(np.argmax(np.abs(across)))] > 0 else -normal
    return tuple(
        _section(plan, k, origin + k * spacing * normal, seen_from, None, thickness) for k in range(max(1, count))
    )


def sections_around(
    plan: Plan, origin: Vector, axis: Vector, count: int, start: float = 0.0, thickness: float = 1.0
) -> tuple[Section, ...]:
    """Return sections through an axis, evenly turned about it over half a turn (rad from `start`)."""
    x, _, z = upright(axis / np.linalg.norm(axis))
    made = []
    for k in range(max(1, count)):
        turn = rotation_about(z, start + np.pi * k / max(1, count))[:3, :3]
        made.append(_section(plan, k, origin, turn @ np.cross(z, x), turn @ x, thickness))
    return tuple(made)


def _section(plan: Plan, k: int, origin: Vector, normal: Vector, across: Vector | None, thickness: float) -> Section:
    letters = [s.name for s in plan.sections]
    number = len(letters) + k
    name = f"section {chr(65 + number) if number < 26 else number + 1}"
    return Section(
        id=new_id("section"), name=name, origin=three(origin), normal=three(normal),
        across=None if across is None else three(across), thickness=thickness,
    )  # fmt: skip


@dataclass(frozen=True, slots=True)
class NamedPlace:
    """A nominal point by name, with the normal there where it is known."""

    name: str
    place: Three
    normal: Three | None = None


def add_compared(
    plan: Plan, places: Sequence[NamedPlace], parts: Sequence[str], tolerance: float = USUAL_TOLERANCE
) -> AddReadings:
    """Return the command that compares named points, with a characteristic for each of the parts (x, y, z ...)."""
    points, characteristics = [], []
    number = plan.next_number
    for p in places:
        point = ComparedPoint(id=new_id("point"), name=p.name, place=p.place, normal=p.normal)
        points.append(point)
        for part in parts:
            if part == "normal" and p.normal is None:
                continue
            kind = KINDS[f"compare_{part}"]
            characteristics.append(
                Characteristic(
                    id=new_id("c"),
                    number=number,
                    name=f"{p.name} {_PARTS[part]}",
                    kind=kind.name,
                    features=(point.id,),
                    nominal=0.0,
                    lower=None if kind.one_sided else -tolerance,
                    upper=tolerance,
                )
            )
            number += 1
    return AddReadings(f"compare {len(points)} points", compared=tuple(points), characteristics=tuple(characteristics))


_PARTS = {"x": "dx", "y": "dy", "z": "dz", "total": "distance", "normal": "along the normal"}


def upwards(section: Section) -> Vector:
    """Return the normal (3,) of a section towards the positive side of the axis that it lies nearest to."""
    normal = section_plane(section.origin, section.normal).normal
    return np.asarray(normal if normal[int(np.argmax(np.abs(normal)))] > 0 else -normal)
