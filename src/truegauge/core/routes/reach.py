"""Which stylus gets at a place: the stem not into the surface, nothing near but the tip, room to come from."""

from dataclasses import dataclass

import numpy as np

from truegauge.core.arrays import Mask, Vector
from truegauge.core.frames import apply, rotate
from truegauge.core.probing.probing import StylusUse
from truegauge.core.routes.places import Places
from truegauge.core.routes.scene import Scene

ROOM = 0.4  # mm that a probe keeps beside the part at a touch: nothing is quite where it is believed to be
STEM_IN = 0.35  # cosine from which a stem points into the surface that its tip touches
_TIP_FITS = 0.1  # mm that a tip may seem to be in the surface at its contact: facets are not quite the surface
_SHARES = (1.0, 0.6, 0.35, 0.2)
_NOT_FELT = "its sensor does not feel touches of that direction"
OF_STEM = "the stem would point into the surface"


@dataclass(frozen=True, slots=True)
class AtPlace:
    """From how far before a place (mm) a stylus can come to it; 0: it does not get at it, and why not."""

    approach: float
    why: str = ""


def at_places(scene: Scene, use: StylusUse, places: Places, approach: float) -> list[AtPlace]:
    """Return for each place (part coordinates) whether a stylus gets at it, coming from `approach` mm if it can."""
    points = apply(scene.machine_from_part, places.points)
    normals = rotate(scene.machine_from_part, places.normals)
    felt = scene.probing.assembly(use.assembly).feels(use.pose, normals)
    return [
        _at(scene, use, p, n, approach) if own else AtPlace(0.0, _NOT_FELT)
        for p, n, own in zip(points, normals, felt, strict=True)
    ]


def reached(found: list[AtPlace]) -> Mask:
    """Tell which places were reached."""
    return np.array([f.approach > 0 for f in found], dtype=bool)


def _at(scene: Scene, use: StylusUse, point: Vector, out: Vector, approach: float) -> AtPlace:
    own = scene.probe(use)
    if out @ own.place.direction >= STEM_IN:
        return AtPlace(0.0, OF_STEM)
    contact = point + own.place.radius * out
    if scene.limits is not None:
        quill = scene.quill(use, contact)
        if (quill < scene.limits[0]).any() or (quill > scene.limits[1]).any():
            return AtPlace(0.0, "it is beyond the travel of the machine")
    met = scene.nearest(use, contact, contact, ROOM, tip=False)
    if met is not None:
        return AtPlace(
            0.0, f"{own.body_names()[met.solid]} would come within {max(met.distance, 0):.1f} mm of {met.name}"
        )
    tip = scene.nearest(use, contact + _TIP_FITS * out, contact + _TIP_FITS * out, 0.0)
    if tip is not None:
        return AtPlace(0.0, f"the tip (diameter {2 * own.place.radius:g} mm) does not fit beside {tip.name}")
    for share in _SHARES:
        far = share * approach
        room = min(ROOM, 0.4 * far)
        before = contact + far * out
        if scene.nearest(use, contact, before, room, tip=False) is None and (
            scene.nearest(use, contact + (room + _TIP_FITS) * out, before, room) is None
        ):
            return AtPlace(far)
    return AtPlace(0.0, "there is no room to come from")
