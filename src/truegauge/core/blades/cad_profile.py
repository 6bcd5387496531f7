"""The nominal curve of a section of an aerofoil from CAD: closed, as fine as its edges need."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.blades.profile import CORNER, Profile
from truegauge.core.errors import EvaluationError
from truegauge.core.sections.nominal import onto_surface

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats, Ints, Mask
    from truegauge.core.cad.projection import Projector
    from truegauge.core.sections.cone import SectionSurface
    from truegauge.core.sections.nominal import NominalSection

_TURN = 0.08  # rad that it turns between two points at most
_STEP = 1.0 / 400.0  # of its length
_ROUNDS = 6
_ALIKE = 0.9  # of the longest, that another blade's curve is long
_FAR, _CORNER_NEAR = 30.0, 2e-3  # gaps of points, and share of its length, that a corner is off them
_NEAR = 3.0  # spacings that ends of pieces are apart at most, to belong together
_STRAIGHT = 0.05  # of its length, squared: what encloses less is no section


def nominal_profile(section: NominalSection, projector: Projector, plane: SectionSurface, size: float) -> Profile:
    """Return the profile of an aerofoil from what a plane cuts of the part: the longest closed curve.

    Of some that are as long, blades beside each other, it is the one nearest to the stacking axis.

    Parameters
    ----------
    size : float
        The diagonal of the part, mm.

    Raises
    ------
    EvaluationError
        The plane cuts nothing closed.
    """
    loops = [loop for loop in _loops(section) if _encloses(section.flat[loop])]
    if not loops:
        raise EvaluationError("the plane of the section cuts nothing closed of the part")
    longest = max(_length(section.flat[rows]) for rows in loops)
    alike = [rows for rows in loops if _length(section.flat[rows]) > _ALIKE * longest]
    loop = min(alike, key=lambda rows: float(np.linalg.norm(section.flat[rows].mean(axis=0))))
    flat, face = _refined(projector, plane, section.flat[loop], section.face[loop], size)
    return Profile.through(*_with_corners(flat, face))


def _length(flat: Floats) -> float:
    return float(np.linalg.norm(np.roll(flat, -1, axis=0) - flat, axis=1).sum())


def _encloses(flat: Floats) -> bool:
    x, y = flat.T
    area = abs(float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))) / 2
    return area > _STRAIGHT**2 * _length(flat) ** 2 / 4


def _loops(section: NominalSection) -> list[Ints]:
    """Return rows of the section that follow each other around closed curves; ends on edges of faces are left out."""
    waiting = []
    for rows, closed in zip(section.pieces(), section.closed, strict=True):
        own = rows[section.exact[rows]]
        if closed and len(own) > 1 and np.linalg.norm(section.flat[own[0]] - section.flat[own[-1]]) < 1e-9:
            own = own[:-1]
        if len(own) > 2:
            waiting.append((own, bool(closed)))
    made = [own for own, closed in waiting if closed]
    parts = [own for own, closed in waiting if not closed]
    while parts:
        line = parts.pop(0)
        while True:
            spacing = float(np.median(np.linalg.norm(np.diff(section.flat[line], axis=0), axis=1)))
            end = section.flat[line[-1]]
            far = [
                (float(np.linalg.norm(section.flat[p[k]] - end)), i, k) for i, p in enumerate(parts) for k in (0, -1)
            ]
            closing = float(np.linalg.norm(section.flat[line[0]] - end))
            nearest = min(far, default=(np.inf, 0, 0))
            if closing <= nearest[0] or nearest[0] > _NEAR * spacing:
                if closing < _NEAR * spacing:
                    made.append(line)
                break
            part = parts.pop(nearest[1])
            line = np.concatenate([line, part if nearest[2] == 0 else part[::-1]])
    return made


def _refined(projector: Projector, plane: SectionSurface, flat: Floats, face: Ints, size: float) -> tuple[Floats, Ints]:
    """Put points between those where the curve turns or goes on far, on the true surfaces; return faces (n,), too."""
    for _ in range(_ROUNDS):
        after = np.roll(flat, -1, axis=0) - flat
        long = np.linalg.norm(after, axis=1)
        way = after / np.maximum(long, 1e-300)[:, None]
        turn = np.arccos(np.clip(np.einsum("ij,ij->i", way, np.roll(way, 1, axis=0)), -1.0, 1.0))
        wide = np.maximum(turn, np.roll(turn, -1)) > _TURN
        wanted = np.flatnonzero((wide | (long > _STEP * long.sum())) & (long > 1e-6 * size))
        if not len(wanted):
            break
        middle = flat[wanted] + after[wanted] / 2
        found, got = np.zeros_like(middle), np.zeros(len(wanted), dtype=bool)
        own = face[wanted].copy()
        for faces in (face[wanted], np.roll(face, -1)[wanted]):  # on one face or on the next one
            solid, _, arrived, _ = onto_surface(projector, plane, middle, faces, 0.5 * float(long.max()))
            now = arrived & ~got
            found[now], own[now] = plane.flat(solid)[now], faces[now]
            got |= now
        if not got.any():
            break
        flat = np.insert(flat, wanted[got] + 1, found[got], axis=0)
        face = np.insert(face, wanted[got] + 1, own[got])
    return flat, face


def _with_corners(flat: Floats, face: Ints) -> tuple[Floats, Mask]:
    """Put points where two faces meet at an angle between points (n, 2) of them, and tell which ones these are."""
    at, made = [], []
    count, length = len(flat), _length(flat)
    for k in np.flatnonzero(face != np.roll(face, -1)):
        last, here, then, following = (flat[(k + i) % count] for i in (-1, 0, 1, 2))
        way, on, gap = here - last, following - then, then - here
        turn = np.arctan2(way[0] * on[1] - way[1] * on[0], way @ on)
        if abs(turn) < CORNER:
            continue
        ahead, behind = np.linalg.solve(np.column_stack([way, on]), gap)
        far = max(ahead * np.linalg.norm(way), behind * np.linalg.norm(on))
        if min(ahead, behind) > 0 and far < min(_FAR * np.linalg.norm(gap), _CORNER_NEAR * length):
            at.append(k + 1)
            made.append(here + ahead * way)
    if not at:
        return flat, np.zeros(count, dtype=bool)
    sharp = np.insert(np.zeros(count, dtype=bool), at, True)
    return np.insert(flat, at, np.array(made), axis=0), sharp
