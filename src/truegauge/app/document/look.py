"""How the part is shown: what is hidden, how much one sees through it, where it is cut."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

OPAQUE, SEE_THROUGH = 1.0, 0.3


@dataclass(frozen=True, slots=True, eq=False)
class Look:
    """`hidden` faces are neither drawn nor picked; `section` (2, 3) mm keeps only what lies inside that box."""

    hidden: frozenset[int] = frozenset()
    opacity: float = OPAQUE
    edges_only: bool = False
    section: NDArray[np.float64] | None = None

    def mask(self, count: int) -> NDArray[np.bool_]:
        """Return which of `count` faces are hidden."""
        mask = np.zeros(count, dtype=bool)
        mask[[f for f in self.hidden if f < count]] = True
        return mask
