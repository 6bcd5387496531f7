"""Changes of frames as commands: tiers, exact dimensions, what a general profile covers, all around."""

from collections.abc import Sequence

import numpy as np

from truegauge.core.authoring.new_features import new_id
from truegauge.core.cad.model import CadModel, SurfaceKind
from truegauge.core.commands.command import Several
from truegauge.core.commands.requirements import AddCharacteristic, EditCharacteristic
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import NominalFeature
from truegauge.core.plan.requirements import ORIENTS, Characteristic, DatumReference

_REST = "all faces without a tolerance"
_SQUARE = 1e-6


def add_tier(plan: Plan, c: Characteristic, *, composite: bool) -> AddCharacteristic:
    """Return the command that adds a lower tier: composite (its datums only orient), or a single segment.

    It begins with half the tolerance and the first datum; both can be edited like any other.
    """
    first = c.datums[:1]
    if composite:
        first = tuple(d.replace(modifiers=tuple(dict.fromkeys((*d.modifiers, ORIENTS)))) for d in first)
    made = c.replace(
        id=new_id(), number=plan.next_number, name=f"{c.name}, lower tier", tier_of=c.tier_of or c.id,
        tier="composite" if composite else "single", datums=first, upper=None if c.upper is None else c.upper / 2,
        warn_lower=None, warn_upper=None,
    )  # fmt: skip
    return AddCharacteristic(made)


def other_direction(plan: Plan, c: Characteristic, axis: np.ndarray | None) -> Several:
    """Return the command that judges a zone between planes in two directions, each as a line of its own.

    Parameters
    ----------
    axis : (3,)
        The axis of the feature: both directions lie across it. None for a centre.
    """
    across = [k for k in range(3) if axis is None or abs(float(axis[k])) < 1 - _SQUARE]
    stated = c.zone.direction
    first = next((k for k in across if stated is not None and abs(stated[k]) > 1 - _SQUARE), across[0])
    second = next(k for k in across if k != first)
    zones = [c.zone.replace(shape="planes", direction=_unit(k), second=None) for k in (first, second)]
    made = c.replace(id=new_id(), number=plan.next_number, name=f"{c.name}, {'XYZ'[second]}", zone=zones[1])
    return Several(
        (EditCharacteristic(c.id, (("zone", zones[0]),)), AddCharacteristic(made)), "judge in both directions"
    )


def _unit(k: int) -> tuple[float, float, float]:
    x, y, z = (float(v) for v in np.eye(3)[k])
    return x, y, z


def toggle_basic(c: Characteristic) -> EditCharacteristic:
    """Return the command that makes a dimension theoretically exact, or toleranced again."""
    label = "toleranced again" if c.basic else "theoretically exact"
    return EditCharacteristic(c.id, (("basic", not c.basic),), label)


def general_profile(plan: Plan, model: CadModel) -> AddCharacteristic | None:
    """Return the command that puts the general profile tolerance (ISO 22081) on all faces that have no tolerance.

    With the datum system of the first three letters; None when every face has a tolerance.
    """
    covered = {f for c in plan.characteristics for i in c.features for f in plan.faces_of(plan.named(i).group)}
    covered |= {f for d in plan.datums for i in d.features for f in plan.faces_of(plan.named(i).group)}
    rest = tuple(face.index for face in model.faces if face.index not in covered)
    if not rest:
        return None
    feature = plan.feature_with_faces(rest)
    new: tuple[NominalFeature, ...] = ()
    if feature is None:
        feature = NominalFeature(id=new_id(), name=_free_name(plan), faces=rest)
        new = (feature,)
    made = Characteristic(
        id=new_id(), number=plan.next_number, name="general profile", kind="profile_surface",
        features=(feature.id,), nominal=0.0, upper=None if plan.general.surface is not None else 0.5,
        datums=tuple(DatumReference(letter=d.letter) for d in plan.datums[:3]),
    )  # fmt: skip
    return AddCharacteristic(made, new)


def _free_name(plan: Plan) -> str:
    taken = {f.name for f in plan.all_features}
    name, k = _REST, 2
    while name in taken:
        name, k = f"{_REST} {k}", k + 1
    return name


def faces_around(model: CadModel, face: int, direction: np.ndarray) -> tuple[int, ...]:
    """Return the faces that go around with a face: joined by edges, all along `direction` (3,).

    Planes and cylinders whose surface runs along the direction; fillets between them too.
    """
    neighbours = _neighbours_along(model, direction)
    if face not in neighbours:
        return ()
    found, open_ = {face}, [face]
    while open_:
        for other in neighbours[open_.pop()] - found:
            found.add(other)
            open_.append(other)
    return tuple(sorted(found))


def faces_between(model: CadModel, chosen: Sequence[int], direction: np.ndarray) -> tuple[int, ...]:
    """Return the faces from the first chosen one to the last, joined by edges, all along `direction` (3,).

    The shortest way over the others chosen in order; none where no such way is there.
    """
    neighbours = _neighbours_along(model, direction)
    found: list[int] = list(chosen[:1])
    for goal in chosen[1:]:
        way = _way(neighbours, found[-1], goal, set(found[:-1]))
        if not way:
            return ()
        found += way[1:]
    return tuple(found)


def _way(neighbours: dict[int, set[int]], start: int, goal: int, closed: set[int]) -> list[int]:
    ways, seen = [[start]], {start, *closed}
    while ways:
        way = ways.pop(0)
        if way[-1] == goal:
            return way
        for other in sorted(neighbours.get(way[-1], set()) - seen):
            seen.add(other)
            ways.append([*way, other])
    return []


def _neighbours_along(model: CadModel, direction: np.ndarray) -> dict[int, set[int]]:
    """Return, of each face along a direction, those along it that share an edge with it."""
    along = {f.index for f in model.faces if _runs_along(model, f.index, direction)}
    found: dict[int, set[int]] = {face: set() for face in along}
    for edge in model.edges:
        own = set(edge.faces) & along
        for a in own:
            found[a] |= own - {a}
    return found


def _runs_along(model: CadModel, face: int, direction: np.ndarray) -> bool:
    surface = model.faces[face].surface
    along = abs(float(surface.z @ direction))
    if surface.kind == SurfaceKind.PLANE:
        return along < _SQUARE
    return surface.kind == SurfaceKind.CYLINDER and along > 1 - _SQUARE
