"""What a shadow looks like from afar, as far as it does not matter how it lies: how far it reaches all around."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.shadows import COARSE, LIT, Shadow, levels_of, shadows_in

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.silhouette.edges import Picture
    from truegauge.core.silhouette.lens import Lens

BINS = 360  # directions
_SMOOTH = 4.0  # directions
_SECOND = 0.05  # of the largest shadow, from which another one is a part, too
_PEAKS, _LIKELY = 4, 0.5  # ways of lying that are tried, and as likely as the best


@dataclass(frozen=True, slots=True, eq=False)
class Signature:
    """How far (BINS,) a shadow reaches from its `middle` (2,), mm, to the left of x all around; its `area`, mm2."""

    middle: Floats
    reach: Floats
    area: float

    def turns_to(self, other: Signature) -> list[float]:
        """Return by how much, rad, this shadow may be turned to lie as another does: the likeliest first."""
        agreement = self._agreement(other)
        peaks = np.flatnonzero((agreement >= np.roll(agreement, 1)) & (agreement > np.roll(agreement, -1)))
        # What is above chance, against the best: a long part lies along, one way or the other, not across.
        above = agreement - BINS * self.reach.mean() * other.reach.mean()
        peaks = peaks[above[peaks] >= _LIKELY * above.max()]
        peaks = peaks[np.argsort(-agreement[peaks])][:_PEAKS]
        return [2 * np.pi * float(k) / BINS for k in peaks]

    def off(self, other: Signature) -> float:
        """Return how far, mm rms, two shadows are from each other at best, laid on each other."""
        from scipy.ndimage import gaussian_filter1d

        shift = int(np.argmax(self._agreement(other)))
        # Where an outline goes towards the middle a turn by half a direction makes much: it is smoothed away.
        apart = gaussian_filter1d(np.roll(self.reach, shift) - other.reach, _SMOOTH, mode="wrap")
        return float(np.sqrt(np.mean(np.square(apart))))

    def _agreement(self, other: Signature) -> Floats:
        # The least squares of the difference is where the product is greatest.
        return np.asarray(np.fft.irfft(np.fft.rfft(other.reach) * np.conj(np.fft.rfft(self.reach)), BINS))


def the_part_in(picture: Picture) -> Shadow:
    """Return the shadow of the one part that lies in a picture; dust beside it is none.

    Raises
    ------
    EvaluationError
        There is no part, there are some, or it reaches the border: said in words.
    """
    shadows = shadows_in(picture)
    if not shadows:
        lit = levels_of(picture)[1] >= LIT
        raise EvaluationError("there is no part in the picture" if lit else "the picture is too dark")
    if shadows[0].at_border:
        raise EvaluationError("the part reaches the border of the picture")
    others = [own for own in shadows[1:] if own.area > _SECOND * shadows[0].area]
    if others:
        raise EvaluationError(f"there are {1 + len(others)} parts in the picture")
    return shadows[0]


def signature_of(picture: Picture, lens: Lens) -> Signature:
    """Return the signature of the one part that lies in a picture.

    Raises
    ------
    EvaluationError
        There is no part, there are some, or it reaches the border: said in words.
    """
    part = the_part_in(picture)
    few = part.cells
    inner = few.copy()
    inner[1:-1, 1:-1] &= few[:-2, 1:-1] & few[2:, 1:-1] & few[1:-1, :-2] & few[1:-1, 2:]
    rows, columns = np.nonzero(few & ~inner)  # the farthest ones are on the outline
    at = lens.mm(COARSE * np.column_stack([columns, rows]).astype(np.float64))
    middle = lens.mm(part.middle[None])[0]
    off = at - middle
    k = np.floor((np.arctan2(off[:, 1], off[:, 0]) / (2 * np.pi) % 1.0) * BINS).astype(np.int64) % BINS
    reach = np.zeros(BINS)
    np.maximum.at(reach, k, np.hypot(off[:, 0], off[:, 1]))
    empty = reach == 0.0
    if empty.any() and not empty.all():
        there = np.flatnonzero(~empty)
        reach = np.interp(np.arange(BINS), there, reach[there], period=BINS)
    return Signature(middle, reach, part.area * lens.pixel**2)
