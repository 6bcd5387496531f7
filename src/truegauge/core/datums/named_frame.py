"""Frames: made by naming which datum points along which axis, then shifted and turned to a drawing's origin."""

from collections.abc import Sequence
from typing import Literal, get_args

import numpy as np

from truegauge.core.arrays import Rigid, Vector, unit
from truegauge.core.constructions.parts import Operand
from truegauge.core.datums.placement import held_place
from truegauge.core.datums.situation import situations_of
from truegauge.core.errors import DatumError
from truegauge.core.frames import rigid, rotation_about

AxisName = Literal["+x", "-x", "+y", "-y", "+z", "-z"]
AXES: tuple[AxisName, ...] = get_args(AxisName)


def axis_vector(name: AxisName) -> Vector:
    """Return the unit vector of an axis."""
    return np.asarray(np.eye(3)["xyz".index(name[1])] * (1.0 if name[0] == "+" else -1.0))


def frame_by_naming(
    datums: Sequence[Operand], axes: Sequence[AxisName | None], names: Sequence[str], *, center: Vector
) -> Rigid:
    """Return ``frame_from_base`` of datums, some of which point along named axes; needs no CAD.

    The first named axis is met exactly, the second as near as it can be across the first; the third follows. The
    origin lies where the datums hold the shifts; what they leave open stays at `center`.

    Raises
    ------
    DatumError
        Fewer than two named axes, one named twice, a datum without a direction, or a left-handed set.
    """
    named = [(d, a, n) for d, a, n in zip(datums, axes, names, strict=True) if a is not None]
    directions: list[tuple[Vector, Vector, str]] = []
    for datum, axis, name in named:
        found = next((s.direction for s in situations_of(datum.feature, datum.middle) if s.direction is not None), None)
        if found is None:
            raise DatumError(f"{name} has no direction: a point or sphere cannot be named an axis")
        directions.append((found, axis_vector(axis), name))
    letters = [a[1] for _, a, _ in named]
    if len(set(letters)) < len(letters):
        raise DatumError(f"two datums are named along {letters[-1]}: name each axis once")
    if len(directions) < 2:
        raise DatumError("name two axes: the third follows from them")
    (a, u, first), (b, v, second) = directions[:2]
    across = b - float(b @ a) * a
    if np.linalg.norm(across) < 0.01:
        raise DatumError(f"{second} is parallel to {first}: they cannot be two axes")
    b = unit(across)
    rotation = np.column_stack([u, v, np.cross(u, v)]) @ np.column_stack([a, b, np.cross(a, b)]).T
    if len(directions) == 3:
        third = rotation @ directions[2][0]
        if float(third @ directions[2][1]) < 0:
            raise DatumError(
                f"the axes are left-handed: with {first} and {second} as named, {directions[2][2]} points the other way"
            )
    return rigid(rotation, -rotation @ held_place(datums, center))


def shifted_frame(offset: Vector, turns: Vector) -> Rigid:
    """Return ``drawing_from_frame``: an origin at `offset` (3,) mm in the frame, its axes turned by `turns` (3,) rad.

    The axes of the drawing come from those of the frame by turning about x, then y, then z of the frame.
    """
    axes = rigid(np.eye(3), np.zeros(3))
    for axis, angle in zip(np.eye(3), turns, strict=True):
        axes = rotation_about(axis, float(angle)) @ axes
    r = axes[:3, :3].T
    return rigid(r, -r @ np.asarray(offset, dtype=np.float64))
