"""Imperfections as other systems read them: a document of plain numbers, mm and coordinates of the scan."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from truegauge.core.imperfections.comparing import Change
    from truegauge.core.imperfections.measuring import Imperfection
    from truegauge.core.imperfections.search import Found


def imperfections_document(found: Found) -> dict[str, Any]:
    """Return what was found, the deepest or highest first."""
    prepared, quality = found.prepared, found.quality
    return {
        "reference": {
            "kind": str(prepared.reference.kind), "wavelength": prepared.reference.wavelength, "rms": quality.rms,
            "noise": quality.noise, "area_mm2": quality.area, "parts": quality.parts, "advice": quality.advice,
            "notes": list(prepared.notes),
        },
        "imperfections": [_one(i) for i in found.imperfections],
        "heads": [_one(i) for i in found.left_out],
    }  # fmt: skip


def changes_document(changes: tuple[Change, ...]) -> list[dict[str, Any]]:
    """Return what became of each since another scan."""
    return [
        {"state": c.state, "change": c.change, "before": None if c.before is None else _one(c.before),
         "now": None if c.now is None else _one(c.now)}
        for c in changes
    ]  # fmt: skip


def _one(i: Imperfection) -> dict[str, Any]:
    return {
        "kind": i.kind, "depth": i.depth, "depth_u": i.depth_u, "deepest": list(i.deepest),
        "centroid": list(i.centroid), "normal": list(i.normal), "area_mm2": i.area, "volume_mm3": i.volume,
        "whole_area_mm2": i.whole_area, "whole_volume_mm3": i.whole_volume, "length": i.length, "width": i.width,
        "direction": list(i.direction), "steepest_deg": math.degrees(i.slope),
        "mean_slope_deg": math.degrees(i.mean_slope), "border": i.border, "points": i.points,
        "nearest": None if i.neighbour < 0 else {
            "number": i.neighbour + 1, "edge": i.edge_to_edge, "center": i.center_to_center,
        },
    }  # fmt: skip
