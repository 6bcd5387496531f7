"""Surface imperfections in Python: dents, bumps, pits and scratches of a scan, without a part."""

from __future__ import annotations

from pathlib import Path

from truegauge.core.imperfections.measuring import Imperfection
from truegauge.core.imperfections.search import Found
from truegauge.jobs.imperfections import asked, imperfections_of

__all__ = ["Found", "Imperfection", "imperfections"]


def imperfections(
    scan: str | Path, *, reference: str = "smooth", wavelength: float | None = None, depth: float = 0.1,
    sides: str = "both", min_area: float = 1.0, min_width: float = 0.0, join: float = 0.0, unit: str = "",
    before: str | Path | None = None, by: str = "spline",
    height: float | None = None, saddle: float = 0.5,
) -> Found:  # fmt: skip
    """Find where the surface of a scan leaves its own smooth course.

    Parameters
    ----------
    reference : str
        smooth, plane, cylinder, cone, sphere, revolution; or scan: what changed since the scan `before`.
    wavelength : float, optional
        mm, of which the reference follows half; longer waves it follows. 150 for smooth; others follow nothing.
    by : str
        The filter that follows them: spline or gaussian (robust both, ISO 16610-72 and -71).
    depth : float
        mm beyond which something counts; `sides` both, in (into the material) or out.
    height : float, optional
        mm beyond which what is out of the material counts; without, as `depth`.
    min_area, min_width, join : float
        Smallest area (mm2) and width (mm) beyond the depth; what is nearer to each other than `join` mm is one.
    saddle : float
        Two are one where it is as deep between them as this share of the shallower one.

    Returns
    -------
    Found
        `imperfections`, the deepest or highest first, in coordinates of the scan; `quality` of the reference.

    Raises
    ------
    TrueGaugeError
        What is wrong with the file, the surface, or what is asked for.
    """
    rules, wanted = asked(reference, wavelength, depth, sides, min_area, min_width, join, by, height, saddle)
    other = None if before is None else Path(before)
    return imperfections_of(Path(scan), rules, wanted, unit, other=other)
