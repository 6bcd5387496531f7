"""Plans for silhouettes as parts that can be recognised."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.silhouette.looking import Looks
from truegauge.core.silhouette.names import SIZES
from truegauge.core.silhouette.recognising import KnownPart
from truegauge.core.silhouette.tracking import Tracker

if TYPE_CHECKING:
    from truegauge.core.plan.silhouette import Silhouette
    from truegauge.core.silhouette.lens import Lens


def known_part(name: str, own: Silhouette, lens: Lens) -> KnownPart | None:
    """Return a part by the silhouette of its plan; None: it was not taught what the part looks like."""
    datums = own.tracked()
    if datums is None or own.taught is None:
        return None
    sides = {k for s in own.sizes if SIZES[s.what].of[0] == "side" for k in s.of}
    looks = [e.looked(dense=False) for e in own.edges if e.id not in sides]
    return KnownPart(name, Tracker(datums, lens), Looks(looks, lens.pixel), own.taught.stencil)
