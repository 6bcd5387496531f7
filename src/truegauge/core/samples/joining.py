"""Joining scans of a part that was moved or turned over between them into one sample."""

import numpy as np

from truegauge.core.cad.model import CadModel
from truegauge.core.cad.projection import Projector
from truegauge.core.clouds.prepared import prepare
from truegauge.core.errors import RegistrationError
from truegauge.core.frames import invert, orthonormalised
from truegauge.core.progress import Progress, part_of, silent
from truegauge.core.registration.align import align
from truegauge.core.registration.relocation import find_spheres, relocate
from truegauge.core.samples.sample import Sample


def joined_by_spheres(
    before: Sample, after: Sample, diameter: float, *, progress: Progress = silent
) -> tuple[Sample, tuple[str, ...]]:
    """Return one sample of both, by at least three spheres of a diameter (mm) seen in both; and what to know about it.

    Raises
    ------
    RegistrationError
        Fewer than three spheres in common.
    """
    first = find_spheres(before.points, diameter, progress=part_of(progress, 0, 0.45))
    second = find_spheres(after.points, diameter, progress=part_of(progress, 0.45, 0.9))
    one, two = (np.array([s.center for s in found]).reshape(-1, 3) for found in (first, second))
    found = relocate(one, two, tolerance=max(0.05, 0.01 * diameter))
    text = f"{len(found.adjustment.targets)} spheres, rms {found.adjustment.rms:.4f} mm"
    notes = list(found.adjustment.notes)
    if found.others:
        notes.append(f"{found.others} other ways fit as well: the spheres stand symmetrically")
    return before.joined(after.placed(found.before_from_after, text)), tuple(notes)


def joined_by_part(
    before: Sample, after: Sample, model: CadModel, projector: Projector, *, progress: Progress = silent
) -> tuple[Sample, tuple[str, ...]]:
    """Return one sample of both, each fitted to the part by itself; and what to know about it.

    Raises
    ------
    RegistrationError
        One of them does not lie on the part.
    """
    one = align(prepare(before.points), model, projector, progress=part_of(progress, 0, 0.5))
    two = align(prepare(after.points), model, projector, progress=part_of(progress, 0.5, 1))
    doubts = (*one.doubts, *two.doubts)
    if doubts:
        raise RegistrationError(f"the scans cannot be joined by the part: {doubts[0]}")
    motion = orthonormalised(invert(one.part_from_scan) @ two.part_from_scan)
    notes = one.notes if len(one.candidates) > 1 else two.notes if len(two.candidates) > 1 else ()
    return before.joined(after.placed(motion, "the part's own shape")), notes
