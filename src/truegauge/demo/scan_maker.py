"""A made-up scanner: points on the true surfaces of a part with known errors, noise, gaps, stray points and a table.

Every error is a displacement of surface points that is written to the truth file with the answer an exact
measurement would give.
"""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from truegauge.core.arrays import Ints, Mask, Points
from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.frames import apply, invert, random_rigid

Shift = Callable[[Points, Points], Points]  # (points, outward normals) -> displacement (n, 3)


@dataclass(frozen=True, slots=True)
class InjectedError:
    """A manufacturing error of some faces: what it does to their points, and the truth about it."""

    name: str
    faces: tuple[int, ...]
    shift: Shift
    truth: dict[str, float | str]


@dataclass(frozen=True, slots=True)
class ScanSettings:
    """How the scanner sees the part; lengths in mm."""

    points: int = 250_000
    noise: float = 0.008
    outlier_share: float = 0.005
    table_share: float = 0.08
    table_z: float = -18.0
    seed: int = 1140
    hidden: Callable[[Points, Ints], Mask] | None = None  # (points, faces) -> not seen
    errors: tuple[InjectedError, ...] = field(default_factory=tuple)


def sample_surface(
    model: CadModel, projector: Projector, count: int, rng: np.random.Generator
) -> tuple[Points, Points, Ints]:
    """Return evenly spread points on the true surfaces, outward normals, and faces."""
    mesh = model.mesh
    a, b, c = (mesh.vertices[mesh.triangles[:, k]] for k in range(3))
    area = np.linalg.norm(np.cross(b - a, c - a), axis=1)
    chosen = np.sort(rng.choice(len(area), count, p=area / area.sum()))
    u, v = rng.random(count), rng.random(count)
    u, v = np.where(u + v > 1, 1 - u, u), np.where(u + v > 1, 1 - v, v)
    points = a[chosen] + u[:, None] * (b - a)[chosen] + v[:, None] * (c - a)[chosen]
    found = projector.deviations(points)
    # A chord point near an edge may lie nearer the neighbour: keep the others.
    keep = (found.face == mesh.triangle_face[chosen]) & ~found.on_edge
    return found.feet_at(keep), found.normals[keep], found.face[keep]


def make_scan(model: CadModel, projector: Projector, settings: ScanSettings) -> tuple[Points, dict[str, object]]:
    """Return float32-exact points (n, 3) in scan coordinates, and the truth about them."""
    rng = np.random.default_rng(settings.seed)
    n_table = int(settings.points * settings.table_share)
    n_out = int(settings.points * settings.outlier_share)
    n_part = settings.points - n_table - n_out
    share = 1.6
    for _ in range(5):
        points, normals, faces = sample_surface(model, projector, int(n_part * share), rng)
        if settings.hidden is not None:
            seen = ~settings.hidden(points, faces)
            points, normals, faces = points[seen], normals[seen], faces[seen]
        if len(points) >= n_part:
            break
        share *= 1.2 * n_part / max(len(points), 1)
    else:
        raise ValueError("too much of the part is hidden for the wanted number of points")
    keep = np.sort(rng.permutation(len(points))[:n_part])
    points, normals, faces = points[keep], normals[keep], faces[keep]
    shifted = points.copy()
    for error in settings.errors:
        rows = np.isin(faces, error.faces)
        shifted[rows] += error.shift(points[rows], normals[rows])
    shifted += normals * rng.normal(0, settings.noise, (len(points), 1))
    everything = np.vstack([shifted, _table(model, settings, n_table, rng), _outliers(model, n_out, rng)])
    scan_from_part = random_rigid(rng, 150.0)
    scan = apply(scan_from_part, everything).astype(np.float32)
    scan = scan[rng.permutation(len(scan))]
    truth = {
        "part_from_scan": invert(scan_from_part).tolist(),
        "noise": settings.noise,
        "points": {"total": len(scan), "part": n_part, "table": n_table, "outliers": n_out},
        "seed": settings.seed,
        "errors": [{"name": e.name, "faces": list(e.faces), **e.truth} for e in settings.errors],
    }
    return scan.astype(np.float64), truth


def _table(model: CadModel, settings: ScanSettings, count: int, rng: np.random.Generator) -> Points:
    """Points of the table around, and a little under, the part."""
    low, high = model.box
    margin = 0.35 * (high - low)[:2]
    xy = rng.uniform(low[:2] - margin, high[:2] + margin, (count * 4, 2))
    under = ((xy > low[:2] + 8) & (xy < high[:2] - 8)).all(axis=1)
    xy = xy[~under][:count]
    return np.column_stack([xy, settings.table_z + rng.normal(0, settings.noise, len(xy))])


def _outliers(model: CadModel, count: int, rng: np.random.Generator) -> Points:
    low, high = model.box
    return rng.uniform(low - 0.3 * (high - low), high + 0.3 * (high - low), (count, 3))
