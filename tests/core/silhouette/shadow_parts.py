"""Outlines, looks and puts that tests of silhouettes share."""

import numpy as np

from truegauge.core.silhouette.lens import Lens
from truegauge.core.silhouette.looking import Band, Box, Place
from truegauge.demo.shaft import ShaftSizes

TRUE = Lens(np.array([1223.5, 1023.5]), np.array([[0.016, 1e-5], [0.0, -0.01602]]), 1e-9, 1.2)

N = ShaftSizes()
SEAT_END = N.journal_long + N.seat_long
LOOKS = {
    "journal above": Box(1.8, 3.0, np.pi / 2, 0.8, 2.0, "to light"),
    "journal below": Box(1.8, -3.0, -np.pi / 2, 0.8, 2.0, "to light"),
    "groove above": Box(3.8, 2.3, np.pi / 2, 0.8, 0.8, "to light"),
    "groove below": Box(3.8, -2.3, -np.pi / 2, 0.8, 0.8, "to light"),
    "seat above": Box(9.5, 4.0, np.pi / 2, 0.8, 4.0, "to light"),
    "seat below": Box(9.5, -4.0, -np.pi / 2, 0.8, 4.0, "to light"),
    "collar above": Box(SEAT_END + 1.5, 7.0, np.pi / 2, 0.8, 1.6, "to light"),
    "collar below": Box(SEAT_END + 1.5, -7.0, -np.pi / 2, 0.8, 1.6, "to light"),
    "left end": Box(0.0, 0.0, np.pi, 0.6, 4.0, "to light"),
    "shoulder": Box(N.journal_long, 3.5, np.pi, 0.6, 0.6, "to light"),
    "taper above": Box(SEAT_END + 6.0, 4.7, np.pi / 2, 1.0, 4.5, "to light"),
    "taper below": Box(SEAT_END + 6.0, -4.7, -np.pi / 2, 1.0, 4.5, "to light"),
    "fillet": Band(SEAT_END - 0.8, 4.8, 0.8, -np.pi / 2 + 0.25, -0.25, 0.5, "to dark"),
    "corner": Band(SEAT_END + 0.4, 6.6, 0.4, np.pi / 2 + 0.25, np.pi - 0.25, 0.4, "to light"),
}


def put(rng, long, *, most=0.6):
    """A place of a part about the middle of the picture, turned anyhow within limits, also end for end."""
    turn = rng.uniform(-most, most) + np.pi * rng.integers(2)
    middle = Place(np.zeros(2), turn).picture_from_part(np.array([[long / 2, 0.0]]))[0]
    return Place(rng.uniform(-1.0, 1.0, 2) - middle, turn)


def disc(center, radius, count=2000):
    t = np.linspace(0.0, 2 * np.pi, count, endpoint=False)
    return np.asarray(center) + radius * np.column_stack([np.cos(t), np.sin(t)])
