"""Results out: JSON and CSV."""

import csv
import io
import json
from math import degrees
from typing import Any

from truegauge.core.plan.graph import NotComputed
from truegauge.core.plan.results import Evaluation, Result
from truegauge.core.plan.sample import Sample
from truegauge.core.tolerancing.kinds import KINDS


def results_document(evaluation: Evaluation, sample: Sample | None) -> dict[str, Any]:
    """Return the results as in docs/formats.md; lengths in mm, angles in decimal degrees."""
    alignment = evaluation.alignment
    document: dict[str, Any] = {
        "plan": evaluation.plan.name,
        "plan_revision": evaluation.plan.revision,
        "sample": sample.name if sample else "",
        "unit": "mm",
        "characteristics": [
            {
                "number": r.characteristic.number,
                "name": r.characteristic.name,
                "kind": r.characteristic.kind,
                "nominal": _shown(r, r.characteristic.nominal),
                "lower": _shown(r, r.characteristic.lower_limit),
                "upper": _shown(r, r.characteristic.upper_limit),
                "measured": _shown(r, r.measured),
                "deviation": _shown(r, r.deviation),
                "unit": "deg" if _is_angle(r) else "mm",
                "state": str(r.state),
                "reason": r.reason,
            }
            for r in evaluation.results
        ],
    }
    if isinstance(alignment, NotComputed):
        document["alignment"] = {"reason": alignment.reason}
    else:
        document["alignment"] = {
            "part_from_scan": alignment.part_from_scan.tolist(),
            "rms": alignment.rms,
            "points_used": alignment.points_used,
            "points_total": alignment.points_total,
            "trusted": alignment.trusted,
            "doubts": list(alignment.doubts),
        }
    return document


def _is_angle(result: Result) -> bool:
    kind = KINDS.get(result.characteristic.kind)
    return kind is not None and kind.angular


def _shown(result: Result, value: float | None) -> float | None:
    return value if value is None or not _is_angle(result) else degrees(value)


def results_json(evaluation: Evaluation, sample: Sample | None) -> bytes:
    """Return results.json."""
    return (json.dumps(results_document(evaluation, sample), indent=1) + "\n").encode()


def results_csv(evaluation: Evaluation, sample: Sample | None) -> bytes:
    """Return results.csv: comma-separated, full digits, one row a characteristic (RFC 4180)."""
    out = io.StringIO()
    columns = ["number", "name", "kind", "nominal", "lower", "upper", "measured", "deviation", "state", "reason"]
    writer = csv.DictWriter(out, ["plan", "sample", *columns, "unit"])
    writer.writeheader()
    document = results_document(evaluation, sample)
    for row in document["characteristics"]:
        writer.writerow({"plan": document["plan"], "sample": document["sample"], **row})
    return out.getvalue().encode("utf-8")
