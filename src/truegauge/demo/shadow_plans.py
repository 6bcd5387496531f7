"""The demo's silhouettes: a made-up camera, plans for LW-1408, LW-1409 and LW-1410, pictures of single parts.

What a part should measure is known in closed form from how it was made (`shaft`, `flat_parts`).
"""

from __future__ import annotations

import json
import re
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np

from truegauge.api.silhouettes import SilhouettePlan, calibrate_by_plate, new_silhouette
from truegauge.core.authoring.silhouettes import silhouette_of
from truegauge.core.plan.document import Plan as PlanDocument
from truegauge.core.silhouette.lens import Lens
from truegauge.core.silhouette.looking import Place
from truegauge.demo import flat_parts, shaft
from truegauge.devices.camera_sim.plates import plate_outlines
from truegauge.devices.camera_sim.shadow import Camera
from truegauge.formats.pictures import png_of

if TYPE_CHECKING:
    from truegauge.core.arrays import Floats
    from truegauge.core.plan.lens import LensRecord
    from truegauge.core.silhouette.edges import Picture

CAMERA_LENS = Lens(np.array([1223.5, 1023.5]), np.array([[0.016, 1e-5], [0.0, -0.01602]]), 1e-9, 1.2)
PLATE = (2.0, 1.0)  # pitch and diameter of the dots, mm
CAMERA = "Made-up telecentric camera"
_UP = np.pi / 2
_MADE_AT = "2026-11-30T08:00:00+00:00"


def camera(seed: int = 1408) -> Camera:
    """Return the made-up camera."""
    return Camera(CAMERA_LENS, seed=seed)


def plate_picture(seed: int = 1408) -> Picture:
    """Return a picture of the plate that the camera is calibrated by."""
    return camera(seed).picture(plate_outlines(*PLATE, turn=0.1, reach=19.0))


@cache
def calibrated() -> LensRecord:
    """Return the calibration of the camera by its plate."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "plate.png"
        path.write_bytes(png_of(plate_picture()))
        return calibrate_by_plate(path, *PLATE).replace(made_at=_MADE_AT)


@dataclass(frozen=True)
class ShadowPart:
    """A part of the demo world: its drawing, outlines by the sizes it was made with, where its middle is, its plan."""

    drawing: str
    name: str
    nominal: Any
    made: Callable[[int], Any]
    outlines: Callable[[Any], list[Floats]]
    middle: tuple[float, float]
    taught: Place
    fill: Callable[[SilhouettePlan, Path], None]
    true: Callable[[Any], dict[str, float]]

    def picture(self, sizes: Any, place: Place, taken: Camera | None = None, *, sharp: float = 1.0) -> Picture:
        """Return the picture of a part that lies at a place."""
        lying = [place.picture_from_part(own) for own in self.outlines(sizes)]
        return (taken or camera()).picture([own[::-1] for own in lying] if place.mirrored else lying, sharp=sharp)

    def put(self, rng: np.random.Generator, *, upside_down: bool = False, most: float = np.pi) -> Place:
        """Return where a part lies that somebody puts down: about the middle, turned by `most` rad either way."""
        turn, mirrored = rng.uniform(-most, most), upside_down and bool(rng.integers(2))
        middle = Place(np.zeros(2), turn, mirrored).picture_from_part(np.array([self.middle]))[0]
        return Place(rng.uniform(-1.0, 1.0, 2) - middle, turn, mirrored)

    def plan(self) -> SilhouettePlan:
        """Return its plan; what is in it is called the same each time."""
        own = self._filled()
        return SilhouettePlan(_with_plain_ids(own.document), own.model)

    def _filled(self) -> SilhouettePlan:
        own = new_silhouette(f"{self.drawing} {self.name}")
        own.lens = calibrated()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / "taught.png"
            path.write_bytes(png_of(self.picture(self.nominal, self.taught)))
            self.fill(own, path)
        return own


def _with_plain_ids(plan: PlanDocument) -> PlanDocument:
    """Return a plan whose edges, points, sizes and characteristics have ids by their names."""
    own, text = silhouette_of(plan), plan.model_dump_json()
    for thing in (*own.things, *own.sizes):
        text = text.replace(f'"{thing.id}"', json.dumps(f"{thing.id.partition('-')[0]}-{_plain(thing.name)}"))
    for c in plan.characteristics:
        text = text.replace(f'"{c.id}"', json.dumps(f"c{c.number}"))
    return PlanDocument.model_validate_json(text)


def _plain(name: str) -> str:
    return "-".join(re.findall(r"[a-z0-9]+", name.lower()))


def _pair(p: SilhouettePlan, name: str, x: float, half: float, wide: float, reach: float = 0.8) -> tuple[str, str]:
    return (p.edge(f"{name} above", at=(x, half), turn=_UP, reach=reach, wide=wide),
            p.edge(f"{name} below", at=(x, -half), turn=-_UP, reach=reach, wide=wide))  # fmt: skip


def _fill_shaft(p: SilhouettePlan, picture: Path) -> None:
    s = shaft.ShaftSizes()
    x1 = s.journal_long
    x2 = x1 + s.seat_long
    x3 = x2 + s.collar_long
    x4 = x3 + s.taper_long
    x5 = x4 + s.thread_long
    journal = _pair(p, "journal", 1.8, s.journal / 2, 2.0)
    groove = _pair(p, "groove", s.groove_at + s.groove_wide / 2, s.groove / 2, 0.8)
    seat = _pair(p, "seat", x1 + 3.0, s.seat / 2, 4.0)
    collar = _pair(p, "collar", x2 + s.collar_long / 2, s.collar / 2, 1.6)
    half = (s.taper + s.taper_small) / 4
    for name, side in (("taper above", 1.0), ("taper below", -1.0)):
        p.edge(name, at=(x3 + s.taper_long / 2, side * half), turn=side * _UP, reach=1.0, wide=4.5)
    thread = _pair(p, "thread", x4 + s.thread_long / 2, s.thread / 2 - 0.2, 5.2, 1.4)
    hexagon = _pair(p, "hexagon", x5 + s.hexagon_long / 2, s.hexagon / 2, 2.0)
    end = p.edge("left end", at=(0.0, 0.0), turn=np.pi, reach=0.8, wide=4.0)
    far = p.edge("right end", at=(x5 + s.hexagon_long, 0.0), turn=0.0, reach=0.8, wide=5.0)
    shoulder = p.edge("shoulder", at=(x1, 3.5), turn=np.pi, reach=0.6, wide=0.6)
    face = p.edge("collar face", at=(x2, 5.8), turn=np.pi, reach=0.6, wide=1.2)
    ends = (("left", s.groove_at, np.pi), ("right", s.groove_at + s.groove_wide, 0.0))
    sides = [p.edge(f"groove {word}", at=(x, s.groove / 2 + 0.35), turn=turn, reach=0.6, wide=0.3, to="to dark")
             for word, x, turn in ends]  # fmt: skip
    fillet = p.arc("fillet", center=(x2 - s.fillet, s.seat / 2 + s.fillet), radius=s.fillet, begin=-_UP + 0.12,
                   end=-0.12, reach=0.5, to="to dark")  # fmt: skip
    corner = p.arc("corner", center=(x2 + s.corner, s.collar / 2 - s.corner), radius=s.corner, begin=_UP + 0.12,
                   end=np.pi - 0.12, reach=0.4)  # fmt: skip
    p.find_by(seat, end, picture, origin=tuple(TAUGHT_SHAFT.origin.tolist()))
    p.size("size", *journal, nominal=s.journal, plus_minus=0.03, name="Journal")
    p.size("size", *groove, nominal=s.groove, plus_minus=0.03, name="Groove")
    p.size("size", *seat, nominal=s.seat, plus_minus=0.02, name="Bearing seat")
    p.size("size", *collar, nominal=s.collar, plus_minus=0.03, name="Collar")
    p.size("size", *hexagon, nominal=s.hexagon, plus_minus=0.03, name="Across flats")
    p.size("spacing", end, shoulder, nominal=s.journal_long, plus_minus=0.03, name="Journal length")
    p.size("spacing", shoulder, face, nominal=s.seat_long, plus_minus=0.012, name="Seat length")
    p.size("spacing", end, far, nominal=s.long, plus_minus=0.06, name="Length")
    p.size("spacing", *sides, nominal=s.groove_wide, plus_minus=0.03, name="Groove width")
    p.size("radius", fillet, nominal=s.fillet, plus_minus=0.05, name="Fillet")
    p.size("radius", corner, nominal=s.corner, plus_minus=0.05, name="Corner")
    p.size("angle", "taper above", "taper below", nominal=2 * s.half_angle, plus_minus=np.radians(0.5), name="Taper")
    p.size("thread_outer", *thread, nominal=s.thread, plus_minus=0.05, name="Thread, outer")
    p.size("thread_pitch", *thread, nominal=s.pitch, plus_minus=0.03, name="Thread, pitch")
    p.size("straightness", seat[0], upper=0.01, name="Seat, straightness")


def _true_shaft(s: shaft.ShaftSizes) -> dict[str, float]:
    return {
        "Journal": s.journal, "Groove": s.groove, "Bearing seat": s.seat, "Collar": s.collar, "Across flats": s.hexagon,
        "Journal length": s.journal_long, "Seat length": s.seat_long, "Length": s.long, "Groove width": s.groove_wide,
        "Fillet": s.fillet, "Corner": s.corner, "Taper": 2 * s.half_angle, "Thread, outer": s.thread,
        "Thread, pitch": s.pitch, "Seat, straightness": 0.0,
    }  # fmt: skip


def _fill_ring(p: SilhouettePlan, picture: Path) -> None:
    s = flat_parts.RingSizes()
    p.arc("outside", center=(0.0, 0.0), radius=s.outer / 2, reach=1.0)
    p.arc("hole", center=(0.0, 0.0), radius=s.inner / 2, reach=1.0, to="to dark")
    p.find_by((), "outside", picture, origin=tuple(TAUGHT_RING.origin.tolist()))
    p.size("diameter", "outside", nominal=s.outer, plus_minus=0.03, name="Outside")
    p.size("diameter", "hole", nominal=s.inner, plus_minus=0.03, name="Hole")
    p.size("coaxiality", "hole", "outside", upper=0.04, name="Coaxiality")
    p.size("roundness", "outside", upper=0.01, name="Roundness")


def _true_ring(s: flat_parts.RingSizes) -> dict[str, float]:
    return {"Outside": s.outer, "Hole": s.inner, "Coaxiality": 2 * float(np.hypot(s.off_x, s.off_y)), "Roundness": 0.0}


def _fill_plate(p: SilhouettePlan, picture: Path) -> None:
    s = flat_parts.PlateSizes()
    floor = s.high - s.slot_deep
    below = p.edge("below", at=(s.long / 2, 0.0), turn=-_UP, reach=1.0, wide=18.0)
    left = p.edge("left", at=(0.0, s.high / 2), turn=np.pi, reach=1.0, wide=10.0)
    p.edge("right", at=(s.long, 12.0), turn=0.0, reach=1.0, wide=3.0)
    p.edge("above", at=(18.0, s.high), turn=_UP, reach=1.0, wide=10.0)
    a, b = s.slot_at - s.slot_wide / 2, s.slot_at + s.slot_wide / 2
    slot = [p.edge(f"slot {word}", at=(x, s.high - 2.5), turn=turn, reach=1.0, wide=3.0)
            for word, x, turn in (("left", a, 0.0), ("right", b, np.pi))]  # fmt: skip
    p.edge("slot floor", at=(s.slot_at, floor), turn=_UP, reach=1.0, wide=3.0)
    half = s.notch_deep / 2
    for word, side in (("lower", -1.0), ("upper", 1.0)):
        p.edge(
            f"notch {word}", at=(s.long - half, s.notch_at + side * half), turn=-side * np.pi / 4, reach=0.8, wide=2.0
        )
    p.corner("notch tip", "notch lower", "notch upper")
    p.middle("slot middle", *slot)
    p.middle("plate middle", "left", "right")
    p.arc(
        "corner", center=(s.long - s.corner, s.high - s.corner), radius=s.corner, begin=0.15, end=_UP - 0.15, reach=0.8
    )
    p.find_by(below, left, picture, origin=tuple(TAUGHT_PLATE.origin.tolist()), upside_down=True)
    p.size("spacing", "left", "right", nominal=s.long, plus_minus=0.05, name="Length")
    p.size("spacing", "below", "above", nominal=s.high, plus_minus=0.05, name="Height")
    p.size("size", *slot, nominal=s.slot_wide, plus_minus=0.03, name="Slot")
    p.size("spacing", "above", "slot floor", nominal=s.slot_deep, plus_minus=0.05, name="Slot depth")
    p.size("spacing", "left", "slot middle", nominal=s.slot_at, plus_minus=0.05, name="Slot place")
    p.size("spacing_x", "left", "notch tip", nominal=s.long - s.notch_deep, plus_minus=0.05, name="Notch tip, x")
    p.size("spacing_y", "below", "notch tip", nominal=s.notch_at, plus_minus=0.05, name="Notch tip, y")
    p.size("angle", "notch lower", "notch upper", nominal=np.pi / 2, plus_minus=np.radians(0.5), name="Notch angle")
    p.size("radius", "corner", nominal=s.corner, plus_minus=0.1, name="Corner")
    p.size("symmetry", "slot middle", "plate middle", upper=9.0, name="Slot, symmetry")


def _true_plate(s: flat_parts.PlateSizes) -> dict[str, float]:
    return {
        "Length": s.long, "Height": s.high, "Slot": s.slot_wide, "Slot depth": s.slot_deep, "Slot place": s.slot_at,
        "Notch tip, x": s.long - s.notch_deep, "Notch tip, y": s.notch_at, "Notch angle": np.pi / 2, "Corner": s.corner,
        "Slot, symmetry": 2 * abs(s.slot_at - s.long / 2),
    }  # fmt: skip


TAUGHT_SHAFT = Place(np.array([-15.7, 0.0]))
TAUGHT_RING = Place(np.array([0.0, 0.0]))
TAUGHT_PLATE = Place(np.array([-13.0, -8.0]))

SHAFT = ShadowPart("LW-1408", "focuser shaft", shaft.ShaftSizes(), shaft.made, lambda s: [shaft.outline(s)],
                   (shaft.ShaftSizes().long / 2, 0.0), TAUGHT_SHAFT, _fill_shaft, _true_shaft)  # fmt: skip
RING = ShadowPart("LW-1409", "spacer ring", flat_parts.RingSizes(), flat_parts.made_ring, flat_parts.ring_outlines,
                  (0.0, 0.0), TAUGHT_RING, _fill_ring, _true_ring)  # fmt: skip
PLATE_PART = ShadowPart("LW-1410", "detent plate", flat_parts.PlateSizes(), flat_parts.made_plate,
                        lambda s: [flat_parts.plate_outline(s)], (13.0, 8.0), TAUGHT_PLATE, _fill_plate,
                        _true_plate)  # fmt: skip
PARTS = {part.drawing: part for part in (SHAFT, RING, PLATE_PART)}
