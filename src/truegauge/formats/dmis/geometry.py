"""Nominal features as DMIS defines them, and which faces of a part a definition means."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.core.association.features import Cone, Cylinder, Feature, Plane, Shape, Sphere, Torus
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.recognition import Nominal, nominal_of, shape_of, whole_surface
from truegauge.core.errors import GeometryError
from truegauge.formats.dmis.statements import NotUnderstood, Statement, numbers_text

FREE = "GSURF"
WORDS = {Shape.PLANE: "PLANE", Shape.CYLINDER: "CYLNDR", Shape.CONE: "CONE", Shape.SPHERE: "SPHERE",
         Shape.TORUS: "TORUS"}  # fmt: skip
_NEAR, _TURNED = 0.05, 1e-3  # mm and rad that a definition may be off the part


@dataclass(frozen=True, slots=True)
class Defined:
    """What a definition says: the word of its shape, inside or outside, place, direction, and sizes (mm, rad)."""

    word: str
    inner: bool = False
    place: Vector | None = None
    direction: Vector | None = None
    sizes: tuple[float, ...] = ()


def feature_statement(label: str, nominal: Nominal | None) -> Statement:
    """Return the definition of a feature; of a free-form one it says no more than that."""
    word = FREE if nominal is None else WORDS.get(nominal.shape, FREE)
    if nominal is None or word == FREE:
        return Statement("FEAT", (FREE,), "F", label)
    f = nominal.feature
    place, direction, sizes = _numbers(f, nominal)
    side = () if isinstance(f, Plane) else ("INNER" if nominal.outward < 0 else "OUTER",)
    way = () if direction is None else numbers_text(direction)
    return Statement("FEAT", (word, *side, "CART", *numbers_text(place), *way, *numbers_text(sizes)), "F", label)


def _numbers(f: Feature, nominal: Nominal) -> tuple[Vector, Vector | None, tuple[float, ...]]:
    match f:
        case Plane():
            return f.point, f.normal, ()
        case Cylinder():
            return f.point, f.direction, (2 * f.radius, nominal.length)
        case Cone():
            return f.apex, f.direction, (float(np.degrees(2 * f.half_angle_rad)),)
        case Sphere():
            return f.center, None, (2 * f.radius,)
        case Torus():
            return f.center, f.direction, (2 * f.major_radius, 2 * f.minor_radius)
    raise GeometryError(f"no definition for a {f.shape}")


def defined(s: Statement, scale: float, degrees: float) -> Defined:
    """Return what a definition says; `scale` and `degrees` are its units in mm and in degrees.

    Raises
    ------
    NotUnderstood
        A shape that has no faces of its own, polar coordinates, or numbers that are missing.
    """
    word = s.at(0)
    if word == FREE:
        return Defined(FREE)
    if word not in WORDS.values():
        raise NotUnderstood(f"a feature {word} has no faces of the part")
    k = 1
    if word != "PLANE":
        if s.at(1) not in ("INNER", "OUTER"):
            raise NotUnderstood("INNER or OUTER is missing")
        k = 2
    if s.at(k) != "CART":
        raise NotUnderstood("its place is not in Cartesian coordinates")
    place = np.array(s.numbers(k + 1, 3)) * scale
    k += 4
    direction = None
    if word != "SPHERE":
        direction = np.array(s.numbers(k, 3))
        if np.linalg.norm(direction) < 1e-9:
            raise NotUnderstood("its direction is zero")
        direction = unit(direction)
        k += 3
    count = {"PLANE": 0, "TORUS": 2}.get(word, 1)
    sizes = s.numbers(k, count)
    sizes = tuple(float(np.radians(v * degrees)) for v in sizes) if word == "CONE" else tuple(v * scale for v in sizes)
    return Defined(word, s.at(1) == "INNER", place, direction, sizes)


def faces_meant(model: CadModel, meant: Defined, taken: frozenset[tuple[int, ...]] = frozenset()) -> tuple[int, ...]:
    """Return the faces of the part that a definition means: the surface that it says, nearest to its place.

    Raises
    ------
    NotUnderstood
        The part has no such surface, or another feature has it.
    """
    if meant.word == FREE or meant.place is None:
        raise NotUnderstood("it does not say which faces of the part it means")
    found: dict[tuple[int, ...], float] = {}
    for face in range(len(model.faces)):
        shape = shape_of(model, face)
        if shape is None or WORDS.get(shape) != meant.word:
            continue
        faces = whole_surface(model, face)
        if faces in found:
            continue
        nominal = nominal_of(model, faces)
        if _is_meant(nominal, meant):
            found[faces] = float(np.linalg.norm(nominal.center - meant.place))
    free = {f: far for f, far in found.items() if f not in taken}
    if not free:
        raise NotUnderstood("another feature is on these faces" if found else "the part has no such surface there")
    return min(free, key=lambda f: free[f])


def _is_meant(nominal: Nominal, meant: Defined) -> bool:
    """Tell whether a feature of the part is what a definition says, wherever its place is along its axis or plane."""
    f = nominal.feature
    assert meant.place is not None
    if meant.word != "PLANE" and (nominal.outward < 0) != meant.inner:
        return False
    off = meant.place - _numbers(f, nominal)[0]
    way = meant.direction
    if isinstance(f, Sphere):
        return bool(np.linalg.norm(off) < _NEAR and abs(2 * f.radius - meant.sizes[0]) < _NEAR)
    assert way is not None
    if isinstance(f, Plane):
        return bool(f.normal @ way > 1 - _TURNED and abs(off @ f.normal) < _NEAR)
    axis = f.direction if isinstance(f, Cylinder | Cone | Torus) else way
    if np.linalg.norm(np.cross(axis, way)) > _TURNED:
        return False
    beside = float(np.linalg.norm(off - (off @ axis) * axis))
    match f:
        case Cylinder():
            return beside < _NEAR and abs(2 * f.radius - meant.sizes[0]) < _NEAR
        case Cone():
            return beside < _NEAR and abs(2 * f.half_angle_rad - meant.sizes[0]) < _TURNED
        case Torus():
            own = (2 * f.major_radius, 2 * f.minor_radius)
            return bool(np.linalg.norm(off) < _NEAR and np.allclose(own, meant.sizes, atol=_NEAR))
    return False
