"""Points as they come out of a file, with what the file tells about each."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Normals, Points

Colors = NDArray[np.uint8]


@dataclass(frozen=True, slots=True, eq=False)
class RawCloud:
    """`points` (n, 3); `normals` (n, 3) unit and `colors` (n, 3) where the file has them.

    `skipped` counts points that were no numbers; `notes` tell what else was done to them.
    """

    points: Points
    skipped: int = 0
    normals: Normals | None = None
    colors: Colors | None = None
    notes: tuple[str, ...] = ()
