"""The place on the part that the tag of a result points at: on material, and where it is seen if it can be."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.evaluation.results import Result
from truegauge.core.plan.document import Plan
from truegauge.core.plan.features import ConstructedFeature, NominalFeature
from truegauge.core.samples.sample import Sample
from truegauge.rendering.camera import Camera

if TYPE_CHECKING:
    from truegauge.core.cad.model import CadModel
    from truegauge.core.evaluation.evaluator import Evaluator

_LOOKED_AT = 16  # places of a feature, of each choice
_FACING = 0.02  # cosine to the line of sight
_OFF = 1e-4  # of the part's size: where a look towards the eye starts


@dataclass(frozen=True, slots=True, eq=False)
class Anchor:
    """A place (3,) mm, and whether it is seen: not behind other faces, nor on the far side."""

    place: NDArray[np.float64]
    is_seen: bool = True


def tag_anchor(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, result: Result, camera: Camera,
    hidden: NDArray[np.bool_] | None = None,
) -> Anchor | None:  # fmt: skip
    """Return where the tag of a result points; None where there is no place, or all faces of it are hidden.

    `hidden` marks faces (n,) that are not drawn.
    """
    c = result.characteristic
    kind = kind_named(c.kind)
    own = kind.anchor(evaluator.context(plan, sample, c.alignment), c)
    if own is None and kind.reading:
        return None
    groups = [g for g in (plan.faces_of(plan.named(name).group) for name in c.features) if g]
    if hidden is not None and groups:
        groups = [g for g in groups if not all(f < len(hidden) and hidden[f] for f in g)]
        if not groups:
            return None
    if own is not None:
        if hidden is not None and evaluator.can_pick:
            face = int(evaluator.projector.deviations(own[None]).face[0])
            if face >= 0 and hidden[face]:
                return None
        return Anchor(own, _is_seen(evaluator, own, camera, hidden))
    sketch = None if result.outcome is None else result.outcome.sketch
    nominal = evaluator.nominal(plan.feature(c.features[0]).group, plan)
    worst = None if sketch is None else np.asarray(sketch.places[sketch.worst])
    if worst is not None and (len(c.features) > 1 or not isinstance(nominal, Nominal)):
        near = worst  # of several features the one that decides
    elif isinstance(nominal, Nominal):
        near = _on_feature(nominal, camera)
    else:
        return None
    return _on_material(evaluator, groups, near, camera, hidden)


def feature_anchor(
    evaluator: Evaluator, plan: Plan, feature: NominalFeature | ConstructedFeature, camera: Camera,
    hidden: NDArray[np.bool_] | None = None,
) -> Anchor | None:  # fmt: skip
    """Return where a mark on a feature stands: on its material, where it is seen; None of hidden faces or of none."""
    faces = plan.faces_of(feature.group)
    if not faces or (hidden is not None and all(hidden[f] for f in faces)):
        return None
    nominal = evaluator.nominal(feature.group, plan)
    if not isinstance(nominal, Nominal):
        return None
    return _on_material(evaluator, [faces], _on_feature(nominal, camera), camera, hidden)


def _on_material(
    evaluator: Evaluator, groups: list[tuple[int, ...]], near: NDArray[np.float64], camera: Camera,
    hidden: NDArray[np.bool_] | None,
) -> Anchor:  # fmt: skip
    """Return the place of the faces of a feature (of several: the nearest) that is seen and nearest to a place.

    Without faces it is this place itself.
    """
    if not groups:
        return Anchor(near, True)
    off = [float(((_places(evaluator.model, own)[0] - near) ** 2).sum(axis=1).min()) for own in groups]
    places, normals = _places(evaluator.model, groups[int(np.argmin(off))])  # of the feature that decides
    order = np.argsort(((places - near) ** 2).sum(axis=1))
    facing = order[~(normals[order] @ camera.back < _FACING)]  # an edge has no side
    if not len(facing):
        return Anchor(places[order[0]], False)
    # Those nearest, those that face the eye most, some from everywhere: what is hidden here may be seen there.
    best = facing[np.argsort(-np.nan_to_num(normals[facing] @ camera.back))]
    spread = facing[np.linspace(0, len(facing) - 1, _LOOKED_AT).astype(int)]
    for row in dict.fromkeys((*facing[:_LOOKED_AT].tolist(), *best[:: len(best) // _LOOKED_AT + 1].tolist(),
                              *spread.tolist())):  # fmt: skip
        if _is_seen(evaluator, places[row], camera, hidden):
            return Anchor(places[row], True)
    return Anchor(places[facing[0]], False)


_PLACES: WeakKeyDictionary[CadModel, dict[tuple[int, ...], tuple[NDArray[np.float64], NDArray[np.float64]]]] = (
    WeakKeyDictionary()
)


def _places(model: CadModel, faces: tuple[int, ...]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Return places of some faces (n, 3): the middles of their triangles, and of their edges, such as rims of holes.

    With the normals (n, 3) there, nan for edges.
    """
    known = _PLACES.setdefault(model, {})
    if faces not in known:
        mesh = model.mesh
        rows = np.flatnonzero(np.isin(mesh.triangle_face, faces))
        middles, wanted = mesh.vertices[mesh.triangles[rows]].mean(axis=1), set(faces)
        edges = [e.polyline for e in model.edges if e.sharp and wanted & set(e.faces)]
        along = [(p[:-1] + p[1:]) / 2 for p in edges if len(p) > 1]
        out = mesh.normals[mesh.triangles[rows]].mean(axis=1)
        known[faces] = np.vstack([middles, *along]), np.vstack([out, *(np.full_like(a, np.nan) for a in along)])
    return known[faces]


def _is_seen(
    evaluator: Evaluator, place: NDArray[np.float64], camera: Camera, hidden: NDArray[np.bool_] | None
) -> bool:
    if not evaluator.can_pick:
        return True
    start = place + _OFF * evaluator.model.diagonal * camera.back
    return evaluator.projector.pick_point(start, camera.back, hidden) is None


def compared_delta(
    evaluator: Evaluator, plan: Plan, sample: Sample | None, result: Result
) -> tuple[float, float, float] | None:
    """Return the differences (mm) of a compared point."""
    c = result.characteristic
    return kind_named(c.kind).difference(evaluator.context(plan, sample, c.alignment), c)


def _on_feature(nominal: Nominal, camera: Camera) -> NDArray[np.float64]:
    """Return the place of a feature to stay near to: of an axis the end that faces the eye."""
    feature = nominal.feature
    radius = getattr(feature, "radius", None)
    direction = getattr(feature, "direction", None)
    if radius is not None and direction is not None:
        toward = 1.0 if float(direction @ camera.back) >= 0 else -1.0
        return np.asarray(nominal.center + 0.5 * nominal.length * direction * toward)
    return nominal.center
