"""Sections of blades in Python: mean line, chords, edges, thickness, put onto the nominal."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from truegauge.core.blades.result import SectionResult
from truegauge.jobs.blades import asked_for, blade_sections

if TYPE_CHECKING:
    from collections.abc import Sequence

__all__ = ["SectionResult", "blade"]


def blade(
    part: str | Path, scan: str | Path, heights: Sequence[float] = (), *, axis: str = "z", machine_axis: str = "x",
    leading: str = "", pressure: str = "", thickness: float = 1.0, fit: str = "full",
    criterion: str = "least squares", shift_limit: float | None = None, turn_limit: float | None = None,
    unit: str = "", aligned: bool = False, edge_distances: Sequence[float] = (), wavelength: float = 0.0,
    chord_shares: Sequence[float] = (), weights: Sequence[float] = (),
    tilts: Sequence[float] = (), machine_below: float | None = None,
) -> tuple[SectionResult, ...]:  # fmt: skip
    """Measure sections of a blade at heights along its stacking axis.

    Parameters
    ----------
    part : path
        CAD, or a CSV of the points of sections; their own heights are meant where none are given.
    axis, machine_axis, leading, pressure : str
        Directions of the part (x, -y, or three numbers with commas): the stacking axis; what axial chord and chord
        angle are told by; the ways to the leading edge and to the pressure side, which are found without.
    thickness : float
        mm of height that points of the scan are taken from; they are carried along the surface into the plane.
    fit : str
        What puts a section onto its nominal: full, shift, turn or none; `criterion` least squares or minimax. Limits
        of shift (mm) and turn (rad); `weights` are of leading edge, trailing edge, pressure and suction side.
    edge_distances : sequence of float
        mm from either edge along the mean line, that the thickness is told at; `chord_shares` are shares of the chord
        that it is told at, too.
    wavelength : float
        mm along the profile; of shorter waves on both sides it is told how high they are. 0: of none.
    tilts : sequence of float
        rad: by which sections rise along the machine axis; one, or that of the lowest and of the highest section.
    machine_below : float, optional
        mm that the machine axis is below the origin of the part, against the stacking axis: sections lie on cones about
        it (cylinders without a rise), unrolled; without, they are planes.
    aligned : bool
        The scan is in the coordinates of the part; without, it is aligned by a best fit.

    Returns
    -------
    tuple of SectionResult
        `values` beside `nominal_values` and `uncertainties` (standard; mm, mm2, rad), `fit`, deviations `before` and
        `after` it by zone and of `all`; what is missing is NaN, and `notes` or `problem` say why.

    Raises
    ------
    TrueGaugeError
        A file cannot be read, the scan cannot be aligned, or a section is none of an aerofoil.
    """
    asked = asked_for(heights, axis, machine_axis, leading, pressure, thickness, fit, criterion, shift_limit,
                      turn_limit, edge_distances, wavelength, chord_shares, weights, tilts, machine_below)  # fmt: skip
    return blade_sections(Path(part), Path(scan), asked, unit=unit, aligned=aligned)
