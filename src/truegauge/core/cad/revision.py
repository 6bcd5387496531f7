"""Matching a new revision of a part with the old one, face by face, by geometry alone.

The numbers of faces change with every export; where a face is and what it is do not.
"""

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from truegauge.core.cad.model import CadModel, Face, SurfaceKind
from truegauge.core.cad.recognition import describe_face

_LENGTH = 1e-4  # mm: rounding of the file
_AREA = 1e-5  # share
_REACH = 0.15  # of the diagonal: a face that is farther away is another one
_TILT = 0.35  # rad
_BORDERS = "its borders changed"


@dataclass(frozen=True, slots=True)
class Change:
    """A face that is there in both revisions but not the same: what changed, in words."""

    old: int
    new: int
    what: str


@dataclass(frozen=True)
class Matching:
    """`new_of` gives for each old face its number in the new part; faces that are gone are missing in it."""

    new_of: dict[int, int]
    changes: tuple[Change, ...]
    gone: tuple[int, ...]
    added: tuple[int, ...]

    @cached_property
    def same(self) -> int:
        """How many faces are exactly as they were."""
        return len(self.new_of) - len(self.changes)

    @property
    def reshaped(self) -> tuple[int, ...]:
        """The faces, by their new numbers, that changed by more than their borders."""
        return tuple(c.new for c in self.changes if c.what != _BORDERS)

    @property
    def is_same_part(self) -> bool:
        """Whether this is a revision of the part and not another part: half of the old faces are found again."""
        return 2 * len(self.new_of) >= len(self.new_of) + len(self.gone)


def match_faces(old: CadModel, new: CadModel) -> Matching:
    """Match the faces of two revisions: first what is equal, then one surface with other borders, then the nearest."""
    new_of: dict[int, int] = {}
    changes: list[Change] = []
    free_old, free_new = {f.index for f in old.faces}, {f.index for f in new.faces}

    def take(a: int, b: int, what: str = "") -> None:
        new_of[a] = b
        free_old.discard(a)
        free_new.discard(b)
        if what:
            changes.append(Change(a, b, what))

    from scipy.spatial import cKDTree

    # Equal faces have their middles in one place: a new part of thousands of faces is matched in a moment.
    tree = cKDTree(np.array([f.centroid for f in new.faces]))
    for a in range(len(old.faces)):
        f = old.faces[a]
        near = [b for b in tree.query_ball_point(f.centroid, 0.02) if b in free_new]
        found = [b for b in near if _same_surface(f, new.faces[b]) and _same_extent(f, new.faces[b])]
        if found:
            take(a, min(found, key=lambda b: _apart(f, new.faces[b])))
    for a in sorted(free_old):
        f = old.faces[a]
        found = [b for b in sorted(free_new) if _same_surface(f, new.faces[b])]
        if found:
            best = min(found, key=lambda b: _apart(f, new.faces[b]))
            if _apart(f, new.faces[best]) <= _REACH * old.diagonal:
                take(a, best, _BORDERS)
    _match_nearest(old, new, free_old, free_new, take)
    order = tuple(sorted(changes, key=lambda c: c.new))
    return Matching(new_of, order, tuple(sorted(free_old)), tuple(sorted(free_new)))


def _match_nearest(old: CadModel, new: CadModel, free_old: set[int], free_new: set[int], take) -> None:  # type: ignore[no-untyped-def]
    from scipy.optimize import linear_sum_assignment

    rows, columns = sorted(free_old), sorted(free_new)
    if not rows or not columns:
        return
    far = 1e6
    cost = np.full((len(rows), len(columns)), far)
    for i, a in enumerate(rows):
        for k, b in enumerate(columns):
            f, g = old.faces[a], new.faces[b]
            if f.surface.kind == g.surface.kind and f.surface.outward == g.surface.outward and _tilt(f, g) < _TILT:
                apart = _apart(f, g)
                # The sizes have their say: of two holes side by side the one of nearly the same size is it.
                size = abs(f.surface.radius - g.surface.radius) + abs(np.sqrt(f.area) - np.sqrt(g.area))
                if apart < _REACH * old.diagonal:
                    cost[i, k] = apart + size
    for i, k in zip(*linear_sum_assignment(cost), strict=True):
        if cost[i, k] < far:
            take(rows[i], columns[k], _what(old, new, rows[i], columns[k]))


def _same_surface(f: Face, g: Face) -> bool:
    s, t = f.surface, g.surface
    if s.kind != t.kind or abs(s.radius - t.radius) > _LENGTH or abs(s.minor - t.minor) > _LENGTH:
        return False
    if s.kind == SurfaceKind.BSPLINE:
        a, b = s.bspline, t.bspline
        return a is not None and b is not None and a.poles.shape == b.poles.shape and bool(
            np.abs(a.poles - b.poles).max() < _LENGTH and abs(s.offset - t.offset) < _LENGTH
        )  # fmt: skip
    normal_f, normal_g = s.z * (s.outward if s.kind == SurfaceKind.PLANE else 1), t.z * (
        t.outward if t.kind == SurfaceKind.PLANE else 1
    )  # fmt: skip
    between = t.origin - s.origin
    if s.kind == SurfaceKind.SPHERE:
        return s.outward == t.outward and float(np.linalg.norm(between)) < _LENGTH
    if s.kind == SurfaceKind.PLANE:
        return float(normal_f @ normal_g) > 1 - 1e-9 and abs(float(between @ s.z)) < _LENGTH
    if s.outward != t.outward or float(np.linalg.norm(np.cross(s.z, t.z))) > 1e-6:
        return False
    if s.kind == SurfaceKind.TORUS:
        return float(np.linalg.norm(between)) < _LENGTH
    if s.kind == SurfaceKind.CONE and abs(abs(s.half_angle) - abs(t.half_angle)) > 1e-7:
        return False
    return float(np.linalg.norm(np.cross(between, s.z))) < _LENGTH


def _same_extent(f: Face, g: Face) -> bool:
    return abs(f.area - g.area) < _AREA * max(f.area, g.area) and bool(np.abs(f.box - g.box).max() < 0.01)


def _apart(f: Face, g: Face) -> float:
    return float(np.linalg.norm(f.centroid - g.centroid))


def _tilt(f: Face, g: Face) -> float:
    if f.surface.kind in (SurfaceKind.SPHERE, SurfaceKind.BSPLINE):
        return 0.0
    a, b = f.surface.z, g.surface.z
    if f.surface.kind == SurfaceKind.PLANE:
        return float(np.arccos(np.clip(a @ b * f.surface.outward * g.surface.outward, -1, 1)))
    return float(np.arccos(np.clip(abs(a @ b), -1, 1)))


def _what(old: CadModel, new: CadModel, a: int, b: int) -> str:
    """Say what changed: the sizes first, then the place."""
    f, g = old.faces[a], new.faces[b]
    said = []
    if abs(f.surface.radius - g.surface.radius) > _LENGTH and f.surface.kind != SurfaceKind.CONE:
        said.append(f"diameter {2 * f.surface.radius:.3f} to {2 * g.surface.radius:.3f}")
    if abs(f.surface.half_angle - g.surface.half_angle) > 1e-7:
        angles = [np.degrees(2 * abs(x.surface.half_angle)) for x in (f, g)]
        said.append(f"angle {angles[0]:.3f}° to {angles[1]:.3f}°")
    tilt = _tilt(f, g)
    if tilt > 1e-6:
        said.append(f"turned by {np.degrees(tilt):.3f}°")
    if f.surface.kind == SurfaceKind.PLANE:
        shift = float((g.surface.origin - f.surface.origin) @ (f.surface.z * f.surface.outward))
        if abs(shift) > _LENGTH and tilt < 1e-6:
            said.append(f"moved by {shift:+.3f} mm along its normal")
    elif f.surface.kind != SurfaceKind.BSPLINE:
        across = g.surface.origin - f.surface.origin
        if f.surface.kind != SurfaceKind.SPHERE:
            across = across - (across @ f.surface.z) * f.surface.z
        if float(np.linalg.norm(across)) > _LENGTH:
            said.append(f"moved by {float(np.linalg.norm(across)):.3f} mm")
    return ", ".join(said) or (
        "another shape" if describe_face(old, a) != describe_face(new, b) else "its borders changed"
    )
