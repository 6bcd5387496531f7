"""From a scan in any pose to the best fit on the true surfaces, with an opinion on whether to believe it."""

from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from truegauge.core.arrays import Floats, Mask, Points, Rigid, frozen
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.clouds.extent import scan_diagonal
from truegauge.core.clouds.prepared import PreparedCloud
from truegauge.core.clouds.spatial import thinned_to
from truegauge.core.datums.freedoms import NAMES, NOBODY, Freedoms, open_shares
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.registration.adjustment import freedom_named
from truegauge.core.registration.alignment import Alignment, Candidate
from truegauge.core.registration.ambiguity import notes_on, untold
from truegauge.core.registration.best_fit import BestFit, FitSettings, Information, best_fit, last_step
from truegauge.core.registration.candidates import find_candidates
from truegauge.core.registration.coarse import coarse_poses, dominant_plane
from truegauge.core.registration.distance_field import build_field
from truegauge.core.registration.fit_criteria import fit_largest, fit_within
from truegauge.core.registration.on_itself import spots_on
from truegauge.core.shelf import Arrays, key_of

_COARSE_POINTS, _CELL = 9_000, 0.006  # of the part's size
_FINE_POINTS = 50_000
_CRITERION_POINTS = 200_000
_LEAST_POINTS = 100
_KEEP, _FEW_KEPT = 24, 2  # coarse poses
_ROUGH_STEPS, _STEPS = 15, 40
_BAD_SCALE = 0.002  # of the part's size: from there on a fit is doubted
_MOST = 0.85  # of the points: where fewer fit, more starts are tried
_NEARLY_ALL = 0.95  # of the points: where fewer fit, the mirrored part is tried
_UNEXPLAINED = 0.03  # of the points within the part's reach: from there on a scan is doubted
_MAY_BE_MIRRORED = 0.002  # of them: where more do not fit, the mirrored part is tried
_REACH, _FAR_OF_SIZE = 0.02, 0.0005  # of the part's size
_FAR = 6.0  # scales
_WEAK = 60.0  # times as uncertain as the best-known freedom

FitCriterion = Literal["least_squares", "largest", "within"]


@dataclass(frozen=True, slots=True, eq=False)
class AlignmentSettings:
    """How to align by best fit.

    `trim` is the multiple of the robust scale beyond which points are not used; `face_weights` (f,) how much each face
    counts (0: not at all); `locked` the freedoms (order of `freedoms.NAMES`) that stay as in the pose before.
    `criterion` is what is made small: the squares, the largest deviation, or the number of points beyond `tolerance`
    (mm). `candidate` chooses among poses that fit about as well.
    """

    trim: float = 3.0
    face_weights: Floats | None = None
    locked: tuple[bool, ...] = (False,) * 6
    criterion: FitCriterion = "least_squares"
    tolerance: float = 0.05
    candidate: int = 0


Table = tuple[Points, float, float]  # normal, offset, thickness; part coordinates, mm


@dataclass(frozen=True, slots=True, eq=False)
class _Judged:
    """An alignment; which share of the points that may be the part it used; which lies neither on it nor the table."""

    alignment: Alignment
    on_part: float
    unexplained: float
    table: Table | None
    fits_badly: bool


def align(
    cloud: PreparedCloud,
    model: CadModel,
    projector: Projector,
    settings: AlignmentSettings = AlignmentSettings(),
    *,
    start: Rigid | None = None,
    progress: Progress = silent,
) -> Alignment:
    """Align a scan to the part by best fit, from any starting pose or from the pose `start`.

    Where too few points fit, poses that seemed worse at first are looked at as well.

    Outliers, points of a table and points on edges are not used. Deterministic: the same points give the same digits.

    Raises
    ------
    RegistrationError
        Fewer than 100 points, no pose in which points lie near the part, or locked freedoms without a pose before.
    """
    points = cloud.points
    rows = np.flatnonzero(~cloud.isolated)
    if len(rows) < _LEAST_POINTS:
        raise RegistrationError(f"the scan has {len(rows)} usable points, an alignment needs {_LEAST_POINTS}")
    if any(settings.locked) and start is None:
        raise RegistrationError("freedoms can be locked only in a best fit that starts from another alignment")
    best = _aligned(cloud, points, model, projector, settings, start, progress, thorough=False)
    if start is None and best.on_part < _MOST:
        again = _aligned(cloud, points, model, projector, settings, start, progress, thorough=True)
        if again.on_part > best.on_part:
            best = again
    found = best.alignment
    uncertain = best.fits_badly or best.on_part < _NEARLY_ALL or best.unexplained > _MAY_BE_MIRRORED
    if uncertain and settings.face_weights is None:
        few = thinned_to(points[rows], _COARSE_POINTS, _CELL * model.diagonal)
        if _mirror_fits(few, model, projector, settings, best):
            text = "the scan fits the mirrored part far better: left-handed coordinates, or the part's mirror image"
            return replace(found, doubts=(text, *found.doubts))
    return found


def _aligned(
    cloud: PreparedCloud, points: Points, model: CadModel, projector: Projector, settings: AlignmentSettings,
    start: Rigid | None, progress: Progress, *, thorough: bool,
) -> _Judged:  # fmt: skip
    rows = np.flatnonzero(~cloud.isolated)
    few = thinned_to(points[rows], _COARSE_POINTS, _CELL * model.diagonal)
    sparse = points[rows[:: max(1, len(rows) // _FINE_POINTS)]]
    candidates: list[Candidate] = []
    if start is None:
        progress(0.05, "finding the pose")
        field = build_field(model, projector)
        poses = coarse_poses(
            few, model, field, keep=_KEEP, thorough=thorough, shelf=projector.shelf,
            progress=part_of(progress, 0.1, 0.45),
        )  # fmt: skip
        candidates = find_candidates(
            few, poses, projector, model, FitSettings(settings.trim), many=sparse, thorough=thorough,
            progress=part_of(progress, 0.45, 0.6),
        )  # fmt: skip
        if settings.candidate >= len(candidates):
            raise RegistrationError(f"there are only {len(candidates)} poses that fit: choose another one")
        start = candidates[settings.candidate].part_from_scan
    fitting = FitSettings(settings.trim, settings.face_weights, settings.locked, start)
    progress(0.6, "best fit")
    rough = best_fit(
        few, projector, start, reach=0.03 * model.diagonal, settings=fitting, iterations=_ROUGH_STEPS, rough=True
    )
    # What fits so badly is doubted: more digits of its pose would mean nothing.
    hopeless = rough.scale > _BAD_SCALE * model.diagonal
    many = few if hopeless else sparse
    fine = best_fit(
        many, projector, rough.part_from_scan, reach=max(20 * rough.scale, 1e-6), settings=fitting,
        iterations=_ROUGH_STEPS if hopeless else _STEPS, rough=hopeless,
        progress=part_of(progress, 0.6, 0.8),
    )  # fmt: skip
    # The last step uses every point: the error of the pose falls with the root of their number.
    progress(0.8, "best fit on all points")
    final = last_step(
        points, projector, fine.part_from_scan, reach=max(2.0 * settings.trim * fine.scale, 1e-6), settings=fitting,
        progress=part_of(progress, 0.8, 1.0),
    )  # fmt: skip
    used = final.used & ~cloud.isolated
    if settings.criterion != "least_squares":
        final = _by_criterion(points, projector, final, used, settings, fitting, progress)
    moved = apply(final.part_from_scan, few)
    table, plane = _table(points, moved, projector, final, model)
    coverage = _coverage(moved, model)
    freedoms, weak = _freedoms(final, settings.locked)
    doubts = _doubts(points, cloud, final, used, table, coverage, model)
    unexplained = unexplained_points(moved, projector, model, final.scale, plane)
    # Fitted to chosen faces, the others may lie anywhere.
    if unexplained > _UNEXPLAINED and not doubts and settings.face_weights is None:
        doubts = (f"{100 * unexplained:.0f} % of the points within the part's reach do not lie on it: it may be a scan "
                  "of another part",)  # fmt: skip
    fits_badly = bool(doubts)
    if not doubts and not any(settings.locked) and settings.face_weights is None and candidates:
        doubts = untold(candidates, settings.candidate, final, few, sparse, projector, model)
    on_part = int(used.sum()) / max(1, int((~cloud.isolated & ~table).sum()))
    found = Alignment(
        frozen(final.part_from_scan), final.rms, final.scale, frozen(used), frozen(table & ~used), cloud.isolated,
        coverage, doubts, (*notes_on(candidates), *weak),
        largest=float(np.abs(final.distance[used]).max(initial=0)), freedoms=freedoms, candidates=tuple(candidates),
    )  # fmt: skip
    return _Judged(found, on_part, unexplained, plane, fits_badly)


def _by_criterion(
    points: Points, projector: Projector, final: BestFit, used: Mask, settings: AlignmentSettings,
    fitting: FitSettings, progress: Progress,
) -> BestFit:  # fmt: skip
    """Go on from least squares by another criterion; the points that count stay those of least squares."""
    rows = np.flatnonzero(used)
    if settings.criterion == "within":  # points far outside are what this is about, as long as they are the part's
        reach = max(6 * settings.trim * final.scale, 4 * settings.tolerance)
    else:
        reach = max(3 * settings.trim * final.scale, 1e-3)
    if settings.criterion == "within":
        found = projector.deviations(apply(final.part_from_scan, points), max_distance=reach)
        rows = np.flatnonzero(fitting.counted(found.face) & ~found.on_edge)
    some = points[rows[:: max(1, len(rows) // _CRITERION_POINTS)]]
    if settings.criterion == "largest":
        pose = fit_largest(some, projector, final.part_from_scan, fitting, reach=reach, progress=progress)
    else:
        pose = fit_within(
            some, projector, final.part_from_scan, fitting, settings.tolerance, reach=2 * reach, progress=progress
        )
    found = projector.deviations(apply(pose, points[used]), max_distance=2 * reach)
    distance = np.zeros(len(points))
    distance[used] = np.where(found.on_edge | (found.face < 0), 0.0, found.distance)
    rms = float(np.sqrt(np.mean(distance[used] ** 2)))
    return BestFit(pose, rms, final.scale, final.used, distance, final.iterations, final.information)


def _freedoms(fit: BestFit, locked: tuple[bool, ...]) -> tuple[Freedoms, tuple[str, ...]]:
    """Tell what the surfaces hold, what is locked, and what is known only weakly."""
    information = fit.information
    if information is None:
        return Freedoms(), ()
    shares = open_shares(information.free, _arm(information))
    partly = [bool(1e-6 < share < 1 - 1e-6) for share in shares]
    known = [NOBODY if share > 1e-6 else "surfaces" for share in shares]
    holders = ["locked" if fixed else by for fixed, by in zip(locked, known, strict=True)]
    rank = 6 - information.free.shape[1]
    notes = []
    if rank < 6:
        names = [n for n, h in zip(NAMES, holders, strict=True) if h == NOBODY]
        notes.append(f"the points do not tell the {' and '.join(names)}: it stays as it came")
    elif not any(locked):
        size = np.array([_arm(information)] * 3 + [1.0] * 3)
        values, vectors = np.linalg.eigh(information.matrix / np.outer(size, size))
        if values[0] < values[-1] / _WEAK**2:
            notes.append(f"the {freedom_named(vectors[:, 0])} is weakly held: its surfaces are few or small")
    return Freedoms(tuple(holders), tuple(partly), (rank - sum(locked), sum(locked))), tuple(notes)


def _arm(information: Information) -> float:
    """Return the lever (mm) at which turns are as visible as shifts."""
    d = np.diag(information.matrix)
    return float(np.sqrt(d[:3].sum() / max(float(d[3:].sum()), 1e-300))) or 1.0


def _mirror_fits(
    few: Points, model: CadModel, projector: Projector, settings: AlignmentSettings, best_found: _Judged
) -> bool:
    """Tell whether the scan seen in a mirror lies on the part where the scan itself does not."""
    moved = apply(best_found.alignment.part_from_scan, few)
    if best_found.table is not None:
        normal, offset, thickness = best_found.table
        own = np.abs(moved @ normal - offset) > thickness
        few, moved = few[own], moved[own]
    if len(few) < _LEAST_POINTS:
        return False
    quick, scale = best_found.fits_badly, best_found.alignment.scale

    def made() -> Arrays:
        return {"mirrored": np.array([_fits_mirrored(few, moved, model, projector, settings.trim, scale, quick)])}

    of = key_of(few, moved, model.key, model.mesh.vertices, settings.trim, scale, quick)
    return bool(projector.shelf.take("mirrored", of, made)["mirrored"][0])


def _fits_mirrored(
    few: Points, moved: Points, model: CadModel, projector: Projector, trim: float, scale: float, quick: bool
) -> bool:
    flipped = few * [-1.0, 1.0, 1.0]
    # Where the fit is doubted anyway, only what to say of it is asked; else it is looked for as the scan itself was.
    keep, field = _FEW_KEPT if quick else _KEEP, build_field(model, projector)
    poses = coarse_poses(flipped, model, field, keep=keep, shelf=projector.shelf)
    try:
        best = find_candidates(flipped, poses, projector, model, FitSettings(trim), quick=quick)[0]
    except RegistrationError:
        return False
    limit = 0.005 * model.diagonal
    costs = []
    for there in (moved, apply(best.part_from_scan, flipped)):
        found = projector.deviations(there, max_distance=limit)
        costs.append(np.where(found.face >= 0, found.distance**2, limit**2))
    on = np.minimum(*costs) < limit**2
    here, mirrored = (
        unexplained_points(there, projector, model, scale, None)
        for there in (moved, apply(best.part_from_scan, flipped))
    )
    if here > _MAY_BE_MIRRORED and mirrored < 0.5 * here:
        return True
    return bool(on.mean() > 0.3 and costs[1][on].mean() < 0.5 * costs[0][on].mean())


def unexplained_points(
    moved: Points, projector: Projector, model: CadModel, scale: float, table: Table | None
) -> float:
    """Return which share of the points within the part's reach lies neither on it nor on the table.

    Parameters
    ----------
    moved : (n, 3) float64
        Points without isolated ones, where an alignment puts them, mm.
    scale : float
        Of the residuals, mm.
    """
    margin = _REACH * model.diagonal
    inside = ((moved > model.box[0] - margin) & (moved < model.box[1] + margin)).all(axis=1)
    if table is not None:
        normal, offset, thickness = table
        inside &= np.abs(moved @ normal - offset) > thickness
    if inside.sum() < _LEAST_POINTS:
        return 0.0
    near = max(_FAR * scale, _FAR_OF_SIZE * model.diagonal)
    found = projector.deviations(np.ascontiguousarray(moved[inside]), max_distance=2 * near)
    return float(((found.face < 0) | (np.abs(found.distance) > near)).mean())


def _table(
    points: Points, few: Points, projector: Projector, fit: BestFit, model: CadModel
) -> tuple[Mask, Table | None]:
    """Mark points on the plane that holds most of what is not the part; the part lies on one side of it."""
    nothing = np.zeros(len(points), dtype=bool)
    found = projector.deviations(few, max_distance=0.02 * model.diagonal)
    off = few[(found.face < 0) | found.on_edge]
    if len(off) < 0.01 * len(few) or len(off) < 30:
        return nothing, None
    thickness = max(8 * fit.scale, 0.0005 * model.diagonal)
    plane = dominant_plane(off, thickness, np.random.default_rng(5))
    if plane is None:
        return nothing, None
    normal, offset = plane
    if (np.abs(off @ normal - offset) < thickness).mean() < 0.5:
        return nothing, None
    # The plane is in part coordinates, the points are as scanned: take the plane to them, not them to the plane.
    heights = model.mesh.vertices @ normal - offset
    if min(float(heights.max()), -float(heights.min())) > 2 * thickness:
        return nothing, None  # a table does not cut through the part: these are points of something else
    pose = fit.part_from_scan
    away = points @ (pose[:3, :3].T @ normal)
    away += float(pose[:3, 3] @ normal) - offset
    return np.asarray((np.abs(away) < thickness) & ~fit.used), (normal, offset, thickness)


def _coverage(moved: Points, model: CadModel) -> float:
    """Return the share of the part's surface that has scan points near it."""
    from scipy.spatial import cKDTree

    distance, _ = cKDTree(moved).query(spots_on(model, 1500))
    return float((distance < 0.025 * model.diagonal).mean())


def _doubts(
    points: Points, cloud: PreparedCloud, fit: BestFit, used: Mask, table: Mask, coverage: float, model: CadModel
) -> tuple[str, ...]:
    doubts = []
    ratio = scan_diagonal(points) / model.diagonal
    if ratio < 1e-9:
        return ("all points of the scan are in one place",)
    if ratio < 0.1:
        doubts.append(f"the scan is {1 / ratio:.0f} times smaller than the part: check its unit (mm or inch)")
    elif ratio > 10:
        doubts.append(f"the scan is {ratio:.0f} times larger than the part: check its unit (mm or inch)")
    if fit.scale > _BAD_SCALE * model.diagonal:
        doubts.append(f"points lie {fit.scale:.3f} mm off the part on average: it may be a scan of another part")
    rest = max(1, int((~cloud.isolated & ~table).sum()))
    share = int(used.sum()) / rest
    if share < 0.5:
        doubts.append(f"only {100 * share:.0f} % of the points lie on the part: it may be a scan of another part")
    if coverage < 0.15:
        doubts.append(f"the points cover only {100 * coverage:.0f} % of the part")
    return tuple(doubts)
