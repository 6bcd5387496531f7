"""How large a cloud is, and whether that fits the part."""

import numpy as np

from truegauge.core.arrays import Points


def scan_diagonal(points: Points) -> float:
    """Return the diagonal (mm) of the box of the middle 98 % of the points: strays do not count."""
    sample = points[:: max(1, len(points) // 20_000)]
    low, high = np.quantile(sample, [0.01, 0.99], axis=0)
    return float(np.linalg.norm(high - low))


def unit_doubt(scan_diagonal: float, part_diagonal: float) -> str | None:
    """Tell when the size of a scan speaks for another unit than the one it was read with; None when it does not."""
    ratio = scan_diagonal / part_diagonal
    if ratio < 0.12 and 0.4 < ratio * 25.4 < 6:
        return f"the scan measures {scan_diagonal:.1f} mm, the part {part_diagonal:.1f} mm: its lengths look like inch"
    if ratio > 8 and 0.3 < ratio / 25.4 < 4:
        return f"the scan measures {scan_diagonal:.0f} mm, the part {part_diagonal:.1f} mm: its lengths look like mm"
    return None
