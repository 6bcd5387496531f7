"""Pictures of shadows: how much of each pixel outlines cover, seen through a lens that blurs, with noise.

Coverage is exact for polygons: each side adds the area between it and the right border, with its sign, to the pixels
it goes through; summed up along rows that is what each pixel has of it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numba import njit

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.lens import Lens

SHAPE = (2048, 2448)  # rows, columns: five megapixels
_SIDE = 25.0  # px that a side is long at most: a lens that distorts bends it
_NOISE = 1 << 22  # numbers that noise is drawn from


@dataclass(frozen=True, slots=True)
class Light:
    """What light there is: grey values of light and shadow, the noise of a pixel, how much darker corners are."""

    bright: float = 215.0
    dark: float = 12.0
    noise: float = 1.5
    uneven: float = 0.08


class Camera:
    """Takes pictures with a lens; the same seed gives the same pictures."""

    def __init__(
        self, lens: Lens, light: Light | None = None, shape: tuple[int, int] = SHAPE, seed: int = 1408
    ) -> None:
        self.lens, self.light, self.shape = lens, light or Light(), shape
        self._rng = np.random.default_rng(seed)
        self._noise = self._rng.normal(size=_NOISE).astype(np.float32)
        rows, columns = np.indices(shape, sparse=True)
        far = ((rows - lens.center[1]) / shape[0]) ** 2 + ((columns - lens.center[0]) / shape[1]) ** 2
        self._falls = (1.0 - self.light.uneven * far).astype(np.float32)
        self.dirt: tuple[Floats, ...] = ()  # outlines, px, of what lies on the glass: in every picture

    def picture(self, outlines: Sequence[Floats], *, sharp: float = 1.0) -> NDArray[np.uint8]:
        """Return the picture (rows, columns) of closed outlines (n, 2) mm, against the clock; holes go the other way.

        It is `sharp` times as blurred as by the lens: more is out of focus.
        """
        cover = np.zeros((self.shape[0], self.shape[1] + 1), dtype=np.float32)
        for outline in (
            *(self.lens.pixels(self._fine(own)) for own in outlines),
            *(_upright(own) for own in self.dirt),
        ):
            add_cover(cover, np.ascontiguousarray(outline))
        held = np.ascontiguousarray(_covered(cover))
        cv2.GaussianBlur(held, (0, 0), self.lens.blur * sharp, held, borderType=cv2.BORDER_REPLICATE)
        made = np.empty(self.shape, dtype=np.uint8)
        first = int(self._rng.integers(_NOISE))
        light = self.light
        _exposed(held, self._falls, self._noise, first, light.bright, light.dark, light.noise, made)
        return made

    def _fine(self, outline: Floats) -> Floats:
        """Return an outline (n, 2) mm with points between those that are far from each other."""
        if self.lens.distortion == 0.0:
            return outline
        closed = np.vstack([outline, outline[:1]])
        long = np.linalg.norm(np.diff(closed, axis=0), axis=1)
        parts = np.maximum(1, np.ceil(long / (_SIDE * self.lens.pixel))).astype(np.int64)
        first = np.repeat(np.arange(len(outline)), parts)
        share = (np.arange(len(first)) - np.repeat(np.cumsum(parts) - parts, parts)) / parts[first]
        return np.asarray(closed[first] + share[:, None] * (closed[first + 1] - closed[first]))


def _upright(outline: Floats) -> Floats:
    """Return an outline (n, 2) px that goes as those do that are against the clock in mm."""
    x, y = outline.T
    area = float(np.sum(x * np.roll(y, -1) - np.roll(x, -1) * y))
    return outline if area < 0 else outline[::-1]


@njit(cache=True, nogil=True)
def add_cover(cover: NDArray[np.float32], outline: Floats) -> None:
    """Add the sides of a closed outline (n, 2) px to what is to be summed up (rows, columns + 1)."""
    rows, columns = cover.shape[0], cover.shape[1] - 1
    for i in range(len(outline)):
        j = i + 1 if i + 1 < len(outline) else 0
        # Pixels are squares about whole numbers.
        x0, y0 = outline[i, 0] + 0.5, outline[i, 1] + 0.5
        x1, y1 = outline[j, 0] + 0.5, outline[j, 1] + 0.5
        if y0 == y1:
            continue
        sign = 1.0
        if y0 > y1:
            x0, y0, x1, y1, sign = x1, y1, x0, y0, -1.0
        slope = (x1 - x0) / (y1 - y0)
        for row in range(max(0, math.floor(y0)), min(rows, math.ceil(y1))):
            top, bottom = max(y0, float(row)), min(y1, row + 1.0)
            if bottom <= top:
                continue
            a, b = x0 + (top - y0) * slope, x0 + (bottom - y0) * slope
            low, high = min(a, b), max(a, b)
            tall = sign * (bottom - top)
            c = math.floor(low)
            while True:
                # The part of the side in this column: as much of its height, and how far right of it the area begins.
                left, right = max(low, float(c)), min(high, c + 1.0)
                share = 1.0 if high == low else (right - left) / (high - low)
                own = tall * share
                middle = min(max(0.5 * (left + right) - c, 0.0), 1.0)
                if c < 0:
                    cover[row, 0] += own
                elif c < columns:
                    cover[row, c] += own * (1.0 - middle)
                    cover[row, c + 1] += own * middle
                c += 1
                if c >= high or high == low:
                    break


@njit(cache=True, nogil=True)
def _covered(cover: NDArray[np.float32]) -> NDArray[np.float32]:
    """Sum up along rows; two that overlap are one shadow."""
    rows, columns = cover.shape[0], cover.shape[1] - 1
    made = np.empty((rows, columns), dtype=np.float32)
    for r in range(rows):
        total = 0.0
        for c in range(columns):
            total += cover[r, c]
            made[r, c] = min(abs(total), 1.0)
    return made


@njit(cache=True, nogil=True)
def _exposed(
    held: NDArray[np.float32], falls: NDArray[np.float32], noise: NDArray[np.float32], first: int, bright: float,
    dark: float, spread: float, made: NDArray[np.uint8],
) -> None:  # fmt: skip
    """Turn what is covered into grey values."""
    rows, columns = held.shape
    at, count = first, len(noise)
    for r in range(rows):
        for c in range(columns):
            value = (dark + (bright - dark) * (1.0 - held[r, c])) * falls[r, c] + spread * noise[at]
            made[r, c] = np.uint8(min(max(value + 0.5, 0.0), 255.0))
            at += 1
            if at == count:
                at = 0
