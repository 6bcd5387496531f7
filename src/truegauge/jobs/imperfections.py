"""Finding the imperfections of a scan without a window: what may be asked for, and in which words it is refused."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from truegauge.core.errors import TrueGaugeError
from truegauge.core.imperfections.finding import Finding
from truegauge.core.imperfections.reference import Kind, Reference
from truegauge.core.imperfections.search import Found, find_imperfections
from truegauge.core.plan.surface_checks import SMOOTH_WAVELENGTH
from truegauge.core.progress import Progress, silent
from truegauge.formats.sample_file import open_sample

if TYPE_CHECKING:
    from collections.abc import Iterable


def asked(
    reference: str = "smooth", wavelength: float | None = None, depth: float = 0.1, sides: str = "both",
    min_area: float = 1.0, min_width: float = 0.0, join: float = 0.0,
) -> tuple[Reference, Finding]:  # fmt: skip
    """Return what is asked for. Without a wavelength a smooth reference follows 150 mm, others nothing.

    Raises
    ------
    TrueGaugeError
        What cannot be asked for.
    """
    _one_of(reference, (str(k) for k in Kind), "reference")
    _one_of(sides, ("both", "in", "out"), "sides")
    kind = Kind(reference)
    if wavelength is None:
        wavelength = SMOOTH_WAVELENGTH if kind == Kind.SMOOTH else 0.0
    if wavelength < 1.0 and not (wavelength == 0 and kind != Kind.SMOOTH):
        raise TrueGaugeError(f"a wavelength of {wavelength:g} mm is too short: 1 mm is the shortest")
    if not depth > 0:
        raise TrueGaugeError(f"a depth of {depth:g} mm is no threshold: it is above 0")
    if min(min_area, min_width, join) < 0:
        raise TrueGaugeError("smallest area, smallest width and the distance to join are not below 0")
    return Reference(kind, wavelength), Finding(depth, sides, join, 0.5, min_area, min_width)


def imperfections_of(
    scan: Path, reference: Reference, wanted: Finding, unit: str = "", progress: Progress = silent
) -> Found:  # fmt: skip
    """Find the imperfections of a scan in a file.

    Raises
    ------
    TrueGaugeError
        The file is no scan, or there is something wrong with its surface.
    """
    sample, _ = open_sample(scan, unit, progress=progress)
    if not len(sample.points):
        raise TrueGaugeError(f"{scan.name} has no scan, only touches; imperfections are found in a scan")
    return find_imperfections(sample.points, sample.normals, reference, wanted, progress)


def _one_of(text: str, values: Iterable[str], what: str) -> None:
    known = tuple(values)
    if text not in known:
        raise TrueGaugeError(f"{what} {text!r} is not known; use one of {', '.join(known)}")
