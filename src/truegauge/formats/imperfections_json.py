"""Imperfections as other systems read them: a document of plain numbers, mm and coordinates of the scan."""

from __future__ import annotations

import csv
import io
import math
from typing import TYPE_CHECKING, Any

from truegauge.core.evaluation.surface_judgement import flagged, state_of
from truegauge.formats.table_text import as_text

if TYPE_CHECKING:
    from collections.abc import Sequence

    from truegauge.core.evaluation.surface_distances import FeatureDistance
    from truegauge.core.evaluation.surface_judgement import Judged
    from truegauge.core.imperfections.comparing import Change
    from truegauge.core.imperfections.measuring import Imperfection
    from truegauge.core.imperfections.search import Found
    from truegauge.core.plan.surface_checks import SurfaceCheck

    Distances = tuple[tuple[FeatureDistance, ...], ...]  # of each imperfection; empty where none are wanted


def imperfections_document(found: Found) -> dict[str, Any]:
    """Return what was found, the deepest or highest first."""
    prepared, quality = found.prepared, found.quality
    return {
        "reference": {
            "kind": str(prepared.reference.kind), "wavelength": prepared.reference.wavelength,
            "filter": prepared.reference.by, "rms": quality.rms, "noise": quality.noise, "area_mm2": quality.area,
            "parts": quality.parts, "advice": quality.advice, "notes": list(prepared.notes),
        },
        "imperfections": [_one(i) for i in found.imperfections],
        "heads": [_one(i) for i in found.left_out],
    }  # fmt: skip


def check_document(
    check: SurfaceCheck, found: Found, judged: tuple[Judged, ...], distances: Distances = ()
) -> dict[str, Any]:
    """Return a surface check of a plan with what was found, in coordinates of the scan, and its limits."""
    state, document = state_of(judged), imperfections_document(found)
    for one, told in zip(document["imperfections"], distances, strict=False):
        one["to"] = [{"feature": d.feature, "words": d.words, "distance": d.value} for d in told]
    return {
        "name": check.name, "id": check.id, "depth": check.depth, "height": check.height, "sides": check.sides,
        "saddle": check.saddle,
        **document,
        "frame_from_scan": None if check.frame is None else check.frame_from_scan().tolist(),
        "limits": [
            {"quantity": j.limit.quantity, "limit": j.limit.limit,
             "value": None if math.isnan(j.value) else j.value, "number": None if j.worst < 0 else j.worst + 1,
             "beyond": [k + 1 for k in j.beyond], "state": str(j.decision.state), "decision": j.decision.words}
            for j in judged
        ],
        "state": None if state is None else str(state),
    }  # fmt: skip


def imperfections_csv(checks: Sequence[tuple[SurfaceCheck, Found, tuple[Judged, ...], Distances]]) -> bytes:
    """Return a table, one row an imperfection (RFC 4180): mm, places in coordinates of the scan.

    Features that distances are told from have a column each, behind the others.
    """
    columns = ["check", "number", "kind", "depth", "depth_u", "length", "width", "area_mm2", "volume_mm3",
               "edge_to_nearest", "border", "x", "y", "z", "beyond_limits"]  # fmt: skip
    out = io.StringIO()
    writer = csv.writer(out)
    features = list(dict.fromkeys(d.feature for *_, every in checks for told in every for d in told))
    writer.writerow([*columns, *(as_text(f"to {name}") for name in features)])
    for check, found, judged, distances in checks:
        bad = flagged(judged)
        for k, i in enumerate(found.imperfections):
            near = "" if i.neighbour < 0 else i.edge_to_edge
            cells = (check.name, k + 1, i.kind, i.depth, i.depth_u, i.length, i.width, i.area, i.volume, near,
                     i.border, *i.deepest, "yes" if k in bad else "no")  # fmt: skip
            far = {d.feature: d.value for d in distances[k]} if distances else {}
            more = ["" if far.get(name) is None else far[name] for name in features]
            writer.writerow([as_text(c) for c in (*cells, *more)])
    return out.getvalue().encode("utf-8")


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
