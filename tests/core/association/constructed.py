"""Point sets whose least-squares feature is known by construction.

Foot points lie on the true feature; each is moved along the normal by a residual e with J^T e = 0, J being the change
of the distances by every motion and size of the feature. That changes neither foot nor J: the feature is stationary.
"""

from dataclasses import dataclass

import numpy as np

from truegauge.core.association.features import (
    Circle,
    Cone,
    Cylinder,
    Ellipse,
    ParallelPlanes,
    Plane,
    Slot,
    Sphere,
    SquareSlot,
    Torus,
)
from truegauge.core.frames import apply, random_rigid, rotate

Z = np.array([0.0, 0.0, 1.0])
X = np.array([1.0, 0.0, 0.0])
O = np.zeros(3)  # noqa: E741


@dataclass
class Case:
    """Points, the feature they were made from, and how far the answer may be from it (mm, rad)."""

    points: np.ndarray
    feature: object
    length: float
    angle: float


def _foot(shape, rng, n, arc, size):
    """Feature about the zero, feet (n, 3), normals (n, 3), and the speed of the surface for each size (n, k)."""
    u, v = rng.uniform(-arc / 2, arc / 2, n), rng.uniform(-1, 1, n)
    c, s, zero, one = np.cos(u), np.sin(u), np.zeros(n), np.ones(n)
    out = np.column_stack([c, s, zero])
    if shape == "plane":
        feet = np.column_stack([size * v, 0.6 * size * rng.uniform(-1, 1, n), zero])
        return Plane(O, Z), feet, np.tile(Z, (n, 1)), np.zeros((n, 0))
    if shape == "circle":
        return Circle(O, Z, size), size * out, out, one[:, None]
    if shape == "sphere":
        cap = np.column_stack([np.sqrt(1 - v * v) * c, np.sqrt(1 - v * v) * s, v])
        return Sphere(O, size), size * cap, cap, one[:, None]
    if shape == "cylinder":
        return Cylinder(O, Z, size), size * out + 0.8 * size * v[:, None] * Z, out, one[:, None]
    if shape.startswith("cone"):
        half = np.radians(float(shape[4:] or 20))
        along = size * (2 + v)
        feet = along[:, None] * (np.sin(half) * out + np.cos(half) * Z)
        return Cone(O, Z, half), feet, np.cos(half) * out - np.sin(half) * Z, along[:, None]
    if shape == "torus":
        w = rng.uniform(0, 2 * np.pi, n)
        normal = np.cos(w)[:, None] * out + np.sin(w)[:, None] * Z
        feet = size * out + 0.3 * size * normal
        return Torus(O, Z, size, 0.3 * size), feet, normal, np.column_stack([np.cos(w), one])
    if shape == "ellipse":
        a, b = size, 0.6 * size
        normal = np.column_stack([c / a, s / b, zero])
        normal /= np.linalg.norm(normal, axis=1, keepdims=True)
        feet = np.column_stack([a * c, b * s, zero])
        return Ellipse(O, Z, X, a, b), feet, normal, np.column_stack([c * normal[:, 0], s * normal[:, 1]])
    side = np.where(v >= 0, 1.0, -1.0)
    if shape == "width":
        feet = np.column_stack([size * rng.uniform(-1, 1, n), size * rng.uniform(-1, 1, n), 0.25 * size * side])
        return ParallelPlanes(O, Z, 0.5 * size), feet, side[:, None] * Z, one[:, None] / 2
    straight, half = size, 0.4 * size
    x, end = straight * rng.uniform(-0.9, 0.9, n), rng.uniform(0, 1, n) < 0.4
    if shape == "slot":
        a = rng.uniform(-1.4, 1.4, n)
        normal = np.where(end[:, None], np.column_stack([side * np.cos(a), np.sin(a), zero]),
                          np.column_stack([zero, side, zero]))  # fmt: skip
        center = np.where(end, side * straight, x)
        feet = np.column_stack([center, zero, zero]) + half * normal
        speed = np.where(end, np.abs(normal[:, 0]), 0)
        feature = Slot(O, Z, X, 2 * (straight + half), 2 * half)
        return feature, feet, normal, np.column_stack([speed, one])
    y = half * rng.uniform(-0.9, 0.9, n)
    normal = np.where(end[:, None], np.column_stack([side, zero, zero]), np.column_stack([zero, side, zero]))
    feet = np.where(end[:, None], np.column_stack([side * straight, y, zero]), np.column_stack([x, half * side, zero]))
    speed = np.column_stack([np.where(end, 1.0, 0.0), np.where(end, 0.0, 1.0)])
    return SquareSlot(O, Z, X, 2 * straight, 2 * half), feet, normal, speed


FLAT = ("circle", "ellipse", "slot", "square_slot")


def least_squares_case(shape, seed, *, n=60, arc=2 * np.pi, size=20.0, noise=0.01, far=100.0):
    rng = np.random.default_rng(seed)
    feature, feet, normals, speeds = _foot(shape, rng, n, arc, size)
    middle = feet.mean(axis=0)
    turns = np.cross(feet - middle, normals)
    columns = np.column_stack([normals, turns, speeds])
    if shape in FLAT:
        columns = np.column_stack([normals[:, :2], turns[:, 2:], speeds])
    lengths = np.linalg.norm(columns, axis=0)
    u, s, vt = np.linalg.svd(columns[:, lengths > 0] / lengths[lengths > 0], full_matrices=False)
    real = s > 1e-10 * s[0]
    e = rng.normal(0, noise, n)
    for _ in range(3):
        e -= u[:, real] @ (u[:, real].T @ e)
    # What unit errors of the points do to the worst unknown.
    weakest = np.abs(vt[real].T / s[real] @ u[:, real].T).sum(axis=1) / lengths[lengths > 0]
    move = random_rigid(rng, far)
    points = apply(move, feet + e[:, None] * normals)
    scale = max(float(np.abs(points).max()), size)
    spread = float(np.abs(feet - middle).max())
    reach = 1.0
    if isinstance(feature, Cone):
        reach = 1 / np.tan(feature.half_angle_rad)
        spread = min(spread, size)
    slack = 2e-15 * scale * weakest.max() * max(spread, 1.0) * reach * 10
    length = max(1e-9, slack)
    angle = min(max(1e-9 / spread, 1e-12), 1e-9)
    return Case(points, feature.moved(move), length, max(angle, 1e-14 * scale * weakest.max() * 10)), rotate(move, Z)
