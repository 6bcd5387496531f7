"""A scan that a device has taken, as the file that it would have been brought in by."""

from pathlib import Path
from typing import TYPE_CHECKING

from truegauge.formats.files import Content, set_aside
from truegauge.formats.ply import ply_from_points
from truegauge.formats.sample_file import sample_from_scan
from truegauge.formats.scan import scan_from_bytes

if TYPE_CHECKING:
    from truegauge.core.arrays import Points
    from truegauge.core.samples.sample import Sample


def taken_scan(points: "Points", name: str, device: str, comment: str) -> tuple["Sample", tuple[Content, ...]]:
    """Return points (n, 3) mm of a device as a sample, and the file that is kept of them: a PLY with all digits."""
    file_name = f"{name}.ply"
    content = ply_from_points(points, double=True, comment=comment)
    scan = scan_from_bytes(Path(file_name), content, "mm", ".ply", None)
    return sample_from_scan(scan, file_name).saying(device=device, name=name), (set_aside(content),)
