"""The kinds of characteristics by their names: another family is one module, its import and its line here."""

from truegauge.core.characteristics import (
    blade,
    compared,
    coordinate,
    distance,
    form,
    location,
    orientation,
    profile,
    runout,
    section,
    shadow,
    size,
    spot,
)
from truegauge.core.characteristics.kind import Kind, UnknownKind

# In this order they are listed; proposals are ordered by their ranks first.
FAMILIES = (
    size.kinds,
    form.kinds,
    orientation.kinds,
    distance.kinds,
    coordinate.kinds,
    location.kinds,
    profile.kinds,
    runout.kinds,
    spot.kinds,
    section.kinds,
    compared.kinds,
    blade.kinds,
    shadow.kinds,
)
KINDS: dict[str, Kind] = {kind.name: kind for family in FAMILIES for kind in family()}


def kind_named(name: str) -> Kind:
    """Return a kind by its name; of a name that is not known one that says so wherever its value would be."""
    found = KINDS.get(name)
    return UnknownKind(name=name, label=name, symbol="") if found is None else found


def register(*kinds: Kind) -> None:
    """Add kinds of a family from outside."""
    for kind in kinds:
        if kind.name in KINDS:
            raise ValueError(f"there is a kind {kind.name!r} already")
        KINDS[kind.name] = kind
