"""Outlines, looks and puts that tests of silhouettes share."""

import numpy as np

from truegauge.core.silhouette.lens import Lens
from truegauge.core.silhouette.looking import Band, Box, Place
from truegauge.demo.shaft import ShaftSizes

TRUE = Lens(np.array([1223.5, 1023.5]), np.array([[0.016, 1e-5], [0.0, -0.01602]]), 1e-9, 1.2)

N = ShaftSizes()
SEAT_END = N.journal_long + N.seat_long


def looks_of(s):
    """Where the edges of a shaft of some sizes should be, by name."""
    up, end = np.pi / 2, s.journal_long + s.seat_long
    pairs = {
        "journal": (1.8, s.journal, 0.8, 2.0), "groove": (s.groove_at + s.groove_wide / 2, s.groove, 0.8, 0.8),
        "seat": (s.journal_long + 3.0, s.seat, 0.8, 4.0), "collar": (end + s.collar_long / 2, s.collar, 0.8, 1.6),
        "taper": (end + s.collar_long + s.taper_long / 2, (s.taper + s.taper_small) / 2, 1.0, 4.5),
    }  # fmt: skip
    made = {}
    for name, (x, wide, reach, along) in pairs.items():
        made[f"{name} above"] = Box(x, wide / 2, up, reach, along, "to light")
        made[f"{name} below"] = Box(x, -wide / 2, -up, reach, along, "to light")
    r, c = s.fillet, s.corner
    return made | {
        "left end": Box(0.0, 0.0, np.pi, 0.6, 4.0, "to light"),
        "shoulder": Box(s.journal_long, 3.5, np.pi, 0.6, 0.6, "to light"),
        "fillet": Band(end - r, s.seat / 2 + r, r, -up + 0.25, -0.25, 0.5, "to dark"),
        "corner": Band(end + c, s.collar / 2 - c, c, up + 0.25, np.pi - 0.25, 0.4, "to light"),
    }


LOOKS = looks_of(N)


def put(rng, long, *, most=0.6):
    """A place of a part about the middle of the picture, turned anyhow within limits, also end for end."""
    turn = rng.uniform(-most, most) + np.pi * rng.integers(2)
    middle = Place(np.zeros(2), turn).picture_from_part(np.array([[long / 2, 0.0]]))[0]
    return Place(rng.uniform(-1.0, 1.0, 2) - middle, turn)


def disc(center, radius, count=2000):
    t = np.linspace(0.0, 2 * np.pi, count, endpoint=False)
    return np.asarray(center) + radius * np.column_stack([np.cos(t), np.sin(t)])
