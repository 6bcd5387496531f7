"""Distances, steps, depths and angles between features."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.characteristics.kind import BOTH, Kind, angle_limits, plus_minus
from truegauge.core.characteristics.of_features import OfFeatures
from truegauge.core.constructions.relations import Between
from truegauge.core.features.held_by_points import PLACE
from truegauge.core.tolerancing import distance
from truegauge.core.tolerancing.distance import Angle, Directed, Distance
from truegauge.core.tolerancing.size_rule import SizeRule

if TYPE_CHECKING:
    from truegauge.core.plan.document import Plan
    from truegauge.core.plan.requirements import Characteristic

_X, _Y, _Z = np.eye(3)
_DISTANCES = {
    "distance_x": ("distance along X", Distance(along=_X)),
    "distance_y": ("distance along Y", Distance(along=_Y)),
    "distance_z": ("distance along Z", Distance(along=_Z)),
    "distance_xy": ("distance in XY", Distance(in_plane=_Z)),
    "distance_yz": ("distance in YZ", Distance(in_plane=_X)),
    "distance_zx": ("distance in ZX", Distance(in_plane=_Y)),
    "distance_nearest": ("distance, nearest", Distance(between=Between.NEAREST)),
    "distance_farthest": ("distance, farthest", Distance(between=Between.FARTHEST)),
}
_DIRECTED = {
    "distance_along": ("distance along the last", Directed("along")),
    "distance_in_plane": ("distance in the last plane", Directed("in")),
    "angle_in_plane": ("angle seen along the last", Directed("angle")),
}
_ANGLES = {
    "angle": ("angle", Angle()),
    "angle_complement": ("angle, complement", Angle(complement=True)),
    "angle_xy": ("angle in XY", Angle(in_plane=_Z)),
    "angle_yz": ("angle in YZ", Angle(in_plane=_X)),
    "angle_zx": ("angle in ZX", Angle(in_plane=_Y)),
}


@dataclass(frozen=True, kw_only=True)
class PlainDistance(OfFeatures):
    """The distance of two features; of two opposite planes with the envelope requirement it is their width."""

    limits_size: bool = True
    takes_envelope: bool = True
    takes_unused: bool = True

    def rule(self, plan: Plan, c: Characteristic) -> SizeRule | None:
        """Return the envelope, where it is stated."""
        return SizeRule("E") if "E" in c.modifiers else None

    def mean_beside(self, plan: Plan, c: Characteristic) -> Characteristic | None:
        """Return the least-squares width beside the enveloped one."""
        return c.replace(kind="width", modifiers=("GG",)) if self.rule(plan, c) is not None else None


def kinds() -> tuple[Kind, ...]:
    """Return the distances, then the angles."""
    plain = Distance()
    found: list[Kind] = [
        PlainDistance(name="distance", label="distance", symbol="distance", rank=1, fits=plain.fits,
                      nominal=plain.nominal, value=plain.value, limits=plus_minus(plain.nominal)),
    ]  # fmt: skip
    found += [
        OfFeatures(name=name, label=label, symbol="distance", rank=41 + rank, fits=d.fits, nominal=d.nominal,
                   value=d.value, limits=plus_minus(d.nominal), common=False, placed=name[-1] in "xyz")
        for rank, (name, (label, d)) in enumerate(_DISTANCES.items(), 1)
    ]  # fmt: skip
    found += [
        OfFeatures(name="step", label="step", symbol="distance", rank=2, fits=distance.is_step, nominal=plain.nominal,
                   value=plain.value, limits=plus_minus(plain.nominal), common=False),
        OfFeatures(name="depth", label="depth", symbol="distance", rank=1, fits=distance.is_depth,
                   nominal=distance.nominal_depth, value=distance.depth, limits=plus_minus(distance.nominal_depth),
                   common=False),
    ]  # fmt: skip
    for rank, (name, (label, directed)) in enumerate(_DIRECTED.items()):
        turned = name.startswith("angle")
        found.append(OfFeatures(
            name=name, label=label, symbol="angle" if turned else "distance", rank=1 + rank, fits=directed.fits,
            nominal=directed.nominal, value=directed.value, angular=turned,
            limits=angle_limits if turned else plus_minus(directed.nominal), needs=BOTH if turned else (PLACE,),
        ))  # fmt: skip
    found += [
        OfFeatures(name=name, label=label, symbol="angle", rank=4 + 60 * (rank > 0) + rank, fits=a.fits,
                   nominal=a.nominal, value=a.value, limits=angle_limits, common=rank == 0, angular=True, needs=BOTH,
                   placed=name[-1] in "xyz")
        for rank, (name, (label, a)) in enumerate(_ANGLES.items())
    ]  # fmt: skip
    return tuple(found)
