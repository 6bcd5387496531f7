"""Rigid transforms, named by direction: ``part_from_scan`` takes scan coordinates to part coordinates."""

from typing import Any

import numpy as np

from truegauge.core.arrays import Normals, Points, Rigid, Vector


def identity() -> Rigid:
    """Return the transform that moves nothing."""
    return np.eye(4)


def as_rigid(values: Any) -> Rigid:
    """Return `values` as a checked 4x4 rigid transform.

    Raises
    ------
    ValueError
        Wrong shape or last row, not orthonormal within 1e-9, or mirrored.
    """
    m = np.asarray(values, dtype=np.float64)
    if m.shape != (4, 4) or not np.isfinite(m).all() or not np.array_equal(m[3], [0, 0, 0, 1]):
        raise ValueError("a rigid transform is a 4x4 matrix whose last row is 0 0 0 1")
    r = m[:3, :3]
    if np.abs(r @ r.T - np.eye(3)).max() > 1e-9 or np.linalg.det(r) < 0:
        raise ValueError("the rotation of a rigid transform must be orthonormal and not mirrored")
    return m


def rigid(rotation: Any, translation: Any) -> Rigid:
    """Build a transform from a 3x3 rotation and a shift (mm)."""
    m = np.eye(4)
    m[:3, :3] = rotation
    m[:3, 3] = translation
    return m


def apply(to_from: Rigid, points: Points) -> Points:
    """Move points (n, 3) or one point (3,)."""
    return np.asarray(points @ to_from[:3, :3].T + to_from[:3, 3])


def rotate(to_from: Rigid, vectors: Normals) -> Normals:
    """Turn directions (n, 3) or one direction (3,)."""
    return np.asarray(vectors @ to_from[:3, :3].T)


def invert(to_from: Rigid) -> Rigid:
    """Return ``from_to``."""
    r = to_from[:3, :3].T
    return rigid(r, -r @ to_from[:3, 3])


def orthonormalised(to_from: Rigid) -> Rigid:
    """Return the nearest rigid transform: for long products, which drift."""
    u, _, vt = np.linalg.svd(to_from[:3, :3])
    return rigid(u @ np.diag([1, 1, np.linalg.det(u @ vt)]) @ vt, to_from[:3, 3])


def rotation_about(axis: Vector, angle: float) -> Rigid:
    """Return the turn about `axis` through the origin by `angle` rad (Rodrigues)."""
    x, y, z = np.asarray(axis, dtype=np.float64) / np.linalg.norm(axis)
    k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return rigid(np.eye(3) + np.sin(angle) * k + (1 - np.cos(angle)) * (k @ k), np.zeros(3))


def from_rotation_vector(w: Vector, translation: Vector) -> Rigid:
    """Return the transform that turns about `w` by its length (rad), then shifts."""
    angle = float(np.linalg.norm(w))
    if angle == 0.0:
        return rigid(np.eye(3), translation)
    m = rotation_about(w, angle)
    m[:3, 3] = translation
    return m


def rotation_vector(to_from: Rigid) -> Vector:
    """Return the axis of the turn times its angle (rad, 0 to pi)."""
    r = to_from[:3, :3]
    twice = np.array([r[2, 1] - r[1, 2], r[0, 2] - r[2, 0], r[1, 0] - r[0, 1]])
    sine, cosine = float(np.linalg.norm(twice)) / 2, (float(np.trace(r)) - 1) / 2
    angle = float(np.arctan2(sine, cosine))
    if sine > 1e-6 * max(angle, 1e-300) or angle == 0.0:
        return twice / 2 if angle < 1e-9 else twice / (2 * sine) * angle
    # Half a turn: the axis is what does not move.
    values, vectors = np.linalg.eigh((r + r.T) / 2)
    return np.asarray(vectors[:, int(np.argmax(values))] * angle)


def turn_angles(to_from: Rigid) -> Vector:
    """Return the turns (3,) rad about the fixed axes x, then y, then z that make up a rotation."""
    r = to_from[:3, :3]
    y = float(np.arctan2(-r[2, 0], np.hypot(r[0, 0], r[1, 0])))
    if abs(np.cos(y)) < 1e-12:  # x and z are one axis then: all of it is given to x
        return np.array([np.arctan2(-r[1, 2], r[1, 1]), y, 0.0])
    return np.array([np.arctan2(r[2, 1], r[2, 2]), y, np.arctan2(r[1, 0], r[0, 0])])


def twist_motion(twist: Any, about: Vector) -> Rigid:
    """Return the rigid motion of a twist (6,) about a point: its exponential, so that screws stay screws."""
    w, t = twist[:3], twist[3:]
    angle = float(np.linalg.norm(w))
    k = np.array([[0, -w[2], w[1]], [w[2], 0, -w[0]], [-w[1], w[0], 0]])
    if angle < 1e-7:
        a, b, c = 1 - angle**2 / 6, 0.5 - angle**2 / 24, 1 / 6 - angle**2 / 120
    else:
        a, b = np.sin(angle) / angle, (1 - np.cos(angle)) / angle**2
        c = (angle - np.sin(angle)) / angle**3
    turn = np.eye(3) + a * k + b * k @ k
    shift = (np.eye(3) + b * k + c * k @ k) @ t
    return rigid(turn, about - turn @ about + shift)


def rotation_to_z(direction: Vector) -> Rigid:
    """Return a rotation that takes the unit vector `direction` to +z."""
    z = np.asarray(direction, dtype=np.float64)
    helper = np.zeros(3)
    helper[int(np.argmin(np.abs(z)))] = 1.0
    x = np.cross(helper, z)
    x /= np.linalg.norm(x)
    return rigid(np.vstack([x, np.cross(z, x), z]), np.zeros(3))


def random_rigid(rng: np.random.Generator, spread: float) -> Rigid:
    """Return an evenly distributed rotation with a shift of normal `spread` mm."""
    q = rng.normal(size=4)
    w, x, y, z = q / np.linalg.norm(q)
    r = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    return rigid(r, rng.normal(size=3) * spread)
