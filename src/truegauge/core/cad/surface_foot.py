"""The foot of a point on the exact surface of a face, from a triangle of its mesh."""

import numpy as np
from numba import njit

from truegauge.core.cad.bspline import project

# The kernels take plain arrays and scalars: a tuple of arrays, or a row of one, costs a counted reference a call.


@njit(cache=True, nogil=True)
def _analytic(kind, frame, size, f, px, py, pz):  # type: ignore[no-untyped-def]
    """Return (signed distance, normal x, y, z), away from the axis or centre, for a closed-form surface."""
    lx, ly, lz = px - frame[f, 0], py - frame[f, 1], pz - frame[f, 2]
    zx, zy, zz = frame[f, 9], frame[f, 10], frame[f, 11]
    h = lx * zx + ly * zy + lz * zz
    if kind == 0:
        return h, zx, zy, zz
    radius = size[f, 0]
    if kind == 3:
        length = np.sqrt(lx * lx + ly * ly + lz * lz)
        if length > 0.0:
            return length - radius, lx / length, ly / length, lz / length
        return -radius, zx, zy, zz
    rx, ry, rz = lx - h * zx, ly - h * zy, lz - h * zz
    rho = np.sqrt(rx * rx + ry * ry + rz * rz)
    if rho > 0.0:
        rx, ry, rz = rx / rho, ry / rho, rz / rho
    else:  # on the axis every direction is nearest: take x
        rx, ry, rz = frame[f, 3], frame[f, 4], frame[f, 5]
    if kind == 1:
        return rho - radius, rx, ry, rz
    if kind == 2:
        s, c = size[f, 2], size[f, 3]
        d, a, b = (rho - radius) * c - h * s, c, -s
        tip = -radius * c / s  # where the radius is 0
    else:
        q = np.sqrt((rho - radius) ** 2 + h * h)
        a, b = 1.0, 0.0
        if q > 0.0:
            a, b = (rho - radius) / q, h / q
        d = q - size[f, 1]
        tip = np.sqrt(max(size[f, 1] ** 2 - radius * radius, 0.0))
        tip = tip if h >= 0.0 else -tip
    if rho - d * a < 0.0:  # beyond the tip, where the surface has crossed its axis: the tip itself is nearest
        away = np.sqrt(rho * rho + (h - tip) ** 2)
        if away > 0.0:
            d = away if d >= 0.0 else -away
            a, b = rho / d, (h - tip) / d
    return d, a * rx + b * zx, a * ry + b * zy, a * rz + b * zz


@njit(cache=True, nogil=True)
def _bspline(spline, knots, poles, f, offset, px, py, pz, u, v, scratch):  # type: ignore[no-untyped-def]
    """Return (distance along the normal, normal x, y, z) at the foot nearest the seed (u, v), left in scratch[:3].

    The foot on an offset surface stands over the foot on its base: both have one normal.
    """
    pu, pv, k0, nku, nkv, p0, count = (
        spline[f, 0], spline[f, 1], spline[f, 2], spline[f, 3], spline[f, 4], spline[f, 5], spline[f, 6],
    )  # fmt: skip
    d, trial = scratch[:18].reshape((6, 3)), scratch[18:].reshape((6, 3))
    project(
        pu, pv, knots[k0 : k0 + nku], knots[k0 + nku : k0 + nku + nkv], poles[p0 : p0 + count], spline[f, 7] != 0,
        px, py, pz, u, v, d, trial,
    )  # fmt: skip
    nx = d[1, 1] * d[2, 2] - d[1, 2] * d[2, 1]
    ny = d[1, 2] * d[2, 0] - d[1, 0] * d[2, 2]
    nz = d[1, 0] * d[2, 1] - d[1, 1] * d[2, 0]
    length = np.sqrt(nx * nx + ny * ny + nz * nz)
    if length > 0.0:
        nx, ny, nz = nx / length, ny / length, nz / length
    if offset != 0.0:
        d[0, 0], d[0, 1], d[0, 2] = d[0, 0] + offset * nx, d[0, 1] + offset * ny, d[0, 2] + offset * nz
    ex, ey, ez = px - d[0, 0], py - d[0, 1], pz - d[0, 2]
    distance = np.sqrt(ex * ex + ey * ey + ez * ez)
    return (distance if ex * nx + ey * ny + ez * nz >= 0.0 else -distance), nx, ny, nz


@njit(cache=True, nogil=True)
def place_at(kind, frame, size, spline, knots, poles, f, u, v, px, py, pz, scratch):  # type: ignore[no-untyped-def]
    """Return (signed distance, normal x, y, z) to the unbounded surface of a face; (u, v) is the seed of a B-spline."""
    if kind[f] == 5:
        return _bspline(spline, knots, poles, f, size[f, 4], px, py, pz, u, v, scratch)
    return _analytic(kind[f], frame, size, f, px, py, pz)


@njit(cache=True, nogil=True)
def foot(kind, frame, size, spline, knots, poles, uv, f, k, v, w, px, py, pz, scratch):  # type: ignore[no-untyped-def]
    """Return (signed distance, normal, foot) of a point to the unbounded surface `f` of triangle `k`."""
    if kind[f] == 5:
        su = uv[k, 0] + v * (uv[k, 2] - uv[k, 0]) + w * (uv[k, 4] - uv[k, 0])
        sv = uv[k, 1] + v * (uv[k, 3] - uv[k, 1]) + w * (uv[k, 5] - uv[k, 1])
        d, nx, ny, nz = _bspline(spline, knots, poles, f, size[f, 4], px, py, pz, su, sv, scratch)
        return d, nx, ny, nz, scratch[0], scratch[1], scratch[2]
    d, nx, ny, nz = _analytic(kind[f], frame, size, f, px, py, pz)
    return d, nx, ny, nz, px - d * nx, py - d * ny, pz - d * nz
