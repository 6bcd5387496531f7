"""Sizes: diameters, widths, radii, lengths of slots, depths and angles of countersinks (ISO 14405-1)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.characteristics.kind import BOTH, Kind, Limits, Nominals, angle_limits, plus_minus, up_to, zero
from truegauge.core.characteristics.of_features import OfFeatures, SizesOf
from truegauge.core.features.extraction import Measured
from truegauge.core.nodes.graph import NotComputed, needed
from truegauge.core.tolerancing import distance, size
from truegauge.core.tolerancing.general import form_tolerance
from truegauge.core.tolerancing.size_rule import SizeRule, size_rule, usual_rule
from truegauge.core.tolerancing.two_point import STATISTICS

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.features import Group
    from truegauge.core.plan.requirements import Characteristic
    from truegauge.core.uncertainty.stated_errors import StatedErrors


Proposed = Callable[[Nominals], Limits]


def usual_size(plan: Plan) -> str:
    """Return what a size without modifiers means in a plan: as it states, else by its standard."""
    return plan.usual_size or usual_rule(plan.standard)


@dataclass(frozen=True, kw_only=True)
class Size(OfFeatures):
    """A size with modifiers. `mean` names the kind of the mean size beside it; `round` sizes are diameters."""

    mean: str = "diameter"
    closed_form: bool = False  # the covariance of the association gives its uncertainty, where it is a global size
    has_size: bool = True
    limits_size: bool = True
    takes_unused: bool = True

    def rule(self, plan: Plan, c: Characteristic) -> SizeRule | None:
        """Return the rule by the kind, the modifiers, or the default of the plan."""
        return size_rule(self.name, c.modifiers, usual_size(plan), c.zone.at or 0.0)

    def offered(self, context: Context, groups: tuple[Group, ...], nominals: Nominals) -> float | NotComputed:
        """Return what the default of the plan means, with the proposed limits."""
        nominal = self.nominal(nominals)
        lower, upper = self.limits(nominals)
        limits = (None if lower is None else nominal + lower, None if upper is None else nominal + upper)
        found = context.get(SizesOf(groups, size_rule(self.name, (), usual_size(context.plan), 0.0)))
        return found if isinstance(found, NotComputed) else found.told(*limits)[0]

    def is_limit_of_size(self, c: Characteristic) -> bool:
        """A spread of sizes is none."""
        return not size_rule(self.name, c.modifiers, "LP").is_spread

    def uncertainty(self, context: Context, c: Characteristic) -> float | None:
        """Carry the covariance of the association to a diameter by least squares."""
        if not self.closed_form or not _is_global(self, context.plan, c):
            return None
        return diameter_uncertainty(context, c)

    def mean_beside(self, plan: Plan, c: Characteristic) -> Characteristic | None:
        """Return the least-squares size beside one by extremes."""
        rule = self.rule(plan, c)
        if rule is None or rule.is_spread or _is_global(self, plan, c):
            return None
        return c.replace(kind=self.mean, modifiers=("GG",))


def _is_global(kind: Kind, plan: Plan, c: Characteristic) -> bool:
    rule = kind.rule(plan, c)
    return rule is not None and rule.how == "GG" and not rule.section


@dataclass(frozen=True, kw_only=True)
class Radius(OfFeatures):
    """The radius of the associated feature."""

    takes_unused: bool = True

    def uncertainty(self, context: Context, c: Characteristic) -> float | None:
        """Return half of that of the diameter."""
        found = diameter_uncertainty(context, c)
        return None if found is None else 0.5 * found


def diameter_uncertainty(context: Context, c: Characteristic) -> float | None:
    """Carry the covariance of the association and the stated errors to a diameter; None for a constructed feature.

    Raises
    ------
    EvaluationError
        It is not measured.
    """
    group = context.plan.named(c.features[0]).group
    if isinstance(group, str):
        return None
    measured = needed(context.measured(group))
    return _of_diameter(measured, context.plan.device) if isinstance(measured, Measured) else None


def _of_diameter(measured: Measured, device: StatedErrors) -> float:
    own = measured.fit.standard_deviation("radius") or 0.0
    across = 2 * float(measured.feature.parameters["radius"])
    return float(np.sqrt((2 * own) ** 2 + device.of_probing**2 + (across * device.of_scale) ** 2))


def _halved(limits: Limits) -> Limits:
    lower, upper = limits
    return None if lower is None else lower / 2, None if upper is None else upper / 2


def kinds() -> tuple[Kind, ...]:
    """Return the sizes."""
    by_diameter, by_width = plus_minus(size.nominal_diameter), plus_minus(size.nominal_width)
    found: list[Kind] = [
        Size(name="diameter", label="diameter", symbol="diameter", rank=0, fits=size.has_diameter,
             nominal=size.nominal_diameter, value=size.diameter, limits=by_diameter, closed_form=True,
             takes_definition=True, takes_sections=True),
        Size(name="width", label="width", symbol="distance", rank=2, fits=size.is_width, nominal=size.nominal_width,
             value=size.by_rule(SizeRule("LP")), limits=by_width, mean="width", takes_definition=True),
        Radius(name="radius", label="radius", symbol="radius", rank=9, fits=size.has_diameter,
               nominal=lambda f: size.nominal_diameter(f) / 2, value=lambda f: size.diameter(f) / 2,
               limits=lambda f: _halved(by_diameter(f)), common=False),
        OfFeatures(name="slot_length", label="length", symbol="distance", rank=3, fits=size.is_slot,
                   nominal=size.length_of_slot, value=size.length_of_slot, limits=plus_minus(size.length_of_slot)),
        OfFeatures(name="countersink_depth", label="depth", symbol="distance", rank=0, fits=distance.is_countersink,
                   nominal=distance.countersink_depth, value=distance.countersink_depth,
                   limits=plus_minus(distance.countersink_depth)),
        OfFeatures(name="cone_angle", label="cone angle", symbol="angle", rank=0, fits=distance.is_cone,
                   nominal=distance.nominal_cone_angle, value=distance.cone_angle, limits=angle_limits, angular=True,
                   needs=BOTH),
    ]  # fmt: skip
    for rank, modifier in enumerate(size.CRITERIA):
        name, value = modifier.lower(), size.by_rule(SizeRule(modifier))
        found.append(Size(name=f"diameter_{name}", label=f"diameter {modifier}", symbol="diameter", rank=10 + rank,
                          fits=size.has_points, nominal=size.nominal_diameter, value=value, limits=by_diameter,
                          common=False, closed_form=modifier == "GG", takes_sections=True))  # fmt: skip
        found.append(Size(name=f"width_{name}", label=f"width {modifier}", symbol="distance", rank=13 + rank,
                          fits=size.has_two_sides, nominal=size.nominal_width, value=value, limits=by_width,
                          common=False, mean="width"))  # fmt: skip
    for rank, letters in enumerate(STATISTICS):
        found += _two_point(rank, letters, by_diameter, by_width)
    return tuple(found)


def _two_point(rank: int, letters: str, by_diameter: Proposed, by_width: Proposed) -> tuple[Kind, Kind]:
    """Return the statistics of two-point sizes; a range or a standard deviation is no size and has no nominal."""
    spread = letters in ("SR", "SQ")
    name, value = f"two-point {STATISTICS[letters][0]} LP {letters}", size.by_rule(SizeRule("LP", letters))
    return (
        Size(name=f"diameter_lp_{letters.lower()}", label=f"diameter {name}", symbol="diameter", rank=20 + rank,
             one_sided=spread, fits=size.has_points, nominal=zero if spread else size.nominal_diameter, value=value,
             limits=up_to(form_tolerance) if spread else by_diameter, common=False, takes_sections=True),
        Size(name=f"width_lp_{letters.lower()}", label=f"width {name}", symbol="distance", rank=30 + rank,
             one_sided=spread, fits=size.has_two_sides, nominal=zero if spread else size.nominal_width, value=value,
             limits=up_to(form_tolerance) if spread else by_width, common=False, mean="width"),
    )  # fmt: skip
