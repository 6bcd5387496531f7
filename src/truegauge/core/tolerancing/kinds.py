"""The kinds of characteristics: for each, what it needs, its nominal, its value, and its proposed limits.

A kind is one entry of `KINDS`; adding one adds an entry and its functions in the module of its family.
"""

from collections.abc import Callable
from dataclasses import dataclass

from truegauge.core.cad.recognition import Nominal
from truegauge.core.errors import EvaluationError
from truegauge.core.extraction import Measured
from truegauge.core.tolerancing import distance, form, orientation, size
from truegauge.core.tolerancing.general import form_tolerance, length_tolerance, squareness_tolerance

Nominals = tuple[Nominal, ...]
Limits = tuple[float | None, float | None]  # lower and upper, as deviations from the nominal


@dataclass(frozen=True, slots=True)
class Kind:
    """One kind of characteristic.

    `fits` tells whether the kind makes sense for exactly these nominal features; `limits` proposes tolerances.
    `one_sided` kinds (form, orientation) have nominal 0 and only an upper limit. `rank` orders proposals, best first.
    """

    name: str
    label: str
    symbol: str
    rank: int
    one_sided: bool
    fits: Callable[[Nominals], bool]
    nominal: Callable[[Nominals], float]
    value: Callable[[tuple[Measured, ...]], float]
    limits: Callable[[Nominals], Limits]


def _plus_minus(nominal: Callable[[Nominals], float]) -> Callable[[Nominals], Limits]:
    def limits(features: Nominals) -> Limits:
        t = length_tolerance(nominal(features))
        return -t, t

    return limits


def _upper(tolerance: Callable[[float], float]) -> Callable[[Nominals], Limits]:
    return lambda features: (None, tolerance(features[0].length))


def _zero(features: Nominals) -> float:
    return 0.0


KINDS: dict[str, Kind] = {
    k.name: k
    for k in (
        Kind("diameter", "diameter", "diameter", 0, False, size.has_diameter, size.nominal_diameter, size.diameter,
             _plus_minus(size.nominal_diameter)),
        Kind("distance", "distance", "distance", 1, False, distance.has_distance, distance.nominal_distance,
             distance.distance, _plus_minus(distance.nominal_distance)),
        Kind("flatness", "flatness", "flatness", 2, True, form.is_plane, _zero, form.form, _upper(form_tolerance)),
        Kind("cylindricity", "cylindricity", "cylindricity", 3, True, form.is_cylinder, _zero, form.form,
             _upper(form_tolerance)),
        Kind("perpendicularity", "perpendicularity", "perpendicularity", 2, True, orientation.are_perpendicular, _zero,
             orientation.orientation, _upper(squareness_tolerance)),
        Kind("parallelism", "parallelism", "parallelism", 3, True, orientation.are_parallel, _zero,
             orientation.orientation, _upper(form_tolerance)),
    )
}  # fmt: skip


def kind_named(name: str) -> Kind:
    """Return the kind.

    Raises
    ------
    EvaluationError
        This version does not know it.
    """
    if name not in KINDS:
        raise EvaluationError(f"this version cannot evaluate {name!r}")
    return KINDS[name]


def kinds_for(features: Nominals) -> list[Kind]:
    """Return the kinds that make sense for exactly these features, best first."""
    return sorted((k for k in KINDS.values() if k.fits(features)), key=lambda k: k.rank)
