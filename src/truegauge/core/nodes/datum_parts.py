"""Measured features as parts of datums: alike for alignments and for tolerances."""

from collections.abc import Sequence
from functools import partial

import numpy as np

from truegauge.core.datums.common import size_of
from truegauge.core.datums.given import DatumPart
from truegauge.core.features.extraction import Built, Measured
from truegauge.core.tolerancing.derived import surface_points
from truegauge.core.tolerancing.once import once
from truegauge.core.tolerancing.request import are_opposite, width_nominal


def datum_parts(names: Sequence[str], found: Sequence[Measured | Built]) -> list[DatumPart]:
    """Return the features of a datum; two opposite planes are one part, their width."""
    if len(found) == 2 and are_opposite(found[0].nominal.feature, found[1].nominal.feature):
        a, b = found
        if isinstance(a, Measured) and isinstance(b, Measured):
            nominal = width_nominal(a.nominal, b.nominal)
            points = np.vstack([a.means, b.means])
            name = f"{names[0]} and {names[1]}"
            return [DatumPart(name, nominal.feature, nominal.outward, nominal.center, nominal.feature, points)]
    parts = []
    for name, one in zip(names, found, strict=True):
        if isinstance(one, Built):
            parts.append(DatumPart(name, one.nominal.feature, 1, one.nominal.center, one.feature, None))
            continue
        parts.append(once(one, f"datum part {name}", partial(_part, name, one)))
    return parts


def _part(name: str, one: Measured) -> DatumPart:
    criterion = None if one.by_use else one.fit.criterion
    n = one.nominal
    middle = one.middle if size_of(n.feature) is None else n.center
    return DatumPart(name, n.feature, n.outward, middle, one.feature, surface_points(one), criterion, one.settled)
