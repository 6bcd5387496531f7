"""Constructed features as nominal and as measured features of a plan."""

import numpy as np

from truegauge.core.arrays import frozen
from truegauge.core.association.features import DIRECTIONS, Cone, Countersink, Feature
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.build import construct
from truegauge.core.constructions.operands import Operands
from truegauge.core.constructions.parts import Operand, foot_on_line, foot_on_plane, own_axis_of, place_of, plane_of
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.features.held_by_points import DIRECTION, PLACE, Held


def nominal_operands(nominals: tuple[Nominal, ...]) -> Operands:
    """Return nominal features as a construction takes them."""
    return tuple(Operand(n.feature, n.center, n.length) for n in nominals)


def built_nominal(name: str, members: tuple[Nominal, ...], values: tuple[float, ...]) -> Nominal:
    """Build the nominal feature.

    Raises
    ------
    EvaluationError
        It cannot be built from these.
    """
    feature = construct(name, nominal_operands(members), values)
    middle = np.mean([n.center for n in members], axis=0)
    line, plane, place = own_axis_of(feature), plane_of(feature), place_of(feature)
    if place is not None:
        middle = place
    elif plane is not None:
        middle = foot_on_plane(plane, middle)
    elif line is not None:
        middle = foot_on_line(line, middle)
    return Nominal(feature, 1, max(n.length for n in members), middle, built=True)


def built_measured(
    name: str, members: tuple[Measured | Built, ...], values: tuple[float, ...], nominal: Nominal
) -> Built:
    """Build the measured feature, its directions in the sense of the nominal one.

    Raises
    ------
    EvaluationError
        It cannot be built from these.
    """
    feature = construct(name, tuple(_operand(m) for m in members), values)
    rows = np.unique(np.concatenate([m.rows for m in members]))
    strays = np.unique(np.concatenate([m.strays for m in members]))
    held = Held(*(next((m.held.missing(n) for m in members if m.held.missing(n)), "") for n in (DIRECTION, PLACE)))
    return Built(_turned_like(feature, nominal.feature), nominal, frozen(rows), frozen(strays), held)


def _operand(measured: Measured | Built) -> Operand:
    points = measured.points if isinstance(measured, Measured) else None
    return Operand(measured.feature, measured.middle, measured.nominal.length, points)


def _turned_like(feature: Feature, nominal: Feature) -> Feature:
    if isinstance(feature, Cone | Countersink):
        return feature
    for direction in DIRECTIONS:
        value, wanted = feature.parameters.get(direction), nominal.parameters.get(direction)
        if value is not None and wanted is not None and float(value @ wanted) < 0:
            feature = feature.with_direction(direction, -value)
    return feature
