"""Sums over the points of a cloud for the shapes that clouds are fitted to: unweighted, in one pass, vectorised."""

import numpy as np
from numba import njit

# Sums may be taken in any order inside a chunk, which lets the processor take several at a time.
_ANY_ORDER = {"reassoc", "nsz", "contract", "arcp"}


@njit(cache=True, nogil=True, fastmath=_ANY_ORDER)
def plane_sums(origin, axes, points, start, end, out):  # type: ignore[no-untyped-def]
    """The sums of `kernels.normal_equations` for a plane, columns -1, -y, x."""
    a00, a01, a02 = axes[0, 0], axes[0, 1], axes[0, 2]
    a10, a11, a12 = axes[1, 0], axes[1, 1], axes[1, 2]
    a20, a21, a22 = axes[2, 0], axes[2, 1], axes[2, 2]
    o0, o1, o2 = origin[0], origin[1], origin[2]
    sx = sy = sz = xx = xy = yy = xz = yz = zz = 0.0
    for i in range(start, end):
        lx, ly, lz = points[i, 0] - o0, points[i, 1] - o1, points[i, 2] - o2
        x = a00 * lx + a01 * ly + a02 * lz
        y = a10 * lx + a11 * ly + a12 * lz
        z = a20 * lx + a21 * ly + a22 * lz
        sx += x
        sy += y
        sz += z
        xx += x * x
        xy += x * y
        yy += y * y
        xz += x * z
        yz += y * z
        zz += z * z
    out[0], out[1], out[2], out[3], out[4], out[5] = end - start, sy, yy, -sx, -xy, xx
    out[6], out[7], out[8], out[9] = -sz, -yz, xz, zz


@njit(cache=True, nogil=True, fastmath=_ANY_ORDER)
def sphere_sums(origin, radius, points, start, end, out):  # type: ignore[no-untyped-def]
    """The sums of `kernels.normal_equations` for a sphere in the axes of the points: minus the unit direction, -1."""
    o0, o1, o2 = origin[0], origin[1], origin[2]
    xx = xy = yy = xz = yz = zz = sx = sy = sz = xd = yd = zd = sd = dd = 0.0
    for i in range(start, end):
        x, y, z = points[i, 0] - o0, points[i, 1] - o1, points[i, 2] - o2
        length = np.sqrt(x * x + y * y + z * z)
        scale = 1.0 / max(length, 1e-300)
        d = length - radius
        x *= scale
        y *= scale
        z *= scale
        xx += x * x
        xy += x * y
        yy += y * y
        xz += x * z
        yz += y * z
        zz += z * z
        sx += x
        sy += y
        sz += z
        xd += x * d
        yd += y * d
        zd += z * d
        sd += d
        dd += d * d
    out[0], out[1], out[2], out[3], out[4], out[5] = xx, xy, yy, xz, yz, zz
    out[6], out[7], out[8], out[9] = sx, sy, sz, end - start
    out[10], out[11], out[12], out[13], out[14] = -xd, -yd, -zd, -sd, dd


@njit(cache=True, nogil=True, fastmath=_ANY_ORDER)
def cylinder_sums(origin, axes, radius, points, start, end, out):  # type: ignore[no-untyped-def]
    """The sums of `kernels.normal_equations` for a cylinder."""
    a00, a01, a02 = axes[0, 0], axes[0, 1], axes[0, 2]
    a10, a11, a12 = axes[1, 0], axes[1, 1], axes[1, 2]
    a20, a21, a22 = axes[2, 0], axes[2, 1], axes[2, 2]
    o0, o1, o2 = origin[0], origin[1], origin[2]
    m00 = m10 = m11 = m20 = m21 = m22 = m30 = m31 = m32 = m33 = m40 = 0.0
    m41 = m42 = m43 = m44 = 0.0
    r0 = r1 = r2 = r3 = r4 = dd = 0.0
    for i in range(start, end):
        lx, ly, lz = points[i, 0] - o0, points[i, 1] - o1, points[i, 2] - o2
        x = a00 * lx + a01 * ly + a02 * lz
        y = a10 * lx + a11 * ly + a12 * lz
        z = a20 * lx + a21 * ly + a22 * lz
        rho = np.sqrt(x * x + y * y)
        scale = 1.0 / max(rho, 1e-300)
        c0, c1 = -x * scale, -y * scale
        c2, c3 = -z * c1, z * c0
        d = rho - radius
        m00 += c0 * c0
        m10 += c1 * c0
        m11 += c1 * c1
        m20 += c2 * c0
        m21 += c2 * c1
        m22 += c2 * c2
        m30 += c3 * c0
        m31 += c3 * c1
        m32 += c3 * c2
        m33 += c3 * c3
        m40 -= c0
        m41 -= c1
        m42 -= c2
        m43 -= c3
        m44 += 1.0
        r0 += c0 * d
        r1 += c1 * d
        r2 += c2 * d
        r3 += c3 * d
        r4 -= d
        dd += d * d
    out[0], out[1], out[2], out[3], out[4], out[5], out[6], out[7] = m00, m10, m11, m20, m21, m22, m30, m31
    out[8], out[9], out[10], out[11], out[12], out[13], out[14], out[15] = m32, m33, m40, m41, m42, m43, m44, r0
    out[16], out[17], out[18], out[19], out[20] = r1, r2, r3, r4, dd


@njit(cache=True, nogil=True, fastmath=_ANY_ORDER)
def cone_sums(origin, axes, radius, half_angle, points, start, end, out):  # type: ignore[no-untyped-def]
    """The sums of `kernels.normal_equations` for a cone."""
    a00, a01, a02 = axes[0, 0], axes[0, 1], axes[0, 2]
    a10, a11, a12 = axes[1, 0], axes[1, 1], axes[1, 2]
    a20, a21, a22 = axes[2, 0], axes[2, 1], axes[2, 2]
    o0, o1, o2 = origin[0], origin[1], origin[2]
    m00 = m10 = m11 = m20 = m21 = m22 = m30 = m31 = m32 = m33 = m40 = 0.0
    m41 = m42 = m43 = m44 = m50 = m51 = m52 = m53 = m54 = m55 = 0.0
    r0 = r1 = r2 = r3 = r4 = r5 = dd = 0.0
    sine, cosine = np.sin(half_angle), np.cos(half_angle)
    for i in range(start, end):
        lx, ly, lz = points[i, 0] - o0, points[i, 1] - o1, points[i, 2] - o2
        x = a00 * lx + a01 * ly + a02 * lz
        y = a10 * lx + a11 * ly + a12 * lz
        z = a20 * lx + a21 * ly + a22 * lz
        rho = np.sqrt(x * x + y * y)
        scale = 1.0 / max(rho, 1e-300)
        ox, oy = x * scale, y * scale
        c0, c1 = -cosine * ox, -cosine * oy
        along = z * cosine + rho * sine
        c2, c3, c4 = oy * along, -ox * along, -cosine
        c5 = -(rho - radius) * sine - z * cosine
        d = (rho - radius) * cosine - z * sine
        m00 += c0 * c0
        m10 += c1 * c0
        m11 += c1 * c1
        m20 += c2 * c0
        m21 += c2 * c1
        m22 += c2 * c2
        m30 += c3 * c0
        m31 += c3 * c1
        m32 += c3 * c2
        m33 += c3 * c3
        m40 += c4 * c0
        m41 += c4 * c1
        m42 += c4 * c2
        m43 += c4 * c3
        m44 += c4 * c4
        m50 += c5 * c0
        m51 += c5 * c1
        m52 += c5 * c2
        m53 += c5 * c3
        m54 += c5 * c4
        m55 += c5 * c5
        r0 += c0 * d
        r1 += c1 * d
        r2 += c2 * d
        r3 += c3 * d
        r4 += c4 * d
        r5 += c5 * d
        dd += d * d
    out[0], out[1], out[2], out[3], out[4], out[5], out[6], out[7] = m00, m10, m11, m20, m21, m22, m30, m31
    out[8], out[9], out[10], out[11], out[12], out[13], out[14], out[15] = m32, m33, m40, m41, m42, m43, m44, m50
    out[16], out[17], out[18], out[19], out[20], out[21], out[22], out[23] = m51, m52, m53, m54, m55, r0, r1, r2
    out[24], out[25], out[26], out[27] = r3, r4, r5, dd
