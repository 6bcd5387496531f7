"""Results out: JSON and CSV."""

import csv
import io
import json
from collections.abc import Sequence
from math import degrees
from typing import Any

from truegauge.core.characteristics.registry import kind_named
from truegauge.core.datums.freedoms import NAMES
from truegauge.core.evaluation.results import Evaluation, Result
from truegauge.core.nodes.graph import NotComputed
from truegauge.core.nodes.shadow import lens_for
from truegauge.core.registration.alignment import Alignment
from truegauge.core.samples.sample import Sample
from truegauge.formats.table_text import as_text


def results_document(evaluation: Evaluation, sample: Sample | None) -> dict[str, Any]:
    """Return the results as in docs/formats.md; lengths in mm, angles in decimal degrees."""
    alignment, silhouette = evaluation.alignment, evaluation.plan.silhouette is not None
    document: dict[str, Any] = {
        "plan": evaluation.plan.name,
        "plan_revision": evaluation.plan.revision,
        "sample": sample.name if sample else "",
        "sample_notes": list(sample.notes) if sample else [],
        "unit": "mm",
        "temperature": evaluation.temperature,
        "partial": evaluation.partial,
        "uncertainties": evaluation.uncertainties(),
        "characteristics": [
            {
                "number": r.characteristic.number,
                "name": r.characteristic.name,
                "kind": r.characteristic.kind,
                "nominal": _shown(r, r.characteristic.nominal),
                "lower": _shown(r, r.lower_limit),
                "upper": _shown(r, r.upper_limit),
                "measured": _shown(r, r.measured),
                "deviation": _shown(r, r.deviation),
                "unit": "deg" if _is_angle(r) else "mm2" if kind_named(r.characteristic.kind).area else "mm",
                "state": str(r.state),
                "reason": r.reason,
                "datum_system": r.characteristic.system_text,
                "modifiers": " ".join(r.characteristic.modifiers),
                "definition": r.definition,
                "fit": r.characteristic.fit,
                "bonus": r.bonus,
                "coverage": r.coverage,
                "warning": r.warning,
                "surface": r.surface,
                "uncertainty": _shown(r, r.uncertainty),
                "decision": r.decision,
                "general_tolerance": r.general,
                "alignment": "" if silhouette else evaluation.plan.alignment(r.characteristic.alignment).name,
            }
            for r in evaluation.results
        ],
    }
    if silhouette:
        document["silhouette"] = _shadow_document(evaluation, sample)
        return document
    document["alignment"] = _alignment_document(alignment)
    document["alignments"] = [
        {
            "name": own.name,
            "kind": own.kind,
            "in_force": own.id == evaluation.plan.in_force,
            **_alignment_document(evaluation.alignments.get(own.id, NotComputed("not computed"))),
        }
        for own in evaluation.plan.alignments
    ]
    return document


def _shadow_document(evaluation: Evaluation, sample: Sample | None) -> dict[str, Any]:
    """Return how the part lay in the picture, and by which calibration it was measured; angles in degrees."""
    found, pictures = evaluation.shadow, () if sample is None else sample.pictures
    if found is None or isinstance(found, NotComputed):
        return {"reason": "no sample" if found is None else found.reason}
    own, silhouette = pictures[-1], evaluation.plan.silhouette
    assert silhouette is not None
    lens = lens_for(silhouette, own)
    return {
        "picture": own.file.file_name, "camera": own.file.camera, "taken_at": own.file.taken_at,
        "origin": found.place.origin.tolist(), "turn": degrees(found.place.turn), "upside_down": found.place.mirrored,
        "blur": found.blur, "calibration": lens.model_dump(mode="json"),
    }  # fmt: skip


def _alignment_document(alignment: Alignment | NotComputed) -> dict[str, Any]:
    if isinstance(alignment, NotComputed):
        return {"reason": alignment.reason}
    return {
        "part_from_scan": alignment.part_from_scan.tolist(),
        "frame_from_part": alignment.frame_from_part.tolist(),
        "scale": alignment.growth,
        "rms": alignment.rms,
        "largest": alignment.largest,
        "points_used": alignment.points_used,
        "points_total": alignment.points_total,
        "trusted": alignment.trusted,
        "doubts": list(alignment.doubts),
        "notes": list(alignment.notes),
        "freedoms": dict(zip(NAMES, (h.replace("\n", ", ") for h in alignment.freedoms.holders), strict=True)),
        "targets": [
            {"name": t.name, "deviation": t.deviation.tolist(), "used": t.used, "poor": t.poor}
            for t in alignment.targets
        ],
    }


def _is_angle(result: Result) -> bool:
    return kind_named(result.characteristic.kind).angular


def _shown(result: Result, value: float | None) -> float | None:
    return value if value is None or not _is_angle(result) else degrees(value)


def results_json(
    evaluation: Evaluation, sample: Sample | None, surfaces: Sequence[dict[str, Any]] = (),
    blades: Sequence[dict[str, Any]] = (),
) -> bytes:  # fmt: skip
    """Return results.json; `surfaces` are the documents of surface checks, `blades` those of blades."""
    document = results_document(evaluation, sample)
    if surfaces:
        document["surfaces"] = list(surfaces)
    if blades:
        document["blades"] = list(blades)
    return (json.dumps(document, indent=1) + "\n").encode()


def results_csv(evaluation: Evaluation, sample: Sample | None) -> bytes:
    """Return results.csv: comma-separated, full digits, one row a characteristic (RFC 4180)."""
    out = io.StringIO()
    columns = ["number", "name", "kind", "nominal", "lower", "upper", "measured", "deviation", "state", "reason"]
    more = [
        "datum_system",
        "modifiers",
        "definition",
        "fit",
        "bonus",
        "uncertainty",
        "decision",
        "general_tolerance",
        "coverage",
        "warning",
        "surface",
    ]
    writer = csv.DictWriter(out, ["plan", "sample", *columns, "unit", "alignment", *more, "partial"])
    writer.writeheader()
    document = results_document(evaluation, sample)
    for row in document["characteristics"]:
        cells = {"plan": document["plan"], "sample": document["sample"], **row, "partial": document["partial"]}
        writer.writerow({name: as_text(value) for name, value in cells.items()})
    return out.getvalue().encode("utf-8")
