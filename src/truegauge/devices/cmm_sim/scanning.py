"""Scans: where the stylus is led along known geometry, and how it finds its way along an unknown contour.

Arguments are plain numbers, mm and degrees, in the coordinate system in use:

``ScanOnCircle(Cx,Cy,Cz, Sx,Sy,Sz, i,j,k, delta, sfa, StepW)``
    Centre, first point, axis, how far around, angle of the surface against the radius (0 outside, 180 inside, 90 a
    plane), step of a point (degrees).
``ScanOnHelix(... as a circle ..., StepW, lead)``
    As a circle that goes on by `lead` in each turn: along the axis on a cylinder, along the radius on a plane.
``ScanOnLine(Sx,Sy,Sz, Ex,Ey,Ez, i,j,k, StepW)``
    First and last point, the surface's normal, the step (mm).
``ScanInPlaneEndIsSphere(Sx,Sy,Sz, Si,Sj,Sk, Ni,Nj,Nk, Dx,Dy,Dz, StepW, Ex,Ey,Ez, Dia, n, Ei,Ej,Ek)``
    An unknown contour in a plane: start with the surface's normal, normal of the plane, a point that tells in which
    direction to go, step; it ends when the tip comes into a sphere for the n-th time; the surface's normal there.
``ScanInPlaneEndIsPlane(... StepW, Px,Py,Pz, Pi,Pj,Pk, n, Ei,Ej,Ek)``, ``ScanInPlaneEndIsCyl(... StepW, Cx,Cy,Cz, Ci,Cj,Ck, d, n, Ei,Ej,Ek)``
    The same until the tip goes through a plane, or comes into a cylinder.
``ScanInCylEndIsSphere(Cx,Cy,Cz, Ci,Cj,Ck, Sx,...)``, ``ScanInCylEndIsPlane(...)``
    The contour stays at the distance from an axis at which it begins.
"""  # noqa: E501

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Vector, unit
from truegauge.devices.ipp.messages import Call, ProtocolError

KNOWN = {"ScanOnCircle": 12, "ScanOnHelix": 13, "ScanOnLine": 10}
UNKNOWN = {
    "ScanInPlaneEndIsSphere": 21, "ScanInPlaneEndIsPlane": 23, "ScanInPlaneEndIsCyl": 24,
    "ScanInCylEndIsSphere": 24, "ScanInCylEndIsPlane": 26,
}  # fmt: skip
SCANS = (*KNOWN, *UNKNOWN)
HINTS = {"ScanOnCircleHint": 2, "ScanOnHelixHint": 2, "ScanOnLineHint": 2, "ScanUnknownHint": 1}
MOST = 20_000  # points of a scan


def _numbers(given: Call, count: int) -> tuple[float, ...]:
    values = given.numbers()
    if len(values) != count:
        raise ProtocolError(f"{given.name} has {count} numbers")
    return values


def scan_path(given: Call) -> Iterator[tuple[Vector, Vector]]:
    """Return the nominal points (3,) of a scan on known geometry in their order, each with the surface's normal (3,).

    Raises
    ------
    ProtocolError
        Other arguments, or far too many points.
    """
    values = _numbers(given, KNOWN[given.name])
    if given.name == "ScanOnLine":
        return _line(values)
    return _circle(values[:12], values[12] if given.name == "ScanOnHelix" else 0.0)


def _circle(values: tuple[float, ...], lead: float) -> Iterator[tuple[Vector, Vector]]:
    center, first, axis = np.array(values[:3]), np.array(values[3:6]), np.array(values[6:9])
    delta, side, step = values[9:]
    if not np.linalg.norm(axis) > 1e-6 or step <= 0 or abs(delta) / step > MOST:
        raise ProtocolError("the axis, or the step, makes no scan")
    axis = unit(axis)
    x = first - center
    x = x - (x @ axis) * axis
    radius = float(np.linalg.norm(x))
    if radius < 1e-6:
        raise ProtocolError("the first point lies on the axis")
    x = x / radius
    y = np.cross(axis, x)
    lift = float((first - center) @ axis)
    out, up = float(np.cos(np.radians(side))), float(np.sin(np.radians(side)))
    for angle in np.radians(np.sign(delta) * np.linspace(0, abs(delta), max(2, round(abs(delta) / step) + 1))):
        radial = np.cos(angle) * x + np.sin(angle) * y
        gone = lead * abs(angle) / (2 * np.pi)  # along the surface, square to the circle
        at = center + (lift + abs(out) * gone) * axis + (radius + abs(up) * gone) * radial
        yield at, unit(out * radial + up * axis)


def _line(values: tuple[float, ...]) -> Iterator[tuple[Vector, Vector]]:
    start, end, normal, step = np.array(values[:3]), np.array(values[3:6]), np.array(values[6:9]), values[9]
    length = float(np.linalg.norm(end - start))
    if not np.linalg.norm(normal) > 1e-6 or step <= 0 or length / step > MOST:
        raise ProtocolError("the normal, or the step, makes no scan")
    for t in np.linspace(0, 1, max(2, round(length / step) + 1)):
        yield start + t * (end - start), unit(normal)


@dataclass(slots=True)
class Contour:
    """An unknown contour: where it begins, what keeps it, and when it ends. Places and directions are (3,)."""

    start: Vector
    normal: Vector
    toward: Vector
    step: float
    side: Callable[[Vector], Vector]  # the normal of what the contour stays in, at a place
    kept: Callable[[Vector], Vector]  # a place, moved back into that
    is_in: Callable[[Vector], bool]  # what ends the scan
    times: int

    @staticmethod
    def read(given: Call) -> "Contour":
        """Read the arguments of a scan (ProtocolError: they make none)."""
        values = list(_numbers(given, UNKNOWN[given.name]))

        def take(count: int) -> Vector:
            found = np.array(values[:count])
            del values[:count]
            return found

        def direction(what: str) -> Vector:
            found = take(3)
            if not np.linalg.norm(found) > 1e-6:
                raise ProtocolError(f"{what} has no length")
            return unit(found)

        in_cylinder = given.name.startswith("ScanInCyl")
        center, axis = (take(3), direction("the axis")) if in_cylinder else (np.zeros(3), np.zeros(3))
        start, normal = take(3), direction("the normal at the start")
        plane = np.zeros(3) if in_cylinder else direction("the normal of the plane")
        toward, step = take(3), float(take(1)[0])
        if step <= 0:
            raise ProtocolError("the step makes no scan")
        is_in = _end(given.name, take, direction)
        times = int(take(1)[0])
        if times < 1:
            raise ProtocolError("a scan ends at the first time at the earliest")
        if not in_cylinder:

            def flat(at: Vector) -> Vector:
                return np.asarray(at - ((at - start) @ plane) * plane)

            return Contour(start, normal, toward, step, lambda at: plane, flat, is_in, times)

        def off(at: Vector) -> Vector:
            return np.asarray(at - center - ((at - center) @ axis) * axis)

        radius = float(np.linalg.norm(off(start)))
        if radius < 1e-6:
            raise ProtocolError("the start lies on the axis")
        return Contour(start, normal, toward, step, lambda at: unit(off(at)),
                       lambda at: np.asarray(at - off(at) + radius * unit(off(at))), is_in, times)  # fmt: skip


def _end(name: str, take: Callable[[int], Vector], direction: Callable[[str], Vector]) -> Callable[[Vector], bool]:
    if name.endswith("EndIsSphere"):
        middle, diameter = take(3), float(take(1)[0])
        return lambda at: bool(np.linalg.norm(at - middle) <= diameter / 2)
    if name.endswith("EndIsPlane"):
        origin, across = take(3), direction("the normal of the plane that ends it")
        return lambda at: bool((at - origin) @ across >= 0)
    foot, along, wide = take(3), direction("the axis that ends it"), float(take(1)[0])
    return lambda at: bool(np.linalg.norm(np.cross(at - foot, along)) <= wide / 2)


def follow(contour: Contour, touch: Callable[[Vector, Vector], tuple[Vector, Vector]]) -> Iterator[None]:
    """Lead the stylus along a contour, a step at a time.

    `touch` is given where the surface is expected and its normal there, and returns where it is, with its normal.

    Raises
    ------
    ProtocolError
        It would never end.
    """
    at, normal = touch(contour.start, contour.normal)
    yield
    along: Vector | None = None
    was_in, seen = contour.is_in(at), 0
    for _ in range(MOST):
        side = contour.side(at)
        ahead = np.cross(side, normal)
        if not np.linalg.norm(ahead) > 1e-6:
            raise ProtocolError("the surface lies in what the scan is to stay in")
        ahead = unit(ahead)
        way = along if along is not None else contour.toward - at
        if ahead @ way < 0:
            ahead = -ahead
        expected = contour.kept(at + contour.step * ahead)
        at, normal = touch(expected, normal)
        along = ahead
        yield
        now = contour.is_in(at)
        seen += now and not was_in
        was_in = now
        if seen >= contour.times:
            return
    raise ProtocolError(f"the scan did not end within {MOST} points")
