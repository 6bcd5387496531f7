"""Sizes of parts as they were made: each off its nominal by chance, the same for the same number."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any, TypeVar

import numpy as np

SPREAD = 0.006  # mm, standard deviation of what single parts are off by

Sizes = TypeVar("Sizes", bound=Any)


def made_of(nominal: Sizes, drawing: int, number: int) -> Sizes:
    """Return sizes (a dataclass) of a part of a drawing as it was made."""
    rng = np.random.default_rng([drawing, number])
    changed: Sizes = replace(
        nominal, **{f.name: getattr(nominal, f.name) + SPREAD * rng.normal() for f in fields(nominal)}
    )
    return changed
