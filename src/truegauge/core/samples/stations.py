"""Where devices stand: which of them measured a sample, and where the points of each are in its coordinates."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from truegauge.core.errors import RegistrationError
from truegauge.core.frames import as_rigid
from truegauge.core.registration.matched_points import match_points
from truegauge.core.samples.document import Placed, ReferencePoint, SampleAbout

if TYPE_CHECKING:
    from truegauge.core.arrays import Points, Rigid, Vector
    from truegauge.core.registration.adjustment import Adjustment

_FEWEST = 3
_APART = 1.0  # mm: no device is so wrong, another seat was touched


def sample_from_device(about: SampleAbout, device: str) -> Rigid | None:
    """Return what takes the points of a device to the coordinates of the sample; None: nobody knows."""
    own = [p for p in about.placed if p.device == device]
    if own:
        return as_rigid(np.array(own[-1].placement).reshape(4, 4))
    return np.eye(4) if about.device in ("", device) else None


def placed_at(about: SampleAbout, device: str, pose: Rigid, by: str) -> SampleAbout:
    """Return what is said of a sample with a device placed."""
    rest = tuple(p for p in about.placed if p.device != device)
    return about.replace(placed=(*rest, Placed(device=device, placement=tuple(pose.ravel().tolist()), by=by)))


def joined_by_references(references: tuple[ReferencePoint, ...], measured: Points) -> tuple[Rigid, Adjustment]:
    """Return where a device stands that has measured the first n reference points (n, 3), in their order.

    Least squares of the distances (Arun, Huang and Blostein 1987).

    Raises
    ------
    RegistrationError
        Fewer than three, all on one line, or they do not fit on each other.
    """
    known = references[: len(measured)]
    if len(known) < _FEWEST:
        raise RegistrationError(f"{len(known)} reference points; three are needed")
    nominal = np.array([r.place for r in known])
    found = match_points(nominal, measured, [r.name for r in known])
    if found.largest > _APART:
        worst = max(found.targets, key=lambda t: t.length)
        raise RegistrationError(
            f"the seats do not lie as they did: {worst.name} is {worst.length:.1f} mm off; was another seat touched?"
        )
    return found.part_from_base, found


def drift(references: tuple[ReferencePoint, ...], place: Vector) -> tuple[ReferencePoint, Vector]:
    """Return the nearest reference point, and how far (3,) mm a tip in its seat is off it.

    Raises
    ------
    RegistrationError
        There is no reference point.
    """
    if not references:
        raise RegistrationError("no reference point was measured yet")
    off = np.asarray(place) - np.array([r.place for r in references])
    k = int(np.argmin(np.linalg.norm(off, axis=1)))
    return references[k], off[k]
