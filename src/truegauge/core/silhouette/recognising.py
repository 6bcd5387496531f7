"""Which of some known parts lies in a picture: by its shadow from afar, then by where its edges are."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import EvaluationError
from truegauge.core.silhouette.fitting import RoundEdge
from truegauge.core.silhouette.looking import Box
from truegauge.core.silhouette.signature import signature_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.silhouette.edges import Picture
    from truegauge.core.silhouette.lens import Lens
    from truegauge.core.silhouette.looking import Band, Looks, Seen
    from truegauge.core.silhouette.stencil import Stencil
    from truegauge.core.silhouette.tracking import Tracker

_LIKE, _AREA = 0.8, 0.08  # mm rms, and of the area, that a shadow is off one that is looked at closer
_FITS, _SHADOW = 0.06, 0.2  # mm rms that edges are off where they should be, of a part that is it; mm2 of its shadow
_OF_SHADOW = 0.1  # mm of edges, that as many mm2 of shadow are as bad as
_APART = 0.02  # mm, that the next part fits worse by, to be sure


@dataclass(frozen=True, slots=True, eq=False)
class KnownPart:
    """A part: how it is found to lie, the boxes and bands in whose middles its edges should be, its shadow."""

    name: str
    tracker: Tracker
    looks: Looks
    stencil: Stencil


@dataclass(frozen=True, slots=True)
class Likeness:
    """How far, mm rms, the edges of what lies there are off those of a part, and its shadow, mm2."""

    name: str
    edges: float
    shadow: float

    @property
    def worth(self) -> float:
        """What parts are put in order by."""
        return self.edges + _OF_SHADOW * self.shadow


@dataclass(frozen=True, slots=True)
class Recognition:
    """Parts that it is like, by how far it is off: the first is it where that is `sure`."""

    ranked: tuple[Likeness, ...]
    sure: bool

    @property
    def name(self) -> str:
        """The part that it is most like; empty: it is like none."""
        return self.ranked[0].name if self.ranked else ""


def recognised(picture: Picture, lens: Lens, parts: Sequence[KnownPart]) -> Recognition:
    """Tell which of some parts lies in a picture, and whether that is sure.

    Raises
    ------
    EvaluationError
        There is not one whole part in the picture: said in words.
    """
    seen, ranked = signature_of(picture, lens), []
    for part in parts:
        taught = part.tracker.taught
        if abs(seen.area / taught.area - 1.0) > _AREA or taught.off(seen) > _LIKE:
            continue
        try:
            place = part.tracker.place(picture, seen)
        except EvaluationError:
            continue
        edges = how_far_off(part.looks.seen(picture, lens, place), part.looks)
        ranked.append(Likeness(part.name, edges, part.stencil.off(picture, lens, place)))
    ranked.sort(key=lambda own: own.worth)
    fits = bool(ranked) and ranked[0].edges < _FITS and ranked[0].shadow < _SHADOW
    alone = len(ranked) < 2 or ranked[1].worth > ranked[0].worth + _APART
    return Recognition(tuple(ranked), fits and alone)


def how_far_off(found: Sequence[Seen | str], looks: Looks) -> float:
    """Return how far, mm rms, edges are off the middles of their boxes and bands; missing ones by all of them."""
    off = []
    for one, look in zip(found, looks.looks, strict=True):
        if isinstance(one, str):
            off.append(look.reach / 2)
        elif isinstance(look, Box):
            way = np.array([np.cos(look.turn), np.sin(look.turn)])
            off.append(abs(float((np.nanmean(one.points[one.edge.used], axis=0) - [look.x, look.y]) @ way)))
        else:
            off.append(_off_band(one, look))
    return float(np.sqrt(np.mean(np.square(off)))) if off else 0.0


def _off_band(one: Seen, band: Band) -> float:
    edge = one.edge
    if not isinstance(edge, RoundEdge):
        return band.reach / 2
    far = np.linalg.norm(one.points[edge.used] - [band.x, band.y], axis=1) - band.radius
    return float(np.sqrt(np.mean(np.square(far))))
