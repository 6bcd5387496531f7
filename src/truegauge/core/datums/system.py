"""Datum systems (ISO 5459:2011; ASME Y14.5-2018, 7): where they place the part, and which freedoms they leave open.

Each datum in turn is associated under the orientation constraint of those before it, then takes what freedoms they
left: its situation elements are brought onto the nominal ones by the motions that are open and that it can hold, by
Gauss-Newton steps. What it takes is gone for those after it. A datum with a material modifier (ISO 2692) takes its
freedoms loosely: its surface has to clear a boundary of fixed size, within which the part may be shifted.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import partial

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Rigid, Vector, any_perpendicular, frozen
from truegauge.core.association.by_criterion import associate
from truegauge.core.association.constraints import NONE, Constraints, DatumSystem
from truegauge.core.association.features import Feature, Line, Plane, Shape
from truegauge.core.association.fit import Criterion
from truegauge.core.constructions.parts import axis_of, plane_of
from truegauge.core.datums.common import DatumAssociation, DatumSurface, place_together, size_of, with_size
from truegauge.core.datums.freedoms import NAMES, TWIST_OF, Freedoms, Rows, holders
from truegauge.core.datums.given import DatumPart, SystemDatum
from truegauge.core.datums.placement import settled
from truegauge.core.datums.situation import Situation, across, situations_of
from truegauge.core.datums.zone_rows import SurfaceRows, against
from truegauge.core.errors import AssociationError, DatumError
from truegauge.core.frames import apply, invert, rotate, twist_motion

_RANK = (
    1e-3  # what is held by a lever a thousand times shorter is not held: axes of a formed part are never quite parallel
)
_TURNS = 60
_TOUCHING = (Shape.PLANE, Shape.CYLINDER, Shape.SPHERE, Shape.WIDTH)
_SAME_WAY = 1 - 5e-7  # cosine of a milliradian
_NEAR_WAY = 0.9994  # cosine of two degrees


@dataclass(frozen=True, slots=True, eq=False)
class EstablishedSystem:
    """Where a datum system places what was measured, and what it leaves open.

    `free` (6, k) are the open motions, twists about `about`, with those that material boundaries only bound; `limits`
    are these boundaries, for points that `part_from_measured` has moved. `bounded` tells how many motions are bounded.
    """

    letters: tuple[str, ...]
    part_from_measured: Rigid
    free: NDArray[np.float64]
    about: Vector
    length: float
    freedoms: Freedoms
    limits: tuple[SurfaceRows, ...] = ()
    bounded: int = 0
    datums: tuple[tuple[str, Feature], ...] = field(default=())  # associated features, measured coordinates
    nominal: tuple[Feature, ...] = ()  # the datums as designed, in the order of the system

    @property
    def axis(self) -> Line | None:
        """The first axis among the datums, as designed."""
        return next((a for f in self.nominal if (a := axis_of(f)) is not None), None)

    @property
    def direction(self) -> Vector | None:
        """The direction of the first datum that has one, as designed."""
        for feature in self.nominal:
            line, plane = axis_of(feature), plane_of(feature)
            if line is not None or plane is not None:
                return line.direction if line is not None else plane.normal  # type: ignore[union-attr]
        return None

    @property
    def all_free(self) -> NDArray[np.float64]:
        """All motions: for orientation tolerances, whose zones may be anywhere, shifts are always open."""
        shifts = np.vstack([np.zeros((3, 3)), np.eye(3)])
        return np.hstack([self.free, shifts])


def no_system(about: Vector, length: float) -> EstablishedSystem:
    """Return the system without datums: everything is open."""
    return EstablishedSystem((), np.eye(4), np.eye(6), np.asarray(about, dtype=np.float64), length, Freedoms())


def establish(
    uses: Sequence[SystemDatum], method: DatumAssociation, *, center: Vector, length: float
) -> EstablishedSystem:
    """Establish a datum system.

    Parameters
    ----------
    uses : sequence of SystemDatum
        In the order of the system; features measured in coordinates near the part's.
    center : (3,)
        A point of the part that moves as little as the datums let it, mm.
    length : float
        Size of the part, mm.

    Raises
    ------
    DatumError
        A datum that can hold nothing, points that do not determine it, or a boundary without a size.
    """
    if not uses:
        return no_system(center, length)
    about = _held_place(uses, np.asarray(center, dtype=np.float64))
    builder = _Builder(method, about, length)
    for use in uses:
        builder.take(use)
    freedoms = holders(builder.rows, [u.letter for u in uses], length=length)
    return EstablishedSystem(
        tuple(u.letter for u in uses), frozen(builder.pose), np.hstack([builder.free, *builder.loose]), about, length,
        freedoms, tuple(builder.boundaries()), sum(b.shape[1] for b in builder.loose), tuple(builder.associated),
        tuple(f for u in uses for f in _designed(u)),
    )  # fmt: skip


def _designed(use: SystemDatum) -> list[Feature]:
    """Return the features of a datum as designed; of targets the plane that the first of them lies in."""
    return [p.nominal for p in use.parts] or [Plane(t.place, t.normal) for t in use.targets[:1]]


def _ideal(use: SystemDatum) -> list[Situation]:
    elements = [Situation(t.place, t.normal[None]) for t in use.targets]
    for part in use.parts:
        elements += situations_of(part.nominal, part.middle)
    return elements


def _held_place(uses: Sequence[SystemDatum], center: Vector) -> Vector:
    """Return the point nearest the centre where the places meet that the datums hold."""
    place, open_ = center, np.eye(3)
    for use in uses:
        for element in _ideal(use):
            if len(element.along):
                place, open_ = settled(place, open_, element.along, element.along @ (element.place - place))
    return place


class _Builder:
    def __init__(self, method: DatumAssociation, about: Vector, length: float) -> None:
        self._method, self._about, self._length = method, about, length
        self._scale = np.array([length] * 3 + [1.0] * 3)
        self.pose = np.eye(4)
        self.free = np.eye(6)
        self.loose: list[NDArray[np.float64]] = []
        self.rows: list[Rows] = []
        self.associated: list[tuple[str, Feature]] = []
        self._bounding: list[SystemDatum] = []

    def take(self, use: SystemDatum) -> None:
        ideal = _ideal(use)
        real = self._measured(use)
        chosen = self._chosen(use, ideal)
        rows = chosen @ np.vstack([e.rows(self._about) for e in ideal])
        # Directions before places: a face square to the first datum is turned to lie flat, not to meet its place.
        turning = ~np.any(rows[:, 3:], axis=1)
        loose = []
        for own in (turning, ~turning):
            if own.any():
                loose.append(self._take_rows(rows[own], chosen[own], ideal, real))
        taken = np.hstack(loose)
        if taken.shape[1] == 0:
            raise DatumError(f"datum {use.letter} takes no freedom: those before it hold all that it could")
        self.rows.append(rows)
        if use.material:
            self._bounding.append(use)
            self.loose.append(taken)

    def _take_rows(
        self, rows: Rows, chosen: NDArray[np.float64], ideal: list[Situation], real: list[Situation]
    ) -> NDArray[np.float64]:
        """Bring what some rows hold to its place by open motions; return the motions (6, k) that are used up."""
        strength, vectors = np.linalg.svd(rows @ self.free, full_matrices=True)[1:] if self.free.size else (
            np.zeros(0), np.eye(0)
        )  # fmt: skip
        rank = int((strength > _RANK).sum())
        taken, self.free = self.free @ vectors[:rank].T, self.free @ vectors[rank:].T
        for _ in range(_TURNS if rank else 0):
            wanted = chosen @ np.concatenate([_wanted(i, r, self.pose) for i, r in zip(ideal, real, strict=True)])
            step = np.linalg.lstsq(rows @ taken, wanted, rcond=1e-12)[0]
            self.pose = np.asarray(twist_motion(taken @ step, self._about) @ self.pose)
            if float(np.abs(self._scale * (taken @ step)).max()) < 1e-14 * self._length:
                break
        return taken

    def _chosen(self, use: SystemDatum, ideal: list[Situation]) -> NDArray[np.float64]:
        """Return the combinations (m, n) of a datum's rows that it may hold."""
        rows = np.vstack([e.rows(self._about) for e in ideal])
        count = len(rows)
        keep = np.eye(count) if not use.situation else _of_element(use, ideal)
        slides = [t.slides for t in use.targets]
        if any(s is not None for s in slides):
            # The common slide of the movable targets is an unknown of its own: only what does not need it counts.
            column = np.array([0.0 if t.slides is None else float(t.normal @ t.slides) for t in use.targets])
            column = np.append(column, np.zeros(count - len(column)))
            if np.any(column):
                keep = np.linalg.svd(column[None])[2][1:]
        if use.orients:
            turning = [k for k, row in enumerate(keep @ rows) if not np.any(row[3:])]
            if not turning:
                raise DatumError(f"datum {use.letter} has no direction: it cannot only orient")
            keep = keep[turning]
        if not use.holds:
            return keep
        found = []
        for name in use.holds:
            if name not in NAMES:
                raise DatumError(f"datum {use.letter}: {name!r} is no freedom")
            wanted = np.zeros(6)
            wanted[TWIST_OF[NAMES.index(name)]] = 1.0
            units = (keep @ rows) / self._scale
            share = np.linalg.lstsq(units.T, wanted / self._scale, rcond=1e-9)[0]
            if float(np.abs((share @ units) * self._scale - wanted).max()) > 1e-6:
                raise DatumError(f"datum {use.letter} cannot hold the {name}")
            found.append(share @ keep)
        return np.array(found)

    def _measured(self, use: SystemDatum) -> list[Situation]:
        """Return the measured elements (measured coordinates) in the order of the ideal ones."""
        found = [Situation(t.measured, t.normal[None]) for t in use.targets]
        high = self._method == DatumAssociation.HIGH_POINTS and any(isinstance(p.nominal, Plane) for p in use.parts)
        together = len(use.parts) > 1 or high
        if together and all(p.points is not None for p in use.parts):
            surfaces = [DatumSurface(p.nominal, p.points, p.outward) for p in use.parts if p.points is not None]
            try:
                placed = place_together(surfaces, self._method, self.pose, self._turns(), self._about, self._length)
            except DatumError as error:
                raise DatumError(f"datum {use.letter}: {error}") from None
            back = invert(placed)
            for part in use.parts:
                feature = part.nominal.moved(back)
                self.associated.append((part.name, feature))
                found += situations_of(feature, apply(back, part.middle))
            return found
        for part in use.parts:
            feature = self._associated(use.letter, part)
            self.associated.append((part.name, feature))
            found += situations_of(feature, part.middle)
        return found

    def _turns(self) -> NDArray[np.float64]:
        """Return a basis (3, k) of the turns that are still open."""
        turns = self.free[:3] * self._length
        u, strength, _ = np.linalg.svd(turns) if turns.size else (np.eye(3), np.zeros(0), None)
        return np.asarray(u[:, : int((strength > 1e-6).sum())])

    def _associated(self, letter: str, part: DatumPart) -> Feature:
        """Associate one feature, its direction held by the datums before it."""
        if part.points is None:
            return part.measured
        criterion = part.criterion or (
            Criterion.LEAST_SQUARES
            if self._method == DatumAssociation.LEAST_SQUARES or part.nominal.shape not in _TOUCHING
            else Criterion.ONE_SIDED
        )
        start, held = part.measured, NONE
        if self._turns().shape[1] < 3:
            start = part.nominal.moved(invert(self.pose))
            held = self._held(part, start)
        elif criterion in part.alone:
            return part.alone[criterion]
        try:
            fit = associate(
                part.nominal.shape, part.points, criterion, start=start, material=part.outward, constraints=held,
                settled=part.settled,
            )  # fmt: skip
        except AssociationError as error:
            direction = _direction(start)
            if (
                held.datums is None
                or direction is None
                or abs(float(direction @ held.datums.part_from_datum[:3, 2])) < _NEAR_WAY
            ):
                raise DatumError(f"datum {letter}: {error}") from None
            # The open turn is about the axis but for a little: points on a short feature cannot tell how far it goes.
            fit = associate(
                part.nominal.shape, part.points, criterion, start=start, material=part.outward,
                constraints=Constraints(direction=direction),
            )  # fmt: skip
        found = fit.turned_like(part.nominal).feature
        if start is part.measured:
            part.alone[criterion] = found
        return found

    def _held(self, part: DatumPart, start: Feature) -> Constraints:
        """Return what holds the direction of a feature: the datums before it (ISO 5459:2011, 6.2.3)."""
        turns, back = self._turns(), invert(self.pose)
        direction = _direction(start)
        if direction is None:
            return NONE
        if turns.shape[1] == 0:
            return Constraints(direction=direction)
        axis = rotate(back, turns[:, 0])
        along = abs(float(axis @ direction))
        if along > _SAME_WAY:  # the open turn hardly turns the axis: points would not tell how far
            return Constraints(direction=direction)
        if along < 1e-7:
            return Constraints(across=axis)
        across = any_perpendicular(axis)
        frame = np.eye(4)
        frame[:3, :3] = np.column_stack([across, np.cross(axis, across), axis])
        frame[:3, 3] = apply(back, part.middle)
        return Constraints(datums=DatumSystem(frame, ("tx", "ty", "tz", "rz")))

    def boundaries(self) -> list[SurfaceRows]:
        """Return the hard rows of the datums with material modifiers."""
        found = []
        for use in self._bounding:
            if len(use.sizes) != len(use.parts):
                raise DatumError(
                    f"datum {use.letter} has a material modifier but no size tolerance: its boundary has no size"
                )
            for part, size in zip(use.parts, use.sizes, strict=True):
                if part.points is None or size_of(part.nominal) is None:
                    raise DatumError(f"datum {use.letter}: a material modifier needs a feature of size with points")
                boundary = with_size(part.nominal, size / 2)
                side = float(part.outward if use.material == "M" else -part.outward)
                points = apply(self.pose, part.points)
                found.append(SurfaceRows(points, partial(against, boundary), 1.0, (side,), hard=True))
        return found


def _of_element(use: SystemDatum, ideal: list[Situation]) -> NDArray[np.float64]:
    """Return the combinations (m, n) of rows that the plane, the line or the point of a datum holds (ISO 5459 7.4.2.8).

    Raises
    ------
    DatumError
        The datum has no such element.
    """
    count = sum(len(e.along) + (0 if e.direction is None else 2) for e in ideal)
    kept: list[NDArray[np.float64]] = []
    first = 0
    for element in ideal:
        turns, places = (0 if element.direction is None else 2), len(element.along)
        every = np.eye(count)[first : first + turns + places]
        direction, shifts = every[:turns], every[turns:]
        first += turns + places
        if use.situation == "PT" and np.linalg.matrix_rank(element.along) == 3:
            kept.append(shifts)
        elif use.situation == "PL" and turns and places == 1:
            kept += [direction, shifts]
        elif use.situation == "SL" and turns and places > 1:
            assert element.direction is not None
            kept += [direction, across(element.direction) @ element.along.T @ shifts]
    if not kept:
        words = {"PL": "plane", "SL": "straight line", "PT": "point"}
        raise DatumError(
            f"datum {use.letter} has no {words[use.situation]} of its own: [{use.situation}] means nothing"
        )
    return np.vstack(kept)


def _direction(feature: Feature) -> Vector | None:
    values = feature.parameters
    found: Vector | None = values.get("normal", values.get("direction"))
    return found


def _wanted(ideal: Situation, real: Situation, pose: Rigid) -> NDArray[np.float64]:
    """Return what the rows of an element still ask for."""
    parts = []
    if ideal.direction is not None:
        assert real.direction is not None
        turned = rotate(pose, real.direction)
        if not ideal.one_way and float(turned @ ideal.direction) < 0:
            turned = -turned
        across = np.linalg.svd(ideal.direction[None])[2][1:]
        parts.append(across @ np.cross(turned, ideal.direction))
    parts.append(ideal.along @ (ideal.place - apply(pose, real.place)))
    return np.concatenate(parts)
