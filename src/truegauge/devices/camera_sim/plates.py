"""Outlines of what a camera is calibrated by: a plate with dots, pins."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats

_AROUND, _FINE = 200, 400


def plate_outlines(pitch: float, diameter: float, *, turn: float, reach: float) -> list[Floats]:
    """Return the dots (n, 2) mm of a plate that lies turned, within a reach of the middle along x and y."""
    t = np.linspace(0.0, 2 * np.pi, _AROUND, endpoint=False)
    dot = 0.5 * diameter * np.column_stack([np.cos(t), np.sin(t)])
    many = int(np.ceil(1.5 * reach / pitch))
    c, s = np.cos(turn), np.sin(turn)
    middles = [np.array([c * i - s * j, s * i + c * j]) * pitch + 0.3 * pitch
               for i in range(-many, many + 1) for j in range(-many, many + 1)]  # fmt: skip
    return [dot + middle for middle in middles if np.abs(middle).max() < reach]


def pin_outline(diameter: float, turn: float, middle: Floats, long: float) -> Floats:
    """Return the outline (n, 2) mm of a pin that lies turned, so long to either side of its middle."""
    x = np.linspace(-long, long, _FINE)
    c, s = np.cos(turn), np.sin(turn)
    below, above = np.column_stack([x, 0 * x - diameter / 2]), np.column_stack([x[::-1], 0 * x + diameter / 2])
    return np.asarray(np.vstack([below, above]) @ np.array([[c, s], [-s, c]]) + middle)
