"""Traces in continuous contact: a line, a circle or a helix through their points (I++ DME, known geometry)."""

from contextlib import suppress

import numpy as np

from truegauge.core.arrays import Floats, Normals, Points, any_perpendicular, unit
from truegauge.devices.cmm.link import Check
from truegauge.devices.cmm.machine import Cmm
from truegauge.devices.cmm.words import MachineTouch
from truegauge.devices.ipp.client import MachineRefused
from truegauge.devices.ipp.messages import NO_SURFACE, Call, call

_OFF = 0.02  # mm that points may lie off the line, circle or helix
_TURNED = np.radians(2.0)  # that a surface may turn along it


def scan_command(cmm: Cmm, points: Points, normals: Normals) -> Call | None:
    """Return the command that leads the tip over a surface as `command_through`; None where the machine cannot."""
    return command_through(points - cmm.offset, normals) if cmm.abilities.scans else None


def scan(
    cmm: Cmm, command: Call, points: Points, normals: Normals, check: Check | None = None
) -> list[MachineTouch] | None:  # fmt: skip
    """Lead the tip in contact over points (n, 3) with outward normals (n, 3) by their command.

    Returns where the tip was, at each of them; None where the surface was lost, or not every point was told.
    """
    with suppress(MachineRefused):  # some always say all
        cmm.link.ask(call("OnScanReport", call("X"), call("Y"), call("Z"), call("IJK")))
    try:
        told = cmm.led(command, points[0], check)
    except MachineRefused as error:
        if error.said.number == NO_SURFACE and error.said.severity < 2:
            return None
        raise
    said = [named for named in told if {"X", "Y", "Z"} <= set(named)]
    if len(said) != len(points):
        return None
    places = [np.array([named[n][0] for n in "XYZ"]) + cmm.offset for named in said]
    return [MachineTouch(at, np.asarray(out)) for at, out in zip(places, normals, strict=True)]


def command_through(points: Points, normals: Normals) -> Call | None:
    """Return the command that scans a surface through points (n, 3) with its normals (n, 3), in their order.

    It gives n points, evenly. None: no command of the protocol goes through them.
    """
    if len(points) < 3:
        return None
    return _line(points, normals) or _circle(points, normals) or _helix(points, normals)


def _line(points: Points, normals: Normals) -> Call | None:
    along = points[-1] - points[0]
    length = float(np.linalg.norm(along))
    if length < 1e-6:
        return None
    along = along / length
    off = points - points[0]
    at = off @ along
    beside = np.linalg.norm(off - at[:, None] * along, axis=1)
    if beside.max() > _OFF or _spread(normals) > _TURNED or not _even(at):
        return None
    return _call("ScanOnLine", points[0], points[-1], unit(normals.mean(axis=0)), length / (len(points) - 1))


def _circle(points: Points, normals: Normals) -> Call | None:
    middle = points.mean(axis=0)
    axis = np.linalg.svd(points - middle)[2][2]
    if np.abs((points - middle) @ axis).max() > _OFF:
        return None
    center, radius = _center(points, axis, middle)
    angles = _turns(points, center, axis)
    if angles[-1] < 0:
        axis, angles = -axis, -angles
    if np.abs(np.linalg.norm(points - center, axis=1) - radius).max() > _OFF or not _even(angles):
        return None
    side = _side(points, normals, center, axis)
    if side is None:
        return None
    total = np.degrees(angles[-1])
    return _call("ScanOnCircle", center, points[0], axis, total, side, total / (len(points) - 1))


def _helix(points: Points, normals: Normals) -> Call | None:
    """Return it where the surface is a cylinder: its normals are square to the axis."""
    axis = np.linalg.svd(normals)[2][2]
    if np.abs(normals @ axis).max() > np.sin(_TURNED) or len(points) < 6:
        return None
    flat = points - np.outer((points - points[0]) @ axis, axis)
    center, radius = _center(flat, axis, flat.mean(axis=0))
    angles, rise = _turns(flat, center, axis), (points - points[0]) @ axis
    if rise[-1] < 0:  # the lead goes along the axis
        axis, rise, angles = -axis, -rise, -angles
    if abs(angles[-1]) < 1e-6:
        return None
    lead = rise[-1] / (abs(angles[-1]) / (2 * np.pi))
    expected = np.abs(angles) / (2 * np.pi) * lead
    off = np.abs(np.linalg.norm(flat - center, axis=1) - radius)
    if max(off.max(), np.abs(rise - expected).max()) > _OFF or not _even(angles):
        return None
    side = _side(flat, normals, center, axis)
    if side is None:
        return None
    total = np.degrees(angles[-1])
    return _call("ScanOnHelix", center, points[0], axis, total, side, abs(total) / (len(points) - 1), lead)


def _center(points: Points, axis: Floats, middle: Floats) -> tuple[Floats, float]:
    """Return centre and radius of the circle through points in a plane (algebraic: they lie on one or it is none)."""
    x = any_perpendicular(axis)
    y = np.cross(axis, x)
    u, v = (points - middle) @ x, (points - middle) @ y
    a, b, c = np.linalg.lstsq(np.column_stack([u, v, np.ones(len(u))]), u**2 + v**2, rcond=None)[0]
    return middle + a / 2 * x + b / 2 * y, float(np.sqrt(max(c + (a**2 + b**2) / 4, 0.0)))


def _turns(points: Points, center: Floats, axis: Floats) -> Floats:
    """Return how far each point lies round an axis from the first on (rad), going on past whole turns."""
    x = unit(points[0] - center)
    off = points - center
    return np.asarray(np.unwrap(np.arctan2(off @ np.cross(axis, x), off @ x)))


def _side(points: Points, normals: Normals, center: Floats, axis: Floats) -> float | None:
    """Return the angle (degrees) of the surface against the radius; None where it is not the same everywhere."""
    radial = points - center
    radial /= np.linalg.norm(radial, axis=1)[:, None]
    across, up = np.einsum("ij,ij->i", normals, radial), normals @ axis
    mean = float(np.arctan2(up.mean(), across.mean()))
    off = np.abs(np.angle(np.exp(1j * (np.arctan2(up, across) - mean))))
    return None if off.max() > _TURNED or np.hypot(across, up).min() < np.cos(_TURNED) else float(np.degrees(mean))


def _spread(normals: Normals) -> float:
    return float(np.arccos(np.clip(normals @ unit(normals.mean(axis=0)), -1, 1)).max())


def _even(values: Floats) -> bool:
    """Tell whether values go on by equal steps."""
    steps = np.diff(values)
    return bool(np.ptp(steps) <= 0.05 * abs(float(steps.mean())) + 1e-9)


def _call(name: str, *values: Floats | float) -> Call:
    return call(name, *(float(v) for v in np.concatenate([np.atleast_1d(v) for v in values])))
