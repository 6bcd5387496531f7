"""Gaussian filters of profiles and surfaces on even grids, closed or open, with gaps; also robust.

ISO 16610-21 (open and closed profiles), ISO 16610-28 (ends: the weights are normalised by those that fall on points),
ISO 16610-31 and -71 (robust: repeated with biweights; the regression here is of order zero), ISO 16610-61 (areal, as
the product of two). The filter passes half of an undulation at the cut-off.
"""

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Grid = NDArray[np.float64]
_ROUNDS = 30


@dataclass(frozen=True, slots=True)
class Axis:
    """One direction of a grid: how many steps it has, how many of them are one cut-off wavelength, whether it closes.

    A cut-off of infinity leaves the direction as it is, step by step.
    """

    steps: int
    cutoff_steps: float
    closed: bool


def gaussian(values: Grid, axes: tuple[Axis, ...], weights: Grid | None = None) -> Grid:
    """Return the low-pass filtered grid; NaN values are gaps, which get what the points around them say.

    Parameters
    ----------
    values : (n,) or (n, m) float64
        Heights, mm; NaN where there is none.
    axes : tuple of Axis
        One for each dimension.
    weights : as values
        Weights of the points, for the robust filter.
    """
    there = np.isfinite(values)
    weight = there.astype(np.float64) if weights is None else np.where(there, weights, 0.0)
    top = _smoothed(np.where(there, values, 0.0) * weight, axes)
    bottom = _smoothed(weight, axes)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(bottom > 1e-6, top / bottom, np.nan)


def robust_gaussian(values: Grid, axes: tuple[Axis, ...]) -> Grid:
    """Return the grid filtered so that single scratches and dust do not bend the result."""
    filtered = gaussian(values, axes)
    weights = np.isfinite(values).astype(np.float64)
    for _ in range(_ROUNDS):
        rest = values - filtered
        limit = 4.4478 * float(np.nanmedian(np.abs(rest)))
        if not limit > 0:
            break
        share = np.nan_to_num(rest / limit, nan=2.0)
        now = np.where(np.abs(share) < 1, (1 - share**2) ** 2, 0.0)
        change = float(np.abs(now - weights).max())
        weights, filtered = now, gaussian(values, axes, now)
        if change < 1e-4:
            break
    return filtered


def _smoothed(grid: Grid, axes: tuple[Axis, ...]) -> Grid:
    """Multiply the spectrum by the filter's, one direction after the other."""
    for k, axis in enumerate(axes):
        if not np.isfinite(axis.cutoff_steps) or axis.steps == 1:
            continue
        n = axis.steps
        # Beyond an open end there is nothing: room for the weights to fade out.
        room = 0 if axis.closed else int(np.ceil(1.5 * axis.cutoff_steps)) + 1
        total = n + room
        frequency = np.fft.rfftfreq(total)  # undulations a step
        passed = np.exp(-np.log(2.0) * (frequency * axis.cutoff_steps) ** 2)
        shape: list[Any] = [1] * grid.ndim
        shape[k] = len(passed)
        spectrum = np.fft.rfft(grid, n=total, axis=k) * passed.reshape(shape)
        whole = np.fft.irfft(spectrum, n=total, axis=k)
        grid = np.take(whole, np.arange(n), axis=k)
    return grid
