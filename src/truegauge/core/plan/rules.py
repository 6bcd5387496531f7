"""How sizes and forms of a plan are read: from modifiers, zones and the defaults of the plan to their rules."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.arrays import unit
from truegauge.core.cad.recognition import Nominal
from truegauge.core.constructions.parts import axis_of, plane_of
from truegauge.core.errors import EvaluationError
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.frozen_model import Three
from truegauge.core.plan.document import Characteristic, Group, Plan
from truegauge.core.plan.graph import NotComputed
from truegauge.core.samples.sample import Sample
from truegauge.core.tolerancing.form import PARAMETERS, REFERENCES, FormRule, form_value
from truegauge.core.tolerancing.kinds import KINDS, need_held
from truegauge.core.tolerancing.size import sizes_by
from truegauge.core.tolerancing.size_rule import SizeRule, is_size, size_rule, usual_rule
from truegauge.core.tolerancing.zone import Zone

if TYPE_CHECKING:
    from truegauge.core.plan.evaluation import Evaluator

Limits = tuple[float | None, float | None]


def usual_size(plan: Plan) -> str:
    """Return what a size without modifiers means in a plan: as it states, else by its standard."""
    return plan.usual_size or usual_rule(plan.standard)


def size_rule_of(plan: Plan, kind: str, modifiers: tuple[str, ...] = (), at: float = 0.0) -> SizeRule | None:
    """Return the rule of a size; None for kinds that are none."""
    return size_rule(kind, modifiers, usual_size(plan), at) if is_size(kind) else None


def rule_of(plan: Plan, c: Characteristic) -> SizeRule | None:
    """Return the rule of a characteristic that is a size."""
    if c.kind == "distance" and "E" in c.modifiers:  # of two opposite planes: their width
        return SizeRule("E")
    return size_rule_of(plan, c.kind, c.modifiers, c.zone.at or 0.0)


def definition_of(plan: Plan, c: Characteristic) -> str:
    """Return what a size is by the standard, as a drawing marks it: "LP", "GX ACS", "(E)"; empty for others."""
    rule = rule_of(plan, c)
    return "" if rule is None else "(E)" if rule.how == "E" else rule.letters


def form_rule_of(evaluator: Evaluator, plan: Plan, c: Characteristic) -> FormRule:
    """Return how the form of a characteristic is read.

    Raises
    ------
    EvaluationError
        Its intersection plane is not fixed.
    """
    reference = next((m for m in c.modifiers if m in REFERENCES), "C")
    parameter = next((m for m in c.modifiers if m in PARAMETERS), "T")
    nominal = evaluator.nominal(plan.named(c.features[0]).group, plan)
    across = cutting_normal(evaluator, plan, c.zone, nominal if isinstance(nominal, Nominal) else None)
    return FormRule(reference, parameter, c.zone.per, c.zone.per_second, across)


def cutting_normal(evaluator: Evaluator, plan: Plan, zone: Zone, own: Nominal | None) -> Three | None:
    """Return the normal of the planes that cut a surface into lines (ISO 1101:2017, 13: intersection planes).

    Raises
    ------
    EvaluationError
        The datum of the intersection plane gives no such planes.
    """
    if not zone.cut:
        return zone.direction
    feature = plan.feature(plan.datum(zone.cut_datum).feature)
    nominal = evaluator.nominal(feature.group, plan)
    if not isinstance(nominal, Nominal):
        raise EvaluationError(f"intersection plane: datum {zone.cut_datum}: {nominal.reason}")
    plane, line = plane_of(nominal.feature), axis_of(nominal.feature)
    if plane is None and line is None:
        raise EvaluationError(f"intersection plane: datum {zone.cut_datum} has no direction")
    direction = plane.normal if plane is not None else line.direction  # type: ignore[union-attr]
    along_datum = (zone.cut == "parallel") == (plane is not None)
    if along_datum:  # parallel to a plane, or square to an axis: the datum gives the normal
        found = direction
    else:
        face = None if own is None else plane_of(own.feature)
        if face is None or float(abs(face.normal @ direction)) > 0.999:
            raise EvaluationError(
                f"intersection planes {zone.cut} to datum {zone.cut_datum} are not fixed: choose another datum"
            )
        found = unit(np.cross(face.normal, direction))
    x, y, z = (float(v) for v in found)
    return x, y, z


def sized(
    evaluator: Evaluator, plan: Plan, sample: Sample, groups: tuple[Group, ...], rule: SizeRule, limits: Limits
) -> tuple[float, str] | NotComputed:
    """Return a size by a rule, mm, and what is told of it; `limits` of size, mm, decide which of many sizes is told."""
    key = ("sized", *evaluator.seen_key(plan, sample), tuple(plan.content_of(g) for g in groups), rule)
    found = evaluator.graph.node(
        key, lambda: sizes_by(_members(evaluator, plan, sample, groups, KINDS["diameter"].needs), rule)
    )
    return found if isinstance(found, NotComputed) else found.told(*limits)


def formed(evaluator: Evaluator, plan: Plan, sample: Sample, c: Characteristic) -> tuple[float, str] | NotComputed:
    """Return the form of a characteristic, mm, and what is told of it."""
    kind, groups = c.kind, tuple(plan.named(f).group for f in c.features)
    try:
        rule = form_rule_of(evaluator, plan, c)
    except EvaluationError as error:
        return NotComputed(str(error))
    key = ("formed", *evaluator.seen_key(plan, sample), tuple(plan.content_of(g) for g in groups), kind, rule)
    return evaluator.graph.node(
        key, lambda: form_value(kind, _members(evaluator, plan, sample, groups, KINDS[kind].needs), rule)
    )


def _members(
    evaluator: Evaluator, plan: Plan, sample: Sample, groups: tuple[Group, ...], needs: tuple[str, ...]
) -> tuple[Measured | Built, ...]:
    found: list[Measured | Built] = []
    for group in groups:
        one: Measured | Built | NotComputed = evaluator.measured(plan, sample, group)
        if isinstance(one, NotComputed):
            raise EvaluationError(one.reason)
        found.append(one)
    need_held(needs, tuple(found))
    return tuple(found)
