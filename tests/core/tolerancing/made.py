"""Measured features made of exact points, for worked cases."""

import numpy as np

from truegauge.core.association.features import Cylinder, Plane, Sphere
from truegauge.core.cad.recognition import Nominal
from truegauge.core.datums.common import DatumAssociation
from truegauge.core.datums.given import DatumPart, SystemDatum
from truegauge.core.datums.system import establish, no_system
from truegauge.core.features.extraction import ExtractionSettings, measure
from truegauge.core.tolerancing.request import Request, Unit, width_nominal
from truegauge.core.tolerancing.zone import PLAIN

SINGLE = ExtractionSettings(averaging=0.0, reject=0.0)
CENTER, LENGTH = np.zeros(3), 100.0
X, Y, Z = np.eye(3)


def plane_grid(x, y, count=7):
    """Points (n, 2) over a rectangle."""
    u, v = np.meshgrid(np.linspace(*x, count), np.linspace(*y, count))
    return np.column_stack([u.ravel(), v.ravel()])


def ring_points(radius, heights, around=24, center=lambda z: (0.0, 0.0)):
    """Points of circles (about `center` of each height) along z; a radius may be a function of angle and height."""
    out = []
    for z in heights:
        for a in np.arange(around) * 2 * np.pi / around:
            r = radius(a, z) if callable(radius) else radius
            cx, cy = center(z)
            out.append((cx + r * np.cos(a), cy + r * np.sin(a), z))
    return np.array(out)


def of(nominal, points):
    """A measured feature with exactly these points."""
    points = np.ascontiguousarray(points, dtype=float)
    return measure(nominal, points, np.arange(len(points)), SINGLE)


def plane(point, normal, points, length=40.0):
    point, normal = np.asarray(point, float), np.asarray(normal, float)
    return of(Nominal(Plane(point, normal), 1, length, point), points)


def hole(x, y, radius, points, length=20.0, *, outward=-1, direction=Z):
    center = np.array([x, y, 0.0])
    return of(Nominal(Cylinder(center, np.asarray(direction, float), radius), outward, length, center), points)


def hole_at(x, y, radius, *, true=None, size=None, tilt=0.0, length=20.0, outward=-1, around=24):
    """A perfect hole at (x, y) with true place `true`; `tilt` moves its axis in x by tilt * z."""
    heights = np.linspace(-length / 2, length / 2, 9)
    points = ring_points(size or radius, heights, around, lambda z: (x + tilt * z, y))
    return hole(*(true or (x, y)), radius, points, length, outward=outward)


def ball(center, radius, at, outward=1):
    directions = np.vstack([np.eye(3), -np.eye(3), np.array([[1, 1, 1], [-1, 1, 1], [1, -1, 1], [1, 1, -1]]) / 3**0.5])
    center = np.asarray(center, float)
    return of(Nominal(Sphere(center, radius), outward, 2 * radius, center), np.asarray(at) + radius * directions)


def flat(z=0.0, normal=Z, x=(-20, 20), y=(-20, 20), height=lambda x, y: 0.0, count=7):
    """A plane square to z, nominally at `z`; `height` is its deviation."""
    g = plane_grid(x, y, count)
    dz = np.array([height(*p) for p in g])
    return plane((0, 0, z), normal, np.column_stack([g, z + dz]))


def upright(x=0.0, normal=-X, lean=0.0, y=(-20, 20), z=(0, 20), off=0.0, turn=0.0):
    """A plane nominally at `x`; it leans by `lean` (rad) over z and is turned by `turn` about z."""
    g = plane_grid(y, z)
    return plane((x, 0, 10), normal, np.column_stack([x + off + lean * g[:, 1] + turn * g[:, 0], g]))


def part(measured, name="d"):
    n = measured.nominal
    middle = measured.middle if isinstance(n.feature, Plane) else n.center
    return DatumPart(name, n.feature, n.outward, middle, measured.feature, measured.means)


def width_part(a, b):
    n = width_nominal(a.nominal, b.nominal)
    return DatumPart("width", n.feature, n.outward, n.center, n.feature, np.vstack([a.means, b.means]))


def use(letter, *measured, **more):
    return SystemDatum(letter, tuple(part(m, letter) for m in measured), **more)


def system(*uses, method="outside"):
    if not uses:
        return no_system(CENTER, LENGTH)
    return establish(uses, DatumAssociation(method), center=CENTER, length=LENGTH)


def request(kind, features, datums=None, *, zone=PLAIN, modifiers=(), tolerance=None, standard="ISO", sizes=None):
    """A tolerance on features; a tuple of two is one width."""
    units = tuple(
        Unit(f"f{k}", f if isinstance(f, tuple) else (f,), sizes=sizes[k] if sizes else (None, None))
        for k, f in enumerate(features)
    )
    return Request(kind, units, datums or system(), zone, modifiers, tolerance, standard)
