"""Which stylus points at a surface."""

from collections.abc import Sequence

from truegauge.core.arrays import Vector
from truegauge.core.probing.probing import Probing, StylusUse

_POINTS_AT = -0.3  # cosine between a stylus and the direction out of a surface, at most


def pointing_at(probing: Probing, usable: Sequence[StylusUse], outwards: Vector, mounted: str) -> StylusUse | None:
    """Return the stylus of those usable that points best against a direction (3,); None without any.

    What hangs in the rack is taken where nothing on the machine (its assembly is `mounted`) points at the surface.
    """
    on = [u for u in usable if probing.assembly(u.assembly).name == mounted]
    racked = [u for u in usable if probing.port_of(u.assembly) is not None]

    def aims(use: StylusUse) -> float:
        return float(probing.assembly(use.assembly).stylus(use.stylus, use.pose).direction @ outwards)

    styli = on if on and min(map(aims, on)) < _POINTS_AT else [*on, *racked]
    return min(styli, key=aims) if styli else None
