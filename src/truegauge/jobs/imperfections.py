"""Finding the imperfections of a scan without a window: what may be asked for, and in which words it is refused."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, get_args

import numpy as np
from pydantic import ValidationError

from truegauge.core.clouds.spatial import spatial_order
from truegauge.core.errors import TrueGaugeError, one_of
from truegauge.core.evaluation.located import Lie
from truegauge.core.imperfections.earlier_scan import EarlierScan
from truegauge.core.imperfections.finding import SADDLE, Finding
from truegauge.core.imperfections.reference import Filter, Given, Kind, Reference
from truegauge.core.imperfections.search import Found, find_imperfections
from truegauge.core.plan.surface_checks import SMOOTH_WAVELENGTH, SurfaceCheck
from truegauge.core.progress import Progress, silent
from truegauge.formats.plan_file import plain
from truegauge.formats.sample_file import open_sample

if TYPE_CHECKING:
    from collections.abc import Callable

    from truegauge.core.arrays import Normals, Points
    from truegauge.core.cad.projection import Projector
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.evaluation.results import Evaluation
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample

_OFF_PART = 5.0  # mm: what is farther off is not of the part


def asked(
    reference: str = "smooth", wavelength: float | None = None, depth: float = 0.1, sides: str = "both",
    min_area: float = 1.0, min_width: float = 0.0, join: float = 0.0, by: str = "spline",
    height: float | None = None, saddle: float = SADDLE,
) -> tuple[Reference, Finding]:  # fmt: skip
    """Return what is asked for. Without a wavelength a smooth reference follows 150 mm, others nothing.

    Raises
    ------
    TrueGaugeError
        What cannot be asked for.
    """
    one_of(reference, [k for k in Kind if k != Kind.PART], "reference")
    one_of(sides, ("both", "in", "out"), "sides")
    one_of(by, get_args(Filter), "filter")
    if wavelength is None:
        wavelength = SMOOTH_WAVELENGTH if reference == Kind.SMOOTH else 0.0
    if wavelength < 1.0 and not (wavelength == 0 and reference != Kind.SMOOTH):
        raise TrueGaugeError(f"a wavelength of {wavelength:g} mm is too short: 1 mm is the shortest")
    if not depth > 0:
        raise TrueGaugeError(f"a depth of {depth:g} mm is no threshold: it is above 0")
    if height is not None and not height > 0:
        raise TrueGaugeError(f"a height of {height:g} mm is no threshold: it is above 0")
    if not 0 <= saddle <= 1:
        raise TrueGaugeError(f"a saddle of {saddle:g} cannot be: it is a share of the shallower one, from 0 to 1")
    if min(min_area, min_width, join) < 0:
        raise TrueGaugeError("smallest area, smallest width and the distance to join are not below 0")
    try:
        check = SurfaceCheck.model_validate({
            "id": "-", "reference": reference, "wavelength": wavelength, "depth": depth, "sides": sides, "join": join,
            "min_area": min_area, "min_width": min_width, "by": by,
            "height": height, "saddle": saddle,
        })  # fmt: skip
    except ValidationError as error:
        raise TrueGaugeError(plain(error)) from error
    return rules_of(check)


def given_by(projector: Projector, lie: Lie, points: Points) -> Given:
    """Return how far points (n, 3) of a scan are off the part as designed, where it lies."""
    found = projector.deviations(lie.places(points), max_distance=_OFF_PART, order=spatial_order(points))
    on = (found.face >= 0) & ~found.on_edge
    normals = np.asarray(found.normals, dtype=np.float64) @ lie.part_from_device[:3, :3]
    return Given(np.where(on, found.distance, np.nan), normals)


def given_of(evaluator: Evaluator, plan: Plan, sample: Sample, evaluation: Evaluation) -> Given | None:
    """Return how far the points of a sample are off the part as it is aligned; None where it is not."""
    lie = Lie.best_known(plan, sample, evaluation.alignments)
    return None if lie is None else given_by(evaluator.projector, lie, sample.points)


def given_for(
    check: SurfaceCheck, part: Callable[[], Given | None] = lambda: None, earlier: Sample | None = None
) -> Given | EarlierScan | None:
    """Return what a check measures from where that comes from elsewhere: the part, which is asked for, or a scan."""
    if check.reference == "part":
        return part()
    if check.reference == "scan" and earlier is not None and len(earlier.points):
        return EarlierScan(earlier.points, earlier.normals, earlier.name)
    return None


def surface_of(
    check: SurfaceCheck, points: Points, normals: Normals | None, progress: Progress = silent,
    given: Given | EarlierScan | None = None,
) -> Found:  # fmt: skip
    """Find what a surface check of a plan asks for; `given` where the part or another scan is its reference.

    Raises
    ------
    EvaluationError
        There is something wrong with the surface or the area, in words.
    """
    reference, wanted = rules_of(check)
    return find_imperfections(points, normals, reference, wanted, progress, area=check.area, beyond=check.beyond,
                              given=given)  # fmt: skip


def scan_of(path: Path, unit: str = "", progress: Progress = silent) -> Sample:
    """Open a scan to look for imperfections in.

    Raises
    ------
    TrueGaugeError
        The file cannot be read, or has no scan.
    """
    sample, _ = open_sample(path, unit, progress=progress)
    if not len(sample.points):
        raise TrueGaugeError(f"{path.name} has no scan, only touches; imperfections are found in a scan")
    return sample


def rules_of(check: SurfaceCheck) -> tuple[Reference, Finding]:
    """Return what a surface check of a plan asks for."""
    reference = Reference(Kind(check.reference), check.wavelength, check.by)
    return reference, Finding(check.depth, check.sides, check.join, check.saddle, check.min_area, check.min_width,
                              check.height)  # fmt: skip


def imperfections_of(
    scan: Path, reference: Reference, wanted: Finding, unit: str = "", progress: Progress = silent,
    other: Path | None = None,
) -> Found:  # fmt: skip
    """Find the imperfections of a scan in a file, from another one where that is the reference.

    Raises
    ------
    TrueGaugeError
        The file is no scan, or there is something wrong with its surface.
    """
    given = None
    if reference.kind == Kind.SCAN:
        if other is None:
            raise TrueGaugeError("the reference is another scan: which one? Give the earlier one, too")
        earlier = scan_of(other, unit, progress)
        given = EarlierScan(earlier.points, earlier.normals, earlier.name)
    sample = scan_of(scan, unit, progress)
    return find_imperfections(sample.points, sample.normals, reference, wanted, progress, given=given)
