"""Sections of a blade without a window: a part or a table of sections, and a scan."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.core.blades.asked import Asked
from truegauge.core.blades.result import SectionResult
from truegauge.core.blades.section_fit import Freedom
from truegauge.core.blades.sections import sections_of
from truegauge.core.blades.table_profile import sections_by_table
from truegauge.core.blades.zones import ZONES
from truegauge.core.errors import TrueGaugeError, one_of
from truegauge.core.frames import apply
from truegauge.core.progress import Progress, part_of, silent
from truegauge.formats.files import read_bytes
from truegauge.formats.part import read_part
from truegauge.formats.sample_file import open_sample
from truegauge.formats.sections_csv import sections_from_csv
from truegauge.jobs.inspection import check_unit

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

_MOST, _DISTANCES, _STEEPEST, _FAR = 400, 20, 1.2, 1e6
_WAYS = {"x": (1.0, 0.0, 0.0), "y": (0.0, 1.0, 0.0), "z": (0.0, 0.0, 1.0)}
_FITS = ("none", "turn", "shift", "full")


def way_of(text: str, what: str) -> tuple[float, float, float]:
    """Return the direction that x, -y or three numbers with commas say.

    Raises
    ------
    TrueGaugeError
        They say none.
    """
    plain = text.strip().lower()
    if plain.lstrip("+-") in _WAYS:
        sign = -1.0 if plain.startswith("-") else 1.0
        x, y, z = _WAYS[plain.lstrip("+-")]
        return (sign * x, sign * y, sign * z)
    try:
        x, y, z = (float(cell) for cell in plain.split(","))
    except ValueError:
        raise TrueGaugeError(f"{what}: {text!r} is no direction; say x, -y or three numbers like 0,0.5,1") from None
    if not np.isfinite([x, y, z]).all() or np.linalg.norm([x, y, z]) == 0:
        raise TrueGaugeError(f"{what}: {text!r} points nowhere")
    return (x, y, z)


def asked_for(
    heights: Sequence[float], axis: str = "z", machine: str = "x", leading: str = "", pressure: str = "",
    thickness: float = 1.0, fit: str = "full", criterion: str = "least squares",
    shift_limit: float | None = None, turn_limit: float | None = None, edge_distances: Sequence[float] = (),
    wavelength: float = 0.0, chord_shares: Sequence[float] = (), weights: Sequence[float] = (),
    tilts: Sequence[float] = (), machine_below: float | None = None,
) -> Asked:  # fmt: skip
    """Return which sections are wanted; directions as `way_of` reads them, lengths in mm, `turn_limit` in rad.

    Raises
    ------
    TrueGaugeError
        What cannot be asked for.
    """
    if len(heights) > _MOST or not np.isfinite(heights).all():
        raise TrueGaugeError(f"{len(heights)} heights; up to {_MOST} numbers can be asked for at once")
    if not 0.01 <= thickness <= 50.0:
        raise TrueGaugeError(f"points from {thickness:g} mm of height make no section: 0.01 to 50 mm do")
    one_of(fit, _FITS, "fit")
    one_of(criterion, ("least squares", "minimax"), "criterion")
    for limit in (shift_limit, turn_limit):
        if limit is not None and not limit >= 0:
            raise TrueGaugeError("limits of the fit are not below 0")
    if not 0 <= wavelength <= 1e4:
        raise TrueGaugeError(f"waves shorter than {wavelength:g} mm cannot be told: 0 tells none, up to 10,000 mm do")
    distances = np.array(edge_distances, dtype=np.float64)
    if len(distances) > _DISTANCES or not (np.isfinite(distances) & (distances > 0)).all():
        raise TrueGaugeError(f"distances from an edge are above 0 mm, up to {_DISTANCES} of them")
    shares = np.array(chord_shares, dtype=np.float64)
    if len(shares) > _DISTANCES or not ((shares > 0) & (shares < 1)).all():
        raise TrueGaugeError(f"shares of the chord are between 0 and 1, up to {_DISTANCES} of them")
    own = np.array(weights, dtype=np.float64)
    if len(own) and (len(own) != len(ZONES) or not np.isfinite(own).all() or own.min() < 0 or own.max() <= 0):
        raise TrueGaugeError(f"weights are four numbers, of {', '.join(ZONES)}: not below 0, and one above")
    if len(tilts) > 2 or not all(abs(t) <= _STEEPEST for t in tilts):
        raise TrueGaugeError("sections rise by up to 68 degrees: one angle, or that of the lowest and of the highest")
    if machine_below is not None and not abs(machine_below) <= _FAR:
        raise TrueGaugeError(f"a machine axis that is {machine_below:g} mm below the origin is none")
    shifts = np.eye(2) if fit in ("full", "shift") else np.zeros((0, 2))
    freedom = Freedom(shifts, fit in ("full", "turn"), None, shift_limit, turn_limit)
    return Asked(
        tuple(float(h) for h in heights), way_of(axis, "axis"), machine=way_of(machine, "machine axis"),
        thickness=thickness, edge_distances=tuple(distances.tolist()), wavelength=wavelength, freedom=freedom,
        criterion="minimax" if criterion == "minimax" else "least squares", chord_shares=tuple(shares.tolist()),
        tilts=(float(tilts[0]), float(tilts[-1])) if len(tilts) else (0.0, 0.0),
        machine_below=machine_below,
        weights=(own[0], own[1], own[2], own[3]) if len(own) else None,
        leading=way_of(leading, "leading") if leading else None,
        pressure=way_of(pressure, "pressure") if pressure else None,
    )  # fmt: skip


def blade_sections(
    part: Path, scan: Path, asked: Asked, *, unit: str = "", aligned: bool = False, progress: Progress = silent
) -> tuple[SectionResult, ...]:
    """Measure sections of a blade.

    Parameters
    ----------
    part : path
        CAD, or a CSV of the points of sections (the scan has to be `aligned` then).
    aligned : bool
        The scan is in the coordinates of the part; without, it is aligned to it by a best fit.

    Raises
    ------
    TrueGaugeError
        A file cannot be read, the scan cannot be aligned, or a section is none of an aerofoil.
    """
    from truegauge.core.evaluation.evaluator import Evaluator

    sample, _ = open_sample(scan, unit, progress=part_of(progress, 0.0, 0.2))
    if not len(sample.points) and not sample.probed:
        raise TrueGaugeError(f"{scan.name} has neither a scan nor touches of a surface")
    if part.suffix.lower() == ".csv":
        if not aligned:
            raise TrueGaugeError("a table of sections has no surface to align a scan to: align it first, and say so")
        if not len(sample.points):
            raise TrueGaugeError("touches are compensated for their tip by the surface: a table of sections has none")
        tables = sections_from_csv(part, read_bytes(part))
        return sections_by_table(tables, sample.points, asked, part_of(progress, 0.2, 1.0))
    if not asked.heights:
        raise TrueGaugeError("at which heights? A part has no sections of its own")
    model = read_part(part)
    if len(sample.points):
        check_unit(scan, sample, model.diagonal)
    evaluator = Evaluator(model)
    points, radii = sample.points, None
    if not len(points):
        if not aligned:
            raise TrueGaugeError("touches alone do not tell how the part lies: align them first, and say so")
        points = np.array([t.place for t in sample.probed], dtype=np.float64)
        radii = np.array([t.radius for t in sample.probed])
    elif not aligned:
        points = apply(_pose(evaluator, sample, part_of(progress, 0.2, 0.5)), points)
    return sections_of(model, evaluator.projector, points, asked, part_of(progress, 0.5, 1.0), radii)


def _pose(evaluator: Any, sample: Any, progress: Progress) -> Any:
    from truegauge.core.nodes.graph import needed
    from truegauge.core.plan.document import Plan

    alignment, _ = evaluator.aligned(Plan(), sample, progress=progress)
    found = needed(alignment)
    if found.doubts:
        raise TrueGaugeError(f"the scan cannot be aligned with trust: {'; '.join(found.doubts)}")
    return found.part_from_scan
