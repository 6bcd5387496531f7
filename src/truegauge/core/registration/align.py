"""From a scan in any pose to the best fit on the true surfaces, with an opinion on whether to believe it."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Ints, Mask, Points, Rigid, frozen
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.clouds.extent import scan_diagonal
from truegauge.core.clouds.prepared import PreparedCloud
from truegauge.core.clouds.spatial import thinned
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import apply
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.registration.best_fit import BestFit, best_fit, last_step
from truegauge.core.registration.coarse import coarse_poses, dominant_plane
from truegauge.core.registration.distance_field import build_field

_COARSE_POINTS = 9_000
_FINE_POINTS = 50_000
_LEAST_POINTS = 100


@dataclass(frozen=True, slots=True)
class AlignmentSettings:
    """How to align by best fit: `trim` is the multiple of the robust scale beyond which points are not used."""

    trim: float = 3.0


@dataclass(frozen=True, slots=True, eq=False)
class Alignment:
    """A best-fit alignment.

    `rms` (mm) of the `points_used` of `points_total`; `table` and `isolated` are masks of points that were
    recognised as not the part; `doubts` says in words why the result should not be trusted (empty: it is),
    `notes` what else there is to know.
    """

    part_from_scan: Rigid
    rms: float
    scale: float
    used: Mask
    table: Mask
    isolated: Mask
    coverage: float
    doubts: tuple[str, ...]
    notes: tuple[str, ...]

    @property
    def points_used(self) -> int:
        """Number of points that the fit minimised."""
        return int(self.used.sum())

    @property
    def points_total(self) -> int:
        """Number of points of the sample."""
        return len(self.used)

    @property
    def trusted(self) -> bool:
        """Whether there is no doubt."""
        return not self.doubts


def align(
    cloud: PreparedCloud,
    model: CadModel,
    projector: Projector,
    settings: AlignmentSettings = AlignmentSettings(),
    *,
    progress: Progress = silent,
) -> Alignment:
    """Align a scan to the part from any starting pose.

    Outliers, points of a table and points on edges are not used. Deterministic: the same points give the same digits.

    Raises
    ------
    RegistrationError
        Fewer than 100 points, or no pose in which points lie near the part.
    """
    points = cloud.points
    rows = np.flatnonzero(~cloud.isolated)
    if len(rows) < _LEAST_POINTS:
        raise RegistrationError(f"the scan has {len(rows)} usable points, an alignment needs {_LEAST_POINTS}")
    few = _thinned_to(points, rows, _COARSE_POINTS, model.diagonal)
    progress(0.05, "finding the pose")
    field = build_field(model, projector)
    poses = coarse_poses(few, model, field, keep=4, progress=part_of(progress, 0.1, 0.5))
    candidates = _refined(few, poses, projector, model, settings)
    progress(0.6, "best fit")
    many = points[rows[:: max(1, len(rows) // _FINE_POINTS)]]
    fine = best_fit(
        many, projector, candidates[0][1].part_from_scan, reach=max(20 * candidates[0][1].scale, 1e-6),
        trim=settings.trim, progress=part_of(progress, 0.6, 0.8),
    )  # fmt: skip
    # The last step uses every point: the error of the pose falls with the root of their number.
    progress(0.8, "best fit on all points")
    final = last_step(
        points, projector, fine.part_from_scan, reach=max(2.0 * settings.trim * fine.scale, 1e-6),
        trim=settings.trim, progress=part_of(progress, 0.8, 1.0),
    )  # fmt: skip
    used = final.used & ~cloud.isolated
    moved = apply(final.part_from_scan, few)
    table = _table(points, moved, projector, final, model)
    coverage = _coverage(moved, model)
    doubts = _doubts(points, cloud, final, used, table, coverage, model)
    return Alignment(
        frozen(final.part_from_scan), final.rms, final.scale, frozen(used), frozen(table & ~used), cloud.isolated,
        coverage, doubts, _notes(candidates),
    )  # fmt: skip


def _thinned_to(points: Points, rows: Ints, wanted: int, diagonal: float) -> Points:
    """Thin some of the points evenly to about `wanted`, or fewer."""
    if len(rows) <= wanted:
        return np.asarray(points[rows])
    sparse = points[rows[:: max(1, len(rows) // (4 * wanted))]]
    size = diagonal * 0.006
    for _ in range(8):
        picked = thinned(sparse, size)
        if len(picked) <= 1.3 * wanted:
            break
        size *= max(1.1, np.sqrt(len(picked) / wanted))
    return sparse[picked]


def _refined(
    few: Points,
    poses: list[tuple[float, Rigid]],
    projector: Projector,
    model: CadModel,
    settings: AlignmentSettings,
) -> list[tuple[float, BestFit]]:
    """Refine the candidate poses on the true surfaces; best first by truncated mean square distance."""
    limit = 0.01 * model.diagonal
    results: list[tuple[float, BestFit]] = []
    for cost, pose in poses:
        if results and cost > 1.6 * poses[0][0]:
            break
        try:
            fit = best_fit(few, projector, pose, reach=0.03 * model.diagonal, trim=settings.trim)
        except RegistrationError:
            continue
        found = projector.deviations(apply(fit.part_from_scan, few), max_distance=limit)
        square = np.where(found.face >= 0, np.minimum(found.distance**2, limit**2), limit**2)
        results.append((float(square.mean()), fit))
    if not results:
        raise RegistrationError("no pose was found in which the points lie near the part; is it a scan of this part?")
    return sorted(results, key=lambda item: item[0])


def _table(points: Points, few: Points, projector: Projector, fit: BestFit, model: CadModel) -> Mask:
    """Mark points on the plane that holds most of what is not the part."""
    nothing = np.zeros(len(points), dtype=bool)
    found = projector.deviations(few, max_distance=0.02 * model.diagonal)
    off = few[(found.face < 0) | found.on_edge]
    if len(off) < 0.01 * len(few) or len(off) < 30:
        return nothing
    thickness = max(8 * fit.scale, 0.0005 * model.diagonal)
    plane = dominant_plane(off, thickness, np.random.default_rng(5))
    if plane is None:
        return nothing
    normal, offset = plane
    if (np.abs(off @ normal - offset) < thickness).mean() < 0.5:
        return nothing
    # The plane is in part coordinates, the points are as scanned: take the plane to them, not them to the plane.
    pose = fit.part_from_scan
    away = points @ (pose[:3, :3].T @ normal)
    away += float(pose[:3, 3] @ normal) - offset
    return np.asarray((np.abs(away) < thickness) & ~fit.used)


def _coverage(moved: Points, model: CadModel) -> float:
    """Return the share of the part's surface that has scan points near it."""
    from scipy.spatial import cKDTree

    mesh = model.mesh
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    rng = np.random.default_rng(2)
    spots = rng.choice(len(area), 1500, p=area / area.sum())
    u = rng.dirichlet([1, 1, 1], len(spots))
    on_part = u[:, :1] * a[spots] + u[:, 1:2] * b[spots] + u[:, 2:] * c[spots]
    distance, _ = cKDTree(moved).query(on_part)
    return float((distance < 0.025 * model.diagonal).mean())


def _doubts(
    points: Points, cloud: PreparedCloud, fit: BestFit, used: Mask, table: Mask, coverage: float, model: CadModel
) -> tuple[str, ...]:
    doubts = []
    ratio = scan_diagonal(points) / model.diagonal
    if ratio < 0.1:
        doubts.append(f"the scan is {1 / ratio:.0f} times smaller than the part: check its unit (mm or inch)")
    elif ratio > 10:
        doubts.append(f"the scan is {ratio:.0f} times larger than the part: check its unit (mm or inch)")
    if fit.scale > 0.002 * model.diagonal:
        doubts.append(f"points lie {fit.scale:.3f} mm off the part on average: it may be a scan of another part")
    rest = max(1, int((~cloud.isolated & ~table).sum()))
    share = int(used.sum()) / rest
    if share < 0.5:
        doubts.append(f"only {100 * share:.0f} % of the points lie on the part: it may be a scan of another part")
    if coverage < 0.15:
        doubts.append(f"the points cover only {100 * coverage:.0f} % of the part")
    return tuple(doubts)


def _notes(candidates: list[tuple[float, BestFit]]) -> tuple[str, ...]:
    if len(candidates) > 1 and candidates[1][0] < 1.1 * candidates[0][0]:
        return ("a second pose fits about as well: the part may be symmetrical",)
    return ()
