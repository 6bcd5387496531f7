"""What is wrong with the demo housing number 0027, and what a scanner does not see of it."""

import numpy as np

from truegauge.core.arrays import Ints, Mask, Points
from truegauge.core.cad.model import CadModel, SurfaceKind
from truegauge.demo.faces import cylinder_along, cylinder_at, face_of_kind, plane_at
from truegauge.demo.housing_sizes import BOLT_CIRCLE_RADIUS, MAIN_BORE, bolt_holes
from truegauge.demo.scan_maker import InjectedError, Shift

CROSS_BORE_TILT = 0.0012  # rad
BOLT_SHIFT = 0.18
_SOCKET = (107.0, 63.0, 55.5)


def housing_errors(model: CadModel) -> tuple[InjectedError, ...]:
    """Return what is wrong with housing number 0027, and the value an exact measurement finds."""
    main = cylinder_at(model, 21.0, *MAIN_BORE)
    cross = cylinder_along(model, 12.0, 1)
    x4, y4 = bolt_holes()[3]
    hole4 = cylinder_at(model, 2.75, x4, y4)
    base = plane_at(model, (0, 0, -1), 0)
    side = plane_at(model, (0, -1, 0), 0)
    top = plane_at(model, (0, 0, 1), 60)
    boss = cylinder_along(model, 15.0, 0)
    shroud = face_of_kind(model, SurfaceKind.BSPLINE)
    socket = face_of_kind(model, SurfaceKind.SPHERE)
    slot = (plane_at(model, (1, 0, 0), 124), plane_at(model, (-1, 0, 0), -136))
    radial4 = np.array([x4 - MAIN_BORE[0], y4 - MAIN_BORE[1], 0]) / BOLT_CIRCLE_RADIUS

    def along_normal(amount: float) -> Shift:
        return lambda p, n: amount * n

    def dished(p: Points, n: Points) -> Points:
        r2 = ((p[:, 0] - 70) / 70) ** 2 * 0.5 + ((p[:, 1] - 45) / 45) ** 2 * 0.5
        return n * (0.030 * (r2 - 0.5))[:, None]

    def tilted(p: Points, n: Points) -> Points:
        return np.outer(CROSS_BORE_TILT * (p[:, 1] - 17.0), (1.0, 0.0, 0.0))

    def leaning(p: Points, n: Points) -> Points:
        return n * (0.0015 * (p[:, 2] - 7.0))[:, None]

    def bump(p: Points, n: Points) -> Points:
        r2 = (p[:, 0] - 88.0) ** 2 + (p[:, 2] - 30.0) ** 2
        return n * (0.15 * np.exp(-r2 / (2 * 6.0**2)))[:, None]

    e = InjectedError
    return (
        e("main bore large", (main,), along_normal(-0.006), {"diameter": 42.012, "nominal": 42.0}),
        e("cross bore tilted", (cross,), tilted, {"angle_rad": CROSS_BORE_TILT, "toward": "x", "diameter": 24.0}),
        e("bolt hole 4 displaced", (hole4,), lambda p, n: np.tile(BOLT_SHIFT * radial4, (len(p), 1)),
          {"shift": BOLT_SHIFT, "axis_distance_to_main_bore": BOLT_CIRCLE_RADIUS + BOLT_SHIFT}),
        e("base dished", (base,), dished, {"flatness": 0.030}),
        e("side B leaning", (side,), leaning, {"angle_rad": 0.0015, "perpendicularity": 0.021}),
        e("top face high", (top,), along_normal(0.025), {"height": 60.025, "nominal": 60.0}),
        e("boss small", (boss,), along_normal(-0.011), {"diameter": 29.978, "nominal": 30.0}),
        e("shroud bump", (shroud,), bump, {"height": 0.15, "x": 88.0, "z": 30.0, "sigma": 6.0}),
        e("socket large", (socket,), along_normal(-0.008), {"radius": 12.008, "nominal": 12.0}),
        e("slot wide", slot, along_normal(-0.015), {"width": 12.030, "nominal": 12.0}),
    )  # fmt: skip


def hidden_from_scanner(points: Points, faces: Ints) -> Mask:
    """What the scanner cannot see: deep in holes, on the three supports under the base, behind the boss."""
    x, y, z = points.T
    hidden = np.zeros(len(points), dtype=bool)
    for cx, cy in bolt_holes():
        hidden |= (np.hypot(x - cx, y - cy) < 3.0) & (z < 53)
    hidden |= (np.hypot(x - 107, y - 24) < 2.6) & (z < 35)
    for cx, cy in ((30.0, 16.0), (30.0, 74.0), (112.0, 45.0)):
        hidden |= (np.hypot(x - cx, y - cy) < 7.0) & (z < 0.5)
    hidden |= (np.hypot(y - 45, z - 14) < 9) & (x > 117.9) & (x < 122) & (z < 20)
    hidden |= (x < 35) & (y > 80) & (z > 13) & (z < 24)
    return hidden
