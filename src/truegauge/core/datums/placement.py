"""Alignment by datums: each takes the freedoms that those before it left (ISO 5459; 3-2-1 and its relatives).

Directions come first: the first datum with a direction is met exactly, the next one is turned about it as near as it
can, so that it is met in the plane across the first. Then places: in the same order, each takes the shifts that are
left. Where a place finds its shifts taken but a turn still free (a second hole, a second sphere), the direction to it
from what is held takes the turn.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from truegauge.core.arrays import Rigid, Vector, frozen, unit
from truegauge.core.association.features import Line, LineInPlane
from truegauge.core.constructions.parts import Operand
from truegauge.core.datums.freedoms import Freedoms, Rows, holders
from truegauge.core.datums.situation import Situation, situations_of
from truegauge.core.errors import DatumError
from truegauge.core.frames import apply, rigid, rotate

_PARALLEL = 0.01  # sine of the angle below which two directions are one
_NEAR = 0.01  # share of the part's size below which two places are one


@dataclass(frozen=True, slots=True, eq=False)
class DatumFeature:
    """A feature that serves as a datum, as designed (part coordinates) and as measured (coordinates before)."""

    name: str
    nominal: Operand
    measured: Operand


@dataclass(frozen=True, slots=True)
class DatumDeviation:
    """What is left of one datum after the alignment: an angle (rad) and a distance (mm)."""

    name: str
    angle: float
    distance: float
    added: int  # freedoms that it takes


@dataclass(frozen=True, slots=True, eq=False)
class DatumPlacement:
    """The alignment `part_from_base`, who holds which freedom, and what is left at each datum.

    `place` (3,) is a point of the part where the held shifts meet, mm.
    """

    part_from_base: Rigid
    freedoms: Freedoms
    deviations: tuple[DatumDeviation, ...]
    place: Vector


def place_by_datums(datums: Sequence[DatumFeature], *, center: Vector, length: float) -> DatumPlacement:
    """Align by datums in their order; what none of them holds stays as it was before.

    Parameters
    ----------
    datums : sequence of DatumFeature
        In the order in which they take freedoms.
    center : (3,) float64
        A point of the part that moves as little as the datums let it, mm.
    length : float
        The size of the part, mm.

    Raises
    ------
    DatumError
        No datum, one that takes no freedom, or measured features that do not go together.

    References
    ----------
    .. [1] ISO 5459:2011, datums and datum systems.
    """
    if not datums:
        raise DatumError("no datum yet: pick a plane, an axis or a sphere")
    solver = _Solver(np.asarray(center, dtype=np.float64), length)
    before: list[DatumFeature] = []
    for datum in datums:
        nominal = situations_of(datum.nominal.feature, datum.nominal.middle)
        measured = situations_of(datum.measured.feature, datum.measured.middle)
        if len(nominal) != len(measured):
            raise DatumError(f"{datum.name} was measured as another kind of feature than it is on the part")
        _refuse_line_along_normal(datum, nominal, solver, before)
        for ideal, real in zip(nominal, measured, strict=True):
            solver.take(ideal, real, datum.name)
        before.append(datum)
    freedoms = freedoms_of([d.nominal for d in datums], [d.name for d in datums], about=solver.place, length=length)
    for k, (datum, added) in enumerate(zip(datums, freedoms.added, strict=True)):
        if added == 0:
            raise DatumError(_adds_nothing(datum, datums[:k]))
    result = rigid(solver.rotation, solver.shift)
    deviations = tuple(_deviation(d, result, n) for d, n in zip(datums, freedoms.added, strict=True))
    return DatumPlacement(frozen(result), freedoms, deviations, frozen(solver.place))


def freedoms_of(nominal: Sequence[Operand], names: Sequence[str], *, about: Vector, length: float) -> Freedoms:
    """Tell which datum holds what, from the design alone; turns are about the point `about`."""
    rows: list[Rows] = [np.vstack([s.rows(about) for s in situations_of(n.feature, n.middle)]) for n in nominal]
    return holders(rows, names, length=length)


def held_place(nominal: Sequence[Operand], center: Vector) -> Vector:
    """Return the point nearest the centre where the shifts meet that the datums hold."""
    solver = _Solver(np.asarray(center, dtype=np.float64), 1.0)
    for operand in nominal:
        for element in situations_of(operand.feature, operand.middle):
            solver.remember(element, element)
    return solver.place


class _Solver:
    """The pose so far, and what of it is still open."""

    def __init__(self, center: Vector, length: float) -> None:
        self._center, self._length = center, length
        self._directions: list[tuple[Vector, Vector]] = []  # nominal and measured, at most two
        self._places: list[tuple[NDArray[np.float64], Vector, Vector]] = []  # along, nominal, measured
        self.rotation = np.eye(3)
        self.shift = np.zeros(3)

    @property
    def place(self) -> Vector:
        """The nominal point nearest the centre that satisfies all places in their order."""
        place, open_ = self._center.copy(), np.eye(3)
        for along, nominal, _ in self._places:
            place, open_ = settled(place, open_, along, along @ (nominal - place))
        return place

    @property
    def _open_shifts(self) -> NDArray[np.float64]:
        open_ = np.eye(3)
        for along, _, _ in self._places:
            _, open_ = settled(np.zeros(3), open_, along, np.zeros(len(along)))
        return open_

    def take(self, ideal: Situation, real: Situation, name: str) -> None:
        if ideal.direction is not None and real.direction is not None:
            self._take_direction(ideal.direction, self._sensed(ideal, real), name)
            self._solve()
        if len(ideal.along):
            self._take_turn_to(ideal.place, real.place, name)
        self.remember(ideal, real)
        self._solve()
        if ideal.one_way and real.direction is not None and ideal.direction is not None:
            faces = float((self.rotation @ real.direction) @ ideal.direction)
            if faces < 0.5:
                raise DatumError(
                    f"{name} faces another way than on the part ({np.degrees(np.arccos(max(-1.0, faces))):.0f}° off): "
                    "the datums are mixed up, or the part is mirrored (left-handed)"
                )

    def remember(self, ideal: Situation, real: Situation) -> None:
        if len(ideal.along):
            self._places.append((ideal.along, ideal.place, real.place))

    def _sensed(self, ideal: Situation, real: Situation) -> Vector:
        """Return the measured direction in the sense of the nominal one, where it has no sense of its own."""
        assert ideal.direction is not None
        assert real.direction is not None
        turned = self.rotation @ real.direction
        return -real.direction if not ideal.one_way and float(turned @ ideal.direction) < 0 else real.direction

    def _take_direction(self, ideal: Vector, real: Vector, name: str) -> None:
        if len(self._directions) == 2:
            return
        if self._directions:
            first, measured = self._directions[0]
            ideal_across = ideal - float(ideal @ first) * first
            real_across = real - float(real @ measured) * measured
            if np.linalg.norm(ideal_across) < _PARALLEL:
                return
            if np.linalg.norm(real_across) < 0.5 * _PARALLEL:
                raise DatumError(f"{name} was measured parallel to the datum before it, which it is not on the part")
            ideal, real = unit(ideal_across), unit(real_across)
        self._directions.append((ideal, real))

    def _take_turn_to(self, ideal: Vector, real: Vector, name: str) -> None:
        """Let the direction from what is held to a place take the turn that is left."""
        if len(self._directions) == 2:
            return
        open_ = self._open_shifts
        if self._directions:
            axis = self._directions[0][0]
            open_ = open_ - np.outer(axis, axis @ open_)
        if open_.size and np.abs(open_).max() > 1e-6:
            return
        held = self.place
        # The measured point that lies there now stays there, whatever turns about it.
        there = self.rotation.T @ (held - self.shift)
        ideal_way, real_way = ideal - held, real - there
        if self._directions:
            first, measured = self._directions[0]
            ideal_way = ideal_way - float(ideal_way @ first) * first
            real_way = real_way - float(real_way @ measured) * measured
        if np.linalg.norm(ideal_way) < _NEAR * self._length:
            return
        if np.linalg.norm(real_way) < 0.2 * np.linalg.norm(ideal_way):
            raise DatumError(f"{name} was measured where the datum before it is; is it the right feature?")
        self._directions.append((unit(ideal_way), unit(real_way)))
        self._solve()

    def _solve(self) -> None:
        if len(self._directions) == 1:
            self.rotation = _least_turn(self._directions[0][1], self._directions[0][0])
        elif len(self._directions) == 2:
            (a, am), (b, bm) = self._directions
            ideal = np.column_stack([a, b, np.cross(a, b)])
            real = np.column_stack([am, bm, np.cross(am, bm)])
            self.rotation = ideal @ real.T
        shift, open_ = self._center - self.rotation @ self._center, np.eye(3)
        for along, ideal_place, real_place in self._places:
            wanted = along @ (ideal_place - self.rotation @ real_place - shift)
            shift, open_ = settled(shift, open_, along, wanted)
        self.shift = shift


def settled(
    shift: Vector, open_: NDArray[np.float64], along: NDArray[np.float64], wanted: Vector
) -> tuple[Vector, NDArray[np.float64]]:
    """Move `shift` in the open directions (3, k) by what is wanted along others; return it and what stays open."""
    if open_.shape[1] == 0:
        return shift, open_
    rows = along @ open_
    u, strength, basis = np.linalg.svd(rows)
    rank = int((strength > 1e-6).sum())
    move = basis[:rank].T @ ((u[:, :rank].T @ wanted) / strength[:rank])
    return shift + open_ @ move, open_ @ basis[rank:].T


def _least_turn(start: Vector, end: Vector) -> NDArray[np.float64]:
    """Return the smallest rotation (3, 3) that takes a unit vector to another."""
    cross, cosine = np.cross(start, end), float(start @ end)
    if cosine < -1 + 1e-12:
        axis = np.linalg.svd(start[None])[2][1]
        return np.asarray(2 * np.outer(axis, axis) - np.eye(3))
    k = np.array([[0, -cross[2], cross[1]], [cross[2], 0, -cross[0]], [-cross[1], cross[0], 0]])
    return np.asarray(np.eye(3) + k + k @ k / (1 + cosine))


def _refuse_line_along_normal(
    datum: DatumFeature, nominal: tuple[Situation, ...], solver: _Solver, before: list[DatumFeature]
) -> None:
    """A line (not an axis of a hole) is picked to hold a turn: along the primary direction it cannot."""
    first = solver._directions[0][0] if solver._directions else None
    direction = nominal[0].direction
    if first is None or direction is None or not isinstance(datum.nominal.feature, Line | LineInPlane):
        return
    if len(solver._directions) == 1 and np.linalg.norm(np.cross(first, direction)) < _PARALLEL:
        raise DatumError(
            f"{datum.name} lies along the direction of {before[0].name}: a line there cannot hold the turn about it; "
            "pick a line across it"
        )


def _adds_nothing(datum: DatumFeature, before: Sequence[DatumFeature]) -> str:
    if not before:
        return f"{datum.name} holds no freedom"
    own = situations_of(datum.nominal.feature, datum.nominal.middle)[0]
    for other in before:
        element = situations_of(other.nominal.feature, other.nominal.middle)[0]
        if own.direction is None or element.direction is None:
            continue
        if np.linalg.norm(np.cross(own.direction, element.direction)) < _PARALLEL:
            return (
                f"{datum.name} takes no freedom: it is parallel to {other.name}, which holds all that it could; "
                "pick a feature in another direction"
            )
    if own.direction is None and len(before) >= 2:
        names = " and ".join(d.name for d in before[:2])
        return f"{datum.name} takes no freedom: it lies on one line with {names}; pick a point beside that line"
    return f"{datum.name} takes no freedom: {', '.join(d.name for d in before)} hold all that it could"


def _deviation(datum: DatumFeature, part_from_base: Rigid, added: int) -> DatumDeviation:
    angle, distance = 0.0, 0.0
    nominal = situations_of(datum.nominal.feature, datum.nominal.middle)
    measured = situations_of(datum.measured.feature, datum.measured.middle)
    for ideal, real in zip(nominal, measured, strict=True):
        if ideal.direction is not None and real.direction is not None:
            turned = rotate(part_from_base, real.direction)
            sine = float(np.linalg.norm(np.cross(turned, ideal.direction)))
            angle = max(angle, float(np.arctan2(sine, abs(float(turned @ ideal.direction)))))
        if len(ideal.along):
            off = ideal.along @ (apply(part_from_base, real.place) - ideal.place)
            distance = max(distance, float(np.linalg.norm(off)))
    return DatumDeviation(datum.name, angle, distance, added)
