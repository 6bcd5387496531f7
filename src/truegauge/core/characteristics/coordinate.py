"""Coordinates of places, axes and planes in the frame of the alignment or in a datum system."""

import numpy as np

from truegauge.core.characteristics.kind import Kind, plus_minus
from truegauge.core.characteristics.of_features import OfFeatures
from truegauge.core.tolerancing.coordinate import Coordinate

_USUAL = 100.0  # mm: a coordinate says nothing of the size of what it limits


def kinds() -> tuple[Kind, ...]:
    """Return the coordinates."""
    found = []
    for rank, (letter, axis) in enumerate(zip("xyz", np.eye(3), strict=True)):
        c = Coordinate(axis)
        found.append(
            OfFeatures(name=f"coordinate_{letter}", label=f"{letter.upper()} coordinate", symbol="coordinate",
                       rank=70 + rank, fits=c.fits, nominal=c.nominal, value=c.value,
                       limits=plus_minus(lambda features: _USUAL), common=False, placed=True)
        )  # fmt: skip
    return tuple(found)
