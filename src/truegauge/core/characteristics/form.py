"""Form: flatness, cylindricity, roundness, straightness of surfaces, and of the axis (ISO 1101:2017)."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from truegauge.core.characteristics.kind import BOTH, Kind, Limits, Nominals, Told, groups_of, up_to
from truegauge.core.characteristics.of_features import OfFeatures, measured_members
from truegauge.core.characteristics.zones import ZoneKind
from truegauge.core.nodes.cutting import cutting_normal
from truegauge.core.nodes.features import groups_key
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.node import Node
from truegauge.core.nodes.nominal import nominal_feature
from truegauge.core.tolerancing import form, general, geometric_fits
from truegauge.core.tolerancing.form import PARAMETERS, REFERENCES, FormRule, form_value
from truegauge.core.tolerancing.general import GeneralTolerances, form_tolerance

if TYPE_CHECKING:
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.features import Group
    from truegauge.core.plan.requirements import Characteristic


@dataclass(frozen=True, kw_only=True)
class Form(OfFeatures):
    """A form of a surface, read as the modifiers say. `has_general`: ISO 2768 limits it."""

    one_sided: bool = True
    framed: bool = True
    takes_datums: bool = False
    takes_form: bool = True
    has_general: bool = False

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        """Return the form with what is told of it."""
        value, *said = context.need(FormOf(self, groups_of(context.plan, c), form_rule(context, c)))
        return Told(value, notes=tuple(x for x in said if x))

    def general(self, stated: GeneralTolerances, nominal: float, features: Nominals) -> Limits:
        """Return the general form tolerance for the length of the feature."""
        return general_by_length(general.form_tolerance, stated, features) if self.has_general else (None, None)


def general_by_length(table: Callable[[float, str], float], stated: GeneralTolerances, features: Nominals) -> Limits:
    """Return what a table of ISO 2768-2 gives for the shortest of some features."""
    length = min((f.length for f in features), default=0.0)
    return (None, None) if stated.geometry is None else (None, table(length, stated.geometry))


def form_rule(context: Context, c: Characteristic) -> FormRule:
    """Return how the form of a characteristic is read.

    Raises
    ------
    EvaluationError
        Its intersection plane is not fixed.
    """
    reference = next((m for m in c.modifiers if m in REFERENCES), "C")
    parameter = next((m for m in c.modifiers if m in PARAMETERS), "T")
    known = nominal_feature(context, context.plan.named(c.features[0]).group)
    across = cutting_normal(context, c.zone, None if isinstance(known, NotComputed) else known)
    return FormRule(reference, parameter, c.zone.per, c.zone.per_second, across)


@dataclass(frozen=True, slots=True)
class FormOf(Node[tuple[float, str]]):
    """The form of a feature by a rule, and what is told of it."""

    kind: Form
    groups: tuple[Group, ...]
    rule: FormRule

    def key(self, context: Context) -> Hashable:
        return (groups_key(context, self.groups), self.kind.name, self.rule)

    def compute(self, context: Context) -> tuple[float, str]:
        return form_value(self.kind.name, measured_members(context, self.groups, self.kind.needs), self.rule)


def kinds() -> tuple[Kind, ...]:
    """Return the forms."""
    limits = up_to(form_tolerance)
    return (
        Form(name="flatness", label="flatness", symbol="flatness", rank=2, fits=form.is_plane, value=form.form,
             limits=limits, needs=BOTH, takes_unit=2, has_general=True),
        Form(name="cylindricity", label="cylindricity", symbol="cylindricity", rank=3, fits=form.is_cylinder,
             value=form.form, limits=limits, needs=BOTH),
        Form(name="roundness", label="roundness", symbol="roundness", rank=4, fits=form.has_round_sections,
             value=form.roundness, limits=limits, common=False, needs=()),
        Form(name="straightness", label="straightness", symbol="straightness", rank=5, fits=form.has_lines,
             value=form.straightness, limits=limits, common=False, needs=(), takes_unit=1, takes_lines=True,
             has_general=True),
        ZoneKind(name="axis_straightness", label="straightness of the axis", symbol="straightness", rank=6,
                 fits=geometric_fits.is_cylinder, limits=limits, common=False, needs=BOTH, takes_datums=False,
                 takes_material=True, widens_boundary=True),
    )  # fmt: skip
