"""Where an aligned part lies on the machine that touched it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from truegauge.core.frames import invert
from truegauge.core.nodes.keys import temperatures

if TYPE_CHECKING:
    from truegauge.core.arrays import Rigid
    from truegauge.core.plan.document import Plan
    from truegauge.core.registration.alignment import Alignment
    from truegauge.core.samples.sample import Sample


def machine_from_part(plan: Plan, sample: Sample, found: Alignment) -> Rigid:
    """Return where a part lies by an alignment of its touches, (4, 4), mm as the machine has them.

    An alignment moves touches that were multiplied for their size at the reference temperature, about the origin of the
    machine: over a metre some hundredths of a millimetre, which must not pass for a place.
    """
    pose = invert(found.part_from_scan)
    pose[:3, 3] /= temperatures(plan, sample).growth * found.growth
    return pose
