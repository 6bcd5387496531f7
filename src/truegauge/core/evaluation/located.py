"""Where an aligned part lies on the machine that touched it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from truegauge.core.frames import apply, invert, rotate
from truegauge.core.nodes.keys import temperatures
from truegauge.core.registration.alignment import Alignment

if TYPE_CHECKING:
    from collections.abc import Mapping

    from truegauge.core.arrays import Normals, Points, Rigid
    from truegauge.core.nodes.graph import NotComputed
    from truegauge.core.plan.document import Plan
    from truegauge.core.samples.sample import Sample


def known_alignment(
    plan: Plan, alignments: Mapping[str, Alignment | NotComputed], alignment: str = ""
) -> Alignment | None:  # fmt: skip
    """Return an alignment (the one in force, without), else the nearest that is computed of those it starts from."""
    known = (alignments.get(own.id) for own in plan.chain(alignment))
    return next((a for a in known if isinstance(a, Alignment)), None)


@dataclass(frozen=True, slots=True, eq=False)
class Lie:
    """Where places of a device are on the part, by an alignment: first as large as at the reference temperature."""

    part_from_device: Rigid
    growth: float = 1.0

    @staticmethod
    def by(plan: Plan, sample: Sample, found: Alignment) -> Lie:
        """Return what an alignment of a sample says."""
        return Lie(found.part_from_scan, temperatures(plan, sample).growth * found.growth)

    @staticmethod
    def best_known(
        plan: Plan, sample: Sample, alignments: Mapping[str, Alignment | NotComputed], alignment: str = ""
    ) -> Lie | None:  # fmt: skip
        """Return what an alignment says (the one in force, without), else the nearest of those that it starts from."""
        found = known_alignment(plan, alignments, alignment)
        return None if found is None else Lie.by(plan, sample, found)

    def places(self, places: Points) -> Points:
        """Return places (n, 3) of the device on the part, mm."""
        return apply(self.part_from_device, self.growth * places)

    def directions(self, directions: Normals) -> Normals:
        """Return directions (n, 3) of the device on the part."""
        return rotate(self.part_from_device, directions)


def machine_from_part(plan: Plan, sample: Sample, found: Alignment) -> Rigid:
    """Return where a part lies by an alignment of its touches, (4, 4), mm as the machine has them.

    An alignment moves touches that were multiplied for their size at the reference temperature, about the origin of the
    machine: over a metre some hundredths of a millimetre, which must not pass for a place.
    """
    lie = Lie.by(plan, sample, found)
    pose = invert(lie.part_from_device)
    pose[:3, 3] /= lie.growth
    return pose
