"""A sample: one measured individual. Its raw points are never altered."""

from dataclasses import dataclass

from truegauge.core.arrays import Points
from truegauge.core.plan.document import Frozen


class SampleData(Frozen):
    """What is written about a sample besides its points."""

    name: str = ""
    serial: str = ""
    operator: str = ""
    measured_at: str = ""
    temperature_c: float | None = None
    unit: str = "mm"
    scan_file: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Sample:
    """Raw points (n, 3) mm in scan coordinates; `key` identifies their content."""

    key: str
    data: SampleData
    points: Points

    @property
    def name(self) -> str:
        """The name shown."""
        return self.data.name
