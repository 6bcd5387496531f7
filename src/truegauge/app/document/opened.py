"""What was opened: a part with the content of its file, and unsaved work as it was kept."""

from dataclasses import dataclass, field
from pathlib import Path

from truegauge.core.cad.model import CadModel
from truegauge.core.samples.document import SampleData
from truegauge.formats.files import Stamp


@dataclass(frozen=True, slots=True, eq=False)
class OpenedPart:
    """A part as it was read, and its file."""

    model: CadModel
    content: bytes


@dataclass(frozen=True, slots=True)
class Kept:
    """Unsaved work as it was kept: files of plan and sample, what is newer about the sample, and where it came from."""

    plan: Path
    sample: Path | None
    data: SampleData | None  # touches and temperatures, newer than the sample's file
    plan_path: Path | None
    stamp: Stamp | None
    plan_is_saved: bool
    sample_is_saved: bool
    name: str
    devices: dict[str, tuple[str, int]] = field(default_factory=dict)  # what of them is in it: series and number
