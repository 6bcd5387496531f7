"""Scans on known geometry: where the stylus is led along a circle or a line, point by point."""

from collections.abc import Iterator

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.devices.ipp.messages import Call, ProtocolError

SCANS = ("ScanOnCircle", "ScanOnLine")
_MOST = 20_000


def scan_path(given: Call) -> Iterator[tuple[Vector, Vector]]:
    """Return the nominal points (3,) of a scan in their order, each with the surface's normal (3,).

    ``ScanOnCircle(Cx,Cy,Cz, Sx,Sy,Sz, i,j,k, delta, sfa, StepW)``: centre, first point, axis, how far around and the
    angle of the surface against the radius (0 outside, 180 inside), the step of a point; angles in degrees.
    ``ScanOnLine(Sx,Sy,Sz, Ex,Ey,Ez, i,j,k, StepW)``: first and last point, the surface's normal, the step in mm.

    Raises
    ------
    ProtocolError
        Other arguments, or far too many points.
    """
    values = given.numbers()
    if given.name == "ScanOnCircle":
        if len(values) != 12:
            raise ProtocolError("ScanOnCircle has 12 numbers")
        return _circle(values)
    if len(values) != 10:
        raise ProtocolError("ScanOnLine has 10 numbers")
    return _line(values)


def _circle(values: tuple[float, ...]) -> Iterator[tuple[Vector, Vector]]:
    center, first, axis = np.array(values[:3]), np.array(values[3:6]), np.array(values[6:9])
    delta, side, step = values[9:]
    if not axis.any() or step <= 0 or abs(delta) / step > _MOST:
        raise ProtocolError("the axis, or the step, makes no scan")
    axis = unit(axis)
    x = first - center
    x = x - (x @ axis) * axis
    if not x.any():
        raise ProtocolError("the first point lies on the axis")
    y = np.cross(axis, x)
    out = -1.0 if abs(side) > 90 else 1.0
    lift = ((first - center) @ axis) * axis
    for angle in np.radians(np.sign(delta) * np.linspace(0, abs(delta), max(2, round(abs(delta) / step) + 1))):
        at = np.cos(angle) * x + np.sin(angle) * y
        yield center + lift + at, out * unit(at)


def _line(values: tuple[float, ...]) -> Iterator[tuple[Vector, Vector]]:
    start, end, normal, step = np.array(values[:3]), np.array(values[3:6]), np.array(values[6:9]), values[9]
    length = float(np.linalg.norm(end - start))
    if not normal.any() or step <= 0 or length / step > _MOST:
        raise ProtocolError("the normal, or the step, makes no scan")
    for t in np.linspace(0, 1, max(2, round(length / step) + 1)):
        yield start + t * (end - start), unit(normal)
