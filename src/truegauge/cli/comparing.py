"""The command that compares a scan with a part, without a plan."""

import json
from dataclasses import asdict
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from truegauge.cli.base import Units, say

if TYPE_CHECKING:
    pass


def compare(
    part: Annotated[Path, typer.Argument(help="The part (STEP).")],
    scan: Annotated[Path, typer.Argument(help="The scan (PLY, STL, OBJ, XYZ, CSV ...) or sample (.tgsample).")],
    units: Units = "",
    as_json: Annotated[bool, typer.Option("--json", help="Print JSON.")] = False,
) -> None:
    """Align a scan to a part and tell how far it deviates, mm."""
    from truegauge.core.evaluation.evaluator import Evaluator
    from truegauge.core.nodes.graph import needed
    from truegauge.core.plan.document import Plan
    from truegauge.formats.part import read_part
    from truegauge.formats.sample_file import open_sample
    from truegauge.jobs.inspection import check_unit

    model = read_part(part)
    sample, _ = open_sample(scan, units)
    check_unit(scan, sample, model.diagonal)
    alignment, cloud = Evaluator(model).aligned(Plan(), sample)
    a, c = needed(alignment), needed(cloud)
    document = {
        "alignment": {
            "part_from_scan": a.part_from_scan.tolist(),
            "rms": a.rms,
            "points_used": a.points_used,
            "points_total": a.points_total,
            "trusted": a.trusted,
            "doubts": list(a.doubts),
            "notes": [*sample.notes, *a.notes],
        },
        "deviation": asdict(c.statistics),
    }
    if as_json:
        say(json.dumps(document))
        return
    s = c.statistics
    say(f"best fit: rms {a.rms:.4f} mm, {a.points_used} of {a.points_total} points used")
    for note in sample.notes:
        say(f"note: {note}")
    for doubt in a.doubts:
        say(f"not trusted: {doubt}")
    say(f"deviation of {s.count} points: mean {s.mean:+.4f}, std {s.std:.4f}, min {s.min:+.4f}, max {s.max:+.4f} mm")
    say(f"5 % {s.p05:+.4f}, 50 % {s.p50:+.4f}, 95 % {s.p95:+.4f} mm")
