"""A sample: one measured individual. Its raw points are never altered."""

from dataclasses import dataclass, replace

import numpy as np
from pydantic import Field

from truegauge.core.arrays import Normals, Points, frozen
from truegauge.core.clouds.raw import Colors
from truegauge.core.frozen_model import Frozen


class ScanFile(Frozen):
    """One scan of a sample: its file, the unit of its lengths, where x, y and z stand in a text, how many points."""

    file_name: str
    unit: str = "mm"
    columns: tuple[int, int, int] | None = None
    count: int = Field(default=0, ge=0)


class SampleData(Frozen):
    """What is written about a sample besides its points."""

    name: str = ""
    serial: str = ""
    operator: str = ""
    measured_at: str = ""
    temperature_c: float | None = None
    scans: tuple[ScanFile, ...] = ()

    @property
    def unit(self) -> str:
        """The unit of the first scan's file."""
        return self.scans[0].unit if self.scans else "mm"


@dataclass(frozen=True, slots=True, eq=False)
class Sample:
    """Raw points (n, 3) mm in scan coordinates, all scans one after the other; `key` identifies their content.

    `normals` (n, 3) are zero and `colors` (n, 3) grey where one of several scans has none.
    """

    key: str
    data: SampleData
    points: Points
    normals: Normals | None = None
    colors: Colors | None = None

    @property
    def name(self) -> str:
        """The name shown."""
        return self.data.name

    def joined(self, other: "Sample") -> "Sample":
        """Return a sample of both samples' scans; `other` is in the same coordinates."""
        data = self.data.replace(scans=(*self.data.scans, *other.data.scans))
        return replace(
            self,
            key=f"{self.key}+{other.key}",
            data=data,
            points=frozen(np.vstack([self.points, other.points])),
            normals=_stacked(self.normals, other.normals, len(self.points), len(other.points), 0.0),
            colors=_stacked(self.colors, other.colors, len(self.points), len(other.points), 160),
        )


def _stacked(a, b, count_a: int, count_b: int, blank: float):  # type: ignore[no-untyped-def]
    if a is None and b is None:
        return None
    kind = (a if a is not None else b).dtype
    parts = [np.full((n, 3), blank, dtype=kind) if x is None else x for x, n in ((a, count_a), (b, count_b))]
    return frozen(np.vstack(parts))
