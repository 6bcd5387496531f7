"""What was worked out once for the same input is taken off a shelf, where there is one: only arrays that take a while.

The core knows no files. Whoever opens a part brings the shelf along; without one everything is worked out anew.
"""

import hashlib
from collections.abc import Callable
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import frozen

Arrays = dict[str, NDArray[Any]]
OF_PARTS = frozenset(("clearances", "field"))  # what follows from a part alone; all else from a scan too


class Shelf(Protocol):
    """Keeps arrays by what they are and what they follow from."""

    def take(self, what: str, key: str, make: Callable[[], Arrays]) -> Arrays:
        """Return what was made before for a key, else what `make` makes; it is kept then. Nobody alters it."""


class NoShelf:
    """Keeps nothing."""

    def take(self, what: str, key: str, make: Callable[[], Arrays]) -> Arrays:
        """Make it; it cannot be altered, as if it came off a shelf: compiled code is made once, not for both."""
        return {name: frozen(array) for name, array in make().items()}


NO_SHELF: Shelf = NoShelf()


def key_of(*parts: NDArray[Any] | str | float) -> str:
    """Return a key (SHA-256) of everything that a result follows from: arrays with their shapes, numbers, words."""
    digest = hashlib.sha256()
    for part in parts:
        if isinstance(part, np.ndarray):
            digest.update(f"{part.dtype.str}{part.shape}".encode())
            digest.update(np.ascontiguousarray(part).data if part.size else b"")
        else:
            digest.update(repr(part).encode())
        digest.update(b"|")
    return digest.hexdigest()
