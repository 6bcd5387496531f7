"""What a kind of characteristic is: everything that the rest of the program asks of one."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.features.held_by_points import DIRECTION, PLACE
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.tolerancing import general
from truegauge.core.tolerancing.general import GeneralTolerances, angle_tolerance, length_tolerance
from truegauge.core.tolerancing.outcome import Outcome
from truegauge.core.tolerancing.size_rule import SizeRule
from truegauge.core.tolerancing.zone import MATERIAL

if TYPE_CHECKING:
    from truegauge.core.arrays import Vector
    from truegauge.core.nodes.context import Context
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.features import Group
    from truegauge.core.plan.requirements import Characteristic

Nominals = tuple[Nominal, ...]
Limits = tuple[float | None, float | None]  # lower and upper, as deviations from the nominal
NONE: Limits = (None, None)
BOTH = (DIRECTION, PLACE)


@dataclass(frozen=True, slots=True)
class Told:
    """A value, mm or rad, with the outcome of a geometrical tolerance and what is to be told about it."""

    value: float
    outcome: Outcome | None = None
    notes: tuple[str, ...] = ()


class Numbers(Protocol):
    """How numbers are shown."""

    @property
    def unit(self) -> str:
        """The unit."""

    def value(self, length_mm: float, /) -> str:
        """Return a number as text."""

    def signed(self, length_mm: float, /) -> str:
        """Return a number with its sign."""


def _fits_nothing(features: Nominals) -> bool:
    return False


def zero(features: Nominals) -> float:
    """Return 0: the nominal of what is one-sided."""
    return 0.0


def no_limits(features: Nominals) -> Limits:
    """Return that no limits are proposed."""
    return NONE


@dataclass(frozen=True, kw_only=True)
class Kind:
    """One kind of characteristic.

    `fits` tells whether the kind makes sense for exactly these nominal features; `limits` proposes tolerances.
    `one_sided` kinds (form, orientation) have nominal 0 and only an upper limit; `framed` ones are stated in a frame.
    `rank` orders proposals, best first; kinds that are not `common` are offered behind the others. The values of
    `angular` kinds are rad; `placed` ones depend on the axes of the alignment. `needs` are what touches of its
    features must hold (`core.features.held_by_points`).
    """

    name: str
    label: str
    symbol: str
    rank: int = 90
    fits: Callable[[Nominals], bool] = _fits_nothing
    nominal: Callable[[Nominals], float] = zero
    limits: Callable[[Nominals], Limits] = no_limits
    common: bool = True
    one_sided: bool = False
    framed: bool = False
    angular: bool = False
    area: bool = False  # values are mm2
    placed: bool = False
    reading: bool = False  # its "features" are readings of the plan, not features
    geometric: bool = False  # a zone in a datum system
    needs: tuple[str, ...] = (PLACE,)
    takes_datums: bool = True
    needs_datum: bool = False
    to_the_second: bool = False  # without letters its second feature is the datum
    takes_tiers: bool = False
    takes_material: bool = False  # at maximum or least material
    takes_directions: bool = False  # its zone of an axis may lie between planes
    orients: bool = False  # its zone only turns with the datums; of a plane the tangent plane can be stated
    takes_pattern: bool = False  # one requirement on all of several features
    takes_form: bool = False  # reference and parameter of form can be stated (ISO 1101, 4.2)
    takes_lines: bool = False  # read in lines, which an intersection plane cuts
    takes_unit: int = 0  # dimensions of the piece that it may be stated for: 1 a length, 2 an area too
    is_profile: bool = False
    about_axis: bool = False  # judged around the axis of its first datum
    round_zone: bool = False  # its zone is a cylinder unless another is stated
    widens_boundary: bool = False  # widens the boundary of its feature as a datum (ISO 2692:2021, 5.2)
    has_size: bool = False  # a size with modifiers (ISO 14405-1)
    takes_definition: bool = False  # a size whose definition the modifiers state; else its name does
    takes_sections: bool = False  # a size that may be told of cross sections
    takes_envelope: bool = False  # no size by itself, but one with the envelope requirement
    limits_size: bool = False  # its limits are limits of size
    takes_unused: bool = False  # what a tolerance with reciprocity leaves unused widens it

    def rule(self, plan: Plan, c: Characteristic) -> SizeRule | None:
        """Return the rule of a characteristic that is a size."""
        return None

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        """Return the value of a characteristic; `limits` are its smallest and largest value.

        Raises
        ------
        EvaluationError
            Why there is none.
        """
        raise NotImplementedError

    def offered(self, context: Context, groups: tuple[Group, ...], nominals: Nominals) -> float | NotComputed:
        """Return the value that a proposal for features shows."""
        return NotComputed("told once it is in the plan")

    def is_limit_of_size(self, c: Characteristic) -> bool:
        """Tell whether the limits of a characteristic are limits of size: of any definition but a spread of sizes."""
        return self.limits_size

    def reads_others(self, plan: Plan, c: Characteristic) -> bool:
        """Tell whether other characteristics of its features, or of those of its datums, decide about its result.

        Limits of size do where a boundary at maximum or least material follows from them; reciprocity does.
        """
        if any(m in MATERIAL for m in c.modifiers) or any(d.material for d in c.datums):
            return True
        return self.takes_unused and any(f in plan.given_back for f in c.features)

    def content(self, plan: Plan, c: Characteristic) -> Hashable:
        """Return what the value depends on besides the points, the features and the datum system."""
        return (self.name, c.modifiers, c.zone)

    def points_key(self, context: Context, c: Characteristic) -> Hashable:
        """Return what the value depends on of the points, the features and the datum system."""
        raise NotImplementedError

    def missing(self, context: Context, c: Characteristic) -> int:
        """Return how much is to be worked out before the value is known: one for each zone, more for what is slow."""
        return 0

    def uncertainty(self, context: Context, c: Characteristic) -> float | None:
        """Return the standard uncertainty where there is a closed form; None for trials.

        Raises
        ------
        EvaluationError
            Why there is none.
        """
        return None

    def mean_beside(self, plan: Plan, c: Characteristic) -> Characteristic | None:
        """Return the mean size beside one by extremes: what lies between the two holds its bias."""
        return None

    @property
    def of_forms(self) -> bool:
        """Whether the trials of its uncertainty need the forms of features."""
        return self.one_sided and not self.geometric

    def outcome(self, context: Context, c: Characteristic) -> Outcome | NotComputed | None:
        """Return the outcome of a geometrical tolerance; None for all others."""
        return None

    def general(self, stated: GeneralTolerances, nominal: float, features: Nominals) -> Limits:
        """Return what general tolerances give (ISO 2768); nothing where they say nothing."""
        if self.geometric or self.one_sided:
            return NONE
        if self.angular:
            if stated.linear is None or not features:
                return NONE  # the table goes by the shorter leg: where nobody knows it, it says nothing
            t = general.angle_tolerance(min(f.length for f in features), stated.linear)
            return -t, t
        if stated.size is not None:
            return -stated.size, stated.size
        given = None if stated.linear is None else general.stated_length_tolerance(nominal, stated.linear)
        return NONE if given is None else (-given, given)

    def breaks_an_edge(self, context: Context, c: Characteristic) -> bool:
        """Tell whether it is the outer radius of a broken edge, which has general tolerances of its own."""
        return False

    def definition(self, plan: Plan, c: Characteristic) -> str:
        """Return what a size is by the standard, as a drawing marks it: "LP", "GX ACS", "(E)"; empty for others."""
        rule = self.rule(plan, c)
        return "" if rule is None else "(E)" if rule.how == "E" else rule.letters

    def anchor(self, context: Context, c: Characteristic) -> Vector | None:
        """Return the place (3,) that its tag points at; None: that of its features."""
        return None

    def difference(self, context: Context, c: Characteristic) -> tuple[float, float, float] | None:
        """Return the differences along x, y and z (mm) of a point that is compared; None for all others."""
        return None

    def why(self, context: Context, c: Characteristic, numbers: Numbers) -> list[tuple[str, str]] | None:
        """Return in words what its value was read from; None: its features and their points."""
        return None

    def problems(self, plan: Plan, c: Characteristic, nominals: Sequence[Nominal]) -> list[str]:
        """Return what makes no sense, besides what its flags say."""
        return []


@dataclass(frozen=True, kw_only=True)
class UnknownKind(Kind):
    """A kind of a newer version: its characteristics stay in the plan and say why they have no value."""

    def tell(self, context: Context, c: Characteristic, limits: Limits) -> Told:
        """Say why there is none."""
        raise EvaluationError(f"this version cannot evaluate {self.name!r}")

    def points_key(self, context: Context, c: Characteristic) -> Hashable:
        """Return that it depends on nothing."""
        return ()

    def general(self, stated: GeneralTolerances, nominal: float, features: Nominals) -> Limits:
        """Return that general tolerances say nothing of it."""
        return NONE


def plus_minus(nominal: Callable[[Nominals], float]) -> Callable[[Nominals], Limits]:
    """Return what proposes the limits of a length."""

    def limits(features: Nominals) -> Limits:
        t = length_tolerance(nominal(features))
        return -t, t

    return limits


def up_to(tolerance: Callable[[float], float]) -> Callable[[Nominals], Limits]:
    """Return what proposes an upper limit by the length of a feature."""
    return lambda features: (None, tolerance(features[0].length))


def angle_limits(features: Nominals) -> Limits:
    """Propose the limits of an angle."""
    t = angle_tolerance(min(f.length for f in features))
    return -t, t


def groups_of(plan: Plan, c: Characteristic) -> tuple[Group, ...]:
    """Return what the features of a characteristic select."""
    return tuple(plan.named(f).group for f in c.features)
