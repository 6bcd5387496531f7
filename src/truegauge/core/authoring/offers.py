"""Which geometrical tolerances suit a selection and the labelled datums."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.association.features import Countersink, Slot
from truegauge.core.cad.recognition import Nominal
from truegauge.core.characteristics.registry import kind_named
from truegauge.core.constructions.parts import axis_of, foot_on_line, place_of, plane_of
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.nominal import nominal_feature
from truegauge.core.plan.features import Group
from truegauge.core.plan.requirements import Datum, DatumReference
from truegauge.core.tolerancing import geometric_fits
from truegauge.core.tolerancing.request import are_opposite, width_nominal
from truegauge.core.tolerancing.zone import PLAIN, Zone

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context

Groups = tuple[Group, ...]
References = tuple[DatumReference, ...]
_ANGLE, _NEAR = 1e-4, 1e-3
_MOST_LETTERS = 3


def geometric_offers(
    context: Context, groups: Groups, nominals: tuple[Nominal, ...]
) -> Iterator[tuple[str, References]]:
    """Return kinds with the datum systems that make sense for exactly these features, best first.

    `nominals` is empty for faces that are no ideal surface: only profiles suit them.
    """
    datums = _datums(context, groups)
    full = _first_letters(datums)
    # Faces have their profile for that; the symbol can still be changed to position.
    faces = all(plane_of(n.feature) is not None for n in nominals) and not (
        len(nominals) == 2 and are_opposite(nominals[0].feature, nominals[1].feature)
    )
    if nominals and not faces and geometric_fits.is_located(nominals) and (full or len(nominals) > 1):
        yield "position", full
    if nominals and len(nominals) <= 2:
        yield from _oriented(nominals, datums)
        yield from _about_axes(nominals, datums)
        yield from _symmetrical(nominals, datums)
    if geometric_fits.has_surface(nominals):
        yield "profile_surface", full
        if full:
            yield "profile_surface", ()
        yield "profile_line", full
    if nominals and geometric_fits.is_cylinder(nominals):
        yield "axis_straightness", ()


def usual_zone(context: Context, kind: str, nominals: tuple[Nominal, ...], datums: References) -> Zone:
    """Return the zone as a drawing would state it: with the sign of diameter for axes and centres.

    Of an axis in an orientation it is a cylinder where the datum gives its direction (square to a datum plane, along
    a datum axis), else it lies between planes.
    """
    if not nominals:
        return PLAIN
    if kind == "position" and all(place_of(n.feature) is not None for n in nominals):
        first = nominals[0].feature
        if all(isinstance(n.feature, Slot | Countersink) for n in nominals):  # its depth is no matter of its place
            x, y, z = first.parameters["normal" if isinstance(first, Slot) else "direction"]
            return Zone(shape="cylinder", direction=(float(x), float(y), float(z)))
        return Zone(shape="sphere")
    if any(axis_of(n.feature) is None or place_of(n.feature) is not None for n in nominals):
        return PLAIN
    if kind in ("position", "coaxiality", "concentricity", "axis_straightness"):
        return Zone(shape="cylinder")
    plan = context.plan
    orients = kind_named(kind).orients
    if orients and datums and plan.has_datum(datums[0].letters[0]):
        feature = plan.feature(plan.datum(datums[0].letters[0]).feature)
        nominal = nominal_feature(context, feature.group)
        other = None if isinstance(nominal, NotComputed) else _direction(nominal)
        own = _direction(nominals[0])
        if other is not None and own is not None and float(np.linalg.norm(np.cross(own[0], other[0]))) < _ANGLE:
            return Zone(shape="cylinder")
    return PLAIN


def _datums(context: Context, groups: Groups) -> list[tuple[Datum, Nominal]]:
    """Return the labelled datums that are not among the selected features, with what they are."""
    found = []
    for datum in context.plan.datums:
        features = [context.plan.feature(f) for f in datum.features]
        if any(f.group in groups for f in features):
            continue
        nominals = [nominal_feature(context, f.group) for f in features]
        known = [n for n in nominals if not isinstance(n, NotComputed)]
        if len(known) < len(nominals):
            continue
        nominal = known[0]
        if len(known) == 2 and are_opposite(known[0].feature, known[1].feature):
            nominal = width_nominal(known[0], known[1])
        found.append((datum, nominal))
    return found


def _first_letters(datums: list[tuple[Datum, Nominal]]) -> References:
    return tuple(DatumReference(letter=d.letter) for d, _ in datums[:_MOST_LETTERS])


def _direction(nominal: Nominal) -> tuple[np.ndarray, bool] | None:
    """Return a direction and whether it is an axis (else a normal)."""
    line, plane = axis_of(nominal.feature), plane_of(nominal.feature)
    if line is not None:
        return line.direction, True
    return None if plane is None else (plane.normal, False)


def _oriented(nominals: tuple[Nominal, ...], datums: list[tuple[Datum, Nominal]]) -> Iterator[tuple[str, References]]:
    if len(nominals) != 1:
        return
    own = _direction(nominals[0])
    if own is None:
        return
    for datum, nominal in datums:
        other = _direction(nominal)
        if other is None:
            continue
        sine = float(np.linalg.norm(np.cross(own[0], other[0])))
        in_line, square = sine < _ANGLE, sine > 1 - _ANGLE**2
        if own[1] != other[1]:
            in_line, square = square, in_line
        kind = "parallelism" if in_line else "perpendicularity" if square else "angularity"
        first = DatumReference(letter=datum.letter)
        second = _holding_the_rest(other[0], datums) if kind == "angularity" else None
        if second is not None:
            yield kind, (first, second)
        yield kind, (first,)


def _holding_the_rest(direction: np.ndarray, datums: list[tuple[Datum, Nominal]]) -> DatumReference | None:
    """Return the first datum that holds the turn about a direction, which a datum with that direction leaves open."""
    for datum, nominal in datums:
        other = _direction(nominal)
        if other is not None and float(np.linalg.norm(np.cross(direction, other[0]))) > _ANGLE:
            return DatumReference(letter=datum.letter)
    return None


def _about_axes(nominals: tuple[Nominal, ...], datums: list[tuple[Datum, Nominal]]) -> Iterator[tuple[str, References]]:
    for datum, nominal in datums:
        line = axis_of(nominal.feature)
        if line is None or len(nominals) != 1:
            continue
        own = _direction(nominals[0])
        if own is None or float(np.linalg.norm(np.cross(own[0], line.direction))) > _ANGLE:
            continue
        system = (DatumReference(letter=datum.letter),)
        center = nominals[0].center
        coaxial = float(np.linalg.norm(center - foot_on_line(line, center))) < _NEAR
        if own[1] and coaxial:
            yield "coaxiality", system
            yield "concentricity", system
        if geometric_fits.can_run_out(nominals) and (coaxial or not own[1]):
            yield "circular_runout", system
            yield "total_runout", system


def _symmetrical(
    nominals: tuple[Nominal, ...], datums: list[tuple[Datum, Nominal]]
) -> Iterator[tuple[str, References]]:
    if not geometric_fits.has_middle(nominals):
        return
    own = nominals[0] if len(nominals) == 1 else width_nominal(nominals[0], nominals[1])
    middle = plane_of(own.feature)
    for datum, nominal in datums:
        plane, line = plane_of(nominal.feature), axis_of(nominal.feature)
        if middle is None or (plane is not None and nominal.shape == "plane" and not nominal.built):
            continue
        if plane is not None:
            same = float(np.linalg.norm(np.cross(plane.normal, middle.normal))) < _ANGLE
            same = same and abs(float((plane.point - middle.point) @ middle.normal)) < _NEAR
        elif line is not None:
            same = abs(float(line.direction @ middle.normal)) < _ANGLE
            same = same and abs(float((line.point - middle.point) @ middle.normal)) < _NEAR
        else:
            same = False
        if same:
            yield "symmetry", (DatumReference(letter=datum.letter),)
